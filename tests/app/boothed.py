"""The Booth of a window, and what is said and recorded there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np

from glyphos.booth.microphone import MicrophoneError, StandInMicrophone
from tests.app.harness import WindowCase

DATA = Path(__file__).parents[1] / "data"
PLAY = """MABEL: The beam is out again. Somebody moved my map.
OSRIC (grumbling): Not me. I was wiping my boots.

PIP: Probably the wind, Osric."""


class Pluggable(StandInMicrophone):
    """Says the same again and again, however long it takes to be heard; can be unplugged, and plugged in again."""

    plugged = True

    def __init__(self, path: Path, **how: float) -> None:
        super().__init__(path, **how)
        self._samples = np.tile(self._samples, 60)

    def start(self, take: Callable[..., object], lost: Callable[[str], object]) -> None:
        if not self.plugged:
            raise MicrophoneError("Not yet.")
        self._told = lost
        super().start(take, lost)

    def unplug(self) -> None:
        self.plugged = False
        self.stop()
        self._told("The microphone is gone.")


class Booth(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.commands.do("page-booth")
        self.booth = self.window.pages["booth"]
        self.saying, self.recording = self.booth.saying, self.booth.recording
        self.saying.text.clear()  # text and the command of a voice stay from one production to the next
        self.saying.command.clear()

    def say(self, text: str, *, scene: bool = False) -> None:
        self.saying.text.setPlainText(text)
        self.saying.scene.setChecked(scene)
        self.window.commands.do("booth-make")
        self.wait(lambda: "said" in self.status)
        self.idle()

    def take(self, seconds: float = 1.0, **microphone: float) -> None:
        """Record through a stand-in that speaks quickly."""
        spoken = StandInMicrophone(DATA / "slt_hts-001.flac", speed=6, **microphone)
        self.recording.count_in.setValue(0)
        with mock.patch.object(self.recording, "make_microphone", lambda: spoken):
            self.window.commands.do("booth-record")
        self.wait(
            lambda: (
                self.recording.recorder is None
                or not self.recording.recorder.recording
                or self.recording.recorder.seconds > seconds
            )
        )

    def speak(self) -> None:
        """Begin to speak into the live face."""
        spoken = Pluggable(DATA / "slt_hts-001.flac")
        with mock.patch.object(self.recording, "make_microphone", lambda: spoken):
            self.window.commands.do("booth-live")
