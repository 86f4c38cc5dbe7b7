"""A character of drawings on its page: the head over its strip, the chart or the exposure sheet, and
one drawing by hand."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from ....characters.drawings.composing import open_drawing
from ....characters.drawings.documents import Drawings, Mouth, Placing, View
from ....characters.drawings.naming import short_names
from ....characters.drawings.pad import Pad, pose_of
from ....characters.drawings.sheet import said_of
from ....errors import EditError
from ....handoff.drawn import Spoken, ending_of, hand_over
from ....handoff.exposure import rows_of
from ....production.documents import Character
from ...drawing.exposed import Exposed
from ...drawing.scrolled import Scrolled
from ...drawing.theme import Theme
from ...drawing.words import sentence
from ...model.context import Context
from ...model.jobs import Told
from ...panels.face.drawings import DrawingsView
from .chart import HOW, Chart
from .edits import CharacterEdits
from .filmstrip import FilmStrip
from .mouthdetails import MouthDetails, PlaceDetails
from .papersheet import PaperSheet

SHEETS = "Exposure sheet to print (*.xsheet.pdf);;Drawing of the sheet (*.xsheet.svg);;Table (*.xsheet.csv)"


class DrawnSide:
    """Shows one character of drawings, and changes it."""

    def __init__(
        self, context: Context, theme: Theme, edits: CharacterEdits, chosen: Callable[[], Character]
    ) -> None:
        self._c, self._edits, self._chosen = context, edits, chosen
        self.shown = False
        self.mouth = ""  # the chosen one
        self.angle = 0  # number of the view
        self.face = DrawingsView(theme, "Head in drawings")
        self.strip = FilmStrip(theme)
        self.chart = Chart(theme)
        self.sheet = PaperSheet(theme)
        self.angles = QComboBox()
        self.angles.setAccessibleName("View")
        self.details, self.place = MouthDetails(), PlaceDetails()
        self.title = QLabel(objectName="heading")
        self.title.setWordWrap(True)
        self.findings = QListWidget()
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName("What was found")
        self.again = QPushButton("&Read them again")
        self.again.setToolTip(
            "What lies in the folder now: new drawings come in, what was set by hand stays"
        )
        self.print = QPushButton("Sheet to a &file…")
        self.widget = self._laid_out()
        self._connect()

    def _laid_out(self) -> QWidget:
        center = QSplitter(Qt.Orientation.Vertical)
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.face, 1)
        column.addWidget(self.strip)
        self.tabs = QTabWidget()
        self.tabs.setDocumentMode(True)
        paper = QWidget()
        inner = QVBoxLayout(paper)
        inner.setContentsMargins(6, 4, 6, 4)
        row = QHBoxLayout()
        row.addWidget(QLabel("A row a frame; a click goes there"))
        row.addStretch(1)
        row.addWidget(self.print)
        inner.addLayout(row)
        inner.addWidget(self.sheet, 1)
        self.tabs.addTab(self.chart, "Chart")
        self.tabs.addTab(paper, "Exposure sheet")
        center.addWidget(upper)
        center.addWidget(self.tabs)
        center.setSizes([380, 360])
        side = QWidget(objectName="panel")
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 12, 14, 10)
        column.addWidget(self.title)
        column.addWidget(self.findings, 1)
        row = QHBoxLayout()
        row.addWidget(self.angles, 1)
        row.addWidget(self.again)
        column.addLayout(row)
        column.addWidget(self.details)
        column.addWidget(self.place)
        scroll = Scrolled()
        scroll.setWidget(side)
        root = QSplitter()
        root.addWidget(center)
        root.addWidget(scroll)
        root.setSizes([700, 360])
        root.setStretchFactor(0, 1)
        return root

    def _connect(self) -> None:
        c, try_to = self._c, self._c.talk.try_to
        c.exposing.sheet_ready.connect(self.refresh)
        c.exposing.pictures_ready.connect(lambda _: self.refresh())
        self.chart.chosen.connect(self.choose)
        self.chart.moved.connect(lambda n, pad: try_to(lambda: self.set_pad(n, pad)))
        self.details.pad_set.connect(lambda pad: try_to(lambda: self.set_pad(self.mouth, pad)))
        self.details.offset_set.connect(lambda x, y: try_to(lambda: self.set_offset((x, y))))
        self.details.found_again.connect(lambda: try_to(self.as_found))
        self.place.placed.connect(lambda p: try_to(lambda: self.set_place(p)))
        self.place.chosen.connect(lambda _: self.refresh())
        self.angles.activated.connect(self._take_angle)
        self.again.clicked.connect(lambda: try_to(self.read_again))
        self.print.clicked.connect(lambda: try_to(self.to_file))
        self.sheet.went.connect(self._go)
        self.strip.sought.connect(c.transport.seek)

    # ---- showing ------------------------------------------------------------------------------

    @property
    def character(self) -> Character:
        return self._chosen()

    @property
    def drawings(self) -> Drawings:
        """Those of the chosen character; EditError where it is none of drawings."""
        found = self.character.drawings
        if found is None:
            raise EditError("Choose a character of drawings first.")
        return found

    @property
    def view(self) -> View:
        views = self.drawings.views
        return views[min(self.angle, len(views) - 1)]

    def choose(self, name: str) -> None:
        self.mouth = name
        self.refresh()

    def _take_angle(self, number: int) -> None:
        self.angle = number
        self.refresh()

    def show(self, on: bool) -> None:
        self.shown = on
        if on:
            self.refresh()

    def set_theme(self, theme: Theme) -> None:
        for part in (self.face, self.strip, self.chart, self.sheet.wave):
            part.theme = theme
        self.widget.update()

    def refresh(self) -> None:
        """Show all of it as it is now."""
        character = self.character
        if not self.shown or character.drawings is None:
            return
        pictures = self._c.exposing.pictures(character)
        view = self.view
        names = [m.name for m in view.mouths]
        if self.mouth not in names:
            self.mouth = names[0] if names else ""
        labels = [v.name for v in character.drawings.views]
        if [self.angles.itemText(k) for k in range(self.angles.count())] != labels:
            self.angles.clear()
            self.angles.addItems(labels)
        self.angles.setCurrentIndex(min(self.angle, len(labels) - 1))
        self.angles.setVisible(len(labels) > 1)
        self.title.setText(
            f"{character.name} · {len(view.mouths)} mouths"
            + "".join(f" · {p.name}" for p in view.parts)
        )
        self.chart.show_mouths(view.mouths, pictures, self.mouth)
        mouth = self._mouth()
        self.details.show_mouth(
            mouth, short_names(names).get(self.mouth, self.mouth), HOW[mouth.how] if mouth else ""
        )
        self.place.show_view(view)
        self._show_findings(character, pictures.said if pictures is not None else [])
        self._show_sheet()
        self.moment(self._c.transport.position())

    def _mouth(self) -> Mouth | None:
        return next((m for m in self.view.mouths if m.name == self.mouth), None)

    @property
    def _on_line(self) -> bool:
        """Whether the shown line is spoken by the chosen character."""
        speaker, sheet = self._c.exposing.character, self._c.exposing.sheet
        return speaker is not None and speaker.slug == self.character.slug and sheet is not None

    def _show_findings(self, character: Character, wrong: list[str]) -> None:
        self.findings.clear()
        sheet = self._c.exposing.sheet
        said = [("▲", s) for s in wrong]
        # ◆ is of mouths in the chart; how they were read is neither good nor bad
        said += [("·", s) for s in character.notes.splitlines() if s.strip()]
        if self._on_line and sheet is not None:
            said += [("●", s) for s in said_of(sheet)]
        for sign, text in said:
            self.findings.addItem(QListWidgetItem(f"{sign} {sentence(text)}"))

    def _show_sheet(self) -> None:
        sheet, current = self._c.exposing.sheet, self._c.current
        if not self._on_line or sheet is None or current.reading is None:
            self.sheet.show_rows([], {})
            self.strip.show_exposed(None)
            return
        pictures = self._c.exposing.pictures(self.character)
        self.strip.show_exposed(Exposed(sheet, pictures, self.strip.exposed))
        samples = current.opened.recording.samples if current.opened else None
        rows = rows_of(sheet, current.reading, current.delivery, 0, samples)
        self.sheet.show_rows(rows, short_names([m.name for m in sheet.drawings.mouths]))

    def moment(self, seconds: float) -> None:
        """The playhead is at a time."""
        character = self.character
        if not self.shown or character.drawings is None:
            return
        pictures, sheet, view = (
            self._c.exposing.pictures(character),
            self._c.exposing.sheet,
            self.view,
        )
        self.strip.set_playhead(seconds)
        if (
            self._on_line
            and sheet is not None
            and (self._c.transport.playing or not self.chart.hasFocus())
        ):
            frame = sheet.frame_at(seconds)
            mouth = sheet.drawings.in_view(view, sheet.mouth(sheet.at(frame)))
            self.face.show_frame(view, mouth, sheet.states_at(frame, view), pictures)
            self.sheet.mark(frame)
        else:
            self.face.show_frame(view, self._mouth(), {}, pictures)

    def _go(self, row: int) -> None:
        sheet = self._c.exposing.sheet
        if sheet is not None:
            self._c.transport.seek((row + 0.5) / sheet.fps)

    # ---- by hand ------------------------------------------------------------------------------

    def _take(self, name: str, view: View, *, merge: bool = False) -> None:
        """The shown view as it is to be."""
        drawings = self.drawings
        k = min(self.angle, len(drawings.views) - 1)
        views = (*drawings.views[:k], view, *drawings.views[k + 1 :])
        made = msgspec.structs.replace(drawings, views=views)
        self._edits.put(name, self.character, merge=merge, drawings=made)

    def _take_mouth(self, name: str, mouth: Mouth, *, merge: bool = False) -> None:
        view = self.view
        mouths = tuple(mouth if m.name == mouth.name else m for m in view.mouths)
        self._take(name, msgspec.structs.replace(view, mouths=mouths), merge=merge)

    def set_pad(self, name: str, pad: Pad) -> None:
        """A mouth shows what stands at a place of the chart."""
        mouth = next((m for m in self.view.mouths if m.name == name), None)
        if mouth is not None:
            made = msgspec.structs.replace(mouth, pose=pose_of(pad, mouth.pose), how="hand")
            self._take_mouth(f"Say what {name} shows", made, merge=True)

    def set_offset(self, offset: tuple[float, float]) -> None:
        mouth = self._mouth()
        if mouth is not None:
            self._take_mouth(
                f"Move {mouth.name}", msgspec.structs.replace(mouth, offset=offset), merge=True
            )

    def set_place(self, placing: Placing) -> None:
        """Where mouths, or eyes or brows, lie on the head."""
        view, part = self.view, self.place.part
        if not part:
            made = msgspec.structs.replace(view, place=placing)
        else:
            parts = tuple(
                msgspec.structs.replace(p, place=placing) if p.name == part else p
                for p in view.parts
            )
            made = msgspec.structs.replace(view, parts=parts)
        self._take("Place drawings", made, merge=True)

    def as_found(self) -> None:
        """What the chosen mouth shows, as its name and its picture say."""
        from ....characters.drawings.reading import read_mouths

        mouth = self._mouth()
        if mouth is None:
            return
        character, view = self.character, self.view
        folder = self._c.document.production.drawings_folder(character)

        def work(_: object) -> Mouth:
            pictures = [open_drawing(folder, m.file, m.cell) for m in view.mouths]
            found = read_mouths([m.name for m in view.mouths], pictures, [])
            return next(m for m in found if m.name == mouth.name)

        def apply(found: Mouth) -> None:
            now = next((m for m in self.view.mouths if m.name == found.name), None)
            if now is not None:
                made = msgspec.structs.replace(now, pose=found.pose, how=found.how)
                self._take_mouth(f"Read {found.name} again", made)

        self._c.jobs.submit(
            f"Reading {mouth.name}", work, apply, name="read drawings", inputs=self._asked
        )

    def _asked(self) -> object:
        """What an answer from the background must still be of."""
        return self.character.slug, self.angle

    def read_again(self) -> None:
        """What lies in the folder now: new drawings come in, what was set by hand stays."""
        from ....characters.drawings.reading import Found, carried_on, read_drawings

        character = self.character
        folder = self._c.document.production.drawings_folder(character)
        sheets = {m.file for v in self.drawings.views for m in v.mouths if m.cell is not None}
        sources: list[Path] = [folder / f for f in sheets] if len(sheets) == 1 else [folder]

        def work(told: Told) -> Found:
            return read_drawings(sources, progress=told)

        def apply(found: Found) -> None:
            made, said = carried_on(self.drawings, found.drawings)
            self._edits.put(
                "Read drawings again", self.character, drawings=made, notes="\n".join(found.said)
            )
            self._c.talk.say("; ".join([*said, *found.said][:3]))

        self._c.jobs.submit(
            "Reading drawings", work, apply, name="read drawings", inputs=self._asked
        )

    # ---- out ----------------------------------------------------------------------------------

    def to_file(self) -> None:
        """The exposure sheet of the shown line, to print or as a table."""
        sheet, current, line = self._c.exposing.sheet, self._c.current, self._c.current.line
        if not self._on_line or sheet is None or current.reading is None or line is None:
            raise EditError(
                "Show a line that this character speaks, and listen to it; then it has a sheet."
            )
        answer = self._c.ask.save_file("Exposure sheet", f"{line.slug}.xsheet.pdf", SHEETS)
        if answer is None:
            return
        path: Path = answer[0]
        ending_of(path)
        samples = current.opened.recording.samples if current.opened else None
        folder = self._c.document.production.drawings_folder(self.character)
        spoken = Spoken(
            sheet,
            current.reading,
            current.delivery,
            folder,
            samples,
            0,
            f"{line.speaker}: {line.title}"[:90],
        )

        def work(told: Told) -> None:
            hand_over(spoken, path, progress=told)

        self._c.jobs.submit(
            "Writing the sheet",
            work,
            lambda _: self._c.talk.say(f"Written to {path.name}"),
            name="sheet",
        )
