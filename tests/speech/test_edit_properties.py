"""What holds of every correction, on readings of any shape."""

from __future__ import annotations

import unittest

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from glyphos.errors import EditError
from glyphos.speech import edits
from glyphos.speech.parts import TOUCH, Edge, Flat, Part
from glyphos.speech.reading import Reading, decode, encode
from tests.speech.strategies import readings
from tests.speech.test_edits import in_order

MANY = settings(max_examples=40, deadline=None)


def consistent(r: Reading) -> bool:
    """Words and phrases begin and end with their sounds."""
    words = all(w.start == w.phones[0].start and w.end == w.phones[-1].end for w in r.words())
    phrases = all(p.start == p.words[0].start and p.end == p.words[-1].end for p in r.phrases)
    return words and phrases and in_order(r)


def pins(r: Reading) -> dict[Edge, float]:
    flat = Flat(r)
    return {e: flat.edge_time(e) for e in flat.edges if flat.pinned(e)}


class Corrections(unittest.TestCase):
    @given(readings(), st.data())
    @MANY
    def test_moving_an_edge_keeps_order_pins_and_everything_else(
        self, r: Reading, data: st.DataObject
    ) -> None:
        flat = Flat.of(r)
        self.assertEqual(len(flat.starts), len(flat.phones))
        edge = data.draw(st.sampled_from(flat.edges))
        seconds = data.draw(st.floats(-0.5, r.audio.duration + 0.5))
        moved = edits.move_edge(r, edge, seconds)
        self.assertTrue(consistent(moved))
        after = Flat(moved)
        for view in ("words", "phones", "phrase_of", "word_of", "first", "edges", "starts"):
            self.assertEqual(getattr(Flat.of(moved), view), getattr(after, view))  # as remembered
        for pinned, time in pins(r).items():
            if pinned != edge:
                self.assertEqual(after.edge_time(edits.canonical(after, pinned)), time)
        self.assertTrue(after.pinned(edits.canonical(after, edge)))
        self.assertEqual([p.ipa for p in r.phones()], [p.ipa for p in moved.phones()])
        self.assertEqual([w.text for w in r.words()], [w.text for w in moved.words()])

    @given(readings(), st.data())
    @MANY
    def test_an_edge_moved_a_little_in_free_room_goes_where_it_is_put(
        self, r: Reading, data: st.DataObject
    ) -> None:
        flat = Flat(r)
        edge = data.draw(st.sampled_from(flat.edges))
        before, after = flat.edge_before(edge), flat.edge_after(edge)
        low = flat.edge_time(before) + 0.011 if before else 0.0
        high = flat.edge_time(after) - 0.011 if after else r.audio.duration
        assume(low < high)
        seconds = round(data.draw(st.floats(low, high)), 4)
        moved = edits.move_edge(r, edge, seconds)
        self.assertAlmostEqual(Flat(moved).edge_time(edge), seconds, places=4)
        changed = sum(a.start != b.start for a, b in zip(r.phones(), moved.phones(), strict=True))
        self.assertLessEqual(changed, 1)

    @given(readings(), st.data())
    @MANY
    def test_moving_a_part_is_rigid_and_stops_at_pins(
        self, r: Reading, data: st.DataObject
    ) -> None:
        level = data.draw(st.sampled_from(["phrase", "word", "sound"]))
        flat = Flat(r)
        part = Part(level, data.draw(st.integers(0, flat.count(level) - 1)))
        moved = edits.move_part(r, part, data.draw(st.floats(-1, 1)))
        self.assertTrue(consistent(moved))
        a, b = flat.sound_range(part)
        shifts = {
            round(y.start - x.start, 3)
            for x, y in zip(flat.phones[a:b], Flat(moved).phones[a:b], strict=True)
        }
        self.assertLessEqual(max(shifts) - min(shifts), 0.00101)
        for edge, time in pins(r).items():
            inside = a <= edge.sound < b or (edge.sound == b and flat.touches(b))
            if not inside:
                self.assertAlmostEqual(Flat(moved).edge_time(edge), time, places=4)

    @given(readings(), st.data())
    @MANY
    def test_sounds_come_and_go_without_moving_other_words(
        self, r: Reading, data: st.DataObject
    ) -> None:
        flat = Flat(r)
        sound = data.draw(st.integers(0, len(flat.phones) - 1))
        word = flat.word_of[sound]
        more = edits.insert_sound(r, sound, "m", after=data.draw(st.booleans()))
        self.assertTrue(consistent(more))
        self.assertEqual(Flat(more).count("sound"), flat.count("sound") + 1)
        for k, (a, b) in enumerate(zip(flat.words, more.words(), strict=True)):
            if k != word:
                self.assertEqual(a, b)
        if len(flat.words[word].phones) > 1:
            fewer = edits.delete_sound(r, sound)
            self.assertTrue(consistent(fewer))
            self.assertEqual((list(fewer.words())[word].start, list(fewer.words())[word].end),
                             (flat.words[word].start, flat.words[word].end))  # fmt: skip

    @given(readings(), st.data())
    @MANY
    def test_split_and_join_are_each_other_s_undoing(self, r: Reading, data: st.DataObject) -> None:
        flat = Flat(r)
        sound = data.draw(st.integers(0, len(flat.phones) - 1))
        number = flat.word_of[sound]
        try:
            split = edits.split_word(r, sound, ("le", "ft"))
        except EditError:
            self.assertEqual(sound, flat.first[number])
            return
        self.assertTrue(consistent(split))
        self.assertEqual(Flat(split).count("word"), flat.count("word") + 1)
        joined = edits.join_words(split, number)
        self.assertEqual(list(joined.phones()), flat.phones)
        self.assertEqual(list(joined.words())[number].text, "left")

    @given(readings(), st.data())
    @MANY
    def test_phrases_split_and_joined_keep_every_word_in_time(
        self, r: Reading, data: st.DataObject
    ) -> None:
        flat = Flat(r)
        word = data.draw(st.integers(0, len(flat.words) - 1))
        try:
            split = edits.split_phrase(r, word)
        except EditError:
            return
        self.assertEqual(list(split.words()), flat.words)
        self.assertEqual(len(split.phrases), len(r.phrases) + 1)
        joined = edits.join_phrases(split, flat.phrase_of[word])
        self.assertEqual(list(joined.words()), flat.words)
        self.assertEqual(joined.phrases[flat.phrase_of[word]].text.split(),
                         r.phrases[flat.phrase_of[word]].text.split())  # fmt: skip

    @given(readings(), st.data())
    @MANY
    def test_pins_are_counted_lifted_and_set(self, r: Reading, data: st.DataObject) -> None:
        flat = Flat(r)
        part = Part("word", data.draw(st.integers(0, len(flat.words) - 1)))
        lifted = edits.lift_pins(r, part)
        a, b = flat.sound_range(part)
        self.assertEqual(edits.pin_count(lifted, part), 0)
        pinned = edits.pin_part(lifted, part)
        self.assertTrue(Flat(pinned).pinned(Edge(a)) and Flat(pinned).pinned(flat.end_edge(b - 1)))
        whole = r
        for number in range(len(r.phrases)):
            whole = edits.lift_pins(whole, Part("phrase", number))
        self.assertEqual(edits.pin_count(whole), 0)
        self.assertEqual([p.start for p in whole.phones()], [p.start for p in r.phones()])

    @given(readings())
    @MANY
    def test_a_reading_is_written_and_read_again(self, r: Reading) -> None:
        self.assertEqual(decode(encode(r)), r)

    @given(readings(), st.data())
    @MANY
    def test_the_script_follows_splits_with_all_else_as_written(
        self, r: Reading, data: st.DataObject
    ) -> None:
        script = "PIP: " + "\n\n".join(p.text for p in r.phrases)
        flat = Flat(r)
        word = data.draw(st.integers(0, len(flat.words) - 1))
        try:
            split = edits.split_phrase(r, word)
        except EditError:
            return
        made = edits.script_with(script, r, split)
        self.assertEqual(made.split(), script.split())
        self.assertEqual(made.count("\n"), script.count("\n") + 1)
        self.assertEqual(edits.script_with(script, r, r), script)


class Views(unittest.TestCase):
    @given(readings(), st.floats(0, 5), st.floats(0, 5))
    @MANY
    def test_what_is_in_a_stretch_is_found_quickly_and_rightly(
        self, r: Reading, a: float, b: float
    ) -> None:
        flat, (low, high) = Flat(r), sorted((a, b))
        self.assertEqual(flat.edges_between(low, high),
                         [e for e in flat.edges if low - TOUCH <= flat.edge_time(e) <= high + TOUCH])  # fmt: skip
        inside = {k for k, p in enumerate(flat.phones) if p.end > low and p.start < high}
        self.assertTrue(inside <= set(flat.sounds_between(low, high)))
        self.assertIs(Flat.of(r), Flat.of(r))
