"""One name for each thing that can be done to a stretch of a curve, for the shell and for scripts."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...errors import EditError
from ...speech.reading import Reading
from . import shaping
from .keys import Touch
from .several import instead, with_touch

USUAL = 1.0  # per cent of the range that fewer keys may be away


def done(
    touches: Sequence[Touch], curve: shaping.Curve, reading: Reading, what: str, start: float, end: float,
    by: float | None = None, *, about: str = "zero", to: str = "",
) -> tuple[tuple[Touch, ...], Touch]:  # fmt: skip
    """Touch-ups of a line with one more over start..end seconds of the recording, and that one.

    what: pull (in the middle), lift, scale, smooth, hold, ease, copy or fewer. by: what pull and lift add, scale
    multiplies, hold is; per cent of the range for fewer. to: the channel of copy, else the other side. EditError
    for what is none of these.
    """
    amount = by if by is not None else 0.0
    makers: dict[str, Callable[[], Touch]] = {
        "pull": lambda: shaping.pull(curve, reading, (start + end) / 2, amount, start, end),
        "lift": lambda: shaping.lift(curve, reading, amount, start, end),
        "scale": lambda: shaping.scale(
            curve, reading, amount, start, end, shaping.middle_of(curve, start, end, about)
        ),
        "smooth": lambda: shaping.smooth(curve, reading, start, end),
        "hold": lambda: shaping.hold(curve, reading, amount, start, end),
        "ease": lambda: shaping.ease(curve, reading, start, end),
        "copy": lambda: shaping.copied(
            curve, reading, to or shaping.other_side(curve.channel), start, end
        ),
        "fewer": lambda: shaping.fewer(
            curve, reading, start, end, (by if by is not None else USUAL) / 100
        ),
    }
    if what not in makers:
        raise EditError(
            f"“{what}” is nothing that is done to a curve; there are {', '.join(makers)}."
        )
    made = makers[what]()
    if what in ("copy", "fewer"):
        return instead(touches, made, reading, start, end), made
    return with_touch(touches, made), made
