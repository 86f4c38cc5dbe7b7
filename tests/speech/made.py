"""Readings made up for tests: words of one or more sounds in time, without any recording."""

from __future__ import annotations

from glyphos.speech.reading import AudioInfo, Phone, Phrase, Reading, Word


def phones(start: float, sounds: str, step: float = 0.1) -> tuple[Phone, ...]:
    """Sounds written with spaces, one after another."""
    return tuple(
        Phone(s, round(start + k * step, 4), round(start + (k + 1) * step, 4))
        for k, s in enumerate(sounds.split())
    )


def word(text: str, start: float, sounds: str) -> Word:
    own = phones(start, sounds)
    return Word(text, own[0].start, own[-1].end, 0.9, own)


def phrase(text: str, *words: Word) -> Phrase:
    return Phrase(text, words[0].start, words[-1].end, words)


def reading() -> Reading:
    """“Bring me a map, Pip. (She turns.) Wake up.” with a pause before its second phrase."""
    first = phrase(
        "Bring me a map, Pip.", word("Bring", 0.5, "b ɹ ɪ ŋ"), word("me", 0.9, "m i"),
        word("a", 1.1, "ə"), word("map", 1.2, "m æ p"), word("Pip", 1.6, "p ɪ p"),
    )  # fmt: skip
    second = phrase("(She turns.) Wake up.", word("Wake", 2.4, "w eɪ k"), word("up", 2.7, "ʌ p"))
    return Reading("en", AudioInfo("line.wav", 3.4, 16_000), (first, second))
