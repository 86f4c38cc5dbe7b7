"""How something is said: pitch against known frequencies and another library's, accents, boundaries."""

from __future__ import annotations

import unittest
from functools import cache
from pathlib import Path
from unittest import mock

import msgspec
import numpy as np
import soxr

from glyphos.production.demo import copy_demo
from glyphos.production.directions import directed
from glyphos.production.production import Production
from glyphos.speech.parts import with_words
from glyphos.speech.reading import AudioInfo, Phrase, Reading, Word
from glyphos.speech.recording import open_recording
from glyphos.voice.heard import KEPT, heard_in
from glyphos.voice.pitch import HOP, RATE, find_pitch
from glyphos.voice.ranks import median, percentile
from glyphos.voice.suggest import suggest
from glyphos.voice.syllables import tokens_of
from glyphos.voice.voice import Voice, analyse

DATA = Path(__file__).parents[1] / "data"


def buzz(hertz: np.ndarray) -> np.ndarray:
    """A sound with eleven harmonics whose pitch follows a contour (Hz at RATE)."""
    phase = 2 * np.pi * np.cumsum(hertz) / RATE
    return 0.1 * sum(np.sin(k * phase) / k for k in range(1, 12))


@cache
def line(number: int) -> tuple[np.ndarray, Reading]:
    production = Production.open(copy_demo())
    found = [x for x in production.lines if x.reading is not None][number]
    assert found.reading is not None
    return open_recording(production.audio_path(found)).samples.astype(float), found.reading


@cache
def voice(number: int = 0) -> Voice:
    return analyse(*line(number))


class Pitch(unittest.TestCase):
    def test_glides_and_vibrato_of_known_pitch_are_found_within_ten_cents(self) -> None:
        t = np.arange(4 * RATE) / RATE
        for name, contour in {
            "glide": 100 * 2 ** (t / 4 * 1.5), "vibrato": 220 * 2 ** (50 / 1200 * np.sin(2 * np.pi * 5.5 * t)),
            "creak": 70 + 5 * np.sin(2 * np.pi * t), "child": np.full(len(t), 400.0),
        }.items():  # fmt: skip
            found = find_pitch(buzz(contour))
            times = np.arange(len(found.hertz)) * HOP
            inner = (times > 0.1) & (times < 3.9)
            self.assertTrue((found.hertz[inner] > 0).all(), name)
            cents = 1200 * np.log2(found.hertz[inner] / np.interp(times[inner], t, contour))
            self.assertLess(np.abs(cents).max(), 10, name)

    def test_another_library_hears_the_same(self) -> None:
        """Against `librosa.pyin` 0.11 (fmin and fmax 128, 452 and 65, 221; frames of 512 and 768 every 160 at
        16 kHz) as written to tables; where pitch moves under 40 semitones a second: its window smears."""
        for name in ("09-ospite-italiano", "10-visita-espanol"):
            path = next(copy_demo().glob(f"audio/{name}.*"))
            found = find_pitch(open_recording(path).samples.astype(float)).hertz
            other = np.loadtxt(DATA / f"{name}.pyin.csv", skiprows=1)
            frames = min(len(found), len(other))
            octave = np.log2(np.where(found > 0, found, np.nan))[:frames]
            both = (np.abs(np.gradient(12 * octave)) / HOP < 40) & (other[:frames] > 0)
            cents = np.abs(1200 * (octave[both] - np.log2(other[:frames][both])))
            self.assertGreater(both.sum(), 150)
            self.assertGreaterEqual(float((cents <= 50).mean()), 0.95, name)

    def test_a_tune_under_the_voice_is_none(self) -> None:
        t = np.arange(6 * RATE) / RATE
        tune = 0.02 * (np.sin(2 * np.pi * 262 * t) + np.sin(2 * np.pi * 330 * t))
        said = np.where(t % 2 < 0.7, buzz(100 + 10 * np.sin(2 * np.pi * t)), 0.0)
        found = find_pitch(tune + said)
        at = np.arange(len(found.hertz)) * HOP % 2
        self.assertGreater((found.hertz[(at > 0.1) & (at < 0.6)] > 0).mean(), 0.95)
        self.assertFalse(found.hertz[(at > 0.8) & (at < 1.9)].any())
        self.assertLess(found.ceiling, 262)

    def test_what_has_no_pitch_has_none(self) -> None:
        noise = np.random.default_rng(0).normal(0, 0.1, 3 * RATE)
        self.assertLess((find_pitch(noise).hertz > 0).mean(), 0.1)
        self.assertFalse(find_pitch(np.zeros(RATE)).hertz.any())
        for short in (0, 1, 30, 500):
            self.assertEqual(len(find_pitch(np.zeros(short)).hertz), int(short / RATE / HOP) + 1)

    def test_a_voice_an_octave_up_is_found_an_octave_up(self) -> None:
        """Read speech, played at twice the speed: every frequency doubles."""
        sound = open_recording(DATA / "bobby.wav").samples.astype(float)
        faster = soxr.resample(sound, RATE, RATE / 2)
        slow, fast = find_pitch(sound), find_pitch(faster)
        a, b = np.median(slow.hertz[slow.hertz > 0]), np.median(fast.hertz[fast.hertz > 0])
        self.assertAlmostEqual(float(b / a), 2.0, delta=0.06)


class Said(unittest.TestCase):
    def test_it_is_measured_against_speaker_and_line(self) -> None:
        v = voice()
        self.assertAlmostEqual(float(np.nanmedian(v.semitones)), 0.0, delta=0.3)
        self.assertAlmostEqual(float(np.nanmedian(v.tilt)), 0.0, delta=0.3)
        louder = analyse(2 * line(0)[0], line(0)[1])
        np.testing.assert_allclose(louder.level[v.speech], v.level[v.speech], atol=0.01)
        self.assertEqual([a.word for a in louder.accents], [a.word for a in v.accents])

    def test_phrases_end_where_they_pause_and_where_the_text_says(self) -> None:
        v = voice()
        marks = [b.mark for b in v.boundaries]
        self.assertGreaterEqual(marks.count("."), 2)
        self.assertEqual(len(v.breaths), len(v.boundaries))
        for a, b in v.pauses:
            self.assertGreaterEqual(b - a, 0.15)
        self.assertTrue(all(0 < b.strength <= 1 for b in v.boundaries))

    def test_a_word_said_higher_and_louder_is_an_accent(self) -> None:
        """A syllable of a known line, raised by 4 semitones and 6 dB with the pitch of its samples."""
        sound, reading = line(2)
        plain = voice(2)
        weak = next(
            s
            for s in plain.syllables
            if s.stress == 1 and not any(a.vowel == s.vowel for a in plain.accents)
        )
        a, b = int(weak.start * RATE), int(weak.vowel[1] * RATE)
        piece = soxr.resample(sound[a:b], 2 ** (4 / 12) * RATE, RATE)  # fewer samples, higher
        raised = np.resize(piece, b - a)
        made = sound.copy()
        made[a:b] = 2 * raised
        found = analyse(made, reading)
        self.assertTrue(any(x.vowel == weak.vowel for x in found.accents))

    def test_a_script_may_ask_for_an_accent(self) -> None:
        """In capitals or between stars, as writers of dialogue do (common practice, no source)."""

        def asked(text: str) -> list[str]:
            words = tuple(
                Word(w.strip("*_.!,“”").replace("*", ""), k, k + 1, 1.0, ())
                for k, w in enumerate(text.split())
            )
            made = Reading("en", AudioInfo("a.wav", 9.0, RATE), (Phrase(text, 0, 9, words),))
            return [t.text for t in tokens_of(made) if t.emphasised]

        for text, wanted in (
            ("I had to INSPECT it.", ["INSPECT"]), ("Do you *really think* so?", ["really", "think"]),
            ("That _is_ mine.", ["is"]),
            ("Not so* fast, my friend.", []), ("Two*three is six.", []), ("“**No,**” he said.", ["No"]),
            ("LEAVE THAT ALONE!", []), ("A door. I see.", []),
        ):  # fmt: skip
            self.assertEqual(asked(text), wanted)
        sound, reading = line(2)
        weak = {t.text for t in voice(2).words} - {a.word for a in voice(2).accents}
        gained = 0
        for word in sorted(weak):
            loud = with_words(reading, lambda _, w, word=word: msgspec.structs.replace(w, text=w.text.upper()) if w.text == word else w)  # fmt: skip
            gained += any(a.word == word.upper() for a in analyse(sound, loud).accents)
        self.assertGreater(gained, 0)
        self.assertLess(gained, len(weak))  # a voice that says it without any weight decides

    def test_it_works_without_words(self) -> None:
        sound, reading = line(0)
        bare = msgspec.structs.replace(reading, phrases=())
        v = analyse(sound, bare)
        self.assertEqual((v.accents, v.words), ((), ()))
        self.assertGreater(v.voiced.mean(), 0.2)
        silent = analyse(np.zeros(RATE), Reading("en", AudioInfo("x", 1.0, RATE)))
        self.assertFalse(silent.voiced.any())


class Ranks(unittest.TestCase):
    def test_they_are_numpy_s(self) -> None:
        draw = np.random.default_rng(4)
        for count in (1, 2, 3, 4, 9, 40):
            values = draw.normal(size=count)
            self.assertEqual(median(values), np.median(values))
            for percent in (0, 15, 50, 90, 100):
                self.assertEqual(percentile(values, percent), np.percentile(values, percent))


class Kept(unittest.TestCase):
    def test_a_sound_is_measured_once_and_another_anew(self) -> None:
        t = np.arange(RATE) / RATE
        low, high = (0.3 * np.sin(2 * np.pi * f * t) for f in (120.0, 240.0))
        empty = Reading("", AudioInfo("", 1.0, RATE))
        with mock.patch("glyphos.voice.heard.find_pitch", side_effect=find_pitch) as sought:
            first = analyse(low, empty)
            again = analyse(low.copy(), empty)
            self.assertEqual(sought.call_count, 1)
            np.testing.assert_array_equal(first.semitones, again.semitones)
            self.assertGreater(analyse(high, empty).median, 1.9 * first.median)
            low[5000] += 1e-9  # in place, by the least
            analyse(low, empty)
            self.assertEqual(sought.call_count, 3)
            analyse(low, empty, speaker=(120.0, 80.0, 200.0))
            self.assertEqual(sought.call_count, 4)

    def test_nobody_alters_what_is_kept_and_old_ones_go(self) -> None:
        sounds = [np.random.default_rng(k).normal(0, 0.1, 4000) for k in range(KEPT + 1)]
        made = [heard_in(x) for x in sounds]
        with self.assertRaises(ValueError):
            made[-1].level[0] = 0.0
        self.assertIs(heard_in(sounds[-1]), made[-1])
        self.assertIsNot(heard_in(sounds[0]), made[0])


class Suggested(unittest.TestCase):
    def changed(self, gain: float, shift: float) -> list[str]:
        """What is suggested in the last breath of a line that is said otherwise there."""
        sound, reading = line(0)
        last = voice(0).breaths[-1]
        a, b = int(last.start * RATE), int(last.end * RATE)
        piece = soxr.resample(sound[a:b], 2 ** (shift / 12) * RATE, RATE)
        made = sound.copy()
        made[a:b] = gain * np.resize(piece, b - a)
        return [s.kind for s in suggest(analyse(made, reading)) if s.end > last.start + 0.2]

    def test_a_stretch_that_is_clearly_otherwise_is_suggested_with_what_spoke_for_it(self) -> None:
        self.assertTrue(set(self.changed(4.0, 4.0)) & {"lively", "bright", "tense"})
        self.assertTrue(set(self.changed(0.15, -4.0)) & {"low", "calm"})
        for s in suggest(voice(0)):
            self.assertTrue(s.reasons and 0 < s.strength <= 1)

    def test_a_line_too_short_to_tell_suggests_nothing(self) -> None:
        self.assertEqual(suggest(voice(3)), [])


class Directed(unittest.TestCase):
    def test_directions_in_brackets_are_moods_of_their_phrases(self) -> None:
        reading = line(0)[1]
        first = reading.phrases[0].text
        script = (
            f"(whispering, afraid) {first}\n"
            + "\n".join(p.text for p in reading.phrases[1:2])
            + "\n[müde] "
            + reading.phrases[2].text
        )
        made = directed(script, reading)
        self.assertEqual([s.mood for s in made], ["fear", "tired"])
        self.assertAlmostEqual(made[0].start, max(0.0, reading.phrases[0].start - 0.3), places=2)
        self.assertLess(made[0].end, reading.phrases[1].start + 0.31)
        self.assertEqual(directed("(to Pip) " + first, reading), [])
        self.assertEqual(directed("(angry) words that nobody says", reading), [])


if __name__ == "__main__":
    unittest.main()
