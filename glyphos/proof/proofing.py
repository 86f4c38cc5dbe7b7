"""Proof: lines looked through by all checks."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import msgspec

from ..errors import GlyphosError
from ..motion.curve import Motion
from ..production.documents import Line
from ..production.production import Production
from . import character, hearing, keeping, life, mouth  # noqa: F401  (they make themselves known)
from .finding import CHECKS, SEVERITIES, Finding, found_by
from .subject import Subject

NEAR = 0.1  # seconds by which a finding may move and still be the same


@dataclass(frozen=True)
class Looked:
    """A line that was looked through: what is found, by time and gravity, and the drawings of mouths that show in
    it, if it is drawn."""

    findings: list[Finding]
    drawings: frozenset[str] = frozenset()


def proofed(
    line: Line, production: Production, fps: Fraction, *, motion: Motion | None = None,
    only: frozenset[str] | None = None,
) -> list[Finding]:  # fmt: skip
    """What is found in a line, by time and gravity. motion: in place of what would be performed; only: these
    checks."""
    return looked(line, production, fps, motion=motion, only=only).findings


def looked(
    line: Line, production: Production, fps: Fraction, *, motion: Motion | None = None,
    only: frozenset[str] | None = None,
) -> Looked:  # fmt: skip
    """As `proofed`, with the drawings that show."""
    who = production.character_for(line.speaker)
    model = production.model_path(who) if who.drawings is None else ""
    subject = Subject(line, production.audio_path(line), production.folder, fps, motion, who, model)
    found: list[Finding] = []
    for check in CHECKS.values():
        if (not check.unheard and not subject.heard) or (
            only is not None and check.name not in only
        ):
            continue
        try:
            made = list(check.run(subject))
        except GlyphosError as error:  # what keeps a check from looking is a finding itself
            made = [("bad", str(error), 0.0, 0.0, 0.0)]
        found += [found_by(check, line.slug, *one) for one in made]
    found = [marked(line, f) for f in found]
    once = {(f.text, f.start): f for f in found}
    drawn = subject.sheet if only is None and subject.heard else None
    shown = (
        frozenset(drawn.mouth(e).name for e in drawn.mouths) if drawn is not None else frozenset()
    )
    return Looked(
        sorted(once.values(), key=lambda f: (f.start, -SEVERITIES.index(f.severity))), shown
    )


def marked(line: Line, finding: Finding) -> Finding:
    """The finding with why it may stay, if a person said so. It may have moved a little since."""
    for own in line.accepted:
        near = own.start <= finding.end + NEAR and finding.start <= own.end + NEAR
        if own.check == finding.check and near:
            return msgspec.structs.replace(finding, accepted=own.reason or "accepted")
    return finding
