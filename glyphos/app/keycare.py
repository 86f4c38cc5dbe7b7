"""Keys that a widget needs itself come before the window's shortcuts: Space presses a button that
has the focus, Home and Return work in lists; undo in the script is the undo of everything."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QComboBox,
    QPlainTextEdit,
    QWidget,
)

KEY = Qt.Key
PRESSES = {KEY.Key_Space, KEY.Key_Return, KEY.Key_Enter}
OWN: tuple[tuple[type, set[Qt.Key]], ...] = (
    (QAbstractButton, PRESSES),
    (QComboBox, PRESSES | {KEY.Key_Home, KEY.Key_End}),
    (QAbstractSlider, {KEY.Key_Home, KEY.Key_End}),
    (QAbstractItemView, {KEY.Key_Home, KEY.Key_End, KEY.Key_Space}),
)


class KeyCare(QObject):
    """Watches the widgets of a window for keys that are theirs."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        for kind in (*(k for k, _ in OWN), QPlainTextEdit):
            for widget in window.findChildren(kind):  # type: ignore[var-annotated]
                widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
            return False
        if isinstance(watched, QPlainTextEdit):
            undo = event.matches(QKeySequence.StandardKey.Undo)
            if undo or event.matches(QKeySequence.StandardKey.Redo):
                event.ignore()
                return True
            return False
        plain = event.modifiers() in (
            Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier,
        )  # fmt: skip
        if plain and any(isinstance(watched, k) and Qt.Key(event.key()) in keys for k, keys in OWN):
            event.accept()
            return True
        return False
