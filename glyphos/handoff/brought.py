"""What is made of files of others: a scene, and what of them it could not hold."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from ..production.documents import Line
from ..production.production import Production
from ..scene.documents import Clip, Scene


@dataclass
class Brought:
    """A scene that was brought in, and what was left out, in words."""

    scene: Scene
    said: list[str] = field(default_factory=list)


def by_file(production: Production) -> dict[str, Line]:
    """Lines by the whole name of their recording, and by its last part where only one has it."""
    whole = {str(production.audio_path(x).resolve()): x for x in production.lines}
    last: dict[str, list[Line]] = {}
    for x in production.lines:
        last.setdefault(Path(x.audio).name, []).append(x)
    return {name: own[0] for name, own in last.items() if len(own) == 1} | whole


def apart(clips: list[Clip]) -> list[list[Clip]]:
    """Clips of known lengths in as many lanes as it takes, so that no two of one lane are heard at once."""
    made: list[list[Clip]] = []
    for clip in sorted(clips, key=lambda c: c.start):
        for lane in made:
            if lane[-1].start + lane[-1].length <= clip.start + 1e-3:
                lane.append(clip)
                break
        else:
            made.append([clip])
    return made
