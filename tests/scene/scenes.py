"""Scenes, sounds and films for tests."""

from __future__ import annotations

from fractions import Fraction
from functools import cache

import numpy as np

from glyphos.handoff.filming import Filming, Look, scene_from
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.scene.documents import Clip, Lane, Scene
from glyphos.scene.mix import RATE, Sound
from glyphos.scene.movie import Film
from glyphos.scene.picture import Picture

TWO = ("03-pip-wind", "05-mabel-hush")


@cache
def demo() -> Production:
    return Production.open(copy_demo())


def filming(*slugs: str, scene: Scene | None = None, **look: object) -> Filming:
    lines = [demo().line(s) for s in slugs or TWO]
    return Filming(scene or scene_from(lines), demo(), Look(Fraction(24), **look))  # type: ignore[arg-type]


def lane(*clips: Clip, **more: object) -> Lane:
    return Lane("Mabel", clips, **more)  # type: ignore[arg-type]


def sine(hertz: float, seconds: float, level: float, phase: float = 0.0) -> Sound:
    """Both channels alike; level in dBFS of its peak."""
    t = np.arange(round(seconds * RATE)) / RATE
    one = 10 ** (level / 20) * np.sin(2 * np.pi * hertz * t + phase)
    return np.stack([one, one], 1).astype("f4")


def flashes(
    seconds: float, every: float, *, fps: int = 24, size: tuple[int, int] = (64, 64)
) -> Film:
    """A bright frame and a click together, again and again."""
    frames = round(seconds * fps)
    sound = np.zeros((round(seconds * RATE), 2), np.float32)
    bright = {round(t * fps) for t in np.arange(every / 2, seconds, every)}
    for k in bright:
        at = round(k * RATE / fps)
        sound[at : at + 96] = 0.9 * np.sign(np.sin(np.arange(96) * 0.4 + 0.2))[:, None]
    return Film(
        frames, Fraction(fps), size,
        lambda k: Picture((), size, "paper" if k in bright else "night"), sound,
    )  # fmt: skip
