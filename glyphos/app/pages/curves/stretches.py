"""Over a stretch of a curve: pull, lift, scale, smooth, hold, ease, copy, fewer keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ....characters.channels import face_channels
from ....errors import EditError
from ....motion.regions import channel_words, is_degrees, value_text
from ....motion.touch.keys import Touch
from ....motion.touch.several import instead, with_touch
from ...drawing.words import counted
from .chosen import Chosen

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ....motion.touch.shaping import Curve

STEP, TURN = 0.02, 0.5  # by which an arrow pulls a share, an angle
ERROR = 0.01


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
        k = max(k for k, t in enumerate(made) if t.channel == self.channel)
        self.choose((k, min(1, len(made[k].keys) - 1)))

    def nudge(self, steps: int) -> None:
        """Pull at the playhead by keys: a small step up or down."""
        size = TURN if is_degrees(self.channel) else STEP
        self.pull(self.heard(self._c.transport.position()), steps * size, merge=True)

    # ---- over a stretch -----------------------------------------------------------------------

    def lift(self, by: float) -> None:
        """All of the stretch is moved."""
        from ....motion.touch.shaping import lift

        if abs(by) > 1e-9:
            self._add("Lift", lift(self.curve(), self.need()[1], by, *self.stretch()))

    def scale(self, factor: float, about: str = "zero") -> None:
        """All of the stretch is made larger or smaller about a value."""
        from ....motion.touch.shaping import middle_of, scale

        curve, (start, end) = self.curve(), self.stretch()
        if abs(factor - 1) > 1e-9:
            middle = middle_of(curve, start, end, about)
            self._add("Scale", scale(curve, self.need()[1], factor, start, end, middle))

    def drag_stretch(self, kind: str, value: float, about: str = "zero") -> None:
        """Show a lift or a scaling while it is chosen."""
        from ....motion.touch.shaping import lift, middle_of, scale

        line, reading = self.need()
        base, (start, end) = self._base_curve(), self.stretch()
        if kind == "lift":
            touch = lift(base, reading, value, start, end)
        else:
            touch = scale(base, reading, value, start, end, middle_of(base, start, end, about))
        self.preview((*line.touches, touch))

    def _base_curve(self) -> Curve:
        """The curve as it was when the dragging began."""
        if self._base is None:
            self._base = self.curve()
        return self._base

    def smooth(self) -> None:
        """What is quicker than a moment goes out of the stretch."""
        from ....motion.touch.shaping import smooth

        self._add("Smooth", smooth(self.curve(), self.need()[1], *self.stretch()))

    def hold(self) -> None:
        """The value at the playhead, or in the middle, over the stretch."""
        from ....motion.touch.shaping import hold

        curve, (start, end) = self.curve(), self.stretch()
        at = self.heard(self._c.transport.position())
        value = curve.at(at if start <= at <= end else (start + end) / 2)
        self._add("Hold", hold(curve, self.need()[1], value, start, end))

    def ease(self) -> None:
        """One soft way from the stretch's beginning to its end."""
        from ....motion.touch.shaping import ease

        self._add("Ease", ease(self.curve(), self.need()[1], *self.stretch()))

    def across(self) -> None:
        """The stretch on the other side of the face too."""
        from ....motion.touch.shaping import other_side

        self.copy_to(other_side(self.channel))

    def copy_to(self, channel: str) -> None:
        """The stretch on another channel; what was done there by hand in it goes."""
        from ....motion.touch.shaping import copied

        line, reading = self.need()
        if channel not in face_channels() or channel == self.channel:
            raise EditError("Copy it to another channel of the face.")
        start, end = self.stretch()
        touch = copied(self.curve(), reading, channel, start, end)
        made = instead(line.touches, touch, reading, start, end)
        self._kept(
            f"{self._name('Copy', (start + end) / 2)} to {channel_words(channel)}",
            line,
            made,
        )
        self._c.talk.say(f"{channel_words(channel)} goes the same way there now")

    def fewer(self, error: float = ERROR) -> None:
        """The stretch as fewest keys within an error; what was done in it becomes part of them."""
        from ....motion.touch.shaping import away, fewer

        line, reading = self.need()
        curve, (start, end) = self.curve(), self.stretch()
        touch = fewer(curve, reading, start, end, error)
        made = instead(line.touches, touch, reading, start, end)
        self._kept(self._name("Fewer keys", (start + end) / 2), line, made)
        far = 100 * away(curve, touch, reading)
        self._c.talk.say(f"{counted(len(touch.keys), 'key')}, never more than {far:.1f} % away")
        self.choose((len(made) - 1, 0))
