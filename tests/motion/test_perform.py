"""The six promises of the motion, as properties over random sounds, rates and settings."""

from __future__ import annotations

import math
import unittest
from fractions import Fraction

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from glyphos.errors import GlyphosError
from glyphos.motion import gestures
from glyphos.motion.channels import channels, index
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.motion.loudness import measure
from glyphos.motion.perform import perform
from glyphos.rates import frame_rate
from glyphos.speech import ipa
from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word

TABLE = sorted(
    [
        "ɑ",
        "æ",
        "ʌ",
        "ə",
        "ɔ",
        "ɛ",
        "ɪ",
        "i",
        "ʊ",
        "u",
        "ɝ",
        "aʊ",
        "aɪ",
        "eɪ",
        "oʊ",
        "ɔɪ",
        "p",
        "b",
        "m",
        "f",
        "v",
        "θ",
        "ð",
        "t",
        "d",
        "n",
        "l",
        "s",
        "z",
        "ʃ",
        "ʒ",
        "tʃ",
        "dʒ",
        "k",
        "ɡ",
        "ŋ",
        "ɹ",
        "w",
        "j",
        "h",
    ]
)
RATES = (12, 24, 25, 30, 60, 120, Fraction(24000, 1001))
LEAD = 0.04


def reading_of(sounds: list[tuple[str, float]], *, before: float = 0.5, gap: dict[int, float] | None = None,
               marks: tuple[Mark, ...] = ()) -> Reading:  # fmt: skip
    phones, at = [], before
    for k, (name, length) in enumerate(sounds):
        at += (gap or {}).get(k, 0.0)
        phones.append(Phone(name, at, at + length, 1))
        at += length
    word = Word("x", phones[0].start, at, 1.0, tuple(phones)) if phones else None
    phrases = (Phrase("x", before, at, (word,)),) if word else ()
    return Reading("en", AudioInfo("x.wav", at + 1.0, 16000), phrases, marks)


def frames_in(start: float, end: float, fps: float, frames: int) -> range:
    """Frames within half a frame of an interval."""
    low = math.ceil((start - LEAD) * fps - 0.5 - 1e-6)
    high = math.floor((end - LEAD) * fps + 0.5 + 1e-6)
    return range(max(0, low), min(frames, high + 1))


sounds = st.lists(
    st.tuples(st.sampled_from(TABLE), st.floats(0.035, 0.22)), min_size=1, max_size=24
)
rates = st.sampled_from(RATES)
deliveries = st.builds(
    Delivery, articulation=st.floats(0, 2), jaw_reach=st.floats(0, 2), smoothing=st.floats(0, 120),
    settle=st.floats(80, 600), stress_follow=st.floats(0, 1),
)  # fmt: skip
common = settings(max_examples=120, deadline=None, derandomize=True)


class Promises(unittest.TestCase):
    @common
    @given(sounds, rates, deliveries)
    def test_closures_and_teeth_are_seen(self, said, fps, delivery) -> None:  # type: ignore[no-untyped-def]
        reading = reading_of(said)
        motion = perform(reading, delivery, fps=fps)
        for phone in reading.phones():
            near = frames_in(phone.start, phone.end, float(fps), motion.frames)
            if phone.ipa in "pbm":
                self.assertLessEqual(motion.channel("lips_part")[near].min(), 0.02, phone)
            if phone.ipa in "fv":
                self.assertGreaterEqual(motion.channel("lip_to_teeth")[near].max(), 0.9, phone)

    @common
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

    @common
    @given(sounds, rates, deliveries)
    def test_sibilants_keep_the_jaw_up(self, said, fps, delivery) -> None:  # type: ignore[no-untyped-def]
        reading = reading_of(said)
        motion = perform(reading, delivery, fps=fps)
        for phone in reading.phones():
            if phone.ipa in ("s", "z", "ʃ", "ʒ", "tʃ", "dʒ"):
                frame = round(((phone.start + phone.end) / 2 - LEAD) * float(fps))
                self.assertLessEqual(motion.channel("jaw_open")[frame], 0.2 + 1e-9)

    @common
    @given(st.sampled_from(TABLE), st.sampled_from(["ɑ", "æ", "i", "u", "ɛ", "ɔ"]), st.floats(0.085, 0.3),
           st.sampled_from(TABLE), st.sampled_from((24, 30, 60)), st.floats(0.3, 1.2))  # fmt: skip
    def test_vowels_arrive(self, before, vowel, length, after, fps, articulation) -> None:  # type: ignore[no-untyped-def]
        if gestures.keeps_jaw_up(before) or gestures.keeps_jaw_up(after):
            before = after = "t"
        delivery = Delivery(articulation=articulation, stress_follow=0.0)
        motion = perform(
            reading_of([(before, 0.08), (vowel, length), (after, 0.08)]), delivery, fps=fps
        )
        near = frames_in(0.58, 0.58 + length, fps, motion.frames)
        wanted = gestures.gestures_of(vowel)[0]
        for name in ("jaw_open", "lips_round"):
            target = wanted.target[index(name)] * articulation
            self.assertGreaterEqual(motion.channel(name)[near].max(), 0.84 * min(1.0, target))

    @common
    @given(sounds, rates, deliveries, st.floats(0.0, 2.0))
    def test_the_mouth_rests(self, said, fps, delivery, gap) -> None:  # type: ignore[no-untyped-def]
        middle = len(said) // 2
        reading = reading_of(said, gap={middle: gap})
        motion = perform(reading, delivery, fps=fps)
        phones = list(reading.phones())
        times = np.arange(motion.frames) / float(fps) + LEAD
        settle = delivery.settle / 1000
        resting = (times < phones[0].start - 0.15) | (times > phones[-1].end + settle + 0.02)
        self.assertTrue(np.all(np.abs(motion.values[resting]) < 1e-6))
        if middle and gap > 2 * settle + 0.01:
            a, b = phones[middle - 1].end + settle, phones[middle].start - min(settle, 0.15)
            pause = (times > a) & (times < b)
            self.assertTrue(np.all(np.abs(motion.values[pause]) < 1e-6))

    @common
    @given(sounds, rates, deliveries)
    def test_nothing_is_violent_and_all_is_in_range(self, said, fps, delivery) -> None:  # type: ignore[no-untyped-def]
        motion = perform(reading_of(said), delivery, fps=fps)
        for channel in channels():
            curve = motion.channel(channel.name)
            self.assertTrue(np.all((curve >= channel.low) & (curve <= channel.high)))
            speed = np.abs(np.diff(curve)).max() * float(fps) / (channel.high - channel.low)
            self.assertLessEqual(speed, 25.0)

    @common
    @given(sounds, deliveries)
    def test_the_same_input_gives_the_same_bits(self, said, delivery) -> None:  # type: ignore[no-untyped-def]
        one, two = (perform(reading_of(said), delivery, fps=24) for _ in range(2))
        self.assertEqual(one.values.tobytes(), two.values.tobytes())


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
