"""The window: puts the views together and passes intentions to the session."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, Qt, QThreadPool, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ..errors import GlyphosError
from ..motion.delivery import Delivery
from . import theme as themes
from .delivery_panel import CONTROLS, DeliveryPanel
from .face_view import FaceView
from .lines_view import LinesView
from .player import Device, Player
from .score_view import ScoreView
from .session import Session

RATES = ("12", "23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60")
LANGUAGES = {
    "en": "English", "it": "Italian", "es": "Spanish", "de": "German", "fr": "French",
    "pt": "Portuguese", "pl": "Polish", "ja": "Japanese", "hi": "Hindi",
}  # fmt: skip
RECORDINGS = (
    "Recordings (*.wav *.flac *.ogg *.mp3 *.m4a *.mp4 *.webm *.aac *.aif *.aiff *.mov *.mkv)"
)
EMPTY = (
    "<p style='font-size:18pt'><i>Bring in a recorded line.</i></p>"
    "<p>Drop a recording here, or press <b>Open…</b><br>"
    "A text file of the same name beside it becomes its script.</p>"
    "<p>Then <b>Listen</b>: the page fills with words, sounds and lips,<br>and the face speaks.</p>"
)
UNHEARD = (
    "<p style='font-size:16pt'><i>Not listened to yet.</i></p>"
    "<p>Write above what is said in the recording, then press <b>Listen</b>.</p>"
)


class Window(QMainWindow):
    """One window: lines on the left, the page in the middle, face and delivery on the right."""

    def __init__(self, *, theme: str = "paper", device: Device | None = None) -> None:
        super().__init__()
        self.session = Session()
        self.player = Player(device)
        self.theme = themes.THEMES[theme]
        self.setWindowTitle("Glyphos")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._build()
        self._connect()
        self._actions()
        self._tick = QTimer(self)
        self._tick.setTimerType(Qt.TimerType.PreciseTimer)
        self._tick.setInterval(16)
        self._tick.timeout.connect(self._show_moment)
        self._show_line()
        self.open_button.setFocus()

    # ---- building ---------------------------------------------------------------------------

    def _build(self) -> None:
        self.lines = LinesView(self.theme)
        self.score = ScoreView(self.theme)
        self.face = FaceView(self.theme)
        self.delivery = DeliveryPanel()
        self.empty = QLabel()
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setTextFormat(Qt.TextFormat.RichText)
        self.empty.setFont(themes.serif(13))
        self.pages = QStackedWidget()
        self.pages.addWidget(self.empty)
        self.pages.addWidget(self.score)
        left = QWidget(objectName="panel")
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 10, 0, 0)
        heading = QLabel("  Lines", objectName="heading")
        column.addWidget(heading)
        column.addWidget(self.lines)
        middle = QWidget()
        page = QVBoxLayout(middle)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addLayout(self._script_row())
        page.addWidget(self.pages, 1)
        page.addLayout(self._transport_row())
        right = QWidget(objectName="panel")
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(self.face, 1)
        self.now = QLabel(objectName="now")
        self.now.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.now.setAccessibleName("Sound, word and frame at the playhead")
        side.addWidget(self.now)
        side.addWidget(self.delivery)
        splitter = QSplitter()
        for widget, size in ((left, 210), (middle, 750), (right, 320)):
            splitter.addWidget(widget)
            splitter.setStretchFactor(splitter.count() - 1, 1 if widget is middle else 0)
            widget.setMinimumWidth(min(size, 300) if widget is not middle else 380)
        splitter.setSizes([210, 750, 320])
        root = QWidget()
        whole = QVBoxLayout(root)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._top_bar())
        whole.addWidget(splitter, 1)
        self.setCentralWidget(root)

    def _top_bar(self) -> QWidget:
        bar = QWidget(objectName="top")
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 6, 14, 6)
        brand = QLabel("Glyphos", objectName="brand")
        self.title = QLabel()
        self.open_button = QPushButton("&Open…")
        self.open_folder_button = QPushButton("Open &production…")
        self.save_button = QPushButton("Save &curves…")
        self.theme_button = QPushButton("&Night")
        self.rate = QComboBox()
        self.rate.addItems([f"{r} fps" for r in RATES])
        self.rate.setCurrentText("24 fps")
        self.rate.setEditable(True)
        self.rate.setAccessibleName("Frame rate")
        self.rate.setToolTip("Frames a second of the production; any rate can be typed")
        row.addWidget(brand)
        row.addSpacing(18)
        row.addWidget(self.title, 1)
        for widget in (
            self.rate,
            self.open_button,
            self.open_folder_button,
            self.save_button,
            self.theme_button,
        ):
            row.addWidget(widget)
            if isinstance(widget, QPushButton):
                widget.setAccessibleName(widget.text().replace("&", "").rstrip("…"))
        return bar

    def _script_row(self) -> QHBoxLayout:
        self.script = QPlainTextEdit()
        self.script.setPlaceholderText("What is said: type or paste the script here")
        self.script.setAccessibleName("Script")
        self.script.setTabChangesFocus(True)
        self.script.setMaximumHeight(92)
        self.listen_button = QPushButton("&Listen", objectName="go")
        self.listen_button.setToolTip(
            "Find every word and sound of the script in the recording (F5)"
        )
        self.listen_button.setAccessibleName("Listen")
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setAccessibleName("Cancel listening")
        self.cancel_button.hide()
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("Progress")
        self.progress.hide()
        self.language = QComboBox()
        self.language.setAccessibleName("Language of the line")
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language.setToolTip("Language that is spoken")
        side = QVBoxLayout()
        side.setSpacing(4)
        for widget in (self.language, self.listen_button, self.cancel_button, self.progress):
            side.addWidget(widget)
        side.addStretch(1)
        row = QHBoxLayout()
        row.setContentsMargins(14, 10, 14, 6)
        row.setSpacing(10)
        row.addWidget(self.script, 1)
        row.addLayout(side)
        return row

    def _transport_row(self) -> QHBoxLayout:
        self.play_button = QPushButton("▶  Play")
        self.play_button.setToolTip("Play and stop (Space)")
        self.play_button.setAccessibleName("Play or stop")
        self.loop_word = QPushButton("⟳  Word")
        self.loop_word.setToolTip("Loop the chosen word (W)")
        self.loop_word.setAccessibleName("Loop word")
        self.loop_phrase = QPushButton("⟳  Phrase")
        self.loop_phrase.setToolTip("Loop the phrase at the playhead (P)")
        self.loop_phrase.setAccessibleName("Loop phrase")
        self.status = QLabel(objectName="status")
        self.status.setAccessibleName("Status")
        self.status.setWordWrap(True)
        row = QHBoxLayout()
        row.setContentsMargins(14, 6, 14, 8)
        row.setSpacing(8)
        for widget in (self.play_button, self.loop_word, self.loop_phrase):
            row.addWidget(widget)
        row.addWidget(self.status, 1)
        return row

    def _connect(self) -> None:
        s, page = self.session, self.score.page
        s.production_changed.connect(self._show_production)
        s.line_changed.connect(self._show_line)
        s.reading_changed.connect(self._show_reading)
        s.motion_changed.connect(self._show_motion)
        s.busy_changed.connect(self._show_busy)
        s.failed.connect(self.tell)
        s.said.connect(self.status.setText)
        self.player.changed.connect(self._show_transport)
        self.lines.chosen.connect(s.show_line)
        self.open_button.clicked.connect(self.ask_open)
        self.open_folder_button.clicked.connect(self.ask_open_production)
        self.save_button.clicked.connect(self.ask_save)
        self.theme_button.clicked.connect(self.change_theme)
        self.rate.activated.connect(lambda _: self._rate_chosen())
        self.rate.lineEdit().editingFinished.connect(self._rate_chosen)
        self.script.textChanged.connect(lambda: s.set_script(self.script.toPlainText()))
        self.language.activated.connect(lambda _: s.set_language(self.language.currentData()))
        self.listen_button.clicked.connect(s.listen)
        self.cancel_button.clicked.connect(s.cancel)
        self.play_button.clicked.connect(self.play_or_stop)
        self.loop_word.clicked.connect(self.play_word_loop)
        self.loop_phrase.clicked.connect(self.play_phrase_loop)
        self.delivery.moved.connect(lambda name, value: s.set_delivery(save=False, **{name: value}))
        self.delivery.released.connect(s.set_delivery)
        self.delivery.keep.connect(s.keep_delivery)
        self.delivery.keep.connect(self._show_delivery)
        self.delivery.flip.connect(s.flip_delivery)
        self.delivery.reset.connect(self._reset_delivery)
        page.word_clicked.connect(self.play_word)
        page.scrubbed.connect(self._scrub)
        page.scrub_ended.connect(self._show_moment)

    def _actions(self) -> None:
        for keys, slot in (
            ("Space", self.play_or_stop), ("F5", self.session.listen), ("Ctrl+O", self.ask_open),
            ("Ctrl+Shift+O", self.ask_open_production), ("Ctrl+S", self.ask_save),
            ("W", self.play_word_loop), ("P", self.play_phrase_loop), ("Home", self._to_start),
            ("B", self.session.flip_delivery), ("Ctrl+K", self.delivery.keep_button.click),
            ("Ctrl+T", self.change_theme), ("Esc", self.session.cancel),
            ("F6", self.score.page.setFocus),
        ):  # fmt: skip
            action = QAction(self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(slot)
            self.addAction(action)

    # ---- showing ----------------------------------------------------------------------------

    def tell(self, message: str) -> None:
        """Say a failure in the status line, where it stays until something else is done."""
        self.status.setText(f"⚠ {message}")
        self.status.setToolTip(message)

    def _show_production(self) -> None:
        line = self.session.line
        self.lines.show_lines(self.session.production.lines, line.slug if line else None)
        self.title.setText(self.session.production.header.name)
        self.rate.setCurrentText(f"{self.session.production.header.fps} fps")

    def _show_line(self) -> None:
        s = self.session
        has = s.line is not None
        for widget in (
            self.script,
            self.language,
            self.listen_button,
            self.play_button,
            self.delivery,
        ):
            widget.setEnabled(has)
        self.status.clear()
        self.script.blockSignals(True)
        self.script.setPlainText(s.line.script if s.line else "")
        self.script.blockSignals(False)
        if s.line is not None and s.opened is not None:
            at = self.language.findData(s.line.language)
            if at < 0:
                self.language.addItem(s.line.language, s.line.language)
                at = self.language.count() - 1
            self.language.setCurrentIndex(at)
            self.player.load(s.opened.sound)
            self._show_production()
        self._show_reading()
        self._show_delivery()

    def _show_reading(self) -> None:
        s = self.session
        if s.opened is not None and s.reading is not None:
            r = s.opened.recording
            self.score.page.show_line(s.reading, r.samples, 16_000, r.duration)
            self.pages.setCurrentWidget(self.score)
            if self.focusWidget() in (None, self.open_button):
                self.score.page.setFocus()
        else:
            self.empty.setText(UNHEARD if s.line is not None else EMPTY)
            self.pages.setCurrentWidget(self.empty)
        heard = s.reading is not None
        for button in (self.loop_word, self.loop_phrase, self.save_button):
            button.setEnabled(heard)

    def _show_motion(self) -> None:
        self.score.page.lead = self.session.delivery.lead / 1000
        self.score.page.show_motion(self.session.motion)
        self._show_delivery()
        self._show_moment()

    def _show_delivery(self) -> None:
        self.delivery.show_delivery(self.session.delivery, has_kept=self.session.kept is not None)

    def _show_busy(self, what: str, fraction: float) -> None:
        busy = bool(what)
        self.progress.setVisible(busy)
        self.cancel_button.setVisible(busy)
        self.listen_button.setVisible(not busy)
        self.progress.setValue(round(fraction * 100))
        if busy:
            self.status.setText(f"{what}… {fraction:.0%}")

    def _show_transport(self) -> None:
        self.play_button.setText("■  Stop" if self.player.playing else "▶  Play")
        if self.player.playing:
            self._tick.start()
        else:
            self._tick.stop()
        self._show_moment()

    def _show_moment(self) -> None:
        """Bring picture, score and words to where the sound is."""
        seconds = self.player.position()
        motion = self.session.motion
        if motion is not None:
            self.face.show_pose(motion.at(seconds))
        if self.session.reading is not None:
            self.score.follow(seconds)
        word, phone = self.session.moment(seconds)
        frame = int(seconds * float(self.session.fps) + 1e-6)
        sound = f"/{phone.ipa}/  " if phone else ""
        text = f"{sound}{word.text if word else '·'}   frame {frame}"
        if text != self.now.text():
            self.now.setText(text)

    # ---- doing ------------------------------------------------------------------------------

    def play_or_stop(self) -> None:
        if self.player.playing:
            self.player.stop()
        elif self.session.line is not None:
            self.player.play()

    def play_word(self, number: int) -> None:
        """Play one word of the score."""
        if self.session.reading is not None:
            word = list(self.session.reading.words())[number]
            self.player.play(word.start, word.end)

    def play_word_loop(self) -> None:
        """Loop the chosen word, or the one at the playhead, with a little around it."""
        reading = self.session.reading
        if reading is None:
            return
        words = list(reading.words())
        number = self.score.page.word
        if number < 0:
            at = self.player.position()
            number = next((k for k, w in enumerate(words) if w.end > at), 0)
            self.score.page.select(number)
        self._loop(words[number].start, words[number].end)

    def play_phrase_loop(self) -> None:
        """Loop the phrase of the chosen word, or the one at the playhead."""
        reading = self.session.reading
        if reading is None:
            return
        chosen = self.score.page.word
        at = list(reading.words())[chosen].start if chosen >= 0 else self.player.position()
        phrase = next((p for p in reading.phrases if p.end > at), reading.phrases[-1])
        self._loop(phrase.start, phrase.end)

    def _loop(self, start: float, end: float) -> None:
        self.player.play(max(0.0, start - 0.08), min(self.player.duration, end + 0.12), loop=True)

    def _to_start(self) -> None:
        self.player.seek(0.0)

    def _scrub(self, seconds: float) -> None:
        self.player.scrub(seconds)

    def _reset_delivery(self) -> None:
        plain = Delivery()
        self.session.set_delivery(**{c.name: getattr(plain, c.name) for c in CONTROLS})

    def _rate_chosen(self) -> None:
        text = self.rate.currentText().replace("fps", "").strip()
        if text != self.session.production.header.fps:
            self.session.set_fps(text)
        self.rate.setCurrentText(f"{self.session.production.header.fps} fps")

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a recording", "", f"{RECORDINGS};;All files (*)"
        )
        if name:
            self.session.open(Path(name))

    def ask_open_production(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a production")
        if name:
            self.session.open(Path(name))

    def ask_save(self) -> None:
        if self.session.line is None or self.session.reading is None:
            self.tell("Listen to the line first; there is no motion to save yet.")
            return
        name, kind = QFileDialog.getSaveFileName(
            self,
            "Save curves",
            f"{self.session.line.slug}.csv",
            "Table, a row a frame (*.csv);;JSON (*.json)",
        )
        if not name:
            return
        path = Path(name)
        if not path.suffix:
            path = path.with_suffix(".json" if "json" in kind else ".csv")
        current = self.session.production.header.fps
        rates = list(RATES) if current in RATES else [current, *RATES]
        fps, agreed = QInputDialog.getItem(
            self, "Save curves", "Frames a second:", rates, rates.index(current), True
        )
        if agreed:
            self.save_to(path, fps)

    def save_to(self, path: Path, fps: str) -> None:
        """Write the curves and say so."""
        try:
            self.session.save_curves(path, fps)
        except GlyphosError as error:
            self.tell(str(error))
        else:
            self.status.setText(f"Curves at {fps} frames a second saved as {path.name}")

    def change_theme(self) -> None:
        """Paper by day, night by night."""
        self.set_theme("night" if self.theme.name == "paper" else "paper")
        QSettings().setValue("theme", self.theme.name)

    def set_theme(self, name: str) -> None:
        """Dress the window in a theme by name."""
        self.theme = themes.THEMES[name]
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        themes.apply(application, self.theme)
        self.theme_button.setText("&Night" if name == "paper" else "&Paper")
        self.face.theme = self.score.page.theme = self.lines.painter_of_rows.theme = self.theme
        self.update()

    # ---- window events ----------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            path = Path(url.toLocalFile())
            if path.suffix.lower() == ".txt":
                self._drop_script(path)
            else:
                self.session.open(path)

    def _drop_script(self, path: Path) -> None:
        from ..speech.script import read_script_file

        try:
            text = read_script_file(path).strip()
        except GlyphosError as error:
            self.tell(str(error))
            return
        if self.session.line is None:
            self.tell("Open a recording first, then drop its script.")
        else:
            self.script.setPlainText(text)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._tick.stop()
        self.player.stop()
        self.session.cancel()
        QThreadPool.globalInstance().waitForDone(3000)
        super().closeEvent(event)
