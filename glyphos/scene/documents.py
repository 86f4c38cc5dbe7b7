"""What a scene keeps: lanes of clips, who stands where, shots, a beat; immutable, as all documents are."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import PurePosixPath
from typing import Literal

import msgspec

from ..errors import DocumentError
from ..stage.views import VIEWS

LONGEST = 6 * 3600.0  # seconds of a scene
LOUDEST = 24.0  # dB of a gain, up or down to −90
BACKGROUNDS = ("paper", "night", "none")


class Clip(msgspec.Struct, frozen=True):
    """A line (its slug), or a sound file relative to the production. start: when it begins in the scene;
    cut: seconds left out at its beginning; length: seconds kept, 0 for all there is; gain: dB; fades: seconds."""

    start: float = 0.0
    line: str = ""
    audio: str = ""
    cut: float = 0.0
    length: float = 0.0
    gain: float = 0.0
    fade_in: float = 0.0
    fade_out: float = 0.0

    def lasts(self, whole: float) -> float:
        """Seconds that are heard, of a sound of so many."""
        left = max(0.0, whole - self.cut)
        return min(self.length, left) if self.length else left


class Move(msgspec.Struct, frozen=True):
    """A recorded motion of head and body (BVH), relative to the production, laid on a speaker. cut, length:
    seconds of it, 0 for all there is; loop: again and again until the next, or the end; share: of it, 0 to 1;
    instead: in place of how the head would move by itself, not added to it."""

    file: str
    start: float = 0.0
    cut: float = 0.0
    length: float = 0.0
    loop: bool = False
    share: float = 1.0
    instead: bool = True


class Lane(msgspec.Struct, frozen=True):
    """Clips of one speaker, or of other sound. Of one lane no two are heard at once."""

    name: str
    clips: tuple[Clip, ...] = ()
    speaks: bool = True
    gain: float = 0.0
    mute: bool = False
    solo: bool = False
    lock: bool = False
    moves: tuple[Move, ...] = ()


class Place(msgspec.Struct, frozen=True):
    """Where a speaker stands: metres to the right and to the back, seen from the front; degrees turned to
    the speaker's own right, as a head's yaw; and whom they look at."""

    speaker: str
    right: float = 0.0
    back: float = 0.0
    turn: float = 0.0
    looks: Literal["speaker", "camera", "ahead"] = "speaker"


class Shot(msgspec.Struct, frozen=True):
    """What is seen from a time on until the next shot: a view of speakers; empty for who speaks. camera: in
    place of the view's own (`stage.views.Camera`'s numbers), or nothing; move: seconds in which the camera
    goes over from the shot before, if that is of the same speakers; 0 for a cut."""

    start: float = 0.0
    view: str = "front"
    of: tuple[str, ...] = ()
    camera: tuple[float, ...] = ()
    move: float = 0.0


class Tempo(msgspec.Struct, frozen=True):
    """A grid of beats: how many a minute (0 for none), and when the first is."""

    beats: float = 0.0
    first: float = 0.0


class Scene(msgspec.Struct, frozen=True):
    """Lines of several characters and beds of other sound, placed in time. tail: seconds shown after the
    last sound."""

    slug: str
    name: str = ""
    lanes: tuple[Lane, ...] = ()
    places: tuple[Place, ...] = ()
    shots: tuple[Shot, ...] = ()
    tempo: Tempo = Tempo()
    tail: float = 0.5
    background: str = "paper"
    format: Literal["glyphos-scene"] = "glyphos-scene"
    version: Literal[1] = 1

    @property
    def speakers(self) -> tuple[str, ...]:
        """Who speaks in it, in the order of the lanes."""
        return tuple(dict.fromkeys(lane.name for lane in self.lanes if lane.speaks))

    def place(self, speaker: str) -> Place:
        """Where somebody stands; in the middle if nothing is said."""
        return next((p for p in self.places if p.speaker == speaker), Place(speaker))

    def shot_at(self, seconds: float) -> Shot:
        """What is seen at a time; something always is."""
        before = [s for s in self.shots if s.start <= seconds + 1e-9]
        return max(before, key=lambda s: s.start) if before else Shot()

    def shot_before(self, shot: Shot) -> Shot | None:
        """The shot that another comes after."""
        before = [s for s in self.shots if s.start < shot.start]
        return max(before, key=lambda s: s.start) if before else None

    def heard(self) -> tuple[Lane, ...]:
        """Lanes that sound: those that are solo if any is, never a mute one."""
        alone = any(lane.solo for lane in self.lanes)
        return tuple(x for x in self.lanes if not x.mute and (x.solo or not alone))


def scene_length(scene: Scene, whole: Callable[[Clip], float]) -> float:
    """Seconds from the beginning to the end of the tail. whole: how long the sound of a clip is."""
    ends = [c.start + c.lasts(whole(c)) for lane in scene.lanes for c in lane.clips]
    return max(ends, default=0.0) + scene.tail


def overlaps(lane: Lane, whole: Callable[[Clip], float]) -> list[tuple[Clip, Clip]]:
    """Clips of a lane that follow each other too early."""
    order = sorted(lane.clips, key=lambda c: c.start)
    return [(a, b) for a, b in pairwise(order) if a.start + a.lasts(whole(a)) > b.start + 1e-3]


def check_length(scene: Scene) -> None:
    """DocumentError, one sentence, where clips begin later than a scene may last."""
    last = max((c.start for lane in scene.lanes for c in lane.clips), default=0.0)
    if last > LONGEST:
        raise DocumentError(
            f"A scene lasts {LONGEST / 3600:.0f} hours at most, and this would be one of {last / 3600:.1f}; "
            "make several of fewer lines."
        )


def check_scene(scene: Scene) -> None:
    """DocumentError, one sentence, for a scene that cannot be."""
    for lane in scene.lanes:
        if not -90 <= lane.gain <= LOUDEST:
            raise DocumentError(f"the lane {lane.name} is {lane.gain:g} dB louder")
        for clip in lane.clips:
            _check_clip(clip, lane)
        for move in lane.moves:
            _check_move(move, lane)
    for place in scene.places:
        if not all(abs(x) <= 1000 for x in (place.right, place.back, place.turn)):
            raise DocumentError(f"{place.speaker} stands nowhere")
    for shot in scene.shots:
        if shot.view not in VIEWS:
            raise DocumentError(f"there is no view “{shot.view}”; there are {', '.join(VIEWS)}")
        if not 0 <= shot.start <= LONGEST or not 0 <= shot.move <= LONGEST:
            raise DocumentError(f"a shot begins at {shot.start:g} seconds")
        if len(shot.camera) not in (0, 5) or not all(abs(x) <= 1000 for x in shot.camera):
            raise DocumentError(f"the camera of the shot at {shot.start:g} seconds is nowhere")
    if not 0 <= scene.tail <= 600 or not 0 <= scene.tempo.beats <= 1000 or not abs(scene.tempo.first) < LONGEST:  # fmt: skip
        raise DocumentError("its tail or its tempo is out of bounds")
    if scene.background not in BACKGROUNDS:
        raise DocumentError(f"its background is one of {', '.join(BACKGROUNDS)}")


def _check_clip(clip: Clip, lane: Lane) -> None:
    if bool(clip.line) == bool(clip.audio):
        raise DocumentError(f"a clip of {lane.name} names neither a line nor a sound, or both")
    if _outside(clip.audio):
        raise DocumentError(f"the sound {clip.audio} lies outside the production")
    times = (clip.start, clip.cut, clip.length, clip.fade_in, clip.fade_out)
    if not all(0 <= t <= LONGEST for t in times) or not -90 <= clip.gain <= LOUDEST:
        raise DocumentError(f"a clip of {lane.name} has times or a gain that cannot be")


def _check_move(move: Move, lane: Lane) -> None:
    if not move.file or _outside(move.file):
        raise DocumentError(f"the motion “{move.file}” lies outside the production")
    if not lane.speaks:
        raise DocumentError(f"{lane.name} does not speak, and cannot be moved by {move.file}")
    times = (move.start, move.cut, move.length)
    if not all(0 <= t <= LONGEST for t in times) or not 0 <= move.share <= 1:
        raise DocumentError(f"a motion of {lane.name} has times or a share that cannot be")


def _outside(file: str) -> bool:
    path = PurePosixPath(file)
    return path.is_absolute() or ".." in path.parts
