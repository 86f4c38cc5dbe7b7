"""Touch-ups: their curves against SciPy's, their reach, promises of speech under every mix of layers."""

from __future__ import annotations

import unittest
from functools import cache

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator

from glyphos.errors import EditError, GlyphosError
from glyphos.motion import gestures
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.motion.layers import Composed, Layer, compose, composed
from glyphos.motion.life.event import Liveliness
from glyphos.motion.life.living import Life, live
from glyphos.motion.mix import ALL, LAYERS, Lay, Mix, check_mix
from glyphos.motion.mood import MoodSpan, moods
from glyphos.motion.perform import perform
from glyphos.motion.placed import in_the_face
from glyphos.motion.regions import ranges, region_of
from glyphos.motion.touch import laying, shaping
from glyphos.motion.touch.keys import FADE, Key, Touch, check_touches, key_at, key_curve, times_of
from glyphos.motion.touch.laying import DRAWN, touched
from glyphos.motion.touch.shaping import Curve
from glyphos.speech.anchors import Anchor, anchored, time_of
from glyphos.speech.edits import move_edge
from glyphos.speech.parts import Edge, Flat
from glyphos.speech.reading import Reading
from tests.examples import examples
from tests.voice.test_voice import line, voice

PLAIN = Delivery()
CORNER = "lip_corner_up_left"


def reading() -> Reading:
    return line(0)[1]


@cache
def speech(fps: int = 24) -> Motion:
    return perform(reading(), fps=fps)


@cache
def life() -> Life:
    return live(voice(0), Liveliness(seed=3), "a line")


@cache
def whole(fps: int = 24) -> Composed:
    return composed(
        speech(fps), reading(), PLAIN, life=life(), moods=(MoodSpan("joy", 1.0, 8.0, 0.8),)
    )


def curve(channel: str = CORNER, fps: int = 24) -> Curve:
    motion = whole(fps).motion
    return Curve(channel, np.arange(motion.frames) / fps, motion.channel(channel))


def touched_with(*touches: Touch, fps: int = 24) -> Motion:
    return whole(fps).retouched(touches, reading()).motion


def a_touch(*pairs: tuple[float, float], mode: str = "add", channel: str = CORNER) -> Touch:
    return Touch(channel, mode, tuple(key_at(reading(), t, v) for t, v in pairs))  # type: ignore[arg-type]


pairs = st.lists(st.tuples(st.floats(0.2, 9), st.integers(-200, 200).map(lambda v: v / 100)), min_size=2, max_size=8,
                 unique_by=lambda p: round(p[0], 1))  # fmt: skip


class Keys(unittest.TestCase):
    @given(pairs)
    @examples(30)
    def test_eased_keys_are_the_monotone_cubic_of_scipy(
        self, given: list[tuple[float, float]]
    ) -> None:
        """Slopes between keys: scipy.interpolate.PchipInterpolator (Fritsch & Butland 1984); at the ends
        they are flat here, so that what is pulled begins and ends softly."""
        made = a_touch(*sorted(given))
        at, values = times_of(made, reading()), np.array([k.value for k in made.keys])
        slopes = PchipInterpolator(at, values).derivative()(at)
        slopes[[0, -1]] = 0.0
        times = np.linspace(at[0], at[-1], 301)
        np.testing.assert_allclose(
            key_curve(made, reading(), times),
            CubicHermiteSpline(at, values, slopes)(times),
            atol=1e-6,
        )
        self.assertLessEqual(key_curve(made, reading(), times).max(), values.max() + 1e-9)
        self.assertGreaterEqual(key_curve(made, reading(), times).min(), values.min() - 1e-9)

    def test_handles_straight_lines_and_holds(self) -> None:
        at = (1.0, 2.0, 3.0, 4.0)
        keys = (
            key_at(reading(), 1, 0.0, out=0.9), key_at(reading(), 2, 0.4, "line", into=-0.3),
            key_at(reading(), 3, 0.2, "hold"), key_at(reading(), 4, 1.0),
        )  # fmt: skip
        made = Touch(CORNER, "replace", keys)
        times = np.linspace(1, 1.999, 50)
        ours = key_curve(made, reading(), times)
        np.testing.assert_allclose(
            ours, CubicHermiteSpline(at[:2], (0, 0.4), (0.9, -0.3))(times), atol=1e-9
        )
        lines = key_curve(made, reading(), np.array([2.25, 2.5, 3.5, 3.999, 4.0, 9.0, 0.0]))
        np.testing.assert_allclose(lines, [0.35, 0.3, 0.2, 0.2, 1.0, 1.0, 0.0], atol=1e-9)

    def test_keys_ride_on_their_sounds(self) -> None:
        """So much of the way through a sound, wherever its edges are by now; the same for handles."""
        flat = Flat.of(reading())
        k = next(i for i, p in enumerate(flat.phones) if flat.touches(i) and p.end - p.start > 0.08)
        phone = flat.phones[k]
        key = key_at(reading(), phone.start + 0.25 * (phone.end - phone.start), 0.5)
        moved = move_edge(reading(), Edge(k), phone.start + 0.04)
        new = Flat.of(moved).phones[k]
        self.assertAlmostEqual(
            time_of(key.at, moved), new.start + 0.25 * (new.end - new.start), places=6
        )
        self.assertNotAlmostEqual(time_of(key.at, moved), time_of(key.at, reading()), places=3)

    @given(st.floats(-1, 14))
    @examples(50)
    def test_a_place_is_on_the_nearest_sound(self, seconds: float) -> None:
        flat, found = Flat.of(reading()), anchored(reading(), seconds)
        away = [max(p.start - seconds, seconds - p.end, 0.0) for p in flat.phones]
        self.assertEqual(away[found.sound], min(away))
        self.assertAlmostEqual(time_of(found, reading()), seconds, places=5)

    def test_what_is_no_key_is_refused_in_one_sentence(self) -> None:
        good = a_touch((1, 0), (2, 1))
        nowhere = Key(Anchor(float("nan")), 0.0)
        for bad, words in (
            (msgspec.structs.replace(good, channel="ear_left"), "no channel"),
            (msgspec.structs.replace(good, keys=()), "no keys"),
            (msgspec.structs.replace(good, keys=(nowhere,)), "nowhere"),
            (msgspec.structs.replace(good, keys=(key_at(reading(), 1, 1e9),)), "no face can show"),
            (msgspec.structs.replace(good, about=float("inf")), "no face can show"),
        ):
            with self.assertRaisesRegex(GlyphosError, words):
                check_touches((bad,), list(ranges()))
        check_touches((good,), list(ranges()))
        with self.assertRaisesRegex(GlyphosError, "no region"):
            check_mix(Mix(life=Lay(regions=("hair",))))


class Laid(unittest.TestCase):
    def test_each_mode_does_what_it_says_and_nothing_beyond_its_reach(self) -> None:
        own = curve()
        for mode, value, wanted in (
            ("add", 0.1, lambda v: v + 0.1), ("replace", 0.33, lambda v: 0 * v + 0.33), ("scale", 0.5, lambda v: 0.5 * v),
        ):  # fmt: skip
            nothing = {"add": 0.0, "scale": 1.0}.get(mode, value)
            made = touched_with(
                a_touch((2, nothing), (3, value), (4, value), (5, nothing), mode=mode)
            ).channel(CORNER)
            inside = slice(3 * 24, 4 * 24 + 1)
            np.testing.assert_allclose(
                made[inside], np.clip(wanted(own.values[inside]), 0, 1), atol=1e-9
            )
            beyond = (own.times < 2 - FADE) | (own.times > 5 + FADE)
            np.testing.assert_array_equal(made[beyond], own.values[beyond], mode)

    def test_a_lift_of_the_whole_line_goes_on_to_its_ends(self) -> None:
        made = touched_with(a_touch((2, 0.1), (5, 0.1))).channel(CORNER)
        np.testing.assert_allclose(made, np.clip(curve().values + 0.1, 0, 1), atol=1e-12)

    def test_what_is_kept_of_them_is_of_one_reading_and_its_frames(self) -> None:
        """The same touch-up over other timing, and at other times of the face, is drawn anew."""
        touch = a_touch((2, 0), (3, 0.3), (4, 0))
        times, level = np.arange(0, 9, 1 / 24), np.zeros(216)
        first = touched(level, [touch], times, reading())
        flat = Flat.of(reading())
        other = reading()
        for k in reversed(range(1, len(flat.phones))):
            if flat.phones[k].start == flat.phones[k - 1].end and 2 < flat.phones[k].start < 4:
                middle = flat.phones[k].start + 0.25 * (flat.phones[k].end - flat.phones[k].start)
                other = move_edge(other, Edge(k), middle)
        for own, at in ((other, times), (reading(), times / 2), (reading(), times)):
            made = touched(level, [touch], at, own)
            inside = (at >= times_of(touch, own).min()) & (at <= times_of(touch, own).max())
            np.testing.assert_array_equal(made[inside], key_curve(touch, own, at)[inside])
        np.testing.assert_array_equal(touched(level, [touch], times, reading()), first)
        self.assertGreater(np.abs(touched(level, [touch], times, other) - first).max(), 0.002)
        for k in range(3 * DRAWN):  # a long drag does not pile up
            touched(level, [a_touch((2, 0), (3, k / 1000), (4, 0))], times, other)
        self.assertLessEqual(max(len(b.drawn) for b in laying._beds), DRAWN + 1)
        self.assertLessEqual(len(laying._beds), laying.BEDS)

    def test_they_are_laid_in_their_order(self) -> None:
        add, half = a_touch((1, 0.2), (9, 0.2)), a_touch((1, 0.5), (9, 0.5), mode="scale")
        own = curve().values
        first, second = touched_with(add, half), touched_with(half, add)
        np.testing.assert_allclose(
            first.channel(CORNER), 0.5 * np.clip(own + 0.2, 0, 1.2), atol=1e-9
        )
        np.testing.assert_allclose(second.channel(CORNER), 0.5 * own + 0.2, atol=1e-9)

    def test_a_channel_that_did_not_move_may_be_touched_up(self) -> None:
        self.assertNotIn("cheeks_puff", whole().motion.names)
        made = touched_with(a_touch((2, 0), (3, 0.6), (4, 0), channel="cheeks_puff"))
        self.assertAlmostEqual(made.channel("cheeks_puff").max(), 0.6, places=2)
        self.assertNotIn("cheeks_puff", whole().retouched((), reading()).motion.names)

    @given(st.lists(st.tuples(st.sampled_from(sorted(ranges())), st.sampled_from(["add", "scale", "replace"]),
                              st.floats(0, 8), st.floats(-1, 1)), max_size=5), st.integers(0, 4))  # fmt: skip
    @examples(40)
    def test_touching_up_what_is_composed_is_composing_anew(
        self, wishes: list[tuple[str, str, float, float]], keep: int
    ) -> None:
        touches = [a_touch((t, v), (t + 1, v / 2), mode=m, channel=c) for c, m, t, v in wishes]
        before = whole().retouched(touches[:keep], reading())
        anew = composed(
            speech(),
            reading(),
            PLAIN,
            life=life(),
            moods=(MoodSpan("joy", 1.0, 8.0, 0.8),),
            touches=touches,
        )
        again = before.retouched(touches, reading()).motion
        self.assertEqual(again.names, anew.motion.names)
        np.testing.assert_array_equal(again.values, anew.motion.values)

    def test_rounding_that_is_let_go_gives_spread_lips_back(self) -> None:
        """One keeps the other's promise: what rounding took from spreading comes back with it."""
        wide = a_touch((1, 0.9), (9, 0.9), mode="replace", channel="lips_wide")
        round_ = a_touch((1, 0.9), (9, 0.9), mode="replace", channel="lips_round")
        spread = whole().retouched((wide,), reading())
        both = spread.retouched((wide, round_), reading())
        self.assertLess(both.motion.channel("lips_wide")[48:200].max(), 0.31)
        back = both.retouched((wide,), reading()).motion
        np.testing.assert_array_equal(back.channel("lips_wide"), spread.motion.channel("lips_wide"))

    @given(
        st.lists(st.tuples(st.sampled_from(sorted(ranges())), st.sampled_from(["add", "scale", "replace"]),
                           st.floats(0, 8), st.floats(-2, 2)), max_size=6),
        st.lists(st.sampled_from(sorted(moods())), max_size=2),
        st.sampled_from([12, 15, 24, 25, 30, 60]),
        st.lists(st.tuples(st.booleans(), st.floats(0.5, 1.5), st.sampled_from([ALL, ("mouth",), ("brows", "head")])),
                 min_size=5, max_size=5),
        st.booleans(),
    )  # fmt: skip
    @examples(30)
    def test_speech_keeps_its_promises_whatever_lies_on_it(
        self, wishes: list[tuple[str, str, float, float]], felt: list[str], fps: int,
        lays: list[tuple[bool, float, tuple[str, ...]]], lively: bool,
    ) -> None:  # fmt: skip
        """Closures, teeth on the lip and rounding, under every mix of layers in which there is speech."""
        touches = [a_touch((t, v), (t + 0.7, v), mode=m, channel=c) for c, m, t, v in wishes]
        mix = Mix(*(Lay(on, False, much, where) for on, much, where in lays)).changed(
            "speech", on=True, regions=ALL, strength=max(0.5, lays[0][1])
        )
        times = np.arange(0, 12, 0.05)
        recorded = Layer(
            times,
            {n: np.sin(times * 7) ** 2 for n in ("lips_part", "jaw_open", "lips_wide", "head_yaw")},
        )
        own = speech(fps)
        made = compose(
            own, reading(), PLAIN, life=life() if lively else None,
            moods=[MoodSpan(m, 1 + k, 9, 1.0, 0.1, 0.1) for k, m in enumerate(felt)],
            layers=[recorded], touches=touches, mix=mix,
        )  # fmt: skip
        for phone in reading().phones():
            if gestures.closes_lips(phone.ipa):
                a, b = (float(in_the_face(t, PLAIN)) * fps for t in (phone.start, phone.end))
                at = np.arange(max(0, int(np.ceil(a - 0.5))), min(own.frames, int(b + 0.5) + 1))
                at = at[own.channel("lips_part")[at] <= 1e-6]
                self.assertLess(made.channel("lips_part")[at].max(initial=0.0), 0.02, phone)
        held = own.channel("lip_to_teeth") >= 0.85
        self.assertGreaterEqual(
            (made.channel("lip_to_teeth") - own.channel("lip_to_teeth"))[held].min(initial=0.0),
            -1e-9,
        )
        round_ = own.channel("lips_round") >= 0.75
        self.assertGreaterEqual(
            (made.channel("lips_round") - own.channel("lips_round"))[round_].min(initial=0.0), -1e-9
        )
        both = np.minimum(made.channel("lips_wide"), made.channel("lips_round"))
        self.assertLess(
            (
                both
                - np.maximum(0.3, np.minimum(own.channel("lips_wide"), own.channel("lips_round")))
            ).max(),
            1e-6,
        )
        for name in made.names:
            low, high = ranges()[name]
            self.assertTrue(
                ((made.channel(name) >= low) & (made.channel(name) <= high)).all(), name
            )

    def test_a_free_touch_up_opens_a_closure(self) -> None:
        """A wish that is marked so stands, whatever speech promises."""
        phone = next(p for p in reading().phones() if gestures.closes_lips(p.ipa))
        at = round(float(in_the_face((phone.start + phone.end) / 2, PLAIN)) * 24)
        open_ = a_touch(
            (phone.start - 0.3, 0.5), (phone.end + 0.3, 0.5), mode="replace", channel="lips_part"
        )
        kept = touched_with(open_).channel("lips_part")[at]
        free = touched_with(msgspec.structs.replace(open_, free=True)).channel("lips_part")[at]
        self.assertLess(kept, 0.02)
        self.assertAlmostEqual(free, 0.5)


class Mixed(unittest.TestCase):
    def mixed(self, mix: Mix) -> Motion:
        return compose(
            speech(), reading(), PLAIN, life=life(), moods=(MoodSpan("joy", 1.0, 8.0, 0.8),),
            touches=(a_touch((1, 0.2), (9, 0.2)),), mix=mix,
        )  # fmt: skip

    def moving(self, mix: Mix) -> set[str]:
        motion = self.mixed(mix)
        return {region_of(n) for n in motion.names if np.ptp(motion.channel(n)) > 1e-6}

    def test_off_solo_and_regions(self) -> None:
        everything = self.moving(Mix())
        self.assertEqual(everything, set(ALL))
        self.assertEqual(self.moving(Mix().only("speech")), {"mouth"})
        self.assertEqual(self.mixed(Mix().only("speech")).values.tobytes(),
                         self.mixed(Mix().changed("life", on=False).changed("mood", on=False).changed("touch", on=False)).values.tobytes())  # fmt: skip
        np.testing.assert_allclose(
            self.mixed(Mix().only("speech")).channel("jaw_open"), speech().channel("jaw_open")
        )
        self.assertNotIn("head", self.moving(Mix().changed("life", regions=("lids", "brows"))))
        silent = self.mixed(Mix().changed("speech", on=False))
        self.assertEqual(silent.channel("lips_round").max(), 0.0)
        self.assertGreater(silent.channel(CORNER).max(), 0.3)

    def test_strengths_scale(self) -> None:
        half = self.mixed(Mix().only("life").changed("life", strength=0.5))
        full = self.mixed(Mix().only("life"))
        np.testing.assert_allclose(
            half.channel("head_yaw"), 0.5 * full.channel("head_yaw"), atol=1e-9
        )
        touched = self.mixed(Mix().only("touch").changed("touch", strength=0.5))
        self.assertAlmostEqual(touched.channel(CORNER).max(), 0.1)
        loud = self.mixed(Mix().only("speech").changed("speech", strength=0.6))
        np.testing.assert_allclose(loud.channel("jaw_open"), 0.6 * speech().channel("jaw_open"))
        np.testing.assert_allclose(loud.channel("lips_round"), speech().channel("lips_round"))

    def test_every_layer_can_be_asked_by_itself(self) -> None:
        for name in LAYERS:
            self.assertEqual([n for n in LAYERS if Mix().only(name).counts(n)], [name])


class Shaping(unittest.TestCase):
    def test_a_pull_moves_the_curve_there_and_falls_off(self) -> None:
        own = curve()
        made = touched_with(shaping.pull(own, reading(), 3.0, 0.25, 2.6, 3.5)).channel(CORNER)
        self.assertAlmostEqual(made[72] - own.values[72], 0.25, places=6)
        change = made - own.values
        self.assertEqual(int(change.argmax()), 72)
        self.assertTrue(
            (np.diff(change[62:73]) >= -1e-9).all() and (np.diff(change[72:90]) <= 1e-9).all()
        )
        self.assertFalse(change[: int(2.6 * 24)].any() or change[int(3.5 * 24) + 1 :].any())

    def test_lift_scale_and_hold(self) -> None:
        own = curve()
        part = slice(3 * 24, 5 * 24 + 1)
        lifted = touched_with(shaping.lift(own, reading(), 0.1, 3, 5)).channel(CORNER)
        np.testing.assert_allclose(lifted[part] - own.values[part], 0.1, atol=1e-9)
        for kind in shaping.ABOUT:
            about = shaping.middle_of(own, 3, 5, kind)
            made = touched_with(shaping.scale(own, reading(), 0.4, 3, 5, about)).channel(CORNER)
            np.testing.assert_allclose(
                made[part], about + 0.4 * (own.values[part] - about), atol=1e-9
            )
        held = touched_with(shaping.hold(own, reading(), 0.37, 3, 5)).channel(CORNER)
        np.testing.assert_allclose(held[part], 0.37)

    def test_smoothing_takes_a_wobble_away_and_leaves_the_ends(self) -> None:
        """A wobble of 6 Hz on a slow rise: a Gaussian of 60 ms leaves exp(-2 (pi f s)^2) = 8 % of it."""
        times = np.arange(0, 10, 1 / 60)
        slow = 0.3 + 0.02 * times
        own = Curve(CORNER, times, slow + 0.05 * np.sin(2 * np.pi * 6 * times))
        touch = shaping.smooth(own, reading(), 3.0, 6.0, 0.06)
        inner = (times > 3.3) & (times < 5.7)
        left = key_curve(touch, reading(), times[inner]) - slow[inner]
        self.assertLess(np.abs(left).max(), 0.05 * np.exp(-2 * (np.pi * 6 * 0.06) ** 2) + 0.006)
        at = times_of(touch, reading())
        for end in (0, -1):
            self.assertAlmostEqual(touch.keys[end].value, own.at(float(at[end])), places=6)

    def test_easing_leaves_both_ends_and_never_passes_them(self) -> None:
        own = curve("jaw_open")
        touch = shaping.ease(own, reading(), 3.0, 3.6)
        a, b = own.at(times_of(touch, reading())[0]), own.at(times_of(touch, reading())[1])
        made = key_curve(touch, reading(), np.linspace(3.0, 3.6, 50))
        self.assertAlmostEqual(made[0], a, delta=0.02)
        self.assertTrue((made >= min(a, b) - 1e-9).all() and (made <= max(a, b) + 1e-9).all())
        self.assertEqual(len(touch.keys), 2)

    def test_fewer_keys_keep_within_the_stated_error(self) -> None:
        for channel, error in ((CORNER, 0.01), ("jaw_open", 0.02), ("head_yaw", 0.005)):
            own = curve(channel)
            touch = shaping.fewer(own, reading(), 1.0, 9.0, error)
            self.assertLessEqual(shaping.away(own, touch, reading()), error + 1e-6)
            self.assertLess(len(touch.keys), 8 * 24 / 2)

    def test_a_copy_on_the_other_side_and_on_another_range(self) -> None:
        own = curve("brow_outer_raise_left")
        other = shaping.other_side(own.channel)
        self.assertEqual(other, "brow_outer_raise_right")
        made = touched_with(shaping.copied(own, reading(), other, 1, 9)).channel(other)
        np.testing.assert_allclose(made[24:217], own.values[24:217], atol=0.006)
        turned = touched_with(shaping.copied(own, reading(), "head_pitch", 1, 9)).channel(
            "head_pitch"
        )
        np.testing.assert_allclose(turned[24:217], 35 * own.values[24:217], atol=0.4)
        with self.assertRaisesRegex(EditError, "no other side"):
            shaping.other_side("jaw_open")

    def test_a_stretch_too_short_is_said(self) -> None:
        with self.assertRaisesRegex(EditError, "shorter than two frames"):
            shaping.smooth(curve(), reading(), 3.0, 3.01)
        with self.assertRaisesRegex(EditError, "error"):
            shaping.fewer(curve(), reading(), 3.0, 4.0, 0.0)

    def test_keys_are_set_moved_and_taken_one_by_one(self) -> None:
        touch = a_touch((2, 0), (3, 0.5), (4, 0))
        more = shaping.with_key(touch, reading(), key_at(reading(), 3.5, 0.2, "line"))
        self.assertEqual([k.value for k in more.keys], [0, 0.5, 0.2, 0])
        again = shaping.with_key(more, reading(), key_at(reading(), 3.5, 0.4))
        self.assertEqual([k.value for k in again.keys], [0, 0.5, 0.4, 0])
        moved = shaping.moved_key(more, reading(), 1, 9.0, 0.7)
        np.testing.assert_allclose(times_of(moved, reading()), [2, 3.499, 3.5, 4], atol=1e-6)
        self.assertEqual(moved.keys[1].value, 0.7)
        fewer = shaping.without_key(touch, 1)
        assert fewer is not None
        self.assertEqual(len(fewer.keys), 2)
        self.assertIsNone(shaping.without_key(a_touch((2, 0)), 0))
