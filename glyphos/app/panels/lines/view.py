"""The list of lines, painted: speaker, first words, length and state."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

from PySide6.QtCore import QPointF, QRectF, QSignalBlocker, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.words import PROOF_COLORS, PROOF_SIGNS, seconds_text
from .model import STATE_SIGNS, Index, LinesModel

STATE_COLORS = {"problem": "playhead", "not listened": "faint", "placeholder": "chosen", "doubtful": "doubt",
                "listened": "chosen", "confirmed": "chosen", "listening": "ink"}  # fmt: skip


LONGEST = 200  # letters of a title that are looked at: more are never seen


class Fonts:
    """Fonts of the entries, and their measures."""

    def __init__(self) -> None:
        self.bold, self.small = themes.sans(9, bold=True), themes.sans(8.5)
        self.bold_metrics, self.small_metrics = QFontMetricsF(self.bold), QFontMetricsF(self.small)
        self.words, self.none = (
            (font, QFontMetricsF(font))
            for font in (themes.serif(12), themes.serif(12, italic=True))
        )
        self.sign = self.bold_metrics.horizontalAdvance("●  ")


@cache
def _fonts(scale: float) -> Fonts:
    """For text of a size (`theme.scale`): made once, for they take longer than painting does."""
    return Fonts()


class LinePainter(QStyledItemDelegate):
    """Paints one entry of the list."""

    def __init__(self, theme: Theme, lines: LinesModel) -> None:
        super().__init__()
        self.theme, self.lines = theme, lines

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        kept = _fonts(themes.scale())
        return QSize(180, int(kept.bold_metrics.height() + kept.words[1].height() + 16))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = QRectF(option.rect)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, self.theme.color("page"))
            bar = QRectF(rect.left(), rect.top(), 4, rect.height())
            painter.fillRect(bar, self.theme.color("chosen"))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(self.theme.color("chosen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(rect.adjusted(1, 1, -2, -2))
        self._entry(painter, rect, index)
        painter.restore()

    def _entry(self, painter: QPainter, rect: QRectF, index: Index) -> None:
        kept = _fonts(themes.scale())
        line, shown, missing, found = self.lines.entry(index.row())
        words, written = kept.words if line.script.strip() else kept.none
        left, top = rect.left() + 14, rect.top() + 6
        high = kept.bold_metrics.height() + 2
        base = top + (high + kept.bold_metrics.ascent() - kept.bold_metrics.descent()) / 2
        begins = left + kept.sign
        painter.setFont(kept.bold)
        painter.setPen(self.theme.color(STATE_COLORS[shown]))
        painter.drawText(QPointF(left, base), STATE_SIGNS[shown])
        painter.setFont(kept.small)
        painter.setPen(self.theme.color("playhead" if missing else "faint"))
        text = "missing" if missing else seconds_text(line.duration)
        right = rect.right() - 10 - kept.small_metrics.horizontalAdvance(text)
        painter.drawText(QPointF(right, base), text)
        if found is not None:
            right = self._proof(painter, QPointF(right - 8, base), found, kept.small_metrics)
        painter.setFont(kept.bold)
        painter.setPen(self.theme.color("ink" if line.speaker else "faint"))
        who = kept.bold_metrics.elidedText(
            line.speaker[:LONGEST] or "no speaker yet",
            Qt.TextElideMode.ElideRight,
            right - 6 - begins,
        )
        painter.drawText(QPointF(begins, base), who)
        painter.setPen(self.theme.color("faint"))
        painter.setFont(words)
        title = written.elidedText(
            line.title[:LONGEST], Qt.TextElideMode.ElideRight, rect.right() - 10 - begins
        )
        painter.drawText(QPointF(begins, top + high + written.ascent()), title)

    def _proof(
        self, painter: QPainter, end: QPointF, found: tuple[str, int], metrics: QFontMetricsF
    ) -> float:
        """What Proof found, before the length: the gravest sign and how often; a tick if there is nothing. Where it
        begins."""
        severity, count = found
        painter.setPen(self.theme.color(PROOF_COLORS[severity] if severity else "chosen"))
        text = f"{PROOF_SIGNS[severity]}{count}" if severity else "✓ proofed"
        left = end.x() - metrics.horizontalAdvance(text)
        painter.drawText(QPointF(left, end.y()), text)
        return left


# ms after which the list scrolls to a line that was shown elsewhere: the page comes first
FOLLOW = 40
MANY = 50  # rows beyond which all that is seen is painted


class LinesView(QListView):
    """The list; tells which line is wanted, and what the selection is."""

    chosen = Signal(str)
    selected_changed = Signal(object)
    opened = Signal()  # Return or a double click: on to the page
    delete_wanted = Signal()

    def __init__(self, lines: LinesModel, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("lines")
        self.lines = lines
        self._pressing = False
        self._follow = QTimer(self, singleShot=True, interval=FOLLOW)
        self._follow.timeout.connect(self._show_current)
        self.setModel(lines)
        self.rows = LinePainter(theme, lines)
        self.setItemDelegate(self.rows)
        self.setUniformItemSizes(True)
        self.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setDragDropMode(QListView.DragDropMode.DragOnly)
        self.setAccessibleName("Lines")
        self.selectionModel().currentChanged.connect(self._current)
        self.selectionModel().selectionChanged.connect(
            lambda *_: self.selected_changed.emit(tuple(self.selected()))
        )
        self.doubleClicked.connect(lambda _: self.opened.emit())

    def _current(self, index: Index, _: Index) -> None:
        if index.isValid():
            self.chosen.emit(self.lines.slugs[index.row()])

    def selected(self) -> list[str]:
        """Slugs of the selected lines, in the order shown."""
        rows = sorted(i.row() for i in self.selectionModel().selectedIndexes())
        return [self.lines.slugs[r] for r in rows]

    def show_selection(self, slug: str, slugs: tuple[str, ...]) -> None:
        """Highlight the shown line and whatever else is selected, without telling of it."""
        rows = [r for s in slugs if (r := self.lines.row(s)) >= 0]
        current = self.lines.row(slug)
        model = self.selectionModel()
        stale = self._marked()
        with QSignalBlocker(model):  # hence the view does not know what to paint anew
            flags = model.SelectionFlag
            if current >= 0:
                model.setCurrentIndex(self.lines.index(current), flags.ClearAndSelect)
                if not self._pressing and not self._follow.isActive() and not self._seen(current):
                    self._follow.start()
            else:
                model.clear()
            for row in rows:
                model.select(self.lines.index(row), flags.Select)
        stale |= self._marked()
        if len(stale) > MANY:
            self.viewport().update()
        for row in stale if len(stale) <= MANY else ():
            self.update(self.lines.index(row))

    def _seen(self, row: int) -> bool:
        return self.viewport().rect().contains(self.visualRect(self.lines.index(row)))

    def _show_current(self) -> None:
        index = self.selectionModel().currentIndex()
        if index.isValid() and not self._pressing:
            self.scrollTo(index)

    def _marked(self) -> set[int]:
        """Rows that are selected, and the current one."""
        model = self.selectionModel()
        return {i.row() for i in [*model.selectedIndexes(), model.currentIndex()] if i.isValid()}

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressing = True  # a list that scrolled now would select what comes under the mouse
        self._follow.stop()
        super().mousePressEvent(event)
        self._pressing = False

    def dataChanged(self, first: Index, last: Index, roles: Sequence[int] = ()) -> None:
        """All entries are of one size: what changed is painted anew, and nothing laid out, as a QListView would."""
        QAbstractItemView.dataChanged(self, first, last, roles)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
        elif key == Qt.Key.Key_Delete:
            self.delete_wanted.emit()
        else:
            super().keyPressEvent(event)
