"""The pages of a window by name, each made when it is first wanted."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from ..page import Page, PageEntry


class Pages(Mapping[str, Page]):
    """Making a page costs more than showing it, so a window opens with its first page only.

    Whoever asks for a page by name gets it made; `made` holds those that are, in the order of the
    switch. `taken` is called with each new page before anybody else gets it.
    """

    def __init__(self, entries: Sequence[PageEntry], taken: Callable[[Page], object]) -> None:
        self.entries = {e.name: e for e in entries}
        self._taken = taken
        self._made: dict[str, Page] = {}

    def __getitem__(self, name: str) -> Page:
        if name not in self._made:
            page = self.entries[name].make()
            self._made[name] = page
            self._taken(page)
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.entries)

    def __len__(self) -> int:
        return len(self.entries)

    def place(self, name: str) -> int:
        """Where a page stands in the switch, from 0."""
        return list(self.entries).index(name)

    def make_all(self) -> None:
        """Make those that are not made yet."""
        for name in self.entries:
            _ = self[name]

    @property
    def made(self) -> list[Page]:
        return [self._made[name] for name in self.entries if name in self._made]

    @property
    def missing(self) -> str:
        """The first page that is not made yet; "" if all are."""
        return next((name for name in self.entries if name not in self._made), "")
