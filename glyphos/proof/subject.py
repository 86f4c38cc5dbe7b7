"""A line as checks look at it: its reading, its sound and its motion, each found when it is first asked for."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..characters.sources import HeadState, head_state, poses_beside
from ..motion.curve import Motion
from ..production.documents import Character, Line
from ..production.performed import motion_of, samples_of
from ..speech.ipa import parse
from ..speech.reading import Phone, Reading, Word
from ..voice.pitch import HOP
from ..voice.voice import Voice, analyse

if TYPE_CHECKING:  # they bring the solver with them
    from ..characters.drawings.sheet import Sheet
    from ..characters.dressing import Dress, Dressed
    from ..characters.fittings import Fitting

Array = NDArray[np.float64]
HEADS = 4  # that are kept


@dataclass
class Subject:
    """One line. folder: of its production."""

    line: Line
    audio: Path
    folder: Path
    fps: Fraction
    given: Motion | None = None  # in place of what would be performed
    character: Character | None = None
    model: str = ""  # its head, "" if it is drawn

    @property
    def reading(self) -> Reading:
        assert self.line.reading is not None
        return self.line.reading

    @property
    def heard(self) -> bool:
        return self.line.heard

    @cached_property
    def words(self) -> list[Word]:
        return list(self.reading.words())

    @cached_property
    def phones(self) -> list[Phone]:
        return list(self.reading.phones())

    @cached_property
    def samples(self) -> NDArray[np.float32] | None:
        """Mono, 16 kHz; None where the recording is away."""
        return samples_of(self.line, self.audio)

    @cached_property
    def voice(self) -> Voice | None:
        if self.samples is None:
            return None
        return analyse(np.asarray(self.samples, np.float64), self.reading)

    @cached_property
    def loud(self) -> float:
        """The level of voiced sound in the middle, dB."""
        voice = self.voice
        if voice is None or not voice.voiced.any():
            return -np.inf
        return float(np.median(voice.level[voice.voiced]))

    def level(self, start: float, end: float) -> Array:
        """Levels (dB) of a stretch of the recording."""
        voice = self.voice
        if voice is None:
            return np.zeros(0)
        a, b = max(0, int(start / HOP)), int(np.ceil(end / HOP))
        return np.asarray(voice.level[a:b])

    @cached_property
    def motion(self) -> Motion:
        """The whole face."""
        return self.given or motion_of(
            self.line, self.audio, self.fps, self.folder, samples=self.samples, voice=self.voice
        )

    def curve(self, channel: str) -> Array:
        """A channel on all frames; zeros where the face has none of that name."""
        if channel not in self.motion.names:
            return np.zeros(self.motion.frames)
        return np.asarray(self.motion.channel(channel), np.float64)

    @cached_property
    def dressed(self) -> Dressed | None:
        """The speaker's head; None for our own heads as they are made, and for drawings."""
        if self.character is None or not self.model:
            return None
        from ..characters.builtin import BUILTIN

        fitting = self.character.fitting
        if self.model in BUILTIN and fitting == type(fitting)():
            return None
        poses = poses_beside(self.model, self.character.poses)
        return _dressed(self.model, poses, head_state(self.model, poses), fitting)

    @cached_property
    def dress(self) -> Dress | None:
        """How that head wears the motion."""
        return self.dressed.wear(self.motion) if self.dressed is not None else None

    @cached_property
    def sheet(self) -> Sheet | None:
        """The line in the drawings of its speaker."""
        if self.character is None or self.character.drawings is None:
            return None
        from ..characters.drawings.sheet import sheet_of

        return sheet_of(self.motion, self.character.drawings, self.line.held, self.reading, self.line.delivery)  # fmt: skip

    @cached_property
    def times(self) -> Array:
        """Seconds of the recording that frames show."""
        return np.asarray(
            self.line.delivery.heard(np.arange(self.motion.frames) / float(self.motion.fps)),
            np.float64,
        )

    def frames(self, start: float, end: float) -> slice:
        """Frames that show a stretch of the recording."""
        a, b = np.searchsorted(self.times, [start, end])
        return slice(int(a), max(int(b), int(a)))


_heads: dict[
    tuple[str, Path | None, HeadState], tuple[Fitting, Dressed]
] = {}  # opened lately, in this process


def _dressed(model: str, poses: Path | None, state: HeadState, fitting: Fitting) -> Dressed:
    """A head as it is fitted; opened and measured once for many lines."""
    from ..characters.dressing import Dressed
    from ..characters.models.opening import open_head

    known = _heads.get((model, poses, state))
    if known is not None and known[0] == fitting:
        return known[1]
    while len(_heads) >= HEADS:
        _heads.pop(next(iter(_heads)))
    made = Dressed(open_head(model, poses=poses), fitting)
    _heads[model, poses, state] = fitting, made
    return made


def is_vowel(ipa: str) -> bool:
    """Whether a sound is a vowel."""
    sounds = parse(ipa)
    return bool(sounds) and sounds[0].vowel


def runs(there: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Stretches of True: first, and one behind the last."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], there, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
