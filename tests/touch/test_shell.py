"""Touch-ups from the shell, kept with the line and handed over, together or each layer by itself."""

from __future__ import annotations

import csv
import tempfile
import unittest
from pathlib import Path

import msgspec
import numpy as np

from glyphos.characters.bvh import read_bvh
from glyphos.errors import EditError
from glyphos.motion.mood import MoodSpan
from glyphos.motion.touch.doing import done
from glyphos.motion.touch.shaping import Curve
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.production.store import Store
from tests.shell import invoke
from tests.voice.test_voice import line as demo

SLUG, CORNER = "03-pip-wind", "lip_corner_up_left"


class Shell(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = copy_demo(
            Path(self.enterContext(tempfile.TemporaryDirectory())) / "a.glyphos"
        )

    def run_it(self, *args: str, code: int = 0) -> str:
        ran = invoke([*args])
        self.assertEqual(ran.exit_code, code, (ran.output, ran.exception))
        return ran.output + str(ran.exception or "")

    def curves(self, name: str = "line.curves.csv", *more: str) -> dict[str, np.ndarray]:
        out = self.folder.parent / "out"
        self.run_it(
            "handoff", str(self.folder), "-o", str(out), "--line", SLUG, "--names", "line", *more
        )
        rows = list(csv.DictReader((out / name).read_text().splitlines()))
        return {k: np.array([float(r[k]) for r in rows]) for k in rows[0]}

    def test_a_smile_is_lifted_kept_and_handed_over(self) -> None:
        self.run_it(
            "touch", str(self.folder), SLUG, CORNER, "lift", "--by", "0.3", "--over", "0.5-1.5"
        )
        line = Production.open(self.folder).line(SLUG)
        self.assertEqual(
            [(t.channel, t.mode, t.what) for t in line.touches], [(CORNER, "add", "lift")]
        )
        made = self.curves()
        self.assertAlmostEqual(made[CORNER].max(), 0.3, places=3)
        np.testing.assert_array_less(made[CORNER][made["seconds"] > 1.7], 1e-9)
        self.run_it(
            "touch", str(self.folder), SLUG, CORNER, "lift", "--by", "0.1", "--over", "0.5-1.5"
        )
        self.assertEqual(
            len(Production.open(self.folder).line(SLUG).touches), 1
        )  # the same place: one
        self.assertIn("taken off", self.run_it("touch", str(self.folder), SLUG, CORNER, "clear"))
        self.assertNotIn(CORNER, self.curves())

    def test_everything_that_can_be_done(self) -> None:
        word = next(
            w.text.strip(".,!?") for w in Production.open(self.folder).line(SLUG).reading.words()
        )
        for what, more in (
            ("pull", ["--by", "0.2"]), ("scale", ["--by", "0.5", "--about", "mean"]), ("smooth", []),
            ("hold", ["--by", "0.2"]), ("ease", []), ("copy", ["--to", "cheeks_puff"]), ("fewer", ["--by", "2"]),
        ):  # fmt: skip
            said = self.run_it(
                "touch", str(self.folder), SLUG, "jaw_open", what, "--word", word, *more
            )
            self.assertIn("key", said)
        self.assertIn(
            "no other side",
            self.run_it("touch", str(self.folder), SLUG, "jaw_open", "copy", code=1),
        )

    def test_what_cannot_be_is_one_sentence(self) -> None:
        for args, code, words in (
            (["nobody", CORNER, "smooth"], 1, "no line"), ([SLUG, "ear", "smooth"], 1, "no channel"),
            ([SLUG, CORNER, "wave"], 2, "none of"), ([SLUG, CORNER, "lift"], 2, "needs --by"),
            ([SLUG, CORNER, "smooth", "--over", "2-1"], 2, "no stretch"),
            ([SLUG, CORNER, "smooth", "--word", "xylophone"], 1, "no word"),
            ([SLUG, CORNER, "clear"], 1, "Nothing was done"), ([SLUG, CORNER, "scale", "--by", "1", "--about", "x"], 2, "about"),
        ):  # fmt: skip
            self.assertIn(words, self.run_it("touch", str(self.folder), *args, code=code))

    def test_each_layer_by_itself(self) -> None:
        store = Store.open(self.folder)
        line = msgspec.structs.replace(
            store.production.line(SLUG),
            moods=(MoodSpan("joy", 0.2, 2.5, 0.6),),
            life=None,
            recorded=(),
        )
        store.keep(store.production.put(line))
        store.close()
        self.run_it(
            "touch",
            str(self.folder),
            SLUG,
            "brow_lower_left",
            "lift",
            "--by",
            "0.4",
            "--over",
            "0.5-1.5",
        )
        whole = self.curves("line.curves.csv", "--layers", "apart")
        alone = {
            n: self.curves(f"line.{n}.curves.csv", "--layers", "apart")
            for n in ("speech", "mood", "touch")
        }
        self.assertFalse((self.folder.parent / "out" / "line.life.curves.csv").exists())
        self.assertNotIn(CORNER, alone["speech"])
        self.assertGreater(alone["mood"][CORNER].max(), 0.2)
        self.assertEqual(alone["mood"]["jaw_open"].max(), 0.0)
        self.assertAlmostEqual(alone["touch"]["brow_lower_left"].max(), 0.4, places=3)
        np.testing.assert_allclose(
            whole["brow_lower_left"], alone["touch"]["brow_lower_left"], atol=1e-5
        )
        self.assertGreater(np.abs(alone["speech"]["jaw_open"]).max(), 0.2)
        self.run_it("handoff", str(self.folder), "-o", "x", "--layers", "some", code=2)

    def test_the_heads_of_lines_are_handed_over_as_clips(self) -> None:
        """Each as another reader of ours reads BVH; one that does not move stands still."""
        out = self.folder.parent / "out"
        store = Store.open(self.folder)
        line = msgspec.structs.replace(
            store.production.line("01-mabel-beam"), life=None, touches=()
        )
        store.keep(store.production.put(line))
        store.close()
        lines = ["--line", SLUG, "--line", "01-mabel-beam"]
        self.run_it("handoff", str(self.folder), "-o", str(out), *lines, "--curves", "bvh")
        moving, still = (
            read_bvh((out / f"{s}.curves.bvh").read_bytes(), s)[0] for s in (SLUG, "01-mabel-beam")
        )
        self.assertGreater(float(np.ptp(moving.curves["head_yaw"])), 1.0)
        self.assertEqual(float(np.ptp(still.curves["head_yaw"])), 0.0)

    def test_from_a_script_of_ones_own(self) -> None:
        reading = demo(0)[1]
        times = np.arange(0, 10, 1 / 24)
        curve = Curve(CORNER, times, 0.2 + 0 * times)
        touches, made = done((), curve, reading, "hold", 2.0, 3.0, 0.5)
        self.assertEqual((touches, made.mode), ((made,), "replace"))
        with self.assertRaisesRegex(EditError, "nothing that is done"):
            done((), curve, reading, "wave", 2.0, 3.0)
