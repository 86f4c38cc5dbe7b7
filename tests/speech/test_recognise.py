"""Listening without a script: words, sounds, and where script and recording disagree."""

from __future__ import annotations

import re
import unittest
from itertools import pairwise
from pathlib import Path
from unittest import mock

import numpy as np

from glyphos.errors import GlyphosError, LanguageError, RecordingError
from glyphos.motion.gestures import is_vowel
from glyphos.speech.compare import compare, disagreements, script_as_heard
from glyphos.speech.hearing import hear
from glyphos.speech.listen import listen
from glyphos.speech.pieces import speech_pieces
from glyphos.speech.recognise import Draft, draft, drafts, listen_without_script, phrased
from glyphos.speech.recording import Recording, open_recording
from glyphos.speech.sounds_only import listen_for_sounds, phone_loop, phonotactics
from glyphos.speech.wordless import between_bursts
from glyphos.voice.unwritten import listen_unwritten
from tests.examples import FUZZ
from tests.labels import DATA, synthesiser_labels
from tests.speech.made import reading


def wrong_words(said: list[str], heard: list[str]) -> int:
    """Edit distance over words: the count of substitutions, deletions and insertions."""
    row = list(range(len(heard) + 1))
    for i, a in enumerate(said, 1):
        before, row[0] = row[0], i
        for j, b in enumerate(heard, 1):
            before, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, before + (a != b))
    return row[-1]


def made_recording(samples: np.ndarray) -> Recording:
    sound = np.asarray(samples, np.float32)
    peak = float(np.abs(sound).max())
    return Recording(Path("made.wav"), sound, 16_000, 1, len(sound) / 16_000, peak)


def plain(text: str) -> list[str]:
    return re.sub(r"[^a-z' ]", " ", text.lower()).split()


class Guessed(unittest.TestCase):
    """What is made out of another language is no more than a guess, and all of it is looked through."""

    def test_of_another_language_all_words_are_doubted(self) -> None:
        clips = [open_recording(DATA / f"{n}.flac") for n in ("pc_diphone-001", "slt_hts-001")]
        foreign, own = drafts(clips)
        self.assertEqual((foreign.guessed, own.guessed), (True, False))
        self.assertIn("if it is not English, choose its language", foreign.doubt_told("en"))
        self.assertEqual(own.doubt_told("en"), "")
        alone = draft(clips[0])
        self.assertEqual((alone.text, alone.guessed), (foreign.text, True))
        words = list(listen_without_script(clips[0], made=foreign).words())
        self.assertTrue(words and all(w.doubtful for w in words))
        self.assertFalse(any(w.doubtful for w in listen_without_script(clips[1], made=own).words()))


class WithoutScript(unittest.TestCase):
    def share_wrong(self, clips: list[Path]) -> float:
        wrong = total = 0
        for clip in clips:
            said = plain(clip.with_suffix(".txt").read_text())
            r = listen_without_script(open_recording(clip))
            self.assertTrue(all(w.source == "heard" for w in r.words()))
            wrong += wrong_words(said, plain(r.text))
            total += len(said)
        return wrong / total

    def test_nearly_all_words_of_read_speech_are_made_out(self) -> None:
        """Public-domain readings of the pocketsphinx source package: at most 6 % wrong."""
        clips = sorted(DATA.glob("librivox-*.wav"))
        self.assertLessEqual(self.share_wrong(clips[:: 1 if FUZZ else 2]), 0.06)

    def test_synthetic_voices_are_made_out_too(self) -> None:
        """Sentences of synthetic voices (festival, flite): at most 10 % of their words wrong. Every third of them,
        but in `make fuzz`."""
        clips = [c for c in sorted(DATA.glob("*.flac")) if not c.name.startswith(("lp", "pc"))]
        self.assertLessEqual(self.share_wrong(clips[:: 1 if FUZZ else 3]), 0.10)

    def test_the_older_recogniser_helps_out(self) -> None:
        with mock.patch("glyphos.speech.words.shipped_model", lambda: None):
            wrong = self.share_wrong([DATA / "librivox-0920.wav"])
        self.assertLessEqual(wrong, 0.30)

    def test_nothing_is_made_up_where_nothing_is_said(self) -> None:
        noise = np.random.default_rng(0).normal(0, 0.01, 80_000)
        tone = 0.1 * np.sin(np.arange(80_000) * 2 * np.pi * 220 / 16_000)
        for name, samples in (("silence", np.zeros(48_000)), ("noise", noise), ("tone", tone)):
            with self.subTest(name), self.assertRaisesRegex(RecordingError, "No words"):
                listen_without_script(made_recording(samples))

    def test_a_voice_without_words_is_followed_by_its_sounds_and_what_is_none_is_refused(
        self,
    ) -> None:
        clip, nothing = open_recording(DATA / "slt_hts-001.flac"), Draft("")
        r, made = listen_unwritten(clip, made=nothing)
        self.assertEqual(made.text, "")
        self.assertTrue(r.text.startswith("/") and all(w.doubtful for w in r.words()))
        spoken = sum(p.end - p.start for p in r.phones())
        self.assertGreater(spoken, 0.6 * clip.duration)
        self.assertIn("map", listen_unwritten(clip)[0].text)
        stops = {p.ipa for p in r.phones()} & set("pbtdkɡ")
        self.assertFalse(stops, "who cries or laughs says none: lips would shut")
        noise = np.random.default_rng(0).normal(0, 0.1, 32_000)
        tone = 0.1 * np.sin(np.arange(32_000) * 2 * np.pi * 220 / 16_000)
        knocks = np.where(np.arange(32_000) % 4000 < 20, 0.9, 0.0)
        for name, samples in (("noise", noise), ("tone", tone), ("knocks", knocks)):
            with self.subTest(name), self.assertRaisesRegex(RecordingError, "No words"):
                listen_unwritten(made_recording(samples), made=nothing)

    def test_a_laugh_opens_at_every_burst_and_breathes_between_them(self) -> None:
        """Vowels from a formant table (F1, F2, F3 of /ɑ/: Peterson & Barney 1952, Table II), five times a second."""
        t = np.arange(32_000) / 16_000
        vowel = sum(np.sin(2 * np.pi * 120 * k * t) * max(np.exp(-(((120 * k - f) / 90) ** 2)) for f in (730, 1090, 2440))
                    for k in range(1, 40))  # fmt: skip
        bursts = np.clip(np.sin(2 * np.pi * 5 * t), 0, 1) ** 0.5
        breath = np.random.default_rng(1).normal(0, 0.01, len(t))
        laugh = made_recording(0.2 * vowel * bursts + breath)
        dips = between_bursts(laugh, 200) / 100
        self.assertLess(np.abs((dips * 5) % 1 - 0.75).max(), 0.26)
        self.assertEqual(len(set(np.floor(dips * 5))), 9)
        dying = np.where(
            t < 1.0, 1.0, 10 ** -(1.7 * (t - 1.0))
        )  # half of it, as laughs do, by 34 dB
        faint = np.random.default_rng(1).normal(0, 0.006, len(t))
        for heard in (laugh, made_recording(0.2 * vowel * bursts * dying + faint)):
            phones = list(listen_for_sounds(heard, words=False).phones())
            vowels = [p for p in phones if is_vowel(p.ipa)]
            opened = {int(5 * (p.start + p.end) / 2) for p in vowels}
            self.assertGreaterEqual(len(opened), 8)
            self.assertGreaterEqual(sum(p.ipa == "h" for p in phones), 7)

    def test_a_recording_of_a_few_milliseconds_is_refused_in_a_sentence(self) -> None:
        for length in (5, 100, 700):
            blip = np.random.default_rng(1).normal(0, 0.1, length)
            with self.assertRaises(GlyphosError):
                listen_without_script(made_recording(blip))

    def test_words_over_silence_are_left_out(self) -> None:
        clip = open_recording(DATA / "slt_hts-001.flac")
        quiet = np.concatenate([clip.samples, np.zeros(48_000, np.float32)])
        invented = draft(clip).text + " Thank you for watching."
        with mock.patch("glyphos.speech.recognise.draft", lambda *_, **__: Draft(invented)):
            r = listen_without_script(made_recording(quiet))
        self.assertNotIn("watching", r.text)
        self.assertIn("map", r.text)

    def test_words_over_a_tune_are_left_out(self) -> None:
        """A recogniser that hears music writes what stands at the end of films (common practice, no source)."""
        t = np.arange(20 * 16_000) / 16_000
        notes = 220 * 2 ** (np.array([0, 4, 7, 12, 9, 5, 2, 7])[(t * 2).astype(int) % 8] / 12)
        tune = 0.1 * np.sin(2 * np.pi * np.cumsum(notes) / 16_000) * np.exp(-3 * (t * 2 % 1))
        made = Draft("Thank you so much for watching,\nand I'll see you in the next video.")
        with self.assertRaisesRegex(RecordingError, "No words"):
            listen_unwritten(made_recording(tune), made=made)
        clip = open_recording(DATA / "slt_hts-001.flac")
        with_tune = made_recording(np.concatenate([clip.samples, tune]))
        words = draft(clip).text
        heard = listen_without_script(with_tune, made=Draft(words + "\n" + made.text))
        self.assertNotIn("watching", heard.text)
        self.assertLessEqual(len(heard.text.split()) - len(words.split()), 1)

    def test_a_long_stretch_of_invented_words_spoils_no_others(self) -> None:
        """What is made up of a foreign stretch cannot be said in it; all else is found where it is."""
        clip = open_recording(DATA / "slt_hts-001.flac")
        text, long = (DATA / "slt_hts-001.txt").read_text(), clip.duration
        three = made_recording(np.concatenate([clip.samples] * 3))
        babble = "I am going to do it. " * 60
        pieces = tuple((k * long, (k + 1) * long, t) for k, t in enumerate((text, babble, text)))
        made = Draft(f"{text}\n{babble}\n{text}", pieces=pieces)
        r = listen_without_script(three, made=made)
        alone = list(listen_without_script(clip, made=Draft(text)).words())
        words = list(r.words())
        self.assertEqual([w.text for w in words], 2 * [w.text for w in alone])
        for found, own in zip(words[len(alone) :], alone, strict=True):
            self.assertAlmostEqual(found.start, own.start + 2 * long, delta=0.03)
            self.assertAlmostEqual(found.phones[-1].end, own.phones[-1].end + 2 * long, delta=0.03)
        self.assertTrue(any(s.start <= 1.5 * long <= s.end for s in r.unread))
        with self.assertRaisesRegex(RecordingError, "type the script"):
            listen_without_script(clip, made=Draft(babble))

    def test_punctuation_makes_phrases(self) -> None:
        self.assertEqual(
            phrased(f"Mr. Hill left. Why? A{99 * 'h'}."), ["Mr. Hill left.", "Why?", "Ahhhh."]
        )
        long = "When the night was over and all of the lamps were out, they left the tower."
        self.assertEqual(len(phrased(long)), 2)
        r = listen_without_script(open_recording(DATA / "librivox-0920.wav"))
        self.assertGreater(len(r.phrases), 1)

    def test_sounds_alone_are_found_in_any_language(self) -> None:
        r = listen_for_sounds(open_recording(DATA / "slt_hts-001.flac"))
        scripted = listen(DATA / "slt_hts-001.flac", (DATA / "slt_hts-001.txt").read_text())
        ours, theirs = [p.ipa for p in r.phones()], [p.ipa for p in scripted.phones()]
        self.assertLess(wrong_words(theirs, ours), 0.45 * len(theirs))
        self.assertTrue(r.text.startswith("/"))
        italian = listen_for_sounds(open_recording(DATA / "lp_diphone-001.flac"), language="it")
        self.assertGreater(sum(1 for _ in italian.phones()), 15)

    def test_three_in_four_sounds_of_synthetic_speech_are_right_by_themselves(self) -> None:
        """Against the synthesisers' own labels; pauses are not counted."""
        wrong = total = 0
        for labels in sorted(DATA.glob("*.lab"))[:: 1 if FUZZ else 2]:
            if labels.name.startswith(("lp_", "pc_")):
                continue
            said = [p for _, x in synthesiser_labels(labels, "en") for p in x.split("+")]
            loop = phone_loop(hear(open_recording(labels.with_suffix(".flac"))))
            heard = [n for n, _, _ in loop if n != "SIL" and not n.startswith("+")]
            wrong, total = wrong + wrong_words(said, heard), total + len(said)
        self.assertLess(wrong, 0.25 * total)

    def test_a_long_loop_is_cut_in_pauses_and_nothing_is_lost(self) -> None:
        evidence = hear(open_recording(DATA / "librivox-0920.wav"))
        whole = phone_loop(evidence)
        with mock.patch("glyphos.speech.sounds_only.LONGEST", 250):
            parts = phone_loop(evidence)
        for loop in (whole, parts):
            self.assertEqual((loop[0][1], loop[-1][2]), (0, len(evidence.scores)))
            self.assertTrue(all(a[2] == b[1] for a, b in pairwise(loop)))
        names = [[n for n, _, _ in loop if n != "SIL"] for loop in (whole, parts)]
        self.assertLess(wrong_words(*names), 0.1 * len(names[0]))

    def test_phonotactics_are_those_of_english(self) -> None:
        """English phonology (common knowledge): no word begins with ŋ, /ð/ goes before a vowel."""
        phones = hear(open_recording(DATA / "slt_hts-001.flac")).model.phones
        table, index = phonotactics(phones), phones.index
        silence = index("SIL")
        self.assertLess(
            table[index("T"), silence, index("NG")], table[index("T"), silence, index("N")] - 2
        )
        self.assertGreater(
            table[silence, index("DH"), index("AH")], table[silence, index("DH"), index("T")] + 2
        )
        np.testing.assert_allclose(np.exp(table[silence, index("B")]).sum(), 1.0, atol=0.1)

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

    def test_a_language_that_cannot_be_heard_is_told_so(self) -> None:
        recording = open_recording(DATA / "lp_diphone-001.flac")
        script = (DATA / "lp_diphone-001.txt").read_text()
        with self.assertRaisesRegex(LanguageError, "by ear"):
            disagreements(recording, listen(recording, script, language="it"))

    def test_what_is_heard_must_explain_the_sound_better(self) -> None:
        recording = open_recording(DATA / "slt_hts-001.flac")
        r = listen(recording, "Bring me the blue map before the dome opens.")
        heard = "bring me the new cap before the dome opens".split()
        self.assertEqual(compare(r, hear(recording), heard), ())

    def test_taking_what_is_heard_leaves_directions_alone(self) -> None:
        from glyphos.speech.compare import Disagreement

        script = "MABEL: Bring me a map, Pip.\n(She turns, map in hand.) Wake up."
        one = Disagreement(3, 4, "map", "lamp", 1.2, 1.5)
        extra = Disagreement(5, 5, "", "now", 2.3, 2.4)
        self.assertEqual(
            script_as_heard(script, reading(), [one, extra]),
            "MABEL: Bring me a lamp, Pip.\n(She turns, map in hand.) now Wake up.",
        )
