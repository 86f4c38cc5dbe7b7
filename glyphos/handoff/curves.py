"""Curves for other programs: CSV (a row a frame) and JSON (`glyphos-motion`, version 1)."""

from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np

from ..characters.channels import face_channels
from ..errors import DocumentError, SaveError
from ..files import json_lines, write_atomic
from ..motion.curve import Motion
from ..rates import frame_rate
from .bvh import to_bvh

DIGITS = 5


def to_csv(motion: Motion) -> bytes:
    """`frame,seconds,<channel>,…`, a row a frame, a point for decimals."""
    lines = ["frame,seconds," + ",".join(motion.names)]
    seconds = np.arange(motion.frames) / float(motion.fps)
    for number, (time, row) in enumerate(zip(seconds, motion.values, strict=True)):
        cells = ",".join(f"{value:.{DIGITS}f}" for value in row + 0.0)
        lines.append(f"{number},{time:.6f},{cells}")
    return ("\n".join(lines) + "\n").encode()


def to_json(motion: Motion) -> bytes:
    """The motion with its frame rate and the range of every channel."""
    ranges = {n: [c.low, c.high] for n, c in face_channels().items()}
    document = {
        "format": "glyphos-motion",
        "version": 1,
        "fps": str(motion.fps) if motion.fps.denominator != 1 else int(motion.fps),
        "channels": {
            name: {
                "range": ranges[name],
                "values": [round(float(v), DIGITS) for v in motion.channel(name)],
            }
            for name in motion.names
        },
    }
    return json_lines(document)


def from_json(data: bytes) -> Motion:
    """Read what `to_json` wrote; DocumentError for anything else."""
    try:
        document = json.loads(data)
        if document["format"] != "glyphos-motion" or document["version"] != 1:
            raise ValueError("another format or version")
        names = tuple(document["channels"])
        columns = [document["channels"][name]["values"] for name in names]
        values = np.array(columns, np.float64).T
        fps: Fraction = frame_rate(document["fps"])
    except (ValueError, KeyError, TypeError) as error:
        raise DocumentError(f"This is not a motion of Glyphos: {error}.") from None
    values.setflags(write=False)
    return Motion(fps, names, values)


def save(motion: Motion, path: str | Path, *, still: bool = False) -> None:
    """Write CSV, JSON or, of the head, BVH by the ending of `path`; SaveError names these endings, or says that
    the head does not move, unless it may stand still."""
    path = Path(path)
    writers: dict[str, Callable[[Motion], bytes]] = {
        ".csv": to_csv,
        ".json": to_json,
        ".bvh": partial(to_bvh, still=still),
    }
    writer = writers.get(path.suffix.lower())
    if writer is None:
        raise SaveError(
            f"{path.name} should end in .csv, .json or .bvh, to say how curves are written."
        )
    write_atomic(path, writer(motion))
