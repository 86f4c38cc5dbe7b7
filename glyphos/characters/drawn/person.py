"""A person that is drawn in three layers, so that what a mouth does not touch can be kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from .mouth import Mouth, MouthLook
from .pen import Drawing, Look, Pen
from .pose import TURNS, Pose

MOUTH_CHANNELS = (
    "jaw_open", "lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth",
    "upper_lip_raise", "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high",
)  # fmt: skip
STEPS = {"head_yaw": 0.2, "head_pitch": 0.2, "head_roll": 0.1, "gaze_yaw": 0.5, "gaze_pitch": 0.5}
LAYERS = ("back", "face", "front")


def seen(values: Mapping[str, float]) -> dict[str, float]:
    """The same values, with turns (degrees) in steps that move nothing by more than half a pixel where the whole is
    500 pixels high: a head that sways and eyes that rest hardly ever stand still, and yet look as they did."""
    return {
        name: round(value / step) * step if (step := STEPS.get(name)) else value
        for name, value in values.items()
    }


@dataclass(frozen=True)
class Person:
    """A name, its looks, and how its layers are drawn: `back` follows the turns of the head alone,
    `face` all channels, `front` all but those of the mouth."""

    name: str
    look: Look
    mouth: MouthLook
    back: Callable[[Pen, Pose], None]
    face: Callable[[Pen, Pose, Mouth], None]
    front: Callable[[Pen, Pose], None]
    pivot: tuple[float, float]
    ball: tuple[float, float] = (105.0, 150.0)
    middle: float = 230.0
    depth: float = 58.0
    moved: tuple[float, float, float] = (0.0, 0.0, 1.0)

    def draw(self, layer: str, values: Mapping[str, float]) -> Drawing:
        """One layer for channel values; absent ones are 0."""
        pose = Pose(values)
        pen = Pen(pose, self.pivot, self.look, ball=self.ball, middle=self.middle,
                  depth=self.depth, moved=self.moved)  # fmt: skip
        if layer == "back":
            self.back(pen, pose)
        elif layer == "face":
            self.face(pen, pose, Mouth(self.mouth, pose))
        else:
            self.front(pen, pose)
        return pen.drawing()

    def follows(self, layer: str, values: Mapping[str, float]) -> tuple[tuple[str, float], ...]:
        """The values that a layer is drawn from: the same ones, the same layer."""
        if layer == "back":
            return tuple((name, values.get(name, 0.0)) for name in TURNS)
        kept = values if layer == "face" else [n for n in values if n not in MOUTH_CHANNELS]
        return tuple(sorted((name, values[name]) for name in kept))
