"""What Proof has found, line by line, as long as the lines are as they were when it looked."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import msgspec
from PySide6.QtCore import QObject, Signal

from ...errors import EditError
from ...production.documents import Accepted, Line
from ...production.kinds import HEAD, Key, character_key, kinds_of, line_key
from ...proof.finding import SEVERITIES, Finding
from ..drawing.words import counted
from .current import Current
from .document import Document
from .jobs import Jobs, Told, same

NAME, ALL = "proof", "proof all"
NEAR = 0.1  # seconds


@dataclass(frozen=True)
class _Looked:
    """Findings and what they were found in."""

    findings: list[Finding]
    of: tuple[object, ...]


class Proofing(QObject):
    """Looks through lines in the background; mends and accepts as steps of the document."""

    changed = Signal(object)  # slugs of lines that are found other than before

    def __init__(self, document: Document, current: Current, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._current, self._jobs = document, current, jobs
        self._found: dict[str, _Looked] = {}
        self._written: Counter[str] = Counter()  # how often files of a line were
        document.opened.connect(self._forget)
        document.changed.connect(self._follow)

    def _forget(self) -> None:
        self._found.clear()
        self.changed.emit(frozenset())

    def _follow(self, keys: frozenset[Key]) -> None:
        slugs = frozenset(s for kind, s in keys if kind == "line" and s in self._found)
        if HEAD in keys or "character" in kinds_of(keys):
            slugs = frozenset(self._found)
        if slugs and self._document.previewed is None:
            self.changed.emit(slugs)

    # ---- what is known ------------------------------------------------------------------------

    def made_of(self, slug: str) -> tuple[object, ...]:
        """What findings in a line depend on; the values themselves, since they are compared by identity."""
        line = self._document.kept_line(slug)
        production = self._document.production
        who = production.character_for(line.speaker) if line is not None else None
        kept = production.values.get(character_key(who.slug)) if who is not None else None
        return line, production.header.fps, kept, str(self._document.folder), self._written[slug]

    def of(self, slug: str) -> list[Finding] | None:
        """What is found in a line as it is; None if it was not looked through."""
        known = self._found.get(slug)
        if known is None:
            return None
        return known.findings if same(known.of, self.made_of(slug)) else None

    def open_in(self, slug: str) -> list[Finding]:
        """What nobody accepted of it."""
        return [f for f in self.of(slug) or () if not f.accepted]

    def worst(self, slug: str) -> tuple[str, int] | None:
        """The gravest severity of what is open in a line, and how many of it there are; ("", 0) if there is
        nothing; None if it was not looked through."""
        if self.of(slug) is None:
            return None
        own = [f.severity for f in self.open_in(slug)]
        if not own:
            return "", 0
        worst = max(own, key=SEVERITIES.index)
        return worst, own.count(worst)

    def next_line(self, after: str) -> str:
        """The next line with something bad or poor, round the production; "" if there is none."""
        slugs = list(self._document.production.slugs)
        at = slugs.index(after) + 1 if after in slugs else 0
        for slug in (*slugs[at:], *slugs[:at]):
            if slug != after and any(f.severity != "note" for f in self.open_in(slug)):
                return slug
        return ""

    # ---- looking ------------------------------------------------------------------------------

    def look(self, slug: str) -> None:
        """Look through one line, unless that was done."""
        line = self._document.kept_line(slug)
        if line is None or self.of(slug) is not None:
            return
        production, fps, wish = self._document.production, Fraction(self._current.fps), self.made_of(slug)  # fmt: skip

        def work(_: Told) -> list[Finding]:
            from ...batch.proofs import proof_many  # here, since it brings the solvers with it

            return proof_many(production, [line], fps, workers=1)[slug]

        self._jobs.submit(
            "Looking through the line", work, lambda found: self._take(slug, found, wish), name=NAME, quiet=True,
            instead=True, inputs=lambda: self.made_of(slug), again=lambda: self.look(slug),
        )  # fmt: skip

    def look_all(self, ended: Callable[[int], object]) -> None:
        """Look through all lines, in processes; `ended` hears how many things are open."""
        production, fps = self._document.production, Fraction(self._current.fps)
        lines = list(production.lines)
        made_of = {x.slug: self.made_of(x.slug) for x in lines}

        def work(told: Told) -> dict[str, list[Finding]]:
            from ...batch.proofs import proof_many

            return proof_many(production, lines, fps, progress=told)

        def apply(found: dict[str, list[Finding]]) -> None:
            for slug, findings in found.items():
                if slug:
                    self._found[slug] = _Looked(findings, made_of[slug])
            self.changed.emit(frozenset(found))
            ended(sum(len(self.open_in(s)) for s in found))

        self._jobs.submit(f"Looking through {len(lines)} lines", work, apply, name=ALL)

    def _take(self, slug: str, found: list[Finding], made_of: tuple[object, ...]) -> None:
        self._found[slug] = _Looked(found, made_of)
        self.changed.emit(frozenset({slug}))

    def written(self, slugs: Iterable[str]) -> None:
        """Files of lines were handed over: what was found is not known any more."""
        self._written.update(slugs := frozenset(slugs))
        if slugs:
            self.changed.emit(slugs)

    # ---- doing --------------------------------------------------------------------------------

    def mendable(self, finding: Finding) -> bool:
        """Whether there is something that can be tried."""
        from ...handoff.looking import by_handing
        from ...proof.mending import mendable

        return mendable(finding) or by_handing(finding)

    def mend(self, finding: Finding, done: Callable[[str], object]) -> None:
        """Find the smallest change that makes a finding go away, and make it: one step. `done` hears its name."""
        from ...batch.listening import listened
        from ...handoff.looking import by_handing
        from ...proof.mending import Mend, mend

        if by_handing(finding):
            self._hand_again(finding, done)
            return
        production, fps = self._document.production, Fraction(self._current.fps)

        def work(told: Told) -> Mend:
            return mend(production, finding, fps, listened, progress=told)

        def apply(made: Mend) -> None:
            self._document.change(made.name, made.changes)
            done(made.name)

        self._jobs.submit(
            "Looking for a mend", work, apply, name="mend", inputs=lambda: self.made_of(finding.line),
            again=lambda: self.mend(finding, done),
        )  # fmt: skip

    def _hand_again(self, finding: Finding, done: Callable[[str], object]) -> None:
        from ...handoff.handed import again

        production, fps, slug = self._document.production, Fraction(self._current.fps), finding.line

        def work(told: Told) -> int:
            return len(again(production, slug, fps, progress=told))

        def apply(count: int) -> None:
            done(f"Handed over again ({counted(count, 'file')})")

        self._jobs.submit(
            "Handing over again", work, apply, name="mend", ended=lambda _: self.written([slug]), inputs=lambda: self.made_of(slug),
            again=lambda: self._hand_again(finding, done),
        )  # fmt: skip

    def accept(self, finding: Finding, reason: str) -> None:
        """Let a finding stay, and keep why."""
        line = self._line(finding)
        kept = Accepted(finding.check, finding.start, finding.end, reason.strip())
        self._put("Accept a finding", line, (*line.accepted, kept))

    def look_again(self, finding: Finding) -> None:
        """Take back that a finding may stay."""
        line = self._line(finding)
        left = [
            a for a in line.accepted
            if a.check != finding.check or a.start > finding.end + NEAR or finding.start > a.end + NEAR
        ]  # fmt: skip
        self._put("Look at a finding again", line, left)

    def _line(self, finding: Finding) -> Line:
        line = self._document.kept_line(finding.line)
        if line is None:
            raise EditError("The line of this finding is gone.")
        return line

    def _put(self, step: str, line: Line, accepted: Sequence[Accepted]) -> None:
        changed = msgspec.structs.replace(line, accepted=tuple(accepted))
        self._document.change(step, {line_key(line.slug): changed})
