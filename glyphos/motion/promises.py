"""What the motion promises, one function each, as bounds of the smoothing problem and moments to
show.

Each takes the placed sounds and the bounds that it adds to. Where two cannot both be kept in the
time there is, `Bounds.within_reach` says which gives way.
"""

from __future__ import annotations

import numpy as np

from .bounds import REACHED, SHOWN, Bounds, covered
from .channels import BETWEEN, FRONT, HIGH, JAW, PART, PRESS, ROUND, TEETH, UPPER, WIDE
from .placed import OPENING, Placed, Which
from .spline import Array, H, Ints, between, where

MUST, VOWEL, GLIDE, SECOND, HISS, SHORT = 1000.0, 10.0, 9.0, 6.0, 5.0, 3.0  # worth of a moment
CLOSED_FROM, CLOSED_TO, CLOSED_TO_NASAL = 0.15, 0.60, 0.80  # of a stop: its closed part
LONG = 0.0799  # seconds: a vowel that arrives
ARRIVAL = 0.885  # of its target
SIBILANT_JAW, HISS_GAP = 0.18, 0.135
BITE = 0.96
LET_GO = 0.10
ROUNDED = 0.885  # of /w/
EXCLUSIVE = 0.26  # of spreading and rounding, one stays under this
CLAIM = 0.4  # seconds in which the claim to one of them fades
ANTICIPATION = 0.14  # seconds before the first sound at which the mouth may leave rest
PAUSE = 0.30  # seconds: no move goes across a longer pause
SUPPORT = 0.16  # seconds beside a demand at which a sparse channel is 0
SPARSE = (PRESS, TEETH, BETWEEN)  # at rest but near a few sounds


def vowels_arrive(b: Bounds, s: Placed) -> None:
    """A vowel of 80 ms reaches its target nearly, shorter ones fall short, as people do."""
    v = where(s.kind["vowel"])
    length, e = s.length[v], s.begin[v]
    full = between((length - 0.03) / 0.05, 0, 1)  # 0 at 30 ms, 1 at 80 ms
    long = length >= LONG
    some = np.where(length >= 0.035, 0.8 * between((length - 0.02) / 0.04, 0, 1), 0)
    opening, rounding, tongue = (
        np.where(long, ARRIVAL, some), np.where(long, ARRIVAL, 0.0), np.where(long, 0.87, 0.0),
    )  # fmt: skip
    shares = {
        JAW: opening, WIDE: np.where(long, ARRIVAL, 0.68 * full), ROUND: rounding, UPPER: tongue,
        PART: opening, FRONT: tongue, HIGH: tongue,
    }  # fmt: skip
    middle = (s.core_low[e] + s.core_high[e]) / 2
    held = max(0.0, s.delivery.hold - 0.5) * 0.5 * length
    _reach(b, s, e, middle - held - 0.5 * H, middle + held + 0.5 * H, shares)
    hold = np.minimum(0.05 * length, 0.012)
    one = s.count[v] == 1
    wide = (
        np.where(one, s.at(v, 0.25), s.core_low[e]), np.where(one, s.at(v, 0.75), s.core_high[e]),
    )  # fmt: skip
    worth = np.where(length >= 0.0599, VOWEL, SHORT) + 1.0 * s.stressed[v] + np.minimum(length, 0.2)
    asks = _asks(s, e, 0.86)
    asks[:, SHOWN.index(PRESS)] = -0.045
    asks[:, SHOWN.index(TEETH)] = np.where(length >= 0.1, -0.14, np.nan)
    k = length >= 0.03
    b.show((middle - hold)[k], (middle + hold)[k], worth[k], [w[k] for w in wide], asks[k])


def second_parts(b: Bounds, s: Placed) -> None:
    """Where a diphthong goes is reached in its last third."""
    v = where(s.kind["vowel"] & (s.count == 2))
    length, e = s.length[v], s.begin[v] + 1
    middle = s.at(v, 0.80)
    share = np.where(length >= 0.159, 0.84, between((length - 0.07) / 0.09, 0, 1) * 0.7)
    reached = dict.fromkeys((JAW, PART, WIDE, ROUND, FRONT, HIGH), share)
    _reach(b, s, e, middle - 0.5 * H, middle + 0.5 * H, reached)
    k = length >= 0.12
    b.show(
        (middle - 0.006)[k], (middle + 0.006)[k], SECOND,
        (s.core_low[e][k], s.core_high[e][k]), _asks(s, e[k], 0.81),
    )  # fmt: skip


def lips_unpressed(b: Bounds, s: Placed) -> None:
    """Lips do not press in the middle of a vowel."""
    v = where(s.kind["vowel"])
    room = between(0.3 * (s.length[v] - 0.04), 0.6 * H, 0.03)
    middle = s.at(v, 0.5)
    b.at_most(PRESS, middle - room, middle + room, 0.04, 2)


def teeth_let_go(b: Bounds, s: Placed) -> None:
    """The lower lip leaves the teeth in the middle of a vowel."""
    v = where(s.kind["vowel"] & (s.length >= 0.06))
    length = s.length[v]
    room = between(0.25 * (length - 0.085), 0.03 * length, 0.03)
    middle = s.at(v, 0.5)
    most = np.interp(length, (0.06, 0.098), (0.5, LET_GO))
    b.at_most(TEETH, middle - room, middle + room, most, 2)


def sibilants_keep_the_jaw_up(b: Bounds, s: Placed) -> None:
    """The jaw is up in the middle of s z ʃ ʒ and the affricates."""
    k = where(s.kind["sibilant"])
    b.at_most(JAW, s.at(k, 0.35), s.at(k, 0.65), SIBILANT_JAW)
    asks = np.full((len(k), len(SHOWN)), np.nan)
    asks[:, SHOWN.index(JAW)] = -(SIBILANT_JAW + 0.01)
    asks[s.length[k] >= 0.06, SHOWN.index(PART)] = HISS_GAP - 0.01
    b.show(s.at(k, 0.4), s.at(k, 0.6), HISS, (s.at(k, 0.25), s.at(k, 0.75)), asks)


def sibilants_hiss(b: Bounds, s: Placed) -> None:
    """s z ʃ ʒ have a gap to hiss through."""
    k = where(s.kind["sibilant"] & (s.length >= 0.055))
    b.at_least(PART, s.at(k, 0.42), s.at(k, 0.58), HISS_GAP)


def glides_arrive(b: Bounds, s: Placed) -> None:
    """/w/ rounds, and /ɹ/ unless spread vowels on both sides leave it no time."""
    strength = min(1.0, s.delivery.articulation)
    for which, share, worth in (("glide", ROUNDED, GLIDE), ("rhotic", 0.43, SECOND)):
        k = where(s.kind[which])
        if which == "rhotic" and len(k):
            k = k[~crowded(s)[k]]
        if not len(k):
            continue
        middle = s.at(k, 0.5)
        b.at_least(ROUND, middle - 0.5 * H, middle + 0.5 * H, share * strength, 2)
        asks = np.full((len(k), len(SHOWN)), np.nan)
        asks[:, SHOWN.index(ROUND)] = min(share * s.delivery.articulation, share) - 0.025
        b.show(middle - 0.004, middle + 0.004, worth, (s.at(k, 0.2), s.at(k, 0.8)), asks)


def teeth_on_lip(b: Bounds, s: Placed) -> None:
    """The lower lip is at the upper teeth in the middle of f and v."""
    f = where(s.kind["teeth"])
    start, end = s.at(f, 0.35), s.at(f, 0.65)
    b.at_least(TEETH, start, end, BITE)
    _must_show(b, *b.grid.spans(start, end), s.start[f], s.end[f], 0.006)


def closures(b: Bounds, s: Placed) -> None:
    """Lips meet over the closed part of p b m, whatever else; two in a row stay shut."""
    p = where(s.kind["closed"])
    start, end = s.at(p, CLOSED_FROM), np.where(
        s.kind["nasal"][p], s.at(p, CLOSED_TO_NASAL), s.at(p, CLOSED_TO))  # fmt: skip
    last = end.copy()
    row = where((np.diff(p) == 1) & (s.start[p[1:]] - s.end[p[:-1]] < 0.05))
    end[row] = start[row + 1] = (s.end[p[row]] + s.start[p[row + 1]]) / 2
    i, j = b.grid.spans(start, end)
    b.fixed[PART] |= covered(b.grid.count, i, j)
    _must_show(b, i, j, s.start[p], last, 0.004)


def lips_part_between(b: Bounds, s: Placed) -> None:
    """Between two closures around a vowel the lips are seen to part, however little is asked."""
    v = where(s.kind["vowel"] & (s.length >= 0.04))
    v = v[(v > 0) & (v < len(s.start) - 1)]
    v = v[s.kind["closed"][v - 1] & s.kind["closed"][v + 1]]
    v = v[(s.start[v] - s.end[v - 1] < PAUSE) & (s.start[v + 1] - s.end[v] < PAUSE)]
    middle = s.at(v, 0.5)
    b.at_least(PART, middle - 0.5 * H, middle + 0.5 * H, 0.10, 2)


def spread_or_round(b: Bounds, s: Placed) -> None:
    """Lips spread or round, never both; where one is asked after the other they change between.

    Each side gets the time that its own move needs; when there is too little, rounding has its
    need first, up to nine tenths of the room.
    """
    spread, rounded = claims(s)
    if s.kind["rhotic"].any():
        rounded &= ~(s.kind["rhotic"] & crowded(s))[s.own]
    claim = where(spread | rounded)
    if not len(claim):
        return
    wide = spread[claim]
    low, high = s.core_low[claim], s.core_high[claim]
    middle = (low + high) / 2
    need = np.where(
        wide, ARRIVAL * s.target[claim, WIDE] / 2 - EXCLUSIVE / 2,
        ARRIVAL * s.target[claim, ROUND] - EXCLUSIVE,
    )  # fmt: skip
    need = np.maximum(need, 0.01) * H / REACHED[ROUND] + H
    k = where(wide[1:] != wide[:-1])
    round_first = ~wide[k]
    a, other = np.where(round_first, k, k + 1), np.where(round_first, k + 1, k)
    room = np.abs(middle[other] - middle[a])
    away = np.abs((high[k] + low[k + 1]) / 2 - middle[a])  # from its middle to the change
    most = np.maximum(room - need[other], np.minimum(need[a], 0.9 * room))
    away = np.minimum(np.maximum(away, need[a]), most)
    change = np.full(len(claim) + 1, -1e6)
    change[k + 1] = np.where(round_first, middle[a] + away, middle[a] - away) + H / 2
    left = np.maximum(np.maximum.accumulate(change[:-1]), low - CLAIM)
    change[change < -1e5] = 1e6
    right = np.minimum(np.minimum.accumulate(change[:0:-1])[::-1], high + CLAIM)
    count = b.grid.count
    i = between(np.rint(b.grid.position(left)) - 1, 0, count).astype(np.intp)
    j = between(np.rint(b.grid.position(right)) + 1, 0, count).astype(np.intp)
    for channel, claimed in ((ROUND, wide), (WIDE, ~wide)):
        taken = covered(count, i[claimed], np.maximum(i, j)[claimed])
        b.high[channel, taken] = np.minimum(b.high[channel, taken], EXCLUSIVE)


def rest(b: Bounds, s: Placed) -> None:
    """Rest before the first sound, `settle` after the last, and in pauses, which no move crosses."""
    settle = s.delivery.settle / 1000
    leave = min(ANTICIPATION, settle)
    long = s.gaps[:, 1] - s.gaps[:, 0] > min(2 * settle, PAUSE - 0.01)
    for start, end in s.gaps[long].tolist():
        gap = end - start
        if gap > 2 * settle:
            i, j = b.grid.index(start + settle - 2 * H), b.grid.index(end - leave + 2 * H)
        elif gap > PAUSE - 0.01:
            i = b.grid.index(start + 0.5 * gap)
            j = b.grid.index(end - min(leave, 0.45 * gap))
        else:
            continue
        if j - i < 3:
            i, j = (i + j) // 2 - 1, (i + j) // 2 + 2
        b.rest(slice(None), i, j)


def marks(b: Bounds, s: Placed) -> None:
    """Breath, cough and laugh open the mouth a little; hum and `shut` keep the lips together."""
    for kind, start, end in s.openings:
        ramp = min(0.08, max(0.02, (end - start) / 3))
        for channel, value in zip((JAW, PART), OPENING[kind], strict=True):
            b.at_least(channel, np.array([start + ramp]), np.array([end - ramp]), value)
    for start, end in s.shut:
        b.rest(slice(None), b.grid.index(start), b.grid.index(end) + 1)


def sparse(b: Bounds, asked: Array) -> None:
    """Channels that few sounds ask for rest away from them. asked: (channels, points) not zero
    where something is wanted."""
    reach = int(SUPPORT / H)
    for c in SPARSE:
        some = where((asked[c] != 0) | (b.low[c] > 0))
        near = covered(
            b.grid.count, np.maximum(some - reach, 0), np.minimum(some + reach + 1, b.grid.count)
        )
        b.fixed[c] |= ~near


def claims(s: Placed) -> tuple[Which, Which]:
    """Parts that claim spreading, and parts that claim rounding (m,)."""
    target, asked = s.target, s.asked
    spread = (target[:, WIDE] > EXCLUSIVE) & (asked[:, WIDE] >= 0.75)
    rounded = (target[:, ROUND] > EXCLUSIVE) & (asked[:, ROUND] >= 0.5)
    return spread, rounded & ~spread


def crowded(s: Placed) -> Which:
    """Sounds with a spread vowel within 40 ms on both sides (n,)."""
    spread, _ = claims(s)
    into = spread[s.begin] & s.kind["vowel"] if len(s.begin) else s.kind["vowel"]
    out = spread[s.begin + s.count - 1] & s.kind["vowel"] if len(s.begin) else s.kind["vowel"]
    before, after = np.zeros(len(s.start), bool), np.zeros(len(s.start), bool)
    for k in (1, 2, 3):
        before[k:] |= out[:-k] & (s.start[k:] - s.end[:-k] <= 0.04)
        after[:-k] |= into[k:] & (s.start[k:] - s.end[:-k] <= 0.04)
    return before & after


def _asks(s: Placed, e: Ints, share: float) -> Array:
    """A share of what parts e ask of the shown channels but pressing and teeth."""
    target = share * s.target[e][:, SHOWN]
    asks = np.where((s.asked[e][:, SHOWN] > 0) & (np.abs(target) > 0.04), target, np.nan)
    asks[:, 4:] = np.nan
    return asks


def _reach(
    b: Bounds, s: Placed, e: Ints, start: Array, end: Array, shares: dict[int, Array]
) -> None:
    """At least these shares of the targets from `start` to `end`, channel by channel."""
    channels = np.array(list(shares))
    target = s.target[e][:, channels]
    share = np.array(list(shares.values())).T
    ask = (s.asked[e][:, channels] > 0) & (np.abs(target) > 0.03) & (share > 0.03)
    for wish, some in ((b.at_least, ask & (target > 0)), (b.at_most, ask & (target < 0))):
        k, c = np.nonzero(some)
        wish(channels[c], start[k], end[k], (share * target)[k, c], 2)


def _must_show(b: Bounds, i: Ints, j: Ints, start: Array, end: Array, more: float) -> None:
    """Moments held over points i .. j − 1, and `more` seconds further but inside the sound."""
    low = between((i + 1 + b.grid.first) * H - more, start, end)
    high = between((j - 2 + b.grid.first) * H + more, start, end)
    b.show(low, high, MUST)
