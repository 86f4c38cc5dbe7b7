"""Poses to look at a face in: sounds, expressions, lids and gaze."""

from __future__ import annotations

from collections.abc import Mapping

Pose = Mapping[str, float]


def _pose(text: str) -> Pose:
    """`jaw_open=.4 blink*=1`: a star stands for both sides."""
    made: dict[str, float] = {}
    for part in text.split():
        name, value = part.split("=")
        stem = name.rstrip("*")
        for one in (f"{stem}_left", f"{stem}_right") if stem != name else (name,):
            made[one] = float(value)
    return made


SOUNDS: dict[str, Pose] = {
    k: _pose(v)
    for k, v in {
        "m": "lips_press=.7 jaw_open=.06",
        "ɑ": "jaw_open=.72 lips_part=.75",
        "i": "jaw_open=.10 lips_part=.48 lips_wide=.75 upper_lip_raise=.30 tongue_front=.8 tongue_high=.8",
        "u": "jaw_open=.12 lips_part=.26 lips_round=1 tongue_front=-.8 tongue_high=.5",
        "o": "jaw_open=.40 lips_part=.55 lips_round=.75 tongue_front=-.6",
        "f": "jaw_open=.08 lips_part=.12 lip_to_teeth=1",
        "ʃ": "jaw_open=.08 lips_part=.50 lips_round=.60 upper_lip_raise=.20 lower_lip_lower=.30 tongue_high=.5",
        "θ": "jaw_open=.20 lips_part=.45 lips_wide=.15 tongue_between_teeth=1",
        "l": "jaw_open=.38 lips_part=.62 lips_wide=.15 tongue_tip=1",
        "s": "jaw_open=.08 lips_part=.36 lips_wide=.35 upper_lip_raise=.15",
    }.items()
}
EXPRESSIONS: dict[str, Pose] = {
    k: _pose(v)
    for k, v in {
        "smile": "lip_corner_up*=1 cheek_raise*=.6",
        "grin": "lip_corner_up*=1 cheek_raise*=.8 lid_tighten*=.3 lips_part=.5 upper_lip_raise=.45 jaw_open=.15",
        "blink": "blink*=1",
        "half blink": "blink*=.5",
        "surprise": "brow_inner_raise=1 brow_outer_raise*=1 lid_raise*=1 jaw_open=.42 lips_part=.6 lips_round=.55",
        "anger": "brow_lower*=1 lid_tighten*=.6 lip_corner_down*=.5 lips_press=.5 lip_tighten=.6 nose_wrinkle=.6",
        "sad": "brow_inner_raise=1 lip_corner_down*=1 chin_raise=.7 gaze_pitch=-12 blink*=.15",
        "disgust": "nose_wrinkle=1 upper_lip_raise=.6 lips_part=.3 lip_corner_down*=.5 lid_tighten*=.8 brow_lower*=.5",
        "fear": "brow_inner_raise=1 brow_lower*=.5 lid_raise*=1 lip_stretch=1 lips_part=.35 jaw_open=.2",
        "doubt": "brow_outer_raise_left=1 brow_lower_right=.8 dimple_right=1 lip_corner_up_right=.3 lid_tighten_right=.5 head_roll=8 gaze_yaw=12",
        "wink": "blink_left=1 cheek_raise_left=1 lip_corner_up_left=.8 gaze_yaw=-8",
        "look down": "gaze_pitch=-22",
        "look up": "gaze_pitch=20 gaze_yaw=20",
        "turn": "head_yaw=28 head_pitch=8 gaze_yaw=-20",
        "sealed jaw": "jaw_open=.6 lips_part=0",
        "puff": "cheeks_puff=1 lips_press=.4",
        "thrust": "jaw_forward=1 jaw_side=.7 chin_raise=.3",
    }.items()
}
REST: Pose = {}
POSES: dict[str, Pose] = {"rest": REST, **SOUNDS, **EXPRESSIONS}
