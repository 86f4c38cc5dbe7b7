"""The machinery under listening: walls, blocks, parts, languages."""

from __future__ import annotations

import itertools
import unittest
from unittest import mock

import numpy as np
import soxr

from glyphos.errors import LanguageError
from glyphos.speech import align, compiled, edits, viterbi
from glyphos.speech import graph as graphs
from glyphos.speech import listen as listening
from glyphos.speech.acoustic import load_model
from glyphos.speech.align import Evidence
from glyphos.speech.constrained import Stretch, place_stretch, shared_out
from glyphos.speech.espeak import Spoken, languages, say_sounds, speak, voice_for
from glyphos.speech.hearing import hear
from glyphos.speech.lexicon import Lexicon, offered_pronunciations, parse_lexicon
from glyphos.speech.listen import listen, listen_to
from glyphos.speech.listening import listen_line
from glyphos.speech.parts import Edge, Flat, Part
from glyphos.speech.phones import from_dictionary, from_ipa
from glyphos.speech.recording import Recording, open_recording
from tests.labels import DATA
from tests.speech.made import reading


class Parts(unittest.TestCase):
    def test_parts_know_their_sounds_and_their_time(self) -> None:
        flat = Flat(reading())
        self.assertEqual(flat.sound_range(Part("word", 3)), (7, 10))
        self.assertEqual(flat.span(Part("phrase", 1)), (2.4, 2.9))
        self.assertEqual(flat.at_level(Part("sound", 8), "word"), Part("word", 3))
        self.assertEqual(flat.at_level(Part("phrase", 1), "sound"), Part("sound", 13))
        self.assertEqual(flat.step(Part("word", 6), 1), Part("word", 6))
        self.assertEqual(flat.part_at("phrase", 2.1), Part("phrase", 0))
        self.assertFalse(flat.valid(Part("phrase", 2)))

    def test_edges_of_a_stretch_are_those_of_the_whole_that_lie_in_it(self) -> None:
        flat = Flat(edits.move_edge(reading(), Edge(4), 0.93))
        rng = np.random.default_rng(0)
        for _ in range(60):
            low, high = sorted(rng.uniform(0, 3.4, 2))
            wanted = [e for e in flat.edges if low <= flat.edge_time(e) <= high]
            self.assertEqual(flat.edges_between(low, high), wanted)
            nearest = min(flat.edges, key=lambda e: abs(flat.edge_time(e) - low))
            self.assertAlmostEqual(flat.edge_time(flat.nearest_edge(low)), flat.edge_time(nearest))

    def test_walking_over_edges_meets_them_all(self) -> None:
        flat = Flat(reading())
        walked, edge = [Edge(0)], Edge(0)
        while (edge := flat.edge_after(edge)) is not None:
            walked.append(edge)
        self.assertEqual(walked, flat.edges)
        back = [edge := flat.edges[-1]]
        while (edge := flat.edge_before(edge)) is not None:
            back.append(edge)
        self.assertEqual(back[::-1], flat.edges)
        self.assertTrue(all(flat.has_edge(e) for e in flat.edges))
        self.assertFalse(flat.has_edge(Edge(0, True)) or flat.has_edge(Edge(99)))


class Walls(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.recording = open_recording(DATA / "slt_hts-001.flac")
        cls.evidence = hear(cls.recording)
        cls.made = listen(cls.recording, (DATA / "slt_hts-001.txt").read_text())

    def test_words_between_walls_fill_the_stretch_exactly(self) -> None:
        words = list(self.made.words())[2:5]
        stretch = Stretch(
            words[0].start, words[-1].end, True, True, tuple((edits.units_of(w),) for w in words)
        )
        found = place_stretch(self.evidence, stretch)
        self.assertEqual((found[0][0].start, found[-1][-1].end), (words[0].start, words[-1].end))
        for word, sounds in zip(words, found, strict=True):
            for phone, placed in zip(word.phones, sounds, strict=True):
                self.assertAlmostEqual(phone.start, placed.start, delta=0.015)

    def test_a_stretch_too_short_for_its_sounds_is_shared_out(self) -> None:
        units = from_ipa("b_l_u_m_æ_p")
        stretch = Stretch(1.0, 1.06, True, True, ((units,),))
        (sounds,) = place_stretch(self.evidence, stretch)
        np.testing.assert_allclose([s.start for s in sounds], 1.0 + 0.01 * np.arange(6), atol=1e-9)
        self.assertEqual(shared_out(stretch, [units]), [sounds])

    def test_soft_ends_leave_room_for_a_pause(self) -> None:
        word = next(self.made.words())
        stretch = Stretch(
            0.0, 0.9, False, False, tuple((edits.units_of(w),) for w in list(self.made.words())[:2])
        )
        found = place_stretch(self.evidence, stretch)
        self.assertAlmostEqual(found[0][0].start, word.start, delta=0.03)

    def test_forward_backward_is_the_same_in_blocks(self) -> None:
        with mock.patch.object(viterbi, "BLOCK", 37):
            blocks = listen(self.recording, (DATA / "slt_hts-001.txt").read_text())
        np.testing.assert_allclose(
            [p.start for p in blocks.phones()], [p.start for p in self.made.phones()], atol=2e-4
        )

    def test_a_narrow_window_and_early_tracebacks_find_the_same_path(self) -> None:
        """As on long recordings: few states kept, the path committed piece by piece."""
        samples = np.tile(self.recording.samples, 6)
        long = Recording(self.recording.path, samples, 16_000, 1, len(samples) / 16_000, 0.5)
        text = "\n".join([(DATA / "slt_hts-001.txt").read_text()] * 6)
        whole = listen(long, text)
        with mock.patch.multiple(viterbi, COMMIT=300, LAG=250):
            pieces = listen(long, text)
        self.assertEqual(pieces.phrases, whole.phrases)

    def test_a_speaker_who_is_hardly_understood_is_followed_to_the_end(self) -> None:
        """Speech that nobody wrote seems better everywhere, so that the right path lies far ahead of the best one."""
        samples = np.tile(self.recording.samples, 4)
        long = Recording(self.recording.path, samples, 16_000, 1, len(samples) / 16_000, 0.5)
        text = "\n".join([(DATA / "slt_hts-001.txt").read_text()] * 4)
        heard = hear(long)
        table = heard.table.copy()
        table[:, -1] += 4.0
        evidence = Evidence(heard.model, table)
        whole = listen_to(long, evidence, text, check=False)
        with mock.patch.multiple(viterbi, WHOLE=0, WINDOW=120):
            narrow = listen_to(long, evidence, text, check=False)
        self.assertEqual(narrow.phrases, whole.phrases)
        self.assertGreater(list(whole.words())[-1].start, 0.6 * long.duration)

    def test_parts_of_a_path_that_was_decided_early_meet(self) -> None:
        """Scores at random, so that what leads at each decision is not what wins in the end."""
        words = [(edits.units_of(w),) for w in self.made.words()] * 3
        model = load_model()
        graph = graphs.build(model, words, filler_column=126)
        entry = {
            int(e): set(f.tolist()) for e, f in zip(graph.entries, graph.entry_from, strict=True)
        }
        for seed in range(6):
            scores = np.random.default_rng(seed).normal(0, 20, (700, 127)).astype(np.float32)
            with mock.patch.multiple(viterbi, COMMIT=40, LAG=25):
                path = viterbi.best_path(graph, scores).tolist()
            for a, b in itertools.pairwise(path):
                self.assertTrue(b in (a, a + 1) or a in entry.get(b, ()), (seed, a, b))
            self.assertIn(path[-1], graph.final.tolist())

    @unittest.skipUnless(compiled.there_is(), "nothing was compiled when this was installed")
    def test_compiled_or_not_the_path_and_its_times_are_the_same(self) -> None:
        text = (DATA / "slt_hts-001.txt").read_text()
        with mock.patch.object(compiled, "there_is", return_value=False):
            plain = listen(self.recording, text)
        self.assertEqual(plain, self.made)
        few = [(edits.units_of(w),) for w in self.made.words()]
        many = [
            few[0],
            tuple(few[1][0] for _ in range(260)),
            few[2],
        ]  # more entries than a byte counts
        for words, window in ((few, 90), (many, 20_000), (many, 300)):
            graph = graphs.build(load_model(), words, filler_column=126)
            for seed in range(3):
                scores = np.random.default_rng(seed).normal(0, 9, (160, 127)).astype(np.float32)
                with (
                    self.subTest(window=window, seed=seed),
                    mock.patch.multiple(viterbi, WHOLE=window, WINDOW=window, STEP=37),
                ):
                    quick = viterbi.best_path(graph, scores)
                    with mock.patch.object(compiled, "there_is", return_value=False):
                        np.testing.assert_array_equal(quick, viterbi.best_path(graph, scores))

    def test_evidence_of_a_part_begins_at_a_frame(self) -> None:
        part, origin = self.evidence.part(0.503, 1.2)
        self.assertAlmostEqual(origin, 0.5)
        np.testing.assert_array_equal(part.scores[0], self.evidence.scores[50])
        self.assertAlmostEqual(self.evidence.seconds, self.recording.duration, delta=0.02)
        self.assertIs(part.model, load_model())
        self.assertIsInstance(part, Evidence)

    def test_listening_again_is_the_same_and_keeps_what_a_hand_did(self) -> None:
        script = (DATA / "slt_hts-001.txt").read_text()
        again = listen_line(self.recording, script, earlier=self.made, evidence=self.evidence)
        self.assertEqual(again.phrases, self.made.phrases)
        changed = edits.change_sound(self.made, 5, "e")
        again = listen_line(self.recording, script, earlier=changed, evidence=self.evidence)
        self.assertEqual(list(again.phones())[5].ipa, "e")
        other = listen_line(self.recording, script, earlier=self.made, language="de")
        self.assertEqual(other.language, "de")


class Languages(unittest.TestCase):
    TEXTS = {
        "de": "Guten Abend, der Mond ist blau.", "fr": "Bonsoir, la lune est bleue ce soir.",
        "pt": "Boa noite, a lua está azul.", "pl": "Dobry wieczór, księżyc jest niebieski.",
        "es": "Buenas noches, la luna está azul.", "ja": "こんばんは つきが あおい", "hi": "नमस्ते चाँद नीला है",
    }  # fmt: skip

    def test_each_is_listened_to_with_a_plausible_result(self) -> None:
        """eSpeak NG reports when each of its own sounds starts: nine of ten words within 150 ms."""
        for code, text in self.TEXTS.items():
            with self.subTest(code):
                spoken = speak(text, language=code, speed=130)
                r = listen(self.recorded(spoken), text, language=code)
                words = list(r.words())
                self.assertGreater(len(words), 2)
                begins = [4000 / spoken.rate + t for t, name in spoken.sounds if name.strip("_: ")]
                near = [min(abs(w.start - b) for b in begins) for w in words]
                self.assertGreaterEqual(np.mean(np.array(near) < 0.15), 0.8)
                self.assertGreater(r.phrases[-1].end, 0.7 * (begins[-1]))

    def recorded(self, spoken: Spoken) -> Recording:
        """With silence around it."""
        quiet = np.zeros(4000, np.float32)
        samples = np.concatenate([quiet, spoken.samples, quiet])
        mono = np.asarray(soxr.resample(samples, spoken.rate, 16_000), np.float32)
        return Recording(DATA / "said.wav", mono, spoken.rate, 1, len(mono) / 16_000, 0.5)

    def test_of_other_languages_little_is_taken_to_be_written_nowhere(self) -> None:
        """“The North Wind and the Sun”, as languages are shown (Handbook of the IPA, 1999; from memory)."""
        said = [
            ("fr", "La bise et le soleil se disputaient, chacun assurant qu'il était le plus fort."),
            ("fr", "Quand ils ont vu un voyageur qui s'avançait, enveloppé dans son manteau, ils sont tombés d'accord."),
            ("de", "Einst stritten sich Nordwind und Sonne, wer von ihnen beiden wohl der Stärkere wäre."),
            ("de", "Als ein Wanderer, der in einen warmen Mantel gehüllt war, des Weges daherkam."),
        ]  # fmt: skip
        spoken = [(c, t, self.recorded(speak(t, language=c, speed=130))) for c, t in said]
        found: dict[float, int] = {}
        for less in (0.0, align.UNTAUGHT):
            with (
                mock.patch.object(align, "UNTAUGHT", less),
                mock.patch.object(listening, "WORTH", 99),
            ):
                made = [listen(r, t, language=c) for c, t, r in spoken]
            found[less] = sum(len(r.unread) for r in made)
        # Less by a quarter to a half: the engine's noise is another whenever it speaks
        self.assertLess(found[align.UNTAUGHT], 0.9 * found[0.0], found)
        evidence = hear(self.recorded(speak("Good evening.")))
        self.assertIs(evidence.for_words_of("en-GB"), evidence)

    def test_of_a_voice_that_is_hardly_understood_little_is_taken_to_be_written_nowhere(
        self,
    ) -> None:
        said = [
            "The north wind and the sun were disputing which was the stronger.",
            "When a traveller came along wrapped in a warm cloak.",
            "They agreed that the one who first made him take it off should be considered stronger.",
        ]
        spoken = [
            (text, self.recorded(speak(text, pitch=pitch, range_=range_, speed=speed)))
            for text in said for pitch, range_, speed in ((99, 50, 120), (0, 0, 110))
        ]  # fmt: skip
        found = []
        for worth in (99, listening.WORTH):
            with mock.patch.object(listening, "WORTH", worth):
                found.append(
                    sum(len(listen_to(r, hear(r), t, check=False).unread) for t, r in spoken)
                )
        self.assertGreater(found[0], 2)
        self.assertLess(found[1], 0.5 * found[0], found)

    def test_words_of_another_language_are_said_in_it(self) -> None:
        from glyphos.speech.lexicon import pronounce
        from glyphos.speech.script import parse_script

        words = [w for p in parse_script("Say {it ciao} now", language="en") for w in p.words]
        made = pronounce(words, language="en")
        self.assertEqual([u.ipa for u in made[1].alternatives[0]][:1], ["tʃ"])
        self.assertEqual(words[1].language, "it")

    def test_every_language_of_the_engine_may_be_chosen(self) -> None:
        known = languages()
        self.assertGreater(len(known), 90)
        for code in list(known)[::9]:
            self.assertTrue(voice_for(code))
        with self.assertRaisesRegex(LanguageError, "did you mean"):
            voice_for("klingonese")


class Choices(unittest.TestCase):
    def test_a_word_is_offered_with_where_each_way_comes_from(self) -> None:
        own = Lexicon().with_entry("either", from_dictionary("IY1 D ER0".split()))
        offered = offered_pronunciations("either", language="en", lexicon=own)
        self.assertEqual(offered[0][1], "lexicon")
        self.assertGreaterEqual(len([s for _, s in offered if s == "dictionary"]), 2)
        units = [tuple(u.ipa for u in units) for units, _ in offered]
        self.assertEqual(len(units), len(set(units)))
        self.assertTrue(offered_pronunciations("ciao", language="it"))

    def test_a_pronunciation_can_be_heard(self) -> None:
        """The placeholder voice says the sounds it is given: more of them take longer."""
        short = say_sounds(from_dictionary(["P", "IH1", "P"]))
        long = say_sounds(from_dictionary("M EY1 B AH0 L M UW1 V Z".split()))
        made = [name.strip("ˈˌ").replace("ː", "") for _, name in long.sounds]
        self.assertEqual("".join(made), "meɪbəlmuvz")
        self.assertGreater(np.abs(short.samples).max(), 0.05)
        self.assertGreater(len(long.samples), 1.3 * len(short.samples))

    def test_a_lexicon_is_written_and_read_again(self) -> None:
        text = ";;; own\nmabel  M EY1 B AH0 L\nmabel(2)  M AE1 B AH0 L\nciao  /ˈtʃ a o/\n"
        lexicon = parse_lexicon(text)
        self.assertEqual(len(lexicon.entries["mabel"]), 2)
        self.assertEqual(parse_lexicon(lexicon.text()).entries, lexicon.entries)
        self.assertEqual(lexicon.without("Mabel").entries.keys(), {"ciao"})
