"""Keys of a curve, one at a time: set, moved, turned, taken away; and what a touch-up's keys mean."""

from __future__ import annotations

import msgspec
import numpy as np

from ....errors import EditError
from ....motion.regions import channel_words
from ....motion.touch.keys import Mode, Touch, Way, key_at, key_curve, span_of, times_of
from ....motion.touch.several import inside, put, with_touch
from ....production.documents import Line
from ....speech.reading import Reading
from .stretches import Stretches


class CurveDesk(Stretches):
    """All that a hand does to the curves of a line."""

    # ---- keys ---------------------------------------------------------------------------------

    def add_key(self, seconds: float | None = None, value: float | None = None) -> None:
        """A key on the curve at the playhead or a time of the recording: in the chosen touch-up where it
        is within it, else in one of its own."""
        from ....motion.touch.shaping import pull, with_key

        line, reading = self.need()
        at = self.heard(self._c.transport.position()) if seconds is None else seconds
        curve = self.curve()
        by = 0.0 if value is None else value - curve.at(at)
        own = self._within(line, reading, at)
        if own is None:
            touch = pull(curve, reading, at, by, *self.reach_at(at), what="key")
            self._kept(self._name("Set a key on", at), line, with_touch(line.touches, touch))
            self.choose_last(self.channel)
            return
        k, touch = own
        there = float(key_curve(touch, reading, np.array([at]))[0])
        wanted = self._as_key(touch, there, by, curve.at(at))
        made = with_key(touch, reading, key_at(reading, at, wanted))
        self._kept(self._name("Set a key on", at), line, put(line.touches, k, made))
        self.choose((k, int(np.abs(times_of(made, reading) - at).argmin())))

    def _within(self, line: Line, reading: Reading, at: float) -> tuple[int, Touch] | None:
        numbers = [self.chosen[0]] if self.chosen is not None else []
        numbers += [k for k in range(len(line.touches) - 1, -1, -1) if k not in numbers]
        for k in numbers:
            touch = line.touches[k]
            start, end = span_of(touch, reading)
            if touch.channel == self.channel and start <= at <= end:
                return k, touch
        return None

    @staticmethod
    def _as_key(touch: Touch, now: float, by: float, value: float) -> float:
        """What a key must be so that the curve, which is at a value, moves by so much."""
        if touch.mode != "scale":
            return now + by
        under = touch.about + (value - touch.about) / now if abs(now) > 1e-6 else value
        return now + by / (under - touch.about) if abs(under - touch.about) > 1e-6 else now

    def drag_key(self, number: int, key: int, seconds: float, by: float) -> None:
        """Show a key at another place: at a time of the recording, the curve moved by so much."""
        line, reading = self.need()
        self.preview(
            put(line.touches, number, self._moved(line, reading, number, key, seconds, by))
        )

    def move_key(self, number: int, key: int, seconds: float, by: float) -> None:
        """A key is put at another place."""
        line, reading = self.need()
        made = self._moved(line, reading, number, key, seconds, by)
        self._kept(self._name("Move a key of", seconds), line, put(line.touches, number, made))
        self.choose((number, key))

    def _moved(self, line: Line, reading: Reading, number: int, key: int, seconds: float, by: float) -> Touch:  # fmt: skip
        from ....motion.touch.shaping import moved_key

        touch = line.touches[number]
        own = touch.keys[key].value
        value = self._as_key(
            touch, own, by, self._base_curve().at(float(times_of(touch, reading)[key]))
        )
        return moved_key(touch, reading, key, seconds, value)

    def set_key(self, *, value: float | None = None, seconds: float | None = None, way: Way | None = None) -> None:  # fmt: skip
        """Exact numbers of the chosen key."""
        from ....motion.touch.shaping import moved_key

        line, reading, k, touch, j = self.the_touch()
        own = touch.keys[j]
        at = float(times_of(touch, reading)[j]) if seconds is None else seconds
        made = moved_key(touch, reading, j, at, own.value if value is None else value)
        if way is not None:
            keys = list(made.keys)
            keys[j] = msgspec.structs.replace(keys[j], way=way)
            made = msgspec.structs.replace(made, keys=tuple(keys))
        self._kept(self._name("Set a key of", at), line, put(line.touches, k, made), merge=True)

    def turned(self, into: float | None, out: float | None) -> tuple[Touch, ...]:
        """The touch-ups of the line with other handles of the chosen key."""
        line, _, k, touch, j = self.the_touch()
        keys = list(touch.keys)
        keys[j] = msgspec.structs.replace(keys[j], into=into, out=out)
        return put(line.touches, k, msgspec.structs.replace(touch, keys=tuple(keys)))

    def drag_turn(self, into: float | None, out: float | None) -> None:
        """Show other handles while they are dragged."""
        self._base_curve()
        self.preview(self.turned(into, out))

    def turn(self, into: float | None, out: float | None) -> None:
        """Handles of the chosen key; None for as smooth as it can be."""
        line = self.the_touch()[0]
        self._kept(self._name("Turn a key of"), line, self.turned(into, out), merge=True)

    def set_mode(self, mode: Mode) -> None:
        """Whether the keys of the chosen touch-up are added, stand in place, or scale; the curve stays
        where it is at them."""
        line, reading, k, touch, _ = self.the_touch()
        if mode == touch.mode:
            return
        composed = self._c.living.composed
        if composed is None:
            raise EditError("The line is still being performed; try again in a moment.")
        curve = self.curve()
        at = times_of(touch, reading)
        now = np.interp(at, curve.times, curve.values)
        under = composed.before.get(self.channel, np.zeros(len(curve.times)))
        base = np.interp(at, curve.times, under)
        if mode == "add":
            values = now - base
        elif mode == "replace":
            values = now
        else:
            values = np.where(
                np.abs(base) > 1e-3, now / np.where(np.abs(base) > 1e-3, base, 1.0), 1.0
            )
        keys = tuple(
            msgspec.structs.replace(key, value=round(float(v), 6), into=None, out=None)
            for key, v in zip(touch.keys, values, strict=True)
        )
        made = msgspec.structs.replace(touch, mode=mode, keys=keys, about=0.0)
        self._kept(self._name("Change the mode of"), line, put(line.touches, k, made))

    def free(self, free: bool) -> None:
        """Whether the chosen touch-up acts where speech promises otherwise."""
        line, _, k, touch, _ = self.the_touch()
        made = msgspec.structs.replace(touch, free=free)
        self._kept(self._name("Free" if free else "Hold back"), line, put(line.touches, k, made))

    def delete(self) -> None:
        """The chosen key; with its last, or where it is what a pull is made of, the whole touch-up."""
        from ....motion.touch.shaping import without_key

        line, _, k, touch, j = self.the_touch()
        made = without_key(touch, j) if len(touch.keys) > 3 or touch.mode == "replace" else None
        left = [*line.touches[:k], *([made] if made is not None else []), *line.touches[k + 1 :]]
        self._kept(self._name("Delete a key of" if made is not None else "Take back"), line, left)
        if made is not None:
            self.choose((k, max(0, j - 1)))

    def clear(self) -> None:
        """All touch-ups of the channel in the stretch go; all of the channel where none is in it."""
        line, reading = self.need()
        start, end = self.stretch()
        own = [t for t in line.touches if t.channel == self.channel]
        within = [t for t in own if inside(t, self.channel, reading, start, end)] or own
        if not within:
            raise EditError(f"Nothing was done to {channel_words(self.channel)} by hand.")
        self._kept(
            self._name("Take touch-ups off"), line, [t for t in line.touches if t not in within]
        )
