"""Colours of speakers, everywhere the same: by their place, always beside their name."""

from __future__ import annotations

from PySide6.QtGui import QColor

from .theme import Theme

ORDER = ("closed", "open", "round", "teeth", "spread")


def voice_color(theme: Theme, number: int, *, speaks: bool = True) -> QColor:
    """Of a speaker by their number; of other sound faint."""
    return theme.kind(ORDER[number % len(ORDER)]) if speaks else theme.color("faint")
