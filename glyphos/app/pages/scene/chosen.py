"""What is chosen in a scene, in exact numbers: a clip, or a shot; else the scene itself."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ....scene import editing
from ....scene.documents import Scene, Shot, Tempo
from ....stage.views import VIEWS
from ...dialogs.common import number
from ...drawing.words import counted, seconds_text
from ...model.context import Context
from .desk import SceneDesk
from .paint import called, clock

LOOKS = (("speaker", "who speaks"), ("camera", "the camera"), ("ahead", "ahead"))
EVERYBODY, SPEAKING = "everybody", "who speaks"
CLIP, SHOT, SCENE = 0, 1, 2


class Chosen(QWidget):
    """Follows what is chosen; every number is one step."""

    def __init__(self, context: Context, desk: SceneDesk) -> None:
        super().__init__()
        self._c, self._desk = context, desk
        self._showing = False
        self.title = QLabel(objectName="heading")
        self.title.setContentsMargins(16, 2, 16, 0)
        self.stack = QStackedWidget()
        for page in (self._clip_form(), self._shot_form(), self._scene_form()):
            self.stack.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 2)
        column.setSpacing(2)
        column.addWidget(self.title)
        column.addWidget(self.stack)

    # ---- forms --------------------------------------------------------------------------------

    def _form(self) -> tuple[QWidget, QFormLayout]:
        page = QWidget()
        form = QFormLayout(page)
        form.setContentsMargins(16, 0, 14, 2)
        form.setVerticalSpacing(2)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        return page, form

    def _number(
        self, form: QFormLayout, name: str, low: float, high: float, unit: str, change: Callable[[float], object], step: float = 0.1
    ) -> QDoubleSpinBox:  # fmt: skip
        box = number(name, low, high, step, unit, 3 if unit == " s" else 1)
        box.valueChanged.connect(lambda value: self._do(lambda: change(value)))
        form.addRow(name, box)
        return box

    def _choice(self, form: QFormLayout, name: str, change: Callable[[QComboBox], object]) -> QComboBox:  # fmt: skip
        box = QComboBox()
        box.setAccessibleName(name)
        box.activated.connect(lambda _: self._do(lambda: change(box)))
        form.addRow(name, box)
        return box

    def _do(self, work: Callable[[], object]) -> None:
        if not self._showing:
            self._c.talk.try_to(work)

    def _clip_form(self) -> QWidget:
        page, form = self._form()
        desk = self._desk
        self.start = self._number(form, "Starts at", 0, 21600, " s", desk.put_at)
        self.pause = QLabel(objectName="faint")
        form.addRow("Pause before", self.pause)
        self.length = self._number(form, "Is heard for", 0.04, 21600, " s", self._set_length)
        self.gain = self._number(form, "Level", -90, 24, " dB", lambda v: desk.sound(gain=v), 0.5)
        self.fade_in = self._number(form, "Fade in", 0, 60, " s", lambda v: desk.sound(fade_in=v))
        self.fade_out = self._number(
            form, "Fade out", 0, 60, " s", lambda v: desk.sound(fade_out=v)
        )
        self.looks = self._choice(form, "Looks at", lambda box: desk.place(self._speaker, looks=box.currentData()))  # fmt: skip
        for value, text in LOOKS:
            self.looks.addItem(text, value)
        return page

    def _shot_form(self) -> QWidget:
        page, form = self._form()
        self.shot_start = self._number(form, "Cut at", 0, 21600, " s", self._set_cut)
        self.view = self._choice(form, "Seen from", self._set_view)
        self.of = self._choice(form, "Shows", self._set_of)
        self.moves_for = self._number(form, "Camera moves for", 0, 600, " s", lambda v: self._desk.change_shot("Move the camera", move=v))  # fmt: skip
        return page

    def _scene_form(self) -> QWidget:
        page, form = self._form()
        settings = self._desk.settings
        self.tail = self._number(
            form, "Tail after it", 0, 600, " s", lambda v: settings("Set the tail", tail=v)
        )
        self.beats = self._number(form, "Beats a minute", 0, 400, "", lambda v: settings("Set the tempo", tempo=Tempo(v, self.first.value())), 1)  # fmt: skip
        self.beats.setSpecialValueText("no beat")
        self.first = self._number(form, "First beat at", 0, 3600, " s", lambda v: settings("Set the tempo", tempo=Tempo(self.beats.value(), v)))  # fmt: skip
        self.ground = self._choice(form, "Background", lambda box: settings("Set the background", background=box.currentData()))  # fmt: skip
        for name in ("paper", "night", "none"):
            self.ground.addItem({"none": "see-through"}.get(name, name), name)
        return page

    # ---- what is wanted -------------------------------------------------------------------------

    @property
    def _speaker(self) -> str:
        return self._desk.need().lanes[self._desk.the_clips()[0][0]].name

    def _set_length(self, seconds: float) -> None:
        where = self._desk.the_clips()[0]
        clip = editing.clip_at(self._desk.need(), where)
        self._desk.trim_to(where, clip.start + seconds)

    def _set_cut(self, seconds: float) -> None:
        number, _ = self._desk.the_shot()
        if number >= 0:
            self._desk.move_shot(number, seconds)

    def _set_view(self, box: QComboBox) -> None:
        if box.currentData() in VIEWS:
            self._desk.change_shot("Look from elsewhere", view=box.currentData(), camera=())

    def _set_of(self, box: QComboBox) -> None:
        data = box.currentData()
        of = tuple(self._desk.need().speakers) if data == EVERYBODY else () if data == SPEAKING else tuple(data.split("\n"))  # fmt: skip
        self._desk.change_shot("Show others", of=of)

    # ---- showing ------------------------------------------------------------------------------

    def show_all(self, scene: Scene | None) -> None:
        """Bring every number to what is there."""
        self.setVisible(scene is not None)
        if scene is None:
            return
        self._showing = True
        desk = self._desk
        if desk.shot is not None and desk.shot < len(scene.shots):
            self._show_shot(scene, scene.shots[desk.shot])
        elif desk.chosen and editing.there(scene, desk.chosen[0]):
            self._show_clip(scene)
        else:
            self._show_scene(scene)
        self._showing = False
        page = self.stack.currentWidget()
        self.stack.setFixedHeight(page.sizeHint().height())

    def _show_clip(self, scene: Scene) -> None:
        where = self._desk.chosen[0]
        clip, lane, whole = (
            editing.clip_at(scene, where),
            scene.lanes[where[0]],
            self._c.scenery.whole,
        )
        line = self._c.scenery.line(clip)
        what = line.title if line is not None else clip.audio.rsplit("/", 1)[-1]
        text = (
            f"{called(lane.name)} · {what}"
            if len(self._desk.chosen) == 1
            else counted(len(self._desk.chosen), "clip")
        )
        self._title(text)
        self.start.setValue(clip.start)
        pause = editing.pause_before(scene, where, whole) if lane.speaks else None
        after = f"{seconds_text(abs(pause[0]), 2)} {'after' if pause[0] >= 0 else 'before the end of'} {pause[1]}" if pause else "–"  # fmt: skip
        self.pause.setText(after)
        self.length.setValue(clip.lasts(whole(clip)))
        self.gain.setValue(clip.gain)
        self.fade_in.setValue(clip.fade_in)
        self.fade_out.setValue(clip.fade_out)
        self.looks.setEnabled(lane.speaks)
        self.looks.setCurrentIndex(self.looks.findData(scene.place(lane.name).looks))
        self.stack.setCurrentIndex(CLIP)

    def _show_shot(self, scene: Scene, shot: Shot) -> None:
        self._title(f"Shot from {clock(shot.start, True)}")
        self.shot_start.setValue(shot.start)
        self.view.clear()
        for name in VIEWS:
            self.view.addItem(name, name)
        if shot.camera:
            self.view.addItem("own camera", "")
        self.view.setCurrentText("own camera" if shot.camera else shot.view)
        self.of.clear()
        self.of.addItem("who speaks", SPEAKING)
        for speaker in scene.speakers:
            self.of.addItem(called(speaker), speaker)
        if len(scene.speakers) > 1:
            self.of.addItem("everybody", EVERYBODY)
        several = "\n".join(shot.of)
        if len(shot.of) > 1 and set(shot.of) != set(scene.speakers):
            self.of.addItem(" and ".join(shot.of), several)
        elif len(scene.speakers) > 2:
            for k, a in enumerate(scene.speakers):
                for b in scene.speakers[k + 1 :]:
                    self.of.addItem(f"{a} and {b}", f"{a}\n{b}")
        now = SPEAKING if not shot.of else EVERYBODY if len(shot.of) > 1 and set(shot.of) == set(scene.speakers) else several  # fmt: skip
        self.of.setCurrentIndex(self.of.findData(now))
        self.moves_for.setValue(shot.move)
        self.stack.setCurrentIndex(SHOT)

    def _show_scene(self, scene: Scene) -> None:
        self._title(scene.name or scene.slug)
        self.tail.setValue(scene.tail)
        self.beats.setValue(scene.tempo.beats)
        self.first.setValue(max(0.0, scene.tempo.first))
        self.ground.setCurrentIndex(self.ground.findData(scene.background))
        self.stack.setCurrentIndex(SCENE)

    def _title(self, text: str) -> None:
        self.title.setToolTip(text)
        self.title.setText(
            self.title.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 270)
        )
