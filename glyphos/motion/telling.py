"""What every sound of a line looks like at its most telling moment: pose and kind of gesture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..speech.reading import Phone
from .curve import Motion
from .gestures import closes_lips
from .spline import between

Array = NDArray[np.float64]
SHOWS = {
    "rest": "closed", "pressed": "closed", "teeth on lip": "teeth", "small round": "round",
    "round": "round", "pushed teeth": "round", "curled": "round", "spread": "spread", "open": "open",
}  # fmt: skip
SEEN_CLOSED = 0.03


def telling_rows(motion: Motion, phones: Sequence[Phone], lead: float) -> Array:
    """Channel values, shape (phones, channels): the closure of a sound that closes, else the
    middle of the sound; `lead` seconds is how much the mouth comes before the sound."""
    fps = float(motion.fps)
    top = motion.frames - 1
    start = np.array([p.start for p in phones]) - lead
    end = np.array([p.end for p in phones]) - lead
    position = between((start + end) / 2 * fps, 0, top)
    low = position.astype(int)
    high = np.minimum(low + 1, top)
    share = (position - low)[:, None]
    rows = motion.values[low] * (1 - share) + motion.values[high] * share
    gap = motion.channel("lips_part")
    for k in (k for k, phone in enumerate(phones) if closes_lips(phone.ipa)):
        a, b = round(start[k] * fps), round(end[k] * fps)
        if 0 <= a <= b <= top:
            at = a + int(gap[a : b + 1].argmin())
            if gap[at] <= SEEN_CLOSED:
                rows[k] = motion.values[at]
    return np.asarray(rows)


def kinds_of(shapes: Sequence[str]) -> list[str]:
    """The kind of gesture of each shape that is seen (`characters.drawn.glyphs.KINDS`)."""
    return [SHOWS.get(shape, "narrow") for shape in shapes]
