"""How layers and channels are named and drawn, everywhere the same: each layer has a colour and a line of
its own."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPen

from ...motion.mix import Name
from .theme import Theme

LAYER_WORDS: dict[Name, str] = {
    "speech": "Speech", "life": "Liveliness", "mood": "Mood", "recorded": "Recorded", "touch": "Touch-up",
}  # fmt: skip
LINES: dict[Name, Qt.PenStyle] = {
    "speech": Qt.PenStyle.SolidLine, "life": Qt.PenStyle.DashDotLine, "mood": Qt.PenStyle.SolidLine,
    "recorded": Qt.PenStyle.DotLine, "touch": Qt.PenStyle.SolidLine,
}  # fmt: skip


def layer_color(theme: Theme, name: Name) -> QColor:
    """The colour of a layer."""
    if name == "life":
        return theme.color("chosen")
    if name == "touch":
        return theme.color("playhead")
    return theme.kind({"speech": "round", "mood": "teeth", "recorded": "spread"}[name])


def layer_pen(theme: Theme, name: Name) -> QPen:
    """The line in which a layer is drawn."""
    pen = QPen(layer_color(theme, name), 1.5 if name != "touch" else 1.8)
    pen.setStyle(LINES[name])
    return pen
