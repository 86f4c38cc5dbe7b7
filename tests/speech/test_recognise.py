"""Listening without a script: words, sounds, and where script and recording disagree."""

from __future__ import annotations

import unittest
from itertools import pairwise

from glyphos.errors import LanguageError
from glyphos.speech.compare import compare, disagreements, script_as_heard
from glyphos.speech.listen import listen
from glyphos.speech.recognise import listen_for_sounds, listen_without_script, speech_pieces
from glyphos.speech.recording import open_recording
from tests.labels import DATA
from tests.speech.made import reading


def wrong_words(said: list[str], heard: list[str]) -> int:
    """Edit distance over words: the count of substitutions, deletions and insertions."""
    row = list(range(len(heard) + 1))
    for i, a in enumerate(said, 1):
        before, row[0] = row[0], i
        for j, b in enumerate(heard, 1):
            before, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, before + (a != b))
    return row[-1]


class WithoutScript(unittest.TestCase):
    def test_most_words_of_read_speech_are_made_out(self) -> None:
        """Public-domain readings of the pocketsphinx source package: at most 30 % wrong."""
        wrong = total = 0
        for clip in sorted(DATA.glob("librivox-*.wav")):
            said = clip.with_suffix(".txt").read_text().lower().split()
            r = listen_without_script(open_recording(clip))
            self.assertTrue(all(w.source == "heard" for w in r.words()))
            wrong += wrong_words(said, [w.text for w in r.words()])
            total += len(said)
        self.assertLessEqual(wrong / total, 0.30)

    def test_sounds_alone_are_found_in_any_language(self) -> None:
        r = listen_for_sounds(open_recording(DATA / "slt_hts-001.flac"))
        scripted = listen(DATA / "slt_hts-001.flac", (DATA / "slt_hts-001.txt").read_text())
        ours, theirs = [p.ipa for p in r.phones()], [p.ipa for p in scripted.phones()]
        self.assertLess(wrong_words(theirs, ours), 0.45 * len(theirs))
        self.assertTrue(r.text.startswith("/"))
        italian = listen_for_sounds(open_recording(DATA / "lp_diphone-001.flac"), language="it")
        self.assertGreater(sum(1 for _ in italian.phones()), 15)

    def test_words_of_other_languages_are_refused_in_a_sentence(self) -> None:
        recording = open_recording(DATA / "lp_diphone-001.flac")
        with self.assertRaisesRegex(LanguageError, "sounds only"):
            listen_without_script(recording, language="it")

    def test_long_recordings_are_cut_where_they_are_quiet(self) -> None:
        recording = open_recording(DATA / "librivox-0870.wav")
        pieces = speech_pieces(recording, longest=3.0)
        self.assertEqual(pieces[0][0], 0.0)
        self.assertAlmostEqual(pieces[-1][1], recording.duration)
        for (_, end), (start, _) in pairwise(pieces):
            self.assertEqual(end, start)
        self.assertTrue(all(b - a <= 3.01 for a, b in pieces))


class ScriptCheck(unittest.TestCase):
    def test_a_wrong_word_is_shown_with_what_is_heard_and_can_be_taken(self) -> None:
        script = "Bring me the yellow map before the dome opens."
        recording = open_recording(DATA / "slt_hts-001.flac")
        r = listen(recording, script)
        found = disagreements(recording, r)
        self.assertEqual(len(found), 1)
        self.assertTrue(found[0].script.startswith("yellow") and found[0].heard.startswith("blue"))
        self.assertAlmostEqual(found[0].start, list(r.words())[3].start)
        self.assertIn("Bring me the blue", script_as_heard(script, r, found))

    def test_doubt_decides_what_is_asked_about(self) -> None:
        sure = reading()
        self.assertEqual(compare(sure, ["bring", "me", "the", "map", "pip", "wake", "up"]), ())

    def test_taking_what_is_heard_leaves_directions_alone(self) -> None:
        from glyphos.speech.compare import Disagreement

        script = "MABEL: Bring me a map, Pip.\n(She turns, map in hand.) Wake up."
        one = Disagreement(3, 4, "map", "lamp", 1.2, 1.5)
        extra = Disagreement(5, 5, "", "now", 2.3, 2.4)
        self.assertEqual(
            script_as_heard(script, reading(), [one, extra]),
            "MABEL: Bring me a lamp, Pip.\n(She turns, map in hand.) now Wake up.",
        )
