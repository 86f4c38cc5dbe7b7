"""Listening to the shown line in its several ways, and swapping its recording.

Each begins from values, goes on in the background and is applied to the line as it is by then; if
what it began from was changed meanwhile, it begins anew.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ....errors import GlyphosError, RecordingError, ScriptError
from ....production.carrying import with_reading
from ....production.documents import Line
from ....production.kinds import line_key
from ....progress import share
from ....speech.reading import Reading
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told
from ...model.opened import Opened
from ...model.retaking import BUSY

if TYPE_CHECKING:
    from ....speech.compare import Disagreement
    from ....speech.recognise import Draft

LANGUAGE = "language"  # of the offers


class Hearing:
    """Commands that take time, on the line that is shown when they begin."""

    def __init__(self, context: Context) -> None:
        self._c = context
        # For the recording of a line of a production: what then
        self._waits: tuple[object, Callable[[], None]] | None = None
        self._offered: tuple[object, str] | None = None  # which line speaks which language
        context.current.sound_changed.connect(self._go_on)
        context.current.script_changed.connect(self._withdraw_language)

    @property
    def busy(self) -> bool:
        return self._c.jobs.find(BUSY) is not None

    def _need(self) -> tuple[Line, Opened]:
        current = self._c.current
        if current.line is None:
            raise RecordingError("Open a recording first; then it can be listened to.")
        if current.problem:
            raise RecordingError(current.problem)
        if current.opened is None:
            raise RecordingError("The recording is still being read; try again in a moment.")
        line = self._c.document.kept_line(current.line.slug)
        assert line is not None
        return line, current.opened

    def _once_read(self, work: Callable[[], None]) -> None:
        """Do something with the shown line's recording: now, or as soon as it has been read."""
        self._waits = None
        if self._reads:
            self._waits = self._place, work
            self._c.talk.say("The recording is being read; it goes on by itself")
        else:
            work()

    @property
    def _reads(self) -> bool:
        current = self._c.current
        return current.line is not None and current.opened is None and not current.problem

    @property
    def _place(self) -> object:
        line = self._c.current.line
        return self._c.document.folder, line.slug if line is not None else ""

    def _go_on(self) -> None:
        """The sound is another: that of another line, or that which was waited for."""
        if self._waits is None or (self._waits[0] == self._place and self._reads):
            return
        (place, work), self._waits = self._waits, None
        if place == self._place:
            self._c.talk.clear()
            self._c.talk.try_to(work)

    def _made_of(self, slug: str) -> Callable[[], object]:
        """Everything that a reading is made of, as it is at the time it is asked."""

        def look() -> object:
            line = self._c.document.kept_line(slug)
            if line is None:
                return None
            return (line.script, line.language, line.audio, line.channel, line.condition,
                    line.reading, self._c.document.lexicon)  # fmt: skip

        return look

    # ---- listening --------------------------------------------------------------------------

    def listen(self) -> None:
        """Listen to the line: to what changed in its script, else all of it anew."""
        self._once_read(self._listen_now)

    def _listen_now(self) -> None:
        line, opened = self._need()
        if not line.script.strip():
            raise ScriptError(
                "There is no script yet; type what is said, or choose “Listen without a script”."
            )
        self._listen(line, opened)

    def _listen(self, line: Line, opened: Opened) -> None:
        lexicon = self._c.document.lexicon
        ready = self._c.derived.ready_evidence(line)
        slug = line.slug

        def work(told: Told) -> Reading:
            from ....speech.listening import listen_line

            return listen_line(opened.recording, line.script, language=line.language, lexicon=lexicon,
                               earlier=line.reading, evidence=ready, condition=line.condition,
                               progress=told)  # fmt: skip

        def again() -> None:
            now = self._c.document.kept_line(slug)
            if now is None or not now.script.strip():
                return
            if (now.audio, now.channel) == (line.audio, line.channel):
                self._listen(now, opened)
            elif slug == self._c.selection.slug:  # to the recording that it has by now
                self.listen()
            else:
                self._c.talk.say(f"{slug} has another recording by now; listen to it again.")

        self._c.jobs.submit("Listening", work, lambda r: self._listened(slug, r), name=BUSY,
                            inputs=self._made_of(slug), again=again)  # fmt: skip

    def listen_unscripted(self, *, sounds: bool = False) -> None:
        """Put in what is heard as a draft script, or sounds only."""
        self._once_read(lambda: self._draft(sounds))

    def _draft(self, sounds: bool) -> None:
        line, opened = self._need()
        if line.script.strip() and not line.script.lstrip().startswith("/"):
            answer = self._c.ask.decide(
                "Listen without a script",
                "The line has a script. What is heard would take its place (undo brings it back).",
                ["Take its place", "Keep the script"],
            )
            if answer != 0:
                return
            line, opened = self._need()  # as it is by now
        slug, language = line.slug, line.language

        def work(told: Told) -> tuple[Reading, Draft]:
            from ....speech.recognise import Draft
            from ....speech.sounds_only import listen_for_sounds
            from ....voice.unwritten import listen_unwritten

            if sounds:
                return listen_for_sounds(opened.recording, language=language, progress=told), Draft(
                    ""
                )
            return listen_unwritten(opened.recording, language=language, progress=told)

        def apply(result: tuple[Reading, Draft]) -> None:
            reading, made = result
            self._listened(slug, reading, script=reading.text)
            if made.seems(language):
                self._offer_language(slug, made.language)
            elif doubt := made.doubt_told(language):
                self._c.talk.say(doubt)
            if not made.text and not sounds:
                self._c.talk.say("No words could be made out; these are the sounds that are heard")

        self._c.jobs.submit("Listening without a script", work, apply, name=BUSY,
                            inputs=self._made_of(slug))  # fmt: skip

    def _withdraw_language(self) -> None:
        """Of another line, or taken."""
        line = self._c.current.line
        if self._offered is None:
            return
        place, language = self._offered
        if line is None or place != self._place or language == line.language:
            self._offered = None
            self._c.talk.withdraw(LANGUAGE)

    def _offer_language(self, slug: str, language: str) -> None:
        """What is said seems to be in another language than the line."""
        from ....speech.espeak import language_name

        name = language_name(language)
        if slug != self._c.selection.slug:
            self._c.talk.say(f"{slug} sounds like {name}.")
            return
        self._offered = self._place, language

        def take() -> None:
            line = self._c.document.kept_line(slug)
            if line is not None:
                new = msgspec.structs.replace(line, language=language)
                self._c.document.change("Another language", {line_key(slug): new})

        self._c.talk.offer(
            LANGUAGE, f"This sounds like {name}.", f"Take {name} as its language", take
        )

    def _listened(self, slug: str, reading: Reading, *, script: str | None = None) -> None:
        """Take over what listening found, into the line as it is now."""
        from ....speech.scripted import name_told

        line = self._c.document.kept_line(slug)
        if line is None:
            return
        named = name_told(line.script, reading) if script is None else ""
        told = f". {named}" if named else ""
        new = with_reading(line, reading)
        if script is not None:
            new = msgspec.structs.replace(new, script=script)
        self._c.document.change("Listen", {line_key(slug): new})
        doubtful = sum(w.doubtful for w in reading.words())
        count = sum(1 for _ in reading.words())
        more = f", {doubtful} of them doubtful" if doubtful else ""
        self._c.talk.say(f"{counted(count, 'word')} found{more}{told}")

    # ---- another recording ------------------------------------------------------------------

    def retake(self, path: Path) -> None:
        """Swap the recording of the line and find the same sounds in it."""
        self._c.retaking.retake(self._c.selection.slug, path)

    def reload(self, slug: str) -> None:
        """The recording of a line was changed where it lies: read it and find the sounds again."""
        self._c.retaking.reload(slug)

    # ---- script against recording -----------------------------------------------------------

    def check_script(self, show: Callable[[str, Reading, tuple[Disagreement, ...]], None]) -> None:
        """Find where the script as it stands now and the recording disagree; `show` gets it."""
        self._once_read(lambda: self._check(show))

    def _check(self, show: Callable[[str, Reading, tuple[Disagreement, ...]], None]) -> None:
        line, opened = self._need()
        if line.reading is None:
            raise RecordingError("Listen to the line first; then its script can be checked.")
        slug, lexicon = line.slug, self._c.document.lexicon
        earlier, ready = line.reading, self._c.derived.ready_evidence(line)

        def work(told: Told) -> tuple[Reading, tuple[Disagreement, ...]]:
            from ....speech.compare import disagreements
            from ....speech.listening import listen_line
            from ....speech.scripted import same_words

            reading = earlier
            if not same_words(line.script, reading):
                reading = listen_line(opened.recording, line.script, language=line.language,
                                      lexicon=lexicon, earlier=reading, condition=line.condition,
                                      progress=share(told, 0.0, 0.4))  # fmt: skip
            return reading, disagreements(opened.recording, reading, evidence=ready, lexicon=lexicon,
                                          progress=share(told, 0.4, 1.0))  # fmt: skip

        def apply(result: tuple[Reading, tuple[Disagreement, ...]]) -> None:
            reading, found = result
            now = self._c.document.kept_line(slug)
            if now is not None and reading is not earlier:
                self._c.document.change("Listen", {line_key(slug): with_reading(now, reading)})
            if found:
                show(slug, reading, found)
            else:
                self._c.talk.say("Script and recording agree, as far as can be heard.")

        self._c.jobs.submit("Checking the script", work, apply, name=BUSY,
                            inputs=self._made_of(slug))  # fmt: skip

    def use_heard(self, slug: str, reading: Reading, chosen: list[Disagreement]) -> None:
        """Let what is heard stand in the script where it was chosen, and listen to that."""
        from ....speech.compare import script_as_heard
        from ....speech.scripted import same_words

        line = self._c.document.kept_line(slug)
        if line is None or not chosen:
            return
        if not same_words(line.script, reading):
            raise GlyphosError("The script was changed meanwhile; check it again.")
        script = script_as_heard(line.script, reading, chosen)
        new = msgspec.structs.replace(line, script=script)
        self._c.document.change("Take what is heard", {line_key(slug): new})
        if slug == self._c.selection.slug:
            self.listen()
