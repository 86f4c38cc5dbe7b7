"""The face over the words of the moment: what is seen and said at the playhead.

The head of whoever speaks stands on the stage; their drawing is a choice, and stands in where there
is no OpenGL.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ....characters.drawings.running import Running
from ....motion.channels import channels
from ....motion.curve import Motion
from ....motion.perform import perform
from ....production.carrying import as_kept
from ....production.documents import Character
from ....stage.messages import Ask
from ....stage.views import VIEWS
from ...drawing.headview import HeadView
from ...drawing.readout import Readout
from ...drawing.staging import NOWHERE, worn
from ...drawing.theme import Theme
from ...drawing.words import frame_text, seconds_text
from ...model.context import Context
from ...model.jobs import Told
from ...model.living import face_of, ground_of
from ...page import Command
from .drawings import DrawingsView
from .face import FaceView

DRAWN, HEAD = "drawn", "head"
BOTH = "both"
MOUTH = {c.name for c in channels()}
LOOKS = {"mirror": "Mirrored", "through": "Teeth seen through", "wire": "Only edges"}


class FacePanel(QWidget):
    """Shows the moment it is told."""

    def __init__(self, context: Context, theme: Theme) -> None:
        super().__init__()
        self._c = context
        self._running: Running | None = None  # drawings while somebody speaks now
        self.face = FaceView(theme)
        self.head = HeadView(context.staging, theme, name="Head of whoever speaks")
        self.stack = QStackedWidget()
        self.stack.addWidget(self.face)
        self.stack.addWidget(self.head)
        self.drawings = DrawingsView(theme)
        self.stack.addWidget(self.drawings)
        self.now = Readout(alignment=Qt.AlignmentFlag.AlignCenter, name="now")
        self.now.setAccessibleDescription("Sound, word and time at the playhead")
        self.button = QToolButton()
        self.button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.button.setAccessibleName("How the face is shown")
        self.button.setMenu(self._menu())
        below = QHBoxLayout()
        below.setContentsMargins(8, 0, 8, 2)
        below.addWidget(self.now, 1)
        below.addWidget(self.button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.stack, 1)
        column.addLayout(below)
        context.staging.trouble_changed.connect(self._troubled)
        context.dresses.dressed_ready.connect(lambda _: self._again())
        context.dresses.dress_ready.connect(lambda _: self._again())
        context.exposing.sheet_ready.connect(self._again)
        context.living.changed.connect(self._again)
        context.tracking.moved.connect(self._again)
        context.exposing.pictures_ready.connect(lambda _: self._again())
        context.preferring.changed.connect(lambda _, now: self._choose(now.face))
        self.head.looked.connect(self._name_view)
        self.head.shown.connect(self._ready)
        self._seconds = 0.0
        self._late = False  # another moment was wanted meanwhile
        self._other: Motion | None = None  # of the delivery that is compared
        context.current.other_changed.connect(self._compare)
        context.current.reading_changed.connect(self._compare)
        self._choose(context.preferring.now.face)

    # ---- how it is shown ----------------------------------------------------------------------

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        views = QActionGroup(self)
        self.actions_by_name: dict[str, QAction] = {}
        for name, text in ((DRAWN, "Drawn"), *((v, f"Head: {v}") for v in VIEWS)):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, n=name: self.show_as(n))
            views.addAction(action)
            self.actions_by_name[name] = action
        menu.addSeparator()
        for name, text in LOOKS.items():
            action = menu.addAction(text)
            action.setCheckable(True)
            action.toggled.connect(
                lambda on, n=name: self.head.set_look(replace(self.head.look, **{n: on}))
            )
            self.actions_by_name[name] = action
        menu.addSeparator()
        both = menu.addAction("Settings A and B side by side")
        both.setCheckable(True)
        both.toggled.connect(lambda _: self._compare())
        self.actions_by_name[BOTH] = both
        return menu

    def show_as(self, name: str) -> None:
        """As a drawing, or the head from one of its views."""
        if name != DRAWN:
            self.head.set_view(name)
        self._c.preferring.set(face=DRAWN if name == DRAWN else HEAD)
        self._name_view()

    def commands(self) -> Sequence[Command]:
        """What can be done with the face, on every page."""
        return [
            Command("face", "Face: as a head or drawn", "View", self._swap, "Ctrl+H"),
            *(
                Command(f"face-{name.replace(' ', '-')}", f"Face: {name}", "View", partial(self.show_as, name))
                for name in VIEWS
            ),
        ]  # fmt: skip

    def _swap(self) -> None:
        self.show_as(DRAWN if self._c.preferring.now.face == HEAD else "front")

    @property
    def drawn(self) -> bool:
        """Whether the drawing is shown, chosen or as stand-in."""
        return self.stack.currentWidget() is self.face

    def _choose(self, kind: str) -> None:
        head = kind == HEAD and not self._c.staging.trouble
        if self.stack.currentWidget() is not self.drawings:
            self._stand(head)
        self._wants_head = head
        self._name_view()
        self._again()

    def _stand(self, head: bool) -> None:
        """The head, or its drawing until there is a picture of it."""
        if not head or self.head.image is not None:
            self.stack.setCurrentWidget(self.head if head else self.face)
        elif self.stack.currentWidget() is self.drawings:
            self.stack.setCurrentWidget(self.face)

    def _ready(self) -> None:
        """The first picture of a head takes the place of the drawing."""
        if self._wants_head and self.head.image is not None and self.drawn:
            self.stack.setCurrentWidget(self.head)

    def _troubled(self, trouble: str) -> None:
        if trouble:
            self._c.talk.say(trouble)
            self.button.setToolTip(trouble)
            self._choose(DRAWN)

    def _name_view(self) -> None:
        kind = self._c.preferring.now.face
        camera = self.head.look.camera
        name = (
            next((n for n, v in VIEWS.items() if v == camera), "turned") if kind == HEAD else DRAWN
        )
        self.button.setText(name.capitalize() + " ▾")
        if name in self.actions_by_name:
            self.actions_by_name[name].setChecked(True)

    def set_theme(self, theme: Theme) -> None:
        self.face.theme = self.head.theme = self.drawings.theme = theme
        self.face.update()
        self.drawings.update()
        self.head.refresh()

    # ---- what is shown ------------------------------------------------------------------------

    def show_moment(self, seconds: float) -> None:
        """Bring picture and words to where the sound is."""
        self._seconds = seconds
        current = self._c.current
        self.face.show_speaker(current.line.speaker if current.line else "")
        live = self._c.tracking.values()
        if self._show_drawings(seconds, live):
            pass
        elif current.motion is None and live:  # without a line the drawing shows who speaks now
            self.stack.setCurrentWidget(self.face)
            self.face.show_pose(live, live=True)
        elif current.motion is None:
            self.face.show_pose({})
            self._stand(self._wants_head)
        else:
            self._stand(self._wants_head)
            if not self._wants_head or self.drawn:
                self.face.show_pose(
                    self._values(seconds),
                    soon=not self._c.transport.playing and not live,
                    live=bool(live),
                )
            if self._wants_head:
                self._show_head(seconds)
        word, phone = current.moment(seconds)
        sound = f"/{phone.ipa}/  " if phone else ""
        time = f"{seconds_text(seconds, 2)} · {frame_text(seconds, float(current.fps))}"
        metrics = self.now.fontMetrics()
        room = self.now.width() - metrics.horizontalAdvance(f"{sound}   {time}")
        said = metrics.elidedText(word.text if word else "·", Qt.TextElideMode.ElideRight, room)
        self.now.setText(f"{sound}{said}   {time}")

    def _values(self, seconds: float) -> dict[str, float]:
        """All channels at a time; a tracker that is listened to comes before what is kept."""
        return {**self._c.living.values(seconds), **self._c.tracking.values()}

    def _show_drawings(self, seconds: float, live: Mapping[str, float]) -> bool:
        """Show the drawings of whoever speaks, if they are drawn; whether they are."""
        character = self.character()
        drawn = character.drawings is not None
        if drawn != (self.stack.currentWidget() is self.drawings):
            self.button.setVisible(not drawn)
            if drawn:
                self.stack.setCurrentWidget(self.drawings)
            else:
                self._stand(self._wants_head)
        if character.drawings is None:
            return False
        sheet, pictures = self._c.exposing.sheet, self._c.exposing.pictures(character)
        view = character.drawings.views[0]
        if MOUTH.isdisjoint(live):  # nobody speaks, or a tracker leaves the mouth to the line
            self._running = None
        elif self._running is None or self._running.drawings is not character.drawings:
            self._running = Running(character.drawings)
        if self._running is not None:
            running = self._running.show(self._values(seconds), time.monotonic())
            self.drawings.show_frame(*running, pictures)
            return True
        if sheet is None or sheet.drawings.views != character.drawings.views:
            self.drawings.show_frame(view, view.rest if view.mouths else None, {}, pictures)
            return True
        frame = sheet.frame_at(seconds)
        view = sheet.view_at(frame)
        mouth = sheet.drawings.in_view(view, sheet.mouth(sheet.at(frame)))
        self.drawings.show_frame(view, mouth, sheet.states_at(frame, view), pictures)
        return True

    def _again(self) -> None:
        if self.isVisible():
            self.show_moment(self._seconds)

    def character(self) -> Character:
        """Who speaks the line that is shown."""
        line = self._c.current.line
        return self._c.document.production.character_for(line.speaker if line else "")

    def _show_head(self, seconds: float) -> None:
        motion = self._c.current.motion
        assert motion is not None
        character = self.character()
        whole = self._c.living.motion or motion
        values, live = self._values(seconds), bool(self._c.tracking.values())
        if live and not self._c.dresses.is_ours(character):
            self._show_alone(character, values)
            return
        asks = [ask_for(self._c, character, whole, seconds, values)]
        if self._other is not None:
            asks.append(ask_for(self._c, character, self._other, seconds))
        known = [a for a in asks if a is not None]
        if len(known) == len(asks):
            self.head.show_asks(known)
            if not self.head.isVisible():  # the drawing stands in until the first picture
                self.head.wish_unseen(self.stack.size())
        elif len(asks) == 1:
            self._show_alone(character, values)

    def _show_alone(self, character: Character, values: dict[str, float]) -> None:
        """One moment by itself, while the line on the head is being found (as under a slider)."""
        dressed = self._c.dresses.latest(character)
        if dressed is None:
            return
        if self._c.jobs.find("moment") is not None:  # it ends first, or nothing would ever be seen
            self._late = True
            return
        model, poses, _ = self._c.dresses.source(character)
        self._c.jobs.submit(
            "Posing", lambda _: dressed.weights_for(values),
            lambda w: self.head.show_asks([worn(model, poses, dressed.framing, w, values)]),
            name="moment", quiet=True, instead=True, again=self._again,
            inputs=lambda: (self._c.dresses.source(self.character()), self.drawn), ended=lambda _: self._catch_up(),
        )  # fmt: skip

    def _catch_up(self) -> None:
        """What was wanted while one moment was being found."""
        if self._late:
            self._late = False
            self._again()

    def _compare(self) -> None:
        """The motion of the other setting, where both are to be seen."""
        current, wanted = self._c.current, self.actions_by_name[BOTH].isChecked()
        other, reading = current.other, current.reading
        if not wanted or other is None or reading is None:
            if wanted and other is None:
                self._c.talk.say("Keep a setting as B first (Delivery), to see both side by side.")
            if self._other is not None:
                self._other = None
                self._again()
            return
        loudness = current.opened.loudness if current.opened else None
        silence = np.zeros(int(reading.audio.duration * 16_000), np.float32)
        samples = current.opened.recording.samples if current.opened else silence
        fps, known, folder = current.fps, self._c.living.voice, self._c.document.folder
        assert current.line is not None
        shown = as_kept(current.line, other)

        def work(_: Told) -> Motion:
            speech = perform(reading, shown.delivery, fps=fps, loudness=loudness)
            if not shown.lives:
                return speech
            return face_of(
                shown, speech, ground_of(shown, samples, known, False, folder, float(fps))
            ).motion

        def apply(made: Motion) -> None:
            self._other = made
            self._again()

        self._c.jobs.submit(
            "Performing B", work, apply, name="other", quiet=True, instead=True,
            inputs=lambda: (current.other, current.reading),
        )  # fmt: skip


def ask_for(
    context: Context, character: Character, motion: Motion, seconds: float,
    values: dict[str, float] | None = None,
) -> Ask | None:  # fmt: skip
    """How the stage shows a character at a moment of a motion; None while that is found. values: of
    our channels there, if they are not just those of the motion."""
    model, poses, _ = context.dresses.source(character)
    if context.dresses.is_ours(character):
        return Ask(model, NOWHERE, values=values or motion.at(seconds))
    dress = context.dresses.dress(character, motion)
    if dress is None:
        return None
    position = min(max(seconds * float(dress.fps), 0.0), dress.frames - 1.0)
    low = int(position)
    high = min(low + 1, dress.frames - 1)
    row = dress.shares[low] + (position - low) * (dress.shares[high] - dress.shares[low])
    weights = dict(zip(dress.channels, row.tolist(), strict=True))
    framing = context.dresses.latest(character).framing
    return worn(model, poses, framing, weights, values or motion.at(seconds))
