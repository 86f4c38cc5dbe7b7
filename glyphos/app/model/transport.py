"""Transport: playhead, loop and play state. The sound is the master clock; pictures ask it where
it is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..sound.devices import RATE, Device, SilentDevice, Sound, best_device
from .current import Current

Array = NDArray[np.float32]
GRAIN = 0.09  # seconds heard at a time while scrubbing


class Transport(QObject):
    """Plays stretches of the line's sound, once or in a loop, and says where it is."""

    changed = Signal()

    def __init__(self, device: Device | None = None) -> None:
        super().__init__()
        self.device: Device = device or best_device()
        self.sound: Sound = np.zeros(0, np.float32)
        self.playing = self.looping = False
        self.length = 0.0  # seconds of the line, whether its sound is there or not
        self._at = 0.0

    def use(self, device: Device) -> None:
        """Play through another device; the one before is given back."""
        self.stop()
        self.device.close()
        self.device = device

    def close(self) -> None:
        """Stop and give the device back."""
        self.stop()
        self.device.close()

    @property
    def silent(self) -> bool:
        return isinstance(self.device, SilentDevice)

    @property
    def duration(self) -> float:
        return len(self.sound) / RATE

    def load(self, sound: Sound, *, length: float = 0.0, at: float = 0.0) -> None:
        """Another sound (48 kHz); stops and goes to a time. length: of what is shown, seconds."""
        self.stop()
        self.sound, self._at = sound, at
        self.length = max(length, len(sound) / RATE)
        self.changed.emit()

    def swap(self, sound: Sound, *, length: float = 0.0) -> None:
        """The same, sounding otherwise: playing goes on where it is, as long as there is sound."""
        if not self.playing or len(sound) != len(self.sound):
            playing, at = self.playing, self.position()
            self.load(sound, length=length, at=min(at, max(length, len(sound) / RATE)))
            if playing and at < self.duration:
                self.play(at)
            return
        self.sound, self.length = sound, max(length, len(sound) / RATE)
        self.device.swap(sound)

    def play(
        self, start: float | None = None, end: float | None = None, *, loop: bool = False
    ) -> None:
        """Play from `start` (where it stands, if None) to `end` (the end of the line, if None)."""
        begin = self.position() if start is None else start
        if start is None and begin >= self.duration - 0.02:
            begin = 0.0
        self.device.play(self.sound, begin, end or self.duration, loop)
        self.playing, self.looping = True, loop
        self.changed.emit()

    def stop(self) -> None:
        if self.playing:
            self._at = self.position()
            self.device.stop()
        self.playing = self.looping = False
        self.changed.emit()

    def seek(self, seconds: float) -> None:
        """Go to a time without playing."""
        if self.playing:
            self.device.stop()
        self.playing = self.looping = False
        self._at = min(max(0.0, seconds), self.length)
        self.changed.emit()

    def scrub(self, seconds: float) -> None:
        """Go to a time and let a grain of the sound there be heard."""
        self.seek(seconds)
        if self._at < self.duration:
            self.device.play(self.sound, self._at, min(self._at + GRAIN, self.duration), False)

    def say(self, samples: Array, rate: int) -> None:
        """Let another sound be heard (a placeholder voice), without moving the playhead."""
        import soxr

        self.stop()
        sound = np.asarray(soxr.resample(samples, rate, RATE), np.float32)
        self.device.play(sound, 0.0, len(sound) / RATE, False)

    def position(self) -> float:
        """What is heard now, in seconds; stops by itself at the end of the stretch."""
        if not self.playing:
            return self._at
        at = self.device.position()
        if self.device.finished():
            self._at = at
            self.playing = False
            self.device.stop()
            self.changed.emit()
        return at


class Loader(QObject):
    """Brings the sound of the line that is shown into the transport, when it is there; or lends the transport
    to something else, and takes it back. Each goes on where it was."""

    def __init__(self, transport: Transport, current: Current) -> None:
        super().__init__()
        self._transport, self._current = transport, current
        self._slug = ""
        self._lent = False
        self._line_at = ("", 0.0)  # where which line was when it was lent
        self._other_at = 0.0  # where what it is lent to was
        current.line_changed.connect(self._load)
        current.sound_changed.connect(self._load)

    def lend(self, sound: Sound, length: float, *, afresh: bool = False) -> None:
        """Another sound stands in the transport until it is given back; `afresh` from its beginning."""
        transport = self._transport
        if self._lent and not afresh:
            transport.swap(sound, length=length)
            return
        if not self._lent:
            self._line_at = (self._slug, transport.position())
            self._lent = True
        transport.load(sound, length=length, at=0.0 if afresh else min(self._other_at, length))

    def give_back(self) -> None:
        """The line's own sound again, where it was."""
        if self._lent:
            self._other_at = self._transport.position()
            self._lent = False
            line = self._current.line
            slug, at = self._line_at
            self._slug = ""
            self._load(at if line is not None and line.slug == slug else 0.0)

    def _load(self, at: float = 0.0) -> None:
        if self._lent:
            return
        line, opened, transport = self._current.line, self._current.opened, self._transport
        sound = opened.sound if opened is not None else np.zeros(0, np.float32)
        if sound is transport.sound:
            return
        same = line is not None and line.slug == self._slug
        self._slug = line.slug if line else ""
        transport.load(
            sound, length=line.duration if line else 0.0, at=transport.position() if same else at
        )
