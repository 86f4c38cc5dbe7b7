"""Dominance blending of gestures into curves.

After Cohen & Massaro (1993), Modeling coarticulation in synthetic visual speech: each sound pulls
on a channel with a dominance that decays before and after it, and the channel is the
dominance-weighted mean of the targets. Departures: the decay starts at the edges of a sound's
core rather than at its centre, so that long sounds are held, and a weak constant background pulls
to rest.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .channels import channels

Array = NDArray[np.float64]

BACKGROUND = 0.02  # dominance of rest, everywhere
SUPPORT = 3.2  # reaches after which a pull is nothing (the decay is exp(−τ^1.5))
FADED = float(np.exp(-(SUPPORT**1.5)))  # what is left there, taken off so that it ends smoothly


@dataclass(frozen=True)
class Events:
    """Gesture parts in time: core start and end (n,), targets and strengths (n, channels)."""

    start: Array
    end: Array
    target: Array
    strength: Array


def blend(events: Events, times: Array, *, smoothing: float = 0.0) -> Array:
    """Curves at evenly spaced `times` (frames,), shape (frames, channels).

    smoothing: seconds by which every reach is widened.
    """
    out = np.zeros((len(times), len(channels())))
    if len(times) == 0 or len(events.start) == 0:
        return out
    step = times[1] - times[0] if len(times) > 1 else 1.0
    for c, channel in enumerate(channels()):
        pulls = np.flatnonzero(events.strength[:, c] > 0)
        if len(pulls) == 0:
            continue
        before, after = channel.before + smoothing / 2, channel.after + smoothing / 2
        reach_out = SUPPORT * max(before, after)
        first = np.floor((events.start[pulls] - reach_out - times[0]) / step).astype(int)
        last = np.ceil((events.end[pulls] + reach_out - times[0]) / step).astype(int)
        first = np.minimum(np.maximum(first, 0), len(times))
        last = np.minimum(np.maximum(last, 0), len(times))
        lengths = np.maximum(0, last - first)
        owner = np.repeat(np.arange(len(pulls)), lengths)
        frame = np.arange(lengths.sum()) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        frame += first[owner]
        t = times[frame]
        early = (events.start[pulls][owner] - t) / before
        late = (t - events.end[pulls][owner]) / after
        distance = np.maximum(0.0, np.maximum(early, late))
        decay = np.maximum(0.0, np.exp(-(distance * np.sqrt(distance))) - FADED)
        pull = events.strength[pulls, c][owner] * decay
        target = events.target[pulls, c][owner]
        total = np.bincount(frame, pull, len(times))
        out[:, c] = np.bincount(frame, pull * target, len(times)) / (total + BACKGROUND)
    return out
