"""The recording check in plain words."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QDialog, QLabel, QVBoxLayout, QWidget

from ...proof.recording_check import RecordingCheck
from ..drawing import theme as themes
from ..drawing.words import seconds_text
from .common import buttons

SIGNS = {"good": "✓", "note": "·", "poor": "!", "bad": "✗"}
GRAVITY = {"good": "good", "note": "to know", "poor": "poor", "bad": "bad"}


class CheckDialog(QDialog):
    """The recording check in plain words."""

    def __init__(self, result: RecordingCheck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.result_shown = result
        self.use_channel, self.use_clean = False, False
        self.setWindowTitle(f"Recording check: {result.file}")
        figures = QLabel(
            f"{seconds_text(result.duration)} · {result.sample_rate / 1000:g} kHz · "
            f"{result.channels} channel{'s' if result.channels > 1 else ''} · "
            f"loudness {result.loudness:.1f} LUFS · peak {result.peak:.1f} dB · "
            f"noise {result.noise_floor:.0f} dB · voice {result.signal_to_noise:.0f} dB above it"
        )
        figures.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(figures)
        for finding in result.findings:
            text = QLabel(
                f"<b>{SIGNS[finding.severity]}&nbsp; {finding.text}</b>"
                f" <i>({GRAVITY[finding.severity]})</i><br>{finding.advice}"
            )
            text.setWordWrap(True)
            text.setFont(themes.serif(12))
            layout.addWidget(text)
        layout.addStretch(1)
        self.channel_box = QCheckBox(f"Listen to channel {result.channel} alone")
        self.channel_box.setVisible(result.channel > 0)
        self.channel_box.setChecked(result.channel > 0)
        self.clean_box = QCheckBox("Listen to a cleaned copy (the recording itself stays as it is)")
        self.clean_box.setVisible(result.clean)
        self.clean_box.setChecked(result.clean)
        layout.addWidget(self.channel_box)
        layout.addWidget(self.clean_box)
        needed = result.channel > 0 or result.clean
        layout.addWidget(buttons(self, ok="Use these" if needed else ""))
        self.resize(560, 340)

    def accept(self) -> None:
        self.use_channel = self.result_shown.channel > 0 and self.channel_box.isChecked()
        self.use_clean = self.result_shown.clean and self.clean_box.isChecked()
        super().accept()
