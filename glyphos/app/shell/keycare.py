"""Keys that a widget needs itself come before the window's shortcuts: Space presses a button that
has the focus, a list is searched by typing. (Text fields keep what is typed by themselves.)

Watches only the widget that has the focus.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

KEY = Qt.Key
PRESSES = {KEY.Key_Space, KEY.Key_Return, KEY.Key_Enter}
ENDS = {KEY.Key_Home, KEY.Key_End}
OWN: tuple[tuple[type, set[Qt.Key]], ...] = (
    (QAbstractButton, PRESSES),
    (QComboBox, PRESSES | ENDS),
    (QAbstractSlider, ENDS),
    (QLineEdit, {KEY.Key_Return, KEY.Key_Enter}),
    (QAbstractItemView, ENDS | {KEY.Key_Return, KEY.Key_Enter, KEY.Key_Delete}),
)
TYPED = (QAbstractItemView, QComboBox)  # searched by typing
PLAIN = (
    Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier,
    Qt.KeyboardModifier.ShiftModifier,
)  # fmt: skip


class KeyCare(QObject):
    """Lets a widget of the window have the keys that are its own."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._focus)
        self._focus(None, application.focusWidget())

    def _focus(self, old: QWidget | None, new: QWidget | None) -> None:
        if old is not None:
            old.removeEventFilter(self)
        if new is not None and new.window() is self._window:
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
            return False
        if isinstance(watched, QPlainTextEdit) and (
            event.matches(QKeySequence.StandardKey.Undo)
            or event.matches(QKeySequence.StandardKey.Redo)
        ):
            event.ignore()  # undo in the script is the undo of everything
            return True
        if event.modifiers() in PLAIN and self._own(watched, event):
            event.accept()
            return True
        return False

    def _own(self, watched: QObject, event: QKeyEvent) -> bool:
        key, text = Qt.Key(event.key()), event.text()
        if isinstance(watched, TYPED) and text.isalnum():
            return True
        return any(isinstance(watched, kind) and key in keys for kind, keys in OWN)
