"""The half of the Booth where lines are said before there is an actor."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QSignalBlocker, QTimer
from PySide6.QtGui import QHideEvent, QResizeEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....booth.speaking import Spoken, respoken, spoken, turns_of, voice_of, with_voice
from ....errors import EditError, ScriptError
from ....handoff.filming import scene_from
from ....production.adding import tongues_of, unlike
from ....production.documents import Line, slugify
from ....production.kinds import line_key, scene_key
from ....speech.captioned import plain
from ....speech.saying import PlaceholderVoice, Said, say
from ...drawing import theme as themes
from ...drawing.words import counted
from ...drawing.wrapping import Wrapping, margins
from ...model.context import Context
from ...model.jobs import Told
from ...model.settings import draft, keep_draft
from .voices import VoiceBox

MARGINS = (30, 18, 24, 14)
PAUSE = 700  # milliseconds without a letter until the text is kept
EXAMPLE = "MABEL: The beam is out again.\nOSRIC: Not me. I was wiping my boots."


@dataclass(frozen=True)
class _Heard:
    """What was said for hearing alone, and how long it took."""

    said: Said


class Saying(QWidget):
    """Text, voices of speakers, and what becomes of them."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self._made_of = ""  # the text that became lines last
        self._slug = ""  # of the line that was shown last
        self._pause = QTimer(self, singleShot=True, interval=PAUSE)
        self.text = QPlainTextEdit(draft())
        self.text.setAccessibleName("What is to be said")
        self.text.setPlaceholderText(EXAMPLE)
        self.text.setFont(themes.serif(14))
        self.text.setTabChangesFocus(True)
        self.speaker = QComboBox()
        self.speaker.setEditable(True)
        self.speaker.setAccessibleName("Speaker whose voice is set")
        self.voice = VoiceBox()
        self.command = QLineEdit()
        self.command.setAccessibleName("Voice command")
        self.command.setPlaceholderText("ours, or a command")
        self.command.setToolTip(
            "A command that reads text and writes WAV, for a voice that is not ours"
        )
        self.scene = QCheckBox("and a &scene of them")
        self.scene.setToolTip("The lines in a new scene, with natural gaps")
        self.hear_button = QPushButton("&Hear it")
        self.hear_button.setToolTip("Say it without keeping it (Ctrl+Space)")
        self.make_button = QPushButton("&Make lines", objectName="go")
        self.make_button.setToolTip(
            "Every turn becomes a line with a placeholder voice (Ctrl+Return)"
        )
        self.again_button = QPushButton("Say the &line again")
        self.again_button.setToolTip(
            "The placeholder line that is shown, as its script and voice are now"
        )
        heading = QLabel("Say it")
        heading.setFont(themes.serif(18, italic=True))
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.setSpacing(8)
        column.addWidget(heading)
        column.addWidget(self.text, 1)
        column.addWidget(self.speaker)
        column.addWidget(self.voice)
        column.addWidget(self.command)
        column.addLayout(Wrapping(self.hear_button, self.again_button))
        column.addLayout(Wrapping(self.make_button, self.scene))
        self._connect()

    def _connect(self) -> None:
        c, try_to = self._c, self._c.talk.try_to
        self.text.textChanged.connect(self._names)
        self.text.textChanged.connect(self._pause.start)
        self._pause.timeout.connect(self._keep)
        self.speaker.currentTextChanged.connect(lambda _: self._show_voice())
        self.voice.changed.connect(lambda v: try_to(lambda: self.set_voice(v)))
        self.hear_button.clicked.connect(lambda: try_to(self.hear))
        self.make_button.clicked.connect(lambda: try_to(self.make))
        self.again_button.clicked.connect(lambda: try_to(self.again))
        c.document.opened.connect(self._follow)
        c.document.changed.connect(lambda _: self._follow())
        c.selection.line_changed.connect(self._follow)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        margins(self.layout(), event.size().width(), MARGINS)

    def hideEvent(self, event: QHideEvent) -> None:
        self._keep()
        super().hideEvent(event)

    def _keep(self) -> None:
        """What is typed is there at the next start, unless it became lines."""
        keep_draft(self._unsaid())

    def _unsaid(self) -> str:
        """What is typed and did not become lines."""
        text = self.text.toPlainText()
        return "" if text == self._made_of else text

    # ---- showing ------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show what can be done with the line that is shown, and the speaker's voice as it is kept: that of the line,
        unless something is written for somebody."""
        line = self._line()
        self.again_button.setEnabled(line is not None and bool(line.placeholder))
        self._names()
        if line and line.speaker and line.slug != self._slug and not self._unsaid().strip():
            self.speaker.setCurrentText(line.speaker)
        self._slug = line.slug if line is not None else ""
        self._show_voice()

    def _follow(self) -> None:
        """Entering the page shows all of it."""
        if self.isVisible():
            self.refresh()

    def _line(self) -> Line | None:
        return self._c.document.kept_line(self._c.selection.slug)

    def _own_turns(self) -> list[tuple[str, str]]:
        """Speakers and texts of all that is typed; none where it cannot be said."""
        try:
            return turns_of(self.text.toPlainText(), self._c.document.production.speakers)
        except ScriptError:
            return []

    def _names(self) -> None:
        """Speakers of the text, then those of the production."""
        known, own = (
            sorted(self._c.document.production.speakers),
            [n for n, _ in self._own_turns() if n],
        )
        line = self._line()
        names = list(
            dict.fromkeys([*own, *([line.speaker] if line and line.speaker else []), *known])
        )
        now = self.speaker.currentText()
        with QSignalBlocker(self.speaker):
            self.speaker.clear()
            self.speaker.addItems(names)
            if now:
                self.speaker.setCurrentText(now)
        if self.speaker.currentText() != now:
            self._show_voice()

    def _show_voice(self) -> None:
        self.voice.show_voice(
            voice_of(self._c.document.production, self.speaker.currentText().strip())
        )

    def set_voice(self, voice: PlaceholderVoice) -> None:
        """Keep a voice with its speaker; one step."""
        name, document = self.speaker.currentText().strip(), self._c.document
        if not name:
            raise EditError("Name the speaker first; the voice is kept with them.")
        if voice != voice_of(document.production, name):
            changes = with_voice(document.production, name, voice)
            document.change(f"Voice of {name}", changes, merge=True)

    # ---- doing --------------------------------------------------------------------------------

    def hear(self) -> None:
        """Say the text, or what is selected in it, without keeping it."""
        production = self._c.document.production
        chosen = self.text.textCursor().selectedText().replace("\u2029", "\n")
        every = self._own_turns()
        known = {*production.speakers, *(name for name, _ in every if name)}
        turns = turns_of(chosen or self.text.toPlainText(), known)
        name, text = turns[0]
        voice = voice_of(production, name or self.speaker.currentText().strip())
        texts = [plain(said) for _, said in (*turns[:1], *every)]  # all of it tells the language

        def work(_: Told) -> _Heard:
            return _Heard(say(text, voice, language=tongues_of(production, texts)[0]))

        def apply(made: _Heard) -> None:
            self._c.transport.say(made.said.samples, made.said.rate)
            if len(turns) > 1:
                self._c.talk.say("That is the first turn; Make lines says all of them.")

        self._c.jobs.submit("Saying it", work, apply, name="say", instead=True, quiet=True)

    def make(self) -> None:
        """Lines for the text, in one step, the first of them shown."""
        text = self.text.toPlainText()
        turns_of(text)
        self._c.document.need()  # sound is written into it before there are lines
        production = self._c.document.production
        speaker, command = self.speaker.currentText().strip(), self.command.text().strip()

        def work(told: Told) -> Spoken:
            return spoken(production, text, speaker=speaker, command=command, progress=told)

        def apply(made: Spoken) -> None:
            if not made.refused:
                self._made_of = text
                self._keep()
            self._made(made)

        self._c.jobs.submit("Saying it", work, apply, name="say lines")

    def _made(self, made: Spoken) -> None:
        document = self._c.document
        lines = unlike(made.lines, document.production.slugs)
        if lines:
            changes, slug = document.production.added(lines), ""
            if self.scene.isChecked():
                scenes = document.production.scenes
                slug = slugify("said", {s.slug for s in scenes})
                shown = scene_from(lines, slug=slug, name=f"Said {len(scenes) + 1}")
                changes[scene_key(slug)] = shown
            document.change("Say lines", changes)
            if slug:
                self._c.scenery.show(slug)
            self._c.selection.show(lines[0].slug)
        if not lines and made.refused:
            self._c.talk.fail("; ".join(made.refused))
            return
        said = f"{counted(len(lines), 'line')} said{made.tongues}, marked as placeholders until a retake"
        unsaid = [f"{counted(len(made.unsaid), 'paragraph')} left out that nobody says"]
        self._c.talk.say("; ".join([said, *made.refused, *(unsaid if made.unsaid else ())]))

    def again(self) -> None:
        """Say the shown placeholder line again; pins, moods and touch-ups come along."""
        line = self._line()
        if line is None or not line.placeholder:
            raise EditError("Only a line that a placeholder voice speaks can be said again.")
        self._say_again(line)

    def _say_again(self, line: Line) -> None:
        production, slug = self._c.document.production, line.slug
        command = self.command.text().strip()

        def work(told: Told) -> Line:
            return respoken(production, line, command=command, progress=told)

        def look() -> object:
            return self._c.document.kept_line(slug), self._c.document.header.voices

        def again() -> None:
            now = self._c.document.kept_line(slug)
            if now is not None and now.placeholder:
                self._say_again(now)

        def apply(made: Line) -> None:
            if self._c.document.kept_line(slug) is not None:
                self._c.document.change("Say again", {line_key(slug): made})
                self._c.talk.say("Said again, as its script and voice are now.")

        self._c.jobs.submit(
            "Saying it again", work, apply, name="say again", inputs=look, again=again
        )
