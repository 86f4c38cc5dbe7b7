"""From one reading of a line to another: where what rode on its sounds is now.

Words are matched first, then the sounds of matched words, so that another take, a corrected script or
corrected sounds take along what was placed on them.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from difflib import SequenceMatcher

from .anchors import Anchor, anchored, time_of
from .parts import Flat
from .reading import Reading


class Carrier:
    """Takes places from an old reading to a new one. same: both have the same sounds, so that what rides on
    them needs nothing."""

    def __init__(self, old: Reading, new: Reading) -> None:
        self._old, self._new = old, new
        self._before, self._after = Flat.of(old), Flat.of(new)
        a, b = self._before.phones, self._after.phones
        self.same = len(a) == len(b) and all(x.ipa == y.ipa for x, y in zip(a, b, strict=True))
        self._sounds = (
            {k: k for k in range(len(a))} if self.same else _matched(self._before, self._after)
        )

    def carried(self, anchor: Anchor) -> Anchor | None:
        """The same place in the new reading; None where what it was on is gone."""
        if not self._before.phones:
            return anchored(self._new, anchor.seconds)
        if anchor.sound < 0:
            return anchored(self._new, self.time(anchor.seconds))
        sound = self._sound_of(anchor)
        to = self._sounds.get(sound)
        if to is not None:
            phone = self._after.phones[to]
            at = phone.start + anchor.share * (phone.end - phone.start) + anchor.beyond
            return Anchor(
                round(at, 6), to, len(self._after.phones), phone.ipa, anchor.share, anchor.beyond
            )
        word = self._before.word_of[sound]
        own = [k for k in self._sounds if self._before.word_of[k] == word]
        return self.placed(anchor) if own else None

    def keeps(self, start: float, end: float) -> bool:
        """Whether something of what is said in a stretch of the old reading is in the new; or nothing is said."""
        inside = [
            k for k in self._before.sounds_between(start, end)
            if min(end, self._before.phones[k].end) - max(start, self._before.phones[k].start) > 1e-6
        ]  # fmt: skip
        return not inside or any(k in self._sounds for k in inside)

    def placed(self, anchor: Anchor) -> Anchor:
        """The time of a place in the new reading, whatever sound is there now."""
        return anchored(self._new, self.time(time_of(anchor, self._old)))

    def _sound_of(self, anchor: Anchor) -> int:
        phones = self._before.phones
        if anchor.sounds == len(phones) and anchor.sound < len(phones):
            return anchor.sound
        return anchored(self._old, time_of(anchor, self._old)).sound

    def time(self, seconds: float) -> float:
        """Where a time of the old reading is in the new: between the edges of sounds that are in both, by
        straight lines; before the first and after the last as far away as it was."""
        pairs = [(0.0, 0.0)] if not self._sounds else []
        for k, to in sorted(self._sounds.items()):
            old, new = self._before.phones[k], self._after.phones[to]
            pairs += [(old.start, new.start), (old.end, new.end)]
        olds = [p[0] for p in pairs]
        k = bisect_right(olds, seconds)
        if k == 0:
            return max(0.0, pairs[0][1] + seconds - pairs[0][0])
        if k == len(pairs):
            return pairs[-1][1] + seconds - pairs[-1][0]
        (a, x), (b, y) = pairs[k - 1], pairs[k]
        return x if b - a < 1e-9 else x + (y - x) * (seconds - a) / (b - a)


def _matched(before: Flat, after: Flat) -> dict[int, int]:
    """Sounds of the old reading with those of the new that they have become."""

    def words(flat: Flat) -> list[str]:
        return ["".join(c for c in w.text.lower() if c.isalnum()) or w.text for w in flat.words]

    old, new = words(before), words(after)
    found: dict[int, int] = {}
    for x, y, same in _pairs(old, new):
        found |= _same_sounds(before, after, x, y, all_of=same)
    return found


def _pairs(old: list[str], new: list[str]) -> Iterator[tuple[int, int, bool]]:
    """Words of two lists that belong together, and whether they are the same. What both begin and end with is
    taken first, so that a correction in an hour of talk costs no more than one in a line."""
    most = min(len(old), len(new))
    head = next((k for k in range(most) if old[k] != new[k]), most)
    tail = next((k for k in range(most - head) if old[-1 - k] != new[-1 - k]), most - head)
    yield from ((k, k, True) for k in range(head))
    inner = old[head : len(old) - tail], new[head : len(new) - tail]
    for kind, a, b, c, d in SequenceMatcher(None, *inner, False).get_opcodes():
        if kind == "equal" or (kind == "replace" and b - a == d - c):
            yield from ((head + a + k, head + c + k, kind == "equal") for k in range(b - a))
    yield from ((len(old) - tail + k, len(new) - tail + k, True) for k in range(tail))


def _same_sounds(before: Flat, after: Flat, x: int, y: int, *, all_of: bool) -> dict[int, int]:
    """Sounds of one word with those of another. all_of: it is the same word, so that a sound may have
    become another."""
    own, new = [p.ipa for p in before.words[x].phones], [p.ipa for p in after.words[y].phones]
    first, to = before.first[x], after.first[y]
    if own == new:
        return {first + k: to + k for k in range(len(own))}
    found: dict[int, int] = {}
    for kind, a, b, c, d in SequenceMatcher(None, own, new, False).get_opcodes():
        if kind == "equal" or (all_of and kind == "replace" and b - a == d - c):
            found |= {first + a + k: to + c + k for k in range(b - a)}
    if not all_of and len(found) < (len(own) + 1) // 2:
        return {}  # another word
    return found
