"""What the live mouth is measured and taught with: figures of known curves, sounds spoiled by known amounts."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from glyphos.live.ear import CHANNELS
from tools.live import figures, material
from tools.live.material import LEAD, RATE, Line
from tools.live.see import LEAST, asked, streams
from tools.live.spoil import KINDS, spoiled

CLOSED_AT = (0.5, 1.1, 1.7)  # middles, in the time of the sound


def made(name: str = "voice-1", seed: int = 0, seconds: float = 3.0) -> Line:
    """A line whose lips move in known ways: vowels, three /b/, and silence from 2.2 s on."""
    times = np.arange(int(seconds * 60)) / 60
    phones: list[tuple[str, float, float]] = []
    at = 0.35
    for middle in CLOSED_AT:
        start, end = middle - 0.0375, middle + 0.0625  # closed from 15 to 60 % of it
        phones += [("ɑ", at, start), ("b", start, end)]
        at = end
    phones.append(("ɑ", at, 2.2))
    part = np.where((times > 0.35 - LEAD) & (times < 2.2 - LEAD), 0.5, 0.0)
    for middle in CLOSED_AT:
        part *= 1 - np.exp(-0.5 * ((times - (middle - LEAD)) / 0.03) ** 2)
    sound = np.random.default_rng(seed).normal(0, 0.1, round(seconds * RATE)).astype(np.float32)
    sound[round(2.2 * RATE) :] = 0
    sound[: round(0.35 * RATE)] = 0
    curves = {c: part if c == "lips_part" else 0.6 * part for c in CHANNELS}
    return Line(name, sound, tuple(phones), times, curves)


def shown(line: Line, later: float) -> tuple[np.ndarray, np.ndarray]:
    """A live face that does what the offline one does, later; stamps and values of what is shown."""
    stamps = np.arange(int(line.seconds * 100)) / 100
    part = np.interp(stamps - later, line.times, line.curves["lips_part"], left=0, right=0)
    return stamps, np.stack([part, 0.6 * part, 0.6 * part], 1)


class Figures(unittest.TestCase):
    def test_a_face_that_is_only_late_is_right_and_known_to_be_late(self) -> None:
        found = figures.judge(made(), *shown(made(), 0.15))
        np.testing.assert_allclose(found.r, 1.0, atol=0.01)
        self.assertAlmostEqual(found.shift, 0.155, delta=0.011)  # a tick waits for its value
        self.assertEqual(found.counts.tolist(), [3, 3, 3, 0, 0])

    def test_closures_that_are_missing_or_made_up_are_counted(self) -> None:
        line = made()
        stamps, values = shown(line, 0.1)
        missing = values.copy()
        near = np.abs(stamps - (CLOSED_AT[1] - LEAD + 0.1)) < 0.15
        missing[near, 0] = np.maximum(missing[near, 0], 0.3)
        self.assertEqual(figures.judge(line, stamps, missing).counts.tolist(), [3, 2, 2, 0, 0])
        more = values.copy()
        more[np.abs(stamps - 1.5) < 0.03, 0] = 0.0
        self.assertEqual(figures.judge(line, stamps, more).counts.tolist(), [3, 3, 4, 1, 1])
        quiet = values.copy()
        quiet[np.abs(stamps - 2.6) < 0.1, 0] = (
            0.3  # shut on both sides of it, in silence: no closures
        )
        self.assertEqual(figures.judge(line, stamps, quiet).counts.tolist(), [3, 3, 3, 0, 0])

    def test_rest_and_stillness_in_silence(self) -> None:
        line = made()
        stamps, values = shown(line, 0.15)
        found = figures.judge(line, stamps, values)
        self.assertEqual(len(found.rests), 1)
        self.assertAlmostEqual(found.rests[0], 0.15 - LEAD, delta=0.03)
        self.assertEqual(found.busy[0], 0)
        values[stamps > 2.55] = 0.4
        self.assertGreater(figures.judge(line, stamps, values).busy[0], 10)

    def test_a_face_that_stands_follows_nothing(self) -> None:
        line = made()
        stamps = np.arange(300) / 100
        found = figures.judge(line, stamps, np.zeros((300, 3)))
        self.assertEqual(found.r.tolist(), [0.0, 0.0, 0.0])
        self.assertEqual(found.counts[1], 3)  # always shut: all are found, in one run that is true
        pooled = figures.pool([found, figures.judge(line, *shown(line, 0.1))])
        self.assertAlmostEqual(float(pooled.r[0]), 0.5, delta=0.01)
        self.assertEqual(pooled.counts[0], 6)
        self.assertIn("100 %", figures.row("all", pooled))


class Material(unittest.TestCase):
    def test_noise_is_as_loud_as_it_is_said_to_be(self) -> None:
        line, others = made(), [made(f"other{k}-1", k) for k in range(4)]
        for kind in ("white", "babble"):
            noise = material.noisy(line, kind, others).samples - line.samples
            ratio = 10 * np.log10(
                material.power_of(line) / float((noise.astype(float) ** 2).mean())
            )
            self.assertAlmostEqual(ratio, 15.0, delta=0.1)
            np.testing.assert_array_equal(
                noise, material.noisy(line, kind, others).samples - line.samples
            )

    def test_slower_and_joined_lines_keep_sounds_and_curves_together(self) -> None:
        line = made()
        slow = material.slower(line, 1.2)
        self.assertAlmostEqual(slow.seconds, 3.6, delta=0.01)
        np.testing.assert_allclose(slow.closures(), line.closures() * 1.2)
        both = material.joined([line, line], [0.25, 0.5], 1e-4)
        self.assertAlmostEqual(both.seconds, 6.75, delta=0.001)
        np.testing.assert_allclose(both.closures()[3:], line.closures() + 3.75, atol=1e-6)
        for middle in both.closures():
            self.assertLess(np.interp(middle - LEAD, both.times, both.curves["lips_part"]), 0.03)
        self.assertEqual([len(line.gaps(x)) for x in (0.3, 0.5)], [2, 1])

    def test_a_batch_is_read(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name in ("lines", "handoff"):
            (folder / name).mkdir()
        soundfile.write(folder / "a.wav", made().samples, RATE)
        phones = [{"ipa": p, "start": a, "end": b} for p, a, b in made().phones]
        reading = {"phrases": [{"words": [{"phones": phones}]}]}
        (folder / "lines" / "v-1.json").write_text(
            json.dumps({"audio": "a.wav", "reading": reading})
        )
        (folder / "lines" / "v-2.json").write_text("{}")  # was not handed over
        rows = [
            "frame,seconds,lips_part",
            *(f"{k},{k / 60},{v}" for k, v in enumerate(made().curves["lips_part"])),
        ]
        (folder / "handoff" / "v-1.curves.csv").write_text("\n".join(rows))
        (line,) = material.load(folder)
        (folder / "report.csv").write_text("line,doubt\nv-1,0.2\n")
        self.assertEqual([len(material.load(folder, d)) for d in (0.1, 0.3)], [0, 1])
        self.assertEqual((line.name, line.voice, line.phones), ("v-1", "v", made().phones))
        np.testing.assert_allclose(line.curves["lips_part"], made().curves["lips_part"], atol=1e-9)

    def test_spoiled_in_every_way_it_stays_the_same_words(self) -> None:
        line, others = made(), [made(f"other{k}-1", k) for k in range(3)]
        for kind in KINDS:
            one = spoiled(line, kind, others, np.random.default_rng(3))
            other = spoiled(line, kind, others, np.random.default_rng(3))
            # filters sum up in another order where memory lies otherwise
            np.testing.assert_allclose(one.samples, other.samples, rtol=1e-5, atol=1e-9)
            self.assertTrue(np.isfinite(one.samples).all() and np.abs(one.samples).max() <= 1.0)
            self.assertEqual([p for p, _, _ in one.phones], [p for p, _, _ in line.phones])
            self.assertAlmostEqual(one.phones[-1][2] / one.seconds, 2.2 / 3, delta=0.01)
            self.assertGreater(np.abs(one.samples).max(), 0.01)

    def test_what_is_asked_of_the_ear(self) -> None:
        line = made()
        centre = np.arange(300) / 100
        want = asked(line, centre)
        self.assertEqual(want["curves"].shape, (300, 11))
        for middle in CLOSED_AT:
            self.assertEqual(want["shut"][round(middle * 100)], 1)
        self.assertEqual(want["shut"].sum(), want["shut"][40:190].sum())
        self.assertEqual(want["speaks"][100], 1)
        self.assertEqual(want["speaks"][250], 0)
        self.assertEqual(want["speaks"][5], 0)
        every = streams([made(f"v-{k}", k) for k in range(9)], np.random.default_rng(0))
        self.assertEqual(sum(len(x.closures()) for x in every), 27)  # no line is lost
        self.assertIn(3, [len(x.closures()) for x in every])  # some are heard from their beginning
        self.assertGreaterEqual(min(x.seconds for x in every), LEAST)


if __name__ == "__main__":
    unittest.main()
