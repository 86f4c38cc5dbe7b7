"""Where everything stands on the score of a scene: time wrapped in rows, each a system with a stave for every
lane that sounds in it. Pure geometry: no widgets, no painting.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from ....scene.documents import Clip, Lane, Scene, Shot
from ....scene.editing import Where

NEAR = 1e-6
LEAST = 1.0  # seconds of a row at least


@dataclass(frozen=True)
class Sizes:
    """Pixels, which follow the size of type. margin: for names at the left, and at the right side."""

    margin: float = 96.0
    right: float = 18.0
    ruler: float = 17.0
    shots: float = 19.0
    wave: float = 15.0
    words: float = 19.0
    below: float = 9.0
    bed: float = 28.0
    between: float = 22.0
    per_second: float = 100.0  # at which words have room


@dataclass(frozen=True)
class Spot:
    """A clip, or the part of it that lies in a row, in pixels."""

    where: Where
    clip: Clip
    left: float
    right: float
    begins: bool
    ends: bool


@dataclass
class Stave:
    """A lane in a row."""

    lane: int
    speaks: bool
    top: float
    height: float
    spots: list[Spot] = field(default_factory=list)


@dataclass(frozen=True)
class Bracket:
    """A shot over a row, in pixels. number: in the scene's shots, −1 for what is seen before the first."""

    number: int
    shot: Shot
    left: float
    right: float
    begins: bool
    ends: bool


@dataclass
class System:
    """One row: its time, and the staves that sound in it."""

    start: float
    end: float
    top: float
    left: float
    width: float
    height: float = 0.0
    staves: list[Stave] = field(default_factory=list)
    brackets: list[Bracket] = field(default_factory=list)

    def x_at(self, seconds: float) -> float:
        """Horizontal place of a time on the page."""
        return self.left + (seconds - self.start) / (self.end - self.start) * self.width

    def time_at(self, x: float) -> float:
        """Time at a horizontal place, within the row."""
        share = min(max((x - self.left) / max(self.width, 1e-9), 0.0), 1.0)
        return self.start + share * (self.end - self.start)


@dataclass
class Plan:
    """The page of a scene."""

    systems: list[System]
    width: float
    height: float
    per_second: float

    def system_at(self, seconds: float) -> int:
        """Number of the row in which a time falls."""
        return max(0, bisect_right([s.start for s in self.systems], seconds + NEAR) - 1)

    def system_under(self, y: float) -> int:
        """Number of the row at or above a height."""
        return max(0, bisect_right([s.top for s in self.systems], y) - 1)

    def stave_under(self, y: float) -> Stave | None:
        """The stave at a height."""
        if not self.systems:
            return None
        system = self.systems[self.system_under(y)]
        return next((v for v in system.staves if v.top <= y < v.top + v.height), None)

    def spot_under(self, x: float, y: float) -> Spot | None:
        """The clip at a place."""
        stave = self.stave_under(y)
        found = [s for s in stave.spots if s.left - 3 <= x <= s.right + 3] if stave else []
        return min(found, key=lambda s: max(s.left - x, x - s.right), default=None)

    def spots(self) -> list[Spot]:
        """All of them."""
        return [s for system in self.systems for v in system.staves for s in v.spots]


Known = dict[int, tuple[object, dict[int, Stave]]]  # staves of lanes, and what they were made of


def lay_out(
    scene: Scene, whole: Callable[[Clip], float], length: float, width: float, sizes: Sizes, *,
    zoom: float = 1.0, long: float | None = None, known: Known | None = None,
) -> Plan:  # fmt: skip
    """A page of at most `width` pixels. length: seconds of the scene. zoom: of the time, over 1 nearer.
    long: one row alone that begins at a time, with all lanes; else time is wrapped in as many as it needs.
    known: keeps staves of lanes until they are others."""
    room = max(60.0, width - sizes.margin - sizes.right)
    seconds = max(LEAST, room / (sizes.per_second * zoom))
    if long is None:
        seconds = max(LEAST, float(int(seconds))) if seconds >= LEAST + 1 else seconds
        count = max(1, int((max(length, LEAST) - NEAR) // seconds) + 1)
        starts = [k * seconds for k in range(count)]
    else:
        starts = [long]
    systems = [System(t, t + seconds, 0.0, sizes.margin, room) for t in starts]
    _lay_clips(
        scene, whole, systems, seconds, every=long is not None, known={} if known is None else known
    )
    spans = _spans(scene.shots, length)
    begun = [span[2] for span in spans]
    top = sizes.between / 2
    for system in systems:
        system.top = top
        y = top + sizes.ruler + sizes.shots
        for stave in system.staves:
            stave.top = y
            stave.height = sizes.wave + sizes.words + sizes.below if stave.speaks else sizes.bed
            y += stave.height
        system.height = y - top if system.staves else sizes.ruler + sizes.shots + sizes.words
        system.brackets = _brackets(spans, begun, system)
        top += system.height + sizes.between
    return Plan(systems, width, top, room / seconds)


def _lay_clips(
    scene: Scene, whole: Callable[[Clip], float], systems: Sequence[System], seconds: float, *, every: bool, known: Known
) -> None:  # fmt: skip
    """Put every clip on the staves of the rows that it lies in; lanes that are as they were stay."""
    base, width, count = systems[0].start, systems[0].width, len(systems)
    for a, lane in enumerate(scene.lanes):
        ends = tuple(c.start + c.lasts(whole(c)) for c in lane.clips)
        key = (lane.clips, ends, lane.speaks, seconds, base, width, count, every)
        found = known.get(a)
        if found is None or found[0] != key:
            found = known[a] = key, _staves(a, lane, ends, systems, seconds, every=every)
        for k, stave in found[1].items():
            systems[k].staves.append(stave)


def _staves(
    number: int, lane: Lane, ends: Sequence[float], systems: Sequence[System], seconds: float, *, every: bool
) -> dict[int, Stave]:  # fmt: skip
    """The staves of a lane, by their rows."""
    base = systems[0].start
    staves: dict[int, Stave] = {}
    if every:
        staves[0] = Stave(number, lane.speaks, 0.0, 0.0)
    for b, (clip, end) in enumerate(zip(lane.clips, ends, strict=True)):
        first = max(0, int((clip.start - base + NEAR) // seconds))
        last = min(len(systems) - 1, int((end - base - NEAR) // seconds))
        for k in range(first, last + 1):
            system = systems[k]
            spot = Spot(
                (number, b), clip, system.x_at(max(clip.start, system.start)), system.x_at(min(end, system.end)),
                clip.start >= system.start - NEAR, end <= system.end + NEAR,
            )  # fmt: skip
            staves.setdefault(k, Stave(number, lane.speaks, 0.0, 0.0)).spots.append(spot)
    for stave in staves.values():
        stave.spots.sort(key=lambda s: s.left)
    return staves


Spans = list[
    tuple[int, Shot, float, float]
]  # of shots in order: number, start, and where the next begins


def _spans(shots: Sequence[Shot], length: float) -> Spans:
    order = sorted(range(len(shots)), key=lambda k: shots[k].start)
    begun = [(k, shots[k], shots[k].start) for k in order]
    if not begun or begun[0][2] > NEAR:
        begun.insert(0, (-1, Shot(), 0.0))
    ends = [*(start for _, _, start in begun[1:]), length]
    return [(*span, end) for span, end in zip(begun, ends, strict=True)]


def _brackets(spans: Spans, starts: Sequence[float], system: System) -> list[Bracket]:
    """Shots over a row. starts: of the spans."""
    made = []
    first = max(0, bisect_right(starts, system.start) - 1)
    for k, shot, start, after in spans[first : bisect_right(starts, system.end)]:
        a, b = max(start, system.start), min(after, system.end)
        if b > a + NEAR:
            begins, ends = start >= system.start - NEAR, after <= system.end + NEAR
            made.append(Bracket(k, shot, system.x_at(a), system.x_at(b), begins, ends))
    return made


def laid_words(
    lefts: Sequence[float], widths: Sequence[float], gap: float, low: float, high: float
) -> tuple[list[float], float]:
    """Where words stand so that none lies on another: each as near to its time as there is room between low
    and high, and how much narrower they are written where there is too little (1: as they are)."""
    if not lefts:
        return [], 1.0
    need = sum(widths) + gap * (len(widths) - 1)
    squeeze = min(1.0, max(0.5, (high - low) / max(need, 1e-9)))
    wide, gap = [w * squeeze for w in widths], gap * squeeze
    made: list[float] = []
    at = low
    for left, w in zip(lefts, wide, strict=True):
        made.append(max(left, at))
        at = made[-1] + w + gap
    end = high
    for k in range(len(made) - 1, -1, -1):  # what was pushed beyond the end goes back
        made[k] = max(low, min(made[k], end - wide[k]))
        end = made[k] - gap
    return made, squeeze
