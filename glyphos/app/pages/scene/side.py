"""What stands beside the score of a scene: its script, what is chosen, its levels, its movie."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....scene import editing
from ....scene.documents import Scene
from ....scene.said import text_in, words_in
from ...drawing.theme import Theme
from ...drawing.voices import voice_color
from ...model.context import Context
from .chosen import Chosen
from .desk import SceneDesk
from .levels import Levels
from .making import Making
from .paint import called
from .script import Script, Speech, title_of


class Side(QWidget):
    """Shows the scene that it is told."""

    def __init__(self, context: Context, theme: Theme, desk: SceneDesk, making: Making) -> None:
        super().__init__(objectName="panel")
        self._c, self._desk = context, desk
        self._theme = theme
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(290)
        self.heading = QLabel("Script", objectName="heading")
        self.figures = QLabel(objectName="faint")
        self.script = Script(theme)
        self.chosen = Chosen(context, desk)
        self.levels = Levels(self._level)
        self.levels_title = QLabel("Levels", objectName="heading")
        self.levels_title.setContentsMargins(16, 4, 16, 0)
        head = QHBoxLayout()
        head.setContentsMargins(16, 8, 16, 2)
        head.addWidget(self.heading, 1)
        head.addWidget(self.figures)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(head)
        column.addWidget(self.script, 1)
        column.addWidget(self.chosen)
        column.addWidget(self.levels_title)
        column.addWidget(self.levels)
        column.addLayout(self._foot(making))

    def _foot(self, making: Making) -> QHBoxLayout:
        self.movie_button = QPushButton("Make a &movie…", objectName="go")
        self.new_button = QPushButton("Ne&w scene", objectName="small")
        self.other_button = QPushButton("Other…", objectName="small")
        for button, name, tip, work in (
            (self.movie_button, "Make a movie", "Write the scene as a movie (Ctrl+M)", making.movie),
            (self.new_button, "New scene of the selected lines", "A scene of the selected lines, or of all (Ctrl+Shift+N)", making.new),
            (self.other_button, "Show another scene", "Show another scene", making.choose),
        ):  # fmt: skip
            button.setAccessibleName(name)
            button.setToolTip(tip)
            button.clicked.connect(partial(self._try, work))
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 4, 14, 8)
        foot.addWidget(self.new_button)
        foot.addWidget(self.other_button)
        foot.addStretch(1)
        foot.addWidget(self.movie_button)
        return foot

    def _try(self, work, *_: object) -> None:  # type: ignore[no-untyped-def]
        self._c.talk.try_to(work)

    def _level(self, lane: int, done: bool, **values: object) -> None:
        self._c.talk.try_to(lambda: self._desk.lane(lane, done, **values))

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.script.rows.theme = theme
        self.script.viewport().update()

    def show_scene(self, scene: Scene | None) -> None:
        """Show a scene, or that there is none."""
        for widget in (self.levels, self.levels_title, self.movie_button):
            widget.setVisible(scene is not None)
        self.other_button.setVisible(len(self._c.document.production.scenes) > 1)
        if scene is None:
            self.heading.setText("Script")
            self.figures.setText("")
            self.script.show_speeches([])
        elif self._c.document.previewed is None:
            self._show_script(scene)
        self.levels.show_scene(scene)

    def _show_script(self, scene: Scene) -> None:
        scenery, speeches = self._c.scenery, []
        for where in editing.places(scene):
            lane, clip = scene.lanes[where[0]], editing.clip_at(scene, where)
            if not clip.line:
                continue
            line = scenery.line(clip)
            reading = line.reading if line is not None else None
            text = line.script if line is not None else clip.line
            doubtful = 0
            if reading is not None:
                text = text_in(clip, reading, scenery.whole)
                doubtful = sum(w.doubtful for w in words_in(clip, reading, scenery.whole))
            number = scene.speakers.index(lane.name) if lane.speaks else 0
            color = voice_color(self._theme, number, speaks=lane.speaks).name()
            problem = scenery.problem(clip)
            speeches.append(
                Speech(
                    where,
                    called(lane.name),
                    clip.start,
                    " ".join(text.split()),
                    doubtful,
                    problem,
                    color,
                )
            )
        self.script.show_speeches(speeches)
        self.heading.setText(scene.name or scene.slug)
        self.figures.setText(title_of(len(speeches), scenery.length))
