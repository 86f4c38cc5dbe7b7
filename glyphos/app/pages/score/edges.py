"""Edges found again in the background after a correction, as part of the step that asked for it.

Several corrections made quickly are served together. What is done meanwhile to the same reading
makes it begin anew on what is there then.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer

from ....production.carrying import reread
from ....production.documents import Line
from ....production.kinds import line_key
from ....speech.reading import Reading
from ...model.context import Context

Window = tuple[float, float]
REST = 100  # milliseconds without another correction until edges are found


@dataclass(frozen=True)
class _Wanted:
    step: int
    windows: tuple[Window, ...]


class EdgeFinder(QObject):
    """Windows are stretches (start, end) of a line in seconds."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self._wanted: dict[str, list[_Wanted]] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(REST)
        self._soon.timeout.connect(self._begin_all)
        context.derived.evidence_ready.connect(lambda _: self._soon.start())
        context.document.opened.connect(self._wanted.clear)

    @property
    def busy(self) -> bool:
        """Whether edges are being found, or are to be."""
        return bool(self._wanted)

    def find(self, slug: str, step: int | None, windows: Sequence[Window]) -> None:
        """Find the unpinned edges of these stretches again, as part of a step."""
        if step is not None and windows:
            self._wanted.setdefault(slug, []).append(_Wanted(step, tuple(windows)))
            self._soon.start()

    def _begin_all(self) -> None:
        for slug in list(self._wanted):
            self._begin(slug)

    def _begin(self, slug: str) -> None:
        line = self._c.document.kept_line(slug)
        wanted = [w for w in self._wanted.get(slug, ()) if self._c.document.history.find(w.step)]
        if line is None or line.reading is None or not wanted:
            self._wanted.pop(slug, None)
            return
        evidence = self._c.derived.evidence(line)
        name = f"edges {slug}"
        if evidence is None:
            if not self._c.derived.source(line)[3]:  # the recording is away
                self._wanted.pop(slug, None)
            return
        if self._c.jobs.find(name) is not None:
            return
        asked, windows = line.reading, [x for w in wanted for x in w.windows]

        def work(_: object) -> Reading:
            from ....speech.realign import realign

            return realign(asked, evidence, windows)

        self._c.jobs.submit(
            "Finding edges", work, lambda made: self._found(slug, wanted, asked, made), name=name, quiet=True,
            inputs=self._made_of(slug), again=lambda: self._begin(slug),
            ended=lambda problem: self._ended(slug, problem),
        )  # fmt: skip

    def _made_of(self, slug: str) -> Callable[[], object]:
        def look() -> object:
            line = self._c.document.kept_line(slug)
            return line and (line.reading, line.audio, line.channel)

        return look

    def _found(self, slug: str, served: list[_Wanted], asked: Reading, made: Reading) -> None:
        self._wanted[slug] = [w for w in self._wanted.get(slug, ()) if w not in served]
        if made.phrases != asked.phrases:

            def patch(line: Line | None) -> Line | None:
                if line is None or line.reading is not asked:
                    return line
                return reread(line, made)

            self._c.document.amend(served[-1].step, {line_key(slug): patch})

    def _ended(self, slug: str, problem: str) -> None:
        if problem or not self._wanted.get(slug):
            self._wanted.pop(slug, None)
        else:
            self._begin(slug)
