"""What is called out, as scripts write it: drawn-out words, cries, stammers; and what only looks like them."""

from __future__ import annotations

import unittest

from glyphos.speech.lexicon import Lexicon, parse_pronunciation, pronounce
from glyphos.speech.saying import say
from glyphos.speech.script import parse_script


def said(text: str, language: str = "en", lexicon: Lexicon | None = None) -> list[list[str]]:
    """The ways each word is said, as its sounds in one string each."""
    words = [w for p in parse_script(text, language=language) for w in p.words]
    found = pronounce(words, language=language, lexicon=lexicon)
    return [["".join(u.ipa for u in units) for units in f.alternatives] for f in found]


def first(text: str, language: str = "en") -> str:
    return " ".join(ways[0] for ways in said(text, language))


class Written(unittest.TestCase):
    """Source of the sounds: common practice, no source; words are the dictionary's."""

    def test_a_drawn_out_word_is_the_word(self) -> None:
        plain = "No! Help! Please, wait. Yes! What? Hey, long, so, dad, well, hello, run"
        drawn = "Nooooo! Heeelp! Pleeease, waaait. Yessss! WHAAAT? Heyyy, loooong, sooo, daaad, wellll, hellooo, ruuun"
        self.assertEqual(first(drawn), first(plain))
        self.assertEqual(first("Noo! Heyy! Yess!"), first("No! Hey! Yes!"))

    def test_where_two_words_may_be_meant_the_recording_decides(self) -> None:
        (ways,) = said("Sooon!")
        self.assertLessEqual({"sun", "sʌn"}, set(ways))

    def test_other_languages_too(self) -> None:
        for text, plain, language in (
            ("Neeein! Jaaaa!", "Nein! Ja!", "de"),
            ("Ciaooo, andiaaamo", "Ciao, andiamo", "it"),
            ("Ouiii!", "Oui!", "fr"),
        ):
            with self.subTest(text):
                self.assertEqual(first(text, language), first(plain, language))

    def test_cries_are_not_spelt_out(self) -> None:
        for text, sounds in (
            ("Mmm", "m"), ("Shhhh!", "ʃ"), ("Pssst", "pst"), ("Pffft", "pft"), ("Grrrr", "ɡɝ"), ("Zzz", "z"), ("Brrr", "bɝ"),
            ("Aaaargh", "ɑɹɡ"), ("Aaaa!", "ɑ"), ("Eww", "iu"), ("hahaha", "hɑhɑhɑ"), ("Mwahaha", "mwɑhɑhɑ"), ("MMM", "m"),
            ("Krrrk", "kɹk"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(first(text), sounds)
        self.assertEqual(first("Pssst! Mmm.", "de"), "pst m")
        self.assertEqual(first("Oooof! Eeek! Wheee!"), "uf ik wi")
        self.assertLessEqual({"ʌv", "ɔf"}, set(said("Offff!")[0]))
        self.assertEqual(said("Hmmm")[0], ["hm", "m", "hʌm"])

    def test_a_stammer_begins_its_word(self) -> None:
        for text, sounds in (
            ("B-but", "bəbʌt"), ("th-that", "ðəðæt"), ("N-n-no", "nənənoʊ"), ("I-I", "aɪaɪ"), ("st-stop", "stəstɑp"),
            ("k-know", "nənoʊ"), ("wha-what", "wʌwʌt"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(first(text), sounds)
        self.assertIn("bbʌt", said("B-but")[0])
        self.assertIn("dideɪ", said("D-Day")[0])

    def test_it_may_be_broken_off_before_its_word(self) -> None:
        for text in ("B... but", "B—but", "B… but", "B -- but"):
            with self.subTest(text):
                ways = said(text)
                self.assertEqual(ways[0][:2], ["bə", "b"])
                self.assertIn("bi", ways[0])  # “plan B… but”: the recording decides
                self.assertEqual(ways[1], ["bʌt"])
        self.assertEqual(first("Th— that's"), "ðə ðæts")
        self.assertEqual(said("B but")[0], ["bi"])
        self.assertEqual(said("n... nein", "de")[0][0], "nə")
        self.assertEqual([w.text for w in say("Wh— what?").reading.words()], ["Wh", "what"])

    def test_what_only_looks_like_it_stays(self) -> None:
        self.assertEqual(first("WWW").replace("ː", ""), first("W W W").replace(" ", ""))
        self.assertEqual(first("CSS"), "siːɛsɛs")
        self.assertEqual(
            said("of off a I ow hey"), [["ʌv"], ["ɔf"], ["ə", "eɪ"], ["aɪ"], ["oʊ", "aʊ"], ["heɪ"]]
        )
        self.assertEqual(first("X-ray"), "ɛksɹeɪ")
        self.assertEqual(first("T-shirt"), "tiʃɝt")
        self.assertEqual(first("no-no"), "noʊnoʊ")
        self.assertTrue(first("re-read").startswith("ɹeɪɹ"))
        self.assertEqual(first("Schnee", "de"), "ʃneː")

    def test_a_placeholder_voice_says_them_so(self) -> None:
        reading = say("Shhh! Th-that, Nooooo, is it, 25 times.").reading
        heard = [(w.text, "".join(p.ipa for p in w.phones)) for w in reading.words()]
        self.assertEqual(heard[:4], [("Shhh", "ʃ"), ("Th-that", "ðəðæt"), ("Nooooo", "noʊ"), ("is", "ɪz")])  # fmt: skip
        self.assertEqual(heard[5][0], "25")
        self.assertEqual(say("Neeein!", language="de").reading.phrases[0].words[0].phones[1].ipa, "aɪ")  # fmt: skip

    def test_a_lexicon_comes_first(self) -> None:
        lexicon = Lexicon({"mmm": (parse_pronunciation("EH1 M"),), "zolt": (parse_pronunciation("Z AO1 L T"),)})  # fmt: skip
        self.assertEqual(said("Mmm Zoooolt", lexicon=lexicon), [["ɛm"], ["zɔlt"]])


if __name__ == "__main__":
    unittest.main()
