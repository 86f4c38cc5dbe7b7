"""The bars of the window: top with the pages, bottom with transport and messages, offers."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from ...production.kinds import HEAD, Key
from ...rates import USUAL
from ..model.context import Context
from ..model.talk import Offer
from ..page import PageEntry

WIDEST = 240  # pixels that a production's name asks for


class Name(QLabel):
    """A name that ends in … where there is no room for the whole."""

    def shown(self) -> str:
        """What of it there is room for."""
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())

    def sizeHint(self) -> QSize:
        return super().sizeHint().boundedTo(QSize(WIDEST, 10_000))

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawText(self.rect(), self.alignment(), self.shown())
        painter.end()


class TopBar(QWidget):
    """Brand, menu, the page switch, the production's name and frame rate, theme."""

    def __init__(self, context: Context, pages: Sequence[PageEntry]) -> None:
        super().__init__(objectName="top")
        self._document = context.document
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 14, 5)
        row.setSpacing(6)
        self.menu_button = QToolButton()
        self.menu_button.setText("☰  Men&u")
        self.menu_button.setAccessibleName("Menu")
        self.menu_button.setToolTip("Everything that can be done (F2 finds a command)")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.group = QButtonGroup(self)
        self.pages: dict[str, QPushButton] = {}
        row.addWidget(QLabel("Glyphos", objectName="brand"))
        row.addSpacing(8)
        row.addWidget(self.menu_button)
        row.addSpacing(14)
        for page in pages:
            button = QPushButton(page.title, objectName="tab")
            button.setCheckable(True)
            button.setAccessibleName(f"Page {page.title}")
            self.group.addButton(button)
            self.pages[page.name] = button
            row.addWidget(button)
        row.addStretch(1)
        self.title = Name(objectName="production")
        self.title.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        self.title.setMinimumWidth(20)  # where there is little room, pages come first
        self.rate = QComboBox()
        self.rate.addItems([f"{r} fps" for r in USUAL])
        self.rate.setEditable(True)
        self.rate.setMinimumContentsLength(8)
        self.rate.setAccessibleName("Frame rate")
        self.rate.setToolTip("Frames a second of the production; any rate can be typed")
        self.open_button = QPushButton("&Open…")
        self.open_button.setAccessibleName("Open")
        self.add_button = QPushButton("Add li&nes…")
        self.add_button.setAccessibleName("Add lines")
        self.theme_button = QPushButton("Night")
        self.theme_button.setAccessibleName("Theme")
        for widget in (self.title, self.rate, self.open_button, self.add_button, self.theme_button):
            row.addWidget(widget)
        self._document.opened.connect(self._show_header)
        self._document.changed.connect(self._follow)
        self._show_header()

    def _follow(self, keys: frozenset[Key]) -> None:
        if not keys or HEAD in keys:
            self._show_header()

    def _show_header(self) -> None:
        """The production's name and rate."""
        header = self._document.header
        self.title.setText(header.name)
        self.title.setToolTip(header.name)
        self.rate.setCurrentText(f"{header.fps} fps")

    @property
    def rate_text(self) -> str:
        """The rate as it was chosen or typed."""
        return self.rate.currentText().replace("fps", "").strip()


class BottomBar(QWidget):
    """Play, the page's own buttons, what is said, what is being done."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.play_button = QPushButton("▶  Play")
        self.play_button.setToolTip("Play and stop (Space)")
        self.play_button.setAccessibleName("Play or stop")
        self.play_button.setMinimumWidth(
            self.play_button.fontMetrics().horizontalAdvance("■  Stop") + 34
        )
        self.status = QLabel(objectName="status")
        self.status.setAccessibleName("Status")
        self.status.setWordWrap(True)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(90)
        self.progress.setAccessibleName("Progress")
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setAccessibleName("Cancel")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 4, 14, 6)
        self._row.setSpacing(8)
        self._tools: dict[str, QWidget] = {}
        self._message = ""
        for widget in (self.play_button, self.status, self.progress, self.cancel_button):
            self._row.addWidget(widget, 1 if widget is self.status else 0)
        self.cancel_button.clicked.connect(context.jobs.cancel_shown)
        context.talk.said.connect(lambda text: self._show(text))
        context.talk.failed.connect(lambda text: self._show(f"⚠ {text}"))
        context.talk.cleared.connect(lambda: self._show(""))
        context.document.stepped.connect(lambda _: self._show(""))
        context.document.opened.connect(lambda: self._show(""))
        context.selection.line_changed.connect(lambda: self._show(""))
        context.document.trouble_changed.connect(lambda _: self._tell())
        context.jobs.changed.connect(self._tell)
        context.transport.changed.connect(self._show_transport)
        self._tell()

    def show_tools(self, page: str, tools: Sequence[QWidget]) -> None:
        """The buttons of a page; each page's stay together, shown or not."""
        if page not in self._tools:
            box = QWidget()
            row = QHBoxLayout(box)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(8)
            for widget in tools:
                row.addWidget(widget)
            self._tools[page] = box
            self._row.insertWidget(1, box)
        for name, box in self._tools.items():
            box.setVisible(name == page)

    def _show_transport(self) -> None:
        self.play_button.setText("■  Stop" if self._c.transport.playing else "▶  Play")

    def _show(self, message: str) -> None:
        self._message = message
        self._tell()

    def _tell(self) -> None:
        """What cannot be written comes first, then what is being done, then what was said."""
        jobs, trouble = self._c.jobs.shown, self._c.document.trouble
        self.progress.setVisible(bool(jobs))
        self.cancel_button.setVisible(bool(jobs))
        text = self._message
        if jobs:
            job = jobs[-1]
            self.progress.setValue(round(job.fraction * 100))
            more = f" (and {len(jobs) - 1} more)" if len(jobs) > 1 else ""
            doing = f"{job.what}… {job.fraction:.0%}{more}"
            text = f"{text}   {doing}" if text.startswith("⚠") else doing
        if trouble:
            text = f"⚠ {trouble}"
        if text != self.status.text():
            self.status.setText(text)
            self.status.setToolTip(text)


class OfferBar(QWidget):
    """Offers something with a button, without getting in the way."""

    def __init__(self, context: Context) -> None:
        super().__init__(objectName="notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._c = context
        self._shown: Offer | None = None
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.yes = QPushButton()
        self.no = QPushButton()
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 14, 5)
        row.addWidget(self.text, 1)
        row.addWidget(self.yes)
        row.addWidget(self.no)
        self.yes.clicked.connect(self._take)
        self.no.clicked.connect(self._refuse)
        context.talk.offers_changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        offers = list(self._c.talk.offers.values())
        self._shown = offers[-1] if offers else None
        self.setVisible(self._shown is not None)
        if self._shown is not None:
            self.text.setText(self._shown.text)
            self.yes.setText(self._shown.action)
            self.yes.setAccessibleName(self._shown.action)
            self.yes.setVisible(bool(self._shown.action))
            away = "Not now" if self._shown.action else "All right"
            self.no.setText(away)
            self.no.setAccessibleName(away)

    def _take(self) -> None:
        if (offer := self._shown) is not None:
            self._c.talk.withdraw(offer.key)
            self._c.talk.try_to(offer.run)

    def _refuse(self) -> None:
        if self._shown is not None:
            self._c.talk.withdraw(self._shown.key)
