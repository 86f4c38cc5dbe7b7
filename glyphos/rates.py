"""Frame rates as exact fractions: 23.976 is 24000/1001."""

from __future__ import annotations

from fractions import Fraction

from .errors import GlyphosError

USUAL = ("12", "23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60")
KNOWN = {
    "23.976": Fraction(24000, 1001),
    "23.98": Fraction(24000, 1001),
    "29.97": Fraction(30000, 1001),
    "47.95": Fraction(48000, 1001),
    "59.94": Fraction(60000, 1001),
    "119.88": Fraction(120000, 1001),
}


def frame_rate(fps: Fraction | float | int | str) -> Fraction:
    """A frame rate as an exact fraction; 23.976, 29.97, 59.94 mean n·1000/1001.

    GlyphosError for what is no rate, or none from 1 to 1000.
    """
    text = str(fps).strip()
    try:
        rate = KNOWN.get(text) or Fraction(text)
    except (ValueError, ZeroDivisionError):
        raise GlyphosError(f"“{text}” is not a frame rate; give one such as 24 or 29.97.") from None
    if not 1 <= rate <= 1000:
        raise GlyphosError(f"{text} frames a second is out of bounds; give a rate from 1 to 1000.")
    return rate
