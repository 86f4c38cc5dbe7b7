"""Corrections by hand: what is pinned stays, what is pushed keeps its order, nothing is lost."""

from __future__ import annotations

import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from glyphos.errors import EditError
from glyphos.speech import edits
from glyphos.speech.parts import TOUCH, Edge, Flat, Part
from glyphos.speech.reading import Reading
from tests.examples import examples
from tests.speech.made import reading

MOVES = st.lists(st.tuples(st.integers(0, 40), st.floats(-1.0, 4.5)), min_size=1, max_size=12)


def in_order(r: Reading) -> bool:
    flat = list(r.phones())
    inside = all(0 <= p.start < p.end <= r.audio.duration + 1e-9 for p in flat)
    return inside and all(a.end <= b.start + TOUCH for a, b in pairwise(flat))


class Edges(unittest.TestCase):
    def test_touching_sounds_share_an_edge_and_pauses_have_two(self) -> None:
        flat = Flat(reading())
        self.assertEqual(flat.end_edge(0), Edge(1))
        self.assertEqual(flat.end_edge(9), Edge(9, True))
        times = [flat.edge_time(e) for e in flat.edges]
        self.assertEqual(times, sorted(times))
        self.assertEqual(len(flat.edges), len(flat.phones) + 3)  # three stretches without a pause

    def test_a_placed_edge_is_pinned_and_its_word_and_phrase_follow(self) -> None:
        r = edits.move_edge(reading(), Edge(0), 0.42)
        self.assertEqual(r.phrases[0].start, 0.42)
        self.assertEqual(r.phrases[0].words[0].start, 0.42)
        self.assertTrue(next(r.phones()).pinned)

    def test_a_shared_edge_moves_both_sounds(self) -> None:
        r = edits.move_edge(reading(), Edge(1), 0.63)
        a, b = list(r.phones())[:2]
        self.assertEqual((a.end, b.start, b.pinned), (0.63, 0.63, True))

    def test_a_pin_stops_what_is_pushed(self) -> None:
        r = edits.set_pin(reading(), Edge(3), True)
        r = edits.move_edge(r, Edge(1), 2.0)
        flat = list(r.phones())
        self.assertEqual(flat[3].start, 0.8)
        self.assertAlmostEqual(flat[1].start, 0.8 - 2 * edits.SHORTEST)

    @given(MOVES)
    @examples(30)
    def test_any_moves_keep_order_and_every_earlier_pin(
        self, moves: list[tuple[int, float]]
    ) -> None:
        r = reading()
        for which, seconds in moves:
            flat = Flat(r)
            edge = flat.edges[which % len(flat.edges)]
            others = {e: flat.edge_time(e) for e in flat.edges if flat.pinned(e) and e != edge}
            r = edits.move_edge(r, edge, seconds)
            after = Flat(r)
            self.assertTrue(in_order(r))
            for e, time in others.items():
                self.assertEqual(after.edge_time(e), time)

    def test_what_a_drag_goes_on_from_is_looked_through_once(self) -> None:
        r = reading()
        flat = Flat.of(r)
        for k in range(9):
            moved = edits.move_edge(r, Edge(1), 0.6 + 0.001 * k)
            self.assertIs(Flat.of(moved).reading, moved)
        self.assertIs(Flat.of(r), flat)

    def test_pins_are_lifted_one_by_one_and_by_part(self) -> None:
        r = edits.pin_part(edits.move_edge(reading(), Edge(1), 0.61), Part("word", 1))
        self.assertEqual(edits.pin_count(r), 3)
        self.assertEqual(edits.pin_count(edits.set_pin(r, Edge(1), False)), 2)
        self.assertEqual(edits.pin_count(edits.lift_pins(r, Part("word", 1))), 1)


class Moving(unittest.TestCase):
    def test_a_phrase_moves_with_all_in_it(self) -> None:
        r = edits.move_edge(reading(), Edge(15), 2.83)
        moved = edits.move_part(r, Part("phrase", 1), 0.2)
        for a, b in zip(list(r.phones())[13:], list(moved.phones())[13:], strict=True):
            self.assertAlmostEqual(b.start - a.start, 0.2)
        self.assertTrue(list(moved.phones())[15].pinned)
        self.assertEqual(list(moved.phones())[:13], list(r.phones())[:13])

    @given(st.integers(0, 6), st.floats(-3, 3), st.integers(0, 18))
    @examples(30)
    def test_moving_never_crosses_a_pin_outside(self, which: int, by: float, pin: int) -> None:
        r = reading()
        flat = Flat(r)
        edge = flat.edges[pin % len(flat.edges)]
        r = edits.set_pin(r, edge, True)
        part = Part("word", which)
        a, b = Flat(r).sound_range(part)
        moved = edits.move_part(r, part, by)
        self.assertTrue(in_order(moved))
        inner = a <= edge.sound < b or (edge.sound == b and not edge.end)
        if not inner:
            self.assertEqual(Flat(moved).edge_time(edge), flat.edge_time(edge))
        lengths = [p.end - p.start for p in list(r.phones())[a:b]]
        for old, p in zip(lengths, list(moved.phones())[a:b], strict=True):
            self.assertAlmostEqual(p.end - p.start, old, places=3)


class Writing(unittest.TestCase):
    SCRIPT = "MABEL: Bring me a map, Pip.\n\n(She turns.) Wake up."

    def test_a_word_split_and_joined_again_is_the_word(self) -> None:
        r = reading()
        split = edits.split_word(r, 2, ("Br", "ing"))
        self.assertEqual([w.text for w in split.words()][:3], ["Br", "ing", "me"])
        script = edits.script_with(self.SCRIPT, r, split)
        self.assertEqual(script, "MABEL: Br ing me a map, Pip.\n\n(She turns.) Wake up.")
        joined = edits.join_words(split, 0)
        self.assertEqual(list(joined.phones()), list(r.phones()))
        self.assertEqual(edits.script_with(script, split, joined), self.SCRIPT)

    def test_phrases_split_and_join_and_the_script_follows(self) -> None:
        r = reading()
        split = edits.split_phrase(r, 3)
        self.assertEqual([p.text for p in split.phrases][:2], ["Bring me a", "map, Pip."])
        self.assertIn("Bring me a\nmap, Pip.", edits.script_with(self.SCRIPT, r, split))
        self.assertEqual(edits.join_phrases(split, 0).phrases[0].text, r.phrases[0].text)

    def test_what_cannot_be_split_or_joined_says_so(self) -> None:
        for wrong in (
            lambda: edits.split_word(reading(), 0), lambda: edits.join_words(reading(), 4),
            lambda: edits.split_phrase(reading(), 0), lambda: edits.join_phrases(reading(), 1),
            lambda: edits.delete_sound(reading(), 6), lambda: edits.change_sound(reading(), 1, "42"),
            lambda: edits.add_mark(reading(), "sneeze", 0, 1), lambda: edits.add_mark(reading(), "hum", 1, 1),
        ):  # fmt: skip
            with self.assertRaises(EditError):
                wrong()


class Sounds(unittest.TestCase):
    def test_sounds_are_changed_inserted_and_deleted_within_their_word(self) -> None:
        r = edits.change_sound(reading(), 8, "ɛ")
        self.assertEqual([p.ipa for p in list(r.words())[3].phones], ["m", "ɛ", "p"])
        self.assertEqual(list(r.words())[3].source, "hand")
        r = edits.insert_sound(r, 8, "n")
        self.assertEqual([p.ipa for p in list(r.words())[3].phones], ["m", "ɛ", "n", "p"])
        self.assertTrue(in_order(r))
        r = edits.delete_sound(r, 9)
        self.assertEqual(list(r.words())[3].end, list(reading().words())[3].end)
        first = edits.delete_sound(reading(), 0)
        self.assertEqual(next(first.words()).start, 0.5)

    def test_another_pronunciation_keeps_the_words_edges_and_pins(self) -> None:
        from glyphos.speech.phones import from_ipa

        r = edits.pin_part(reading(), Part("word", 3))
        r = edits.set_pronunciation(r, 3, from_ipa("m_ˈɑː_p_s"))
        own = list(r.words())[3]
        self.assertEqual((own.start, own.end, len(own.phones)), (1.2, 1.5, 4))
        self.assertTrue(own.phones[0].pinned and own.phones[-1].pinned_end)
        self.assertEqual(own.phones[1].stress, 1)

    def test_marks_replace_what_they_cover_and_are_taken_away(self) -> None:
        r = edits.add_mark(reading(), "breath", 1.95, 2.2)
        r = edits.add_mark(r, "shut", 2.1, 2.35)
        self.assertEqual([m.kind for m in r.marks], ["shut"])
        self.assertEqual(edits.remove_marks(r, 2.2, 2.2001).marks, ())
        self.assertEqual(edits.pause_at(reading(), 2.0), (1.9, 2.4))

    def test_the_next_doubtful_word_comes_round_and_confirming_ends_it(self) -> None:
        import msgspec

        r = reading()
        words = tuple(
            msgspec.structs.replace(w, confidence=0.2) if w.text in ("me", "map") else w
            for w in r.phrases[0].words
        )
        first = msgspec.structs.replace(r.phrases[0], words=words)
        r = msgspec.structs.replace(r, phrases=(first, r.phrases[1]))
        self.assertEqual([edits.next_doubtful(r, k) for k in (-1, 1, 3)], [1, 3, 1])
        self.assertIsNone(edits.next_doubtful(edits.confirm(r, Part("phrase", 0)), -1))

    def test_a_pause_can_be_opened_between_touching_words(self) -> None:
        r = edits.open_pause(reading(), 4, 0.05)
        a, b = list(r.phones())[3:5]
        self.assertAlmostEqual(b.start - a.end, 0.05)
        self.assertTrue(a.pinned_end)
