"""What the score offers of itself: a recording to be found, pins to be set, files to be read again."""

from __future__ import annotations

from pathlib import Path

import msgspec
from PySide6.QtCore import QObject

from ....errors import GlyphosError
from ....production.kinds import LEX, LEXICON, line_key
from ...drawing.words import counted
from ...model.context import Context
from ...model.watch import Watch
from .correcting import Correcting
from .hearing import Hearing

PINS, OUTSIDE = "pins", "outside"


class Offers(QObject):
    """Follows the shown line and its files."""

    def __init__(self, context: Context, desk: Correcting, hearing: Hearing) -> None:
        super().__init__()
        self._c, self._desk, self._hearing = context, desk, hearing
        self.watch = Watch(context.document, context.current)
        self.watch.changed.connect(self._changed_outside)
        context.current.line_changed.connect(self._show_line)
        context.current.state_changed.connect(self._show_pins)
        context.document.opened.connect(lambda: context.talk.withdraw(OUTSIDE))

    def _show_line(self) -> None:
        self._c.talk.withdraw(OUTSIDE)
        self._show_pins()

    def _show_pins(self) -> None:
        line = self._c.current.line
        if line is None or not line.offered:
            self._c.talk.withdraw(PINS)
            return
        count = counted(len(line.offered), "edge")
        self._c.talk.offer(PINS, f"The earlier take had {count} pinned, which were found in this one too.",
                           "Set these pins", self._desk.set_offered_pins)  # fmt: skip

    def _changed_outside(self, kind: str, path: Path) -> None:
        slug, offer = self._c.selection.slug, self._c.talk.offer
        if kind == "recording" and self._came_or_went(path):
            self._c.current.look_again()
        elif kind == "recording":
            offer(OUTSIDE, f"The recording {path.name} was changed by another program.",
                  "Load it again", lambda: self._hearing.reload(slug))  # fmt: skip
        elif kind == "script":
            offer(OUTSIDE, f"The script {path.name} was changed by another program.",
                  "Take it over", lambda: self._take_script(slug, path))  # fmt: skip
        elif self._lexicon_differs(path):
            offer(OUTSIDE, "The lexicon was changed by another program.", "Load it again",
                  lambda: self._take_lexicon(path))  # fmt: skip

    def _came_or_went(self, path: Path) -> bool:
        """Whether the recording is away, or is there and as it was, or as nobody has read it yet."""
        opened, line = self._c.current.opened, self._c.current.line
        return not path.exists() or opened is None or self._c.derived.sound(line) is opened

    def _take_script(self, slug: str, path: Path) -> None:
        from ....speech.script import read_script_file

        line = self._c.document.kept_line(slug)
        if line is not None:
            new = msgspec.structs.replace(line, script=read_script_file(path).strip())
            self._c.document.change("Take over script", {line_key(slug): new})

    def _lexicon_differs(self, path: Path) -> bool:
        from ....speech.lexicon import read_lexicon_file

        try:
            return read_lexicon_file(path).entries != self._c.document.lexicon.entries
        except GlyphosError:
            return True

    def _take_lexicon(self, path: Path) -> None:
        from ....speech.lexicon import read_lexicon_file

        lexicon = read_lexicon_file(self._c.document.folder / LEXICON.place)
        self._c.document.change("Load lexicon", {LEX: lexicon})
        self._c.talk.say("The lexicon was loaded again.")
