"""Readings of any shape, for properties."""

from __future__ import annotations

from hypothesis import strategies as st

from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word

SOUNDS = "p b m f v t d n s z ʃ k ɡ ŋ l ɹ w j i ɪ ɛ æ ɑ ɔ u ə ɝ eɪ aɪ oʊ tʃ dʒ".split()
WORDS = ["map", "blue", "don't", "well-kept", "Pip", "été", "3", "x<y", "R&D", "o'clock", "a"]

DRAWN = 6  # bytes of a sound, drawn at once: each draw takes as long as moving it


def sound(at: int, drawn: bytes) -> Phone:
    """A sound that begins at `at` (0.1 ms) and takes 10 to 250 ms; of eight some one is as short as may be."""
    which, length, sure = drawn[0], int.from_bytes(drawn[1:3]), int.from_bytes(drawn[3:5])
    end = at + 100 + (length % 2401 if length % 8 else 0)
    stress, pinned = drawn[5] % 3, drawn[5] % 2 == 1
    return Phone(SOUNDS[which % len(SOUNDS)], at / 1e4, end / 1e4, stress, sure % 1001 / 1000, pinned)  # fmt: skip


@st.composite
def readings(draw: st.DrawFn, *, marks: bool = True) -> Reading:
    """Up to four phrases of up to five words of up to five sounds, pauses where they fall."""
    at = draw(st.integers(0, 5000))
    phrases = []
    for _ in range(draw(st.integers(1, 4))):
        words = []
        for _ in range(draw(st.integers(1, 5))):
            text = draw(st.sampled_from(WORDS))
            phones: list[Phone] = []
            size = DRAWN * draw(st.integers(1, 5))
            drawn = draw(st.binary(min_size=size, max_size=size))
            for k in range(0, size, DRAWN):
                phones.append(sound(at, drawn[k : k + DRAWN]))
                at = round(phones[-1].end * 1e4)
            words.append(Word(text, phones[0].start, phones[-1].end, 0.9, tuple(phones)))
            at += draw(st.sampled_from([0, 0, 700, 3100]))
        text = " ".join(w.text for w in words) + draw(
            st.sampled_from(["", ".", "!", " (she nods)"])
        )
        phrases.append(Phrase(text, words[0].start, words[-1].end, tuple(words)))
    duration = (at + 2000) / 1e4
    kept: tuple[Mark, ...] = ()
    if marks and draw(st.booleans()):
        kept = (Mark("breath", duration - 0.15, duration - 0.05),)
    return Reading("en", AudioInfo("line.wav", duration, 16_000), tuple(phrases), kept)
