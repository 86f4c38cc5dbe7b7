"""Which drawing stands for which frame of a motion: how wrong each looks there, then the cheapest
sequence (`exposures`), with what is pinned by hand left as it is."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...motion.curve import Motion
from .documents import CLOSED, Drawings, Mouth, Part, Pose, Wish
from .exposures import Array, Exposure, Ints, cheapest
from .features import OTHER, TWINS, rows_of, seen, seen_parts, unlike

BITING = 0.9  # of the motion: the lip is at the teeth
MUST = {"closed": 1000.0, "bites": 60.0}  # cost of a closure, or of teeth on lip, that is not shown
SLOW = 20.0  # frames a second under which every drawing may stand for one frame
CHANGE = 0.08  # usual cost of a change, where 2 is a frame of a wide mouth in place of a shut one
TWIN_COST = 0.6  # how much dearer a change between twins is
FEW = 3  # exposures, below which no drawing would be worth it
EYES = 0.3  # cost of a change of eyes or brows
WANTED: dict[str, Pose] = {
    "a closed mouth": {"lips_press": 0.6},
    "a slightly open mouth": {"jaw_open": 0.22, "lips_part": 0.3},
    "an open mouth": {"jaw_open": 0.5, "lips_part": 0.56},
    "a wide open mouth": {"jaw_open": 0.95, "lips_part": 0.92},
    "a rounded mouth": {"jaw_open": 0.5, "lips_part": 0.5, "lips_round": 0.65},
    "a puckered mouth": {"jaw_open": 0.16, "lips_part": 0.18, "lips_round": 1.0},
    "a spread mouth with teeth": {"jaw_open": 0.1, "lips_part": 0.4, "lips_wide": 0.8, "upper_lip_raise": 0.3},
    "a mouth with teeth on the lip": {"jaw_open": 0.14, "lips_part": 0.14, "lip_to_teeth": 1.0},
    "a mouth with the tongue up": {"jaw_open": 0.4, "lips_part": 0.48, "tongue_tip": 1.0},
    "a mouth with the tongue between the teeth": {"jaw_open": 0.2, "lips_part": 0.35, "tongue_between_teeth": 1.0},
}  # fmt: skip
Held = tuple[int, int, int]  # a drawing on frames from first to after, by hand


def wrongness(motion: Motion, mouths: Sequence[Mouth]) -> Array:
    """How wrong each mouth looks on each frame (frames, mouths); a wide mouth for a shut one is 2."""
    line = seen(motion.names, motion.values)
    drawn = seen(motion.names, rows_of(motion.names, [m.pose for m in mouths]))
    return _apart(line, drawn)


def _apart(a: Array, b: Array) -> Array:
    """Squared distances of all of `a` to all of `b`."""
    found = (a**2).sum(1)[:, None] + (b**2).sum(1) - 2 * a @ b.T
    return np.asarray(np.maximum(found, 0.0))


def expose(
    motion: Motion, mouths: Sequence[Mouth], wish: Wish | None = None, held: Sequence[Held] = ()
) -> list[Exposure]:  # fmt: skip
    """The drawings of a line, held on frames. Closures are shown wherever a closed mouth is drawn,
    teeth on lip where one is and there is a frame for them. held: what was pinned."""
    wish = wish or Wish()
    cost = wrongness(motion, mouths)
    closed, bites = np.array([m.closed for m in mouths]), np.array([m.bites for m in mouths])
    part, teeth = motion.channel("lips_part"), motion.channel("lip_to_teeth")
    for at, shows, kind in (
        (_moments(part <= CLOSED, part), closed, "closed"),
        (_moments(teeth >= BITING, -teeth), bites, "bites"),
    ):
        if shows.any():
            cost[np.ix_(at, ~shows)] += MUST[kind]
    least = 1 if float(motion.fps) < SLOW else max(1, wish.hold)
    hold = np.where(closed | bites, max(1, least - 1), least)
    drawn = seen(motion.names, rows_of(motion.names, [m.pose for m in mouths]))
    apart = _apart(drawn, drawn)
    per_frame = float(motion.fps) / 24  # a change costs the same a second at every rate
    change = wish.change * per_frame * CHANGE * (1 + TWIN_COST * (apart < TWINS))
    return _around(cost, np.asarray(change), hold.tolist(), wish.step, held)


def _around(
    cost: Array, change: Array, hold: list[int], step: int, held: Sequence[Held]
) -> list[Exposure]:  # fmt: skip
    """The cheapest between what is held by hand, which is joined where it is the same drawing."""
    free = change.copy()
    np.fill_diagonal(free, 0.0)
    found: list[Exposure] = []
    at = 0
    inside = [(k, max(0, a), min(b, len(cost))) for k, a, b in held]
    inside = sorted((h for h in inside if h[1] < h[2]), key=lambda h: h[1])
    for k, first, after in [*inside, (-1, len(cost), len(cost))]:
        first = max(first, at)
        if first > at:
            before = free[found[-1].drawing] if found else None
            following = free[:, k] if k >= 0 else None
            made = cheapest(
                cost[at:first], change, hold, step, origin=at, before=before, after=following
            )
            found += [Exposure(e.drawing, e.first + at, e.frames) for e in made]
        if k >= 0 and after > first:
            found.append(Exposure(k, first, after - first, True))
        at = max(at, after)
    return _joined(found)


def _joined(found: list[Exposure]) -> list[Exposure]:
    made: list[Exposure] = []
    for e in found:
        if made and made[-1].drawing == e.drawing and made[-1].pinned == e.pinned:
            made[-1] = Exposure(e.drawing, made[-1].first, made[-1].frames + e.frames, e.pinned)
        else:
            made.append(e)
    return made


def _moments(there: np.ndarray, depth: Array) -> Ints:
    """Of each run of frames the one where it is deepest."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], there.astype(np.int8), [0]))))
    found = [a + int(depth[a:b].argmin()) for a, b in edges.reshape(-1, 2).tolist()]
    return np.array(found, np.intp)


def expose_part(motion: Motion, part: Part, wish: Wish | None = None) -> list[Exposure]:
    """The drawings of eyes or brows on a line, held as mouths are."""
    wrong = part_wrongness(part, motion.names, motion.values)
    hold, count = max(1, (wish or Wish()).hold), len(part.drawings)
    change = np.full((count, count), EYES)
    return cheapest(wrong, change, [hold] * count, (wish or Wish()).step)


def part_wrongness(part: Part, names: Sequence[str], values: Array) -> Array:
    """How wrong each drawing of eyes or brows looks in each of the poses (n, channels)."""
    side = part.name.rpartition(" ")[2] if " " in part.name else ""
    own = sorted({*names, *(n for d in part.drawings for n in d.pose)})
    drawn = seen_parts(own, rows_of(own, [d.pose for d in part.drawings]), side)
    return _apart(seen_parts(names, values, side), drawn)


def shown(exposures: Sequence[Exposure]) -> Ints:
    """The drawing of every frame."""
    return np.repeat([e.drawing for e in exposures], [e.frames for e in exposures]).astype(np.intp)


def would_help(
    motion: Motion, drawings: Drawings, exposures: Sequence[Exposure]
) -> tuple[str, int] | None:  # fmt: skip
    """The drawing that is missing most on a line, in words, and how many exposures it would mend;
    None where none would."""
    mouths = drawings.mouths
    rows = np.arange(motion.frames)
    edges = [e.first for e in exposures]
    now = np.add.reduceat(wrongness(motion, mouths)[rows, shown(exposures)], edges)
    frames = np.array([e.frames for e in exposures])
    bad = (now > OTHER / 4 * frames) & np.array([not e.pinned for e in exposures])
    best: tuple[str, int] | None = None
    wanted = [Mouth(w, "", p) for w, p in WANTED.items()]
    theirs = np.add.reduceat(wrongness(motion, wanted), edges, axis=0)
    for k, (words, pose) in enumerate(WANTED.items()):
        if any(unlike(pose, m.pose) < 2 * TWINS for m in mouths):
            continue  # it is there
        mended = int((bad & (now - theirs[:, k] > 0.25 * now)).sum())
        if mended >= FEW and (best is None or mended > best[1]):
            best = words, mended
    return best
