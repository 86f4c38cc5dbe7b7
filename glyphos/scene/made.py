"""A scene in one step from lines: in their order, with natural gaps, speakers facing each other.

Gaps are counted between what is said, not between recordings. People answer each other after a fifth of
a second on average in all languages looked at (Stivers et al. 2009, PNAS 106, from memory); somebody who goes
on after their own sentence leaves a longer pause (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .documents import Clip, Lane, Place, Scene, Shot, check_length

ANSWER, AFTER_A_QUESTION, ON = 0.3, 0.2, 0.5  # seconds between what is said
BEGIN = 0.5  # seconds before the first sound
SEEN = 2.0  # seconds in which all are seen before the first is by themselves
SOONER = 0.15  # seconds that a speaker is seen before they begin
TURN = 35.0  # degrees that two who talk are turned to each other
APART = 0.8  # metres between neighbours


@dataclass(frozen=True)
class Spoken:
    """A line as a scene needs it. first, last: when something is said in it; asks: whether it is a question."""

    slug: str
    speaker: str
    duration: float
    first: float
    last: float
    asks: bool = False


def scene_of(lines: Sequence[Spoken], *, slug: str, name: str = "") -> Scene:
    """Lines one after the other, a lane for each speaker, a shot for each turn; who is there is seen first.
    DocumentError where they last longer than a scene may."""
    clips: dict[str, list[Clip]] = {}
    turns: list[Shot] = []
    before: Spoken | None = None
    said = 0.0  # when the last one stopped speaking
    ends: dict[str, float] = {}
    for line in lines:
        if before is None:
            start = BEGIN - line.first
        else:
            again = before.speaker == line.speaker
            start = (
                said + (ON if again else AFTER_A_QUESTION if before.asks else ANSWER) - line.first
            )
        start = max(start, ends.get(line.speaker, 0.0), 0.0)
        clips.setdefault(line.speaker, []).append(Clip(start, line.slug))
        ends[line.speaker] = start + line.duration
        if before is None and line.last - line.first > 1.5 * SEEN:
            turns.append(Shot(SEEN, "front", (line.speaker,)))
        elif before is not None and before.speaker != line.speaker:
            turns.append(Shot(max(0.0, start + line.first - SOONER), "front", (line.speaker,)))
        said, before = start + line.last, line
    together = [Shot(0.0, "front", tuple(clips))] if clips else []
    made = Scene(
        slug, name or slug, tuple(Lane(speaker, tuple(own)) for speaker, own in clips.items()),
        placed(tuple(clips)), tuple(together + (turns if len(clips) > 1 else [])),
    )  # fmt: skip
    check_length(made)
    return made


def placed(speakers: Sequence[str]) -> tuple[Place, ...]:
    """Speakers beside each other, turned to the middle: one, two facing, more in half a circle."""
    count = len(speakers)
    if count < 2:
        return tuple(Place(s) for s in speakers)
    made = []
    for k, speaker in enumerate(speakers):
        side = 2 * k / (count - 1) - 1  # from −1 on the left to 1 on the right
        back = APART * (count - 2) * 0.5 * (1 - abs(side)) if count > 2 else 0.0
        made.append(Place(speaker, side * APART * (count - 1) / 2, back, side * TURN))
    return tuple(made)
