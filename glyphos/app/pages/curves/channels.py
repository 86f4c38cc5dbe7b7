"""All channels of a face by region, with a small curve beside each; those that move come first."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import (
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QSignalBlocker,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ....motion.curve import Motion
from ....motion.regions import channel_words, ranges
from ...drawing import theme as themes
from ...drawing.polyline import polyline
from ...drawing.theme import Theme
from .shown import groups, moving

Index = QModelIndex | QPersistentModelIndex
NAME = Qt.ItemDataRole.UserRole
SPARK, COLUMNS = 54, 48
STILL_ROW = "still"
LATER = 200  # milliseconds after which small curves follow what is dragged


class ChannelList(QWidget):
    """Chosen by mouse, keys or search."""

    chosen = Signal(str)
    done = Signal()  # one was taken, to be worked on now

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._motion: Motion | None = None
        self._touched: frozenset[str] = frozenset()
        self._sparks: dict[str, NDArray[np.float64]] = {}
        self._order: tuple[str, ...] = ()
        self._later: tuple[Motion | None, frozenset[str], str] = (None, frozenset(), "")
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(LATER)
        self._rest.timeout.connect(lambda: self.show_motion(*self._later))
        self._all = False  # whether those that stand still are listed too
        self.title = QLabel()
        self.title.setObjectName("heading")
        self.title.setWordWrap(True)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find a channel")
        self.search.setAccessibleName("Find a channel")
        self.search.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Channels")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setItemDelegate(ChannelDelegate(self, lambda: self.theme))
        self.theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 6, 6)
        for widget in (self.title, self.search):
            column.addWidget(widget)
        column.addWidget(self.list, 1)
        self.search.textChanged.connect(lambda _: self._fill())
        self.search.returnPressed.connect(self._take_first)
        self.list.currentItemChanged.connect(lambda item, _: self._taken(item))
        self.list.itemClicked.connect(self._open)
        self.list.itemActivated.connect(self._open)
        self.setMinimumWidth(226)

    # ---- showing ------------------------------------------------------------------------------

    def show_motion(
        self, motion: Motion | None, touched: frozenset[str], channel: str, *, dragged: bool = False
    ) -> None:  # fmt: skip
        """The curves as they are now; the list itself stays while the same channels move. While something is
        dragged they follow a little later."""
        changed = motion is not self._motion
        if changed and dragged and self._order:
            self._later = (motion, touched, channel)
            if not self._rest.isActive():
                self._rest.start()
            return
        self._rest.stop()
        self._motion = motion
        order = (
            tuple(n for n, moves in moving(motion).items() if moves) if motion is not None else ()
        )
        if changed:
            self._sparks.clear()
        if order != self._order or not self.list.count():
            self._order = order
            self._fill(channel)
        elif changed or touched != self._touched:
            self.list.viewport().update()
        self._touched = touched
        self.show_channel(channel)

    def show_title(self, text: str) -> None:
        """Which line it is, as much of it as two rows hold."""
        room = 2 * max(120, self.title.width() - 20)
        metrics = self.title.fontMetrics()
        self.title.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, room))
        self.title.setToolTip(text)

    def show_channel(self, channel: str) -> None:
        """Which one is worked on."""
        item = self._item(channel)
        if item is None and channel and not self.search.text():
            self._fill(channel)  # it stands still
            item = self._item(channel)
        if item is not None and item is not self.list.currentItem():
            with QSignalBlocker(self.list):
                self.list.setCurrentItem(item)
            self.list.scrollToItem(item)

    def _item(self, channel: str) -> QListWidgetItem | None:
        for k in range(self.list.count()):
            if self.list.item(k).data(NAME) == channel:
                return self.list.item(k)
        return None

    def _fill(self, channel: str = "") -> None:
        current = self.list.currentItem()
        now = channel or (current.data(NAME) if current is not None else "")
        words = self.search.text().lower().split()
        moves, still = set(self._order), 0
        with QSignalBlocker(self.list):
            self.list.clear()
            for region, names in groups(self._motion).items():
                shown = [
                    n for n in names
                    if all(any(t.startswith(w) for t in (*n.split("_"), region)) for w in words)
                    and (n in moves or n == now or self._all or words)
                ]  # fmt: skip
                still += sum(n not in moves for n in names)
                if not shown:
                    continue
                heading = QListWidgetItem(region.capitalize())
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(heading)
                for n in shown:
                    item = QListWidgetItem(channel_words(n))
                    item.setData(NAME, n)
                    if n not in moves:
                        item.setToolTip("Does not move in this line")
                    self.list.addItem(item)
            if still and not words:
                text = (
                    "Hide those that stand still"
                    if self._all
                    else f"{still} channels do not move in this line"
                )
                item = QListWidgetItem(text)
                item.setData(NAME, STILL_ROW)
                self.list.addItem(item)
        if now and now != STILL_ROW:
            found = self._item(now)
            if found is not None:
                with QSignalBlocker(self.list):
                    self.list.setCurrentItem(found)

    def spark(self, channel: str) -> NDArray[np.float64]:
        """A channel of the whole line in a few columns, 0 at the bottom to 1."""
        if channel not in self._sparks:
            made = np.zeros(COLUMNS)
            if self._motion is not None and channel in self._motion.names and self._motion.frames:
                values = self._motion.channel(channel)
                low, high = ranges()[channel]
                if low < 0:
                    reach = max(float(np.abs(values).max()), 0.2 * high)
                    values = 0.5 + values / (2 * reach)
                at = np.linspace(0, len(values), COLUMNS, endpoint=False).astype(int)
                made = np.maximum.reduceat(values, at)
            self._sparks[channel] = made
        return self._sparks[channel]

    def moves(self, channel: str) -> bool:
        return channel in self._order

    def touched(self, channel: str) -> bool:
        """Whether something was done to it by hand."""
        return channel in self._touched

    # ---- hands --------------------------------------------------------------------------------

    def _taken(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(NAME) not in (None, STILL_ROW):
            self.chosen.emit(item.data(NAME))

    def _open(self, item: QListWidgetItem) -> None:
        if item.data(NAME) == STILL_ROW:
            self._all = not self._all
            self._fill()
        elif item.data(NAME) is not None:
            self.done.emit()

    def _take_first(self) -> None:
        """Enter in the search takes the first that is found."""
        for k in range(self.list.count()):
            if self.list.item(k).data(NAME) not in (None, STILL_ROW):
                self.list.setCurrentRow(k)
                self.chosen.emit(self.list.item(k).data(NAME))
                self.done.emit()
                return

    def step(self, by: int) -> None:
        """The next channel that is listed, or the one before."""
        row = self.list.currentRow()
        while 0 <= row + by < self.list.count():
            row += by
            if self.list.item(row).data(NAME) not in (None, STILL_ROW):
                self.list.setCurrentRow(row)
                return


class ChannelDelegate(QStyledItemDelegate):
    """A name and a small curve; a dot where something was done by hand."""

    def __init__(self, owner: ChannelList, theme: Callable[[], Theme]) -> None:
        super().__init__(owner)
        self._owner, self._theme = owner, theme

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        size = super().sizeHint(option, index)
        return QSize(size.width(), size.height() + (2 if index.data(NAME) else 8))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, name, box = self._theme(), index.data(NAME), option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if chosen:
            painter.fillRect(box, theme.color("page"))
            painter.fillRect(box.left(), box.top(), 3, box.height(), theme.color("chosen"))
        ink = "chosen" if chosen else "ink"
        if name is None or name == STILL_ROW or not self._owner.moves(name):
            ink = "chosen" if chosen else "faint"
        painter.setFont(themes.sans(9.5 if name else 9, bold=name is None or chosen))
        painter.setPen(theme.color(ink))
        words = box.adjusted(
            8 if name else 2, 0, 0 if name in (None, STILL_ROW) else -SPARK - 14, 0
        )
        text = painter.fontMetrics().elidedText(
            index.data(), Qt.TextElideMode.ElideRight, words.width()
        )
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, text)
        if name and name != STILL_ROW and self._owner.moves(name):
            self._spark(painter, name, box.right() - SPARK - 10, box.top() + 4, box.height() - 8)
        if name and self._owner.touched(name):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("playhead"))
            painter.drawEllipse(QPointF(box.right() - 4, box.center().y() + 0.5), 2.6, 2.6)
        painter.restore()

    def _spark(self, painter: QPainter, name: str, left: float, top: float, height: float) -> None:
        values = self._owner.spark(name)
        painter.setPen(QPen(self._theme().color("ink"), 1))
        across = left + np.linspace(0, SPARK, len(values))
        painter.drawPolyline(polyline(across, top + height * (1 - values)))
