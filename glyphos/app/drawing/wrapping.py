"""Buttons side by side, in as many rows as a narrow window needs."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLayout, QLayoutItem, QWidget

NARROW = 320  # pixels of a column under which its margins give way


class Wrapping(QLayout):
    """Widgets from left to right; `wide` takes what is left of its row."""

    def __init__(self, *widgets: QWidget, wide: QWidget | None = None, spacing: int = 8) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._wide = wide
        self.setSpacing(spacing)
        for widget in widgets:
            self.addWidget(widget)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        m = self.contentsMargins()
        inside = QRect(0, 0, width - m.left() - m.right(), 0)
        return self._rows(inside, place=False) + m.top() + m.bottom()

    def sizeHint(self) -> QSize:
        sizes = [i.sizeHint() for i in self._shown()]
        across = sum(s.width() for s in sizes) + self.spacing() * max(0, len(sizes) - 1)
        return self._around(across, sizes)

    def minimumSize(self) -> QSize:
        sizes = [i.minimumSize() for i in self._shown()]
        return self._around(max((s.width() for s in sizes), default=0), sizes)

    def _around(self, width: int, sizes: list[QSize]) -> QSize:
        m = self.contentsMargins()
        high = max((s.height() for s in sizes), default=0)
        return QSize(width + m.left() + m.right(), high + m.top() + m.bottom())

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._rows(self.contentsRect(), place=True)

    def _shown(self) -> list[QLayoutItem]:
        return [i for i in self._items if not i.isEmpty()]

    def _rows(self, rect: QRect, *, place: bool) -> int:
        """Lay out, or only find the height."""
        rows: list[list[tuple[QLayoutItem, QSize]]] = [[]]
        used = 0
        for item in self._shown():
            size = item.sizeHint()
            if rows[-1] and used + size.width() > rect.width():
                rows.append([])
                used = 0
            rows[-1].append((item, size))
            used += size.width() + self.spacing()
        y = rect.top()
        for row in rows:
            high = max((s.height() for _, s in row), default=0)
            rest = rect.width() - sum(s.width() for _, s in row) - self.spacing() * (len(row) - 1)
            x = rect.left()
            for item, size in row if place else ():
                more = rest if item.widget() is self._wide else min(0, rest)
                wide = QSize(size.width() + more, high)
                item.setGeometry(QRect(QPoint(x, y), wide))
                x += wide.width() + self.spacing()
            y += high + self.spacing()
        return y - self.spacing() - rect.top()


def labelled(text: str, field: QWidget) -> QWidget:
    """A field with its label, that stay together."""
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(QLabel(text))
    row.addWidget(field)
    return made


def margins(layout: QLayout | None, width: int, usual: tuple[int, int, int, int]) -> None:
    """The margins of a column: as usual, or less of them where it is narrow."""
    if layout is None:
        return
    left, top, right, bottom = usual
    share = 1.0 if width >= NARROW else 0.4
    layout.setContentsMargins(round(share * left), top, round(share * right), bottom)
