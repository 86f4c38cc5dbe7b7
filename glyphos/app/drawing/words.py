"""How times, lengths and certainty are written, everywhere the same: what is seconds and what is
frames is said."""

from __future__ import annotations

from ...speech.reading import Word

PROOF_SIGNS = {"note": "·", "poor": "!", "bad": "✗"}  # of a finding, by its severity
PROOF_COLORS = {"note": "faint", "poor": "doubt", "bad": "playhead"}


def seconds_text(seconds: float, digits: int = 1) -> str:
    """`12.3 s`, and from a minute on `2:05.3 min`."""
    if round(seconds, digits) < 60:
        return f"{seconds:.{digits}f} s"
    minutes, rest = divmod(round(seconds, digits), 60)
    width = 3 + digits if digits else 2
    return f"{int(minutes)}:{rest:0{width}.{digits}f} min"


def frame_text(seconds: float, fps: float) -> str:
    """`frame 102`: the frame that is shown at a time."""
    return f"frame {int(seconds * fps + 1e-6)}"


def edge_text(seconds: float, fps: float) -> str:
    """Where an edge stands, exactly: `4.250 s, frame 102.0`."""
    return f"{seconds_text(seconds, 3)}, frame {seconds * fps:.1f}"


def ruler_text(seconds: float, fps: float, unit: str, *, named: bool) -> str:
    """A mark of a ruler; the first of a row names its unit."""
    if unit == "frames":
        return f"{'frame ' if named else ''}{round(seconds * fps)}"
    text = seconds_text(seconds)
    return text if named else text.rsplit(" ", 1)[0]


def sureness(word: Word) -> str:
    """How sure a word is, or who says so."""
    if word.confirmed:
        return "confirmed"
    return "placed by hand" if word.placed else f"{word.confidence:.0%} sure"


def counted(count: int, what: str) -> str:
    """`1 line`, `2 lines`."""
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def sentence(text: str) -> str:
    """With a capital letter, unless it begins with a name."""
    first = text.split(" ")[0]
    return text if any(not c.isalpha() for c in first.rstrip(":,")) else text[:1].upper() + text[1:]
