"""Preferences: look, sound and snapping."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ..model.ask import Ask
from ..model.settings import Preferences
from .common import buttons, combo


class PreferencesDialog(QDialog):
    """Look, sound and snapping."""

    def __init__(
        self, now: Preferences, devices: Sequence[str], ask: Ask, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._ask = ask
        self.setWindowTitle("Preferences")
        self.theme = combo("Theme", [("paper", "Paper, by day"), ("night", "Night")], now.theme)
        self.gestures = combo(
            "Colours for kinds of gesture",
            [("safe", "Safe for all kinds of sight"), ("warm", "Warm"), ("ink", "Shades of ink")],
            now.gestures,
        )
        self.text_size = QDoubleSpinBox()
        self.text_size.setAccessibleName("Text size")
        self.text_size.setRange(0, 24)
        self.text_size.setSingleStep(0.5)
        self.text_size.setSpecialValueText("as the desktop has it")
        self.text_size.setSuffix(" pt")
        self.text_size.setValue(now.size)
        names = [("", "the system's own"), *((d, d) for d in devices)]
        self.device = combo("Sound device", names, now.device)
        self.snap = combo(
            "Edges snap to",
            [("off", "nothing"), ("frames", "frames"), ("energy", "changes of energy")],
            now.snap,
        )
        self.ruler = combo(
            "Rulers count", [("seconds", "seconds"), ("frames", "frames")], now.ruler
        )
        self.face = combo(
            "Face", [("head", "a head on the stage"), ("drawn", "a drawing")], now.face
        )
        self.words_model = QLineEdit(now.words_model)
        self.words_model.setAccessibleName("Model for words")
        self.words_model.setPlaceholderText("the one that comes along")
        self.words_model.setToolTip(
            "A folder in the format of faster-whisper; one for many languages serves them all"
        )
        self.choose_model = QPushButton("Choose…")
        self.choose_model.setAccessibleName("Choose a folder with a model for words")
        self.choose_model.clicked.connect(self._choose)
        model_label = QLabel("&Model for words")
        model_label.setBuddy(self.words_model)
        model = QHBoxLayout()
        model.addWidget(self.words_model, 1)
        model.addWidget(self.choose_model)
        self.legend = QCheckBox("Legend of the ribbon's colours below the score")
        self.legend.setChecked(now.legend)
        self.pitch = QCheckBox("Pitch of the voice over the words of the score")
        self.pitch.setChecked(now.pitch)
        self.scrub = QCheckBox("Hear the sound while an edge is dragged")
        self.scrub.setChecked(now.scrub)
        self.formants = QCheckBox("Loupe shows formants instead of harmonics")
        self.formants.setChecked(now.formants)
        form = QFormLayout()
        for label, widget in (
            ("&Theme", self.theme), ("&Gesture colours", self.gestures), ("Text &size", self.text_size),
            ("Sound &device", self.device), ("Edges sna&p to", self.snap),
            ("&Rulers count", self.ruler), ("&Face", self.face), (model_label, model), ("", self.legend), ("", self.pitch), ("", self.scrub), ("", self.formants),
        ):  # fmt: skip
            form.addRow(label, widget)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(buttons(self, ok="Use these"))

    def preferences(self) -> Preferences:
        """What is chosen."""
        return Preferences(
            str(self.theme.currentData()), str(self.gestures.currentData()), self.text_size.value(),
            str(self.device.currentData()), str(self.snap.currentData()), self.scrub.isChecked(),
            self.formants.isChecked(), str(self.ruler.currentData()), self.legend.isChecked(),
            str(self.face.currentData()), self.words_model.text().strip(), self.pitch.isChecked(),
        )  # fmt: skip

    def _choose(self) -> None:
        if folder := self._ask.folder("Model for words"):
            self.words_model.setText(str(folder))
