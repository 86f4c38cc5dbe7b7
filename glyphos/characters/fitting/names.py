"""What a channel is, by its name alone: tokens to ideas to gestures, each with a reason in words.

The table is `data/channel_words.csv`: words in several languages, letters for sounds (IPA; ISO/IEC
14496-2; VRM 1.0), numbers of action units (FACS).
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache

from ...tables import rows
from ..channels import face_channels

PoseValues = dict[str, float]
SIDES = {
    "l": "left", "left": "left", "links": "left", "linke": "left", "linker": "left", "sinistra": "left",
    "sinistro": "left", "sx": "left", "lt": "left", "lf": "left", "izquierda": "left", "izquierdo": "left",
    "izq": "left", "gauche": "left",
    "r": "right", "right": "right", "rechts": "right", "rechte": "right", "rechter": "right",
    "destra": "right", "destro": "right", "dx": "right", "rt": "right", "derecha": "right",
    "derecho": "right", "der": "right", "droite": "right", "droit": "right",
}  # fmt: skip
VISEME = {
    "viseme",
    "vis",
    "visema",
    "visem",
    "visemes",
    "phoneme",
    "phonem",
    "fonema",
    "v",
    "ph",
    "sound",
    "suono",
    "laut",
    "mouth",
    "mund",
    "bocca",
    "boca",
}
NUMBERED = VISEME - {"mouth", "mund", "bocca", "boca"}
UNITS = {"au", "facs", "actionunit", "unit"}
CORRECTIVES = {"fix", "guard", "corrective", "correction", "corr", "combo", "inbetween"}
SURE, SPELT, CLOSE = 0.5, 82, 4  # least certainty; likeness of spelling, and its shortest word
MOSTLY = 0.85  # of all names share a token that then says nothing


@dataclass(frozen=True)
class Named:
    """What a name says: values of our channels (`shut`: lips met over any jaw), how certain (0..1),
    and why. whole: it is a mouth for a sound, not one gesture."""

    name: str
    pose: PoseValues = field(default_factory=dict)
    certain: float = 0.0
    reason: str = "no word of it is known"
    whole: bool = False

    @property
    def known(self) -> bool:
        return self.certain >= SURE

    @property
    def gesture(self) -> str:
        """The strongest of its channels, "" if it has none."""
        return max(self.pose, key=lambda k: abs(self.pose[k]), default="")


@dataclass(frozen=True)
class _Table:
    words: dict[str, tuple[str, str]]  # token to idea and source
    rules: tuple[tuple[Counter[str], PoseValues], ...]
    sounds: dict[str, tuple[PoseValues, str]]
    visemes: dict[int, tuple[str, str]]
    units: dict[int, tuple[PoseValues, str]]


@cache
def _table() -> _Table:
    words, sounds, visemes, units, rules = {}, {}, {}, {}, []
    for r in rows("channel_words.csv"):
        kind, means, source = r["kind"], r["means"], r["source"]
        tokens = r["token"].split() if kind in ("word", "sound") else [r["token"]]
        for token in tokens:
            if kind == "word":
                words[plain(token)] = means, source
            elif kind == "sound":
                sounds[token] = _pose(means), source
            elif kind == "viseme":
                visemes[int(token)] = means, source
            elif kind == "au":
                units[int(token)] = _pose(means), source
            else:
                rules.append((Counter(token.split()), _pose(means)))
    rules.sort(key=lambda rule: (-sum(rule[0].values()), "corner" not in rule[0]))
    return _Table(words, tuple(rules), sounds, visemes, units)


def _pose(text: str) -> PoseValues:
    return {k: float(v) for k, v in (x.split("=") for x in text.split(";") if x)}


def plain(token: str) -> str:
    """Without accents; letters of IPA stay."""
    parts = unicodedata.normalize("NFKD", token.lower())
    return "".join(c for c in parts if not unicodedata.combining(c)).replace("ß", "ss")


def single(token: str) -> str:
    """A doubled letter counted once."""
    return re.sub(r"(.)\1+", r"\1", token)


def tokens_of(name: str) -> list[str]:
    """A name in tokens: by case, digits, signs and spaces."""
    text = re.sub(r"([a-zà-ÿ])([A-Z])", r"\1 \2", name)
    text = re.sub(r"([A-Z]+)([A-Z][a-z])", r"\1 \2", text)
    text = re.sub(r"(\d+)", r" \1 ", text)
    return [plain(t) for t in re.split(r"[\W_]+", text) if t]


def shared_tokens(lists: Sequence[Sequence[str]]) -> set[str]:
    """Tokens at the front or back of nearly all names; they say nothing."""
    found: set[str] = set()
    for end in (0, -1):
        for _ in range(3):
            left = [[t for t in x if t not in found] for x in lists]
            count = Counter(x[end] for x in left if len(x) > 1)
            token, number = count.most_common(1)[0] if count else ("", 0)
            if number >= max(4, MOSTLY * len(lists)) and token not in SIDES:
                found.add(token)
    return found


def match_names(names: Sequence[str]) -> list[Named]:
    """What each name says; the names of one head together, since they share what says nothing."""
    return list(_matched(tuple(names)))


@lru_cache(16)
def _matched(names: tuple[str, ...]) -> tuple[Named, ...]:
    lists = [tokens_of(n) for n in names]
    dropped = shared_tokens(lists)
    return tuple(_match(n, t, dropped) for n, t in zip(names, lists, strict=True))


def _match(name: str, tokens: list[str], dropped: set[str]) -> Named:
    if CORRECTIVES & set(tokens):
        return Named(name, reason="by its name it corrects others, and is no gesture")
    side, left = _side([t for t in tokens if t not in dropped])
    numbers = [int(t) for t in left if t.isdigit() and len(t) < 4]
    words = [t for t in left if not t.isdigit()]
    around = set(words) | dropped
    table = _table()
    pose: PoseValues | None = None
    certain, whole, reasons = 0.0, False, []
    if numbers and around & UNITS and numbers[0] in table.units:
        values, source = table.units[numbers[0]]
        pose, certain = values, 0.95
        reasons.append(f"action unit {numbers[0]} ({source})")
    elif _is_viseme(numbers, words, around):
        sound, source = table.visemes[numbers[0]]
        pose = table.sounds[sound][0] if sound else {}
        certain, whole = 0.8, True
        reasons.append(f"number {numbers[0]} ({source}); a file may count otherwise")
    else:
        short = [t for t in words if t not in VISEME | {"lip", "lips"}]
        sound = _sound_of(short)
        if sound:
            values, source = table.sounds[sound]
            pose, certain, whole = values, 0.9 if len(short) == len(words) else 0.85, True
            reasons.append(f"sound “{sound}” ({source})")
        else:
            pose, certain, reasons = _by_words([t for t in words if t not in NUMBERED] or words)
    if pose is None:
        return Named(
            name,
            reason="; ".join([*reasons, "no gesture follows"])
            if reasons
            else "no word of it is known",
        )
    if side:
        reasons.append(f"the character's {side}")
    return Named(name, _sided(pose, side), round(certain, 2), "; ".join(reasons), whole)


def _sound_of(tokens: list[str]) -> str:
    """The sound that tokens stand for: one letter or more, or several letters of one group."""
    table = _table()
    if len(tokens) == 1:
        token = tokens[0]
        if token in table.words:
            return ""
        for t in (token, single(token)):
            if t in table.sounds:
                return t
        tokens = list(token) if len(token) <= 6 else []
    poses = [table.sounds[t][0] for t in tokens if t in table.sounds]
    alike = len(poses) == len(tokens) > 1 and all(p == poses[0] for p in poses)
    return tokens[0] if alike else ""


def _is_viseme(numbers: list[int], words: list[str], around: set[str]) -> bool:
    return bool(
        numbers and around & NUMBERED and numbers[0] in _table().visemes
        and not [t for t in words if t not in VISEME]
    )  # fmt: skip


def _side(tokens: list[str]) -> tuple[str, list[str]]:
    """The side that a name tells, at its end, its front or inside, and what is left."""
    if len(tokens) < 2:
        return "", tokens
    order = (len(tokens) - 1, 0, *range(1, len(tokens) - 1))
    for k in order:
        token = tokens[k]
        if token in SIDES and not (len(token) == 1 and set(tokens) & NUMBERED):
            return SIDES[token], tokens[:k] + tokens[k + 1 :]
    return "", tokens


def _by_words(tokens: list[str]) -> tuple[PoseValues | None, float, list[str]]:
    ideas: Counter[str] = Counter()
    certainties, reasons = [], []
    for token in tokens:
        found, certain, why = idea_of(token)
        ideas.update(found)
        certainties.append(certain if found else 0.3)
        if found:
            reasons.append(why)
    for wanted, pose in _table().rules:
        if all(ideas[k] >= n for k, n in wanted.items()):
            rest = sum(ideas.values()) - sum(wanted.values())
            if len(tokens) > 1 or certainties[0] > 0.3:
                reasons.append("together: " + " + ".join(wanted))
            known = [c for c in certainties if c > 0.3]
            unknown = len(certainties) - len(known)
            certain = (
                min(known, default=0.0)
                * (1 if not rest else 0.8)
                * (0.75 if unknown == 1 else 0.4 if unknown else 1)
            )
            return pose, certain, reasons
    return None, 0.0, reasons


@cache
def idea_of(token: str) -> tuple[tuple[str, ...], float, str]:
    """Ideas of one token: as it stands, with a doubled letter counted once, cut in two, by spelling."""
    words = _table().words
    if token in words:
        idea, source = words[token]
        return (idea,), 1.0, f"“{token}” is {idea} ({source})"
    for known, (idea, source) in words.items():
        if len(token) > 2 and single(known) == single(token):
            return (idea,), 0.95, f"“{token}” is “{known}”: {idea} ({source})"
    for cut in range(len(token) - 2, 2, -1):  # the longest beginning first
        front, back = token[:cut], token[cut:]
        if front in words and back in words:
            return (words[front][0], words[back][0]), 0.9, f"“{token}” is “{front}” and “{back}”"
    if len(token) >= 3:
        from rapidfuzz import fuzz, process  # late: it takes its time

        long = [k for k in words if len(k) >= CLOSE]
        near = (
            process.extractOne(token, long, scorer=fuzz.ratio, score_cutoff=SPELT)
            if len(token) >= CLOSE
            else None
        )
        if near is None:  # two letters that changed places
            near = next(
                (
                    (k, 82, 0)
                    for k in words
                    if len(k) == len(token) and sorted(k) == sorted(token) and k[0] == token[0]
                ),
                None,
            )
        if near is not None:
            idea = words[near[0]][0]
            return (idea,), 0.7, f"“{token}” is spelt like “{near[0]}”: {idea}"
    return (), 0.0, ""


def _sided(pose: PoseValues, side: str) -> PoseValues:
    made: PoseValues = {}
    known = face_channels()
    for channel, value in pose.items():
        if channel in known or channel == "shut":
            made[channel] = -value if channel == "jaw_side" and side == "left" else value
        else:
            for s in (side,) if side else ("left", "right"):
                made[f"{channel}_{s}"] = value
    return made
