"""Proof: lines looked through by all checks."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from ..errors import GlyphosError
from ..motion.curve import Motion
from ..production.documents import Line
from ..production.production import Production
from . import character, hearing, keeping, life, mouth  # noqa: F401  (they make themselves known)
from .finding import CHECKS, SEVERITIES, Finding
from .subject import Subject

NEAR = 0.1  # seconds by which a finding may move and still be the same


def proofed(
    line: Line, production: Production, fps: Fraction, *, motion: Motion | None = None
) -> list[Finding]:
    """What is found in a line, by time and gravity. motion: in place of what would be performed."""
    who = production.character_for(line.speaker)
    model = production.model_path(who) if who.drawings is None else ""
    subject = Subject(line, production.audio_path(line), production.folder, fps, motion, who, model)
    found: list[Finding] = []
    for check in CHECKS.values():
        if not check.unheard and not subject.heard:
            continue
        try:
            made = list(check.run(subject))
        except GlyphosError as error:  # what keeps a check from looking is a finding itself
            made = [("bad", str(error), 0.0, 0.0, 0.0)]
        found += [
            Finding(check.name, check.family, severity, text, line.slug, round(start, 3), round(end, 3), round(value, 4))
            for severity, text, start, end, value in made
        ]  # fmt: skip
    found = [msgspec.structs.replace(f, accepted=_reason(line, f)) for f in found]
    once = {(f.text, f.start): f for f in found}
    return sorted(once.values(), key=lambda f: (f.start, -SEVERITIES.index(f.severity)))


def _reason(line: Line, finding: Finding) -> str:
    """Why a finding may stay; "" if nobody said so. It may have moved a little since."""
    for own in line.accepted:
        near = own.start <= finding.end + NEAR and finding.start <= own.end + NEAR
        if own.check == finding.check and near:
            return own.reason or "accepted"
    return ""
