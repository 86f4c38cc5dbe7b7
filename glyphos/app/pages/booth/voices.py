"""How a speaker sounds until somebody speaks for them: kind, pitch, pace, energy, language."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSlider,
    QWidget,
)

from ....speech.saying import FASTEST, KINDS, SLOWEST, PlaceholderVoice
from ...drawing.readout import Readout

WORDS = {"": "plain", "whisper": "whisper", "croak": "croak"}


class VoiceBox(QWidget):
    """A voice with its sliders."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._showing = False
        self.kind = QComboBox()
        self.kind.setAccessibleName("Kind of voice")
        for kind in KINDS:
            text = WORDS.get(kind) or f"{'high' if kind[0] == 'f' else 'low'} {kind[1]}"
            self.kind.addItem(text, kind)
        self.language = QLineEdit()
        self.language.setAccessibleName("Language of the voice")
        self.language.setPlaceholderText("the line’s")
        self.language.setToolTip("A code such as en, it, pt-br; empty: the line's own")
        self.language.setMaximumWidth(110)
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.addWidget(self.kind, 1)
        row.addWidget(QLabel("in"))
        row.addWidget(self.language)
        form.addRow("Voice", row)
        self.pitch, self.pitch_said = self._slider("Pitch", 0, 99)
        self.pace, self.pace_said = self._slider("Pace", SLOWEST, FASTEST)
        self.energy, self.energy_said = self._slider("Energy", 0, 100)
        for text, slider, said in (
            ("Pitch", self.pitch, self.pitch_said), ("Pace", self.pace, self.pace_said),
            ("Energy", self.energy, self.energy_said),
        ):  # fmt: skip
            line = QHBoxLayout()
            line.addWidget(slider, 1)
            line.addWidget(said)
            form.addRow(text, line)
        self.kind.activated.connect(lambda _: self._tell())
        self.language.editingFinished.connect(self._tell)

    def _slider(self, name: str, low: int, high: int) -> tuple[QSlider, Readout]:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(low, high)
        slider.setPageStep(max(1, (high - low) // 10))
        slider.setAccessibleName(name)
        said = Readout("400 words a minute ", name="faint")
        slider.valueChanged.connect(self._slid)
        slider.sliderReleased.connect(self._tell)
        return slider, said

    def show_voice(self, voice: PlaceholderVoice) -> None:
        """Show a voice."""
        self._showing = True
        self.kind.setCurrentIndex(self.kind.findData(voice.kind))
        if not self.language.hasFocus():
            self.language.setText(voice.language)
        self.pitch.setValue(voice.pitch)
        self.pace.setValue(voice.pace)
        self.energy.setValue(round(100 * voice.energy))
        self._showing = False
        self._say()

    def voice(self) -> PlaceholderVoice:
        """As it is set."""
        return PlaceholderVoice(
            self.language.text().strip(), self.kind.currentData(), self.pitch.value(), self.pace.value(),
            self.energy.value() / 100,
        )  # fmt: skip

    def _slid(self) -> None:
        self._say()
        dragged = any(s.isSliderDown() for s in (self.pitch, self.pace, self.energy))
        if not self._showing and not dragged:
            self._tell()

    def _say(self) -> None:
        self.pitch_said.setText(str(self.pitch.value()))
        self.pace_said.setText(f"{self.pace.value()} words a minute")
        self.energy_said.setText(f"{self.energy.value()} %")

    def _tell(self) -> None:
        if not self._showing:
            self.changed.emit(self.voice())
