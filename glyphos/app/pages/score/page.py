"""The Score: the page where a line is read, heard and corrected."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QSplitter, QVBoxLayout, QWidget

from ....speech.edits import MARK_KINDS
from ...drawing import theme as themes
from ...drawing.exposed import Exposed
from ...drawing.lifelane import LifeLane
from ...drawing.theme import Theme
from ...model import settings
from ...model.context import Context
from ...model.settings import Preferences
from ...page import Command, Page, Section
from ...panels.delivery.panel import DeliveryPanel
from ...panels.drawings.panel import HoldingPanel
from ...panels.layers.panel import LayersPanel
from ...panels.life.panel import LifePanel
from ...panels.proof.panel import ProofPanel
from ...panels.recorded.panel import RecordedPanel
from .commands import (
    MARK_TEXTS,
    edge_commands,
    hearing_commands,
    listening_commands,
    reading_commands,
)
from .correcting import Correcting
from .hearing import Hearing
from .holding import Holding
from .legend import Legend
from .lifehands import LifeHands
from .loupe_area import LoupeArea
from .offers import Offers
from .questions import Questions
from .script_area import OTHER, ScriptArea
from .view import ScoreView

EMPTY = (
    "<p style='font-size:18pt'><i>Bring in a recorded line.</i></p>"
    "<p>Drop a recording here, a folder of them or a table (CSV), or press <b>Open…</b><br>"
    "A text file of the same name beside a recording becomes its script.</p>"
    "<p>Then <b>Listen</b>: the page fills with words, sounds and lips, and the face speaks.<br>"
    "Click a word to hear it, drag an edge to place it, press <b>F1</b> for all that can be done.</p>"
)
UNHEARD = (
    "<p><i>Not listened to yet.</i> Write above what is said in the recording, then press "
    "<b>Listen</b>. Without a script, <b>Listen without a script</b> (Shift+F5) puts in what it can "
    "make out.</p>"
)
READY = (
    "<p><i>Not listened to yet.</i> Press <b>Listen</b> to find the script in the recording.</p>"
)
DWELL = 400  # milliseconds on a line until it is heard in advance


class ScorePage(Page):
    """Puts the views of the score together and tells them what the model says."""

    name = "score"

    def __init__(self, context: Context, theme: Theme) -> None:
        self._c = context
        self._whole = False
        self.desk = Correcting(context)
        self.hearing = Hearing(context)
        self.ask = Questions(context, self.desk, self.hearing)
        self.drawings = Holding(context)
        self.offers = Offers(context, self.desk, self.hearing)
        self._build(theme)
        self.in_life = LifeHands(context, self.paper, self._popup)
        self.proof.marks_changed.connect(self.paper.show_marks)
        self.offers.watch.setParent(self._root)  # it ends with the window
        self._connect()
        self._dwell = QTimer(self._root)
        self._dwell.setSingleShot(True)
        self._dwell.setInterval(DWELL)
        self._dwell.timeout.connect(self._hear_ahead)
        self._show_reading()

    # ---- the page -----------------------------------------------------------------------------

    def _build(self, theme: Theme) -> None:
        self.script_area = ScriptArea(self._c)
        self.score = ScoreView(theme)
        self.paper = self.score.page
        self.loupe_area = LoupeArea(self._c, theme)
        self.loupe = self.loupe_area.loupe
        self.legend = Legend(theme)
        self.legend.hide()
        self.delivery = DeliveryPanel(self._c)
        self.holding = HoldingPanel(self._c)
        self.life = LifePanel(self._c)
        self.recorded = RecordedPanel(self._c)
        self.layers = LayersPanel(self._c)
        self.proof = ProofPanel(self._c)
        self.hint = QLabel()
        self.hint.setTextFormat(Qt.TextFormat.RichText)
        self.hint.setWordWrap(True)
        self.hint.setContentsMargins(26, 8, 26, 4)
        self.hint.setFont(themes.serif(13))
        upper = QWidget()
        page = QVBoxLayout(upper)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addWidget(self.script_area)
        page.addWidget(self.hint)
        page.addWidget(self.score, 1)
        page.addWidget(self.legend)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(upper)
        self.split.addWidget(self.loupe_area)
        self.split.setStretchFactor(0, 1)
        self.split.setCollapsible(0, False)
        self.split.setSizes([590, 165])
        if (state := settings.layout("score")) is not None:
            self.split.restoreState(state)
        self._root: QWidget = self.split
        self.loop_word = _tool("⟳  Word", "Loop word", "Loop the chosen word (W)")
        self.loop_phrase = _tool("⟳  Phrase", "Loop phrase", "Loop the phrase at the playhead (P)")
        self.doubt = _tool(
            "?  Next doubtful", "Next doubtful", "Choose and play the next doubtful word (D)"
        )

    def widget(self) -> QWidget:
        return self._root

    def inspector(self) -> Sequence[Section]:
        return (
            Section("Delivery", self.delivery), Section("Life and mood", self.life), Section("Recorded", self.recorded), Section("Layers", self.layers), Section("Drawings", self.holding), Section("Proof", self.proof, self.proof.wanted),
        )  # fmt: skip

    def tools(self) -> Sequence[QWidget]:
        return (self.loop_word, self.loop_phrase, self.doubt)

    def commands(self) -> Sequence[Command]:
        view = [
            Command("proof-next", "Next finding of Proof", "Correct", self.proof.go_on, "Ctrl+J", self.name),
            Command("proof-mend", "Mend the finding", "Correct", self.proof.mend, "Ctrl+Shift+J", self.name),
            Command("proof-accept", "Accept a finding…", "Correct", self.proof.accept, "", self.name),
            Command("proof-all", "Proof all lines", "Correct", self.proof.look_all, "Ctrl+Alt+J", self.name),
            Command("zoom-in", "Larger", "View", lambda: self.paper.zoom_by(1), "Ctrl++ Ctrl+=", self.name),
            Command("zoom-out", "Smaller", "View", lambda: self.paper.zoom_by(-1), "Ctrl+-", self.name),
            Command("zoom-none", "As large as it fits", "View", lambda: self.paper.set_zoom(1.0), "Ctrl+0", self.name),
            Command("formants", "Loupe: formants or harmonics", "View", self._flip_formants, "Ctrl+Shift+F", self.name),
            Command("legend", "Legend of the ribbon's colours", "View", self._flip_legend, "Y", self.name),
            Command("life", "Life from the voice, on or off", "View", lambda: self.life.switch(not self.life.on.isChecked()), "U", self.name),
            Command("another-life", "Another life for the line", "View", self.life.draw_another, "Shift+U", self.name),
            Command("pitch", "Pitch of the voice over the words", "View", self._flip_pitch, "I", self.name),
            Command("keep-b", "Keep how the line moves as B", "View", self.delivery.keep_as_b, "Ctrl+K", f"{self.name} curves"),
            Command("flip", "Flip between A and B", "View", self.delivery.flip, "B", f"{self.name} curves"),
            Command("to-script", "Go to the script", "View", self.script_area.script.setFocus, "F10", self.name),
            Command("to-score", "Go to the score", "View", self.paper.setFocus, "F6", self.name),
            Command("to-loupe", "Go to the Loupe", "View", self.loupe.setFocus, "F3", self.name),
        ]  # fmt: skip
        return [
            *hearing_commands(self.desk), *edge_commands(self.desk),
            *reading_commands(self.desk, self.ask), *listening_commands(self.hearing, self.ask),
            *self.drawings.commands(), *self.in_life.happenings.commands(), *view,
        ]  # fmt: skip

    def enter(self) -> None:
        self.paper.setFocus()

    def leave(self) -> None:
        settings.keep_layouts(score=self.split.saveState())

    def show_whole(self, whole: bool) -> bool:
        self._whole = whole
        self._arrange()
        return True

    def _arrange(self) -> None:
        """What there is something for: a script for a line, a Loupe for what was heard."""
        beside = not self._whole
        self.script_area.setVisible(beside and self._c.current.line is not None)
        self.loupe_area.setVisible(beside and self._c.current.heard)

    def escape(self) -> bool:
        if self.desk.dragging:
            self.desk.give_up()
            return True
        chosen = self._c.selection.part is not None
        self.desk.clear()
        return chosen

    # ---- hands --------------------------------------------------------------------------------

    def _connect(self) -> None:
        c, page, desk, try_to = self._c, self.paper, self.desk, self._c.talk.try_to
        for view in (page, self.loupe):
            view.chosen.connect(c.selection.select)
            view.played.connect(lambda part: try_to(lambda: desk.play_part(part)))
            view.scrubbed.connect(c.transport.scrub)
            view.edge_dragged.connect(desk.drag_edge)
            view.edge_dropped.connect(desk.drop)
            view.pin_wanted.connect(lambda edge: try_to(lambda: desk.toggle_pin(edge)))
        page.scrub_ended.connect(lambda: c.transport.seek(c.transport.position()))
        page.part_dragged.connect(desk.drag_part)
        page.menu_wanted.connect(self._menu)
        page.exposure_chosen.connect(
            lambda e: c.transport.seek((e.first + 0.5) / float(c.current.fps))
        )
        page.change_dragged.connect(
            lambda edge, to: try_to(lambda: self.drawings.move_change(edge, to))
        )
        page.exposure_menu_wanted.connect(
            lambda at: self._popup(at, lambda menu: self.drawings.fill_menu(menu))
        )
        c.exposing.sheet_ready.connect(self._show_exposed)
        c.living.changed.connect(self._show_life)
        c.current.line_changed.connect(self._show_life)
        c.exposing.pictures_ready.connect(lambda _: self._show_exposed())
        page.level_wanted.connect(lambda by: try_to(desk.narrower if by > 0 else desk.wider))
        self.loupe.edge_nudged.connect(
            lambda edge, frames, ms: try_to(lambda: desk.nudge_edge(edge, frames, ms / 1000))
        )
        self.script_area.listen_button.clicked.connect(lambda: try_to(self.hearing.listen))
        self.script_area.language.activated.connect(lambda _: self._language_chosen())
        self.loop_word.clicked.connect(lambda: try_to(desk.loop_word))
        self.loop_phrase.clicked.connect(lambda: try_to(desk.loop_phrase))
        self.doubt.clicked.connect(lambda: try_to(desk.next_doubtful))
        self.score.rows_moved.connect(self._tell_span)
        c.current.line_changed.connect(self._show_line)
        c.current.reading_changed.connect(self._show_reading)
        c.current.sound_changed.connect(self._show_sound)
        c.current.script_changed.connect(self._show_hint)
        c.current.motion_changed.connect(self._show_motion)
        c.selection.part_changed.connect(self._show_part)
        c.preferring.changed.connect(lambda _, now: self.show_preferences(now))

    def _language_chosen(self) -> None:
        code = str(self.script_area.language.currentData())
        if code != OTHER:
            self.ask.take_language(code)
            return
        self._c.talk.try_to(self.ask.language)
        self._c.current.script_changed.emit()  # show again what is so

    def _menu(self, at: QPoint, seconds: float) -> None:
        menu = QMenu(self._root)
        self.fill_menu(menu, seconds)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    def _popup(self, at: QPoint, fill: Callable[[QMenu], None]) -> None:
        menu = QMenu(self._root)
        if self._c.talk.try_to(lambda: fill(menu)):
            menu.aboutToHide.connect(menu.deleteLater)
            menu.popup(at)

    def _show_life(self) -> None:
        line, current = self._c.current.line, self._c.current
        lane = LifeLane(
            self._c.living.events,
            line.moods if line else (),
            current.delivery.offset,
            current.delivery.speed,
            self._c.living.offers,
        )
        self.paper.show_life(lane or None)
        self.paper.show_voice(self._c.living.voice if self._c.preferring.now.pitch else None)

    def _show_exposed(self) -> None:
        sheet, character = self._c.exposing.sheet, self._c.exposing.character
        if sheet is None or character is None:
            self.paper.show_exposed(None)
            return
        pictures = self._c.exposing.pictures(character)
        self.paper.show_exposed(Exposed(sheet, pictures, self.paper.exposed))

    def fill_menu(self, menu: QMenu, seconds: float) -> None:
        """What can be done with what is chosen, or with the pause at a time."""
        names = ("play-part loop - pronunciation change-sound insert-sound delete-sound - pin-part "
                 "lift-pins confirm - split join begin-phrase open-pause").split()  # fmt: skip
        known = {c.name: c for c in self.commands()}
        for name in names if self._c.selection.part is not None else ():
            if name == "-":
                menu.addSeparator()
            else:
                menu.addAction(known[name].text, partial(self._c.talk.try_to, known[name].run))
        marks = menu.addMenu("Mark as")
        for kind in MARK_KINDS:
            text = MARK_TEXTS[kind].removeprefix("Mark ").capitalize()
            work = partial(self.desk.mark, kind, seconds)
            marks.addAction(text, partial(self._c.talk.try_to, work))
        marks.addAction("Nothing", partial(self._c.talk.try_to, partial(self.desk.unmark, seconds)))

    # ---- showing ------------------------------------------------------------------------------

    def follow(self, seconds: float) -> None:
        """Show the playhead at a time."""
        if self.paper.page is not None:
            self.score.follow(seconds)
            self.loupe.set_playhead(seconds)
            self._c.current.near_span = self.score.near_span(seconds)

    def set_theme(self, theme: Theme) -> None:
        self.paper.theme = self.legend.theme = theme
        self.loupe_area.set_theme(theme)

    def show_preferences(self, now: Preferences) -> None:
        self.loupe_area.show_preferences()
        self.legend.setVisible(now.legend)
        self.paper.set_ruler(now.ruler)
        self._c.living.hear(now.pitch)
        self._show_life()

    def text_resized(self) -> None:
        """The application's text has another size."""
        self.paper.reflow()

    def _flip_formants(self) -> None:
        self._c.preferring.set(formants=not self._c.preferring.now.formants)

    def _flip_pitch(self) -> None:
        self._c.preferring.set(pitch=not self._c.preferring.now.pitch)

    def _flip_legend(self) -> None:
        self._c.preferring.set(legend=not self._c.preferring.now.legend)

    def _show_line(self) -> None:
        self.score.verticalScrollBar().setValue(0)
        self._dwell.start()

    def _hear_ahead(self) -> None:
        line = self._c.current.line
        if line is not None and line.reading is not None:
            self._c.derived.evidence(line)

    def _show_sound(self) -> None:
        opened = self._c.current.opened
        samples = opened.recording.samples if opened is not None else self.paper.samples[:0]
        self.paper.show_sound(samples, 16_000, self._c.current.duration)

    def _show_reading(self) -> None:
        heard, line = self._c.current.heard, self._c.current.line
        self.hint.setVisible(not heard)
        self._show_hint()
        self._arrange()
        alone = line is None
        self.score.setVisible(not alone)
        self.hint.setAlignment(
            Qt.AlignmentFlag.AlignCenter if alone else Qt.AlignmentFlag.AlignLeft
        )
        for button in (self.loop_word, self.loop_phrase, self.doubt):
            button.setVisible(heard)
        # Last, so that it is laid out for the room that the others leave
        self.paper.show_reading(
            self._c.current.reading if heard else None, self._c.current.duration
        )

    def _show_hint(self) -> None:
        line = self._c.current.line
        self.hint.setText(EMPTY if line is None else READY if line.script.strip() else UNHEARD)

    def _show_motion(self) -> None:
        current = self._c.current
        self.paper.lead = current.delivery.lead / 1000
        self.paper.show_motion(current.motion, current.motion_window, float(current.fps))
        self._tell_span()

    def _show_part(self) -> None:
        part = self._c.selection.part
        self.paper.show_part(part)
        if part is not None:
            self.score.bring_part(part)

    def _tell_span(self) -> None:
        current = self._c.current
        current.view_span = self.score.visible_span()
        current.near_span = self.score.near_span(self._c.transport.position())

    # ---- files ----------------------------------------------------------------------------------

    def drop_script(self, path: Path) -> None:
        """A text file becomes the script of the line."""
        from ....errors import ScriptError
        from ....speech.script import read_script_file

        text = read_script_file(path).strip()
        if self._c.current.line is None:
            raise ScriptError("Open a recording first, then drop its script.")
        self.script_area.set_script(text)


def _tool(text: str, name: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setAccessibleName(name)
    button.setToolTip(tip)
    return button
