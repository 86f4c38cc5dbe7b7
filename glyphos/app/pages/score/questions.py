"""What the score asks before it does something: sounds, pronunciations, a language, checks."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ....errors import EditError, GlyphosError, RecordingError
from ....production.carrying import reread
from ....production.documents import Line
from ....production.kinds import LEX, line_key
from ....speech.edits import units_of
from ....speech.phones import Unit
from ....speech.reading import Reading
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told
from ...model.retaking import BUSY
from .correcting import Correcting
from .hearing import Hearing

if TYPE_CHECKING:
    from ....proof.recording_check import RecordingCheck
    from ....speech.compare import Disagreement
    from ...dialogs.recording_check import CheckDialog

SOUNDS = (
    "p b t d k ɡ m n ŋ f v θ ð s z ʃ ʒ tʃ dʒ h l ɹ w j i ɪ ɛ æ ɑ ɔ ʊ u ʌ ə ɝ eɪ aɪ ɔɪ aʊ oʊ".split()
)
OVERTAKEN = "The line was changed meanwhile; choose what is meant again."


class Questions:
    """Each method is a command that asks first."""

    def __init__(self, context: Context, desk: Correcting, hearing: Hearing) -> None:
        self._c, self._desk, self._hearing = context, desk, hearing

    # ---- sounds -----------------------------------------------------------------------------

    def _ask_sound(self, title: str) -> str:
        _, flat, part = self._desk.need()
        asked_of = self._said()
        now = flat.phones[flat.sound_range(part)[0]].ipa
        choices = sorted({*SOUNDS, now}, key=lambda s: s != now)
        text = self._c.ask.choose(title, "Sound in IPA:", choices, own=True) or ""
        if text and (self._said() != asked_of or self._desk.need()[2] != part):
            raise EditError(OVERTAKEN)
        return text

    def _said(self) -> object:
        """Which line is shown, and what is said in it: an answer holds for it wherever its edges are found by then."""
        reading = self._c.current.reading
        words = reading.words() if reading is not None else ()
        said = [(w.text, [p.ipa for p in w.phones]) for w in words]
        return self._c.document.folder, self._c.selection.slug, said

    def change_sound(self) -> None:
        if text := self._ask_sound("Change the sound"):
            self._desk.change_sound(text)

    def insert_sound(self) -> None:
        if text := self._ask_sound("Insert a sound"):
            self._desk.insert_sound(text)

    def pronunciation(self) -> None:
        """Offer the ways a word may be said, to be heard and chosen."""
        from ....speech.lexicon import offered_pronunciations
        from ...dialogs.pronunciation import PronunciationDialog

        reading, flat, part = self._desk.need()
        number = flat.word_range(part)[0]
        word = flat.words[number]
        code, asked_of = word.language or reading.language, self._said()
        offered = offered_pronunciations(word.text, language=code, lexicon=self._c.document.lexicon)
        dialog = PronunciationDialog(word.text, units_of(word), offered, partial(self._hear, code))

        def chosen() -> None:
            units = dialog.units()
            if self._said() != asked_of:
                raise EditError(OVERTAKEN)
            if units:
                self._desk.set_pronunciation(number, units, dialog.scope)

        dialog.accepted.connect(lambda: self._c.talk.try_to(chosen))
        self._c.ask.show(dialog)

    def _hear(self, language: str, units: tuple[Unit, ...]) -> None:
        from ....speech.espeak import say_sounds

        def apply(spoken: object) -> None:
            self._c.transport.say(spoken.samples, spoken.rate)  # type: ignore[attr-defined]

        self._c.jobs.submit("Saying it", lambda _: say_sounds(units, language=language), apply,
                            name="say", quiet=True, instead=True)  # fmt: skip

    def lexicon(self) -> None:
        """The production's own pronunciations, to be edited as text."""
        from ...dialogs.lexicon import LexiconDialog

        dialog = LexiconDialog(self._c.document.lexicon)

        def keep() -> None:
            self._c.document.change("Edit lexicon", {LEX: dialog.lexicon})
            count = counted(len(dialog.lexicon.entries), "word")
            self._c.talk.say(f"{count} in the lexicon; listen again to use them.")

        dialog.accepted.connect(keep)
        self._c.ask.show(dialog)

    # ---- languages --------------------------------------------------------------------------

    def ask_language(self, question: str) -> str:
        """A language code that can be spoken, or ""."""
        from ....speech.espeak import languages, voice_for

        known = languages()
        names = [f"{name} ({code})" for code, name in sorted(known.items(), key=lambda kv: kv[1])]
        text = self._c.ask.choose("Language", question, names, own=True)
        if not text:
            return ""
        code = text.rsplit("(", 1)[-1].rstrip(")")
        voice_for(code)
        return code

    def language(self) -> None:
        slug = self._c.selection.slug
        if self._c.document.kept_line(slug) is None:
            return
        code = self.ask_language("What is spoken:")
        if code and self._c.selection.slug == slug:
            self.take_language(code)

    def take_language(self, code: str) -> None:
        """Another language for the lines that are chosen."""
        slugs, document = self._c.selection.chosen, self._c.document
        lines = [x for s in slugs if (x := document.kept_line(s)) and x.language != code]
        if not lines:
            return
        changed = {line_key(x.slug): msgspec.structs.replace(x, language=code) for x in lines}
        document.change("Choose language", changed)
        if len(slugs) > 1:
            from ....speech.espeak import language_name

            self._c.talk.say(f"{counted(len(lines), 'line')} in {language_name(code)} now")

    def usual_language(self) -> None:
        if code := self.ask_language("What new lines speak:"):
            changes = self._c.document.production.headed(language=code)
            self._c.document.change("Set usual language", changes)

    # ---- checks -----------------------------------------------------------------------------

    def check_recording(self) -> None:
        """Measure the recording and offer what helps."""
        line = self._c.current.line
        if line is None:
            raise RecordingError("Open a recording first; then it can be checked.")
        path, slug = self._c.derived.path(line), line.slug
        checked = self._recording_of(slug)

        def done(result: RecordingCheck) -> None:
            from ...dialogs.recording_check import CheckDialog

            def accepted() -> None:
                if self._recording_of(slug) == checked:
                    self._use_check(slug, dialog)
                else:
                    self._c.talk.fail("The line has another recording by now; check it again.")

            dialog = CheckDialog(result)
            dialog.accepted.connect(accepted)
            self._c.ask.show(dialog)

        def work(told: Told) -> RecordingCheck:
            from ....proof.recording_check import check

            return check(path)

        self._c.jobs.submit("Checking the recording", work, done, name=BUSY,
                            inputs=lambda: self._recording_of(slug))  # fmt: skip

    def _recording_of(self, slug: str) -> object:
        """What the recording of a line is just now."""
        line = self._c.document.kept_line(slug)
        return line and self._c.derived.source(line)

    def _use_check(self, slug: str, dialog: CheckDialog) -> None:
        line = self._c.document.kept_line(slug)
        if line is None:
            return
        channel = dialog.result_shown.channel if dialog.use_channel else 0
        new = msgspec.structs.replace(line, channel=channel, condition=dialog.use_clean)
        if self._c.document.change("Condition recording", {line_key(slug): new}):
            self._c.talk.say("Listen again to use this.")

    def check_script(self) -> None:
        self._hearing.check_script(self._show_disagreements)

    def _show_disagreements(
        self, slug: str, reading: Reading, found: Sequence[Disagreement]
    ) -> None:
        from ...dialogs.script_check import CompareDialog

        dialog = CompareDialog(found)
        dialog.played.connect(lambda a, b: self._c.transport.play(max(0.0, a), b))

        def accepted() -> None:
            self._c.talk.try_to(lambda: self._hearing.use_heard(slug, reading, dialog.chosen()))

        dialog.accepted.connect(accepted)
        self._c.ask.show(dialog)

    # ---- timing and takes -------------------------------------------------------------------

    def retake(self) -> None:
        """Another recording of the line."""
        from ...model.files import SOUNDS as RECORDINGS

        if self._c.document.kept_line(self._c.selection.slug) is None:
            raise GlyphosError("Open a line first; then its recording can be swapped.")
        for path in self._c.ask.open_files("Another take of this line", RECORDINGS):
            self._hearing.retake(path)

    def load_timing(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None:
            raise GlyphosError("Open a recording first; then timing can be loaded for it.")
        kinds = "Timing (*.vtt *.srt *.csv *.TextGrid *.json)"
        for path in self._c.ask.open_files("Load timing", kinds):
            self.load_timing_from(path)

    def load_timing_from(self, path: object) -> None:
        """Take timing from a file for the shown line."""
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None:
            raise GlyphosError("Open a recording first; then timing can be loaded for it.")
        self._load_timing(line, Path(str(path)))

    def _load_timing(self, line: Line, source: Path) -> None:
        from ....handoff import timing

        slug, language = line.slug, line.language
        audio = self._c.derived.reading(line).audio

        def apply(reading: Reading) -> None:
            now = self._c.document.kept_line(slug)
            if now is None:
                return
            new = reread(now, reading, script=reading.text, confirmed=False,
                                          problem="")  # fmt: skip
            self._c.document.change("Load timing", {line_key(slug): new})
            self._c.talk.say(f"Timing loaded from {source.name}")

        def again() -> None:
            if (now := self._c.document.kept_line(slug)) is not None:
                self._load_timing(now, source)

        def look() -> object:
            now = self._c.document.kept_line(slug)
            return now and (now.language, self._recording_of(slug))

        self._c.jobs.submit("Loading timing", lambda _: timing.load(source, audio, language=language),
                            apply, name=BUSY, inputs=look, again=again)  # fmt: skip
