"""Curves: one phrase over the width, all channels of the face under its words, one of them large enough to
be shaped by hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ....production.kinds import Key, line_key
from ...drawing.theme import Theme
from ...drawing.words import counted, sentence
from ...model.context import Context
from ...page import Command, Page, Section
from ...panels.layers.panel import LayersPanel
from .channels import ChannelList
from .commands import curve_commands
from .desk import CurveDesk
from .numbers import Numbers
from .paper import CurvesPaper
from .shown import Shown, phrase_at, phrase_view
from .tools import Tools

SHORTEST = 0.4  # seconds of a view
ASIDE = "aside"  # of the offers
EMPTY = "Listen to the line on the Score page first; then its curves stand here."


class CurvesPage(Page):
    """Puts list, paper and tools together and tells them what the model says."""

    name, lists = "curves", True

    def __init__(self, context: Context, theme: Theme) -> None:
        self._c = context
        self.desk = CurveDesk(context)
        self.visible = False
        self.channels = ChannelList(theme)
        self.paper = CurvesPaper(theme)
        self.tools_strip = Tools(context, self.desk)
        self.layers = LayersPanel(context)
        self.numbers = Numbers(context, self.desk)
        self._slug = ""  # of the line that was shown last
        self._leveled: tuple[np.ndarray, float] = (np.zeros(0, np.float32), 1.0)
        self._root = self._build()
        self.desk.setParent(self._root)
        self._watch = _Resized(
            self.scroll, lambda: self.paper.set_room(self.scroll.viewport().height())
        )
        self._connect()
        self._tell_asides()

    def _build(self) -> QWidget:
        self.scroll = QScrollArea()
        self.scroll.setWidget(self.paper)
        self.scroll.setWidgetResizable(True)
        self.scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroll.setFocusProxy(self.paper)
        self.where = QLabel()
        self.where.setObjectName("loupehead")
        self.hint = QLabel(EMPTY)
        self.hint.setContentsMargins(26, 20, 26, 4)
        self.before_button, self.after_button = QPushButton("‹"), QPushButton("›")
        for button, name, by in (
            (self.before_button, "Phrase before", -1),
            (self.after_button, "Next phrase", 1),
        ):
            button.setObjectName("small")
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.clicked.connect(partial(self.turn, by))
        head = QHBoxLayout()
        head.setContentsMargins(14, 6, 14, 0)
        head.setSpacing(8)
        head.addWidget(self.before_button)
        head.addWidget(self.where)
        head.addWidget(self.after_button)
        head.addStretch(1)
        head.addWidget(self.tools_strip.reach)
        center = QWidget()
        column = QVBoxLayout(center)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.hint)
        column.addWidget(self.scroll, 1)
        column.addWidget(self.tools_strip)
        split = QSplitter()
        split.addWidget(self.channels)
        split.addWidget(center)
        split.setStretchFactor(1, 1)
        split.setCollapsible(1, False)
        split.setSizes([224, 736])
        return split

    def _connect(self) -> None:
        c, desk, paper, try_to = self._c, self.desk, self.paper, self._c.talk.try_to
        self.channels.chosen.connect(desk.take)
        self.channels.done.connect(paper.setFocus)
        paper.channel_chosen.connect(desk.take)
        paper.part_chosen.connect(c.selection.select)
        paper.sought.connect(c.transport.seek)
        paper.key_chosen.connect(desk.choose)
        paper.pulled.connect(
            lambda at, by, done: try_to(
                lambda: desk.pull(at, by) if done else desk.drag_pull(at, by)
            )
        )
        paper.key_moved.connect(
            lambda n, k, at, by, done: try_to(
                lambda: desk.move_key(n, k, at, by) if done else desk.drag_key(n, k, at, by)
            )
        )
        paper.turned.connect(
            lambda a, b, done: try_to(lambda: desk.turn(a, b) if done else desk.drag_turn(a, b))
        )
        paper.key_wanted.connect(lambda at, value: try_to(lambda: desk.add_key(at, value)))
        paper.given_up.connect(desk.give_up)
        paper.nudged.connect(lambda steps: try_to(lambda: desk.nudge(steps)))
        paper.stepped.connect(self.step)
        paper.zoomed.connect(self.zoom)
        paper.menu_wanted.connect(self._menu)
        for signal in (desk.channel_changed, desk.chosen_changed, c.living.changed, c.current.motion_changed,
                       c.current.sound_changed):  # fmt: skip
            signal.connect(self._show)
        c.selection.part_changed.connect(self._show_part)
        c.current.line_changed.connect(self._show_line)
        c.current.reading_changed.connect(self._show_line)
        c.document.changed.connect(self._follow_document)

    # ---- the page -----------------------------------------------------------------------------

    def widget(self) -> QWidget:
        return self._root

    def inspector(self) -> Sequence[Section]:
        return (Section("Layers", self.layers), Section("Keys", self.numbers, self.numbers.wanted))

    def commands(self) -> Sequence[Command]:
        return curve_commands(self)

    def enter(self) -> None:
        self.visible = True
        self._show_line()
        self.paper.setFocus()

    def leave(self) -> None:
        self.visible = False

    def follow(self, seconds: float) -> None:
        """Show the playhead; turn to its phrase when it leaves the view."""
        if not self.visible or self._c.current.reading is None:
            return
        start, end = self.paper.shown.view
        moved = abs(seconds - self.paper.playhead) > 1e-9
        if moved and not start - 1e-6 <= seconds <= end:
            self._view_phrase(phrase_at(self._c.current.reading, self.desk.heard(seconds)))
        self.paper.set_playhead(seconds)

    def set_theme(self, theme: Theme) -> None:
        self.paper.theme = self.channels.theme = theme
        self.channels.list.viewport().update()

    def text_resized(self) -> None:
        self._show()

    def escape(self) -> bool:
        if self.paper.give_up():
            return True
        chosen = self.desk.chosen is not None or self._c.selection.part is not None
        self.desk.choose(None)
        self._c.selection.select(None)
        return chosen

    # ---- moving about -------------------------------------------------------------------------

    @property
    def phrase(self) -> int:
        """The phrase in the middle of the view."""
        reading = self._c.current.reading
        return (
            phrase_at(reading, self.desk.heard(sum(self.paper.shown.view) / 2))
            if reading is not None
            else 0
        )

    def turn(self, by: int) -> None:
        """Another phrase over the width; the playhead at its beginning."""
        reading = self._c.current.reading
        if reading is None or not reading.phrases:
            return
        number = min(max(self.phrase + by, 0), len(reading.phrases) - 1)
        self._view_phrase(number)
        if by:
            self._c.transport.seek(self.desk.film(reading.phrases[number].start))

    def _view_phrase(self, number: int) -> None:
        reading = self._c.current.reading
        if reading is not None and reading.phrases:
            a, b = phrase_view(reading, min(number, len(reading.phrases) - 1))
            self._view(self.desk.film(a), self.desk.film(b))

    def _view(self, start: float, end: float) -> None:
        if (start, end) != self.paper.shown.view:
            self.paper.show_all(replace(self.paper.shown, view=(start, end)))
            self._tell_where()

    def zoom(self, steps: int) -> None:
        """See less around the playhead, or more, up to the whole line."""
        start, end = self.paper.shown.view
        at = min(max(self.paper.playhead, start), end)
        long = (end - start) * 0.7**steps
        last = max(self._c.transport.duration, end if steps > 0 else 0.0)
        long = min(max(long, SHORTEST), max(last, SHORTEST))
        a = min(max(0.0, at - long * (at - start) / max(end - start, 1e-6)), max(0.0, last - long))
        self._view(a, a + long)

    def step(self, frames: int) -> None:
        """The playhead some frames on or back."""
        fps = float(self._c.current.fps)
        at = round(self._c.transport.position() * fps) + frames
        self._c.transport.seek(max(0.0, at / fps))

    def find(self) -> None:
        self.channels.search.setFocus()
        self.channels.search.selectAll()

    def _menu(self, at: QPoint, seconds: float) -> None:
        menu = QMenu(self._root)
        self.fill_menu(menu, seconds)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    def fill_menu(self, menu: QMenu, seconds: float) -> None:
        """What can be done at a time of the recording."""
        known, try_to = {c.name: c for c in self.commands()}, self._c.talk.try_to
        menu.addAction("Set a key here", partial(try_to, partial(self.desk.add_key, seconds)))
        if self.desk.chosen is not None:
            menu.addAction("Delete the key", partial(try_to, self.desk.delete))
        menu.addSeparator()
        for name in ("scale", "lift", "smooth", "hold", "ease", "across", "fewer", "clear"):
            command = known[f"curve-{name}"]
            menu.addAction(command.text, partial(try_to, command.run))

    # ---- showing ------------------------------------------------------------------------------

    def _show_line(self) -> None:
        """Another line, or other words of it: the phrase at the playhead."""
        self._tell_asides()
        if not self.visible:
            return
        self._show()
        reading = self._c.current.reading
        start, end = self.paper.shown.view
        if reading is not None and reading.phrases:
            there = any(start <= self.desk.film(p.start) < end for p in reading.phrases)
            if not there or self._other():
                self._view_phrase(phrase_at(reading, self.desk.heard(self._c.transport.position())))

    def _other(self) -> bool:
        slug = self._c.selection.slug
        changed, self._slug = self._slug != slug, slug
        return changed

    def _show_part(self) -> None:
        part, flat = self._c.selection.part, self._c.current.flat
        if self.visible and part is not None and flat is not None:
            start, end = (self.desk.film(t) for t in flat.span(part))
            a, b = self.paper.shown.view
            if part.level != "phrase" and not (a <= start and end <= b):
                self._view_phrase(flat.at_level(part, "phrase").number)
            elif part.level == "phrase" and (end < a or start > b):
                self._view_phrase(part.number)
        self._show()

    def _follow_document(self, keys: frozenset[Key]) -> None:
        line = self._c.current.line
        if line is None or line_key(line.slug) not in keys:
            return
        self._tell_asides()
        if self._c.document.previewed is None:  # else the face that follows tells
            self._show()

    def _tell_asides(self) -> None:
        """What could not be carried to other sounds waits to be placed again; that is said until it is."""
        line = self._c.current.line
        if line is None or not line.aside:
            self._c.talk.withdraw(ASIDE)
            return
        more = len(line.aside) - 1
        text = f"{sentence(line.aside[-1].what)} could not be carried along"
        if more:
            text += f", nor could {counted(more, 'other')}"
        known = self._c.talk.offers.get(ASIDE)
        if known is None or known.text != text:
            self._c.talk.offer(ASIDE, text, "Show what waits under Keys", self._show_asides)

    def _show_asides(self) -> None:
        self.go()
        self.numbers.wanted.emit()

    def _show(self) -> None:
        c, desk = self._c, self.desk
        line, current = c.current.line, c.current
        heard = current.heard and line is not None
        self.hint.setVisible(not heard)
        self.scroll.setVisible(heard)
        self.tools_strip.setEnabled(heard)
        if not self.visible:
            return
        motion = c.living.motion if heard else None
        touched = frozenset(t.channel for t in line.touches) if line is not None else frozenset()
        self.channels.show_title(
            f"{line.speaker or line.file} · {line.title}" if line is not None else ""
        )
        dragged = c.document.previewed is not None
        self.channels.show_motion(motion, touched, desk.channel, dragged=dragged)
        fresh = motion is not None and motion is not current.motion
        samples = (
            current.opened.recording.samples
            if current.opened is not None
            else np.zeros(0, np.float32)
        )
        self.paper.show_all(
            Shown(
                line.reading if heard and line is not None else None, motion, c.living.composed if fresh else None,
                desk.channel, tuple(desk.touches()), desk.chosen, c.selection.part, self.paper.shown.view,
                current.delivery, desk.base.values if desk.base is not None else None, samples, self._level(samples),
            )
        )  # fmt: skip
        self._tell_where()

    def _level(self, samples: np.ndarray) -> float:
        """What brings the loudest sample to 1."""
        if self._leveled[0] is not samples:
            loudest = float(np.abs(samples).max()) if len(samples) else 1.0
            self._leveled = (samples, 1 / max(loudest, 1e-4))
        return self._leveled[1]

    def _tell_where(self) -> None:
        reading = self._c.current.reading
        count = len(reading.phrases) if reading is not None else 0
        self.where.setText(f"phrase {self.phrase + 1} of {count}" if count else "")
        self.before_button.setEnabled(self.phrase > 0)
        self.after_button.setEnabled(self.phrase + 1 < count)


class _Resized(QObject):
    """Tells when a widget has another size."""

    def __init__(self, widget: QWidget, then: Callable[[], None]) -> None:
        super().__init__(widget)
        self._then = then
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._then()
        return False
