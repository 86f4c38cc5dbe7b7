"""What is found in a line: where, how grave, in one sentence, with the value that was measured."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, Protocol

import msgspec

if TYPE_CHECKING:
    from .subject import Subject

Severity = Literal["note", "poor", "bad"]
SEVERITIES: tuple[Severity, ...] = ("note", "poor", "bad")
Family = Literal["hearing", "mouth", "character", "life", "keeping", "handing"]


class Finding(msgspec.Struct, frozen=True):
    """One of them. start, end: seconds of the recording; value: what was measured, in the check's unit."""

    check: str
    family: Family
    severity: Severity
    text: str
    line: str = ""
    start: float = 0.0
    end: float = 0.0
    value: float = 0.0
    accepted: str = ""  # why it may stay, if a person says so


Found = Iterator[tuple[Severity, str, float, float, float]]  # severity, sentence, start, end, value


@dataclass(frozen=True)
class Check:
    """A rule. about: what it looks for; source: where its limits come from; unheard: whether it looks at lines
    that were not listened to, too."""

    name: str
    family: Family
    about: str
    source: str
    run: Callable[[Subject], Found]
    unheard: bool = False


class Rule(Protocol):
    """What is known of any check."""

    @property
    def name(self) -> str: ...
    @property
    def family(self) -> Family: ...


def found_by(
    rule: Rule, line: str, severity: Severity, text: str, start: float, end: float, value: float
) -> Finding:
    """What a rule found, as it is kept and sent: plain numbers, whatever kind of number was measured."""
    at, to, measured = round(float(start), 3), round(float(end), 3), round(float(value), 4)
    return Finding(rule.name, rule.family, severity, text, line, at, to, measured)


CHECKS: dict[str, Check] = {}


def check(
    name: str, family: Family, about: str, source: str, *, unheard: bool = False
) -> Callable[[Callable[[Subject], Found]], Callable[[Subject], Found]]:
    """Make a function one of the checks."""

    def take(run: Callable[[Subject], Found]) -> Callable[[Subject], Found]:
        CHECKS[name] = Check(name, family, about, source, run, unheard)
        return run

    return take


def gravest(findings: list[Finding]) -> Severity | None:
    """The worst there is of what nobody accepted."""
    return max((f.severity for f in findings if not f.accepted), key=SEVERITIES.index, default=None)
