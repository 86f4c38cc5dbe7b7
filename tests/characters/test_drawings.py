"""Held drawings: read by their names, chosen exactly, never flickering, closures never skipped."""

from __future__ import annotations

import csv
import io
import itertools
import json
import shutil
import tempfile
import unittest
from fractions import Fraction
from functools import cache
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.drawings import exposures
from glyphos.characters.drawings.choosing import expose, part_wrongness, shown
from glyphos.characters.drawings.documents import (
    Drawings,
    Mouth,
    View,
    Wish,
    decode_drawings,
    encode_drawings,
)
from glyphos.characters.drawings.exposures import Exposure, cheapest
from glyphos.characters.drawings.features import rows_of
from glyphos.characters.drawings.naming import pattern_of
from glyphos.characters.drawings.reading import read_drawings
from glyphos.characters.drawings.running import Running
from glyphos.errors import DocumentError, ModelError
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech.reading import Reading, encode
from tests.examples import FUZZ, examples
from tests.shell import invoke

SETS = Path(__file__).parents[2] / "glyphos" / "data" / "drawings"


def every_cost(cost: np.ndarray, change: np.ndarray, hold: list[int], step: int) -> float:
    """The least cost by trying every sequence."""
    frames, drawings = cost.shape
    least = np.inf
    for row in itertools.product(range(drawings), repeat=frames):
        starts = [t for t in range(frames) if t == 0 or row[t] != row[t - 1]]
        runs = [(row[a], a, b) for a, b in zip(starts, [*starts[1:], frames], strict=True)]
        if any(a % step for _, a, _ in runs) or any(
            b - a < min(max(hold[k], 1), frames) for k, a, b in runs
        ):
            continue
        total = sum(cost[t, row[t]] for t in range(frames))
        total += sum(change[a[0], b[0]] for a, b in itertools.pairwise(runs))
        least = min(least, float(total))
    return least


class Exactly(unittest.TestCase):
    def test_it_is_the_cheapest_of_all_sequences(self) -> None:
        """Against brute force, 500 random short cases."""
        rng = np.random.default_rng(None if FUZZ else 9)
        for _ in range(FUZZ or 500):
            frames, drawings = int(rng.integers(1, 8)), int(rng.integers(1, 4))
            cost = rng.random((frames, drawings)) * rng.integers(1, 5)
            change, hold = rng.random((drawings, drawings)), rng.integers(0, 4, drawings).tolist()
            step = int(rng.integers(1, 4))
            made = cheapest(cost, change, hold, step)
            with patch.object(exposures, "_found", None):
                self.assertEqual(made, cheapest(cost, change, hold, step))  # in C as in NumPy
            total = sum(float(cost[e.first : e.after, e.drawing].sum()) for e in made)
            total += sum(float(change[a.drawing, b.drawing]) for a, b in itertools.pairwise(made))
            self.assertAlmostEqual(total, every_cost(cost, change, hold, step), places=9)

    @given(st.integers(1, 60), st.integers(1, 6), st.integers(1, 4), st.integers(0, 10_000))
    @examples(30)
    def test_exposures_follow_each_other_and_are_held(
        self, frames: int, drawings: int, step: int, seed: int
    ) -> None:
        rng = np.random.default_rng(seed)
        hold = rng.integers(1, 6, drawings).tolist()
        made = cheapest(
            rng.random((frames, drawings)), 0.1 * rng.random((drawings, drawings)), hold, step
        )
        self.assertEqual((made[0].first, made[-1].after), (0, frames))
        for a, b in itertools.pairwise(made):
            self.assertEqual(a.after, b.first)
            self.assertNotEqual(a.drawing, b.drawing)
        for e in made:
            self.assertGreaterEqual(e.frames, min(hold[e.drawing], frames))
            self.assertEqual(e.first % step, 0)

    def test_nothing_to_show_is_nothing(self) -> None:
        self.assertEqual(cheapest(np.zeros((0, 3)), np.zeros((3, 3)), [1, 1, 1]), [])
        self.assertEqual(cheapest(np.ones((4, 1)), np.zeros((1, 1)), [9]), [Exposure(0, 0, 4)])


class OnALine(unittest.TestCase):
    reading: Reading

    @classmethod
    def setUpClass(cls) -> None:
        cls.reading = _read()[0]
        cls.osric = read_drawings(SETS / "osric").drawings
        cls.pip = read_drawings(SETS / "pip").drawings

    def motion(self, fps: int) -> Motion:
        return perform(self.reading, Delivery(), fps=fps)

    def test_every_closure_is_a_closed_drawing_at_every_rate(self) -> None:
        """/p b m/ on ones at 12 to 30 frames a second, and on twos where lips meet on both."""
        for mouths in (self.osric, self.pip):
            for fps, step in ((12, 1), (24, 1), (25, 1), (30, 1), (24, 2), (30, 2)):
                motion = self.motion(fps)
                made = expose(motion, mouths.mouths, Wish(step=step))
                chosen = shown(made)
                closed = np.array([m.closed for m in mouths.mouths])[chosen]
                shut = motion.channel("lips_part") <= 0.03
                edges = np.flatnonzero(np.diff(np.concatenate(([0], shut.astype(int), [0]))))
                self.assertGreater(len(edges), 8)
                for a, b in edges.reshape(-1, 2).tolist():
                    self.assertTrue(closed[a:b].any(), (mouths.name, fps, step, a, b))

    def test_as_it_runs_closures_are_shown_and_nothing_flickers(self) -> None:
        motion = self.motion(60)
        running, seen = Running(self.osric), []
        for k in range(len(motion.values)):
            _, mouth, states = running.show(
                {**motion.at(k / 60), "blink_left": float(30 < k % 60 < 36)}, k / 60
            )
            seen.append((mouth, *states.values()))
        shut = motion.channel("lips_part") <= 0.03
        edges = np.flatnonzero(np.diff(np.concatenate(([0], shut.astype(int), [0]))))
        for a, b in edges.reshape(-1, 2).tolist():
            self.assertTrue(any(m.closed for m, *_ in seen[a:b]), (a, b))
        stays = [len(list(own)) for _, own in itertools.groupby(seen, key=lambda s: s[0].name)]
        short = [
            n
            for n, (m, own) in zip(stays, itertools.groupby(seen, key=lambda s: s[0]), strict=True)
            if n < 5 and not m.closed
        ]
        self.assertLess(len(short), 0.15 * len(stays))  # cut off by a closure only
        self.assertGreater(len({m.name for m, *_ in seen}), 6)
        eyes = [states[0].name for _, *states in seen]
        blinks = ["eyes-closed" if 30 < k % 60 < 36 else "eyes-open" for k in range(len(eyes))]
        self.assertEqual(eyes, blinks)

    def test_a_head_that_wavers_between_two_views_stays(self) -> None:
        front = self.osric.views[0]
        side = msgspec.structs.replace(front, name="side", yaw=30.0)
        running = Running(msgspec.structs.replace(self.osric, views=(front, side)))
        turns = [0.0, 14.0, 16.0, 14.0, 18.0, 16.0, 14.0, 12.0]
        seen = [running.show({"head_yaw": yaw}, k / 60)[0].name for k, yaw in enumerate(turns)]
        self.assertEqual(seen, ["front"] * 4 + ["side"] * 3 + ["front"])

    def test_one_name_for_both_sides_says_as_much_as_a_name_for_each(self) -> None:
        eyes = self.osric.views[0].parts[0]
        for value, nearest in ((0.0, "eyes-open"), (0.5, "eyes-half"), (1.0, "eyes-closed")):
            for moment in ({"blink": value}, {"blink_left": value, "blink_right": value}):
                names = sorted(moment)
                (wrong,) = part_wrongness(eyes, names, rows_of(names, [moment]))
                best = int(wrong.argmin())
                self.assertEqual(eyes.drawings[best].name, nearest)
                self.assertAlmostEqual(float(wrong[best]), 0.0)

    def test_teeth_on_lip_are_shown_where_they_are_drawn(self) -> None:
        motion = self.motion(24)
        made = expose(motion, self.osric.mouths)
        chosen = shown(made)
        bites = np.array([m.bites for m in self.osric.mouths])[chosen]
        there = motion.channel("lip_to_teeth") >= 0.9
        edges = np.flatnonzero(np.diff(np.concatenate(([0], there.astype(int), [0]))))
        for a, b in edges.reshape(-1, 2).tolist():
            self.assertTrue(bites[a:b].any(), (a, b))

    def test_drawings_change_six_to_ten_times_a_second(self) -> None:
        """On the demo's lines. Common practice, no source: more flickers, fewer sticks."""
        for reading in _read():
            spoken = sum(p.end - p.start for p in reading.phrases)
            for mouths in (self.osric, self.pip):
                for fps in (24, 25, 30):
                    made = expose(perform(reading, fps=fps), mouths.mouths)
                    self.assertTrue(
                        6 <= (len(made) - 1) / spoken <= 10.01, (mouths.name, fps, len(made))
                    )
                    for e in made:
                        mouth = mouths.mouths[e.drawing]
                        self.assertGreaterEqual(e.frames, 1 if mouth.closed or mouth.bites else 2)

    def test_a_dearer_change_comes_less_often(self) -> None:
        counts = [
            len(expose(self.motion(24), self.osric.mouths, Wish(change=c))) for c in (0.2, 1, 4)
        ]
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertLess(counts[2], counts[0])


@cache
def _read() -> list[Reading]:
    """The demo's lines that were listened to."""
    lines = Production.open(copy_demo()).lines
    return [line.reading for line in lines if line.reading is not None]


class Names(unittest.TestCase):
    def test_letters_numbers_and_words_in_several_languages(self) -> None:
        habits = {
            "a letter": ["Osric_A", "Osric_B", "Osric_C", "Osric_D", "Osric_E", "Osric_F"],
            "a number": [f"mouth{k:02d}" for k in range(1, 7)],
            "words": ["Mund_zu", "Mund_leicht", "Mund_offen", "Mund_weit_offen", "Mund_rund", "Mund_spitz"],
        }  # fmt: skip
        for how, names in habits.items():
            pattern = pattern_of(names)
            poses = pattern.poses
            with self.subTest(how):
                self.assertIn(how, pattern.said)
                part = [p["lips_part"] if p and "lips_part" in p else 0.0 for p in poses]
                self.assertEqual(part[0], 0.0)
                self.assertTrue(0 < part[1] < part[2] < part[3])
                self.assertEqual([p and p.get("lips_round") for p in poses[4:]], [1, 1])

    def test_what_is_slightly_open_is_not_what_is_open(self) -> None:
        names = ("slightly open", "leicht offen", "poco aperto", "half open")
        for slight, plain in zip(
            pattern_of(names).poses, pattern_of(["open"] * 4).poses, strict=True
        ):
            self.assertLess(slight["jaw_open"], plain["jaw_open"])  # type: ignore[index]

    def test_sounds_by_letters_that_are_not_in_a_row(self) -> None:
        poses = pattern_of(["m", "a", "e", "o", "u", "f"]).poses
        self.assertGreater(poses[1]["lips_part"], poses[2]["lips_part"])  # type: ignore[index]
        self.assertGreater(poses[5]["lip_to_teeth"], 0.9)  # type: ignore[index]

    def test_how_they_are_named_is_said_in_words(self) -> None:
        for names, said in (
            ([f"mouth_{c}" for c in "abcdefgh"], "eight drawings named “mouth_” and a letter in a row"),
            ([f"Osric{c}" for c in "ABCDEF"], "six drawings named “Osric” and a letter in a row"),
            ([f"m{k}" for k in range(1, 14)], "13 drawings named “m” and a number in a row"),
            (["closed", "open", "wide open", "qq"], "four drawings named by words, of which 3 are known"),
        ):  # fmt: skip
            self.assertEqual(pattern_of(names).said, said)
        gone = pattern_of([f"mouth_{c}" for c in "abdef"])
        self.assertTrue(gone.row)
        self.assertEqual(gone.doubts, ("there is no c among them",))
        uneven = pattern_of(["mouth_a", "mouth_b", "mouth_c", "mouth_d", "Mund-E"])
        self.assertIn("written another way than the rest: “Mund-E”", uneven.doubts)

    def test_what_is_no_set_of_mouths_is_a_sentence(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        with self.assertRaisesRegex(ModelError, "0 drawings"):
            read_drawings(folder)
        with self.assertRaisesRegex(ModelError, "cannot be read"):
            read_drawings(folder / "none")
        for name in ("closed", "open"):
            shutil.copy(SETS / "osric" / f"mouth-{name}.svg", folder / f"{name}.svg")
        with self.assertRaisesRegex(ModelError, "at least 3"):
            read_drawings(folder)

    def test_documents_come_back_and_damaged_ones_are_told(self) -> None:
        mouths = tuple(Mouth(str(k), f"{k}.png", {"jaw_open": k / 4}) for k in range(4))
        made = Drawings("x", (View(mouths=mouths),))
        whole = encode_drawings(made)
        self.assertEqual(decode_drawings(whole, "x.json"), made)
        for spoilt, said in (
            (whole[:-20], "holds no drawings"),
            (whole.replace(b"jaw_open", b"jaw_ajar"), "jaw_ajar"),
            (whole.replace(b"2.png", b"../2.png"), "outside its folder"),
            (whole.replace(b'"name": "2"', b'"name": "1"'), "have one name"),
            (whole.replace(b'"scale": 1.0', b'"scale": 0.0'), "lies nowhere"),
            (whole.replace(b'"step": 1', b'"step": 0'), "a step is not"),
        ):
            with self.assertRaisesRegex(DocumentError, said):
                decode_drawings(spoilt, "x.json")


class Shell(unittest.TestCase):
    def test_from_a_folder_to_an_exposure_sheet(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        shutil.copytree(SETS / "pip", folder / "pip")
        reading = _read()[0]
        (folder / "line.json").write_bytes(encode(reading))
        run = invoke
        made = run(["character", "drawings", str(folder / "pip"), "-o", str(folder / "pip.json")])
        self.assertEqual(made.exit_code, 0, made.output)
        document = json.loads((folder / "pip.json").read_text())
        mouths = document["views"][0]["mouths"]
        self.assertTrue(all((folder / m["file"]).is_file() for m in mouths))
        base = ["perform", str(folder / "line.json"), "--character", str(folder / "pip.json")]
        for ending in ("txt", "csv", "xsheet.csv"):
            made = run([*base, "-o", str(folder / f"out.{ending}"), "--first-frame", "1"])
            self.assertEqual(made.exit_code, 0, made.output)
        changes = [r.split(" ", 1) for r in (folder / "out.txt").read_text().splitlines()]
        table = list(csv.DictReader(io.StringIO((folder / "out.csv").read_text())))
        sheet = list(csv.DictReader(io.StringIO((folder / "out.xsheet.csv").read_text())))
        self.assertEqual(changes[0][0], "1")
        self.assertEqual([(r["frame"], r["mouth"]) for r in table], [tuple(c) for c in changes])
        self.assertEqual([(r["frame"], r["mouth"]) for r in sheet if r["mouth"]], [tuple(c) for c in changes])  # fmt: skip
        self.assertEqual(len(sheet), perform(reading, fps=Fraction(24)).frames)
        words = [r["word"] for r in sheet if r["word"]]
        self.assertEqual(words, [w.text for w in reading.words()])
        wrong = run([*base, "-o", str(folder / "out.mov")])
        self.assertNotEqual(wrong.exit_code, 0)


if __name__ == "__main__":
    unittest.main()
