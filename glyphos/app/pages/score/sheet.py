"""The sheet of the score: what is shown, how it is laid out, and where everything stands.

It is laid out as large as the room allows; while nothing but times changes, rows keep their words.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF
from PySide6.QtGui import QPixmap, QResizeEvent
from PySide6.QtWidgets import QSizePolicy

from ....motion.curve import Motion
from ....proof.finding import Finding
from ....speech.parts import Edge, Flat, Level, Part
from ....speech.reading import Reading
from ...drawing import theme as themes
from ...drawing.exposed import Exposed
from ...drawing.lifelane import LifeLane
from ...drawing.theme import Theme
from ...drawing.themed import Themed
from ...model.jobs import same
from .bands import MARGIN, Bands
from .layout import LONG_LINE, NARROWEST, Page, air, fitted, relaid, sound_rows
from .measured import Measured
from .strips import WHOLE, Strip, Thing, joined

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ....voice.voice import Voice

NEAR = 4.0  # pixels within which an edge is taken hold of
ZOOMS = (0.7, 0.85, 1.0, 1.25, 1.5, 2.0)
LARGER = (2.0, 1.75, 1.5, 1.3, 1.15, 1.0)  # how much larger a roomy page may be drawn
SCALED = 1.1  # by how much more a row may hold than letters that are scaled say: gaps stay, and widths are rounded
AIRY = 1.25  # of the room that its letters need, what they have on a page that is drawn larger


@dataclass
class Painted:
    """A picture of a row, and what of it stands on other things: its ruler, or its glyphs."""

    picture: QPixmap
    things: list[Thing]


class Sheet(Themed):
    """A page that is laid out; knows where everything stands, and what of it is to be painted."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.zoom = 1.0  # as a person wants it, beside what the room allows
        self.bands = Bands()
        self.ruler = "seconds"
        self.fps = 24.0
        self.reading: Reading | None = None
        self.flat: Flat | None = None
        self.motion: Motion | None = None
        self.samples: NDArray[np.float32] = np.zeros(0, np.float32)
        self.rate = 16_000
        self.duration = 0.0
        self.playhead = 0.0
        self.part: Part | None = None
        self.room = 500  # pixels of height in sight
        self.column = 10_000  # and of width that rows may take, with a bar beside them
        self.lead = 0.04
        self.page: Page | None = None
        self.scale = 100.0
        self._laid: tuple[object, ...] | None = None  # what the page was laid out for
        self._level = 1.0
        self._kept: dict[int, Painted] = {}  # what stays of a row
        self._lips: dict[int, Painted] = {}  # what moves, for the motion as it was painted
        self._torn: dict[int, Strip] = {}  # of what stays, what is another by now
        self.marks: tuple[Finding, ...] = ()
        self.exposed: Exposed | None = None
        self.life: LifeLane | None = None
        self.voice: Voice | None = None
        self._stale: dict[int, Strip] = {}  # of the lips, what is to be painted anew
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Score")

    # ---- values -----------------------------------------------------------------------------

    @property
    def word(self) -> int:
        """Number of the chosen word; −1 if no word or sound of one is chosen."""
        if self.part is None or self.flat is None or self.part.level == "phrase":
            return -1
        return self.flat.word_range(self.part)[0]

    def _forget(self) -> None:
        for kept in (self._kept, self._lips, self._torn, self._stale):
            kept.clear()
        self.update()

    def show_sound(self, samples: NDArray[np.float32], rate: int, duration: float) -> None:
        """Another recording, or none yet (no samples)."""
        self.samples, self.rate = samples, rate
        self._level = 1.0 / max(
            float(samples.max(initial=0.0)), -float(samples.min(initial=0.0)), 1e-4
        )
        if self.reading is None or duration != self.duration:
            self.duration = duration
            self.reflow()
        else:
            self._forget()

    def show_reading(self, reading: Reading | None, duration: float) -> None:
        """Another reading, of a recording of that many seconds; while nothing but times changed, the rows stay."""
        before, noted = self.flat if duration == self.duration else None, self._notes()
        self.duration = duration
        self.reading = reading
        self.flat = Flat.of(reading) if reading is not None else None
        if self._same_sounds(before) and self.page is not None and self.flat is not None:
            self._laid = None  # its rows stay as they are, whatever a fresh page would be
            changed = relaid(self.page, self.flat, self.scale, word_width=self.bands.word_width,
                             letter_width=self.bands.letter_width)  # fmt: skip
            if self._notes() != noted:
                self._forget()
            for r, strip in changed.items():
                self._torn[r] = joined(self._torn.get(r), strip)
                self._stale[r] = joined(self._stale.get(r), strip)
                self.update(0, int(self.row_top(r)), self.width(), int(self.bands.height) - 1)
            return
        self.reflow()

    def _notes(self) -> object:
        """What is written on the waveforms."""
        return self.reading and (self.reading.marks, self.reading.unread)

    def _same_sounds(self, before: Flat | None) -> bool:
        """Whether only times, pins and confidences differ, so that every row keeps its words.

        Phrases that are the same objects are not looked into.
        """
        after = self.flat
        if before is None or after is None or len(before.phones) != len(after.phones):
            return False
        if len(before.reading.phrases) != len(after.reading.phrases):
            return False
        for number, (a, b) in enumerate(
            zip(before.reading.phrases, after.reading.phrases, strict=True)
        ):
            if a is b:
                continue
            if [w.text for w in a.words] != [w.text for w in b.words]:
                return False
            first, last = after.sound_range(Part("phrase", number))
            if (first, last) != before.sound_range(Part("phrase", number)):
                return False
            for k in range(first, last):
                x, y = before.phones[k], after.phones[k]
                if (
                    x.ipa != y.ipa
                    or abs(x.start - y.start) >= 1.0
                    or before.touches(k) != after.touches(k)
                ):
                    return False
            if last < len(after.phones) and before.touches(last) != after.touches(last):
                return False
        return True

    def show_motion(
        self, motion: Motion | None, window: tuple[float, float] | None, fps: float
    ) -> None:
        """Another motion; with a `window` (seconds) it differs only there."""
        self.motion = motion
        if fps != self.fps:
            self.fps = fps
            self._kept.clear()
        if window is None or self.page is None:
            self._stale |= dict.fromkeys(self._lips, WHOLE)
            self.update()
            return
        for r in range(self.page.row_at(window[0]), self.page.row_at(window[1]) + 1):
            # What a sound looks like is seen `lead` before it
            strip = self.page.rows[r].strip(window[0], window[1] + max(0.0, self.lead))
            self._stale[r] = joined(self._stale.get(r), strip)
            self.update(0, int(self.row_top(r)), self.width(), int(self.bands.height) - 1)

    def show_part(self, part: Part | None) -> None:
        """Show another part as chosen."""
        if part != self.part:
            rows = self.rows_of(self.part) | self.rows_of(part)
            self.part = part
            for r in rows:
                self.update(0, int(self.row_top(r)), self.width(), int(self.bands.height) + 1)

    def rows_of(self, part: Part | None) -> set[int]:
        """Rows in which a part stands."""
        if part is None or self.flat is None or self.page is None or not self.flat.valid(part):
            return set()
        start, end = self.flat.span(part)
        return set(range(self.page.row_at(start), self.page.row_at(end - 1e-6) + 1))

    def set_room(self, height: int) -> None:
        """Height of the page that is visible, which decides how wide time is drawn."""
        if height != self.room:
            self.room = height
            self.reflow()

    def set_zoom(self, zoom: float) -> None:
        """Draw everything larger or smaller."""
        self.zoom = min(max(zoom, ZOOMS[0]), ZOOMS[-1])
        self.reflow()

    def zoom_by(self, steps: int) -> None:
        """The next larger or smaller size."""
        near = min(range(len(ZOOMS)), key=lambda k: abs(ZOOMS[k] - self.zoom))
        self.set_zoom(ZOOMS[min(max(near + steps, 0), len(ZOOMS) - 1)])

    def set_ruler(self, unit: str) -> None:
        """Count in seconds or in frames."""
        self.ruler = unit
        self._forget()

    def reflow(self) -> None:
        """Lay the page out again for the present room."""
        self._forget()
        width = max(200, min(self.width(), self.column) - 2 * MARGIN)
        if self.reading is None:
            self._reflow_sound(width)
        else:
            self._reflow_reading(self.reading, width)
        rows = len(self.page.rows) if self.page is not None else 0
        self.setMinimumHeight(int(rows * self.bands.height + MARGIN / 2) if rows else 0)

    def _reflow_sound(self, width: int) -> None:
        """Nothing was listened to yet: the waveform alone."""
        self.bands = Bands.of(self.zoom, plain=True)
        self.page = self._laid = None
        if len(self.samples):
            self.page = sound_rows(
                self.duration, width=width, rows=self._rows_that_fit(self.bands.height)
            )

    def _rows_that_fit(self, height: float) -> int:
        """How many rows of a height are in sight."""
        return max(1, int((self.room - MARGIN / 2) // height))

    def _reflow_reading(self, reading: Reading, width: int) -> None:
        """As large as the whole line still fits the room with air between its letters."""
        lanes = (self.exposed is not None, self.life is not None, self.voice is not None)
        wanted = (reading, width, self.room, self.zoom, self.duration, *lanes, themes.scale())
        if self._laid is not None and same(wanted, self._laid):
            return
        self._laid = wanted

        def bands_of(larger: float) -> Bands:
            drawn, lives, voiced = lanes
            return Bands.of(self.zoom * larger, drawn=drawn, lives=lives, voiced=voiced)

        plain = bands_of(1.0)
        sizes = LARGER if self.duration <= LONG_LINE else (1.0,)
        words = tuple(reading.words()) if len(sizes) > 1 else ()
        measured = Measured(words, 0.0, plain.word_width, plain.letter_width)
        for larger in sizes:
            narrower = width / larger * SCALED
            if larger > 1.0 and len(
                measured.broken(narrower, NARROWEST * self.zoom)
            ) > self._rows_that_fit(plain.at_least(larger)):
                continue  # letters that much larger need that much more room
            bands = bands_of(larger)
            rows = self._rows_that_fit(bands.height)
            widths = {"word_width": bands.word_width, "letter_width": bands.letter_width}
            size = self.zoom * larger
            found = fitted(
                reading,
                self.duration,
                width=width,
                rows=rows,
                size=size,
                anyway=larger == 1.0,
                **widths,
            )
            if found is None:
                continue
            scale, page = size * found[0], found[1]
            roomy = len(page.rows) <= rows and air(reading, scale, bands.letter_width) >= AIRY
            if larger == 1.0 or roomy:
                self.bands, self.scale, self.page = bands, scale, page
                return

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.size().width() != event.oldSize().width():
            self.reflow()

    def set_playhead(self, seconds: float) -> None:
        """Move the playhead; only the strips it leaves and enters are painted."""
        if seconds != self.playhead:
            self.update(self._playhead_rect())
            self.playhead = seconds
            self.update(self._playhead_rect())

    def _playhead_rect(self) -> QRect:
        if self.page is None:
            return QRect()
        r = self.page.row_at(self.playhead)
        x = MARGIN + self.page.rows[r].x_at(self.playhead)
        return QRect(int(x) - 8, int(self.row_top(r)), 16, int(self.bands.height))

    # ---- places -----------------------------------------------------------------------------

    def row_top(self, row: int) -> float:
        return MARGIN / 2 + row * self.bands.height

    def row_under(self, point: QPointF) -> int:
        assert self.page is not None
        row = int((point.y() - MARGIN / 2) // self.bands.height)
        return min(max(row, 0), len(self.page.rows) - 1)

    def time_at(self, point: QPointF) -> float:
        """The time under a point of the page."""
        assert self.page is not None
        return self.page.rows[self.row_under(point)].time_at(point.x() - MARGIN)

    def level_at(self, point: QPointF) -> Level:
        """What a click there means: a sound in the sounds' band, else a word."""
        inside = (point.y() - MARGIN / 2) % self.bands.height
        return "sound" if self.bands.sounds_top <= inside < self.bands.ribbon_top else "word"

    def part_at(self, point: QPointF, level: Level | None = None) -> Part | None:
        """The word (or sound) under a point, or None in a pause."""
        if self.page is None or self.flat is None:
            return None
        seconds = self.time_at(point)
        part = self.flat.part_at(level or self.level_at(point), seconds)
        if part is None:
            return None
        start, end = self.flat.span(
            self.flat.at_level(part, "sound") if part.level == "sound" else part
        )
        return part if start <= seconds < end else None

    def edge_at(self, point: QPointF) -> Edge | None:
        """The edge under a point of the sounds' band, or of the whole height of what is chosen."""
        if self.page is None or self.flat is None:
            return None
        inside = (point.y() - MARGIN / 2) % self.bands.height
        row = self.page.rows[self.row_under(point)]
        edge = self.flat.nearest_edge(row.time_at(point.x() - MARGIN))
        if edge is None:
            return None
        low, high = self.bands.sounds_top, self.bands.ribbon_top + 6
        if self._of_chosen(edge):
            low, high = self.bands.highlight(self.part.level if self.part else "")
        time = self.flat.edge_time(edge)
        if not low <= inside < high or not row.start - 1e-6 <= time <= row.end + 1e-6:
            return None
        return edge if abs(MARGIN + row.x_at(time) - point.x()) <= NEAR else None

    def _of_chosen(self, edge: Edge) -> bool:
        """Whether an edge bounds what is chosen, or is in it."""
        if self.part is None or self.flat is None or not self.flat.valid(self.part):
            return False
        start, end = self.flat.span(self.part)
        return start - 1e-6 <= self.flat.edge_time(edge) <= end + 1e-6

    def edge_point(self, edge: Edge) -> QPointF:
        """Where an edge stands, in the sounds' band (for tests and for reading aloud)."""
        assert self.page is not None and self.flat is not None
        time = self.flat.edge_time(edge)
        r = self.page.row_at(time - 1e-6 if edge.end else time)
        x = MARGIN + self.page.rows[r].x_at(time)
        return QPointF(x, self.row_top(r) + self.bands.sounds_top + self.bands.sounds / 2)

    def word_rects(self) -> list[QRectF]:
        """Where the text of every word stands (for tests and for reading aloud)."""
        if self.page is None:
            return []
        rects = []
        for number, word in enumerate(self.page.words):
            for r, left, right in self.page.word_span(number):
                width = self.bands.word_width(word.text)
                top = self.row_top(r) + self.bands.words_top
                rects.append(
                    QRectF((left + right - width) / 2 + MARGIN, top, width, self.bands.words)
                )
        return rects

    def visible_span(self, top: int, bottom: int) -> tuple[float, float]:
        """Time that rows between two heights of the page show."""
        if self.page is None:
            return 0.0, 0.0
        rows = self.page.rows
        first = min(max(int((top - MARGIN / 2) // self.bands.height), 0), len(rows) - 1)
        last = min(max(int((bottom - MARGIN / 2) // self.bands.height), first), len(rows) - 1)
        return rows[first].start, rows[last].end
