"""What the Loupe shows, and where everything stands in it: a stretch of the line, its edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QSize, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QSizePolicy

from ....motion.curve import Motion
from ....speech.parts import Edge, Flat, Part
from ...drawing.spectrogram import energy_changes
from ...drawing.theme import Theme
from ...drawing.themed import Themed

SIDE = 16.0
LETTERS = 27.0
NEAR = 7.0
AROUND, LEAST_AROUND = 0.4, 0.12  # of the word's length, and seconds, seen on either side
PASSING = 60  # milliseconds after which another line is no longer taken to be passed by
ENERGY_REACH = 0.03  # seconds within which an edge snaps to a change of energy
SNAPS = ("off", "frames", "energy")


@dataclass(frozen=True)
class Written:
    """What is written over the sound, and what it is of."""

    key: tuple[object, ...]
    flat: Flat
    picture: QPixmap


class LoupeSheet(Themed):
    """Shows a stretch of the line large; knows where everything stands."""

    shown_changed = Signal()  # another word is shown

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.flat: Flat | None = None
        self.part: Part | None = None
        self.motion: Motion | None = None
        self.samples: NDArray[np.float32] = np.zeros(0, np.float32)
        self.rate = 16_000
        self.duration = 0.0
        self.lead = 0.04
        self.playhead = 0.0
        self.snap = "off"
        self.formants = False
        self.edge: Edge | None = None
        self.span = (0.0, 1.0)
        self._kept: QPixmap | None = None
        self._lips: tuple[tuple[object, ...], QImage] | None = None  # the ribbon, and what it shows
        self._over: Written | None = None
        self._named: tuple[Flat | None, Part | None] = (None, None)
        self._fitted: Part | None = None  # what the stretch in sight was chosen for
        self._dragging = False
        self._passing = QTimer(self)  # while it runs the sound is not painted yet
        self._passing.setSingleShot(True)
        self._passing.setInterval(PASSING)
        self._passing.timeout.connect(self.update)
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Loupe")
        self.setAccessibleDescription(
            "The chosen word large. Left and Right choose an edge, Ctrl moves it by a frame, "
            "Alt by 5 ms, N pins it."
        )

    def sizeHint(self) -> QSize:
        return QSize(700, 165)

    # ---- values -----------------------------------------------------------------------------

    def _forget(self) -> None:
        self._kept = self._lips = self._over = None
        self.update()

    def pass_by(self) -> None:
        """Another line, which may be passed by: its sound is painted once it stays."""
        self._passing.start()

    def show_sound(self, samples: NDArray[np.float32], rate: int, duration: float) -> None:
        self.samples, self.rate, self.duration = samples, rate, duration
        self._fitted = None
        self._fit()
        self._forget()

    def show_reading(self, flat: Flat | None) -> None:
        """Another reading; while an edge is dragged the stretch in sight stays."""
        self.flat = flat
        self._fit()
        self.update()

    def show_part(self, part: Part | None) -> None:
        self.part = part
        self._fit()
        self.update()

    def show_edge(self, edge: Edge | None) -> None:
        """Show another edge as chosen."""
        self.edge = edge
        self.update()

    def show_motion(self, motion: Motion | None, lead: float) -> None:
        self.motion, self.lead = motion, lead
        self.update()

    def set_playhead(self, seconds: float) -> None:
        if seconds != self.playhead:
            self.playhead = seconds
            if self.part is None and not self._dragging:
                self._fit()
            self.update()

    def set_formants(self, formants: bool) -> None:
        self.formants = formants
        self._forget()

    def word(self) -> Part | None:
        """The word that is shown: the chosen one, or the one at the playhead."""
        if self.flat is None or not self.flat.phones:
            return None
        if self.part is not None and self.flat.valid(self.part):
            return (
                self.part if self.part.level != "sound" else self.flat.at_level(self.part, "word")
            )
        return self.flat.part_at("word", self.playhead)

    def _fit(self) -> None:
        """Bring the word (or phrase) into sight, with something of its neighbours.

        While its edges move a little the picture stands still.
        """
        part = self.word()
        if part is not None and self.flat is not None and not self._dragging:
            start, end = self.flat.span(part)
            around = max(LEAST_AROUND, min(AROUND * (end - start), 0.6))
            # The sound may still be that of the line before, or of a shorter recording than was listened to
            span = (max(0.0, start - around), max(end, min(self.duration, end + around)))
            if part != self._fitted or max(np.abs(np.subtract(span, self.span))) > around / 2:
                self.span, self._fitted = span, part
                self._kept = None
        if (self.flat, part) != self._named:
            self._named = (self.flat, part)
            self.shown_changed.emit()

    # ---- places -----------------------------------------------------------------------------

    def x_at(self, seconds: float) -> float:
        start, end = self.span
        return SIDE + (seconds - start) / max(1e-6, end - start) * (self.width() - 2 * SIDE)

    def time_at(self, x: float) -> float:
        start, end = self.span
        share = (x - SIDE) / max(1.0, self.width() - 2 * SIDE)
        return start + min(max(share, 0.0), 1.0) * (end - start)

    @property
    def coarse(self) -> bool:
        """Whether a whole phrase is shown: then words and their edges, not sounds."""
        return self.part is not None and self.part.level == "phrase"

    def edges(self) -> list[Edge]:
        """Edges in sight, in order; of a phrase those of its words."""
        if self.flat is None:
            return []
        found = self.flat.edges_between(*self.span)
        if self.coarse:
            found = [e for e in found if self._of_a_word(e)]
        return found

    def _of_a_word(self, edge: Edge) -> bool:
        assert self.flat is not None
        if edge.end:
            return True
        return edge.sound == 0 or self.flat.word_of[edge.sound] != self.flat.word_of[edge.sound - 1]

    def edge_at(self, point: QPointF) -> Edge | None:
        if self.flat is None:
            return None
        near = min(
            self.edges(), key=lambda e: abs(self.x_at(self._time(e)) - point.x()), default=None
        )
        if near is None or abs(self.x_at(self._time(near)) - point.x()) > NEAR:
            return None
        return near

    def edge_point(self, edge: Edge) -> QPointF:
        """The handle of an edge."""
        return QPointF(self.x_at(self._time(edge)), self.height() - LETTERS)

    def _time(self, edge: Edge) -> float:
        assert self.flat is not None
        return self.flat.edge_time(edge)

    def snapped(self, seconds: float) -> float:
        """A time drawn to a frame or to a change of energy, as snapping is set."""
        if self.snap == "frames" and self.motion is not None:
            fps = float(self.motion.fps)
            return round(seconds * fps) / fps
        if self.snap == "energy":
            near = energy_changes(
                self.samples, self.rate, seconds - ENERGY_REACH, seconds + ENERGY_REACH
            )
            if len(near):
                return float(near[np.abs(near - seconds).argmin()])
        return seconds
