"""Folders of recordings for jobs, and what became of them."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from glyphos.batch.engine import Here
from glyphos.batch.job import Outcome
from glyphos.batch.recipe import Recipe
from glyphos.batch.running import Run, needed_by, run_batch
from glyphos.batch.task import work
from glyphos.hands.crew import Limits
from glyphos.production.production import Production
from tests.batch.doing import quick

DATA = Path(__file__).parents[1] / "data"


class Jobs(unittest.TestCase):
    """A source, a target and an engine."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.source, self.target = self.folder / "in", self.folder / "out"
        self.source.mkdir()
        self.heard: list[Outcome] = []

    def sounds(self, *names: str) -> None:
        """Short recordings with texts, by name, each different."""
        for number, name in enumerate(names):
            wave = 0.1 * np.sin(np.arange(8000) * (0.05 + 0.001 * number))
            soundfile.write(self.source / f"{name}.wav", wave, 16_000)
            (self.source / f"{name}.txt").write_text(f"Words of {name}.")

    def spoken(self, *stems: str) -> None:
        """Real speech with its texts."""
        for stem in stems:
            for ending in (".flac", ".txt"):
                shutil.copy(DATA / f"{stem}{ending}", self.source)

    _shared: dict[object, Here] = {}

    @classmethod
    def tearDownClass(cls) -> None:
        for made in cls._shared.values():
            made.close(now=True)
        cls._shared.clear()

    def usual(self) -> Here:
        """An engine without limits that the tests of a class share: a process takes a second to begin."""
        return self._shared.get(quick) or self._shared.setdefault(quick, Here(2, doing=quick))

    def real(self) -> Here:
        """One that really listens and performs; shared too, as its processes know the models by then."""
        made = self._shared.get(work)
        return made or self._shared.setdefault(
            work, Here(2, doing=work, loaded=needed_by(Recipe()))
        )

    def engine(self, workers: int = 2, doing: Callable[[bytes, Sequence[str]], bytes] = quick, *,
               loaded: Sequence[str] = (), **limits: float) -> Here:  # fmt: skip
        made = Here(workers, Limits(**limits), doing, loaded)
        self.addCleanup(lambda: made.close(now=True))
        return made

    def run_job(self, recipe: Recipe | None = None, engine: Any = None, *, resume: bool = False, **more: Any) -> Run:  # fmt: skip
        self.heard = []
        return run_batch(self.source, self.target, recipe or Recipe(), engine or self.usual(), resume=resume,
                         each=self.heard.append, **more)  # fmt: skip

    def states(self, run: Run) -> dict[str, str]:
        return {o.line.slug: o.state for o in run.outcomes}

    @property
    def made(self) -> Production:
        return Production.open(self.target)

    def files(self) -> dict[str, bytes]:
        """All that was handed over and drawn."""
        return {
            str(p.relative_to(self.target)): p.read_bytes()
            for place in ("handoff", "mouths") for p in sorted((self.target / place).rglob("*"))
            if p.is_file() and p.name[0] != "."
        }  # fmt: skip
