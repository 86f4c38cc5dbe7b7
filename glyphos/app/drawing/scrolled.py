"""What is to be scrolled keeps its values: the wheel scrolls, unless the control under it was chosen before."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PySide6.QtWidgets import (
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QScrollArea,
    QScrollBar,
    QWidget,
)

TURNED = (QAbstractSlider, QAbstractSpinBox, QComboBox)


class Scrolled(QScrollArea):
    """What is in it is as wide as the area; its controls leave the wheel to it."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def setWidget(self, widget: QWidget) -> None:
        super().setWidget(widget)
        widget.installEventFilter(self)
        self.watch()

    def watch(self) -> None:
        """Controls that are in it by now."""
        for kind in TURNED:
            for control in self.widget().findChildren(kind):
                if _turned(control):
                    control.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if watched is self.widget():
            if kind == QEvent.Type.LayoutRequest:
                self.watch()
                self.updateGeometry()
        elif kind == QEvent.Type.Wheel and _turned(watched):
            assert isinstance(watched, QWidget)
            if self.verticalScrollBar().maximum() > 0 and not watched.hasFocus():
                return QApplication.sendEvent(self.verticalScrollBar(), event)
        return super().eventFilter(watched, event)


def _turned(control: QObject) -> bool:
    """Whether a wheel would change its value."""
    return isinstance(control, TURNED) and not isinstance(control, QScrollBar)


def few_rows(widget: QWidget, hint: QSize, rows: int) -> QSize:
    """What a list asks for that is content with so many rows of text, and takes what more room there is."""
    return QSize(hint.width(), rows * round(1.4 * widget.fontMetrics().height()))


def bring_into_view(widget: QWidget) -> None:
    """Scroll to a widget, once it has the room that it was just given."""

    def scroll() -> None:
        above = widget.parentWidget()
        while above is not None and not isinstance(above, Scrolled):
            above = above.parentWidget()
        if above is not None:
            above.ensureWidgetVisible(widget)

    QTimer.singleShot(0, widget, scroll)
