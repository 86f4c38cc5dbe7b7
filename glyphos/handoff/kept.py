"""What films of one production share, so that a change costs only what it changes: sounds at the rate of
the mix, motions of lines."""

from __future__ import annotations

from collections import OrderedDict
from fractions import Fraction
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING

from ..characters.sources import HeadState, head_state, poses_beside
from ..errors import RecordingError
from ..files import GONE, file_state
from ..motion.curve import Motion
from ..production.documents import Character, Line
from ..production.performed import motion_of
from ..scene.mix import RATE, Sound, resampled
from ..speech.recording import probe, read_channels

if TYPE_CHECKING:  # it brings all of the solver with it
    from ..characters.dressing import Dressed

MOST_BYTES = 2 << 30  # of one sound
MOST_MOTIONS = 400
Source = tuple[str, int, int, int]  # path, channel, time and size of the file


class Kept:
    """Sounds and motions by what they were made from; may be asked by several threads."""

    def __init__(self) -> None:
        self._sounds: dict[Source, Sound] = {}
        self._lengths: dict[Source, float] = {}
        self._motions: OrderedDict[tuple[object, ...], tuple[Line, Motion]] = OrderedDict()
        self._dressed: dict[tuple[str, str, HeadState], tuple[Character, Dressed]] = {}
        self._lock = Lock()

    @staticmethod
    def source(path: Path, channel: int = 0) -> Source:
        """What a recording is just now; RecordingError where it is away."""
        state = file_state(path)
        if state == GONE:
            raise RecordingError(
                f"The recording {path.name} is missing; bring it back, or take its clips out."
            )
        return str(path), channel, *state

    def ready(self, path: Path, channel: int = 0) -> Sound | None:
        """A sound if it has been read."""
        try:
            return self._sounds.get(self.source(path, channel))
        except RecordingError:
            return None

    def sound(self, path: Path, channel: int = 0) -> Sound:
        """A file's sound at the rate of the mix: (n,) of one channel, else (n, channels). channel: from 1
        on, 0 for all. RecordingError where it is away, no sound, or too much."""
        source = self.source(path, channel)
        found = self._sounds.get(source)
        if found is not None:
            return found
        if probe(path) * RATE * 4 > MOST_BYTES:
            raise RecordingError(
                f"{path.name} is {probe(path) / 3600:.1f} hours long; cut out what the scene needs of it first."
            )
        samples, rate = read_channels(path)
        if channel and samples.shape[1] >= channel:
            samples = samples[:, channel - 1]
        elif samples.shape[1] == 1:
            samples = samples[:, 0]
        else:
            samples = samples[:, :2]
        made = resampled(samples, rate)
        made.setflags(write=False)
        with self._lock:
            self._sounds[source] = made
        return made

    def seconds(self, path: Path) -> float:
        """How long a file's sound is: as it was read, else as its header says."""
        source = self.source(path)
        found = self._sounds.get(source)
        if found is not None:
            return len(found) / RATE
        if source not in self._lengths:
            self._lengths[source] = probe(path)
        return self._lengths[source]

    def forget_but(self, paths: set[str]) -> None:
        """Let sounds go that are used no more."""
        with self._lock:
            self._sounds = {k: v for k, v in self._sounds.items() if k[0] in paths}

    def motion(self, line: Line, audio: Path, fps: Fraction, folder: Path) -> Motion:
        """The motion of a line's whole face."""
        try:
            state: object = self.source(audio, line.channel)
        except RecordingError:
            state = None
        key = (line.slug, fps, state)
        with self._lock:
            known = self._motions.get(key)
        if known is not None and (known[0] is line or known[0] == line):
            return known[1]
        made = motion_of(line, audio, fps, folder)
        with self._lock:
            self._motions[key] = line, made
            while len(self._motions) > MOST_MOTIONS:
                self._motions.popitem(last=False)
        return made

    def dressed(self, character: Character, model: str) -> Dressed:
        """A head, fitted as its character says. model: its file, or one of ours by name."""
        from ..characters.dressing import Dressed
        from ..characters.models.opening import open_head

        poses = poses_beside(model, character.poses)
        key = (model, str(poses or ""), head_state(model, poses))
        with self._lock:
            known = self._dressed.get(key)
        if known is not None and known[0].fitting == character.fitting:
            return known[1]
        made = Dressed(open_head(model, poses=poses), character.fitting)
        with self._lock:
            self._dressed[key] = character, made
        return made
