"""Reading labels that others made, and pairing them with sounds that we found."""

from __future__ import annotations

import difflib
from pathlib import Path

from glyphos.speech.phones import nearest
from glyphos.speech.reading import Reading

DATA = Path(__file__).parent / "data"
# Festival's names where they differ from the dictionary's alphabet (its US phone set).
ENGLISH = {"ax": "AH", "axr": "ER", "el": "L", "em": "M", "en": "N", "dx": "D", "hv": "HH"}
ITALIAN = {"E": "e", "O": "o", "tS": "tʃ", "dZ": "dʒ", "S": "ʃ", "J": "ɲ", "L": "ʎ", "g": "ɡ"}
FOLD = {"ɛ": "e", "ɔ": "o", "ʊ": "u", "ɪ": "i", "w": "u", "j": "i", "ŋ": "n", "ɾ": "r"}
# The hand labels of mary.wav, in the labeller's own letters, as the model's phones.
HAND = {"Ə": "AH", "I": "IY", "O": "OW", "Θ": "DH", "Œ": "EH", "PT": "P", "ERL": "ER"}


def synthesiser_labels(path: Path, language: str) -> list[tuple[float, str]]:
    """(start, label) pairs of a `.lab` file, pauses left out."""
    rows: list[tuple[float, str]] = []
    for line in path.read_text(encoding="utf-8").splitlines():
        start, name = line.split()
        if language == "en":
            name = name.rstrip("012")
            rows.append((float(start), ENGLISH.get(name, name.upper())))
            continue
        name = name.rstrip("1")
        name = ITALIAN.get(name, name)
        if not rows or rows[-1][1] != name or name in "aeiou":  # a double consonant is one sound
            rows.append((float(start), FOLD.get(name, name)))
    return [r for r in rows if r[1] not in ("PAU", "#")]


def found(reading: Reading, language: str) -> list[tuple[float, str]]:
    """(start, label) pairs of a reading in the same alphabet."""
    if language == "en":
        return [(p.start, "+".join(nearest(p.ipa))) for p in reading.phones()]
    plain = [(p.start, p.ipa.replace("ː", "")) for p in reading.phones()]
    return [(start, FOLD.get(name, name)) for start, name in plain]


def errors(ours: list[tuple[float, str]], theirs: list[tuple[float, str]]) -> list[float]:
    """Signed differences of starts (seconds) over the sounds that both have in order."""
    matcher = difflib.SequenceMatcher(None, [o[1] for o in ours], [t[1] for t in theirs], False)
    return [
        ours[a + k][0] - theirs[b + k][0]
        for a, b, size in matcher.get_matching_blocks()
        for k in range(size)
    ]
