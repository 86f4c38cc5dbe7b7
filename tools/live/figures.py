"""What a live mouth is worth against the offline curves of the same recording."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .material import LEAD, Line

Array = NDArray[np.float64]
SHIFTS = np.arange(-0.10, 0.3001, 0.005)
SHUT, NEAR, REST = 0.05, 0.060, 0.05
SHOWN = ("lips_part", "jaw_open", "lips_round")


@dataclass
class Judged:
    """r: best correlations of SHOWN; counts: closures true and found, runs of shut lips shown, false, strictly
    false; rests: seconds from the end of sound to rest; busy: frames not at rest in long pauses, and frames there."""

    seconds: float
    r: Array
    shift: float
    counts: NDArray[np.intp]
    rests: list[float]
    busy: NDArray[np.intp]


def judge(line: Line, stamps: Array, values: Array) -> Judged:
    """stamps (n,): when each row of values (n, 3), of SHOWN, came out; seconds from the start of the sound."""
    t = np.arange(int(line.seconds * 60)) / 60  # what a face at 60 fps shows
    k = np.searchsorted(stamps, t, side="right") - 1
    shown = np.where(k[:, None] >= 0, values[np.maximum(k, 0)], 0.0)
    best = [correlation(t, shown[:, c], line, name) for c, name in enumerate(SHOWN)]
    part, jaw = shown[:, 0], shown[:, 1]
    moves = np.maximum(part, jaw) > REST
    rests, busy = [], np.zeros(2, np.intp)
    for a, b in line.gaps(0.45):
        if a >= 0.05:
            late = np.flatnonzero(moves & (t >= a) & (t <= min(b - 0.02, line.seconds)))
            rests.append(float(t[late[-1]] - a + 1 / 60) if len(late) else 0.0)
        inside = (t >= a + 0.3) & (t <= b - 0.02)
        if b - a >= 0.6:
            busy += (int(moves[inside].sum()), int(inside.sum()))
    shift = best[0][1]
    return Judged(
        line.seconds,
        np.array([r for r, _ in best]),
        shift,
        closures(t, part, line, shift),
        rests,
        busy,
    )


def correlation(t: Array, live: Array, line: Line, channel: str) -> tuple[float, float]:
    """The best correlation, and by how many seconds the live curve is later; NaN where the channel stands."""
    found = (-1.0, 0.0)
    if live.std() < 1e-6:
        return 0.0, 0.0
    for s in SHIFTS:
        true = np.interp(t - s, line.times, line.curves[channel], left=0, right=0)
        if true.std() < 1e-6:
            return float("nan"), 0.0
        found = max(found, (float(np.corrcoef(true, live)[0, 1]), float(s)))
    return found


def closures(t: Array, part: Array, line: Line, shift: float) -> NDArray[np.intp]:
    """True, found, shown, false, strictly false. A run of shut lips in speech is false where no p, b or m is within
    60 ms of it, and strictly so unless lips are shut offline or a gap of 100 ms is there."""
    true = line.closures() - LEAD + shift
    shut = part < SHUT
    found = sum(bool(shut[np.abs(t - m) <= NEAR].any()) for m in true)

    def around(least: float) -> list[tuple[float, float]]:
        return [(a - LEAD + shift - 0.05, b - LEAD + shift + 0.05) for a, b in line.gaps(least)]

    offline = np.interp(t - shift, line.times, line.curves["lips_part"], left=0, right=0) < SHUT
    shown = false = strict = 0
    short, long = around(0.10), around(0.30)
    for i, j in runs(shut):
        a, b = float(t[i]), float(t[j - 1])
        if any(a < y and b > x for x, y in long):
            continue
        shown += 1
        if len(true) and (np.abs(np.clip(true, a, b) - true) <= NEAR).any():
            continue
        strict += 1
        false += not (
            any(a < y and b > x for x, y in short)
            or offline[(t >= a - NEAR) & (t <= b + NEAR)].any()
        )
    return np.array([len(true), found, shown, false, strict], np.intp)


def runs(mask: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    edge = np.flatnonzero(np.diff(np.r_[False, mask, False].astype(int)))
    return zip(edge[::2].tolist(), edge[1::2].tolist(), strict=True)


def pool(rows: Sequence[Judged]) -> Judged:
    """Correlations weighted by length; counts added."""
    w = np.array([x.seconds for x in rows])
    r = np.array([x.r for x in rows])
    mean = np.nansum(r * w[:, None], 0) / (np.isfinite(r) * w[:, None]).sum(0)
    shift = float((w * [x.shift for x in rows]).sum() / w.sum())
    return Judged(float(w.sum()), mean, shift, np.sum([x.counts for x in rows], 0),
                  [s for x in rows for s in x.rests], np.sum([x.busy for x in rows], 0))  # fmt: skip


HEAD = f"{'':24}" + " ".join(f"{x:>7}" for x in ("s", "part", "jaw", "round", "shift", "true", "found", "false", "strict", "rest", "95 %", "busy"))  # fmt: skip


def row(name: str, x: Judged) -> str:
    n, found, shown, false, strict = x.counts.tolist()
    q = 1000 * np.array(x.rests or [np.nan])
    cells = [f"{x.seconds:.0f}", *(f"{r:.2f}" for r in x.r), f"{1000 * x.shift:.0f}", f"{n}",
             f"{100 * found / max(n, 1):.0f} %", f"{100 * false / max(shown, 1):.0f} %",
             f"{100 * strict / max(shown, 1):.0f} %", f"{np.median(q):.0f}", f"{np.percentile(q, 95):.0f}",
             f"{100 * x.busy[0] / max(x.busy[1], 1):.0f} %"]  # fmt: skip
    return f"{name[:23]:24}" + " ".join(f"{c:>7}" for c in cells)
