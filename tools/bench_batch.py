"""Figures of many lines and of the Booth, for `make bench`."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))
sys.path.insert(0, str(ROOT / "tools"))
COUNT = 60
DATA = ROOT / "tests" / "data"


def batch() -> None:
    """Lines of 5 s through all steps on two cores; looking after them; Proof of them."""
    from fractions import Fraction

    import many

    from glyphos.batch.engine import Here
    from glyphos.batch.proofs import proof_many
    from glyphos.batch.recipe import Recipe
    from glyphos.batch.running import run_batch
    from glyphos.production.production import Production
    from tests.batch.doing import quick

    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder) / "in", Path(folder) / "out"
        many.make(source, COUNT)
        engine = Here(2)
        began = time.perf_counter()
        run = run_batch(source, target, Recipe(), engine)
        spent = time.perf_counter() - began
        engine.close(now=False)
        print(f"batch: {COUNT} lines of {sum(o.line.duration for o in run.outcomes) / COUNT:.1f} s listened to, performed, "
              f"proofed and handed over on two cores in {spent:.1f} s: {2 * run.seconds / run.cpu:.2f} × the sum of the "
              f"single lines divided by two; a line takes {run.cpu / COUNT:.2f} s of a core")  # fmt: skip
        engine = Here(2, doing=quick)
        began = time.process_time()
        run_batch(source, Path(folder) / "quick", Recipe(), engine)
        print(
            f"  looking after a line takes {1000 * (time.process_time() - began) / COUNT:.1f} ms of the asking process"
        )
        engine.close(now=False)
        shown = Production.open(target)
        began = time.perf_counter()
        proof_many(shown, shown.lines, Fraction(24), workers=2)
        spent = time.perf_counter() - began
        print(
            f"Proof: {1000 * spent / COUNT:.0f} ms a line on two cores (with 2 s for their start), {sum(1 for _ in shown.lines)} lines"
        )


def booth() -> None:
    """A placeholder voice: from asking to sound."""
    from glyphos.speech.saying import say

    say("Hello.")
    texts = (
        "Probably the wind, Osric.",
        "The beam is out again. Somebody moved my map.",
        "Not me. I was wiping my boots.",
    )
    took = []
    for text in texts * 5:
        began = time.perf_counter()
        say(text)
        took.append(1000 * (time.perf_counter() - began))
    print(
        f"placeholder voice: sound and times of a line in {np.median(took):.0f} ms, 95 % within {np.percentile(took, 95):.0f}"
    )
