"""The list of lines, painted: speaker, first words, length and state."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ....production.documents import Line
from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.words import PROOF_COLORS, PROOF_SIGNS, seconds_text
from .model import MISSING_ROLE, PROOF_ROLE, STATE_ROLE, STATE_SIGNS, Index, LinesModel

STATE_COLORS = {"problem": "playhead", "not listened": "faint", "placeholder": "chosen", "doubtful": "doubt",
                "listened": "chosen", "confirmed": "chosen", "listening": "ink"}  # fmt: skip


class LinePainter(QStyledItemDelegate):
    """Paints one entry of the list."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        height = QFontMetricsF(themes.sans(9)).height() + QFontMetricsF(themes.serif(12)).height()
        return QSize(180, int(height + 16))

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
        line: Line = index.data(Qt.ItemDataRole.UserRole)
        small, words = themes.sans(9, bold=True), themes.serif(12, italic=not line.script.strip())
        metrics = QFontMetricsF(small)
        top = QRectF(rect.left() + 14, rect.top() + 6, rect.width() - 24, metrics.height() + 2)
        below = QRectF(top.left(), top.bottom(), top.width(), QFontMetricsF(words).height())
        shown = str(index.data(STATE_ROLE))
        painter.setFont(small)
        painter.setPen(self.theme.color(STATE_COLORS[shown]))
        painter.drawText(top, Qt.AlignmentFlag.AlignVCenter, STATE_SIGNS[shown])
        offset = metrics.horizontalAdvance("●  ")
        painter.setPen(self.theme.color("ink" if line.speaker else "faint"))
        who = line.speaker or "no speaker yet"
        painter.drawText(top.adjusted(offset, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, who)
        painter.setFont(themes.sans(8.5))
        missing = bool(index.data(MISSING_ROLE))
        painter.setPen(self.theme.color("playhead" if missing else "faint"))
        text = "missing" if missing else seconds_text(line.duration)
        painter.drawText(top, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)
        self._proof(painter, top, index, QFontMetricsF(painter.font()).horizontalAdvance(text))
        painter.setPen(self.theme.color("faint"))
        painter.setFont(words)
        title = QFontMetricsF(words).elidedText(
            line.title, Qt.TextElideMode.ElideRight, below.width() - offset
        )
        painter.drawText(below.adjusted(offset, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, title)

    def _proof(self, painter: QPainter, top: QRectF, index: Index, width: float) -> None:
        """What Proof found, before the length: the gravest sign and how often; a tick if there is nothing."""
        found = index.data(PROOF_ROLE)
        if found is None:
            return
        severity, count = found
        painter.setPen(self.theme.color(PROOF_COLORS[severity] if severity else "chosen"))
        text = f"{PROOF_SIGNS[severity]}{count}" if severity else "✓ proofed"
        place = top.adjusted(0, 0, -width - 8, 0)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)


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
        self.setModel(lines)
        self.rows = LinePainter(theme)
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
                self.scrollTo(self.lines.index(current))
            else:
                model.clear()
            for row in rows:
                model.select(self.lines.index(row), flags.Select)
        stale |= self._marked()
        if len(stale) > MANY:
            self.viewport().update()
        for row in stale if len(stale) <= MANY else ():
            self.update(self.lines.index(row))

    def _marked(self) -> set[int]:
        """Rows that are selected, and the current one."""
        model = self.selectionModel()
        return {i.row() for i in [*model.selectedIndexes(), model.currentIndex()] if i.isValid()}

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
        elif key == Qt.Key.Key_Delete:
            self.delete_wanted.emit()
        else:
            super().keyPressEvent(event)
