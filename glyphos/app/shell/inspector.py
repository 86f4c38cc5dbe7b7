"""The inspector under the face: sections of the page, one open at a time."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ..drawing.scrolled import Scrolled
from ..page import Section

LEAST = 200  # pixels of it that are seen in the lowest window


class Sections(QWidget):
    """The sections of one page: headings that open their section and close the others."""

    def __init__(self, sections: Sequence[Section]) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._group = QButtonGroup(self)
        for number, section in enumerate(sections):
            button = QPushButton(section.title, objectName="section")
            button.setCheckable(True)
            button.setAccessibleName(f"Section {section.title}")
            self._group.addButton(button)
            column.addWidget(button)
            column.addWidget(section.widget)
            section.widget.setVisible(False)
            button.toggled.connect(section.widget.setVisible)
            button.setChecked(number == 0)
            if section.opens is not None:
                section.opens.connect(lambda b=button: b.setChecked(True))


class Inspector(Scrolled):
    """The sections of the page that is shown; each page's are made once. As high as they are where there is room,
    and to be scrolled in a low window."""

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(Scrolled.Shape.NoFrame)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it has the focus
        inside = QWidget(objectName="panel")
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._pages: dict[str, Sections] = {}
        self.setWidget(inside)

    def sizeHint(self) -> QSize:
        inside, column = self.widget(), self._column
        high = inside.sizeHint().height()
        if self.width() and column.hasHeightForWidth():  # of texts that are wrapped
            high = max(high, column.heightForWidth(self.width()))
        return QSize(super().sizeHint().width(), high)

    def minimumSizeHint(self) -> QSize:
        return QSize(0, min(LEAST, self.widget().minimumSizeHint().height()))

    def take(self, page: str, sections: Sequence[Section]) -> None:
        """The sections of a page, which end with the window from now on, shown or not."""
        self._pages[page] = Sections(sections)
        self._pages[page].setVisible(False)
        self._column.addWidget(self._pages[page])

    def show_sections(self, page: str, sections: Sequence[Section]) -> None:
        """The sections of another page."""
        for name, widget in self._pages.items():
            widget.setVisible(name == page)
        self.setVisible(bool(sections))
