"""Every figure of the live mouth: python -m tools.live.measure FOLDER..., each as `material` says; voices pooled."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from glyphos.live.ear import CHANNELS
from glyphos.live.front import AHEAD
from glyphos.live.hearing import Hearing

from . import figures, material
from .figures import Array, Judged
from .material import Line

SHOWN = [CHANNELS.index(c) for c in figures.SHOWN]


def heard(line: Line) -> tuple[Array, Array]:
    """When values came out, and the values (n, 3) of what is shown; a little silence is put behind."""
    x = np.concatenate([line.samples, np.zeros(4800, np.float32)])
    live = Hearing()
    made = [h.values[SHOWN] for k in range(0, len(x) - 159, 160) for h in live.push(x[k : k + 160])]
    return (np.arange(len(made)) + 1 + AHEAD) * 0.01, np.array(made)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--noises", default=",".join(material.NOISES))
    options = parser.parse_args()
    lines = [x for f in options.folders for x in material.load(f)]
    for kind in options.noises.split(","):
        voices: dict[str, list[Judged]] = {}
        for line in lines:
            made = material.noisy(line, kind, lines)
            voices.setdefault(line.voice, []).append(figures.judge(made, *heard(made)))
        print(f"\n{kind}\n{figures.HEAD}")
        for name, rows in voices.items():
            print(figures.row(name, figures.pool(rows)))
        print(
            figures.row("all", figures.pool([x for rows in voices.values() for x in rows])),
            flush=True,
        )


if __name__ == "__main__":
    main()
