"""How loud a sound is as a whole, after ITU-R BS.1770 and EBU R 128, by the measure of FFmpeg's libraries."""

from __future__ import annotations

import contextlib
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

SHORTEST = 0.4  # seconds: one block of the measure
SILENT = -70.0  # LUFS: blocks under it do not count
SAID = "lavfi.r128.I"
LAYOUTS = ("mono", "stereo", "3.0", "4.0", "5.0")


def integrated_loudness(samples: NDArray[np.floating], rate: int) -> float:
    """Loudness of samples (n, channels), of which the first five count, in LUFS; −inf for silence or less than 0.4 s."""
    import av

    used = np.ascontiguousarray(samples[:, : len(LAYOUTS)], np.float32)
    if len(used) < SHORTEST * rate or not np.any(used):
        return -np.inf
    layout = LAYOUTS[used.shape[1] - 1]
    graph = av.filter.Graph()
    graph.link_nodes(
        graph.add_abuffer(
            sample_rate=rate, format="flt", layout=layout, time_base=Fraction(1, rate)
        ),
        graph.add("ebur128", "metadata=1"),
        graph.add("abuffersink"),
    ).configure()
    found = SILENT
    for first in range(0, len(used) + 1, rate):  # what comes last says that there is no more
        part = used[first : first + rate]
        if len(part):
            frame = av.AudioFrame.from_ndarray(part.reshape(1, -1), format="flt", layout=layout)
            frame.sample_rate, frame.pts = rate, first
            graph.push(frame)
        if first + rate > len(used):
            graph.push(None)
        with contextlib.suppress(av.BlockingIOError, av.EOFError):
            while True:
                found = float(graph.pull().metadata.get(SAID, found))
    return found if found > SILENT else -np.inf
