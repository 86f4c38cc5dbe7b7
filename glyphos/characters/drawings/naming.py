"""What names of drawings say: a row of letters or numbers, words in four languages, sounds."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from ...tables import rows
from ..fitting.names import plain, tokens_of
from .documents import Pose

# The trade's chart of six basic mouths in its order, then the usual extras (common practice, no
# source): what drawings show whose names are letters or numbers in a row.
CHART = ("closed", "slight", "open", "wide open", "round", "pucker", "teeth lip", "tongue", "rest")
LEFT_OUT = 2  # letters or numbers that a row may leave out
ANGLES = (
    ({"front", "vorne", "fronte", "frente"}, "front", 0.0),
    ({"quarters", "quarter", "34", "3q", "tq", "halb", "trequarti"}, "three quarters", 35.0),
    ({"side", "profile", "profil", "seite", "profilo", "perfil"}, "side", 80.0),
)  # fmt: skip
PARTS = (
    ({"eyes", "eye", "auge", "augen", "occhi", "ojos", "lid", "lids", "blink"}, "eyes"),
    ({"brow", "brows", "eyebrow", "eyebrows", "brauen", "braue", "sopracciglia", "cejas"}, "brows"),
    ({"head", "face", "kopf", "testa", "cabeza"}, "head"),
)
STATES: dict[str, tuple[tuple[set[str], Pose], ...]] = {
    "eyes": (
        ({"closed", "shut", "zu", "chiuso", "chiusi", "cerrado", "cerrados", "blink"}, {"blink": 1.0}),
        ({"half", "halb", "mid", "mezzo", "medio"}, {"blink": 0.5}),
        ({"wide", "weit"}, {"lid_raise": 1.0}),
        ({"squint", "tight"}, {"blink": 0.3, "lid_tighten": 1.0}),
        ({"open", "offen", "aperto", "aperti", "abierto", "abiertos", "rest"}, {}),
    ),
    "brows": (
        ({"up", "raised", "hoch", "su", "arriba"}, {"brow_inner_raise": 1.0, "brow_outer_raise": 1.0}),
        ({"sad", "worried"}, {"brow_inner_raise": 1.0}),
        ({"down", "angry", "lowered", "tief", "frown"}, {"brow_lower": 1.0}),
        ({"rest", "neutral", "normal", "mid"}, {}),
    ),
}  # fmt: skip


@dataclass(frozen=True)
class Named:
    """What a name says a drawing is for: a view, a part ("" for mouths), a side, what it shows."""

    angle: str = ""
    yaw: float = 0.0
    part: str = ""
    side: str = ""
    pose: Pose | None = None


def named(stem: str, folder: str = "") -> Named:
    """What is said by a name, and by the folder that a file lies in, but for what a mouth shows."""
    tokens = tokens_of(stem)
    angle, yaw = next(
        (
            (a, y)
            for found in (tokens, tokens_of(folder))
            for words, a, y in ANGLES
            if words & set(found)
        ),
        ("", 0.0),
    )
    side = next((s for s in ("left", "right") if s in tokens), "")
    part = next((p for words, p in PARTS if words & set(tokens)), "")
    if angle and side and not part:
        yaw, angle = (yaw if side == "right" else -yaw), f"{angle} {side}"
        side = ""
    pose = next((p for words, p in STATES.get(part, ()) if words & set(tokens)), None)
    return Named(angle, yaw, part, side, pose)


@dataclass(frozen=True)
class Pattern:
    """How a set of mouths is named. row: letters or numbers in a row, read as the usual chart."""

    poses: list[Pose | None]
    said: str
    row: bool
    doubts: tuple[str, ...] = ()


def pattern_of(names: Sequence[str]) -> Pattern:
    """What mouths of these names show, None for names that say nothing; and how they were read."""
    tokens = [tokens_of(name) for name in names]
    own = [[t for t in x if not all(t in y for y in tokens)] or x[-1:] for x in tokens]
    before = _before(names)
    many = f"{in_number(len(names))} drawings named "
    beginning = f"“{before}” and " if before else "by "
    ordered = _in_a_row(own)
    if ordered is not None:
        numbers = own[0][-1].isdigit()
        chart: list[Pose | None] = [
            said_by(CHART[k].split()) if k < len(CHART) else None for k in ordered
        ]
        kind = "a number" if numbers else "a letter"
        lowest = min(int(x[-1]) for x in own) if numbers else 0
        gone = [k for k in range(max(ordered)) if k not in ordered]
        doubts = [
            f"there is no {k + lowest if numbers else chr(ord('a') + k)} among them" for k in gone
        ]
        return Pattern(chart, f"{many}{beginning}{kind} in a row", True, (*doubts, *_uneven(names)))
    poses = [said_by(x) for x in own]
    known = sum(p is not None for p in poses)
    what = "words" if known else "what says nothing of mouths"
    said = f"{many}{beginning}{what}" + (
        f", of which {known} are known" if 0 < known < len(names) else ""
    )
    return Pattern(poses, said, False, _uneven(names))


def _before(names: Sequence[str]) -> str:
    """What all names begin with, up to where a word ends."""
    if len(names) < 2:
        return ""
    common = _common(names)
    if any(len(n) == len(common) for n in names) or not re.search(r"[\W_\d]$", common):
        ends = [m.end() for m in re.finditer(r"[\W_]+|(?<=[a-z])(?=[A-Z])", common)]
        common = common[: ends[-1]] if ends else common if _capitals(names, common) else ""
    return common.rstrip("0123456789")


def _common(names: Sequence[str]) -> str:
    """What all names begin with, letter by letter."""
    low, high = min(names), max(names)
    same = next(
        (k for k, (a, b) in enumerate(zip(low, high, strict=False)) if a != b),
        min(len(low), len(high)),
    )
    return low[:same]


def _capitals(names: Sequence[str], common: str) -> bool:
    """Whether what follows begins like a new word."""
    return bool(common) and all(
        n[len(common) :][:1].isupper() or n[len(common) :][:1].isdigit() for n in names
    )


def _uneven(names: Sequence[str]) -> tuple[str, ...]:
    """Names that do not begin as most of them do."""
    begin = [re.match(r"[^\W\d_]*[\W_]*", n) for n in names]
    heads = [
        m[0] if m is not None and len(m[0]) < len(n) else ""
        for m, n in zip(begin, names, strict=True)
    ]
    usual = max(set(heads), key=heads.count)
    others = [n for n, h in zip(names, heads, strict=True) if h != usual]
    if not usual or len(names) < 4 or not 0 < len(others) <= len(names) / 3:
        return ()
    return (f"written another way than the rest: {', '.join(f'“{n}”' for n in others[:4])}",)


def said_by(tokens: Sequence[str]) -> Pose | None:
    """What words say of a mouth: the rule with most of its words among them."""
    best: tuple[int, Pose] | None = None
    joined = set(tokens) | {"".join(tokens)}
    for words, pose in _rules():
        if words <= joined and (best is None or len(words) > best[0]):
            best = len(words), pose
    return dict(best[1]) if best is not None else None


def _in_a_row(own: Sequence[Sequence[str]]) -> list[int] | None:
    """Places in the chart of single letters from a on, or of numbers, with hardly a gap."""
    last = [x[-1] for x in own if x]
    if len(last) != len(own) or len(set(last)) != len(last) or len(last) < 2:
        return None
    if all(re.fullmatch("[a-z]", t) for t in last):
        places = [ord(t) - ord("a") for t in last]
    elif all(t.isdigit() and len(t) < 7 for t in last):
        lowest = min(int(t) for t in last)
        places = [int(t) - lowest for t in last]
    else:
        return None
    return places if 0 in places and max(places) < len(places) + LEFT_OUT else None


@cache
def _rules() -> tuple[tuple[frozenset[str], Pose], ...]:
    found = []
    for row in rows("mouth_words.csv"):
        pose = {k: float(v) for k, v in (x.split("=") for x in row["pose"].split(";"))}
        found += [(frozenset(plain(w).split()), pose) for w in row["words"].split(";")]
    return tuple(found)


def in_number(count: int) -> str:
    """A small number in words."""
    words = "no one two three four five six seven eight nine ten eleven twelve".split()
    return words[count] if count < len(words) else str(count)


def short_names(names: Sequence[str]) -> dict[str, str]:
    """Names without what all of them begin with."""
    before = _before(names)
    return {n: n[len(before) :] or n for n in names}
