"""What dialogs share: their buttons, and boxes to choose from."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox


def buttons(dialog: QDialog, *, ok: str = "") -> QDialogButtonBox:
    """OK under another word and Cancel, or Close alone."""
    kinds = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(kinds.Ok | kinds.Cancel if ok else kinds.Close)
    if ok:
        box.button(kinds.Ok).setText(ok)
        box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box


def combo(name: str, choices: Sequence[tuple[str, str]], now: str) -> QComboBox:
    """A box of (value, text) choices with one of them chosen."""
    box = QComboBox()
    box.setAccessibleName(name)
    for value, text in choices:
        box.addItem(text, value)
    box.setCurrentIndex(max(0, box.findData(now)))
    return box
