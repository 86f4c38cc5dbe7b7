"""What dialogs share: their buttons, and boxes to choose from."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QDoubleSpinBox


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


def number(
    name: str, low: float, high: float, step: float, unit: str = "", decimals: int = 1
) -> QDoubleSpinBox:
    """A field for a number."""
    box = QDoubleSpinBox()
    box.setRange(low, high)
    box.setSingleStep(step)
    box.setDecimals(decimals)
    box.setSuffix(unit)
    box.setAccessibleName(name)
    box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    box.setKeyboardTracking(False)
    return box
