"""The rest of the face: how lively it is, and what it feels over spans of the line."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ....errors import EditError
from ....motion.life.event import Liveliness
from ....motion.mood import MoodSpan, moods
from ....production.documents import Line
from ....production.kinds import line_key
from ...dialogs.common import number
from ...drawing.readout import Readout
from ...drawing.words import counted, seconds_text
from ...model.context import Context

FINE = 100
STRENGTHS = (
    ("blinks", "&Blinks", "How often; at phrase ends and in pauses, never in an accent"),
    ("gaze", "Ga&ze", "How far the eyes wander; away at the start of long phrases, back at their end"),
    ("brows", "Bro&ws", "How high they go on accents and questions"),
    ("head", "&Head", "How far it follows the voice, nods and turns"),
    ("face", "Br&eath", "Breath before phrases, tension of cheeks and lids in loud ones"),
)  # fmt: skip
HALVES = (
    ("upper", "U&pper face", "Brows and lids of moods"),
    ("lower", "Lower fa&ce", "Mouth and cheeks of moods"),
)


class LifePanel(QWidget):
    """Life and moods of the line that is shown."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self._shown: tuple[object, ...] | None = None
        self.on = QCheckBox("&Life")
        self.on.setToolTip("Blinks, gaze, brows, head and breath, from the voice (U)")
        self.head_on = QCheckBox("Head &moves")
        self.another = QPushButton("Ano&ther")
        self.another.setToolTip("Draw another life for this line")
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, Readout] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, (name, text, tip) in enumerate(STRENGTHS):
            self._add(grid, row, name, text, tip)
        self.mood = QComboBox()
        self.mood.setAccessibleName("Mood")
        self.mood.addItems(list(moods()))
        self.suggest = QPushButton("&Suggest")
        self.suggest.setToolTip(
            "What the voice and directions in the script suggest; nothing is taken unasked"
        )
        self.feel = QPushButton("&Feel it here")
        self.feel.setToolTip("Over what is chosen in the score, else over the whole line")
        self.spans = QListWidget()
        self.spans.setAccessibleName("Moods of the line")
        self.spans.setMaximumHeight(72)
        self.spans.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.remove = QPushButton("Take &away")
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(0, FINE)
        self.strength.setAccessibleName("Strength of the mood")
        strength_label = QLabel("Stren&gth")
        strength_label.setBuddy(self.strength)
        self.strength.setToolTip("Strength of the mood that is chosen in the list")
        self.start, self.end = (
            number(n, 0, 36000, 0.05, " s", 2) for n in ("Mood from", "Mood to")
        )
        from_label, to_label = QLabel("F&rom"), QLabel("to")
        from_label.setBuddy(self.start)
        halves = QGridLayout()
        halves.setContentsMargins(0, 0, 0, 0)
        for row, (name, text, tip) in enumerate(HALVES):
            self._add(halves, row, name, text, tip)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.setSpacing(5)
        for parts in ((self.on, self.head_on, self.another), (grid,), (self.mood, self.feel, self.suggest), (self.spans,),
                      (from_label, self.start, to_label, self.end), (strength_label, self.strength, self.remove), (halves,)):  # fmt: skip
            row_ = QHBoxLayout()
            for part in parts:
                if isinstance(part, QGridLayout):
                    row_.addLayout(part)
                else:
                    row_.addWidget(part)
            column.addLayout(row_)
        self._connect()
        self._show()

    def _add(self, grid: QGridLayout, row: int, name: str, text: str, tip: str) -> None:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, 2 * FINE)
        slider.setPageStep(FINE // 5)
        slider.setToolTip(tip)
        slider.setAccessibleName(text.replace("&", ""))
        label = QLabel(text)
        label.setBuddy(slider)
        value = Readout("0.00× ")
        for column, widget in enumerate((label, slider, value)):
            grid.addWidget(widget, row, column)
        self.sliders[name], self._values[name] = slider, value

    def _connect(self) -> None:
        c, try_to = self._c, self._c.talk.try_to
        self.on.clicked.connect(lambda on: try_to(lambda: self.switch(on)))
        self.head_on.clicked.connect(
            lambda on: try_to(lambda: self.set_life(head=1.0 if on else 0.0))
        )
        self.another.clicked.connect(lambda: try_to(self.draw_another))
        for name, _, _ in STRENGTHS:
            self.sliders[name].valueChanged.connect(
                lambda v, n=name: self.set_life(**{n: v / FINE})
            )
        for name, _, _ in HALVES:
            self.sliders[name].valueChanged.connect(lambda v, n=name: self.set_half(n, v / FINE))
        self.feel.clicked.connect(lambda: try_to(lambda: self.add_mood(self.mood.currentText())))
        self.suggest.clicked.connect(lambda: try_to(c.living.suggest))
        self.remove.clicked.connect(lambda: try_to(self.take_or_take_away))
        c.living.changed.connect(self._show)
        self.spans.currentRowChanged.connect(lambda _: self._show_strength())
        self.strength.valueChanged.connect(lambda v: self.set_strength(v / FINE))
        self.start.valueChanged.connect(lambda v: self.set_span(start=v))
        self.end.valueChanged.connect(lambda v: self.set_span(end=v))
        c.current.line_changed.connect(self._show)
        c.document.changed.connect(lambda _: self._follow())

    # ---- changing -----------------------------------------------------------------------------

    def _line(self) -> Line:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or line.reading is None:
            raise EditError("Listen to the line first; then its face can live.")
        return line

    def _take(self, name: str, *, merge: bool = False, **changes: object) -> None:
        made = msgspec.structs.replace(self._line(), **changes)
        self._c.document.change(name, {line_key(made.slug): made}, merge=merge)

    def switch(self, on: bool) -> None:
        """Let the face live, or move its mouth alone."""
        self._take("Give life" if on else "Take life away", life=Liveliness() if on else None)

    def set_life(self, **changes: object) -> None:
        """Other strengths; ignored while there is no life."""
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is not None and line.life is not None:
            life = msgspec.structs.replace(line.life, **changes)
            if life != line.life:
                self._take("Adjust life", merge=True, life=life)

    def draw_another(self) -> None:
        """Another seed."""
        life = self._line().life or Liveliness()
        self._take("Another life", life=msgspec.structs.replace(life, seed=life.seed + 1))

    def set_half(self, name: str, value: float) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is not None and line.reading is not None:
            faces = msgspec.structs.replace(line.faces, **{name: value})
            if faces != line.faces:
                self._take("Adjust moods", merge=True, faces=faces)

    def add_mood(self, mood: str) -> None:
        """A mood over what is chosen, else over the whole line."""
        line = self._line()
        flat, part = self._c.current.flat, self._c.selection.part
        start, end = (
            flat.span(part) if flat is not None and part is not None else (0.0, line.duration)
        )
        before = min(0.3, start)
        span = MoodSpan(mood, round(start - before, 3), round(end + 0.3, 3))
        made = tuple(sorted((*line.moods, span), key=lambda s: s.start))
        self._take(f"Feel {mood}", moods=made)
        self.spans.setCurrentRow(made.index(span))

    def take_or_take_away(self) -> None:
        """A mood that was suggested is felt from now on; one that is felt is not."""
        line, offers = self._line(), self._c.living.offers
        row = self.spans.currentRow() - len(line.moods)
        if not 0 <= row < len(offers):
            self.take_away()
            return
        offer = offers[row]
        span = MoodSpan(
            offer.mood, round(offer.start, 3), round(offer.end, 3), round(offer.strength, 2)
        )
        made = tuple(sorted((*line.moods, span), key=lambda s: s.start))
        self._take(f"Feel {offer.mood}", moods=made)
        self._c.living.drop(offer)

    def take_away(self) -> None:
        line, row = self._line(), self.spans.currentRow()
        if not 0 <= row < len(line.moods):
            raise EditError("Choose a mood in the list first.")
        self._take(f"No {line.moods[row].mood}", moods=(*line.moods[:row], *line.moods[row + 1 :]))

    def set_span(self, **changes: float) -> None:
        """The chosen mood from another time of the recording, or to another."""
        line = self._c.document.kept_line(self._c.selection.slug)
        row = self.spans.currentRow()
        if line is not None and 0 <= row < len(line.moods):
            span = msgspec.structs.replace(line.moods[row], **changes)
            if span.start < span.end:
                made = (*line.moods[:row], span, *line.moods[row + 1 :])
                self._take("Move mood", merge=True, moods=made)
            self._show_strength()

    def set_strength(self, value: float) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        row = self.spans.currentRow()
        if line is not None and 0 <= row < len(line.moods) and line.moods[row].strength != value:
            span = msgspec.structs.replace(line.moods[row], strength=value)
            made = (*line.moods[:row], span, *line.moods[row + 1 :])
            self._take("Adjust mood", merge=True, moods=made)

    # ---- showing ------------------------------------------------------------------------------

    def _follow(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or _what_is_shown(line) != self._shown:
            self._show()

    def _show(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        self._shown = _what_is_shown(line) if line is not None else None
        heard = line is not None and line.reading is not None
        self.setEnabled(heard)
        life = line.life if line is not None else None
        own = life or Liveliness()
        with QSignalBlocker(self.on), QSignalBlocker(self.head_on):
            self.on.setChecked(life is not None)
            self.head_on.setChecked(own.head > 0)
        for widget in (self.head_on, self.another, *(self.sliders[n] for n, _, _ in STRENGTHS)):
            widget.setEnabled(life is not None)
        values = {n: getattr(own, n) for n, _, _ in STRENGTHS}
        values |= {n: getattr(line.faces, n) if line is not None else 1.0 for n, _, _ in HALVES}
        for name, value in values.items():
            with QSignalBlocker(self.sliders[name]):
                self.sliders[name].setValue(round(value * FINE))
            self._values[name].setText(f"{value:.2f}×")
        self._show_spans(line.moods if line is not None else ())

    def _show_spans(self, spans: tuple[MoodSpan, ...]) -> None:
        texts = [
            f"{s.mood}  {seconds_text(s.start, 1)} – {seconds_text(s.end, 1)}  ·  {s.strength:.2f}"
            for s in spans
        ]
        offers = self._c.living.offers
        texts += [
            f"? {o.mood}  {seconds_text(o.start, 1)} – {seconds_text(o.end, 1)}  ·  {o.why}"
            for o in offers
        ]
        row = self.spans.currentRow()
        with QSignalBlocker(self.spans):
            self.spans.clear()
            for text in texts:
                item = QListWidgetItem(text)
                item.setToolTip(text)
                self.spans.addItem(item)
            self.spans.setCurrentRow(min(row, len(texts) - 1))
        self.spans.setAccessibleDescription(counted(len(spans), "mood"))
        self._show_strength()

    def _show_strength(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        row = self.spans.currentRow()
        chosen = line is not None and 0 <= row < len(line.moods)
        for widget in (self.strength, self.start, self.end):
            widget.setEnabled(chosen)
        if line is not None and chosen:
            for field, value in (
                (self.start, line.moods[row].start),
                (self.end, line.moods[row].end),
            ):
                with QSignalBlocker(field):
                    field.setValue(value)
        offered = line is not None and 0 <= row - len(line.moods) < len(self._c.living.offers)
        self.remove.setEnabled(chosen or offered)
        self.remove.setText("T&ake it" if offered else "Take &away")
        if line is not None and chosen:
            with QSignalBlocker(self.strength):
                self.strength.setValue(round(line.moods[row].strength * FINE))


def _what_is_shown(line: Line) -> tuple[object, ...]:
    """What the panel hangs on: an edge that moves is nothing to it."""
    return line.reading is None, line.life, line.faces, line.moods
