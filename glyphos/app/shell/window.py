"""The window around every page: top bar, lines, face, inspector, bottom bar.

It is given the model and a list of pages, and knows no page by name.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QMainWindow

from ..drawing import theme as themes
from ..model import settings
from ..model.collecting import Collecting
from ..model.context import Context
from ..model.settings import Preferences
from ..page import Page, PageEntry
from ..panels.lines.batch import Batch
from ..panels.lines.commands import LineCommands
from .areas import Areas
from .commands import Commands
from .general import General
from .idle import Idle
from .keycare import KeyCare
from .menus import Menus
from .pages import Pages
from .productions import Productions


class Window(QMainWindow):
    """One window on one open production."""

    def __init__(
        self, context: Context, pages: Sequence[PageEntry], *, unsaved: Path | None = None
    ) -> None:
        super().__init__()
        self.context = context
        context.ask.belong_to(self)
        self.pages = Pages(pages, self._take)
        self.theme = themes.dressed(context.preferring.now.theme, context.preferring.now.gestures)
        self.productions = Productions(context, unsaved)
        self.batch = Batch(context)
        self.setWindowTitle("Glyphos")
        self.setAcceptDrops(True)
        areas = self.areas = Areas(context, pages, self.theme)
        self.top, self.bottom, self.offers = areas.top, areas.bottom, areas.offers
        self.lines, self.face_panel = areas.lines, areas.face
        self.setCentralWidget(areas)
        self.general = General(self, self.context)
        self.commands = Commands(self, context.talk)
        self.commands.add(self.general.first(), -1)
        self.page: Page = self.pages[pages[0].name]
        for group in (
            self.face_panel.commands(), self.productions.commands(),
            LineCommands(context, self.batch).commands(self.lines.search.setFocus), self.general.last(),
        ):  # fmt: skip
            self.commands.add(group, len(pages))
        self.menus = Menus(
            context, self.commands, self.productions, self.top.menu_button, self.pages.make_all
        )
        self.menus.on_lines(self.lines.list)
        self.keys = KeyCare(self)
        self._collecting = Collecting(self._busy)
        self._collecting.setParent(self)
        self._tick = QTimer(self)
        self._tick.setTimerType(Qt.TimerType.PreciseTimer)
        self._tick.setInterval(16)
        self._idle = Idle(context, self.pages, self._busy, self)
        self._connect()
        self._dress(None, context.preferring.now)
        self.show_page(self.page.name)
        self._restore()
        self._idle.start()

    def _take(self, page: Page) -> None:
        """A page that was made: its widgets and commands belong to the window from now on."""
        page.go = partial(self.show_page, page.name)
        self.areas.stack.addWidget(page.widget())
        self.areas.inspector.take(page.name, page.inspector())
        self.commands.add(page.commands(), self.pages.place(page.name))
        page.set_theme(self.theme)

    def _connect(self) -> None:
        c, do = self.context, self.commands.do
        for name, button in self.top.pages.items():
            button.clicked.connect(lambda _=False, n=name: self.show_page(n))
        for button, command in (
            (self.top.open_button, "open"), (self.top.add_button, "add"),
            (self.top.theme_button, "theme"), (self.bottom.play_button, "play"),
        ):  # fmt: skip
            button.clicked.connect(lambda _=False, n=command: do(n))
        self.top.rate.activated.connect(lambda _: self.general.set_rate(self.top.rate_text))
        self.top.rate.lineEdit().editingFinished.connect(
            lambda: self.general.set_rate(self.top.rate_text)
        )
        self.lines.list.opened.connect(lambda: self.page.enter())
        self.lines.list.delete_wanted.connect(lambda: do("delete-line"))
        self.batch.busy_changed.connect(self.lines.show_busy)
        self._tick.timeout.connect(self.show_moment)
        c.transport.changed.connect(self._run)
        c.current.motion_changed.connect(self.show_moment)
        c.document.opened.connect(lambda: self.page.enter())
        c.preferring.changed.connect(self._dress)

    def _restore(self) -> None:
        self.resize(1280, 800)
        if (state := settings.layout("window")) is not None:
            self.restoreGeometry(state)
        if (state := settings.layout("columns")) is not None:
            self.areas.columns.restoreState(state)

    # ---- showing ------------------------------------------------------------------------------

    def show_page(self, name: str) -> None:
        """Show another page, with its inspector, its buttons and its commands."""
        if self.page.name != name:
            self.page.leave()
        self.page = self.pages[name]
        self.areas.give_room(self.page.alone, self.page.lists, self.page.faces)
        self.areas.stack.setCurrentWidget(self.page.widget())
        self.top.pages[name].setChecked(True)
        self.areas.inspector.show_sections(name, self.page.inspector())
        self.bottom.show_tools(name, self.page.tools())
        self.commands.show_page(name)
        self.page.enter()
        self.show_moment()

    def show_whole(self, whole: bool) -> None:
        """The page alone, for reading; or everything again."""
        if self.page.show_whole(whole):
            self.areas.show_beside(not whole)

    @property
    def whole(self) -> bool:
        return not self.top.isVisibleTo(self)

    def show_moment(self) -> None:
        """Bring picture, page and words to where the sound is."""
        seconds = self.context.transport.position()
        if self.page.faces:
            self.face_panel.show_moment(seconds)
        self.page.follow(seconds)

    def _run(self) -> None:
        if self.context.transport.playing:
            self._tick.start()
        else:
            self._tick.stop()
        self.show_moment()

    def _dress(self, before: Preferences | None, now: Preferences) -> None:
        """Look and behave as preferred."""
        if before is not None and now.device != before.device:
            self.general.use_device(now.device)
        if now.size > 0 and themes.resized(now.size):
            for page in self.pages.made:
                page.text_resized()
        self.theme = themes.dressed(now.theme, now.gestures)
        themes.dress(self, self.theme)
        self.areas.set_theme(self.theme, other="Night" if now.theme == "paper" else "Paper")
        for page in self.pages.made:
            page.set_theme(self.theme)
        self.update()

    def _busy(self) -> bool:
        """Whether a moment of waiting would be noticed."""
        c, held = self.context, QApplication.mouseButtons() != Qt.MouseButton.NoButton
        moving = c.transport.playing or c.tracking.on
        return held or moving or c.document.previewed is not None

    # ---- window events ------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
        self.context.talk.try_to(lambda: self.general.drop(paths))

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.productions.let_go():
            event.ignore()
            return
        settings.keep_layouts(window=self.saveGeometry(), columns=self.areas.columns.saveState())
        self._tick.stop()
        self._idle.stop()
        for page in self.pages.made:
            page.leave()
        self.context.tracking.close()
        self.context.transport.close()
        self.context.jobs.close()
        self.context.staging.close()
        self._collecting.close()
        super().closeEvent(event)
