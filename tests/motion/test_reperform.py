"""A stretch computed anew while one drags is what the whole computation would give."""

from __future__ import annotations

import unittest
from unittest import mock

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.motion import solving
from glyphos.motion.curve import differing
from glyphos.motion.delivery import Delivery
from glyphos.motion.loudness import Loudness
from glyphos.motion.perform import perform, reperform
from glyphos.speech import edits
from glyphos.speech.parts import Flat
from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word
from tests.examples import examples, some
from tests.motion.promised import RATES, TABLE


def spoken(said: list[tuple[str, float, float]]) -> Reading:
    """A line of (sound, seconds, pause before it), in phrases of some words."""
    at, phrases, words, phones = 0.4, [], [], []
    for k, (name, length, gap) in enumerate(said):
        at += gap
        phones.append(Phone(name, at, at + length, k % 3 % 2))
        at += length
        if len(phones) == 3 or k == len(said) - 1:
            words.append(Word("x", phones[0].start, at, 1.0, tuple(phones)))
            phones = []
        if words and not phones and (len(words) == 5 or k == len(said) - 1):
            phrases.append(Phrase("x", words[0].start, at, tuple(words)))
            words = []
    return Reading("en", AudioInfo("x.wav", at + 0.8, 16000), tuple(phrases))


sounds = st.lists(
    st.tuples(st.sampled_from(TABLE), st.floats(0.03, 0.2),
              st.sampled_from([0.0] * 12 + [0.1, 0.4, 0.9, 3.0])), min_size=25, max_size=70,
)  # fmt: skip
deliveries = st.builds(
    Delivery, articulation=st.floats(0.3, 1.8), jaw_reach=st.floats(0.2, 2), lead=st.floats(-100, 200),
    smoothing=st.floats(0, 120), pace=st.floats(0.5, 2), hold=st.floats(0, 1), settle=st.floats(80, 600),
)  # fmt: skip
LOUDNESS = Loudness(0.05, np.random.default_rng(0).uniform(-40, -10, 500))
LINE = spoken(
    [("tɑpiswɛmoʊ"[k % 10], 0.05 + 0.01 * (k % 7), 0.5 * (k % 23 == 22)) for k in range(230)]
)
CLOSE = 0.002
GAPS = [0.0] * 6 + [0.4, 1.3, 2.5]


class Stretches(unittest.TestCase):
    @examples(30)
    @given(
        sounds, deliveries, deliveries, st.sampled_from(RATES), st.floats(0, 1), st.floats(0.1, 3)
    )
    def test_a_stretch_equals_the_whole(self, said, before, after, fps, where, length) -> None:  # type: ignore[no-untyped-def]
        line = spoken(said)
        start = where * line.audio.duration
        other = perform(line, before, fps=fps, loudness=LOUDNESS)
        whole = perform(line, after, fps=fps, loudness=LOUDNESS)
        made = reperform(other, line, after, start=start, end=start + length, loudness=LOUDNESS)
        inside = slice(max(0, int(start * fps)), min(whole.frames, int((start + length) * fps)))
        np.testing.assert_allclose(  # as long lines in parts are
            made.values[inside], whole.values[inside], atol=3 * CLOSE
        )

    @examples(30)
    @given(
        st.lists(
            st.tuples(st.sampled_from(TABLE), st.floats(0.03, 0.2),
                      st.sampled_from([0.0] * 8 + [0.4, 1.3, 2.5])), min_size=25, max_size=70,
        ),
        deliveries, st.sampled_from(RATES), st.floats(0, 1), st.sampled_from(["breath", "shut"]),
    )  # fmt: skip
    def test_a_long_line_in_parts_is_the_line_at_once(
        self, said, delivery, fps, where, kind
    ) -> None:  # type: ignore[no-untyped-def]
        line = spoken(said)
        at = where * line.audio.duration
        line = msgspec.structs.replace(line, marks=(Mark(kind, at, at + 0.3),))
        with mock.patch.object(solving, "STRETCH", 1e9):
            whole = perform(line, delivery, fps=fps)
        with mock.patch.object(solving, "STRETCH", 0.2):  # each within CLOSE of the best
            parts = perform(line, delivery, fps=fps)
        assert parts.curves is not None and whole.curves is not None
        np.testing.assert_allclose(
            parts.curves.spline.points, whole.curves.spline.points, atol=3 * CLOSE
        )

    def test_where_little_is_asked_for_long_curves_are_the_best_all_the_same(self) -> None:
        """Where a line settles slowly, a small force that is left moves much: these lines were found by chance."""
        slow = Delivery(smoothing=10, settle=560)
        for seed in some((121, 123, 209, 227), 2):
            draw = np.random.default_rng(seed)
            line = spoken(
                [
                    (
                        str(draw.choice(TABLE)),
                        float(draw.uniform(0.03, 0.2)),
                        float(draw.choice(GAPS)),
                    )
                    for _ in range(60)
                ]
            )
            made = []
            for stretch in (1e9, 0.2):
                with mock.patch.object(solving, "STRETCH", stretch):
                    made.append(perform(line, slow, fps=24).curves.spline.points)
            np.testing.assert_allclose(*made, atol=CLOSE)

    @examples(30)
    @given(sounds, deliveries, st.sampled_from(RATES), st.floats(0, 1), st.floats(-0.05, 0.05))
    def test_a_dragged_edge_gives_what_the_whole_does(self, said, delivery, fps, where, by) -> None:  # type: ignore[no-untyped-def]
        line = spoken(said)
        edge = Flat(line).edges[int(where * (len(Flat(line).edges) - 1))]
        time = Flat(line).edge_time(edge)
        moved = edits.move_edge(line, edge, time + by)
        start, end = time - abs(by) - 0.75, time + abs(by) + 0.75
        made = reperform(perform(line, delivery, fps=fps), moved, delivery, start=start, end=end)
        whole = perform(moved, delivery, fps=fps)
        inside = slice(max(0, int(start * fps)), min(whole.frames, int(end * fps)))
        np.testing.assert_allclose(made.values[inside], whole.values[inside], atol=CLOSE)

    def test_so_it_does_where_nothing_is_said_for_long(self) -> None:
        """A line may begin, pause and end in silence that is longer than what is solved."""
        for gap in (0.9, 6.0):
            line = spoken([("tɑpis"[k % 5], 0.125, gap * (k in (0, 15))) for k in range(30)])
            line = msgspec.structs.replace(line, audio=AudioInfo("x.wav", line.phrases[-1].end + 6, 16000))  # fmt: skip
            before, whole = perform(line, fps=24), perform(line, Delivery(articulation=1.4), fps=24)
            for start in np.arange(0, line.audio.duration, 0.5):
                for length in (0.1, 0.8):
                    made = reperform(before, line, Delivery(articulation=1.4), start=start, end=start + length)  # fmt: skip
                    inside = slice(int(start * 24), min(whole.frames, int((start + length) * 24)))
                    np.testing.assert_allclose(made.values[inside], whole.values[inside], atol=CLOSE)  # fmt: skip

    def test_a_stretch_of_a_laugh_is_that_of_the_whole_laugh(self) -> None:
        laugh = spoken(
            [("hɑ"[k % 2], 0.06 + 0.01 * (k % 5), 0.4 * (k % 40 == 39)) for k in range(160)]
        )
        wide = perform(laugh, Delivery(jaw_reach=1.5), fps=60)
        whole = perform(laugh, fps=60)
        for start in np.linspace(1.0, 8.0, 25):
            made = reperform(wide, laugh, Delivery(), start=start, end=start + 0.2)
            inside = slice(int(start * 60), int((start + 0.2) * 60))
            np.testing.assert_allclose(made.values[inside], whole.values[inside], atol=CLOSE)

    def test_a_dragged_edge_changes_nothing_far_away(self) -> None:
        before = perform(LINE, fps=60)
        flat = Flat(LINE)
        edge = flat.edges[40]
        time = flat.edge_time(edge)
        moved = edits.move_edge(LINE, edge, time + 0.05)
        made = reperform(before, moved, Delivery(), start=time - 1.6, end=time + 1.6)
        whole = perform(moved, fps=60)
        np.testing.assert_allclose(made.values, whole.values, atol=CLOSE)
        self.assertGreater(np.abs(made.values - before.values).max(), 0.05)

        low, high = differing(before, made, time - 1.6, time + 1.6)
        times = np.arange(made.frames) / 60
        change = np.abs(made.values - before.values).max(axis=1)
        self.assertLess(change[(times < low) | (times > high)].max(), 2e-3)
        self.assertTrue(time - 1.0 < low < time < high < time + 1.0)  # and no more than that
        self.assertEqual(differing(made, made, 1.0, 2.0), (1.5, 1.5))

    def test_another_length_is_computed_whole(self) -> None:
        import msgspec

        before = perform(LINE, fps=24)
        audio = msgspec.structs.replace(LINE.audio, duration=30.0)
        longer = msgspec.structs.replace(LINE, audio=audio)
        made = reperform(before, longer, Delivery(), start=1, end=2)
        self.assertEqual(made.frames, perform(longer, fps=24).frames)

    def test_what_is_handed_out_cannot_be_written_to(self) -> None:
        made = reperform(perform(LINE, fps=24), LINE, Delivery(), start=1, end=2)
        with self.assertRaises(ValueError):
            made.values[0, 0] = 1.0
