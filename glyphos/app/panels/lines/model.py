"""The lines of the production as a list: which are shown, in which order, and what of them is new.

A change of one line costs one row, however many lines there are.
"""

from __future__ import annotations

from collections.abc import Sequence, Set
from typing import Any

from PySide6.QtCore import QMimeData, QModelIndex, QPersistentModelIndex, QStringListModel, Qt

from ....production.documents import Line
from ....production.kinds import HEAD, Key
from ....production.listing import Listing
from ...drawing.words import seconds_text
from ...model.document import Document
from ...model.proofing import Proofing

STATE_SIGNS = {
    "problem": "✗", "not listened": "○", "placeholder": "◌", "doubtful": "?", "listened": "●", "confirmed": "✓",
    "listening": "…",
}  # fmt: skip
PROOF_ROLE = Qt.ItemDataRole.UserRole + 1  # (severity, count) of what Proof found, or None
DRAGGED = "application/x-glyphos-lines"  # slugs of lines that are dragged to a page
Index = QModelIndex | QPersistentModelIndex


class LinesModel(QStringListModel):
    """Rows are slugs; what they show is asked of the document when it is painted.

    The rows themselves are Qt's own, since a view counts all of them again at every change.
    """

    def __init__(self, document: Document, proofing: Proofing) -> None:
        super().__init__()
        self._document, self._proofing = document, proofing
        self.slugs: list[str] = []
        self.listing = Listing()
        self.busy: frozenset[str] = frozenset()
        self._row: dict[str, int] = {}
        self._how: dict[str, str] = {}
        self._told: dict[str, object] = {}  # how lines looked when it was told that they changed

    @property
    def plain(self) -> bool:
        """Whether every line is shown, as placed."""
        return (
            not self._how.get("text")
            and not self._how.get("state")
            and self._how.get("sort", "order") == "order"
        )

    def line(self, row: int) -> Line:
        line = self._document.kept_line(self.slugs[row])
        assert line is not None
        return line

    def row(self, slug: str) -> int:
        """Where a line is shown; −1 if it is not."""
        return self._row.get(slug, -1)

    def state(self, line: Line) -> str:
        return "listening" if line.slug in self.busy else self.listing.state(line)

    def show_busy(self, slugs: frozenset[str]) -> None:
        """Which lines are being listened to."""
        changed, self.busy = slugs ^ self.busy, slugs
        self._tell_of(changed)

    def show_found(self, slugs: frozenset[str]) -> None:
        """Proof found other things in lines; in all, if none are named."""
        self._tell_of(slugs or frozenset(self.slugs))

    def show_again(self, slug: str) -> None:
        """Something of a line is other than it was that is not in the document."""
        self._tell_of({slug})

    def list_again(self, **how: str) -> None:
        """Show what is asked for: text, state, sort."""
        self._how = how or self._how
        production = self._document.production
        if self.plain:
            slugs = list(production.slugs)
        else:
            slugs = [x.slug for x in self.listing.listed(production.lines, **self._how)]
        if slugs == self.slugs:
            return
        self.slugs = slugs
        self._row = dict(zip(slugs, range(len(slugs)), strict=True))
        self.setStringList(slugs)

    def follow(self, keys: frozenset[Key]) -> None:
        """Something in the document changed."""
        lines = {key for key in keys if key[0] == "line"}
        slugs = {slug for _, slug in lines}
        if (
            not self.plain
            or not (slugs <= self._row.keys() and lines <= self._document.production.values.keys())
            or (HEAD in keys and list(self._document.production.slugs) != self.slugs)
        ):
            self.list_again()
        if (
            len(slugs) > 1
        ):  # only those that are in sight are asked how they look, when they are painted
            self._tell_of(slugs)
        else:
            self._tell([self._row[s] for s in slugs if s in self._row and self._looks_other(s)])

    def _looks_other(self, slug: str) -> bool:
        """Whether a line looks other than when it was told last: an edge that moves is not seen in the list."""
        line, *seen = self.entry(self._row[slug])
        look = (*seen, line.speaker, line.title, line.script.strip() == "", line.file, line.duration, line.problem)  # fmt: skip
        before, self._told[slug] = self._told.get(slug), look
        return look != before

    def _tell_of(self, slugs: Set[str]) -> None:
        """Lines look other for what is not in the document."""
        for slug in slugs:
            self._told.pop(slug, None)
        self._tell([self._row[s] for s in slugs if s in self._row])

    def _tell(self, rows: list[int]) -> None:
        if rows:
            self.dataChanged.emit(self.index(min(rows)), self.index(max(rows)))

    def missing(self, line: Line) -> bool:
        return not self._document.production.has_audio(line)

    def entry(self, row: int) -> tuple[Line, str, bool, tuple[str, int] | None]:
        """What a row shows: its line, the line's state, whether the recording is missing, what Proof found."""
        line = self.line(row)
        return line, self.state(line), self.missing(line), self._proofing.worst(line.slug)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.line(index.row()).title
        if role == Qt.ItemDataRole.UserRole:
            return self.line(index.row())
        if role == PROOF_ROLE:
            return self._proofing.worst(self.slugs[index.row()])
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            return self._spoken(index, role == Qt.ItemDataRole.ToolTipRole)
        return None

    def mimeTypes(self) -> list[str]:
        return [DRAGGED]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        """Lines that are dragged to a page: their slugs, one a row."""
        data = QMimeData()
        data.setData(DRAGGED, "\n".join(self.slugs[i.row()] for i in indexes).encode())
        return data

    def _spoken(self, index: Index, tip: bool) -> str:
        line = self.line(index.row())
        facts = [self.state(line)]
        if self.missing(line):
            facts.append("its recording is missing")
        if line.problem:
            facts.append(line.problem)
        if (found := self._proofing.worst(line.slug)) is not None:
            facts.append(f"Proof: {found[1]} {found[0]}" if found[0] else "proofed")
        if tip:
            return "\n".join([line.title, line.file, *facts])
        length = seconds_text(line.duration)
        return f"{line.speaker or 'Line'}: {line.title}, {length}, {', '.join(facts)}"
