"""What every sound of a line looks like at its most telling moment: pose and kind of gesture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ....motion.curve import Motion
from ....motion.gestures import closes_lips
from ....speech.reading import Phone

Array = NDArray[np.float64]
KINDS = ("closed", "teeth", "round", "spread", "open", "narrow")
SEEN_CLOSED = 0.03


def telling_rows(motion: Motion, phones: Sequence[Phone], lead: float) -> Array:
    """Channel values, shape (phones, channels): the closure of a sound that closes, else the
    middle of the sound; `lead` seconds is how much the mouth comes before the sound."""
    fps = float(motion.fps)
    top = motion.frames - 1
    start = np.array([p.start for p in phones]) - lead
    end = np.array([p.end for p in phones]) - lead
    position = np.clip((start + end) / 2 * fps, 0, top)
    low = position.astype(int)
    high = np.minimum(low + 1, top)
    share = (position - low)[:, None]
    rows = motion.values[low] * (1 - share) + motion.values[high] * share
    gap = motion.channel("lips_part")
    for k, phone in enumerate(phones):
        a, b = round(start[k] * fps), round(end[k] * fps)
        if closes_lips(phone.ipa) and 0 <= a <= b <= top:
            at = a + int(gap[a : b + 1].argmin())
            if gap[at] <= SEEN_CLOSED:
                rows[k] = motion.values[at]
    return np.asarray(rows)


def kinds_of(motion: Motion, rows: Array) -> list[str]:
    """What each row looks like most: closed, teeth, round, spread, open or narrow."""
    column = {name: rows[:, i] for i, name in enumerate(motion.names)}
    part = column["lips_part"]
    tests = (
        column["lip_to_teeth"] > 0.55, part <= 0.05, column["lips_round"] > 0.42, part > 0.46,
        column["lips_wide"] > 0.33,
    )  # fmt: skip
    order = np.array(["teeth", "closed", "round", "open", "spread"])
    found = np.select(tests, list(range(5)), default=5)
    return [str(order[k]) if k < 5 else "narrow" for k in found]
