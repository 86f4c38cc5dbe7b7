"""What the stage of the page shows: the line at the playhead, a sound, or the gesture at hand."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Protocol

import msgspec
from PySide6.QtWidgets import QCheckBox, QComboBox

from ....characters.poses import EXPRESSIONS, SOUNDS
from ....characters.posing import Poser
from ....errors import EditError, GlyphosError
from ....production.documents import Character
from ....stage.messages import Ask
from ....stage.views import framing_from, framing_of, pointed
from ...drawing.headview import HeadView
from ...drawing.staging import NOWHERE, worn
from ...model.context import Context
from .gestures import MEANT
from .pairs import PairsView

MOMENT = ""  # of the pose box: the line at the playhead


class Shows(Protocol):
    """What of the page this needs."""

    pose: QComboBox
    pairs: PairsView
    ours: QCheckBox
    head: HeadView
    slug: str
    shown: bool

    @property
    def character(self) -> Character: ...


class Showing:
    """Finds how the chosen head wears what is wanted, and shows it."""

    def __init__(self, context: Context, page: Shows) -> None:
        self._c, self._page = context, page
        self.on_gesture = False  # the gesture at hand, rather than the line

    def _values(self) -> Mapping[str, float]:
        """Values of our channels that are to be shown."""
        chosen = self._page.pose.currentData()
        if chosen != MOMENT:
            return SOUNDS.get(chosen) or EXPRESSIONS.get(chosen) or {}
        if self.on_gesture and self._page.pairs.gesture:
            return MEANT[self._page.pairs.gesture]
        motion = self._c.living.motion
        return motion.at(self._c.transport.position()) if motion is not None else {}

    def choose(self, *, gesture: bool) -> None:
        """Show the gesture at hand, or what the box says."""
        self.on_gesture = gesture
        self.moment()

    def moment(self) -> None:
        """Show it as it is now."""
        if self._c.transport.playing:
            self.on_gesture = False
        if not self._page.shown or self._page.character.drawings is not None:
            return
        values = dict(self._values())
        dressed = self._c.dresses.latest(self._page.character)
        if dressed is None:
            return
        model, poses, _ = self._c.dresses.source(self._page.character)
        if dressed.own and dressed.fitting == type(dressed.fitting)():
            self._show(Ask(model, NOWHERE, values=values), values)
            return
        self._pose(
            dressed,
            values,
            lambda w: self._show(worn(model, poses, dressed.framing, w, values), values),
        )

    def bare(self) -> None:
        """A head that could not be fitted as it is, so that its mouth can be pointed to."""
        model, poses, _ = self._c.dresses.source(self._page.character)
        head = self._c.dresses.bare(self._page.character)
        still = dict.fromkeys(head.channels[:1], 0.0) if head is not None else {}
        self._page.head.show_asks([worn(model, poses, (), still)] if head is not None else [])

    def _show(self, theirs: Ask, values: dict[str, float]) -> None:
        ours = [Ask("mabel", NOWHERE, values=values)] if self._page.ours.isChecked() else []
        self._page.head.show_asks([*ours, theirs])

    def _pose(self, dressed: Any, values: dict[str, float], then: Any) -> None:
        """How a head wears values: of the line's own curves where it is the line, else found now."""
        motion = self._c.living.motion
        at_line = self._page.pose.currentData() == MOMENT and not self.on_gesture
        if at_line and motion is not None:
            dress = self._c.dresses.dress(self._page.character, motion)
            if dress is not None:
                frame = min(
                    dress.frames - 1, max(0, round(self._c.transport.position() * float(dress.fps)))
                )
                then(dress.weights(frame))
            return
        self._c.jobs.submit("Posing", lambda _: dressed.weights_for(values), then, name="pose", quiet=True,
                            instead=True, inputs=lambda: (self._page.slug, self._page.pose.currentData(), self._page.pairs.gesture))  # fmt: skip

    def try_cells(self, cells: dict[str, float]) -> None:
        """While a slider moves: the gesture with these channels, not kept."""
        dressed, gesture = self._c.dresses.latest(self._page.character), self._page.pairs.gesture
        if dressed is None or not gesture:
            return
        fitting = msgspec.structs.replace(
            dressed.fitting, by_hand={**dressed.fitting.by_hand, gesture: dict(cells)}
        )
        model, poses, _ = self._c.dresses.source(self._page.character)
        values = dict(MEANT[gesture])

        def work(_: object) -> dict[str, float]:
            return dict(type(dressed)(dressed.head, fitting, like=dressed).weights_for(values))

        self._c.jobs.submit("Posing", work, lambda w: self._show(worn(model, poses, dressed.framing, w, values), values),
                            name="pose", quiet=True, instead=True)  # fmt: skip

    def worst(self) -> None:
        """The frame of the line on which the lips stay farthest open where they must meet."""
        motion = self._c.living.motion
        dress = self._c.dresses.dress(self._page.character, motion) if motion is not None else None
        if dress is None:
            raise GlyphosError(
                "There is no line on this head yet; listen to one and wait a moment."
            )
        frame = int(dress.gap.argmax()) if len(dress.gap) else 0
        self._page.pose.setCurrentIndex(0)
        self.on_gesture = False
        self._c.transport.seek(frame / float(dress.fps))
        wide = 100 * float(dress.gap[frame]) if len(dress.gap) else 0.0
        if wide <= 1:
            self._c.talk.say("The lips meet at every closure of this line.")
        else:
            self._c.talk.say(
                f"Frame {frame}: the lips stay open by {wide:.1f} % of the mouth's width"
            )
        self.moment()

    def ask_for_mouth(self) -> None:
        """Let the next click on the head say where its mouth is."""
        dressed = self._c.dresses.latest(self._page.character)
        if dressed is None and self._c.dresses.bare(self._page.character) is None:
            problem = self._c.dresses.problem(self._page.character)
            raise EditError(problem or "There is no head to be seen yet; wait a moment.")
        if dressed is not None and dressed.own:
            raise EditError("This head says where its mouth is; nothing has to be pointed at.")
        self._page.ours.setChecked(False)
        self._page.head.ask_for_point()
        self._c.talk.say("Click between the lips.")

    def place_at(self, x: float, y: float) -> tuple[float, float, float]:
        """The point of the head at a place of the picture (−1 to 1)."""
        dressed, view = self._c.dresses.latest(self._page.character), self._page.head
        head = dressed.head if dressed is not None else self._c.dresses.bare(self._page.character)
        if head is None:
            raise EditError("The head is not fitted yet; wait a moment.")
        rest = Poser(head).rest()
        framing = framing_from(dressed.framing) if dressed is not None else None
        aspect = view.width() / view.height()
        a, b, c = pointed(
            framing or framing_of(head, rest), view.look.camera, aspect, x, y, rest
        ).tolist()
        return a, b, c
