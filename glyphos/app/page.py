"""A page of the window: what it shows in the middle, what stands beside it, what can be done there.

The shell is given a list of pages and knows nothing else of them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QWidget

from ..errors import ScriptError
from .drawing.theme import Theme


@dataclass(frozen=True)
class Command:
    """`name` is for code, `text` for people; `keys` as Qt writes them, several with a space.

    `page`: the pages in which it acts, with spaces between; "" anywhere.
    """

    name: str
    text: str
    group: str
    run: Callable[[], object]
    keys: str = ""
    page: str = ""


@dataclass(frozen=True)
class Section:
    """One part of the inspector, open one at a time; `opens` tells that it is to be seen."""

    title: str
    widget: QWidget
    opens: SignalInstance | None = None


@dataclass(frozen=True)
class PageEntry:
    """A page in the page switch, and how it is made when it is first wanted."""

    name: str
    title: str
    make: Callable[[], Page]


class Page:
    """One page; made once, shown and left many times. `go` shows it, once it is in a window."""

    name: str
    alone = False  # whether it needs the room beside it: no lines, no face
    faces = True  # whether the face and its inspector stand beside it
    lists = False  # whether it has a list of its own where the lines are
    go: Callable[[], None]

    def widget(self) -> QWidget:
        """What fills the middle of the window."""
        raise NotImplementedError

    def inspector(self) -> Sequence[Section]:
        """What stands under the face."""
        return ()

    def tools(self) -> Sequence[QWidget]:
        """Buttons of the bottom bar."""
        return ()

    def commands(self) -> Sequence[Command]:
        """What can be done, in the order of the menu."""
        return ()

    def enter(self) -> None:
        """It is shown from now on."""

    def leave(self) -> None:
        """Another page is shown from now on."""

    def follow(self, seconds: float) -> None:
        """The playhead is at a time."""

    def set_theme(self, theme: Theme) -> None:
        """Dress in a theme."""

    def text_resized(self) -> None:
        """The application's text has another size."""

    def show_whole(self, whole: bool) -> bool:
        """Show only what is read, without what it is worked with; whether the page knows how."""
        return False

    def drop_script(self, path: Path) -> None:
        """A text file was dropped on the window."""
        raise ScriptError("Open a recording on the Score page first, then drop its script.")

    def take_files(self, paths: Sequence[Path]) -> bool:
        """Files were dropped on the window; whether they are for this page."""
        return False

    def escape(self) -> bool:
        """Give up what is begun, choose nothing; whether there was something."""
        return False
