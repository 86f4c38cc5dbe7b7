"""A window on a line whose face lives, for tests of the panels that say so."""

from __future__ import annotations

import numpy as np

from glyphos.motion.curve import Motion
from tests.app.harness import WindowCase


class Living(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.living, self.panel = self.context.living, self.page.life

    def made(self) -> None:
        self.idle()
        self.wait(lambda: self.living.settled)
        self.application.processEvents()

    def channel(self, name: str) -> np.ndarray:
        motion = self.living.motion
        assert isinstance(motion, Motion)
        return motion.channel(name)

    def give(self) -> None:
        self.panel.on.click()
        self.made()

    def handed_over(self) -> np.ndarray:
        """The curves that the Handoff page writes of the line, by their names."""
        handoff = self.window.pages["handoff"]
        self.window.show_page("handoff")
        handoff.folder.setText(str(self.folder / "out"))
        handoff.write()
        self.idle()
        path = self.folder / "out" / "01-mabel-beam.curves.csv"
        return np.genfromtxt(path, delimiter=",", names=True)
