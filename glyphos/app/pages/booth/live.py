"""Speak now: a voice moves the face that is shown, while it speaks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSlider, QWidget

from ....booth.kept import LIVE, Spoken, left, lines_of, settle
from ....booth.microphone import Microphone
from ....live.face import Controls
from ....production.adding import unlike
from ...drawing import theme as themes
from ...drawing.readout import Readout
from ...drawing.scrolled import bring_into_view
from ...drawing.words import counted
from ...drawing.wrapping import Wrapping
from ...model.context import Context
from ...model.jobs import Told
from .who import LEARNING, WhoBox

if TYPE_CHECKING:  # they bring libraries with them
    from ....live.ear import Known
    from ....live.speaker import Reader

KEEPING = "live take"  # name of a job
SLIDERS = (
    ("Articulation", 0, 200, 100),
    ("Jaw reach", 0, 200, 100),
    ("Gate", -60, 60, -60),
    ("Life", 0, 200, 100),
)


class LiveBox(QWidget):
    """Begins and ends it, and how strongly the mouth speaks. microphone: makes the one that is chosen."""

    def __init__(self, context: Context, microphone: Callable[[], Microphone]) -> None:
        super().__init__()
        self._c, self._microphone = context, microphone
        self._sentence = "", "en"  # to be read aloud, and its language
        self._reader: Reader | None = None  # who takes it
        self.speak = QPushButton("S&peak now")
        self.speak.setCheckable(True)
        self.speak.setToolTip("What comes into the microphone moves the face at once (N)")
        self.mute, self.keep = QPushButton("Mut&e"), QPushButton("● &Keep")
        for button in (self.mute, self.keep):
            button.setCheckable(True)
        self.keep.setToolTip("Record what is spoken; it becomes a line when you press again")
        self.calibrate = QPushButton("&Calibrate")
        self.calibrate.setToolTip(
            "Learn the voice and the room anew: read a sentence aloud, so that shut lips are told better"
        )
        self.bring = QPushButton()
        self.bring.setToolTip(
            "What was spoken and is no line yet, since the window was closed or another production opened"
        )
        self.said = QLabel(objectName="faint", wordWrap=True)
        self.sentence = QLabel(wordWrap=True)
        self.sentence.setFont(themes.serif(16))
        self.sentence.hide()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        buttons = (self.speak, self.calibrate, self.mute, self.keep)
        for button in buttons:
            button.setObjectName("small")
        grid.addLayout(Wrapping(*buttons), 0, 0, 1, 3)
        grid.setColumnStretch(1, 1)
        self.sliders: dict[str, QSlider] = {}
        self.amounts: dict[str, Readout] = {}
        grid.addWidget(self.sentence, 1, 0, 1, 3)
        self.who = WhoBox(context)
        self.who.activated.connect(lambda _: self._read_no_more())  # it is said who speaks
        label = QLabel("&Who speaks")
        label.setBuddy(self.who)
        grid.addWidget(label, 2, 0)
        grid.addWidget(self.who, 2, 1, 1, 2)
        for k, (name, low, high, now) in enumerate(SLIDERS, 3):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setValue(now)
            slider.setAccessibleName(f"{name} of the live face")
            slider.valueChanged.connect(lambda _: self._set())
            self.sliders[name], self.amounts[name] = slider, Readout("−60.0 ", name="faint")
            grid.addWidget(QLabel(name), k, 0)
            grid.addWidget(slider, k, 1)
            grid.addWidget(self.amounts[name], k, 2)
        grid.addWidget(self.said, 7, 0, 1, 3)
        grid.addWidget(self.bring, 8, 0, 1, 3)
        try_to = context.talk.try_to
        self.speak.clicked.connect(lambda on: try_to(lambda: self.switch(on)))
        self.calibrate.clicked.connect(lambda: try_to(self.learn))
        self.mute.toggled.connect(lambda _: self._set())
        self.keep.clicked.connect(lambda on: try_to(lambda: self.record(on)))
        self.bring.clicked.connect(lambda: try_to(self.bring_in))
        context.tracking.changed.connect(self._show)
        context.tracking.left.connect(self.refresh)
        self.refresh()
        self._set()
        self._show()

    def controls(self) -> Controls:
        """As they are set."""
        value = {name: slider.value() for name, slider in self.sliders.items()}
        return Controls(value["Articulation"] / 100, value["Jaw reach"] / 100, value["Gate"] / 10, self.mute.isChecked(), value["Life"] / 100)  # fmt: skip

    def switch(self, on: bool) -> None:
        """Begin, or end."""
        try:
            if on:
                chosen = self._microphone()  # here, since it may ask for a file
                self.who.begin()
                self._c.tracking.speak(lambda: chosen, self.controls())
                self._c.talk.say("The face follows what is spoken")
            else:
                self._end_take()
                self._c.tracking.close()
                self._c.talk.say("The face no longer follows what is spoken")
        finally:
            self._show()

    def flip(self) -> None:
        self.switch(self._c.tracking.live is None)

    def learn(self) -> None:
        """Learn the speaker: show a sentence, and listen to it once it was read."""
        from ....live.speaker import sentence_for

        self._reader = self._c.tracking.calibrate()
        self.who.reads()
        document = self._c.document
        language = document.production.header.language if document.is_open else "en"
        self._sentence = sentence_for(language)
        self.sentence.setText(f"Read aloud: “{self._sentence[0]}”")
        self.sentence.show()
        bring_into_view(self.sentence)
        self._c.talk.say("Read the sentence aloud, then pause: the voice and the room are being learnt")  # fmt: skip

    def _listen(self, reader: Reader) -> None:
        """The sentence was read; learn from it what the speaker's shut lips sound like."""
        self._read_no_more()
        sentence, language = self._sentence

        def work(told: Told) -> Known:
            from ....live.beside import beside, learn_read
            from ....speech.words import chosen

            model = str(chosen() or "")
            return beside(learn_read, reader.samples, sentence, language, model, progress=told)

        def apply(made: Known) -> None:
            self.who.has_read(made)
            self._c.talk.say(f"The voice is learnt: its lips were shut {made.closures} times")

        self._c.jobs.submit("Learning the voice", work, apply, scope=LEARNING, name=LEARNING)

    def _read_no_more(self) -> None:
        self._reader = None
        self.sentence.hide()

    def _set(self) -> None:
        for name, slider in self.sliders.items():
            gate = "open" if slider.value() == slider.minimum() else f"{slider.value() / 10:+.1f}"
            self.amounts[name].setText(gate if name == "Gate" else f"{slider.value()} %")
        if (live := self._c.tracking.live) is not None:
            live.controls = self.controls()

    def record(self, on: bool) -> None:
        """Keep what is spoken from now on, or make a line of it."""
        live = self._c.tracking.live
        if live is None:
            self.keep.setChecked(False)
        elif on:
            self._c.document.need()
            live.begin_take(self._c.document.folder, LIVE)
            self._c.talk.clear()
        else:
            self._end_take()

    def _end_take(self) -> None:
        live = self._c.tracking.live
        take = live.end_take() if live is not None else None
        self.keep.setChecked(False)
        if take is not None:
            self._lines([take.path])

    def refresh(self) -> None:
        """Offer what was left, but for what is being recorded or made a line of just now."""
        count = 0 if self._c.jobs.find(KEEPING) is not None else len(self._left())
        self.bring.setText(f"&Bring in what was spoken ({count})")
        self.bring.setVisible(count > 0)

    def _left(self) -> list[Path]:
        live, document = self._c.tracking.live, self._c.document
        running = live.take if live is not None else None
        return left(document.folder, running) if document.is_open else []

    def bring_in(self) -> None:
        """What was left becomes lines."""
        self._lines(self._left())

    def _lines(self, paths: Sequence[Path]) -> None:
        """What was spoken becomes lines, to be listened to like any other."""
        production, folder = self._c.document.production, self._c.document.folder

        def work(_: Told) -> Spoken:
            return lines_of(production, paths)

        def apply(made: Spoken) -> None:
            document = self._c.document
            lines = unlike(made.lines, document.production.slugs)
            if lines:
                document.change("Keep what was spoken", document.production.added(lines))
                self._c.selection.show(lines[0].slug)
                for line, path in zip(lines, made.takes, strict=True):
                    settle(folder, line.slug, path)
            now = "It is a line" if len(lines) == 1 else f"They are {counted(len(lines), 'line')}"
            self._c.talk.say(
                "; ".join(made.refused) or f"{now} now; type its script, or listen without one"
            )

        self._c.jobs.submit(
            "Keeping what was spoken", work, apply, name=KEEPING, ended=lambda _: self.refresh()
        )
        self.refresh()

    def _show(self) -> None:
        live = self._c.tracking.live
        self.speak.setChecked(live is not None)
        for widget in (self.calibrate, self.mute, self.keep):
            widget.setEnabled(live is not None)
        if live is None:
            self._read_no_more()
            self.keep.setChecked(False)
            self.said.setText("a face that speaks while you do")
            return
        if self._reader is not None and self._reader.over:
            self._listen(self._reader)
        health = live.health
        if self.keep.isChecked() and live.take is None:  # another production was opened
            self.keep.setChecked(False)
        if live.take_problem:  # what was kept so far waits to be brought in, once there is room
            self._c.talk.fail(live.take_problem)
            live.end_take()
            self.keep.setChecked(False)
            self.refresh()
        late = f"{health.late[0]:.0f} ms behind the sound" + (" · voice learnt" if health.learnt else "")  # fmt: skip
        self.said.setText(health.problem or (late if health.packets else "waiting for sound…"))
