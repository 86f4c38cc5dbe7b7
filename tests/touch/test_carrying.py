"""What rides on sounds goes along with corrections and other takes; what cannot is listed, never dropped."""

from __future__ import annotations

import ast
import unittest
from pathlib import Path

import msgspec
import numpy as np

from glyphos.motion.life.hands import USUAL, placed
from glyphos.motion.mood import MoodSpan
from glyphos.motion.touch.keys import Touch, key_at, times_of
from glyphos.production.carrying import as_kept, placed_again, reread, same_look
from glyphos.production.documents import Line
from glyphos.production.kinds import LINE
from glyphos.speech import edits
from glyphos.speech.anchors import time_of
from glyphos.speech.carrying import Carrier
from glyphos.speech.parts import Edge, Flat
from glyphos.speech.reading import Reading
from tests.motion.promised import reading_of
from tests.voice.test_voice import line as demo

FIVE = [("b", 0.1), ("ɑ", 0.2), ("m", 0.1), ("i", 0.2), ("s", 0.1)]


def words(*texts: str, at: float = 0.5, long: float = 0.1) -> Reading:
    """Words of three sounds each, every text its own sounds, with a pause between."""
    made, phrases = [], reading_of([("b", 0.1)]).phrases
    for text in texts:
        own = reading_of([(c, long) for c in text[:3]], before=at)
        made.append(msgspec.structs.replace(own.phrases[0].words[0], text=text))
        at = made[-1].end + 0.1
    phrase = msgspec.structs.replace(
        phrases[0], text=" ".join(texts), start=made[0].start, end=made[-1].end, words=tuple(made)
    )
    own = reading_of([("b", 0.1)])
    return msgspec.structs.replace(
        own, phrases=(phrase,), audio=msgspec.structs.replace(own.audio, duration=at + 1.0)
    )


def on(reading: Reading, word: int) -> tuple[float, float]:
    w = Flat.of(reading).words[word]
    return w.start, w.end


def touch(reading: Reading, word: int) -> Touch:
    a, b = on(reading, word)
    keys = (key_at(reading, a, 0), key_at(reading, (a + b) / 2, 0.3), key_at(reading, b, 0))
    return Touch("lip_corner_up_left", "add", keys, what="pull")


def line_on(reading: Reading, word: int) -> Line:
    a, b = on(reading, word)
    return Line(
        "a", "audio/a.wav", reading=reading, touches=(touch(reading, word),),
        happenings=(placed(reading, USUAL["nod"], (a + b) / 2),), moods=(MoodSpan("joy", a, b),),
    )  # fmt: skip


class Carrying(unittest.TestCase):
    def assert_on(self, line: Line, word: int) -> None:
        """All that rode on a word is on this one."""
        assert line.reading is not None
        a, b = on(line.reading, word)
        np.testing.assert_allclose(
            times_of(line.touches[0], line.reading), [a, (a + b) / 2, b], atol=1e-4
        )
        self.assertAlmostEqual(time_of(line.happenings[0].at, line.reading), (a + b) / 2, places=4)
        self.assertAlmostEqual(line.moods[0].start, a, places=4)
        self.assertAlmostEqual(line.moods[0].end, b, places=4)

    def test_an_edge_that_is_moved_takes_along_moods_too(self) -> None:
        old = words("bam", "sit", "dol")
        line = line_on(old, 1)
        flat = Flat.of(old)
        moved = edits.move_edge(old, Edge(flat.first[1]), on(old, 1)[0] - 0.05)
        made = reread(line, moved)
        self.assertAlmostEqual(made.moods[0].start, on(moved, 1)[0], places=6)
        self.assertAlmostEqual(times_of(made.touches[0], moved)[0], on(moved, 1)[0], places=6)
        self.assertEqual(made.touches, line.touches)  # on the same sounds; they know by themselves
        self.assertEqual(made.aside, ())

    def test_another_take_takes_all_along(self) -> None:
        old, new = words("bam", "sit", "dol"), words("bam", "sit", "dol", at=1.3, long=0.17)
        self.assert_on(reread(line_on(old, 1), new), 1)

    def test_words_put_in_and_taken_out_before_it(self) -> None:
        old = words("bam", "sit", "dol")
        self.assert_on(reread(line_on(old, 1), words("fuk", "bam", "ten", "sit", "dol")), 3)
        self.assert_on(reread(line_on(old, 1), words("sit", "dol", at=0.9)), 0)

    def test_the_same_word_said_with_other_sounds(self) -> None:
        old = words("bam", "sit", "dol")
        new = words("bam", "sit", "dol")
        phones = [
            msgspec.structs.replace(p, ipa="ɪ" if p.ipa == "i" else p.ipa)
            for p in Flat.of(new).words[1].phones
        ]
        word = msgspec.structs.replace(Flat.of(new).words[1], phones=tuple(phones))
        phrase = new.phrases[0]
        new = msgspec.structs.replace(
            new,
            phrases=(
                msgspec.structs.replace(phrase, words=(phrase.words[0], word, phrase.words[2])),
            ),
        )
        self.assert_on(reread(line_on(old, 1), new), 1)

    def test_the_same_word_twice_keeps_its_own(self) -> None:
        old = words("sit", "bam", "sit", "dol")
        self.assert_on(reread(line_on(old, 2), words("ten", "sit", "bam", "sit", "dol")), 3)

    def test_what_is_on_a_word_that_is_gone_is_set_aside_and_can_be_placed_again(self) -> None:
        old = words("bam", "sit", "dol")
        new = words("bam", "dol")
        made = reread(line_on(old, 1), new)
        self.assertEqual((made.touches, made.happenings, made.moods), ((), (), ()))
        self.assertEqual(
            [a.what for a in made.aside],
            ["the mood joy", "pull of lip_corner_up_left on “sit”", "nod on “sit”"],
        )
        self.assertEqual(LINE.decode(LINE.encode(made)).aside, made.aside)
        for _ in range(3):
            made = placed_again(made, 0, 0.55)
        self.assertEqual(made.aside, ())
        self.assertAlmostEqual(times_of(made.touches[0], new)[0], 0.55, places=5)
        self.assertAlmostEqual(time_of(made.happenings[0].at, new), 0.55, places=5)
        self.assertAlmostEqual(made.moods[0].start, 0.55)
        self.assertAlmostEqual(made.moods[0].end, 0.85)

    def test_what_is_on_a_sound_that_is_gone_stays_within_its_word(self) -> None:
        old = words("bam", "sit", "dol")
        gone = Flat.of(old).first[1] + 1
        made = reread(line_on(old, 1), edits.delete_sound(old, gone))
        self.assertEqual(made.aside, ())
        assert made.reading is not None
        a, b = on(made.reading, 1)
        at = times_of(made.touches[0], made.reading)
        self.assertTrue(a - 1e-6 <= at[0] < at[1] < at[2] <= b + 1e-6, (a, at, b))
        self.assertTrue(a < time_of(made.happenings[0].at, made.reading) < b)

    def test_a_pull_whose_edge_word_is_gone_stays_with_its_middle(self) -> None:
        old = words("bam", "sit", "dol")
        a, b = on(old, 0)[0], on(old, 2)[1]
        keys = tuple(key_at(old, t, v) for t, v in ((a, 0), (sum(on(old, 1)) / 2, 0.3), (b, 0)))
        line = Line("a", "a.wav", reading=old, touches=(Touch("jaw_open", "add", keys),))
        new = words("sit", "dol")
        made = reread(line, new)
        self.assertEqual(made.aside, ())
        at = times_of(made.touches[0], new)
        self.assertAlmostEqual(at[1], sum(on(new, 0)) / 2, places=4)
        self.assertTrue((np.diff(at) > 0).all())

    def test_a_take_back_and_forth_is_where_it_was(self) -> None:
        old, new = words("bam", "sit", "dol"), words("bam", "sit", "dol", at=1.1, long=0.2)
        line = line_on(old, 1)
        back = reread(reread(line, new), old)
        self.assertAlmostEqual(back.moods[0].start, line.moods[0].start, places=9)
        np.testing.assert_allclose(
            times_of(back.touches[0], old), times_of(line.touches[0], old), atol=1e-6
        )

    def test_time_goes_along_between_and_beyond_the_sounds(self) -> None:
        old, new = words("bam", "sit"), words("bam", "sit", at=1.0)
        carrier = Carrier(old, new)
        self.assertAlmostEqual(carrier.time(0.2), 0.7)
        self.assertAlmostEqual(carrier.time(0.85), 1.35)
        self.assertAlmostEqual(carrier.time(9.0), 9.5)
        times = [carrier.time(t) for t in np.arange(0, 3, 0.01)]
        self.assertTrue((np.diff(times) >= 0).all())

    def test_a_long_line_with_a_corrected_word(self) -> None:
        """All that is on other words of a demo line stays exactly where it is."""
        reading = demo(0)[1]
        line = msgspec.structs.replace(
            line_on(reading, 6), touches=tuple(touch(reading, k) for k in (0, 6, 9))
        )
        new = edits.delete_sound(reading, Flat.of(reading).first[3])
        made = reread(line, new)
        self.assertEqual(made.aside, ())
        for k, one in enumerate(made.touches):
            np.testing.assert_allclose(
                times_of(one, new), times_of(line.touches[k], reading), atol=1e-5
            )

    def test_another_state_of_a_line_is_compared_on_its_present_sounds(self) -> None:
        old, new = words("bam", "sit", "dol"), words("bam", "sit", "dol", at=1.3)
        kept = line_on(old, 1)
        now = Line("a", "audio/a.wav", reading=new)
        self.assertFalse(same_look(now, kept))
        shown = as_kept(now, kept)
        self.assertIs(shown.reading, new)
        self.assert_on(shown, 1)

    def test_there_is_one_way_for_a_line_to_another_reading(self) -> None:
        """No other place in the program gives a line another reading: all that rides on it would stay behind."""
        root, found = Path(__file__).parents[2] / "glyphos", []
        for path in root.rglob("*.py"):
            text = path.read_text()
            for node in ast.walk(ast.parse(text)) if "structs.replace" in text else ():
                if isinstance(node, ast.Call) and ast.unparse(node.func).endswith(
                    "structs.replace"
                ):
                    if any(k.arg == "reading" for k in node.keywords):
                        found.append(path.relative_to(root).as_posix())
        self.assertEqual(sorted(set(found)), ["production/carrying.py", "production/cutting.py"])
