"""In which language a script is written, on Article 1 of the Universal Declaration of Human Rights (United Nations,
1948; its official translations, from memory)."""

from __future__ import annotations

import unittest

from glyphos.speech.written import languages_of

ARTICLE = {
    "en": "All human beings are born free and equal in dignity and rights. They are endowed with reason and conscience.",
    "de": "Alle Menschen sind frei und gleich an Würde und Rechten geboren. Sie sind mit Vernunft und Gewissen begabt.",
    "fr": "Tous les êtres humains naissent libres et égaux en dignité et en droits. Ils sont doués de raison.",
    "es": "Todos los seres humanos nacen libres e iguales en dignidad y derechos y, dotados como están de razón.",
    "it": "Tutti gli esseri umani nascono liberi ed eguali in dignità e diritti. Essi sono dotati di ragione.",
    "pt": "Todos os seres humanos nascem livres e iguais em dignidade e em direitos. Dotados de razão e de consciência.",
    "nl": "Alle mensen worden vrij en gelijk in waardigheid en rechten geboren. Zij zijn begiftigd met verstand.",
    "cs": "Všichni lidé rodí se svobodní a sobě rovní co do důstojnosti a práv. Jsou nadáni rozumem a svědomím.",
    "pl": "Wszyscy ludzie rodzą się wolni i równi pod względem swej godności i swych praw. Są oni obdarzeni rozumem.",
    "ru": "Все люди рождаются свободными и равными в своем достоинстве и правах. Они наделены разумом и совестью.",
}


class Written(unittest.TestCase):
    def test_each_language_is_known_whatever_is_usual(self) -> None:
        for code, text in ARTICLE.items():
            for usual in ("en", "it"):
                with self.subTest(code, usual=usual):
                    self.assertEqual(languages_of([text], usual), (code,))
                    self.assertEqual(languages_of([f"{text} " * 1000], usual), (code,))

    def test_short_scripts_help_each_other(self) -> None:
        words = ARTICLE["es"].split()
        pieces = [" ".join(words[k : k + 3]) for k in range(0, len(words), 3)]
        self.assertEqual(set(languages_of(pieces, "en")), {"es"})
        self.assertEqual(languages_of(pieces[:1], "en"), ("en",))  # alone it may be several

    def test_among_others_a_short_one_goes_with_the_likeliest(self) -> None:
        said = ["Somebody moved my map.", "Non sono stato io.", ARTICLE["it"], ARTICLE["en"]]
        self.assertEqual(languages_of(said, "en"), ("en", "it", "it", "en"))

    def test_what_was_written_before_counts_where_nothing_else_tells(self) -> None:
        there = {"es-419": 900, "en": 40}
        self.assertEqual(languages_of(["Un caracol feliz."], "en", there), ("es-419",))
        self.assertEqual(languages_of(["The happy snail."], "en", there), ("en",))
        several = {"es": 500, "es-419": 400, "fr": 600}  # of one language all count
        self.assertEqual(languages_of(["Ma."], "en", several), ("es",))
        self.assertEqual(languages_of([ARTICLE["es"]], "en", there), ("es-419",))
        said = [ARTICLE["it"], "Un caracol feliz."]  # others that come with it tell more
        self.assertEqual(languages_of(said, "en", there), ("it", "it"))

    def test_of_kinds_of_a_language_most_lines_tell_unless_the_usual_one_names_a_country(
        self,
    ) -> None:
        said = [ARTICLE["en"], "Hm."]
        for usual, there, expected in (
            ("en", {"en-gb": 500, "en": 20}, "en-gb"), ("en", {"en-gb": 20, "en": 500}, "en"),
            ("en-us", {"en-gb": 500}, "en-us"), ("it", {"en-gb": 500}, "en-gb"), ("en", {}, "en"),
        ):  # fmt: skip
            self.assertEqual(languages_of(said, usual, there), (expected,) * 2, (usual, there))

    def test_what_says_nothing_stays_as_usual(self) -> None:
        self.assertEqual(languages_of(["", "Hm.", "Mabel!", "12", "..."], "en-GB"), ("en-GB",) * 5)
        self.assertEqual(languages_of([ARTICLE["en"]], "en_US"), ("en_US",))
        self.assertEqual(languages_of([], "en"), ())


if __name__ == "__main__":
    unittest.main()
