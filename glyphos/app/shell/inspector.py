"""The inspector under the face: sections of the page, one open at a time."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QButtonGroup, QPushButton, QVBoxLayout, QWidget

from ..page import Section


class Inspector(QWidget):
    """Headings that open their section and close the others."""

    def __init__(self) -> None:
        super().__init__()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._group = QButtonGroup(self)
        self._parts: list[tuple[QPushButton, QWidget]] = []

    def show_sections(self, sections: Sequence[Section]) -> None:
        """The sections of another page."""
        for button, widget in self._parts:
            self._column.removeWidget(button)
            self._column.removeWidget(widget)
            widget.setParent(None)
            button.deleteLater()
        self._parts = []
        for section in sections:
            button = QPushButton(section.title, objectName="section")
            button.setCheckable(True)
            button.setAccessibleName(f"Section {section.title}")
            self._group.addButton(button)
            button.toggled.connect(section.widget.setVisible)
            self._column.addWidget(button)
            self._column.addWidget(section.widget)
            self._parts.append((button, section.widget))
            section.widget.setVisible(False)
        if self._parts:
            self._parts[0][0].setChecked(True)
        self.setVisible(bool(self._parts))
