"""Figures of movies: how many frames a second are written, picture against sound in what is decoded."""

from __future__ import annotations

import tempfile
import time
from dataclasses import astuple
from fractions import Fraction
from pathlib import Path

import numpy as np

from glyphos.scene.mix import RATE
from glyphos.scene.movie import Film, write_film
from glyphos.scene.picture import Picture
from glyphos.stage.messages import Ask
from glyphos.stage.views import VIEWS
from tests.scene.scenes import flashes
from tests.scene.test_movie import decoded

SIZE = (1280, 720)


def head(frame: int) -> Picture:
    """One head that speaks and looks about."""
    values = {"jaw_open": 0.3 + 0.3 * np.sin(frame / 3), "head_yaw": 3 * np.sin(frame / 9)}
    return Picture((Ask("mabel", astuple(VIEWS["front"]), values=values),), SIZE)


def movie() -> None:
    with tempfile.TemporaryDirectory() as folder:
        film = Film(300, Fraction(24), SIZE, head, np.zeros((300 * RATE // 24, 2), np.float32))
        began = time.perf_counter()
        write_film(film, Path(folder) / "head.mp4")
        spent = time.perf_counter() - began
        print(
            f"movie 1280x720 of one head: {300 / spent:.1f} frames a second, its processes begun on the way"
        )
        for ending in (".mp4", ".webm"):
            film, path = flashes(600.0, 7.3), Path(folder) / f"ten{ending}"
            write_film(film, path)
            bright, sound, times = decoded(path)
            away = []
            for k in np.flatnonzero(bright > 100):
                begin = max(0.0, times[k] - 0.3)
                near = np.abs(sound[int(begin * RATE) : int((begin + 0.6) * RATE)])
                away.append(begin + np.flatnonzero(near > 0.4 * near.max())[0] / RATE - times[k])
            ms = 1000 * np.array(away)
            print(f"ten minutes as {ending}: {len(bright)} of {film.frames} frames; sound against picture {ms[0]:.2f} ms at the start, "
                  f"{ms[len(ms) // 2]:.2f} in the middle, {ms[-1]:.2f} at the end, {np.abs(ms).max():.2f} at worst (half a frame: 20.8)")  # fmt: skip
