"""Many lines made of the demo's recordings and texts, for trials of unattended work: phrases put together to a
length, each a little higher or lower, louder or softer. `many.py FOLDER COUNT [SECONDS]`."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import numpy as np
import soundfile
import soxr

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))
DEMO = ROOT / "glyphos" / "data" / "demo" / "hollow-hill.glyphos"
PAUSE = 0.25  # seconds between phrases
EDGE = 0.12  # around a phrase


def pieces() -> list[tuple[np.ndarray, str, str]]:
    """Phrases of the demo's English lines: samples at 16 kHz, words, speaker."""
    from glyphos.production.production import Production
    from glyphos.speech.recording import open_recording

    made = []
    shown = Production.open(DEMO)
    for line in shown.lines:
        if line.reading is None or line.language != "en" or not line.script.strip():
            continue
        samples = open_recording(shown.audio_path(line)).samples
        for phrase in line.reading.phrases:
            a, b = int((phrase.start - EDGE) * 16000), int((phrase.end + EDGE) * 16000)
            text = " ".join(w.text for w in phrase.words)
            made.append((samples[max(0, a) : b], text, line.speaker))
    return made


def make(folder: Path, count: int, seconds: float = 5.0) -> None:
    """Write `count` recordings of about that length with their texts."""
    folder.mkdir(parents=True, exist_ok=True)
    draw, all_of = random.Random(7), pieces()
    for number in range(count):
        speaker = draw.choice(sorted({p[2] for p in all_of}))
        own = [p for p in all_of if p[2] == speaker]
        parts, texts, long = [np.zeros(int(0.2 * 16000), np.float32)], [], 0.0
        while long < seconds - 1.0:
            samples, text, _ = draw.choice(own)
            parts += [samples, np.zeros(int(PAUSE * 16000), np.float32)]
            texts.append(text)
            long += len(samples) / 16000 + PAUSE
        pitch, gain = draw.uniform(0.94, 1.06), 10 ** (draw.uniform(-4, 2) / 20)
        sound = soxr.resample(np.concatenate(parts), 16000, round(16000 * pitch)) * gain
        noise = np.random.default_rng(number).normal(0, 1e-4, len(sound))
        name = f"{number:04d}-{speaker.lower()}"
        soundfile.write(folder / f"{name}.flac", np.clip(sound + noise, -1, 1), 16000)
        (folder / f"{name}.txt").write_text(f"{speaker.upper()}: {'. '.join(texts)}.\n", encoding="utf-8")  # fmt: skip


if __name__ == "__main__":
    make(Path(sys.argv[1]), int(sys.argv[2]), *map(float, sys.argv[3:]))
