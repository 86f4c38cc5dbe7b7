"""Characters: who wears the motion, how well, and what to do about it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QWidget,
)

from ....characters.builtin import BUILTIN, SETS
from ....characters.poses import EXPRESSIONS, SOUNDS
from ....errors import EditError
from ....production.documents import Character
from ....production.kinds import Key, kinds_of
from ....stage.views import VIEWS
from ...drawing.headview import HeadView
from ...drawing.staging import worn
from ...drawing.theme import Theme
from ...drawing.words import sentence
from ...model.context import Context
from ...page import Command, Page
from .adding import Adding
from .cast import CastList, entries_of
from .details import ChannelDetails, GestureDetails
from .drawn import DrawnSide
from .edits import CharacterEdits
from .gestures import MEANT, GestureRow, channels_said, mirrored, rows_of
from .layout import laid_out, view_buttons
from .pairs import PairsView
from .showing import MOMENT, Showing


class CharactersPage(Page):
    """The cast, the stage, the fitting in pictures, what was found, and one gesture by hand."""

    name, alone = "characters", True

    def __init__(self, context: Context, theme: Theme) -> None:
        self._c = context
        self.edits = CharacterEdits(context)
        self.adding = Adding(context, self.edits, lambda slug: self._added(slug))
        self.slug = ""
        self.shown = False
        self._rows: list[GestureRow] = []
        self.cast = CastList()
        self.head = HeadView(context.staging, theme, name="Head of the character")
        self.pairs = PairsView(context.staging, theme)
        self.model_label = QLabel(objectName="heading")
        self.model_label.setWordWrap(True)
        self.findings = QListWidget()
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName("What was found")
        self.gesture, self.channel = GestureDetails(), ChannelDetails()
        self.pose = QComboBox()
        self.pose.setAccessibleName("Show me")
        self.pose.addItem("the line at the playhead", MOMENT)
        for name in (*(f"/{s}/" for s in SOUNDS), *EXPRESSIONS):
            self.pose.addItem(name, name.strip("/"))
        self.worst = QPushButton("The &worst frame")
        self.ours = QCheckBox("Our&s beside it")
        self.point = QPushButton("&Point to the mouth")
        self.point.setToolTip(
            "If the mouth was not found where it is: press, then click between the lips"
        )
        self.showing = Showing(context, self)
        self.view_buttons = view_buttons(self.head)
        self.kinds = QStackedWidget()  # modelled, drawn
        self.drawn = DrawnSide(context, theme, self.edits, lambda: self.character)
        self._root = laid_out(self)
        self._connect()

    def _connect(self) -> None:
        c, t = self._c, self._c.talk
        c.document.opened.connect(self._opened)
        c.document.changed.connect(self._follow)
        c.selection.line_changed.connect(self._line)
        c.current.motion_changed.connect(self.showing.moment)
        c.living.changed.connect(self.showing.moment)
        c.dresses.dressed_ready.connect(self._fitted)
        c.dresses.dress_ready.connect(lambda _: self._worn())
        self.cast.chosen.connect(self.choose)
        self.cast.add_button.clicked.connect(lambda: t.try_to(self.adding.files))
        self.cast.drawings_button.clicked.connect(lambda: t.try_to(self.adding.drawings))
        self.cast.remove_button.clicked.connect(lambda: t.try_to(self.remove))
        self.cast.give_button.clicked.connect(lambda: t.try_to(self.give))
        self.cast.export_button.clicked.connect(lambda: t.try_to(self.export))
        self.cast.import_button.clicked.connect(lambda: t.try_to(self.take_in))
        self.head.looked.connect(self._name_view)
        self.point.clicked.connect(lambda: t.try_to(self.showing.ask_for_mouth))
        self.head.pointed.connect(lambda x, y: t.try_to(lambda: self._point(x, y)))
        self.head.failed.connect(t.fail)
        self.pose.activated.connect(lambda _: self.showing.choose(gesture=False))
        self.worst.clicked.connect(lambda: t.try_to(self.show_worst))
        self.ours.toggled.connect(lambda _: self.showing.moment())
        self.pairs.gesture_chosen.connect(self._take_gesture)
        self.gesture.tried.connect(self.showing.try_cells)
        self.gesture.set_by_hand.connect(
            lambda cells: self._edit(lambda ch: self.edits.by_hand(ch, self.pairs.gesture, cells))
        )
        self.gesture.copied.connect(lambda: self._edit(self._copy))
        self.gesture.strength_set.connect(lambda v: self._set("strength", v))
        self.gesture.answer_set.connect(lambda v: self._set("answers", v))
        self.channel.range_set.connect(
            lambda n, r: self._edit(
                lambda ch: self.edits.setting("Set a range", ch, "ranges", n, tuple(r), (0.0, 1.0))
            )
        )
        self.channel.limit_set.connect(
            lambda n, v: self._edit(
                lambda ch: self.edits.setting("Set a limit", ch, "limits", n, v, 1.0)
            )
        )
        self.channel.never_set.connect(
            lambda n, on: self._edit(lambda ch: self.edits.leave_alone(ch, n, on))
        )

    # ---- the page -----------------------------------------------------------------------------

    def widget(self) -> QWidget:
        return self._root

    def commands(self) -> Sequence[Command]:
        page = self.name
        return [
            Command("add-head", "Add a head…", "Characters", self.adding.files, "", ""),
            Command("add-drawings", "Add drawings, a folder of them…", "Characters", self.adding.drawings, "", ""),
            *(
                Command(f"add-{n}", f"Add our drawings of {n.split('-')[0].capitalize()}", "Characters", partial(self.adding.ours, n), "", "")
                for n in SETS
            ),
            Command("cut-sheet", "Add a sheet of drawings, cut by a grid…", "Characters", self.adding.sheet, "", ""),
            Command("sheet-file", "Exposure sheet to a file…", "Characters", self.drawn.to_file, "", page),
            Command("give-character", "Give the character to the speaker", "Characters", self.give, "", page),
            Command("worst-frame", "Show the worst frame", "Characters", self.show_worst, "", page),
            Command("point-mouth", "Point to the mouth", "Characters", self.showing.ask_for_mouth, "", page),
            Command("ours-beside", "Our head beside it", "Characters", self.ours.toggle, "", page),
            Command("as-found", "Fit the gesture as found", "Characters", lambda: self._edit(lambda ch: self.edits.by_hand(ch, self.pairs.gesture, None)), "", page),
            Command("export-fitting", "Fitting to a file…", "Characters", self.export, "", page),
            Command("import-fitting", "Fitting from a file…", "Characters", self.take_in, "", page),
        ]  # fmt: skip

    def enter(self) -> None:
        self.shown = True
        self._line()
        self._show_cast()
        self._fitted(self.slug)

    def leave(self) -> None:
        self.shown = False
        self.drawn.show(False)

    def follow(self, seconds: float) -> None:
        self.drawn.moment(seconds)
        if self.shown and self.pose.currentData() == MOMENT:
            self.showing.moment()

    def set_theme(self, theme: Theme) -> None:
        self.head.theme = theme
        self.head.refresh()
        self.pairs.set_theme(theme)
        self.drawn.set_theme(theme)

    def take_files(self, paths: Sequence[Path]) -> bool:
        return self.adding.take(paths)

    # ---- the cast -----------------------------------------------------------------------------

    @property
    def character(self) -> Character:
        """The one that is chosen: a document, or one of ours that stands in."""
        production = self._c.document.production
        found = self.edits.find(self.slug)
        if found is not None:
            return found
        name = self.slug if self.slug in BUILTIN else "mabel"
        return next(
            (c for c in production.characters if c.slug == name),
            Character(name, name.capitalize(), name),
        )

    def choose(self, slug: str) -> None:
        """Show another character."""
        if slug != self.slug:
            self.slug = slug
            self._fitted(slug)

    def _opened(self) -> None:
        self.slug = ""
        self._show_cast()

    def _line(self) -> None:
        """Whoever speaks the line that is shown, until another is chosen."""
        line = self._c.current.line
        if line is not None and not self.slug:
            self.choose(self._c.document.production.character_for(line.speaker).slug)

    def _show_cast(self) -> None:
        if self.shown:
            speakers = sorted({x.speaker for x in self._c.document.production.lines if x.speaker})
            self.cast.show_entries(entries_of(self._c), self.character.slug, speakers)
            self.cast.remove_button.setEnabled(self.edits.find(self.slug) is not None)

    def _added(self, slug: str) -> None:
        self.go()
        self.slug = ""
        self.choose(slug)
        self._show_cast()

    def remove(self) -> None:
        found = self.edits.find(self.slug)
        if found is None:
            raise EditError("This is one of our own heads; it stays.")
        self.edits.remove(found)
        self.slug = ""
        self._line()

    def give(self) -> None:
        """All lines of the named speaker are spoken by this character."""
        speaker = self.cast.speaker.currentText().strip()
        if not speaker:
            raise EditError("Name a speaker first, to give the character to.")
        self.edits.give(self.character, speaker)
        self._c.talk.say(f"{self.character.name} speaks all lines of {speaker} now")

    def export(self) -> None:
        answer = self._c.ask.save_file(
            "Character to a file",
            f"{self.character.slug}-fitting.json",
            "Fittings, drawings (*.json)",
        )
        if answer is not None:
            self.edits.export(self.character, answer[0])
            self._c.talk.say(f"Written to {answer[0].name}")

    def take_in(self) -> None:
        dressed = self._c.dresses.latest(self.character)
        if dressed is None:
            raise EditError("The head is not fitted yet; wait a moment.")
        for path in self._c.ask.open_files("Fitting from a file", "Fittings (*.json)"):
            said = self.edits.take_in(self.character, path, dressed.head)
            self._c.talk.say("; ".join(said) or f"{path.name} taken in")

    # ---- the fitting --------------------------------------------------------------------------

    def _follow(self, keys: frozenset[Key]) -> None:
        if kinds_of(keys) & {"character", "line", "header"}:
            self._show_cast()
        if "character" in kinds_of(keys):
            self._fitted(self.slug)

    def _fitted(self, slug: str) -> None:
        """Show what is known of the character's head."""
        if not self.shown or slug != self.slug:
            return
        character = self.character
        drawn = character.drawings is not None
        self.kinds.setCurrentIndex(int(drawn))
        self.drawn.show(drawn)
        self.cast.import_button.setEnabled(not drawn)
        if drawn:
            self._show_cast()
            return
        dressed = self._c.dresses.dressed(character)
        problem = self._c.dresses.problem(character)
        model = (
            f"{character.name}: our own head"
            if character.model in BUILTIN
            else Path(character.model).name
        )
        if dressed is None:
            self.model_label.setText(model + (" cannot be used" if problem else " · fitting…"))
            if problem:
                self._show_findings([problem], True)
                self._rows = []
                self.pairs.show_rows([])
                self.channel.show_channels({}, character.fitting)
                self.showing.bare()
            self._show_cast()
            return
        head = dressed.head
        changed = self.edits.follow_model(character, head) if self.edits.find(slug) else []
        if changed:
            self._c.talk.say(f"{head.path.name} changed since it was fitted: {', '.join(changed)}")
            return
        self.model_label.setText(
            f"{model} · {len(head.channels)} channels · {head.vertices:,} points"
        )
        self._rows = rows_of(dressed)
        self.pairs.show_rows(self._rows)
        self._choose_gesture()
        self._show_cast()
        self.channel.show_channels(channels_said(dressed), character.fitting)
        self._worn()
        self._draw_pairs(dressed)

    def _worn(self) -> None:
        if not self.shown or self.character.drawings is not None:
            return
        dressed = self._c.dresses.latest(self.character)
        motion = self._c.living.motion
        if dressed is not None:
            from ....characters.dressing import findings, summary

            dress = self._c.dresses.dress(self.character, motion) if motion is not None else None
            doubts = [*dressed.head.said, *findings(dressed, dress)]
            self._show_findings(doubts, False, summary(dressed, dress))
        self.showing.moment()

    def _show_findings(self, said: Sequence[str], problem: bool, good: Sequence[str] = ()) -> None:
        self.findings.clear()
        signed = [*(("●", g) for g in good), *(("▲" if problem else "◆", s) for s in said)]
        for sign, text in signed:
            self.findings.addItem(QListWidgetItem(f"{sign} {sentence(text)}"))

    def _draw_pairs(self, dressed: Any) -> None:
        """Poses of all gestures, found in the background, then drawn."""
        model, poses, _ = self._c.dresses.source(self.character)
        character = self.character

        def work(_: object) -> dict[str, dict[str, float]]:
            return {g: dressed.weights_for(p) for g, p in MEANT.items()}

        def apply(found: dict[str, dict[str, float]]) -> None:
            self.pairs.draw({g: worn(model, poses, dressed.framing, w) for g, w in found.items()})

        self._c.jobs.submit("Posing", work, apply, name="pairs", quiet=True, instead=True,
                            inputs=lambda: (self.slug, self.character.fitting, character.slug))  # fmt: skip

    def _take_gesture(self, _: str) -> None:
        self._choose_gesture()
        self.showing.choose(gesture=True)

    def _choose_gesture(self) -> None:
        row = next((r for r in self._rows if r.gesture == self.pairs.gesture), None)
        dressed = self._c.dresses.latest(self.character)
        channels = dressed.head.channels if dressed is not None else ()
        fixed = dressed is None or dressed.own
        self.gesture.show_row(row, channels, self.character.fitting, fixed)
        self.showing.moment()

    def _point(self, x: float, y: float) -> None:
        self.edits.refit("Point to the mouth", self.character, mouth=self.showing.place_at(x, y))

    def show_worst(self) -> None:
        self.showing.worst()

    def _name_view(self) -> None:
        camera = self.head.look.camera
        for name, button in self.view_buttons.items():
            with QSignalBlocker(button):
                button.setChecked(VIEWS[name] == camera)

    # ---- by hand ------------------------------------------------------------------------------

    def _edit(self, change: Any) -> None:
        """Alter the chosen character; one of ours becomes a document first."""
        self._c.talk.try_to(lambda: change(self.character))

    def _set(self, field: str, value: float) -> None:
        base = self.pairs.gesture.split(" ")[0]
        if base:
            what = {"strength": "Set a strength", "answers": "Set an answer"}[field]
            self._edit(lambda ch: self.edits.setting(what, ch, field, base, value, 1.0))

    def _copy(self, character: Character) -> None:
        """What the left channels of a gesture do, the right ones do too."""
        cells = self.gesture.cells
        dressed = self._c.dresses.latest(character)
        if dressed is None or not self.pairs.gesture:
            raise EditError("Choose a gesture first.")
        other = mirrored(dressed.head.channels)
        made = dict(cells)
        for name, value in cells.items():
            if name in other:
                made[other[name]] = value
        if made == cells:
            raise EditError("None of these channels has another for the right side, by its name.")
        self.edits.by_hand(character, self.pairs.gesture, made)
