"""Preferences as they are now, for whoever needs to know when they change."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from . import settings
from .settings import Preferences


class Preferring(QObject):
    """Holds what a person prefers and keeps it for the next start."""

    changed = Signal(object, object)  # before, now

    def __init__(self, now: Preferences | None = None) -> None:
        super().__init__()
        self.now = now or settings.load()

    def set(self, **changes: Any) -> None:
        """Prefer something else."""
        self.put(replace(self.now, **changes))

    def put(self, preferences: Preferences) -> None:
        """Prefer all of this."""
        before, self.now = self.now, preferences
        if before != preferences:
            settings.save(preferences)
            self.changed.emit(before, preferences)
