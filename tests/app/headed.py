"""Windows that show heads, and a head nobody prepared."""

from __future__ import annotations

import tempfile
from functools import cache
from pathlib import Path

from tests.app.harness import WindowCase
from tests.characters.remade import own, plain, saved, without

DROPPED = ("lips_press", "lip_tighten", "chin_raise")


@cache
def model() -> Path:
    """A foreign head that cannot press its lips, as a file."""
    path = Path(tempfile.mkdtemp()) / "porter.glb"
    return saved(plain(without(own("osric"), *DROPPED)), path)


class Heads(WindowCase):
    """A window that shows heads."""

    shown_as = "head"
    looked_at = None

    def setUp(self) -> None:
        super().setUp()
        self.face = self.window.face_panel
        self.characters = self.window.pages["characters"]

    def seen(self, view=None) -> None:  # type: ignore[no-untyped-def]
        """Wait until a picture has come."""
        view = view or self.face.head
        self.wait(lambda: view.image is not None)
