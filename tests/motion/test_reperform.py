"""A stretch computed anew while one drags is what the whole computation would give."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.motion.curve import differing
from glyphos.motion.delivery import Delivery
from glyphos.motion.loudness import Loudness
from glyphos.motion.perform import perform, reperform
from glyphos.speech import edits
from glyphos.speech.parts import Flat
from tests.examples import examples
from tests.speech.made import phrase, reading, word


def long_reading():  # type: ignore[no-untyped-def]
    import msgspec

    base = reading()
    phrases = [
        phrase(p.text, *(word(w.text, round(w.start + 3.4 * k, 4), " ".join(q.ipa for q in w.phones)) for w in p.words))
        for k in range(6) for p in base.phrases
    ]  # fmt: skip
    audio = msgspec.structs.replace(base.audio, duration=3.4 * 6)
    return msgspec.structs.replace(base, phrases=tuple(phrases), audio=audio)


LINE = long_reading()
LOUDNESS = Loudness(0.05, np.random.default_rng(0).uniform(-40, -10, 500))


class Stretches(unittest.TestCase):
    @given(st.floats(0, 19), st.floats(0.1, 3), st.sampled_from([12, 24, 60]), st.floats(-100, 200),
           st.floats(80, 600), st.floats(0, 120))  # fmt: skip
    @examples(40)
    def test_a_stretch_equals_the_whole(
        self, start: float, length: float, fps: int, lead: float, settle: float, smoothing: float
    ) -> None:
        delivery = Delivery(lead=lead, settle=settle, smoothing=smoothing)
        whole = perform(LINE, delivery, fps=fps, loudness=LOUDNESS)
        other = perform(LINE, Delivery(articulation=0.2, lead=lead), fps=fps, loudness=LOUDNESS)
        made = reperform(other, LINE, delivery, start=start, end=start + length, loudness=LOUDNESS)
        inside = slice(max(0, int(start * fps)), min(whole.frames, int((start + length) * fps)))
        np.testing.assert_allclose(made.values[inside], whole.values[inside], atol=4e-3)

    def test_a_dragged_edge_changes_nothing_far_away(self) -> None:
        before = perform(LINE, fps=60)
        flat = Flat(LINE)
        edge = flat.edges[40]
        time = flat.edge_time(edge)
        moved = edits.move_edge(LINE, edge, time + 0.05)
        made = reperform(before, moved, Delivery(), start=time - 1.6, end=time + 1.6)
        whole = perform(moved, fps=60)
        np.testing.assert_allclose(made.values, whole.values, atol=4e-3)
        self.assertGreater(np.abs(made.values - before.values).max(), 0.05)

        low, high = differing(before, made, time - 1.6, time + 1.6)
        times = np.arange(made.frames) / 60
        change = np.abs(made.values - before.values).max(axis=1)
        self.assertLess(change[(times < low) | (times > high)].max(), 2e-4)
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
