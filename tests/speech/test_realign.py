"""Finding edges again between pins, on a synthetic voice whose own labels are known."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.speech import edits
from glyphos.speech.hearing import hear
from glyphos.speech.listen import listen
from glyphos.speech.listening import listen_line
from glyphos.speech.parts import Edge, Flat, Part
from glyphos.speech.phones import from_dictionary
from glyphos.speech.reading import Reading
from glyphos.speech.realign import follow_script, listen_again, realign, retake
from glyphos.speech.recording import Recording, open_recording
from glyphos.speech.scripted import same_words
from tests.labels import DATA
from tests.speech.test_edits import in_order


class Desk(unittest.TestCase):
    recording: Recording

    @classmethod
    def setUpClass(cls) -> None:
        cls.recording = open_recording(DATA / "slt_hts-004.flac")
        cls.script = (DATA / "slt_hts-004.txt").read_text()
        cls.evidence = hear(cls.recording)
        cls.reading = listen(cls.recording, cls.script)

    def starts(self, r: Reading) -> np.ndarray:
        return np.array([p.start for p in r.phones()])

    def test_a_spoiled_stretch_is_found_again(self) -> None:
        """Edges pushed out of place by hand return to within 10 ms once their pins are lifted."""
        flat = Flat(self.reading)
        edge = Edge(flat.first[4] + 1)
        time = flat.edge_time(edge)
        spoiled = edits.move_edge(self.reading, edge, time + 0.15)
        spoiled = edits.lift_pins(spoiled, Part("phrase", 0))
        self.assertGreater(np.abs(self.starts(spoiled) - self.starts(self.reading)).max(), 0.1)
        again = realign(spoiled, self.evidence, [(time, time + 0.15)])
        self.assertLess(np.abs(self.starts(again) - self.starts(self.reading)).max(), 0.01)

    def test_pins_keep_their_exact_times_even_impossible_ones(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(25):
            r = self.reading
            for _ in range(6):
                flat = Flat(r)
                edge = flat.edges[int(rng.integers(len(flat.edges)))]
                r = edits.move_edge(r, edge, flat.edge_time(edge) + float(rng.normal(0, 0.2)))
            flat = Flat(r)
            pins = {e: flat.edge_time(e) for e in flat.edges if flat.pinned(e)}
            for again in (
                realign(r, self.evidence, [(0, r.audio.duration)]),
                listen_again(self.recording, self.evidence, r),
            ):
                after = Flat(again)
                self.assertTrue(in_order(again))
                for e, time in pins.items():
                    self.assertEqual(after.edge_time(e), time)

    def test_edges_that_hardly_move_stay_where_they_were(self) -> None:
        moved = edits.move_edge(self.reading, Edge(5), list(self.reading.phones())[5].start)
        again = realign(moved, self.evidence, [(0, 9)])
        np.testing.assert_array_equal(self.starts(again), self.starts(self.reading))

    def test_a_changed_script_leaves_the_rest_alone(self) -> None:
        words = self.script.split()
        pinned = edits.pin_part(self.reading, Part("word", 0))
        shorter = " ".join([*words[:4], *words[5:]])
        r = follow_script(self.recording, self.evidence, pinned, shorter)
        self.assertEqual([w.text for w in r.words()], [w.strip(",.?!") for w in shorter.split()])
        by_text = {w.text: w.start for w in self.reading.words()}
        last = list(r.words())[-1]
        self.assertEqual(last.start, by_text[last.text])
        self.assertTrue(next(r.phones()).pinned)
        back = follow_script(self.recording, self.evidence, r, self.script)
        self.assertLess(np.abs(self.starts(back) - self.starts(self.reading)).max(), 0.02)

    def test_a_new_pronunciation_is_placed_in_its_word(self) -> None:
        word = list(self.reading.words())[2]
        units = from_dictionary("B AH0 N AE1 N AH0".split())
        r = edits.set_pronunciation(self.reading, 2, units)
        r = realign(r, self.evidence, [(word.start, word.end)])
        self.assertEqual(len(list(r.words())[2].phones), 6)
        self.assertTrue(in_order(r))
        self.assertTrue(list(r.words())[2].doubtful)

    def test_another_take_keeps_sounds_marks_and_offers_pins(self) -> None:
        """The same take later and quieter: everything is found later by just as much."""
        shift = 0.31
        samples = np.concatenate(
            [np.zeros(int(shift * 16_000), np.float32), self.recording.samples]
        )
        later = Recording(
            self.recording.path, 0.4 * samples, 16_000, 1, len(samples) / 16_000, 0.4
        )  # fmt: skip
        r = edits.change_sound(edits.pin_part(self.reading, Part("word", 1)), 3, "ɛ")
        r = edits.add_mark(r, "breath", 0.0, 0.05)
        taken = retake(later, hear(later), r)
        self.assertEqual([p.ipa for p in taken.reading.phones()], [p.ipa for p in r.phones()])
        moved = self.starts(taken.reading) - self.starts(self.reading)
        self.assertLess(np.median(np.abs(moved - shift)), 0.006)
        self.assertEqual(edits.pin_count(taken.reading), 0)
        self.assertEqual(len(taken.offered), 2)
        self.assertEqual(taken.reading.marks[0].kind, "breath")


class Wordless(unittest.TestCase):
    """A script that says only that something is heard: the sounds themselves are."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.recording = open_recording(DATA / "slt_hts-001.flac")
        cls.evidence = hear(cls.recording)

    def heard(self, script: str, earlier: Reading | None = None) -> Reading:
        return listen_line(
            self.recording, script, earlier=earlier, evidence=self.evidence, second=False
        )

    def test_directions_alone_are_performed_by_their_sounds(self) -> None:
        for script in ("(grunts)", "*sighs*", "…", " [laughs]\n(coughs) "):
            reading = self.heard(script)
            self.assertEqual(reading.text, script.strip())
            self.assertGreater(len(list(reading.phones())), 15)
            self.assertTrue(same_words(script, reading))

    def test_what_a_person_set_in_them_stays(self) -> None:
        first = self.heard("(grunts)")
        flat = Flat(first)
        edge = Edge(flat.first[0] + 2)
        moved = edits.move_edge(first, edge, flat.edge_time(edge) + 0.02)
        again = self.heard("(grunts)", moved)
        self.assertAlmostEqual(Flat(again).edge_time(edge), flat.edge_time(edge) + 0.02, places=3)
        sure = edits.confirm(first, Part("word", 0))
        self.assertTrue(self.heard("(grunts)", sure).phrases[0].words[0].confirmed)

    def test_words_may_take_their_place_and_leave_again(self) -> None:
        text = (DATA / "slt_hts-001.txt").read_text()
        words = self.heard(text, self.heard("(grunts)"))
        self.assertEqual(len(list(words.words())), 9)
        self.assertEqual(self.heard("(grunts)", words).text, "(grunts)")
