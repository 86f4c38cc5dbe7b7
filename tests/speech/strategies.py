"""Readings of any shape, for properties."""

from __future__ import annotations

from hypothesis import strategies as st

from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word

SOUNDS = "p b m f v t d n s z ʃ k ɡ ŋ l ɹ w j i ɪ ɛ æ ɑ ɔ u ə ɝ eɪ aɪ oʊ tʃ dʒ".split()
WORDS = ["map", "blue", "don't", "well-kept", "Pip", "été", "3", "x<y", "R&D", "o'clock", "a"]


@st.composite
def readings(draw: st.DrawFn, *, marks: bool = True) -> Reading:
    """Up to four phrases of up to five words of up to five sounds, pauses where they fall."""
    at = draw(st.integers(0, 5000))
    phrases = []
    for _ in range(draw(st.integers(1, 4))):
        words = []
        for _ in range(draw(st.integers(1, 5))):
            text = draw(st.sampled_from(WORDS))
            phones = []
            for _ in range(draw(st.integers(1, 5))):
                end = at + draw(st.integers(100, 2500))
                phones.append(
                    Phone(draw(st.sampled_from(SOUNDS)), at / 1e4, end / 1e4, draw(st.integers(0, 2)),
                          draw(st.integers(0, 1000)) / 1000, draw(st.booleans()))
                )  # fmt: skip
                at = end
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
