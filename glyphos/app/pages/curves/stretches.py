"""Over a stretch of a curve: pull, lift, scale, smooth, hold, ease, copy, fewer keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ....errors import EditError
from ....motion.regions import channel_words, is_degrees, ranges, value_text
from ....motion.touch.keys import Touch
from ....motion.touch.several import with_touch
from ...drawing.words import counted
from .chosen import Chosen

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ....motion.touch.shaping import Curve

STEP, TURN = 0.02, 0.5  # by which an arrow pulls a share, an angle
NAMES = {"fewer": "Fewer keys"}  # of steps, where the word alone does not tell


class Stretches(Chosen):
    """What is done to a stretch of the chosen channel."""

    # ---- pulling ------------------------------------------------------------------------------

    def pulled(self, seconds: float, by: float) -> tuple[Touch, ...]:
        """The touch-ups of the line with a pull at a time of the recording."""
        from ....motion.touch.shaping import pull

        line, reading = self.need()
        curve = self.curve()
        seconds = self.on_frame(seconds)
        start, end = self.reach_at(seconds)
        what = f"pull {value_text(self.channel, by, signed=True)} over the {self.over}"
        touch = pull(curve, reading, seconds, by, start, end, what=what)
        return with_touch(line.touches, touch)

    def drag_pull(self, seconds: float, by: float) -> None:
        """Show a pull while it is dragged."""
        self._base_curve()
        self.preview(self.pulled(seconds, by))

    def pull(self, seconds: float, by: float, *, merge: bool = False) -> None:
        """The curve is taken at a time of the recording and moved."""
        line, _ = self.need()
        if abs(by) < 1e-6:
            self.give_up()
            return
        made = self.pulled(seconds, by)
        self._kept(self._name("Pull", seconds), line, made, merge=merge)
        self.choose_last(self.channel)

    def nudge(self, steps: int) -> None:
        """Pull at the playhead by keys: a small step up or down."""
        size = TURN if is_degrees(self.channel) else STEP
        self.pull(self.heard(self._c.transport.position()), steps * size, merge=True)

    # ---- over a stretch -----------------------------------------------------------------------

    def lift(self, by: float) -> None:
        """All of the stretch is moved."""
        if abs(by) > 1e-9:
            self._do("lift", by)

    def scale(self, factor: float, about: str = "zero") -> None:
        """All of the stretch is made larger or smaller about a value."""
        if abs(factor - 1) > 1e-9:
            self._do("scale", factor, about=about)

    def drag_stretch(self, what: str, by: float, about: str = "zero") -> None:
        """Show a lift or a scaling while it is chosen."""
        line, reading = self.need()
        from ....motion.touch.doing import done

        made, _ = done(
            line.touches, self._base_curve(), reading, what, *self.stretch(), by, about=about
        )
        self.preview(made)

    def _base_curve(self) -> Curve:
        """The curve as it was when the dragging began."""
        if self._base is None:
            self._base = self.curve()
        return self._base

    def smooth(self) -> None:
        """What is quicker than a moment goes out of the stretch."""
        self._do("smooth")

    def hold(self) -> None:
        """The value at the playhead, or in the middle, over the stretch."""
        start, end = self.stretch()
        at = self.heard(self._c.transport.position())
        self._do("hold", self.curve().at(at if start <= at <= end else (start + end) / 2))

    def ease(self) -> None:
        """One soft way from the stretch's beginning to its end."""
        self._do("ease")

    def across(self) -> None:
        """The stretch on the other side of the face too; what was done there by hand in it goes."""
        touch = self._do("copy")
        self._c.talk.say(f"{channel_words(touch.channel)} goes the same way there now")

    def copy_to(self, channel: str) -> None:
        """The stretch on another channel; what was done there by hand in it goes."""
        if channel not in ranges() or channel == self.channel:
            raise EditError("Copy it to another channel of the face.")
        self._do("copy", to=channel)
        self._c.talk.say(f"{channel_words(channel)} goes the same way there now")

    def fewer(self) -> None:
        """The stretch as fewest keys within an error; what was done in it becomes part of them."""
        from ....motion.touch.shaping import away

        curve, reading = self.curve(), self.need()[1]
        touch = self._do("fewer")
        far = 100 * away(curve, touch, reading)
        self._c.talk.say(f"{counted(len(touch.keys), 'key')}, never more than {far:.1f} % away")

    def _do(
        self, what: str, by: float | None = None, *, about: str = "zero", to: str = ""
    ) -> Touch:
        """One thing over the stretch, as one step; what is made of it is chosen."""
        from ....motion.touch.doing import done

        line, reading = self.need()
        start, end = self.stretch()
        made, touch = done(
            line.touches, self.curve(), reading, what, start, end, by, about=about, to=to
        )
        name = self._name(NAMES.get(what, what.capitalize()), (start + end) / 2)
        self._kept(
            f"{name} to {channel_words(touch.channel)}" if what == "copy" else name, line, made
        )
        self.choose_last(touch.channel)
        return touch
