"""The rows of a report, and how much each line is in doubt."""

from __future__ import annotations

from dataclasses import dataclass

from ...proof.finding import Finding
from ..job import Outcome

WEIGHT = {"bad": 100.0, "poor": 10.0, "note": 1.0}
FAILED = 10_000.0
LEAST = 1.0  # minute of a recording that findings are counted against, at least


@dataclass(frozen=True)
class Row:
    """A line in the report. doubt: what is found in it, the graver the more, a minute of speech; failed lines
    come before all others."""

    outcome: Outcome
    doubt: float
    open: tuple[Finding, ...]  # findings nobody accepted

    def count(self, severity: str) -> int:
        return sum(f.severity == severity for f in self.open)


def row_of(outcome: Outcome) -> Row:
    """The row of a line."""
    found = tuple(f for f in outcome.findings if not f.accepted)
    weight = sum(WEIGHT[f.severity] for f in found)
    doubt = weight / max(LEAST, outcome.line.duration / 60)
    if outcome.line.reading is not None:
        words = list(outcome.line.reading.words())
        unsure = sum(1 - w.confidence for w in words) / max(1, len(words))
        doubt += unsure  # among lines without findings, the surer ones come last
    return Row(outcome, round(doubt + FAILED * (outcome.state == "failed"), 3), found)


def rows_of(outcomes: list[Outcome]) -> list[Row]:
    """Those in most doubt first."""
    return sorted(map(row_of, outcomes), key=lambda r: (-r.doubt, r.outcome.line.slug))
