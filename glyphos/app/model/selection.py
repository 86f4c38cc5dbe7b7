"""What is chosen: a line, the lines of a list, a part of the reading, an edge."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ...production.history import Step
from ...production.kinds import LINE, Key, line_key
from ...speech.parts import Edge, Flat, Part
from .document import Document


class Selection(QObject):
    """Follows the document: what is gone is not chosen any more."""

    line_changed = Signal()
    part_changed = Signal()
    edge_changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.slug = ""
        self.slugs: tuple[str, ...] = ()  # of the list; the shown one among them
        self.part: Part | None = None
        self.edge: Edge | None = None
        self._document = document
        document.opened.connect(self._first)
        document.changed.connect(self._follow)
        document.went_back.connect(self._go_where_it_happened)

    def show(self, slug: str) -> None:
        """Choose a line; nothing but it."""
        if slug != self.slug or self.slugs != (slug,):
            other = slug != self.slug
            self.slug, self.slugs = slug, (slug,)
            if other:
                self.select(None)
                self.line_changed.emit()

    @property
    def chosen(self) -> tuple[str, ...]:
        """What is done to lines is done to these: those of the list, else the shown one."""
        return self.slugs or ((self.slug,) if self.slug else ())

    def choose(self, slugs: tuple[str, ...]) -> None:
        """Choose several lines of the list; the shown one stays."""
        self.slugs = slugs

    def select(self, part: Part | None) -> None:
        """Choose a phrase, word or sound."""
        self.choose_edge(None)
        if part != self.part:
            self.part = part
            self.part_changed.emit()

    def choose_edge(self, edge: Edge | None) -> None:
        """Choose an edge for what is moved next."""
        if edge != self.edge:
            self.edge = edge
            self.edge_changed.emit()

    def _first(self) -> None:
        slugs = self._document.production.slugs
        self.slug, self.slugs = "", ()
        self.select(None)
        if slugs:
            self.show(slugs[0])
        else:
            self.line_changed.emit()

    def _follow(self, keys: frozenset[Key]) -> None:
        production = self._document.production
        if self.slug and not production.has(self.slug):
            self._show_nearest()
        elif self.slug and line_key(self.slug) in keys:
            line = self._document.line(self.slug)
            flat = Flat.of(line.reading) if line is not None and line.reading else None
            if self.part is not None and not (flat and flat.valid(self.part)):
                self.select(None)
            if self.edge is not None and not (flat and flat.has_edge(self.edge)):
                self.choose_edge(None)
        if any(not production.has(s) for s in self.slugs):
            self.slugs = tuple(s for s in self.slugs if production.has(s))

    def _show_nearest(self) -> None:
        slugs = self._document.production.slugs
        if slugs:
            self.show(slugs[min(self._place, len(slugs) - 1)])
        else:
            self.slug, self.slugs = "", ()
            self.select(None)
            self.line_changed.emit()

    @property
    def _place(self) -> int:
        for step in reversed(self._document.history.done):
            for (kind, _), value in step.before.items():
                if kind == "header" and value is not None and self.slug in value.lines:
                    return int(value.lines.index(self.slug))
        return 0

    def _go_where_it_happened(self, step: Step) -> None:
        """Show a line that a step touched, unless the shown one is among them."""
        touched = [slug for kind, slug in step.after if kind == LINE.name]
        there = [s for s in touched if self._document.production.has(s)]
        if there and self.slug not in touched:
            self.show(there[0])
