"""The seven promises of the motion, as properties over random sounds, rates and settings."""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Iterator
from fractions import Fraction
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.errors import GlyphosError
from glyphos.motion import exposing, gestures, promises
from glyphos.motion.bounds import Bounds
from glyphos.motion.channels import PART, ROUND, channels, index
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.motion.loudness import measure
from glyphos.motion.perform import perform
from glyphos.rates import frame_rate
from glyphos.speech import ipa
from glyphos.speech.reading import Mark
from tests.examples import examples
from tests.motion.promised import FINE, LEAD, RATES, TABLE, broken, frames_in, reading_of

sounds = st.lists(
    st.tuples(st.sampled_from(TABLE), st.floats(0.035, 0.22)), min_size=1, max_size=24
)
rates = st.sampled_from(RATES)
deliveries = st.builds(
    Delivery, articulation=st.floats(0.3, 1.8), jaw_reach=st.floats(0, 2), smoothing=st.floats(0, 120),
    settle=st.floats(80, 600), stress_follow=st.floats(0, 1), hold=st.floats(0, 1),
    pace=st.just(1.0) | st.floats(0.5, 2),
)  # fmt: skip
rough = st.builds(
    Delivery, articulation=st.floats(0.3, 1.8), smoothing=st.floats(0, 120), settle=st.floats(80, 600),
    stress_follow=st.just(0.0), pace=st.floats(0.5, 2), hold=st.floats(0, 1),
)  # fmt: skip


class Promises(unittest.TestCase):
    @examples(80)
    @given(sounds, rates, deliveries, st.floats(0.0, 2.0))
    def test_every_promise_holds_for_any_sounds_rate_and_setting(
        self, said, fps, delivery, gap
    ) -> None:  # type: ignore[no-untyped-def]
        reading = reading_of(said, gap={len(said) // 2: gap})
        self.assertEqual(broken(perform(reading, delivery, fps=fps), reading, delivery), [])

    @examples(30)
    @given(sounds, rough, st.floats(0.0, 2.0))
    def test_nothing_jerks_or_has_corners(self, said, delivery, gap) -> None:  # type: ignore[no-untyped-def]
        reading = reading_of(said, gap={len(said) // 2: gap})
        self.assertEqual(broken(perform(reading, delivery, fps=FINE), reading, delivery), [])

    @examples(60)
    @given(st.sampled_from("pbm"), st.sampled_from(["ɑ", "ə", "u", "i"]), st.floats(0.06, 0.3),
           st.floats(0.05, 0.12), st.sampled_from((24, 25, 30, 60, 120)), st.floats(0, 2))  # fmt: skip
    def test_lips_part_between_closures(
        self, stop, vowel, length, closed, fps, articulation
    ) -> None:  # type: ignore[no-untyped-def]
        motion = perform(
            reading_of([(stop, closed), (vowel, length), (stop, closed)]),
            Delivery(articulation=articulation), fps=fps,
        )  # fmt: skip
        first, last = 0.5 - LEAD, 0.5 - LEAD + 2 * closed + length
        inside = motion.channel("lips_part")[int(first * fps) : int(last * fps) + 2]
        self.assertGreater(inside.max(), 0.03)

    @examples(60)
    @given(sounds, st.sampled_from((12, 15, 24, 30)), st.floats(0.3, 1.8))
    def test_extremes_stand_on_frames(self, said, fps, articulation) -> None:  # type: ignore[no-untyped-def]
        # Common practice, no source: an extreme that no frame shows is lost.
        reading = reading_of(spaced(said, 1 / fps))
        delivery = Delivery(articulation=articulation, stress_follow=0.0)
        fine = perform(reading, delivery, fps=240)
        coarse = perform(reading, delivery, fps=fps)
        for phone in reading.phones():
            if not gestures.is_vowel(phone.ipa):
                continue
            core = (
                phone.end - phone.start
            ) / 4  # its own extreme, not what its neighbours do to it
            inner = frames_in(phone.start + core, phone.end - core, 240, fine.frames)
            curve = fine.values[inner, PART]
            most = curve.max()
            if curve.argmax() in (
                0,
                len(curve) - 1,
            ):  # between two wider ones it has none of its own
                continue
            seen = coarse.values[frames_in(phone.start, phone.end, fps, coarse.frames), PART].max()
            self.assertGreaterEqual(seen, 0.85 * most, phone)

    @examples(40)
    @given(sounds, deliveries)
    def test_the_same_input_gives_the_same_bits(self, said, delivery) -> None:  # type: ignore[no-untyped-def]
        one, two = (perform(reading_of(said), delivery, fps=24) for _ in range(2))
        self.assertEqual(one.values.tobytes(), two.values.tobytes())


def spaced(said: list[tuple[str, float]], frame: float) -> list[tuple[str, float]]:
    """The same sounds, so long that each can have a frame of its own."""
    return [(name, max(length, 1.05 * frame, 0.06)) for name, length in said]


class TakenOut(unittest.TestCase):
    """The checks themselves can fail: with any one promise taken out, something is broken."""

    HARD = (
        (("p", 0.06), ("ɑ", 0.2), ("m", 0.06), ("æ", 0.07), ("b", 0.05)),
        (("f", 0.06), ("ɑ", 0.12), ("v", 0.05), ("æ", 0.105), ("f", 0.05)),
        (("t", 0.05), ("ɑ", 0.09), ("s", 0.07), ("ɑ", 0.2), ("ʃ", 0.06), ("æ", 0.2)),
        (("p", 0.05), ("s", 0.06), ("p", 0.05), ("ɑ", 0.088), ("d", 0.05)),
        (("p", 0.06), ("ə", 0.1), ("b", 0.06), ("i", 0.1), ("m", 0.06)),
        (("p", 0.036), ("ɑ", 0.06), ("b", 0.036), ("æ", 0.06), ("p", 0.036)),
        (("t", 0.05), ("ɔɪ", 0.17), ("p", 0.08), ("oʊ", 0.17), ("s", 0.08)),
        (("n", 0.05), ("i", 0.09), ("d", 0.04), ("w", 0.055), ("ʌ", 0.06), ("n", 0.05)),
        (("t", 0.05), ("u", 0.09), ("i", 0.09), ("u", 0.09), ("t", 0.05)),
    )
    SETTINGS = (Delivery(stress_follow=0.0), Delivery(articulation=0.3, stress_follow=0.0),
                Delivery(articulation=1.8, smoothing=0.0), Delivery(settle=80, stress_follow=0.0), Delivery(smoothing=120, stress_follow=0.0), Delivery(articulation=0.0, stress_follow=0.0))  # fmt: skip

    def found(self, rates: tuple[int, ...] = (60,)) -> Iterator[str]:
        for said in self.HARD:
            for delivery in self.SETTINGS:
                for fps in rates:
                    reading = reading_of(list(said), gap={len(said) - 1: 0.6})
                    yield from broken(perform(reading, delivery, fps=fps), reading, delivery)

    def test_with_everything_in_place_nothing_is_broken(self) -> None:
        self.assertEqual(list(self.found((24, 60, FINE))), [])

    def test_each_promise_is_missed_when_it_is_taken_out(self) -> None:
        for name, wanted in (
            ("closures", "closure"), ("teeth_on_lip", "teeth on lip"), ("lips_part_between", "parting"),
            ("sibilants_keep_the_jaw_up", "sibilant jaw"), ("sibilants_hiss", "hiss"),
            ("vowels_arrive", "arrival"), ("second_parts", "arrival"), ("glides_arrive", "glide"),
            ("spread_or_round", "spread and round"), ("lips_unpressed", "press"),
            ("teeth_let_go", "letting go"), ("rest", "rest"),
        ):  # fmt: skip
            with self.subTest(name), mock.patch.object(promises, name, lambda *_: None):
                self.assertTrue(any(b.startswith(wanted) for b in self.found()), name)

    def test_curves_jerk_when_nothing_holds_their_speed(self) -> None:
        with mock.patch.object(Bounds, "steps", lambda b: np.full(b.low.shape, 1e9)):
            jerks = (b for b in self.found((FINE,)) if b.startswith(("calm", "corner")))
            self.assertTrue(any(jerks))

    def test_extremes_are_lost_when_frames_are_not_given_to_them(self) -> None:
        with mock.patch.object(exposing, "PLAIN", 0):
            self.assertTrue(any(self.found((24,))))


class Settings(unittest.TestCase):
    line = reading_of([("m", 0.08), ("ɑ", 0.2), ("p", 0.08), ("u", 0.2), ("s", 0.1)])

    def peak(self, name: str, **changes: float) -> float:
        return float(np.abs(perform(self.line, Delivery(**changes), fps=60).channel(name)).max())

    def test_each_setting_does_what_it_says(self) -> None:
        self.assertLess(self.peak("jaw_open", articulation=0.5), self.peak("jaw_open"))
        self.assertLess(self.peak("jaw_open", jaw_reach=0.5), 0.6 * self.peak("jaw_open"))
        self.assertAlmostEqual(self.peak("lips_round", jaw_reach=0.5), self.peak("lips_round"))
        self.assertLess(
            self.peak("jaw_open", stress_follow=0.0), self.peak("jaw_open", stress_follow=1.0)
        )
        self.assertLess(self.peak("lips_press", articulation=0.0), 1e-9)

    def test_lead_offset_and_speed_move_the_motion_in_time(self) -> None:
        def opening(**changes: float) -> float:
            return float(
                perform(self.line, Delivery(**changes), fps=100).channel("jaw_open").argmax()
            )

        plain = opening(lead=0)
        self.assertAlmostEqual(opening(lead=100), plain - 10, delta=1)
        self.assertAlmostEqual(opening(lead=0, offset=1), plain + 100, delta=1)
        self.assertAlmostEqual(opening(lead=0, speed=2), plain / 2, delta=3)

    def test_a_range_performs_only_a_part(self) -> None:
        motion = perform(self.line, Delivery(range_end=0.55), fps=24)
        self.assertLess(motion.channel("lips_round").max(), 1e-6)

    def test_louder_syllables_open_wider(self) -> None:
        rate, level = 16000, np.ones(int(1.9 * 16000), np.float32) * 0.02
        level[: int(0.8 * rate)] = 0.5  # the first vowel is loud
        line = reading_of([("ɑ", 0.2), ("t", 0.1), ("ɑ", 0.2)])
        jaw = perform(
            line, Delivery(loudness_follow=1), fps=50, loudness=measure(level, rate)
        ).channel("jaw_open")
        self.assertGreater(jaw[:33].max(), 1.2 * jaw[36:50].max())

    def test_out_of_bounds_is_named(self) -> None:
        with self.assertRaisesRegex(GlyphosError, "articulation"):
            perform(self.line, Delivery(articulation=9), fps=24)
        for text in ("0", "x", "1/0"):
            with self.assertRaises(GlyphosError):
                frame_rate(text)

    def test_television_rates_are_exact(self) -> None:
        # Source: SMPTE ST 12-1, rates of n·1000/1001.
        self.assertEqual(frame_rate("23.976"), Fraction(24000, 1001))
        self.assertEqual(frame_rate("29.97"), Fraction(30000, 1001))

    def test_motion_covers_the_sound(self) -> None:
        for fps in RATES:
            motion = perform(self.line, fps=fps)
            self.assertGreaterEqual(motion.duration, self.line.audio.duration)

    def test_marks_are_obeyed(self) -> None:
        shut = reading_of([("ɑ", 0.4)], marks=(Mark("shut", 0.5, 0.9), Mark("laugh", 1.2, 1.6)))
        motion: Motion = perform(shut, Delivery(lead=0), fps=24)
        self.assertLess(motion.channel("lips_part")[14:20].max(), 1e-6)
        self.assertGreater(motion.channel("jaw_open")[30:38].max(), 0.3)


class Laughs(unittest.TestCase):
    def jaw(self, said: str) -> np.ndarray:
        reading = reading_of([(x, 0.07 if x == "h" else 0.09) for x in said])
        return np.asarray(perform(reading, fps=60).channel("jaw_open"))

    def dips(self, jaw: np.ndarray) -> list[float]:
        """How far the jaw goes up between two peaks, as a share of the lower one."""
        peaks = [k for k in range(1, len(jaw) - 1) if jaw[k] > jaw[k - 1] and jaw[k] >= jaw[k + 1]]
        return [
            float(1 - jaw[a:b].min() / min(jaw[a], jaw[b])) for a, b in itertools.pairwise(peaks)
        ]

    def test_the_jaw_bounces_with_the_bursts_of_a_laugh(self) -> None:
        for vowel in "ɑæiʌ":
            dips = self.dips(self.jaw(5 * f"h{vowel}"))
            self.assertEqual(len(dips), 4, vowel)
            self.assertGreater(min(dips), 0.08, vowel)

    def test_a_breath_in_a_word_lets_the_jaw_be(self) -> None:
        self.assertLess(max(self.dips(self.jaw("ɑhɑ")), default=0.0), 0.02)  # “aha”
        self.assertLess(max(self.dips(self.jaw("ɑhɑtɑhɑ")[:24]), default=0.0), 0.02)


class Table(unittest.TestCase):
    def test_visemes_of_one_group_look_alike(self) -> None:
        # Source: ISO/IEC 14496-2 (MPEG-4 face animation), the 14 viseme groups; its consonant groups
        # and five vowels, in IPA. Lips as seen, so rows are weighed by strength.
        groups = [
            "pbm",
            "fv",
            "θð",
            "td",
            "kɡ",
            ["tʃ", "dʒ", "ʃ"],
            "sz",
            "nl",
            ["ɹ"],
            "ɑ",
            "e",
            "ɪ",
            "ɒ",
            "ʊ",
        ]
        lips = [index(n) for n in ("lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth",
                                   "upper_lip_raise", "tongue_between_teeth")]  # fmt: skip

        def look(sound: str) -> np.ndarray:
            g = gestures.gestures_of(sound)[-1]
            seen = np.minimum(1.0, g.strength)
            return np.concatenate([(g.target * seen)[lips], 0.5 * seen[lips[:3]]])

        for a, group in enumerate(groups):
            for one in group:
                own = max((np.linalg.norm(look(one) - look(x)) for x in group), default=0.0)
                others = [
                    np.linalg.norm(look(one) - look(x))
                    for b, g in enumerate(groups)
                    if b != a
                    for x in g
                ]
                self.assertLess(own, min(others), one)

    def test_every_letter_of_the_chart_has_a_gesture_in_range(self) -> None:
        for letter, sound in ipa.letters().items():
            for g in gestures.gestures_of(letter):
                for c, channel in enumerate(channels()):
                    self.assertTrue(channel.low <= g.target[c] <= channel.high, letter)
            if sound.vowel:
                self.assertGreater(gestures.gestures_of(letter)[0].target[0], 0.1)

    def test_vowel_height_orders_the_jaw_and_rounding_the_lips(self) -> None:
        # Source: vowel height and rounding of the IPA chart (2020).
        jaw = [gestures.gestures_of(v)[0].target[0] for v in ("i", "e", "ɛ", "æ")]
        self.assertEqual(jaw, sorted(jaw))
        for rounded, spread in (("y", "i"), ("u", "ɯ"), ("ø", "e")):
            r = index("lips_round")
            self.assertGreater(
                gestures.gestures_of(rounded)[0].target[r],
                gestures.gestures_of(spread)[0].target[r],
            )

    def test_features_that_others_made_say_the_same(self) -> None:
        """Source: the phonological features of the panphon package (Mortensen et al. 2016)."""
        import panphon

        features = panphon.FeatureTable()

        names = ("syl", "round", "hi", "lo", "lab", "cons", "cont")
        found = {x: features.word_fts(x) for x in ipa.letters() if len(x) == 1}
        known = {x: {n: segments[0][n] for n in names} for x, segments in found.items() if segments}
        vowels = [x for x, f in known.items() if f["syl"] == 1 and gestures.is_vowel(x)]
        rounding = {x: gestures.gestures_of(x)[0].target[ROUND] for x in vowels}
        for one in vowels:
            for other in vowels:
                heights = [(known[x]["hi"], known[x]["lo"]) for x in (one, other)]
                if (
                    known[one]["round"] == 1
                    and known[other]["round"] == -1
                    and heights[0] == heights[1]
                ):
                    self.assertGreater(rounding[one], rounding[other], (one, other))
        for letter, f in known.items():
            if f["lab"] == 1 and f["cons"] == 1 and f["cont"] == -1 and letter != "ɱ":
                self.assertTrue(gestures.closes_lips(letter), letter)
        for letter in "fv":
            self.assertTrue(gestures.lip_meets_teeth(letter))
            self.assertFalse(gestures.closes_lips(letter))
