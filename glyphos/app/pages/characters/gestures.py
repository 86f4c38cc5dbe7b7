"""What the page shows of a fitting: a row for every gesture, what wears it and how far off it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ....characters.fittings import OPPOSITE

if TYPE_CHECKING:  # it brings all of the solver with it, which the first window does not need
    from ....characters.dressing import Dressed

MEANT: dict[str, Mapping[str, float]] = {
    "jaw_open": {"jaw_open": 0.8, "lips_part": 0.8},
    "lips_part": {"lips_part": 0.8},
    "lips_wide": {"lips_wide": 1.0, "lips_part": 0.25},
    "lips_wide" + OPPOSITE: {"lips_wide": -1.0, "lips_part": 0.25},
    "lips_round": {"lips_round": 1.0, "lips_part": 0.25, "jaw_open": 0.1},
    "lips_press": {"lips_press": 1.0},
    "lip_to_teeth": {"lip_to_teeth": 1.0, "lips_part": 0.1},
    "upper_lip_raise": {"upper_lip_raise": 1.0, "lips_part": 0.3},
    "tongue_tip": {"tongue_tip": 1.0, "jaw_open": 0.4, "lips_part": 0.6},
    "tongue_between_teeth": {"tongue_between_teeth": 1.0, "jaw_open": 0.25, "lips_part": 0.5},
    "tongue_front": {"tongue_front": 1.0, "jaw_open": 0.5, "lips_part": 0.7},
    "tongue_front" + OPPOSITE: {"tongue_front": -1.0, "jaw_open": 0.5, "lips_part": 0.7},
    "tongue_high": {"tongue_high": 1.0, "jaw_open": 0.5, "lips_part": 0.7},
}
TARGETS = {"lips_wide" + OPPOSITE: "lips_narrow", "tongue_front" + OPPOSITE: "tongue_back"}
DOUBTFUL = 20  # per cent off, from which a gesture needs a look
LEAST = 0.05  # of a channel that is counted as wearing a gesture


@dataclass(frozen=True)
class GestureRow:
    """One gesture on one head. worn: its channels and how much of each. off: per cent of what is
    meant that is not shown. by_hand: a person set it."""

    gesture: str
    worn: Mapping[str, float]
    off: int
    why: str
    by_hand: bool = False

    @property
    def title(self) -> str:
        return titled(self.gesture)

    @property
    def doubtful(self) -> bool:
        return self.off >= DOUBTFUL and not self.by_hand

    @property
    def wearers(self) -> str:
        """Its channels in words."""
        return " · ".join(self.worn) if self.worn else "nothing"


def titled(gesture: str) -> str:
    """A gesture in words."""
    return {
        "lips_wide" + OPPOSITE: "lips narrow", "tongue_front" + OPPOSITE: "tongue back",
    }.get(gesture, gesture.replace("_", " "))  # fmt: skip


def rows_of(dressed: Dressed) -> list[GestureRow]:
    """Every gesture of speech, what needs a look first."""
    fit, fitting = dressed.fit, dressed.fitting
    found = []
    for gesture in MEANT:
        if fit is None:
            found.append(
                GestureRow(
                    gesture, {gesture.removesuffix(OPPOSITE): 1.0}, 0, "the head says so itself"
                )
            )
            continue
        target = TARGETS.get(gesture, gesture)
        if gesture in fitting.by_hand:
            found.append(
                GestureRow(
                    gesture,
                    fitting.by_hand[gesture],
                    _off(fit.shown.get(target, 0.0)),
                    "set by hand",
                    True,
                )
            )
            continue
        weights = fit.pose[target]
        order = sorted(range(len(weights)), key=lambda k: -weights[k])[:4]
        worn = {fit.channels[k]: round(float(weights[k]), 2) for k in order if weights[k] > LEAST}
        first = next(iter(worn), "")
        named = next((v.named for v in fit.votes if v.channel == first), None)
        by_name = (
            f"; its name says so: {named.reason}"
            if target in fit.own and named and named.known
            else ""
        )
        how = "its own channel" if target in fit.own else "the nearest mixture"
        found.append(
            GestureRow(gesture, worn, _off(fit.shown[target]), f"{how}, by its shape{by_name}")
        )
    return sorted(found, key=lambda r: (not r.doubtful, list(MEANT).index(r.gesture)))


def _off(shown: float) -> int:
    return round(100 * (1 - min(1.0, max(0.0, shown))))


def channels_said(dressed: Dressed) -> dict[str, str]:
    """What is known of each channel, in words."""
    votes = {v.channel: v for v in dressed.fit.votes} if dressed.fit is not None else {}
    found = {}
    for channel in dressed.head.channels:
        vote = votes.get(channel)
        if vote is None:
            found[channel] = "played as the head says"
        elif vote.verdict == "disagree":
            found[channel] = (
                f"by its name {vote.named.gesture}, by its shape {vote.gesture}: they disagree"
            )
        elif vote.named.known:
            found[channel] = (
                f"{vote.named.gesture or 'a sound'} by its name ({vote.named.reason}); shape {vote.verdict}s"
                if vote.verdict == "agree"
                else f"{vote.named.gesture or 'a sound'} by its name ({vote.named.reason}); {vote.verdict}"
            )
        elif vote.gesture:
            found[channel] = (
                f"looks like {vote.gesture.replace('_', ' ')} (likeness {vote.likeness})"
            )
        else:
            found[channel] = "nothing that is measured moves with it"
    return found


def mirrored(channels: Sequence[str]) -> dict[str, str]:
    """Left channels to right ones, by what their names say."""
    from ....characters.fitting.names import match_names

    sides: dict[tuple[str, ...], dict[str, str]] = {}
    for named in match_names(channels):
        for side in ("left", "right"):
            if named.reason.endswith(f"the character's {side}"):
                stem = tuple(sorted(k.removesuffix(f"_{side}") for k in named.pose))
                sides.setdefault(stem, {})[side] = named.name
    return {v["left"]: v["right"] for v in sides.values() if len(v) == 2}
