"""The face over the words of the moment: what is seen and said at the playhead."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from ...drawing.theme import Theme
from ...drawing.words import frame_text, seconds_text
from ...model.context import Context
from .face import FaceView


class FacePanel(QWidget):
    """Shows the moment it is told."""

    def __init__(self, context: Context, theme: Theme) -> None:
        super().__init__()
        self._c = context
        self.face = FaceView(theme)
        self.now = QLabel(objectName="now")
        self.now.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.now.setAccessibleName("Sound, word and time at the playhead")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.face, 1)
        column.addWidget(self.now)

    def set_theme(self, theme: Theme) -> None:
        self.face.theme = theme
        self.face.update()

    def show_moment(self, seconds: float) -> None:
        """Bring picture and words to where the sound is."""
        current = self._c.current
        self.face.show_speaker(current.line.speaker if current.line else "")
        if current.motion is not None:
            playing = self._c.transport.playing
            self.face.show_pose(current.motion.at(seconds), soon=not playing)
        word, phone = current.moment(seconds)
        sound = f"/{phone.ipa}/  " if phone else ""
        time = f"{seconds_text(seconds, 2)} · {frame_text(seconds, float(current.fps))}"
        text = f"{sound}{word.text if word else '·'}   {time}"
        if text != self.now.text():
            self.now.setText(text)
