"""The word recogniser and its use as a second ear on scripts."""

from __future__ import annotations

import json
import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import msgspec
import numpy as np

from glyphos.errors import LanguageError, ScriptError
from glyphos.speech import words
from glyphos.speech.hearing import hear
from glyphos.speech.listen import listen_to
from glyphos.speech.listening import listen_line
from glyphos.speech.parts import with_words
from glyphos.speech.recognise import heard_words
from glyphos.speech.recording import open_recording
from glyphos.speech.second_ear import differing, plain, second_opinion
from glyphos.speech.words import Made, recogniser, unrepeated
from tests.examples import FUZZ
from tests.labels import DATA

CLIPS = [c for c in sorted(DATA.glob("*.flac")) if not c.name.startswith(("lp", "pc"))]
STRANGE = "window yellow under seven pilot garden often music".split()


class Recogniser(unittest.TestCase):
    def test_short_lines_heard_together_are_told_apart(self) -> None:
        ear = recogniser()
        assert ear is not None
        samples = [open_recording(c).samples for c in CLIPS[:5]]
        together = ear.hear_many(samples)
        self.assertEqual(len(together), 5)
        for clip, made in zip(CLIPS, together, strict=False):
            said = {plain(w) for w in clip.with_suffix(".txt").read_text().split()}
            heard = {plain(w) for w in made.text.split()}
            self.assertGreater(len(said & heard), 0.6 * len(said), made.text)

    def test_going_round_in_circles_is_cut(self) -> None:
        loop = "the moon is nearly full again " * 9
        self.assertEqual(unrepeated(loop), "the moon is nearly full again")
        for fine in ("no no no I said no", "look up look up", "very very good"):
            self.assertEqual(unrepeated(fine), fine)
        self.assertEqual(unrepeated("ha " * 30), "ha ha ha")

    def test_what_goes_round_in_circles_is_heard_in_halves(self) -> None:
        """Cut where nobody speaks; what lies behind comes as much later."""
        sound = np.random.default_rng(0).normal(0, 0.1, 192_000).astype(np.float32)
        sound[88_000:92_000] = 0
        ear = recogniser()
        assert ear is not None
        lengths: list[int] = []

        def ask(samples: np.ndarray) -> str:
            lengths.append(len(samples))
            return "bigger piper " * 40 if len(samples) > 150_000 else f"number {len(lengths)}"

        def answer(_: object, request: dict[str, str]) -> dict[str, object]:
            text = ask(np.zeros(len(request["samples"]) * 3 // 8))
            return {"segments": [(0.0, 2.0, text)], "language": "", "sure": 0.0, "silent": 0.0, "score": 0.0}  # fmt: skip

        with mock.patch.object(words.Recogniser, "_ask", answer):
            made = ear.hear(sound)
            self.assertEqual([t for *_, t in made.pieces], ["number 2", "number 3"])
            cut = made.pieces[1][0]
            self.assertTrue(5.5 < cut < 5.75, cut)
            self.assertAlmostEqual(lengths[1] / 16_000, cut, delta=0.01)
            lengths.clear()
            with mock.patch.object(words, "SHORT", 10.0):
                self.assertEqual(ear.hear(sound).text, "bigger piper bigger piper bigger piper")

    def test_a_model_of_ones_own_is_used_and_a_wrong_folder_named(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            with self.assertRaisesRegex(LanguageError, "model.bin"):
                words.prefer(Path(folder))
            for name in words.FILES:
                (Path(folder) / name).write_text("{}")
            words.prefer(Path(folder))
            try:
                ear = recogniser()
                assert ear is not None
                with self.assertRaisesRegex(LanguageError, "cannot be used"):
                    ear.hear(np.zeros(16_000, np.float32))
                ear.close()
            finally:
                words.prefer(None)
        self.assertEqual(words.preferred(), words.shipped_model())

    def test_a_process_that_dies_is_started_again(self) -> None:
        ear, clip = self.fresh()
        self.assertIn("map", ear.hear(clip).text)
        process = ear._worker._process
        assert process is not None
        process.kill()
        process.wait()
        self.assertIn("map", ear.hear(clip, quick=True).text)

    def test_what_was_heard_in_a_recording_is_known_when_it_is_listened_to_again(self) -> None:
        ear, clip = self.fresh()
        made = ear.hear(clip, quick=True)
        with mock.patch.object(ear._worker, "ask", side_effect=AssertionError("asked")) as ask:
            self.assertEqual(ear.hear(clip, quick=True), made)
            for other in (clip[:-160], clip):  # another sound, and more care
                with self.assertRaises(AssertionError):
                    ear.hear(other, quick=other is not clip)
            self.assertEqual(ask.call_count, 2)

    def fresh(self) -> tuple[words.Recogniser, np.ndarray]:
        """The recogniser, while nothing is known of what it heard before, and a clip."""
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch.dict("os.environ", {"XDG_CACHE_HOME": folder}))
        ear = recogniser()
        assert ear is not None
        return ear, open_recording(DATA / "slt_hts-001.flac").samples

    def test_a_model_tells_by_its_vocabulary_whether_it_knows_several_languages(self) -> None:
        # Source: English-only models have 51,864 tokens, the others at least one more (CTranslate2).
        shipped = recogniser()
        assert shipped is not None
        self.assertFalse(shipped.many)
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "vocabulary.json").write_text(json.dumps(["x"] * 51_865))
        self.assertTrue(words.Recogniser(folder).many)

    def test_a_recogniser_that_fails_keeps_nobody_from_listening(self) -> None:
        recording = open_recording(CLIPS[0])
        script = CLIPS[0].with_suffix(".txt").read_text()
        with mock.patch.object(words.Recogniser, "hear", side_effect=LanguageError("It died.")):
            reading = listen_line(recording, script)
        self.assertEqual(len(list(reading.words())), len(script.split()))

    def test_a_language_is_served_by_a_model_that_knows_several(self) -> None:
        ear = recogniser()
        assert ear is not None
        self.assertFalse(ear.serves("it"))
        with mock.patch.dict(vars(ear), many=True):
            self.assertTrue(ear.serves("it"))
        self.assertIsNone(heard_words(open_recording(CLIPS[0]), language="it"))
        self.assertEqual(Made(((0, 1, "a"), (1, 2, "b"))).text, "a b")


class SecondEar(unittest.TestCase):
    """Scripts with a word changed, left out or put in, at random: what both ears make of them."""

    def test_right_words_are_trusted_and_changed_scripts_found(self) -> None:
        chance = random.Random(4)
        caught = {"wrong": 0, "missing": 0, "extra": 0}
        right = doubted = 0
        clips = CLIPS if FUZZ else CLIPS[::2]
        for clip in clips:
            recording = open_recording(clip)
            evidence = hear(recording)
            heard = heard_words(recording, quick=True)
            assert heard is not None
            said = clip.with_suffix(".txt").read_text().split()

            def judged(script: list[str], recording=recording, evidence=evidence, heard=heard):  # type: ignore[no-untyped-def]
                r = listen_to(recording, evidence, " ".join(script), check=False)
                return [w.doubtful for w in second_opinion(r, evidence, heard).words()]

            plainly = judged(said)
            right, doubted = right + len(plainly), doubted + sum(plainly)
            k = chance.randrange(1, len(said) - 1)
            strange = chance.choice(STRANGE)
            caught["wrong"] += judged([*said[:k], strange, *said[k + 1 :]])[k]
            caught["missing"] += any(judged([*said[:k], *said[k + 1 :]])[k - 1 : k + 1])
            caught["extra"] += judged([*said[:k], strange, *said[k:]])[k]
        self.assertLessEqual(doubted / right, 0.02)
        self.assertGreaterEqual(caught["wrong"], 0.9 * len(clips))
        self.assertGreaterEqual(caught["missing"], 0.7 * len(clips))
        self.assertGreaterEqual(caught["extra"], 0.9 * len(clips))

    def test_words_that_sound_the_same_do_not_differ(self) -> None:
        clip = DATA / "slt_hts-001.flac"
        recording = open_recording(clip)
        evidence = hear(recording)
        r = listen_to(recording, evidence, clip.with_suffix(".txt").read_text())
        heard = [
            {"blue": "blew"}.get(plain(w), w) for w in clip.with_suffix(".txt").read_text().split()
        ]
        self.assertEqual(differing(r, evidence, heard), [])

    def test_a_script_that_the_other_ear_hears_is_not_refused(self) -> None:
        """As for a voice, an accent or a line that makes one ear deaf; the script is that of another recording here."""
        recording = open_recording(DATA / "slt_hts-001.flac")
        script = "Seven hungry monkeys jumped over my garden."
        for heard, refused in (
            ("Seven angry monkeys jumped over your guard.", False),
            ("Bring my monkeys the map.", True),
        ):
            with mock.patch("glyphos.speech.listening.heard_words", return_value=heard.split()):
                if refused:
                    with self.assertRaisesRegex(ScriptError, "does not seem to belong"):
                        listen_line(recording, script)
                else:
                    made = listen_line(recording, script)
                    self.assertEqual(len(list(made.words())), 7)
                    for again in (script, script.replace("my", "the"), "A monkey jumped over."):
                        listen_line(
                            recording, again, earlier=made
                        )  # once more, and as its script changes

    def test_what_is_heard_beside_a_word_leaves_it_trusted(self) -> None:
        recording = open_recording(DATA / "slt_hts-001.flac")
        evidence = hear(recording)
        said = (DATA / "slt_hts-001.txt").read_text().split()
        reading = listen_to(recording, evidence, " ".join(said))
        doubted = with_words(reading, lambda _, w: msgspec.structs.replace(w, confidence=0.3))
        heard = [*said[:3], "purple", *said[4:]]
        sure = [w.confidence for w in second_opinion(doubted, evidence, heard).words()]
        self.assertEqual([k for k, c in enumerate(sure) if c < 0.5], [3])
        heard = [*said[:3], "purple", *said[3:]]  # said between two of them, and nowhere written
        sure = [w.confidence for w in second_opinion(doubted, evidence, heard).words()]
        self.assertEqual([k for k, c in enumerate(sure) if c < 0.5], [2, 3])

    def test_listening_asks_the_second_ear_unless_told_not_to(self) -> None:
        recording = open_recording(CLIPS[0])
        script = CLIPS[0].with_suffix(".txt").read_text()
        with mock.patch("glyphos.speech.listening.heard_words", return_value=None) as asked:
            listen_line(recording, script, second=False)
            asked.assert_not_called()
            listen_line(recording, script)
            asked.assert_called_once()
