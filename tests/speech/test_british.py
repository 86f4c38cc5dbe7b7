"""British English: the same dictionary, said as in the south of Britain."""

from __future__ import annotations

import unittest

import numpy as np
import soxr

from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.speech import british
from glyphos.speech.espeak import languages, say_sounds, voice_for
from glyphos.speech.hearing import hear
from glyphos.speech.languages import british as in_britain
from glyphos.speech.lexicon import offered_pronunciations, pronounce, pronunciations_of, vocabulary
from glyphos.speech.listen import listen_to
from glyphos.speech.phones import Unit, from_dictionary, nearest
from glyphos.speech.recording import Recording
from glyphos.speech.saying import say
from glyphos.speech.script import parse_script
from tests.labels import DATA

# Wells 1982, Accents of English, volume 1, chapter 2: the key words of the lexical sets and what they are in RP (from
# memory); happY as it is said by now (Wells 2008, Longman Pronunciation Dictionary)
SETS = {
    "kit": "k ɪ t", "dress": "d ɹ ɛ s", "trap": "t ɹ æ p", "lot": "l ɒ t", "strut": "s t ɹ ʌ t", "foot": "f ʊ t",
    "bath": "b ɑː θ", "cloth": "k l ɒ θ", "nurse": "n ɜː s", "fleece": "f l iː s", "face": "f eɪ s", "palm": "p ɑː m",
    "thought": "θ ɔː t", "goat": "ɡ əʊ t", "goose": "ɡ uː s", "price": "p ɹ aɪ s", "choice": "tʃ ɔɪ s",
    "mouth": "m aʊ θ", "near": "n ɪə", "square": "s k w eə", "start": "s t ɑː t", "north": "n ɔː θ", "force": "f ɔː s",
    "happy": "h æ p i", "letter": "l ɛ t ə", "comma": "k ɒ m ə",
}  # fmt: skip
# The same, chapters 3.1 and 3.2: what makes British words unlike American ones besides their sets
UNLIKE = {
    "marry": "m æ ɹ i", "merry": "m ɛ ɹ i", "hurry": "h ʌ ɹ i", "furry": "f ɜː ɹ i", "sorry": "s ɒ ɹ i", "tune": "t j uː n",
    "new": "n j uː", "tomato": "t ə m ɑː t əʊ", "fire": "f aɪ ə", "idea": "aɪ d ɪə", "squirrel": "s k w ɪ ɹ ə l",
    "castle": "k ɑː s ə l", "mass": "m æ s", "what": "w ɒ t", "hearing": "h ɪə ɹ ɪ ŋ", "world": "w ɜː l d",
}  # fmt: skip


def ways(text: str, language: str = "en-gb") -> list[list[str]]:
    """What may be said of each word."""
    words = [w for p in parse_script(text, language=language) for w in p.words]
    found = pronounce(words, language=language)
    return [[" ".join(u.ipa for u in way) for way in p.alternatives] for p in found]


class Dictionary(unittest.TestCase):
    def test_the_lexical_sets_are_those_of_britain(self) -> None:
        for word, said in (SETS | UNLIKE).items():
            with self.subTest(word):
                self.assertEqual(ways(word)[0][0], said)

    def test_of_the_whole_dictionary_no_sound_stays_american(self) -> None:
        words = sorted(vocabulary())[:: len(vocabulary()) // 500]
        british.learn(words)
        for word in words:
            american = [from_dictionary(symbols) for symbols in pronunciations_of(word)]
            made = british.british(word, american)
            self.assertTrue(made, word)
            for sounds in ([u.ipa for u in units] for units in made):
                self.assertTrue({"ɝ", "ɚ", "oʊ", "ɑ", "ɔ", "u"}.isdisjoint(sounds), (word, sounds))
                for sound, after in zip(sounds, [*sounds[1:], "t"], strict=True):
                    self.assertTrue(sound != "ɹ" or british.is_vowel(after), (word, sounds))

    def test_what_the_engine_says_otherwise_is_another_way(self) -> None:
        for word, said in (
            ("schedule", "ʃ ɛ d j uː l"), ("vitamin", "v ɪ t ə m ɪ n"), ("lieutenant", "l ɛ f t ɛ n ə n t"),
        ):  # fmt: skip
            self.assertIn(said, ways(word)[0])
        self.assertEqual(len(ways("wind")[0]), 2)  # both that the dictionary has, and no third

    def test_an_r_at_the_end_comes_from_a_vowel_behind_it(self) -> None:
        self.assertEqual(ways("far")[0], ["f ɑː"])
        self.assertEqual(ways("far gone")[0], ["f ɑː"])
        self.assertEqual(ways("far away")[0], ["f ɑː", "f ɑː ɹ"])
        self.assertNotIn("s ɔː ɹ", ways("saw it")[0])  # which has none to bring back
        self.assertEqual(ways("far away", "en-gb-scotland"), ways("far away", "en"))

    def test_other_kinds_of_english_are_as_they_were(self) -> None:
        for code in ("en", "en-us", "en_US", "en-gb-scotland"):
            self.assertFalse(in_britain(code))
            self.assertEqual(ways("bath", code)[0], ["b æ θ"])
        sounds = ways("Tamaria", "en")[0][0]  # a name that no dictionary has
        self.assertEqual(sounds.split()[-2:], ["i", "ə"])
        self.assertEqual(ways("Tamaria")[0][0].split()[-1], "ɪə")
        for code in ("en_GB", "en-GB-x-rp", "en-au", "EN-NZ"):
            self.assertTrue(in_britain(code))
        for code in ("de", "gb", ""):
            self.assertFalse(in_britain(code))

    def test_the_placeholder_of_other_kinds_is_the_nearest(self) -> None:
        for code, voice in (
            ("en-AU", "en-gb"),
            ("en_ZA", "en-gb"),
            ("en-ca", "en-us"),
            ("en", "en-us"),
        ):
            self.assertEqual(voice_for(code), voice)
        self.assertEqual(languages()["en"], languages()["en-us"])

    def test_names_that_no_dictionary_has_are_british_too(self) -> None:
        self.assertEqual(ways("Corvarth")[0][0], "k ɔː v ɑː θ")
        offered = offered_pronunciations("bath", language="en-gb")
        self.assertEqual([u.ipa for u in offered[0][0]], ["b", "ɑː", "θ"])

    def test_the_placeholder_says_each_of_its_vowels(self) -> None:
        vowels = {sound for _, *by_rule in british.VOWELS.values() for sound in by_rule}
        for sound in sorted((vowels | {"ɒ"}) - {"i"}):  # which is an iː that is not stressed
            units = [Unit(s, 1, nearest(s)) for s in ("b", sound, "t")]
            said = say_sounds(units, language="en-gb").sounds
            heard = british.as_listened(said[1][1])
            self.assertEqual(heard[0].ipa, sound)


class Heard(unittest.TestCase):
    TEXT = "The water is far away from the castle. Bob was not on the tall rock."

    def test_a_british_voice_is_heard_and_seen_as_it_spoke(self) -> None:
        said = say(self.TEXT, language="en-gb")
        self.assertEqual(said.reading.language, "en-gb")
        mono = np.asarray(soxr.resample(said.samples, said.rate, 16_000), np.float32)
        sound = Recording(DATA / "said.wav", mono, said.rate, 1, said.duration, 0.5)
        evidence = hear(sound)
        found = {
            code: listen_to(sound, evidence, self.TEXT, language=code, check=False)
            for code in ("en-gb", "en")
        }
        spoken = [[p.ipa for p in w.phones] for w in said.reading.words()]
        alike = {
            code: sum(
                [p.ipa for p in w.phones] == own
                for w, own in zip(reading.words(), spoken, strict=True)
            )
            for code, reading in found.items()
        }
        self.assertGreaterEqual(alike["en-gb"], 11, found["en-gb"])
        self.assertLess(alike["en"], alike["en-gb"] - 4)
        rounded = {}
        for code, reading in found.items():
            word = next(w for w in reading.words() if w.text == "not")
            middle = (word.phones[1].start + word.phones[1].end) / 2 - Delivery().lead / 1000
            curves = perform(reading, fps=60).between("lips_round", np.array([middle]))
            rounded[code] = float(curves[0])
        self.assertGreater(rounded["en-gb"], rounded["en"] + 0.1)  # lips of “not” are round there


if __name__ == "__main__":
    unittest.main()
