"""What is painted, as numbers: ribbon, spectrogram, colours, places on the page."""

from __future__ import annotations

import itertools
import random
import unittest
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPixmap

from glyphos.app.drawing import theme
from glyphos.app.drawing.lifelane import free_place
from glyphos.app.drawing.ribbon import envelope, ribbon_image
from glyphos.app.drawing.spectrogram import energy_changes, spectrogram
from glyphos.app.pages.score.bands import Bands
from glyphos.app.pages.score.layout import fitted, lay_out, relaid, sound_rows
from glyphos.app.pages.score.paint import Painter, with_room
from glyphos.app.pages.score.sheet import LARGER
from glyphos.characters.drawn.glyphs import kinds_seen
from glyphos.motion.perform import perform
from glyphos.motion.telling import kinds_of, telling_rows
from glyphos.speech import edits
from glyphos.speech.parts import Flat
from glyphos.speech.reading import AudioInfo, Reading
from tests.app.harness import make_application
from tests.speech.made import reading

WIDTHS = {
    "word_width": lambda text: 9.0 * len(text),
    "letter_width": lambda text: 7.0 * len(text) + 3,
}
# Machado, Oliveira & Fernandes (2009), A physiologically-based model for simulation of colour
# vision deficiency: matrices of severity 1.0 on linear RGB (from memory).
PROTAN = [
    [0.152286, 1.052583, -0.204868],
    [0.114503, 0.786281, 0.099216],
    [-0.003882, -0.048116, 1.051998],
]
DEUTAN = [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
    [-0.011820, 0.042940, 0.968881],
]
TRITAN = [
    [1.255528, -0.076749, -0.178779],
    [-0.078411, 0.930809, 0.147602],
    [0.004733, 0.691367, 0.303900],
]


def linear(color: str) -> np.ndarray:
    """sRGB to linear light (IEC 61966-2-1)."""
    c = QColor(color)
    value = np.array([c.redF(), c.greenF(), c.blueF()])
    return np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)


def lab(rgb: np.ndarray) -> np.ndarray:
    """Linear RGB to CIE L*a*b* (D65)."""
    xyz = np.array(
        [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
    ) @ np.clip(rgb, 0, 1)
    t = xyz / np.array([0.9505, 1.0, 1.089])
    f = np.where(t > 0.008856, np.cbrt(t), 7.787 * t + 16 / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def contrast(a: str, b: str) -> float:
    """Contrast ratio after WCAG 2.1."""
    weights = np.array([0.2126, 0.7152, 0.0722])
    high, low = sorted((float(weights @ linear(a)), float(weights @ linear(b))), reverse=True)
    return (high + 0.05) / (low + 0.05)


class Filling(unittest.TestCase):
    def test_an_area_is_filled_without_waiting_for_other_threads(self) -> None:
        self.application = make_application()
        picture = QPixmap(200, 400)
        picture.fill(QColor("white"))
        painter = QPainter(picture)
        painter.fillRect(QRectF(0.5, 0.5, 190, 390), QColor(10, 20, 30, 40))
        painter.end()
        threads = [p.read_text().strip() for p in Path("/proc/self/task").glob("*/comm")]
        self.assertFalse([name for name in threads if "pooled" in name])


class Colours(unittest.TestCase):
    def test_text_can_be_read_by_day_and_by_night(self) -> None:
        """WCAG 2.1, 1.4.3: 4.5 for text, 3 for large text and signs."""
        for t in theme.THEMES.values():
            for ground in (t.page, t.panel):
                self.assertGreaterEqual(contrast(t.ink, ground), 7)
                self.assertGreaterEqual(contrast(t.faint, ground), 4)
                for sign in (t.chosen, t.doubt, t.playhead):
                    self.assertGreaterEqual(contrast(sign, ground), 2.8, (t.name, sign))

    def test_kinds_of_gesture_stay_apart_for_all_kinds_of_sight(self) -> None:
        """A difference of 10 in CIE L*a*b* is plainly seen (common practice, no source)."""
        for t in theme.THEMES.values():
            colors = [c for _, c in t.with_gestures("safe").gesture]
            for matrix in (np.eye(3), np.array(PROTAN), np.array(DEUTAN), np.array(TRITAN)):
                seen = [lab(matrix @ linear(c)) for c in colors]
                for a, b in itertools.combinations(range(6), 2):
                    apart = float(np.linalg.norm(seen[a] - seen[b]))
                    self.assertGreater(apart, 10, (t.name, colors[a], colors[b]))

    def test_every_set_has_every_kind(self) -> None:
        for name in theme.GESTURE_SETS:
            for t in theme.THEMES.values():
                self.assertEqual(tuple(dict(t.with_gestures(name).gesture)), theme.KINDS)


class Pictures(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        make_application()

    def test_the_ribbon_is_as_wide_as_the_lips_are_apart(self) -> None:
        opening = np.array([0.0, 0.2, 0.5, 1.0])
        image = ribbon_image(opening, np.full((4, 3), 200, np.uint8), 40, 1.0)
        inked = [sum(image.pixelColor(x, y).alphaF() for y in range(40)) for x in range(4)]
        self.assertEqual(inked, sorted(inked))
        self.assertAlmostEqual(inked[0], 2.8, delta=0.5)
        self.assertAlmostEqual(inked[1] - inked[0], 2 * 0.2 * 18 * 1.25, delta=0.5)
        self.assertLessEqual(inked[3], 40)

    def test_a_tone_is_a_line_at_its_frequency(self) -> None:
        t = np.arange(32_000) / 16_000
        for hz in (500, 1500, 4000):
            tone = np.sin(2 * np.pi * hz * t).astype(np.float32)
            dark = spectrogram(tone, 16_000, 0.5, 1.5, 30, 120, formants=False)
            row = dark[:, 15].argmax()
            self.assertAlmostEqual((119 - row) / 119 * 6000, hz, delta=90)

    def test_the_short_window_tells_clicks_apart_that_the_long_one_joins(self) -> None:
        samples = np.zeros(16_000, np.float32)
        samples[4000:12_000:200] = 1.0  # a click every 12.5 ms
        fine = spectrogram(samples, 16_000, 0.3, 0.4, 160, 60, formants=True)
        coarse = spectrogram(samples, 16_000, 0.3, 0.4, 160, 60, formants=False)
        self.assertGreater(fine.mean(axis=0).std(), 3 * coarse.mean(axis=0).std())

    def test_changes_of_energy_are_found_where_they_are(self) -> None:
        rng = np.random.default_rng(0)
        samples = rng.normal(0, 1e-4, 16_000).astype(np.float32)
        for start, end in ((0.3, 0.45), (0.6, 0.8)):
            part = slice(int(start * 16_000), int(end * 16_000))
            samples[part] = rng.normal(0, 0.2, part.stop - part.start)
        found = energy_changes(samples, 16_000, 0.1, 0.9)
        for wanted in (0.3, 0.45, 0.6, 0.8):
            self.assertLess(np.abs(found - wanted).min(), 0.008, wanted)

    def test_the_envelope_holds_every_sample(self) -> None:
        samples = np.random.default_rng(1).normal(0, 1, 1000).astype(np.float32)
        high, low = envelope(samples, np.linspace(0, 999 / 100, 41), 100)
        self.assertEqual((high.max(), low.min()), (samples.max(), samples.min()))


class Places(unittest.TestCase):
    def test_larger_rows_are_never_lower_than_is_said_before_they_are_made(self) -> None:
        make_application()
        for zoom, lanes in itertools.product(
            (0.7, 1.0, 2.0), itertools.product((False, True), repeat=3)
        ):
            shown = dict(zip(("drawn", "lives", "voiced"), lanes, strict=True))
            plain = Bands(zoom, **shown)
            for larger in LARGER:
                self.assertGreaterEqual(
                    Bands(zoom * larger, **shown).height, plain.at_least(larger)
                )

    def test_no_sign_of_life_stands_on_the_name_of_a_mood(self) -> None:
        for signs, begins in (((), 4), ((200.0,), 4), ((30.0,), 39), ((80.0, 30.0), 89)):
            self.assertEqual(free_place(4, 160, 60, signs), begins)
        self.assertEqual(free_place(4, 80, 60, (30.0,)), 4)  # rather under a sign than cut off

    def test_what_is_relaid_is_what_would_be_laid_out_anew(self) -> None:
        """Rows whose edges moved are laid out in place exactly as the whole page would be."""
        rng = random.Random(5)
        for _ in range(40):
            before = reading()
            page = lay_out(before, 3.4, width=260, per_second=120, **WIDTHS)
            flat = Flat(before)
            edge = rng.choice([e for e in flat.edges if not e.end])
            moved = edits.move_edge(before, edge, flat.edge_time(edge) + rng.uniform(-0.04, 0.04))
            relaid(page, Flat(moved), 120, **WIDTHS)
            fresh = lay_out(moved, 3.4, width=260, per_second=120, **WIDTHS)
            if [len(r.pieces) for r in page.rows] != [len(r.pieces) for r in fresh.rows]:
                continue  # a word now breaks elsewhere: rows are kept while one drags
            for a, b in zip(page.rows, fresh.rows, strict=True):
                np.testing.assert_allclose(a.x, b.x, atol=1e-6)
                self.assertEqual([p.phone for p in a.pieces], [p.phone for p in b.pieces])
                for seconds in np.linspace(b.start, b.end, 9):
                    self.assertAlmostEqual(a.x_at(seconds), b.x_at(seconds), places=6)

    def test_times_on_the_ruler_never_touch(self) -> None:
        """Three minutes on six rows, where times have the most figures."""
        make_application()
        written: list[tuple[float, str]] = []

        class Writing(QPainter):
            def drawText(self, point: QPointF, text: str) -> None:
                written.append((point.x(), text))

        for unit in ("seconds", "frames"):
            bands = Bands.of(1.0, plain=True)
            drawer = Painter(theme.PAPER, bands, Reading("", AudioInfo("", 0.0, 0)), [],
                             np.zeros(0, np.float32), 16_000, 1.0, unit)  # fmt: skip
            for row in sound_rows(180.0, width=690, rows=6).rows:
                written.clear()
                pixmap = QPixmap(740, 90)
                painter = Writing(pixmap)
                drawer.still(painter, row, drawer.ticks(row, 24.0, 740), 740)
                painter.end()
                width = QFontMetricsF(bands.ruler_font).horizontalAdvance
                self.assertGreater(len(written), 5)
                for (x, text), (after, _) in itertools.pairwise(written):
                    self.assertLess(x + width(text) + 4, after, (unit, text))

    def test_places_and_times_are_each_other_s_inverse(self) -> None:
        page = lay_out(reading(), 3.4, width=300, per_second=100, **WIDTHS)
        for row in page.rows:
            for seconds in np.linspace(row.start + 1e-4, row.end - 1e-4, 23):
                self.assertAlmostEqual(row.time_at(row.x_at(seconds)), seconds, places=6)
        covered = [(r.start, r.end) for r in page.rows]
        self.assertEqual(covered[0][0], 0.0)
        self.assertEqual(covered[-1][1], 3.4)
        for (_, end), (start, _) in itertools.pairwise(covered):
            self.assertAlmostEqual(end, start)

    def test_a_line_that_cannot_fit_still_fills_its_rows(self) -> None:
        found = fitted(reading(), 3.4, width=200, rows=1, **WIDTHS)
        scale = found[0] if found else 0.0
        least = len(lay_out(reading(), 3.4, width=200, per_second=70, **WIDTHS).rows)
        self.assertEqual(
            len(lay_out(reading(), 3.4, width=200, per_second=scale, **WIDTHS).rows), least
        )
        self.assertGreaterEqual(scale, 70)

    def test_the_widest_that_fits_is_found_as_by_trying_all(self) -> None:
        """What is laid out on the way is only what is not known to be too much."""
        for width, rows, size in itertools.product((120, 200, 340), (1, 2, 3), (1.0, 1.5)):
            counts = {
                s: len(lay_out(reading(), 3.4, width=width, per_second=s * size, **WIDTHS).rows)
                for s in (70.0, *(float(x) for x in range(190, 70, -15)))
            }
            for anyway in (False, True):
                found = fitted(
                    reading(), 3.4, width=width, rows=rows, size=size, anyway=anyway, **WIDTHS
                )
                most = max(rows, counts[70.0]) if anyway else rows
                fit = [s for s, count in counts.items() if count <= most]
                scale, page = found or (0.0, None)
                self.assertEqual(scale, max(fit, default=0.0), (width, rows, size))
                self.assertEqual(page and len(page.rows), counts.get(scale))

    def test_vowels_and_closures_come_before_what_is_beside_them(self) -> None:
        places = [0.0, 20.0, 35.0, 60.0, 75.0]
        self.assertEqual(sorted(with_room(places, [False, True, False, True, False], 30.0)), [1, 3])
        self.assertEqual(
            sorted(with_room(places, [True, False, True, False, True], 30.0)), [0, 2, 4]
        )
        self.assertEqual(sorted(with_room(places, [False] * 5, 30.0)), [0, 2, 4])

    def test_a_sound_is_shown_at_its_most_telling_moment(self) -> None:
        motion = perform(reading(), fps=60)
        phones = list(reading().phones())
        rows = telling_rows(motion, phones, 0.04)
        kinds = dict(zip([p.ipa for p in phones], kinds_of(kinds_seen(rows)), strict=True))
        self.assertEqual({kinds["b"], kinds["m"], kinds["p"]}, {"closed"})
        self.assertEqual(kinds["æ"], "open")
        self.assertEqual(kinds["w"], "round")
