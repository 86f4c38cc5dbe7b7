"""Every figure of the live mouth: python -m tools.live.measure FOLDER..., each as `material` says; voices pooled."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from glyphos.errors import GlyphosError
from glyphos.live.ear import AHEAD, CHANNELS, Known
from glyphos.live.hearing import Hearing
from glyphos.live.learning import learn_heard
from glyphos.live.speaker import known_from

from . import figures, material
from .figures import Array, Judged
from .material import Line

SHOWN = [CHANNELS.index(c) for c in figures.SHOWN]


def heard(line: Line, known: Known | None = None) -> tuple[Array, Array]:
    """When values came out, and the values (n, 3) of what is shown; a little silence is put behind. known: of the
    speaker."""
    x = np.concatenate([line.samples, np.zeros(4800, np.float32)])
    live = Hearing()
    live.know(known)
    made = [h.values[SHOWN] for k in range(0, len(x) - 159, 160) for h in live.push(x[k : k + 160])]
    return (np.arange(len(made)) + 1 + AHEAD) * 0.01, np.array(made)


def read(
    lines: Sequence[Line], seconds: float, *, written: bool = True
) -> tuple[dict[str, Known], list[Line]]:
    """What the first lines of each voice, of at least so many seconds, tell of it, and the lines that are left.

    written: by what they say; else by what is made out of it, and a voice that is hardly understood stays unknown.
    """
    voices: dict[str, list[Line]] = {}
    for line in lines:
        voices.setdefault(line.voice, []).append(line)
    known, left = dict[str, Known](), list[Line]()
    for voice, own in voices.items():
        first: list[Line] = []
        while own and sum(x.seconds for x in first) < seconds:
            first.append(own.pop(0))
        if first:
            made = material.joined(first, [0.3] * len(first), 1e-4)
            try:
                known[voice] = (
                    known_from(made.samples, made.phones)
                    if written
                    else learn_heard(made.samples, "en", "")
                )
            except GlyphosError as reason:
                print(f"{voice}: {reason}")
        left += own
    return known, left


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--noises", default=",".join(material.NOISES))
    parser.add_argument(
        "--calibrated",
        type=float,
        default=0.0,
        metavar="SECONDS",
        help="learn each voice from its first lines",
    )
    parser.add_argument(
        "--learnt",
        type=float,
        default=0.0,
        metavar="SECONDS",
        help="learn each voice from its first lines, without what they say",
    )
    parser.add_argument("--alone", action="store_true", help="each folder is one voice")
    options = parser.parse_args()
    every = [
        replace(x, name=f"{f.name}-{x.name.replace('-', '_')}") if options.alone else x
        for f in options.folders
        for x in material.load(f)
    ]
    known, lines = read(every, options.calibrated or options.learnt, written=not options.learnt)
    for kind in options.noises.split(","):
        voices: dict[str, list[Judged]] = {}
        for line in lines:
            made = material.noisy(line, kind, lines)
            voices.setdefault(line.voice, []).append(
                figures.judge(made, *heard(made, known.get(line.voice)))
            )
        print(f"\n{kind}\n{figures.HEAD}")
        for name, rows in voices.items():
            print(figures.row(name, figures.pool(rows)))
        print(
            figures.row("all", figures.pool([x for rows in voices.values() for x in rows])),
            flush=True,
        )


if __name__ == "__main__":
    main()
