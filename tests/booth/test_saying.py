"""Placeholder voices: exact times from the engine, whole scripts, voices kept with speakers, commands of the user's."""

from __future__ import annotations

import shlex
import sys
import tempfile
import time
import unittest
from pathlib import Path

import msgspec
import numpy as np

from glyphos.booth.command import by_command
from glyphos.booth.speaking import (
    respoken,
    spoken,
    turns_of,
    usual_voice,
    voice_of,
    wav_of,
    with_voice,
)
from glyphos.errors import Cancelled, GlyphosError, LanguageError, RecordingError, ScriptError
from glyphos.motion.perform import perform
from glyphos.motion.touch.keys import Touch, key_at
from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.checking import check_reading
from glyphos.speech.saying import PlaceholderVoice, say
from tests.shell import invoke

SCRIPT = """MABEL: The beam is out again. Somebody moved my map.
OSRIC (grumbling): Not me. I was wiping my boots.

PIP: Probably the wind, Osric."""


class Saying(unittest.TestCase):
    def test_every_word_has_its_sounds_in_order(self) -> None:
        for text, language, count in (
            ("MABEL: Bring *me* 25 blue maps (softly), Osric's and mine!", "en", 8), ("The wind does not fold a map.", "en", 7),
            ("Buonasera, mi chiamo Mabel. Il faro è rotto.", "it", 8), ("{it ciao bella} she said.", "en", 4),
            ("It costs $1,250.50 at 3:15.", "en", 5), ("Schöne Grüße aus dem Turm.", "de", 5),
        ):  # fmt: skip
            said = say(text, language=language)
            check_reading(said.reading)
            words = list(said.reading.words())
            self.assertEqual(len(words), count, [w.text for w in words])
            self.assertEqual(said.reading.audio.duration, said.duration)
            self.assertFalse(any(w.doubtful for w in words))
        words = {
            w.text: "".join(p.ipa for p in w.phones)
            for w in say("The beam is 50% of it.").reading.words()
        }
        self.assertEqual(
            (words["beam"], words["is"]), ("biːm", "ɪz")
        )  # not a sound of the one in the other
        self.assertTrue(words["50%"].startswith("fɪft"))  # as listening expects it

    def test_sounds_begin_within_five_ms_of_the_samples(self) -> None:
        """Measured in the samples: a /p/ after a pause is silent until it bursts, and a pause is silent."""
        for kind in ("", "f2", "m3"):
            said = say("Pip, put the map down. Tap.", PlaceholderVoice(kind=kind, pace=130))
            words = list(said.reading.words())
            loud = np.abs(said.samples) > 0.02 * np.abs(said.samples).max()
            for before, after in ((words[0], words[1]), (words[4], words[5])):
                a, b = (round(t * said.rate) for t in (before.end + 0.005, after.start - 0.005))
                self.assertGreater(b - a, 0.05 * said.rate)
                self.assertFalse(loud[a + round(0.03 * said.rate) : b].any())
            for word in (words[1], words[5]):
                start = round((word.start - 0.005) * said.rate)
                first = (start + int(np.argmax(loud[start:]))) / said.rate
                self.assertLess(first - word.start, 0.075)  # a held /p/ or /t/, then its burst

    def test_voices_differ_and_are_the_same_each_time(self) -> None:
        text = "Probably the wind."
        plain = say(text)
        self.assertAlmostEqual(
            plain.duration, say(text).duration, delta=0.005
        )  # the engine's own dither
        self.assertGreater(say(text, PlaceholderVoice(pace=90)).duration, 1.3 * plain.duration)
        from glyphos.voice.voice import analyse

        def pitch(voice: PlaceholderVoice) -> float:
            import soxr

            said = say("Over there, near the old harbour wall.", voice)
            return analyse(
                soxr.resample(said.samples.astype(float), said.rate, 16_000), said.reading
            ).median

        self.assertGreater(
            pitch(PlaceholderVoice(pitch=80)), 1.3 * pitch(PlaceholderVoice(pitch=30))
        )
        self.assertEqual(usual_voice("Mabel"), usual_voice(" mabel"))
        self.assertNotEqual(usual_voice("Mabel"), usual_voice("Osric"))

    def test_what_cannot_be_said_is_one_sentence(self) -> None:
        for text, language, kind in (
            ("...", "en", ScriptError),
            ("Hello", "xx", LanguageError),
            ("a" * 30_000, "en", ScriptError),
            ("(sighs)", "en", ScriptError),
            ("こんにちは", "en", LanguageError),
            ("Привет, мир", "el", LanguageError),
        ):
            with self.assertRaises(kind):
                say(text, language=language)

    def test_letters_of_its_own_language_are_said(self) -> None:
        for text, language in (
            ("Привет, мир.", "ru"),
            ("Γεια σου", "el"),
            ("Hello, мир and all.", "en"),
            ("Добар дан", "sr"),
        ):
            self.assertGreater(say(text, language=language).duration, 0.4)

    def test_it_can_be_performed_at_once(self) -> None:
        said = say("Pip, put the map down.")
        motion = perform(said.reading, fps=24)
        lips = motion.channel("lips_part")
        for word in list(said.reading.words())[:1]:
            frame = round((word.phones[0].start + word.phones[0].end) / 2 * 24)
            self.assertLess(lips[max(0, frame - 2) : frame + 1].min(), 0.05)


class Scripts(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "p.glyphos"
        self.production = Production.create(self.folder, name="Play")

    def run_it(self, *words: object, code: int = 0) -> str:
        ran = invoke(["say", str(self.folder), *map(str, words)])
        self.assertEqual(ran.exit_code, code, ran.output + str(ran.exception))
        return str(ran.output) + str(ran.exception or "")

    def test_a_script_becomes_lines_of_its_speakers(self) -> None:
        told: list[float] = []
        made = spoken(self.production, SCRIPT, progress=told.append)
        self.assertEqual([x.speaker for x in made.lines], ["Mabel", "Osric", "Pip"])
        self.assertTrue(all(x.placeholder for x in made.lines))
        for line in made.lines:
            self.assertTrue((self.folder / line.audio).exists())
            self.assertAlmostEqual(line.reading.audio.duration, line.duration)
        self.assertNotIn("MABEL", made.lines[0].script)
        self.assertEqual(len(told), 3)
        with self.assertRaises(ScriptError):
            turns_of("\n".join(f"A: Line {k}." for k in range(500)))
        with self.assertRaises(ScriptError):
            turns_of("  (sighs) \n")

    def test_turns_that_run_on_in_one_line(self) -> None:
        run = "MABEL: Is it out? OSRIC (low): “Not me.” PIP 2: It is. Vitamin? C: no. I AM Tom: hm. Mabel: oh."
        turns = [
            ("Mabel", "Is it out?"),
            ("Osric", "“Not me.”"),
            ("Pip 2", "It is. Vitamin? C: no. I AM Tom: hm."),
            ("Mabel", "oh."),
        ]
        self.assertEqual(turns_of(run, ["Mabel"]), turns)
        self.assertEqual(len(turns_of(run)), 3)  # Mabel may be a word that is said
        run = "TOM: No. O'BRIEN: Meet Mr. PIKE: he is in. DR. NYE: I am. STOP. TOM: Why?"
        self.assertEqual([name for name, _ in turns_of(run)], ["Tom", "O'Brien", "Dr. Nye", "Tom"])
        said = "It was late. NOTE: nothing was there."
        self.assertEqual(turns_of(said), [("", said)])

    def test_a_screenplay_too(self) -> None:
        play = "INT. ATTIC\n\nHARRIET\n(low)\nIt is warm.\n\nTOM\nOnly me."
        made = spoken(self.production, play)
        self.assertEqual([x.speaker for x in made.lines], ["Harriet", "Tom"])
        self.assertEqual([w.text for w in made.lines[0].reading.words()], ["It", "is", "warm"])
        self.assertEqual(made.unsaid, ("INT. ATTIC",))
        script = self.folder / "play.txt"
        script.write_text(play)
        ran = invoke(["say", str(self.production.folder), "--script", str(script)])
        self.assertIn("nobody says: INT. ATTIC", ran.output)
        self.assertIn("2 lines said", ran.output)

    def test_a_text_is_said_in_the_language_that_it_is_written_in(self) -> None:
        play = "ADA: Non sono stato io, ho solo pulito gli stivali.\n\nWREN: I was only wiping my boots.\n\nADA: Ma no!"
        made = spoken(self.production, play)
        self.assertEqual([x.language for x in made.lines], ["it", "en", "it"])
        self.assertEqual(made.tongues, ", 2 in Italian, as their scripts are")
        named = spoken(self.production, play, language="en-gb")
        self.assertEqual({x.language for x in named.lines}, {"en-gb"})
        voices = self.production.headed(voices={"Ada": PlaceholderVoice(language="es")})
        own = spoken(self.production.changed(voices), play)  # a voice that is kept comes first
        self.assertEqual([x.language for x in own.lines], ["es", "en", "es"])
        self.assertEqual((named.tongues, own.tongues), ("", ""))
        later = self.production.changed(self.production.added(made.lines[:1]))
        self.assertEqual(spoken(later, "ADA: Ma no!").lines[0].language, "it")  # as what is there

    def test_said_again_it_keeps_what_rides_on_its_sounds(self) -> None:
        small = spoken(self.production, "Mabel: The beam is out.\nOld Osric: Not me.").lines
        self.assertEqual([(x.speaker, x.script) for x in small],
                         [("Mabel", "The beam is out."), ("Old Osric", "Not me.")])  # fmt: skip
        (line,) = spoken(self.production, "PIP: Probably the wind.").lines
        word = list(line.reading.words())[2]
        keys = (key_at(line.reading, word.start, 0.2), key_at(line.reading, word.end, 0.0))
        touched = msgspec.structs.replace(line, touches=(Touch("jaw_open", "add", keys),))
        production = self.production.changed(self.production.added([touched]))
        for name in ("pip", "PIP "):  # as a script has it, or anybody writes it
            slow = with_voice(production, name, PlaceholderVoice(pace=90))
            production = production.changed(slow)
        self.assertEqual(list(production.header.voices), ["PIP"])
        self.assertEqual(voice_of(production, "Pip").pace, 90)
        again = respoken(production, touched)
        self.assertGreater(again.duration, 1.3 * line.duration)
        self.assertEqual(len(again.touches), 1)
        self.assertNotEqual(again.audio, line.audio)

    def test_a_command_of_the_users_own_speaks_and_is_listened_to(self) -> None:
        voice = Path(self.folder.parent) / "voice.py"
        root = Path(__file__).parents[2]
        voice.write_text(
            f"import sys; sys.path.insert(0, {str(root)!r})\n"
            "from glyphos.speech.saying import say\nfrom glyphos.booth.speaking import wav_of\n"
            f"text = sys.stdin.read(); open({str(self.folder.parent / 'told.txt')!r}, 'w').write(text)\n"
            "made = say(text); sys.stdout.buffer.write(wav_of(made.samples, made.rate))\n"
        )
        command = shlex.join([sys.executable, str(voice)])
        script = "PIP: (softly) <i>Probably</i> the *wind*."
        made = spoken(self.production, script, command=command)
        self.assertEqual(made.refused, ())
        told = (self.folder.parent / "told.txt").read_text()
        self.assertEqual(told, "Probably the wind.")  # it would read out all else
        self.assertEqual(made.lines[0].slug, "pip-softly-probably-the-wind")
        self.assertEqual(
            [w.text for w in made.lines[0].reading.words()], ["Probably", "the", "wind"]
        )
        self.assertEqual(made.lines[0].placeholder, command)
        for bad, said in (
            ("false", "ended with code 1"),
            ("no-such-program", "cannot be run"),
            ("cat", "wrote no WAV"),
            ("'", "cannot be run"),
        ):
            with self.assertRaises(RecordingError) as caught:
                by_command(bad, "Hello")
            self.assertIn(said, str(caught.exception))
        with self.assertRaises(RecordingError) as caught:
            by_command("sleep 5", "Hello", seconds=0.2)
        self.assertIn("not done after 0.2 seconds", str(caught.exception))
        with self.assertRaises(RecordingError) as caught:
            by_command("yes", "Hello", most=1_000_000)
        self.assertIn("more than an hour of sound", str(caught.exception))
        self.assertEqual(wav_of(np.zeros(4, np.float32), 8000)[:4], b"RIFF")

    def test_a_command_that_is_given_up_is_gone_with_all_that_it_started(self) -> None:
        late, asked = self.folder.parent / "late", []

        def told(_: float) -> None:
            asked.append(None)
            if len(asked) > 3:
                raise Cancelled

        command = shlex.join(["sh", "-c", f"(sleep 1; touch {shlex.quote(str(late))}) & wait"])
        with self.assertRaises(Cancelled):
            spoken(self.production, "PIP: The wind.", command=command, progress=told)
        time.sleep(1.2)
        self.assertFalse(late.exists())
        self.assertEqual(list((self.folder / "audio").glob("*")), [])

    def test_what_a_command_says_in_vain_leaves_nothing(self) -> None:
        path = self.folder.parent / "no.wav"
        path.write_bytes(b"RIFF and no sound")
        made = spoken(self.production, "PIP: The wind.", command=shlex.join(["cat", str(path)]))
        self.assertIn("pip-the-wind.wav is not a sound", made.refused[0])
        self.assertEqual(list((self.folder / "audio").glob("*")), [])

    def test_the_shell_says_a_play_and_makes_a_scene_of_it(self) -> None:
        path = self.folder.parent / "play.txt"
        path.write_text(SCRIPT)
        told = self.run_it(
            "--script", path, "--voice", "MABEL:kind=f3,pitch=62", "--scene", "The map"
        )
        self.assertIn("3 lines said", told)
        shown = Production.open(self.folder)
        self.assertEqual([x.speaker for x in shown.lines][:1], ["Mabel"])
        voice = voice_of(shown, "Mabel")
        self.assertEqual((voice.kind, voice.pitch), ("f3", 62))
        (scene,) = shown.scenes
        self.assertEqual(sum(len(lane.clips) for lane in scene.lanes), 3)
        slug = shown.slugs[0]
        self.assertIn("said again", self.run_it("--again", slug, "--voice", "Mabel:pace=100"))
        store = Store.open(self.folder)
        store.keep(
            {line_key(slug): msgspec.structs.replace(store.production.line(slug), placeholder="")}
        )
        store.close()
        self.assertIn("no placeholder line", self.run_it("--again", slug, code=1))
        self.run_it(code=1)
        for words in (
            ("--voice", "Mabel"),
            ("--voice", "Mabel:pace=90", "--voice", "Mabel:hair=1"),
            ("--voice", "Mabel:kind=x"),
            ("--voice", "Mabel:pitch=900"),
            ("--text", "a", "--script", path),
        ):
            self.run_it(*words, code=2)
        told = self.run_it("--voice", "Mabel:pace=90,language=blorbish", code=1)
        self.assertIn("no language “blorbish”", told)
        self.assertEqual(voice_of(Production.open(self.folder), "Mabel").pace, 100)
        with self.assertRaises(GlyphosError):
            spoken(shown, "Hello", language="xx")


if __name__ == "__main__":
    unittest.main()
