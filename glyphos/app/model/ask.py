"""What a person is asked. The dialogs behind it are the window's; tests answer themselves."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Protocol


class Ask(Protocol):
    """Questions; each gives None (or nothing) where the person does not answer."""

    def belong_to(self, window: Any) -> None:
        """Ask on behalf of a window."""
        ...

    def open_files(self, title: str, kinds: str, *, several: bool = False) -> list[Path]:
        """Files that are there. kinds: as file dialogs have them."""
        ...

    def folder(self, title: str, *, start: Path | None = None) -> Path | None: ...

    def save_file(self, title: str, name: str, kinds: str = "") -> tuple[Path, str] | None:
        """Where to write, and the kind that was chosen."""
        ...

    def choose(
        self, title: str, question: str, choices: Sequence[str], *, now: int = 0, own: bool = False
    ) -> str | None:
        """One of several; `own`: or something typed."""
        ...

    def text(self, title: str, question: str, *, now: str = "") -> str | None: ...

    def decide(self, title: str, question: str, choices: Sequence[str]) -> int | None:
        """The number of the button that was pressed."""
        ...

    def show(self, dialog: Any) -> Any:
        """Show a dialog of one's own without stopping the window; it goes when it is closed."""
        ...
