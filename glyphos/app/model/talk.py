"""What is said to the person: messages, and offers with a button. Says it without knowing where."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from ...errors import Cancelled, sentence


@dataclass(frozen=True)
class Offer:
    """Something to be done with one button, or only to be known (no `action`). `key` names its
    reason, which can be withdrawn."""

    key: str
    text: str
    action: str
    run: Callable[[], object]


class Talk(QObject):
    """Messages stand until the next step; offers until they are taken, refused or withdrawn."""

    said = Signal(str)
    failed = Signal(str)
    cleared = Signal()
    offers_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.offers: dict[str, Offer] = {}

    def say(self, message: str) -> None:
        """Tell what was done."""
        self.said.emit(message)

    def fail(self, what: str | BaseException) -> None:
        """Tell what went wrong and what to do, in one sentence."""
        if isinstance(what, Cancelled):
            return
        self.failed.emit(what if isinstance(what, str) else sentence(what))

    def clear(self) -> None:
        """What was said last is no longer of interest."""
        self.cleared.emit()

    def offer(
        self, key: str, text: str, action: str = "", run: Callable[[], object] = lambda: None
    ) -> None:
        """Offer something; a newer offer for the same reason takes the place of the older."""
        self.offers.pop(key, None)
        self.offers[key] = Offer(key, text, action, run)
        self.offers_changed.emit()

    def withdraw(self, key: str) -> None:
        """The reason of an offer is gone."""
        if self.offers.pop(key, None) is not None:
            self.offers_changed.emit()

    def try_to(self, work: Callable[[], object]) -> bool:
        """Do something; what goes wrong is told. Whether it went well."""
        try:
            work()
        except Exception as error:
            self.fail(error)
            return False
        return True
