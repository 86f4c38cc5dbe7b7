"""The word recogniser, in a process of its own: one JSON request a line in, one answer out.

Run as a script with the model's folder and a number of threads, never imported by the application:
so its memory and its libraries stay on this side of the pipe. A request is 16-bit
samples at 16 kHz (at most 30 s) with their language; the answer is text in time.

The recogniser takes windows of 30 s (Radford et al. 2023). Of a short recording it may be given
less, which is several times quicker and makes more mistakes: `quick` asks for that.
"""

from __future__ import annotations

import base64
import json
import sys
from typing import Any

import numpy as np
from faster_whisper import WhisperModel
from faster_whisper.tokenizer import Tokenizer

RATE, FRAMES_A_SECOND, WINDOW = 16_000, 100, 3000
QUICK_MORE = 4.0  # seconds heard beyond the end when there is haste
MOST_TOKENS = 224
BEAM = 5
STAMP = 0.02  # seconds between two time tokens
FAST = 6.5  # words a second that nobody says
REPEATED = 4  # tokens in a row that may not come again when it went round in circles


class Ear:
    """The model and what is done with it."""

    def __init__(self, folder: str, threads: int) -> None:
        self.model = WhisperModel(
            folder, device="cpu", compute_type="int8", cpu_threads=threads, local_files_only=True
        )

    def hear(self, samples: str, language: str, quick: bool) -> dict[str, Any]:
        sound = np.frombuffer(base64.b64decode(samples), "<i2").astype(np.float32) / 32768
        encoded = self.model.encode(self._features(sound, quick))
        guess, sure = self._guess(encoded)
        tokenizer = Tokenizer(
            self.model.hf_tokenizer, self.model.model.is_multilingual, task="transcribe",
            language=language or guess or "en",
        )  # fmt: skip
        made = self._decode(encoded, tokenizer)
        seconds = len(sound) / RATE
        if sum(len(s[2].split()) for s in made["segments"]) > max(4.0, FAST * seconds):
            made = self._decode(encoded, tokenizer, no_repeat_ngram_size=REPEATED)
        return {**made, "language": guess, "sure": sure}

    def _features(self, samples: Any, quick: bool) -> Any:
        found = self.model.feature_extractor(samples)
        wanted = int((len(samples) / RATE + QUICK_MORE) * FRAMES_A_SECOND) // 2 * 2
        count = min(WINDOW, wanted) if quick else WINDOW
        found = found[:, :count]
        return np.pad(found, ((0, 0), (0, count - found.shape[1])))

    def _guess(self, encoded: Any) -> tuple[str, float]:
        if not self.model.model.is_multilingual:
            return "", 0.0
        token, sure = self.model.model.detect_language(encoded)[0][0]
        return token[2:-2], float(sure)

    def _decode(self, encoded: Any, tokenizer: Tokenizer, **more: Any) -> dict[str, Any]:
        result = self.model.model.generate(
            encoded, [[*tokenizer.sot_sequence]], beam_size=BEAM, max_length=MOST_TOKENS,
            return_scores=True, return_no_speech_prob=True, **more,
        )[0]  # fmt: skip
        segments: list[tuple[float, float, str]] = []
        tokens: list[int] = []
        start = end = 0.0
        for token in result.sequences_ids[0]:
            if token < tokenizer.timestamp_begin:
                tokens.append(token)
                continue
            end = (token - tokenizer.timestamp_begin) * STAMP
            if tokens:
                segments.append((start, end, tokenizer.decode(tokens).strip()))
                tokens = []
            start = end
        if tokens:
            segments.append((start, 30.0, tokenizer.decode(tokens).strip()))
        return {
            "segments": segments, "score": float(result.scores[0]),
            "silent": float(result.no_speech_prob),
        }  # fmt: skip


def main() -> None:
    ear: Ear | None = None
    for line in sys.stdin:
        try:
            ear = ear or Ear(sys.argv[1], int(sys.argv[2]))
            request = json.loads(line)
            reply: dict[str, Any] = {"ok": ear.hear(**request)}
        except Exception as error:  # the other side turns it into a sentence
            reply = {"error": str(error) or type(error).__name__}
        sys.stdout.write(json.dumps(reply) + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
