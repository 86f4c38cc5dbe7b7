"""Talks to the pronunciation engine's worker: phonemes of any text, and a placeholder voice.

The worker starts on first use, is shared by the process, and is started again if it dies.
"""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import LanguageError
from ..tables import rows
from .languages import base, british, normal
from .phones import Unit
from .worker import Worker, WorkerDied, WorkerRefused


@dataclass(frozen=True)
class Spoken:
    """A placeholder recording: mono samples in −1..1 at `rate`, (start second, IPA) pairs, and for each word of the
    text where it stands (first character, length) and which sound is its first."""

    samples: NDArray[np.float32]
    rate: int
    sounds: tuple[tuple[float, str], ...]
    words: tuple[tuple[int, int, int], ...] = ()


_worker = Worker(Path(__file__).with_name("espeak_worker.py"))


def _ask(request: dict[str, Any]) -> Any:
    try:
        return _worker.ask(request)
    except WorkerDied:
        raise LanguageError(
            "The pronunciation engine does not answer; reinstall Glyphos with `make setup`."
        ) from None
    except WorkerRefused as reason:
        raise LanguageError(f"The pronunciation engine refused: {reason}.") from None


def close() -> None:
    """End the worker process; the next question starts it again."""
    _worker.close()


@cache
def languages() -> dict[str, str]:
    """Codes of every language that can be pronounced, with their English names."""
    found: dict[str, str] = _ask({"do": "languages"})
    found["en"] = found["en-us"]
    return dict(sorted(found.items()))


def language_name(code: str) -> str:
    """What a language is called in English, without a country; the code itself where nobody knows."""
    try:
        return languages()[voice_for(code)].split(" (")[0]
    except LanguageError:
        return code


@cache
def voice_for(language: str) -> str:
    """The engine's code for `language` (a code such as `it`, `pt-br`, `en_US`).

    Raises LanguageError, naming the nearest codes, if there is none.
    """
    code = normal(language)
    if code == "en":
        return "en-us"
    known = languages()
    if code in known:
        return code
    alone = base(code)
    if alone == "en":  # the engine's own first kind of it is another
        return "en-gb" if british(code) else "en-us"
    for near_code in (alone, f"{alone}-{alone}", *(k for k in known if k.startswith(f"{alone}-"))):
        if near_code in known:
            return near_code
    by_name = {name.lower(): key for key, name in known.items()}
    if code in by_name:
        return by_name[code]
    from rapidfuzz import process

    near = process.extract(code, [*known, *by_name], limit=3)
    names = ", ".join(dict.fromkeys(by_name.get(str(n[0]), str(n[0])) for n in near))
    raise LanguageError(f"There is no language “{language}”; did you mean one of: {names}?")


def phonemes(language: str, texts: tuple[str, ...]) -> list[str]:
    """IPA of each text: `_` between sounds, a space between words, stress before its vowel."""
    voice = voice_for(language)
    result: list[str] = _ask({"do": "ipa", "language": voice, "texts": list(texts)})
    return result


def say_sounds(units: Sequence[Unit], *, language: str = "en") -> Spoken:
    """Say a pronunciation in the placeholder voice, to hear one before choosing it."""
    return speak(in_letters(units), language=language)


def in_letters(units: Sequence[Unit], *, longer: str = "") -> str:
    """A pronunciation as it may stand in a text that is said. longer: marks of length, for its last sound."""
    table = {r["ipa"]: r["engine"] for r in rows("engine_phones.csv")}
    marks = {1: "'", 2: ","}
    written = "".join(marks.get(u.stress, "") + table.get(u.ipa, u.ipa) for u in units)
    return f"[[{written}{longer}]]"


def speak(
    text: str, *, language: str = "en", pitch: int = 50, speed: int = 160, variant: str = "", range_: int = 50,
    volume: int = 100,
) -> Spoken:  # fmt: skip
    """Say `text` in the placeholder voice; `pitch` and `range_` (of it) 0..99, `speed` in words a minute, `variant`:
    another voice of the engine, `volume` 0..200."""
    reply = _ask(
        {
            "do": "speak", "language": voice_for(language), "text": text, "pitch": pitch, "speed": speed,
            "variant": variant, "range": range_, "volume": volume,
        }
    )  # fmt: skip
    samples = np.frombuffer(base64.b64decode(reply["samples"]), "<i2").astype(
        np.float32
    ) / np.float32(32768)
    rate = int(reply["rate"])
    sounds = tuple((sample / rate, name) for sample, name in reply["sounds"])
    words = tuple((at - 1, length, first) for at, length, first in reply["words"])
    return Spoken(samples, rate, sounds, words)
