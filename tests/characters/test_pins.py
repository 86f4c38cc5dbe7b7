"""Drawings placed by hand: they stay where they were put, and ride on their sounds."""

from __future__ import annotations

import unittest
from fractions import Fraction
from functools import cache
from itertools import pairwise

import msgspec
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.builtin import set_path
from glyphos.characters.drawings.choosing import expose
from glyphos.characters.drawings.documents import Wish
from glyphos.characters.drawings.pins import (
    Pin,
    check_pins,
    frames_of,
    pinned,
    with_pin,
    within,
    without_pins,
)
from glyphos.characters.drawings.reading import read_drawings
from glyphos.characters.drawings.sheet import sheet_of
from glyphos.errors import EditError
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.production.cutting import by_pauses
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech import edits
from glyphos.speech.parts import Edge, Flat, Part
from glyphos.speech.reading import Reading
from tests.examples import examples

PLAIN = Delivery()


@cache
def reading() -> Reading:
    found = Production.open(copy_demo()).lines[0].reading
    assert found is not None
    return found


@cache
def osric():  # type: ignore[no-untyped-def]
    return read_drawings(set_path("osric-drawings")).drawings


class Places(unittest.TestCase):
    @given(
        st.integers(0, 280), st.integers(1, 30), st.sampled_from([12, 24, 25, 30, 60]),
        st.floats(-100, 200), st.floats(-5, 5), st.floats(0.5, 2),
    )  # fmt: skip
    @examples(40)
    def test_it_lies_on_the_frames_that_it_was_put_on(
        self, first: int, frames: int, fps: int, lead: float, offset: float, speed: float
    ) -> None:
        delivery = Delivery(lead=lead, offset=offset, speed=speed)
        pin = pinned("a", first, first + frames, reading(), delivery, fps)
        self.assertEqual(frames_of(pin, reading(), delivery, fps), (first, first + frames))
        again = msgspec.json.decode(msgspec.json.encode(pin), type=Pin)
        self.assertEqual(frames_of(again, reading(), delivery, fps), (first, first + frames))

    def test_it_rides_on_its_sound(self) -> None:
        flat = Flat.of(reading())
        phone = flat.phones[12]
        first, after = round(phone.start * 24), round(phone.end * 24) + 1
        pin = pinned("a", first, after, reading(), PLAIN, 24)
        before = frames_of(pin, reading(), PLAIN, 24)
        phrase = flat.phrase_of[flat.word_of[12]]
        moved = edits.move_part(reading(), Part("phrase", phrase), 0.25)
        self.assertEqual(frames_of(pin, moved, PLAIN, 24), (before[0] + 6, before[1] + 6))
        slower = frames_of(pin, reading(), Delivery(speed=0.5), 24)
        self.assertAlmostEqual(slower[1] - slower[0], 2 * (after - first), delta=1)
        self.assertEqual(frames_of(pin, reading(), PLAIN, 48)[0], 2 * before[0])

    def test_it_finds_its_sound_when_others_go_or_come_before_it(self) -> None:
        flat = Flat.of(reading())
        phone = flat.phones[20]
        pin = pinned("a", round(phone.start * 24), round(phone.end * 24) + 1, reading(), PLAIN, 24)
        at = frames_of(pin, reading(), PLAIN, 24)
        for changed in (edits.delete_sound(reading(), 3), edits.insert_sound(reading(), 3, "n")):
            self.assertEqual(frames_of(pin, changed, PLAIN, 24), at)
        bare = msgspec.structs.replace(reading(), phrases=())
        self.assertEqual(frames_of(pin, bare, PLAIN, 24), at)

    def test_a_piece_cut_out_takes_its_pins_along(self) -> None:
        groups = by_pauses(reading(), 0.4)
        self.assertGreater(len(groups), 1)
        phrase = groups[1][1][0]
        start = phrase.start - 0.2
        pin = pinned(
            "a", round(phrase.start * 24), round(phrase.start * 24) + 6, reading(), PLAIN, 24
        )
        other = pinned("b", 1, 4, reading(), PLAIN, 24)
        shifted = edits.move_part(reading(), Part("phrase", 0), 0.0)
        piece = msgspec.structs.replace(
            shifted, phrases=tuple(_earlier(p, start) for p in groups[1][1])
        )
        made = within((other, pin), reading(), start, phrase.end + 1, piece)
        self.assertEqual([p.mouth for p in made], ["a"])
        first, _ = frames_of(made[0], piece, PLAIN, 24)
        self.assertAlmostEqual(first / 24, round(phrase.start * 24) / 24 - start, delta=1 / 24)


def _earlier(phrase, by: float):  # type: ignore[no-untyped-def]
    move = msgspec.structs.replace
    words = tuple(
        move(w, phones=tuple(move(p, start=p.start - by, end=p.end - by) for p in w.phones))
        for w in phrase.words
    )
    return move(phrase, words=words)


class Many(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 100), st.integers(1, 20)), min_size=1, max_size=8))
    @examples(30)
    def test_they_never_lie_on_each_other_and_the_last_one_holds(
        self, spans: list[tuple[int, int]]
    ) -> None:
        pins: tuple[Pin, ...] = ()
        wanted: dict[int, str] = {}
        for k, (first, frames) in enumerate(spans):
            pins = with_pin(pins, str(k), first, first + frames, reading(), PLAIN, 24)
            wanted |= dict.fromkeys(range(first, first + frames), str(k))
        found = {f: p.mouth for p in pins for f in range(*frames_of(p, reading(), PLAIN, 24))}
        self.assertEqual(found, wanted)
        for a, b in pairwise(pins):
            self.assertLessEqual(
                frames_of(a, reading(), PLAIN, 24)[1], frames_of(b, reading(), PLAIN, 24)[0]
            )
        cut = without_pins(pins, 10, 20, reading(), PLAIN, 24)
        left = {f: p.mouth for p in cut for f in range(*frames_of(p, reading(), PLAIN, 24))}
        self.assertEqual(left, {f: n for f, n in wanted.items() if not 10 <= f < 20})

    def test_what_is_no_pin_is_refused(self) -> None:
        with self.assertRaises(EditError):
            with_pin((), "a", 5, 5, reading(), PLAIN, 24)
        pin = pinned("a", 1, 4, reading(), PLAIN, 24)
        far = msgspec.structs.replace(pin, start=msgspec.structs.replace(pin.start, share=7.0))
        self.assertRaises(ValueError, check_pins, (far,))


class Held(unittest.TestCase):
    def test_what_is_pinned_is_shown_and_the_rest_is_the_cheapest_around_it(self) -> None:
        motion = perform(reading(), fps=24)
        drawings = osric()
        names = [m.name for m in drawings.mouths]
        pins = with_pin((), "mouth-oval", 30, 31, reading(), PLAIN, 24)
        pins = with_pin(pins, "not among them", 40, 50, reading(), PLAIN, 24)
        sheet = sheet_of(motion, drawings, pins, reading(), PLAIN)
        self.assertEqual(sheet.mouth(sheet.at(30)).name, "mouth-oval")
        self.assertTrue(sheet.at(30).pinned)
        self.assertEqual(sheet.at(30).frames, 1)  # by hand, shorter than any choice would be
        self.assertEqual([e.pinned for e in sheet.mouths].count(True), 1)
        free = expose(motion, drawings.mouths)
        held = expose(
            motion, drawings.mouths, held=[(e.drawing, e.first, e.after) for e in free[3:6]]
        )
        self.assertEqual([(e.drawing, e.first) for e in held], [(e.drawing, e.first) for e in free])
        twos = expose(motion, drawings.mouths, Wish(step=2), [(names.index("mouth-open"), 7, 12)])
        for a, b in pairwise(twos):
            self.assertEqual(a.after, b.first)
        self.assertTrue(all(e.first % 2 == 0 or e.first in (7, 12) for e in twos))

    def test_every_closure_stays_shown_beside_pins(self) -> None:
        motion = perform(reading(), fps=Fraction(24))
        drawings = osric()
        shut = motion.channel("lips_part") <= 0.03
        sheet = sheet_of(
            motion,
            drawings,
            with_pin((), "mouth-open", 33, 36, reading(), PLAIN, 24),
            reading(),
            PLAIN,
        )
        for frame in range(40, motion.frames - 1):
            if shut[frame] and not shut[frame - 1]:
                end = frame + int((~shut[frame:]).argmax() or 1)
                self.assertTrue(
                    any(sheet.mouth(sheet.at(f)).closed for f in range(frame, end)), frame
                )

    def test_an_edge_of_a_sound_moves_its_pin_along(self) -> None:
        flat = Flat.of(reading())
        k = 15
        pin = pinned(
            "a",
            round(flat.phones[k].start * 24),
            round(flat.phones[k].end * 24) + 1,
            reading(),
            PLAIN,
            24,
        )
        later = flat.phones[k].start + 0.4 * (flat.phones[k].end - flat.phones[k].start)
        moved = edits.move_edge(reading(), Edge(k), later)
        self.assertGreaterEqual(
            frames_of(pin, moved, PLAIN, 240)[0], frames_of(pin, reading(), PLAIN, 240)[0]
        )


if __name__ == "__main__":
    unittest.main()
