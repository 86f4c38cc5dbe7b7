"""The window: puts the views together and passes intentions to session and desk."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, QThreadPool, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ..errors import GlyphosError
from ..motion.delivery import Delivery
from ..speech.parts import Edge
from . import settings
from . import theme as themes
from .commands import Commands
from .delivery_panel import CONTROLS, DeliveryPanel
from .desk import Desk
from .face_view import FaceView
from .keycare import KeyCare
from .lines_view import LinesPanel
from .loupe import Loupe
from .player import Device, Player, best_device
from .score_view import ScoreView
from .session import Session
from .watch import Watch
from .window_actions import Actions

RATES = ("12", "23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60")
LANGUAGES = {
    "en": "English", "it": "Italian", "es": "Spanish", "de": "German", "fr": "French",
    "pt": "Portuguese", "pl": "Polish", "ja": "Japanese", "hi": "Hindi",
}  # fmt: skip
OTHER = "more"
EMPTY = (
    "<p style='font-size:18pt'><i>Bring in a recorded line.</i></p>"
    "<p>Drop a recording here, a folder of them or a table (CSV), or press <b>Open…</b><br>"
    "A text file of the same name beside a recording becomes its script.</p>"
    "<p>Then <b>Listen</b>: the page fills with words, sounds and lips, and the face speaks.<br>"
    "Click a word to hear it, drag an edge to place it, press <b>F1</b> for all that can be done.</p>"
)
UNHEARD = (
    "<p style='font-size:16pt'><i>Not listened to yet.</i></p>"
    "<p>Write above what is said in the recording, then press <b>Listen</b>.<br>"
    "Without a script, <b>Listen without a script</b> puts in what it can make out.</p>"
)


class Window(QMainWindow):
    """One window: lines on the left, the page in the middle, face and delivery on the right."""

    def __init__(
        self, *, theme: str = "paper", device: Device | None = None, unsaved: Path | None = None
    ) -> None:
        super().__init__()
        self.preferences = replace(settings.load(), theme=theme)
        self.session = Session(unsaved)
        self.player = Player(device)
        self.desk = Desk(self.session, self.player)
        self.theme = themes.THEMES[theme].with_gestures(self.preferences.gestures)
        self.watch = Watch(self.session)
        self._busy_text = ""
        self._offered: Callable[[], object] = lambda: None
        self.setWindowTitle("Glyphos")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._build()
        self.commands = Commands(self, self.tell)
        self.act = Actions(self)
        self.act.register()
        self._connect()
        self.keys = KeyCare(self)
        self._tick = QTimer(self)
        self._tick.setTimerType(Qt.TimerType.PreciseTimer)
        self._tick.setInterval(16)
        self._tick.timeout.connect(self._show_moment)
        self.apply_preferences(self.preferences)
        self._show_line()
        self.open_button.setFocus()
        if (state := settings.layout("window")) is not None:
            self.restoreGeometry(state)
        for name, splitter in (("columns", self.columns), ("middle", self.middle)):
            if (state := settings.layout(name)) is not None:
                splitter.restoreState(state)

    # ---- building ---------------------------------------------------------------------------

    def _build(self) -> None:
        self.lines = LinesPanel(self.theme)
        self.score = ScoreView(self.theme)
        self.face = FaceView(self.theme)
        self.loupe = Loupe(self.theme)
        self.delivery = DeliveryPanel()
        self.empty = QLabel()
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setTextFormat(Qt.TextFormat.RichText)
        self.empty.setWordWrap(True)
        self.empty.setFont(themes.serif(13))
        self.pages = QStackedWidget()
        self.pages.addWidget(self.empty)
        self.pages.addWidget(self.score)
        upper = QWidget()
        page = QVBoxLayout(upper)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addWidget(self._script_area())
        page.addWidget(self.pages, 1)
        page.addWidget(self._notice())
        self.middle = QSplitter(Qt.Orientation.Vertical)
        self.middle.addWidget(upper)
        self.middle.addWidget(self._loupe_area())
        self.middle.setStretchFactor(0, 1)
        self.middle.setCollapsible(0, False)
        self.middle.setSizes([590, 165])
        center = QWidget()
        column = QVBoxLayout(center)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.middle, 1)
        column.addLayout(self._transport_row())
        self.columns = QSplitter()
        right = self._right_side()
        for widget, size in ((self.lines, 214), (center, 746), (right, 320)):
            self.columns.addWidget(widget)
            self.columns.setStretchFactor(self.columns.count() - 1, 1 if widget is center else 0)
            widget.setMinimumWidth({214: 180, 746: 380, 320: 290}[size])
        self.columns.setSizes([214, 746, 320])
        root = QWidget()
        whole = QVBoxLayout(root)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        self.top = self._top_bar()
        whole.addWidget(self.top)
        whole.addWidget(self.columns, 1)
        self.setCentralWidget(root)

    def _right_side(self) -> QWidget:
        right = QWidget(objectName="panel")
        self.right = right
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(self.face, 1)
        self.now = QLabel(objectName="now")
        self.now.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.now.setAccessibleName("Sound, word and frame at the playhead")
        side.addWidget(self.now)
        side.addWidget(self.delivery)
        return right

    def _top_bar(self) -> QWidget:
        bar = QWidget(objectName="top")
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 6, 14, 6)
        brand = QLabel("Glyphos", objectName="brand")
        self.title = QLabel()
        self.menu_button = QToolButton()
        self.menu_button.setText("☰  Men&u")
        self.menu_button.setAccessibleName("Menu")
        self.menu_button.setToolTip("Everything that can be done (F2 finds a command)")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.open_button = QPushButton("&Open…")
        self.add_button = QPushButton("A&dd lines…")
        self.save_button = QPushButton("Save &curves…")
        self.theme_button = QPushButton("&Night")
        self.rate = QComboBox()
        self.rate.addItems([f"{r} fps" for r in RATES])
        self.rate.setCurrentText("24 fps")
        self.rate.setEditable(True)
        self.rate.setAccessibleName("Frame rate")
        self.rate.setToolTip("Frames a second of the production; any rate can be typed")
        row.addWidget(brand)
        row.addSpacing(10)
        row.addWidget(self.menu_button)
        row.addSpacing(8)
        row.addWidget(self.title, 1)
        for widget in (
            self.rate, self.open_button, self.add_button, self.save_button, self.theme_button,
        ):  # fmt: skip
            row.addWidget(widget)
            if isinstance(widget, QPushButton):
                widget.setAccessibleName(widget.text().replace("&", "").rstrip("…"))
        return bar

    def _script_area(self) -> QWidget:
        self.script = QPlainTextEdit()
        self.script.setPlaceholderText("What is said: type or paste the script here")
        self.script.setAccessibleName("Script")
        self.script.setTabChangesFocus(True)
        self.script.setMaximumHeight(66)
        self.listen_button = QPushButton("&Listen", objectName="go")
        self.listen_button.setToolTip(
            "Find every word and sound of the script in the recording (F5)"
        )
        self.listen_button.setAccessibleName("Listen")
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setAccessibleName("Cancel")
        self.cancel_button.hide()
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("Progress")
        self.progress.hide()
        self.language = QComboBox()
        self.language.setAccessibleName("Language of the line")
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language.addItem("another…", OTHER)
        self.language.setToolTip("Language that is spoken")
        side = QVBoxLayout()
        side.setSpacing(4)
        for widget in (self.language, self.listen_button, self.cancel_button, self.progress):
            side.addWidget(widget)
        side.addStretch(1)
        self.script_area = QWidget()
        row = QHBoxLayout(self.script_area)
        row.setContentsMargins(14, 8, 14, 4)
        row.setSpacing(10)
        row.addWidget(self.script, 1)
        row.addLayout(side)
        return self.script_area

    def _notice(self) -> QWidget:
        """A bar that offers something without getting in the way."""
        self.notice = QWidget(objectName="notice")
        self.notice_text = QLabel()
        self.notice_text.setWordWrap(True)
        self.notice_yes = QPushButton()
        self.notice_no = QPushButton("Not now")
        self.notice_no.setAccessibleName("Not now")
        row = QHBoxLayout(self.notice)
        row.setContentsMargins(14, 6, 14, 6)
        row.addWidget(self.notice_text, 1)
        row.addWidget(self.notice_yes)
        row.addWidget(self.notice_no)
        self.notice.hide()
        return self.notice

    def _loupe_area(self) -> QWidget:
        area = QWidget(objectName="panel")
        self.loupe_title = QLabel(objectName="loupehead")
        self.loupe_title.setAccessibleName("In the Loupe")
        self.snap = QComboBox()
        self.snap.setAccessibleName("Edges snap to")
        self.snap.setToolTip("What an edge snaps to while it is dragged")
        for value, text in (
            ("off", "snap: off"),
            ("frames", "snap: frames"),
            ("energy", "snap: energy"),
        ):
            self.snap.addItem(text, value)
        head = QHBoxLayout()
        head.setContentsMargins(14, 3, 14, 0)
        head.addWidget(self.loupe_title, 1)
        head.addWidget(self.snap)
        column = QVBoxLayout(area)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(head)
        column.addWidget(self.loupe, 1)
        self.loupe_area = area
        return area

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
        self.doubt_button = QPushButton("?  Next doubtful")
        self.doubt_button.setToolTip("Choose and play the next doubtful word (D)")
        self.doubt_button.setAccessibleName("Next doubtful")
        self.status = QLabel(objectName="status")
        self.status.setAccessibleName("Status")
        self.status.setWordWrap(True)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout()
        row.setContentsMargins(14, 6, 14, 8)
        row.setSpacing(8)
        for widget in (self.play_button, self.loop_word, self.loop_phrase, self.doubt_button):
            row.addWidget(widget)
        row.addWidget(self.status, 1)
        return row

    def _connect(self) -> None:
        s, page, loupe, desk, do = (
            self.session,
            self.score.page,
            self.loupe,
            self.desk,
            self.commands.do,
        )
        s.production_changed.connect(self._show_production)
        s.line_changed.connect(self._show_line)
        s.script_changed.connect(self._show_script)
        s.reading_changed.connect(self._show_reading)
        s.motion_changed.connect(self._show_motion)
        s.selection_changed.connect(self._show_selection)
        s.busy_changed.connect(self._show_busy)
        s.failed.connect(self.tell)
        s.said.connect(self.say)
        self.player.changed.connect(self._show_transport)
        self.lines.list.chosen.connect(s.show_line)
        self.open_button.clicked.connect(lambda: do("open"))
        self.add_button.clicked.connect(lambda: do("add"))
        self.save_button.clicked.connect(lambda: do("save-curves"))
        self.theme_button.clicked.connect(lambda: do("theme"))
        self.rate.activated.connect(lambda _: self._rate_chosen())
        self.rate.lineEdit().editingFinished.connect(self._rate_chosen)
        self.script.textChanged.connect(lambda: s.set_script(self.script.toPlainText()))
        self.language.activated.connect(lambda _: self._language_chosen())
        self.listen_button.clicked.connect(lambda: do("listen"))
        self.cancel_button.clicked.connect(s.cancel)
        self.play_button.clicked.connect(lambda: do("play"))
        self.loop_word.clicked.connect(lambda: do("loop-word"))
        self.loop_phrase.clicked.connect(lambda: do("loop-phrase"))
        self.doubt_button.clicked.connect(lambda: do("next-doubtful"))
        self.delivery.moved.connect(self._delivery_moved)
        self.delivery.released.connect(s.set_delivery)
        self.delivery.keep.connect(s.keep_delivery)
        self.delivery.keep.connect(self._show_delivery)
        self.delivery.flip.connect(s.flip_delivery)
        self.delivery.reset.connect(self._reset_delivery)
        self.notice_no.clicked.connect(self.notice.hide)
        self.notice_yes.clicked.connect(self._take_offer)
        self.watch.offered.connect(self.offer)
        self.snap.activated.connect(lambda _: self._snap_chosen())
        for view in (page, loupe):
            view.chosen.connect(s.select)
            view.played.connect(desk.play_part)
            view.scrubbed.connect(self.player.scrub)
            view.edge_dragged.connect(desk.drag_edge)
            view.edge_dropped.connect(desk.drop)
            view.pin_wanted.connect(desk.toggle_pin)
        page.scrub_ended.connect(self._show_moment)
        page.part_dragged.connect(desk.drag_part)
        page.menu_wanted.connect(self._context_menu)
        page.level_wanted.connect(lambda by: do("narrower" if by > 0 else "wider"))
        loupe.edge_chosen.connect(self._edge_chosen)
        loupe.edge_nudged.connect(self._edge_nudged)

    def _edge_chosen(self, edge: Edge | None) -> None:
        self.desk.edge = edge
        self._show_loupe_title()

    def _edge_nudged(self, edge: Edge, frames: int, milliseconds: float) -> None:
        self.desk.nudge_edge(edge, frames, milliseconds / 1000)

    # ---- showing ----------------------------------------------------------------------------

    def tell(self, message: str) -> None:
        """Say a failure in the status line, where it stays until something else is done."""
        self.status.setText(f"⚠ {message}")
        self.status.setToolTip(message)

    def say(self, message: str) -> None:
        """Say what was done."""
        self.status.setText(message)
        self.status.setToolTip(message)

    def _take_offer(self) -> None:
        self.notice.hide()
        self._offered()

    def offer(self, message: str, action: str, command: Callable[[], object]) -> None:
        """Offer something in the bar below the page."""
        self.notice_text.setText(message)
        self.notice_yes.setText(action)
        self.notice_yes.setAccessibleName(action)
        self._offered = command
        self.notice.show()

    def _show_production(self) -> None:
        line = self.session.line
        self.lines.show_lines(self.session.production.lines, line.slug if line else None)
        self.title.setText(self.session.production.header.name)
        self.rate.setCurrentText(f"{self.session.production.header.fps} fps")

    def _show_line(self) -> None:
        s = self.session
        has = s.line is not None
        for widget in (
            self.script, self.language, self.listen_button, self.play_button, self.delivery,
        ):  # fmt: skip
            widget.setEnabled(has)
        self.status.clear()
        self.notice.hide()
        self._show_script()
        if s.opened is not None:
            r = s.opened.recording
            self.player.load(s.opened.sound)
            self.score.page.show_sound(r.samples, 16_000, r.duration)
            self.loupe.show_sound(r.samples, 16_000, r.duration)
            self._show_production()
        self._show_selection()
        self._show_reading()
        self._show_delivery()
        if s.line is not None and s.line.problem:
            self.tell(s.line.problem)

    def _show_script(self) -> None:
        line = self.session.line
        text = line.script if line else ""
        if text != self.script.toPlainText():
            self.script.blockSignals(True)
            self.script.setPlainText(text)
            self.script.blockSignals(False)
        if line is not None:
            at = self.language.findData(line.language)
            if at < 0:
                self.language.insertItem(self.language.count() - 1, line.language, line.language)
                at = self.language.findData(line.language)
            self.language.setCurrentIndex(at)

    def _show_reading(self) -> None:
        s = self.session
        heard = s.reading is not None and bool(s.reading.phrases)
        self.score.page.show_reading(s.reading if heard else None)
        self.loupe.show_reading(self.score.page.flat)
        self.loupe_area.setVisible(heard)
        if heard:
            self.pages.setCurrentWidget(self.score)
            if self.focusWidget() in (None, self.open_button):
                self.score.page.setFocus()
        else:
            self.empty.setText(UNHEARD if s.line is not None else EMPTY)
            self.pages.setCurrentWidget(self.empty)
        for button in (self.loop_word, self.loop_phrase, self.doubt_button, self.save_button):
            button.setEnabled(heard)
        self._show_loupe_title()

    def _show_selection(self) -> None:
        part = self.session.part
        self.score.page.show_part(part)
        self.loupe.show_part(part)
        if part is not None:
            self.score.bring_part(part)
        self._show_loupe_title()

    def _show_loupe_title(self) -> None:
        flat, part = self.loupe.flat, self.loupe.word()
        if flat is None or part is None:
            self.loupe_title.clear()
            return
        from ..speech.edits import pin_count

        a, b = flat.word_range(part)
        text = " ".join(w.text for w in flat.words[a:b])
        pins = pin_count(flat.reading, part)
        sure = min((w.confidence for w in flat.words[a:b]), default=1.0)
        ink = self.theme.ink
        parts = [
            f"<b style='color:{ink}'>{text[:60]}</b>",
            f"{pins} pinned" if pins else "",
            f"{sure:.0%} sure",
        ]
        if self.desk.edge is not None and flat.has_edge(self.desk.edge):
            time = flat.edge_time(self.desk.edge)
            parts.append(f"edge at {time:.3f} s, frame {time * float(self.session.fps):.1f}")
        self.loupe_title.setText(" · ".join(p for p in parts if p))

    def _show_motion(self) -> None:
        lead = self.session.delivery.lead / 1000
        self.score.page.lead = lead
        self.score.page.show_motion(self.session.motion, self.session.motion_window)
        self.loupe.show_motion(self.session.motion, lead)
        self._show_delivery()
        self._show_moment()

    def _delivery_moved(self, name: str, value: float) -> None:
        self.session.view_span = self.score.visible_span()
        self.session.set_delivery(save=False, **{name: value})

    def _show_delivery(self) -> None:
        self.delivery.show_delivery(self.session.delivery, has_kept=self.session.kept is not None)

    def _show_busy(self, what: str, fraction: float) -> None:
        busy = bool(what)
        self.progress.setVisible(busy)
        self.cancel_button.setVisible(busy)
        self.listen_button.setVisible(not busy)
        self.progress.setValue(round(fraction * 100))
        if busy:
            self._busy_text = f"{what}… {fraction:.0%}"
            self.say(self._busy_text)
        elif self.status.text() == self._busy_text:
            self.say("")

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
        if self.score.page.reading is not None:
            self.score.follow(seconds)
            self.loupe.set_playhead(seconds)
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

    def _context_menu(self, at: QPoint, seconds: float) -> None:
        menu = QMenu(self)
        part = self.session.part
        self.act.fill_context(menu, part, seconds)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    def _reset_delivery(self) -> None:
        plain = Delivery()
        self.session.set_delivery(**{c.name: getattr(plain, c.name) for c in CONTROLS})

    def _rate_chosen(self) -> None:
        text = self.rate.currentText().replace("fps", "").strip()
        if text != self.session.production.header.fps:
            self.session.set_fps(text)
        self.rate.setCurrentText(f"{self.session.production.header.fps} fps")

    def _language_chosen(self) -> None:
        code = str(self.language.currentData())
        if code == OTHER:
            self._show_script()
            self.commands.do("language")
        else:
            self.session.set_language(code)

    def _snap_chosen(self) -> None:
        self.apply_preferences(replace(self.preferences, snap=str(self.snap.currentData())))

    def save_to(self, path: Path, fps: str) -> None:
        """Write the curves and say so."""
        try:
            self.session.save_curves(path, fps)
        except GlyphosError as error:
            self.tell(str(error))
        else:
            self.say(f"Curves at {fps} frames a second saved as {path.name}")

    def apply_preferences(self, preferences: settings.Preferences) -> None:
        """Dress and behave as preferred, and remember it."""
        if preferences.device != self.preferences.device:
            self.player.stop()
            self.player.device = best_device(preferences.device)
        self.preferences = preferences
        settings.save(preferences)
        self.loupe.snap = preferences.snap
        self.snap.setCurrentIndex(self.snap.findData(preferences.snap))
        self.loupe.set_formants(preferences.formants)
        self.desk.scrub_while_dragging = preferences.scrub
        if preferences.size > 0:
            font = QApplication.font()
            font.setPointSizeF(preferences.size)
            QApplication.setFont(font)
            self.score.page.set_zoom(self.score.page.zoom)
        self.set_theme(preferences.theme)

    def set_theme(self, name: str) -> None:
        """Dress the window in a theme by name."""
        self.preferences = replace(self.preferences, theme=name)
        self.theme = themes.THEMES[name].with_gestures(self.preferences.gestures)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        themes.apply(application, self.theme)
        self.theme_button.setText("&Night" if name == "paper" else "&Paper")
        self.face.theme = self.score.page.theme = self.loupe.theme = self.theme
        self.lines.list.painter_of_rows.theme = self.theme
        self._show_loupe_title()
        self.update()

    def change_theme(self) -> None:
        """Paper by day, night by night."""
        name = "night" if self.theme.name == "paper" else "paper"
        self.apply_preferences(replace(self.preferences, theme=name))

    def read_only_page(self, whole: bool) -> None:
        """The score alone, for reading; or everything again."""
        for widget in (self.lines, self.right, self.script_area, self.loupe_area, self.top):
            widget.setVisible(not whole)
        if not whole:
            self.loupe_area.setVisible(self.score.page.reading is not None)

    # ---- window events ----------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
        texts = [p for p in paths if p.suffix.lower() == ".txt"]
        others = [p for p in paths if p.suffix.lower() != ".txt"]
        if len(others) == 1:
            self.session.open(others[0])
        elif others:
            self.session.add(others)
        if texts and not others:
            self._drop_script(texts[0])

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
        settings.keep_layout("window", self.saveGeometry())
        settings.keep_layout("columns", self.columns.saveState())
        settings.keep_layout("middle", self.middle.saveState())
        self._tick.stop()
        self.player.stop()
        self.watch.stop()
        self.act.close()
        self.session.close()
        QThreadPool.globalInstance().waitForDone(3000)
        super().closeEvent(event)
