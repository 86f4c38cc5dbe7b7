"""Dialogs: pronunciation, lexicon, script check, recording check, preferences."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ..errors import GlyphosError
from ..proof.recording_check import RecordingCheck
from ..speech.compare import Disagreement
from ..speech.lexicon import Lexicon, parse_lexicon, parse_pronunciation
from ..speech.phones import Unit
from . import theme as themes
from .settings import Preferences

Units = tuple[Unit, ...]
SIGNS = {"good": "✓", "note": "·", "poor": "!", "bad": "✗"}
GRAVITY = {"good": "good", "note": "to know", "poor": "poor", "bad": "bad"}


def written(units: Units) -> str:
    """Sounds as IPA between slashes, stress marked."""
    marks = {1: "ˈ", 2: "ˌ"}
    return "/" + " ".join(marks.get(u.stress, "") + u.ipa for u in units) + "/"


def _buttons(dialog: QDialog, *, ok: str = "") -> QDialogButtonBox:
    kinds = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(kinds.Ok | kinds.Cancel if ok else kinds.Close)
    if ok:
        box.button(kinds.Ok).setText(ok)
        box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box


class PronunciationDialog(QDialog):
    """Choose how a word is said: one of those offered, or sounds of one's own."""

    SCOPES = (
        ("here", "For this word &here; it stays so"),
        ("production", "For the whole &production (kept in its lexicon)"),
        ("once", "Only &once, until the line is listened to again"),
    )

    def __init__(
        self, word: str, now: Units, offered: Sequence[tuple[Units, str]],
        hear: Callable[[Units], None], parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(f"How is “{word}” said?")
        self.offered = [(now, "as it is"), *((u, s) for u, s in offered if u != now)]
        self._hear = hear
        self.list = QListWidget()
        self.list.setAccessibleName("Pronunciations")
        self.list.setFont(themes.serif(13))
        for units, source in self.offered:
            self.list.addItem(f"{written(units)}   {source}")
        self.list.setCurrentRow(0)
        self.own = QLineEdit()
        self.own.setPlaceholderText("Your own: IPA such as /ˈm eɪ b ə l/, or M EY1 B AH0 L")
        self.own.setAccessibleName("Your own pronunciation")
        self.own.setFont(themes.serif(13))
        self.wrong = QLabel()
        self.hear_button = QPushButton("▶  H&ear it")
        self.hear_button.setAccessibleName("Hear it in the placeholder voice")
        self.hear_button.clicked.connect(self._play)
        self.group = QButtonGroup(self)
        scopes = QVBoxLayout()
        for k, (_, text) in enumerate(self.SCOPES):
            button = QRadioButton(text)
            button.setChecked(k == 0)
            self.group.addButton(button, k)
            scopes.addWidget(button)
        row = QHBoxLayout()
        row.addWidget(self.own, 1)
        row.addWidget(self.hear_button)
        layout = QVBoxLayout(self)
        layout.addWidget(self.list)
        layout.addLayout(row)
        layout.addWidget(self.wrong)
        layout.addLayout(scopes)
        layout.addWidget(_buttons(self, ok="Say it so"))
        self.resize(520, 380)

    @property
    def scope(self) -> str:
        return self.SCOPES[max(0, self.group.checkedId())][0]

    def units(self) -> Units | None:
        """What is chosen; None, with a sentence shown, if it cannot be understood."""
        text = self.own.text().strip()
        if not text:
            return self.offered[max(0, self.list.currentRow())][0]
        try:
            return parse_pronunciation(text)
        except ValueError:
            pass
        try:
            return parse_pronunciation(f"/{text.strip('/')}/")
        except ValueError as error:
            self.wrong.setText(f"{error}.")
            return None

    def _play(self) -> None:
        units = self.units()
        if units:
            self._hear(units)

    def accept(self) -> None:
        if self.units():
            super().accept()


class LexiconDialog(QDialog):
    """The production's own pronunciations as the text file that they are."""

    def __init__(self, lexicon: Lexicon, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Lexicon of the production")
        self.lexicon = lexicon
        self.text = QPlainTextEdit(lexicon.text())
        self.text.setAccessibleName("Lexicon")
        mono = QFont(themes.SERIF)
        mono.setPointSizeF(12 * themes.scale())
        self.text.setFont(mono)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        layout = QVBoxLayout(self)
        hint = QLabel(
            "A word, then its sounds: CMUdict letters, or IPA between slashes. A line each."
        )
        hint.setWordWrap(True)
        layout.addWidget(hint)
        layout.addWidget(self.text)
        layout.addWidget(self.wrong)
        layout.addWidget(_buttons(self, ok="Keep"))
        self.resize(560, 420)

    def accept(self) -> None:
        try:
            self.lexicon = parse_lexicon(self.text.toPlainText())
        except GlyphosError as error:
            self.wrong.setText(str(error))
            return
        super().accept()


class CheckDialog(QDialog):
    """The recording check in plain words."""

    def __init__(self, result: RecordingCheck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.result_shown = result
        self.use_channel, self.use_clean = False, False
        self.setWindowTitle(f"Recording check: {result.file}")
        figures = QLabel(
            f"{result.duration:.1f} s · {result.sample_rate / 1000:g} kHz · "
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
        layout.addWidget(_buttons(self, ok="Use these" if needed else ""))
        self.resize(560, 340)

    def accept(self) -> None:
        self.use_channel = self.result_shown.channel > 0 and self.channel_box.isChecked()
        self.use_clean = self.result_shown.clean and self.clean_box.isChecked()
        super().accept()


class CompareDialog(QDialog):
    """Script and recording side by side where they disagree; 1 keeps the script, 2 takes what
    is heard, Space plays the place."""

    played = Signal(float, float)

    def __init__(self, found: Sequence[Disagreement], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Script check")
        self.found = list(found)
        self.heard_chosen = [False] * len(self.found)
        self.table = QTableWidget(len(self.found), 4)
        self.table.setAccessibleName("Disagreements")
        self.table.setHorizontalHeaderLabels(["At", "1  Script", "2  Heard", "Take"])
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for column in (1, 2):
            self.table.horizontalHeader().setSectionResizeMode(
                column, QHeaderView.ResizeMode.Stretch
            )
        for row, one in enumerate(self.found):
            for column, text in enumerate(
                (f"{one.start:.1f} s", one.script or "—", one.heard or "—")
            ):
                self.table.setItem(row, column, QTableWidgetItem(text))
            self._show(row)
        layout = QVBoxLayout(self)
        layout.addWidget(
            QLabel("Press 1 to keep the script, 2 to take what is heard, Space to listen.")
        )
        layout.addWidget(self.table)
        layout.addWidget(_buttons(self, ok="Change the script"))
        self.resize(640, 360)
        self.table.installEventFilter(self)
        if self.found:
            self.table.setCurrentCell(0, 0)

    def _show(self, row: int) -> None:
        self.table.setItem(
            row, 3, QTableWidgetItem("heard" if self.heard_chosen[row] else "script")
        )

    def eventFilter(self, watched: object, event: object) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            return self._key(Qt.Key(event.key()))
        return False

    def _key(self, key: Qt.Key) -> bool:
        row = self.table.currentRow()
        if row < 0:
            return False
        if key in (Qt.Key.Key_1, Qt.Key.Key_2):
            self.heard_chosen[row] = key == Qt.Key.Key_2
            self._show(row)
            self.table.setCurrentCell(min(row + 1, len(self.found) - 1), 0)
            return True
        if key == Qt.Key.Key_Space:
            self.played.emit(self.found[row].start - 0.2, self.found[row].end + 0.2)
            return True
        return False

    def chosen(self) -> list[Disagreement]:
        """Places where what is heard shall stand."""
        return [d for d, heard in zip(self.found, self.heard_chosen, strict=True) if heard]


class PreferencesDialog(QDialog):
    """Look, sound and snapping."""

    def __init__(
        self, now: Preferences, devices: Sequence[str], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.theme = _combo("Theme", [("paper", "Paper, by day"), ("night", "Night")], now.theme)
        self.gestures = _combo(
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
        self.device = _combo("Sound device", names, now.device)
        self.snap = _combo(
            "Edges snap to",
            [("off", "nothing"), ("frames", "frames"), ("energy", "changes of energy")],
            now.snap,
        )
        self.scrub = QCheckBox("Hear the sound while an edge is dragged")
        self.scrub.setChecked(now.scrub)
        self.formants = QCheckBox("Loupe shows formants instead of harmonics")
        self.formants.setChecked(now.formants)
        form = QFormLayout()
        for label, widget in (
            ("&Theme", self.theme), ("&Gesture colours", self.gestures), ("Text &size", self.text_size),
            ("Sound &device", self.device), ("Edges sna&p to", self.snap),
            ("", self.scrub), ("", self.formants),
        ):  # fmt: skip
            form.addRow(label, widget)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(_buttons(self, ok="Use these"))

    def preferences(self) -> Preferences:
        """What is chosen."""
        return Preferences(
            str(self.theme.currentData()), str(self.gestures.currentData()), self.text_size.value(),
            str(self.device.currentData()), str(self.snap.currentData()), self.scrub.isChecked(),
            self.formants.isChecked(),
        )  # fmt: skip


def _combo(name: str, choices: Sequence[tuple[str, str]], now: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    for value, text in choices:
        box.addItem(text, value)
    box.setCurrentIndex(max(0, box.findData(now)))
    return box
