"""The head of a BVH clip as a layer: whatever the skeleton, where its head points through the frames."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from ..errors import DocumentError
from ..motion.layers import Layer
from .channels import face_channels

if TYPE_CHECKING:
    from scipy.spatial.transform import Rotation

MOST_FRAMES, MOST_JOINTS = 2_000_000, 1000


@dataclass
class _Joint:
    name: str
    parent: int
    channels: list[str] = field(default_factory=list)
    first: int = 0


@dataclass(frozen=True)
class Body:
    """A recorded motion of a skeleton: times (n,), and by each joint's name its own turns (n) against the
    first frame, about the axes of the world as they lie there."""

    times: np.ndarray
    turns: dict[str, Rotation]


def read_body(data: bytes, name: str) -> Body:
    """All joints of a clip. DocumentError, one sentence, for what is no BVH."""
    joints, values, step = _clip(data, name)
    made = {}
    for k, joint in enumerate(joints):
        above = joint.parent
        own = _turns(joints, k, values)
        local = own if above < 0 else _turns(joints, above, values).inv() * own
        first = own[0]
        made[joint.name] = first * (local[0].inv() * local) * first.inv()
    return Body(np.arange(len(values)) * step, made)


def read_bvh(data: bytes, name: str) -> tuple[Layer, list[str]]:
    """Turns of the head against its first frame, and which joint was taken for it. DocumentError, one
    sentence, for what is no BVH."""
    joints, values, step = _clip(data, name)
    head = next((k for k, j in enumerate(joints) if "head" in j.name.lower()), 0)
    turns = _turns(joints, head, values)
    angles = (turns[0].inv() * turns).as_euler("YXZ", degrees=True)
    known = face_channels()
    curves = {
        n: np.clip(sign * angles[:, k], known[n].low, known[n].high)
        for n, k, sign in (("head_yaw", 0, -1), ("head_pitch", 1, -1), ("head_roll", 2, 1))
    }
    times = np.asarray(np.arange(len(values)) * step, np.float64)
    return Layer(times, curves, replaces=True), [
        f"the joint “{joints[head].name}” is taken for the head"
    ]


def _clip(data: bytes, name: str) -> tuple[list[_Joint], np.ndarray, float]:
    """The skeleton, values of its channels (frames, channels), and seconds of a frame."""
    text = data.decode("utf-8", "replace")
    joints, rest = _joints(text, name)
    found = re.match(r"\s*Frames:\s*(\d+)\s+Frame Time:\s*([0-9.eE+-]+)\s*([\s\S]*)", rest)
    if found is None:
        raise DocumentError(f"{name} has no motion behind its skeleton; export it again.")
    width = sum(len(j.channels) for j in joints)
    try:
        frames, step = int(found[1]), float(found[2])
        values = np.array(found[3].split(), float)
    except ValueError:
        raise DocumentError(f"The motion of {name} holds something that is no number.") from None
    if (
        not 0 < frames <= MOST_FRAMES
        or not 0 < step < 100
        or len(values) != frames * width
        or not np.isfinite(values).all()
    ):
        raise DocumentError(f"The motion of {name} does not have {frames} rows of {width} numbers.")
    return joints, values.reshape(frames, width), step


def _joints(text: str, name: str) -> tuple[list[_Joint], str]:
    """The skeleton, and what comes behind the word MOTION."""
    skeleton, found, rest = text.partition("MOTION")
    words = re.findall(r"\{|\}|[^\s{}]+", skeleton)
    if not found or not words or words[0] != "HIERARCHY":
        raise DocumentError(
            f"{name} is no whole BVH file; it should begin with HIERARCHY and go on with MOTION."
        )
    joints: list[_Joint] = []
    above: list[int] = []
    width, k, pending = 0, 1, -1
    while k < len(words):
        word = words[k]
        if word in ("ROOT", "JOINT") and k + 1 < len(words):
            if len(joints) >= MOST_JOINTS:
                raise DocumentError(f"{name} has more than {MOST_JOINTS} joints.")
            joints.append(_Joint(words[k + 1], above[-1] if above else -1))
            pending, k = len(joints) - 1, k + 1
        elif word == "End":
            pending, k = -1, k + 1
        elif word == "{":
            above.append(pending)
        elif word == "}":
            if not above:
                raise DocumentError(f"The brackets of {name} do not match.")
            above.pop()
        elif (
            word == "CHANNELS"
            and k + 1 < len(words)
            and words[k + 1].isdigit()
            and above
            and above[-1] >= 0
        ):
            count = int(words[k + 1])
            joint = joints[above[-1]]
            joint.channels, joint.first = words[k + 2 : k + 2 + count], width
            width, k = width + count, k + 1 + count
        k += 1
    if not joints or above:
        raise DocumentError(f"The brackets of {name} do not match, or it has no joints.")
    return joints, rest


def _turns(joints: list[_Joint], joint: int, values: np.ndarray) -> Rotation:
    """Turns of a joint in the world, its parents' first."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    chain = []
    while joint >= 0:
        chain.append(joints[joint])
        joint = joints[joint].parent
    made = Rotation.identity(len(values))
    for one in reversed(chain):
        for k, channel in enumerate(one.channels):
            axis = channel[:1].upper()
            if channel[1:].lower() == "rotation" and axis in "XYZ":
                made = made * Rotation.from_euler(
                    axis, values[:, one.first + k : one.first + k + 1], degrees=True
                )
    return made
