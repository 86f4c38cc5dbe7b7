"""Another recording of a line: the same sounds are found in it, and all that rides on them comes along."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ...errors import ScriptError
from ...files import kept_path
from ...production.carrying import reread
from ...production.documents import Line
from ...production.kinds import line_key
from ...progress import share
from .current import Current
from .derived import Derived
from .document import Document
from .jobs import Jobs, Told
from .opened import Opened, open_sound
from .selection import Selection
from .talk import Talk

if TYPE_CHECKING:  # it brings the recogniser with it
    from ...speech.realign import Retaken

BUSY = "listen"  # only one piece of long work on a line at a time


@dataclass(frozen=True)
class Take:
    """Another recording of a line, read and listened to."""

    opened: Opened
    taken: Retaken | None
    audio: str
    digest: str


class Retaking:
    """Swaps recordings in the background."""

    def __init__(
        self, document: Document, derived: Derived, current: Current, selection: Selection, jobs: Jobs, talk: Talk
    ) -> None:  # fmt: skip
        self._document, self._derived, self._current = document, derived, current
        self._selection, self._jobs, self._talk = selection, jobs, talk

    def retake(self, slug: str, path: Path) -> None:
        """Swap the recording of the line and find the same sounds in it."""
        from ...production.adding import bring_in

        line = self._document.kept_line(slug)
        if line is None:
            raise ScriptError("Open a line first; then its recording can be swapped.")
        document = self._document
        inside = document.folder if self.copies else None
        place = cache(lambda: f"audio/{bring_in(path, inside)}" if inside else kept_path(path))
        self._retake(line, path, place)

    @property
    def copies(self) -> bool:
        """Whether recordings are copied into the production."""
        return not self._document.read_only

    def reload(self, slug: str) -> None:
        """The recording of a line was changed where it lies: read it and find the sounds again."""
        line = self._document.kept_line(slug)
        if line is not None:
            audio = line.audio
            self._retake(line, self._derived.path(line), lambda: audio, itself=True)

    def _retake(
        self, line: Line, path: Path, place: Callable[[], str], *, itself: bool = False
    ) -> None:
        """itself: what is read is the line's own recording, and of use only while it is that."""
        slug, reading, channel = line.slug, line.reading, line.channel

        def work(told: Told) -> Take:
            from ...production.adding import digest
            from ...speech.hearing import hear
            from ...speech.realign import retake

            opened = open_sound(path, channel=channel)
            taken = None
            if reading is not None:
                evidence = hear(opened.recording, progress=share(told, 0.0, 0.6))
                taken = retake(opened.recording, evidence, reading, progress=share(told, 0.6, 1.0))
            return Take(opened, taken, place(), digest(path))

        def again() -> None:
            now = self._document.kept_line(slug)
            if now is not None and itself and now.audio != line.audio:
                self._talk.say("The line has another recording by now, so nothing was changed.")
            elif now is not None:
                self._retake(now, path, place, itself=itself)

        def look() -> object:
            now = self._document.kept_line(slug)
            return now and (now.reading, now.audio, now.channel)

        self._jobs.submit("Listening to the new take", work, lambda t: self._retaken(slug, t),
                            name=BUSY, inputs=look, again=again)  # fmt: skip

    def _retaken(self, slug: str, take: Take) -> None:
        line = self._document.kept_line(slug)
        if line is None:
            return
        new = msgspec.structs.replace(
            line, audio=take.audio, duration=take.opened.recording.duration, digest=take.digest,
            problem="", placeholder="",
        )  # fmt: skip
        message = (
            "The recording was swapped"
            if new.audio != line.audio
            else "The recording was read again"
        )
        if take.taken is not None:
            new = reread(new, take.taken.reading, offered=take.taken.offered, confirmed=False)  # fmt: skip
        self._derived.take_sound(new, take.opened)
        self._document.change("Retake", {line_key(slug): new})
        if slug == self._selection.slug and new.audio == line.audio:
            self._current.look_again()
        self._talk.say(message)
