"""A view that paints all of itself in the colours of a theme, and keeps what it painted."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from .theme import Theme


class Themed(QWidget):
    """Forgets what it painted when the theme is another."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # what is behind need not paint

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        self._forget()

    def _forget(self) -> None:
        self.update()
