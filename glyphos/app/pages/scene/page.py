"""Scene: several characters and other sound in time, read as a full score under the stage."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QMenu,
    QPushButton,
    QScrollArea,
    QSplitter,
    QWidget,
)

from ....scene import editing
from ....scene.documents import Scene
from ....scene.editing import Where
from ...drawing.pictures import Pictures
from ...drawing.theme import Theme
from ...model.context import Context
from ...model.jobs import same
from ...page import Command, Page
from .commands import scene_commands
from .desk import SceneDesk
from .layout import Bracket
from .making import Making
from .menu import fill_menu
from .paint import Shown, shot_text
from .paper import ScenePaper
from .side import Side
from .stage import SceneStage

if TYPE_CHECKING:  # it brings the solver with it
    from ....handoff.filming import Filming

EMPTY = (
    "A scene puts lines of several speakers in time. Choose lines in the list (V shows it), then "
    "make a scene of them."
)
BACK = "scene"  # of the offers
LONGEST, NEAREST = 0.15, 24.0  # zoom
STEP = 1.3


class ScenePage(Page):
    """Puts stage, score, script and levels together and tells them what the model says."""

    name = "scene"
    faces = False

    def __init__(self, context: Context, theme: Theme, line_wanted: Callable[[], object]) -> None:
        """line_wanted: shows the page of the line that is chosen."""
        self._c = context
        self.line_wanted = line_wanted
        self.lists = True  # until a person wants the list of lines beside it
        self.desk = SceneDesk(context)
        self.making = Making(context, self.desk)
        self.visible = False
        self._seconds = 0.0
        self._moment: tuple[Filming, Scene, int, bool] | None = None  # that is shown
        self.stage = SceneStage(context.staging, theme, self._pictures)
        self.paper = ScenePaper(theme)
        self.side = Side(context, theme, self.desk, self.making)
        self.script, self.chosen, self.levels = self.side.script, self.side.chosen, self.side.levels
        self._root = self._build()
        self.desk.setParent(self._root)
        self._connect()

    # ---- building -----------------------------------------------------------------------------

    def _build(self) -> QWidget:
        self.scroll = QScrollArea()
        self.scroll.setWidget(self.paper)
        self.scroll.setWidgetResizable(True)
        self.scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroll.setFocusProxy(self.paper)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self.stage)
        self.split.addWidget(self.scroll)
        self.split.setStretchFactor(0, 1)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([290, 400])
        root = QSplitter()
        root.addWidget(self.split)
        root.addWidget(self.side)
        root.setStretchFactor(0, 1)
        root.setCollapsible(0, False)
        root.setSizes([960, 316])
        return root

    def _connect(self) -> None:
        c, desk, paper = self._c, self.desk, self.paper
        self.snap_button = _way("Snap", "Snap to edges, beats and frames (N)", self.flip_snap)
        self.ripple_button = _way("Ripple", "What comes later moves along (R)", self.flip_ripple)
        self.loop_button = QPushButton("Loop")
        self.loop_button.setAccessibleName("Loop")
        self.loop_button.setToolTip("Play what is chosen again and again (L)")
        self.loop_button.clicked.connect(self._loop_clicked)
        self.snap_button.setChecked(True)
        paper.chosen.connect(desk.choose)
        paper.shot_chosen.connect(desk.choose_shot)
        paper.sought.connect(c.transport.seek)
        paper.spanned.connect(paper.show_span)
        for signal, work in (
            (paper.moved, desk.move), (paper.trimmed, desk.trim), (paper.shot_moved, desk.move_shot),
            (paper.nudged, desk.nudge), (paper.stepped, desk.step), (paper.shot_wanted, desk.add_shot),
            (self.stage.turned, desk.turn_camera), (self.script.order_wanted, desk.order), (paper.dropped, self._dropped),
        ):  # fmt: skip
            signal.connect(partial(self._told, work))
        paper.opened.connect(self._open)
        paper.given_up.connect(desk.give_up)
        paper.menu_wanted.connect(self._menu)
        self.script.chosen.connect(self._choose_speech)
        self.script.opened.connect(self._open)
        desk.chosen_changed.connect(self._show_chosen)
        for source in (c.scenery.changed, c.scenery.sounds_changed):
            source.connect(self._show)
        c.current.line_changed.connect(lambda: c.talk.withdraw(BACK))  # it is of another line
        c.proofing.changed.connect(lambda _: self._show())
        c.proofing.changed.connect(lambda _: self.paper.update())
        c.scenery.faces_changed.connect(lambda: self.follow(self._seconds))
        c.exposing.pictures_ready.connect(lambda _: self.stage.open_pictures())

    def _told(self, work, *values: object) -> None:  # type: ignore[no-untyped-def]
        """Do what a hand wants; while it holds Alt nothing snaps."""
        self.desk.free = self.paper.free
        self.desk.per_second = self.paper.plan.per_second if self.paper.plan else 100.0
        self._c.talk.try_to(lambda: work(*values))

    # ---- the page -----------------------------------------------------------------------------

    def widget(self) -> QWidget:
        return self._root

    def tools(self) -> Sequence[QWidget]:
        return (self.loop_button, self.snap_button, self.ripple_button)

    def commands(self) -> Sequence[Command]:
        return scene_commands(self)

    def enter(self) -> None:
        self.visible = True
        self._c.talk.withdraw(BACK)
        self._c.scenery.want(True)
        self._show()
        self.paper.setFocus()

    def leave(self) -> None:
        if self.visible:
            self.visible = False
            self._c.scenery.want(False)

    def follow(self, seconds: float) -> None:
        """Show a moment: picture, playhead, and who is speaking in the script."""
        if not self.visible:
            return
        moved = seconds != self._seconds
        self._seconds = seconds
        film, scene = self._c.scenery.film, self._c.scenery.scene
        if film is None or scene is None:
            self._moment = None
            self.stage.show_picture(None)
        else:
            self._show_frame(film, scene, seconds)
        self._keep_in_sight(seconds, moved)
        self.paper.set_playhead(seconds)

    def _show_frame(self, film: Filming, scene: Scene, seconds: float) -> None:
        """The picture of a moment; while it plays, who only listens may be a frame behind."""
        frame = min(int(seconds * float(film.look.fps) + 1e-6), max(0, film.frames - 1))
        playing = self._c.transport.playing
        if same((film, scene, frame, playing), self._moment):
            return
        self._moment = (film, scene, frame, playing)
        seen = film.seen(frame)
        speaking = [k for k, s in enumerate(seen) if film.speaks(s, frame)]
        less = [k for k in range(len(seen)) if playing and (frame + k) % 2 and k not in speaking]
        said = self._shot_said(scene, seconds)
        self.stage.show_picture(film.picture(frame), said, speaking=speaking, less=less)

    def _shot_said(self, scene: Scene, seconds: float) -> str:
        if not scene.shots:
            return ""
        shot = scene.shot_at(seconds)
        number = (
            sorted(scene.shots, key=lambda s: s.start).index(shot) + 1 if shot in scene.shots else 1
        )
        return f"shot {number} · {shot_text(scene, Bracket(0, shot, 0, 0, True, True))}"

    def _keep_in_sight(self, seconds: float, moved: bool) -> None:
        plan = self.paper.plan
        if plan is None or not moved:
            return
        if self.paper.long is not None:
            system = plan.systems[0]
            if not system.start <= seconds < system.end:
                self.paper.long = max(0.0, seconds - 0.1 * (system.end - system.start))
                self.paper.reflow()
            return
        system = plan.systems[plan.system_at(seconds)]
        bar = self.scroll.verticalScrollBar()
        if (
            system.top < bar.value()
            or system.top + system.height > bar.value() + self.scroll.viewport().height()
        ):
            bar.setValue(int(system.top - 10))

    def set_theme(self, theme: Theme) -> None:
        self.paper.theme = self.stage.theme = self.side.theme = theme
        self.stage.update()
        self._show()

    def text_resized(self) -> None:
        self.paper.reflow()
        self._show()

    def escape(self) -> bool:
        if self.paper.give_up() or self.stage.give_up():
            self.desk.give_up()
            return True
        chosen = bool(self.desk.chosen) or self.desk.shot is not None or self.paper.span is not None
        self.desk.choose(None)
        self.paper.show_span(None)
        return chosen

    def take_files(self, paths: Sequence[Path]) -> bool:
        """Timelines become scenes, wherever they are dropped."""
        timelines = [p for p in paths if p.suffix.lower() == ".otio"]
        if timelines:
            self.go()
            self.making.bring(timelines)
            return True
        return False

    # ---- ways ---------------------------------------------------------------------------------

    def flip_snap(self, *_: object) -> None:
        self.desk.snap = not self.desk.snap
        self.snap_button.setChecked(self.desk.snap)

    def flip_ripple(self, *_: object) -> None:
        self.desk.ripple = not self.desk.ripple
        self.ripple_button.setChecked(self.desk.ripple)

    def flip_lines(self) -> None:
        """The list of lines beside the page, or not."""
        self.lists = not self.lists
        self.go()

    def zoom(self, steps: int) -> None:
        """Less time in a row, or more; 0 for as much as words need."""
        self.paper.zoom = (
            min(max(self.paper.zoom * STEP**steps, LONGEST), NEAREST) if steps else 1.0
        )
        if self.paper.long is not None:
            self.paper.reflow()
            system = self.paper.plan.systems[0] if self.paper.plan else None
            if system is not None:
                self.paper.long = max(0.0, self._seconds - (system.end - system.start) / 2)
        self.paper.reflow()

    def one_row(self) -> None:
        """One long row, or time wrapped in rows."""
        self.paper.long = max(0.0, self._seconds - 2.0) if self.paper.long is None else None
        self.paper.reflow()

    def loop(self) -> None:
        """Play the marked span, the chosen clips, or all of it, again and again."""
        scene, transport = self.desk.need(), self._c.transport
        span = self.paper.span
        if span is None and self.desk.chosen:
            clips = [editing.clip_at(scene, w) for w in self.desk.chosen]
            span = (
                min(c.start for c in clips),
                max(editing.end_of(c, self._c.scenery.whole) for c in clips),
            )
        a, b = span or (0.0, transport.duration)
        if transport.playing and transport.looping:
            transport.stop()
        elif min(b, transport.duration) > a:
            transport.play(a, min(b, transport.duration), loop=True)

    def _loop_clicked(self, *_: object) -> None:
        self._c.talk.try_to(self.loop)

    def go_to(self, end: bool) -> None:
        self._c.transport.seek(self._c.scenery.length if end else 0.0)

    def move_in_script(self, by: int) -> None:
        """The chosen line earlier or later in the script."""
        self.script.show_chosen(self.desk.the_clips()[0])
        self.script.move_line(by)

    def open_line(self) -> None:
        """The line of the chosen clip, on the Score page."""
        self._open(self.desk.the_clips()[0])

    def _open(self, where: Where) -> None:
        scene = self._c.scenery.scene
        clip = (
            editing.clip_at(scene, where)
            if scene is not None and editing.there(scene, where)
            else None
        )
        if scene is None or clip is None or not clip.line:
            return
        self._c.selection.show(clip.line)
        self.line_wanted()
        self._c.talk.offer(
            BACK, f"This line is said in {scene.name or scene.slug}.", "Back to the scene", self.go
        )

    def _choose_speech(self, where: Where) -> None:
        scene = self._c.scenery.scene
        if scene is not None and editing.there(scene, where):
            self.desk.choose(where)
            self._c.transport.seek(editing.clip_at(scene, where).start)

    def _dropped(self, slugs: Sequence[str], at: float) -> None:
        if self._c.scenery.scene is None:
            self.desk.new(slugs, "Scene")
        else:
            self.desk.add(slugs, at)

    def _pictures(self, folder: str) -> Pictures | None:
        production = self._c.document.production
        for character in production.characters:
            if (
                character.drawings is not None
                and str(production.drawings_folder(character)) == folder
            ):
                return self._c.exposing.pictures(character)
        return None

    def _menu(self, at: QPoint, seconds: float) -> None:
        menu = QMenu(self._root)
        fill_menu(menu, self._c, self.desk, self.commands())
        self._c.transport.seek(seconds)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    # ---- showing ------------------------------------------------------------------------------

    def _show(self) -> None:
        """Bring everything to what the scene is."""
        if not self.visible:
            return
        scenery, scene = self._c.scenery, self._c.scenery.scene
        there = scene is not None
        self.stage.update()
        self.stage.empty = EMPTY if not there else "The scene is being prepared…"
        if scene is None:
            self.paper.show_scene(None, 0.0, 24.0)
        else:
            shown = Shown(
                scene,
                scenery.whole,
                scenery.line,
                scenery.sound,
                scenery.problem,
                scenery.lasts,
                lambda clip: self._c.proofing.worst(clip.line) if clip.line else None,
            )
            self.paper.show_scene(shown, scenery.length, float(scenery.fps))
        self.side.show_scene(scene)
        self._show_chosen()
        self.follow(self._seconds)

    def _show_chosen(self) -> None:
        self.paper.show_chosen(self.desk.chosen, self.desk.shot)
        self.chosen.show_all(self._c.scenery.scene)
        self.script.show_chosen(self.desk.chosen[0] if len(self.desk.chosen) == 1 else None)


def _way(text: str, tip: str, flip) -> QPushButton:  # type: ignore[no-untyped-def]
    button = QPushButton(text)
    button.setCheckable(True)
    button.setAccessibleName(text)
    button.setToolTip(tip)
    button.clicked.connect(flip)
    return button
