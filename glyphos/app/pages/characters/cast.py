"""The cast: every character, its model, whose lines it speaks, what needs a look."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....characters.builtin import BUILTIN
from ....production.documents import Character
from ...model.context import Context
from .gestures import rows_of


@dataclass(frozen=True)
class Entry:
    """A character as the list shows it."""

    character: Character
    kept: bool  # a document, not one of ours that stands in
    model: str
    lines: int
    note: str = ""


def entries_of(context: Context) -> list[Entry]:
    """The cast of the open production, ours that stand in among them."""
    production = context.document.production
    spoken: dict[str, int] = {}
    for line in production.lines:
        slug = production.character_for(line.speaker).slug
        spoken[slug] = spoken.get(slug, 0) + 1
    kept = {c.slug for c in production.characters}
    cast = [
        *production.characters,
        *(Character(n, n.capitalize(), n) for n in BUILTIN if n not in kept),
    ]
    found = []
    for character in cast:
        if character.drawings is not None:
            doubts = sum(m.how == "name" for m in character.drawings.mouths)
            model = f"{len(character.drawings.mouths)} drawings"
            note = f"{doubts} to look at" if doubts else ""
            kept_here = character.slug in kept
            found.append(Entry(character, kept_here, model, spoken.get(character.slug, 0), note))
            continue
        model = "head of our own" if character.model in BUILTIN else Path(character.model).name
        note = "cannot be used" if context.dresses.problem(character) else ""
        dressed = context.dresses.latest(character)
        if not note and dressed is not None:
            count = sum(r.doubtful for r in rows_of(dressed))
            note = f"{count} to look at" if count else ""
        found.append(
            Entry(character, character.slug in kept, model, spoken.get(character.slug, 0), note)
        )
    return found


class CastList(QWidget):
    """Choose a character, add one, give one to a speaker."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.list = QListWidget()
        self.list.setAccessibleName("Cast")
        self.list.setWordWrap(True)
        self.list.setSpacing(4)
        self.add_button = QPushButton("&Add…")
        self.add_button.setToolTip(
            "A model with morph targets or a jaw bone (glTF, VRM or USD), or drawings; or drop them here"
        )
        self.drawings_button = QPushButton("Draw&ings…")
        self.drawings_button.setToolTip("A folder of mouths on paper (PNG, SVG), or drop it here")
        self.remove_button = QPushButton("&Remove")
        self.speaker = QComboBox()
        self.speaker.setEditable(True)
        self.speaker.lineEdit().setPlaceholderText("a speaker")
        self.speaker.setAccessibleName("Speaker")
        self.give_button = QPushButton("&Give to", objectName="go")
        self.give_button.setToolTip("All lines of this speaker are spoken by the character")
        self.export_button, self.import_button = (
            QPushButton("Fitting to file…"),
            QPushButton("From file…"),
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 8, 10)
        column.addWidget(QLabel("Cast", objectName="heading"))
        column.addWidget(self.list, 1)
        for pair in (
            (self.add_button, self.drawings_button),
            (self.remove_button,),
            (self.give_button, self.speaker),
            (self.export_button, self.import_button),
        ):
            row = QHBoxLayout()
            for k, widget in enumerate(pair):
                row.addWidget(widget, k if pair[0] is self.give_button else 1)
            column.addLayout(row)
        self.list.currentItemChanged.connect(self._choose)

    def show_entries(self, entries: Sequence[Entry], now: str, speakers: Sequence[str]) -> None:
        """The cast, with one of them chosen."""
        with QSignalBlocker(self.list):
            self.list.clear()
            for entry in entries:
                who = f"{entry.character.name}\n{entry.model}\nspeaks {entry.lines} {'line' if entry.lines == 1 else 'lines'}"
                item = QListWidgetItem(who + (f"\n◆ {entry.note}" if entry.note else ""))
                item.setData(Qt.ItemDataRole.UserRole, entry.character.slug)
                self.list.addItem(item)
                if entry.character.slug == now:
                    self.list.setCurrentItem(item)
        typed = self.speaker.currentText()
        if [self.speaker.itemText(k) for k in range(self.speaker.count())] != list(speakers):
            with QSignalBlocker(self.speaker):
                self.speaker.clear()
                self.speaker.addItems(list(speakers))
                if typed:
                    self.speaker.setCurrentText(typed)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
