"""Recipes: what people write, what is kept of options, and what is refused with which words."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from glyphos.batch.recipe import (
    Bounds,
    Files,
    Recipe,
    Scripts,
    check_recipe,
    read_recipe,
    with_formats,
    write_recipe,
)
from glyphos.errors import DocumentError, SaveError, ScriptError
from glyphos.motion.delivery import Delivery
from glyphos.motion.life.event import Liveliness
from glyphos.production.documents import Line


class Recipes(unittest.TestCase):
    def setUp(self) -> None:
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "night.toml"

    def refused(self, text: str) -> str:
        self.path.write_text(text)
        with self.assertRaises(DocumentError) as caught:
            read_recipe(self.path)
        return str(caught.exception)

    def test_what_is_kept_comes_back(self) -> None:
        recipe = Recipe(
            steps=("listen", "hand"), fps="29.97", language="it", languages={"*_es*": "es"}, characters={"*": "pip"},
            mood="joy:0.6", preview=True, delivery=Delivery(articulation=1.2), life=Liveliness(0.8, 3),
            hand=Files("json", "vtt", "glb", names="{speaker}_{line}"), limits=Bounds(10, 500, 3, 1),
            scripts=Scripts("sh before", "sh after"),
        )  # fmt: skip
        write_recipe(recipe, self.path)
        self.assertEqual(read_recipe(self.path), recipe)
        write_recipe(Recipe(), self.path)
        self.assertEqual(len(self.path.read_text().splitlines()), 2)  # only what is not as usual
        self.assertEqual(read_recipe(self.path), Recipe())

    def test_unknown_keys_get_the_nearest_known_one(self) -> None:
        self.assertIn("do you mean “steps”?", self.refused("step = ['listen']"))
        self.assertIn(
            "no “limits.second”; do you mean “seconds”?", self.refused("[limits]\nsecond = 3")
        )
        self.assertIn("“life.strenth”", self.refused("[life]\nstrenth = 1"))
        self.assertIn("known are: steps", self.refused("zzz = 1"))

    def test_what_cannot_be_is_refused_in_one_sentence(self) -> None:
        for text, said in (
            ("x =", "is no recipe"), ("[delivery]\narticulation = 7", "delivery.articulation: expected `float` <= 2"),
            ("steps = ['hear']", "steps[0]: invalid"), ("steps = []", "steps are some of"), ("mood = 'glad'", "is no mood"),
            ("mood = 'joy:much'", "write as in joy:0.8"), ("fps = 'x'", "not a frame rate"),
            ("[hand]\ncurves = 'glb'", "is none of: csv, json, bvh"), ("[limits]\nretries = 99", "retries at most 20"),
        ):  # fmt: skip
            told = self.refused(text)
            self.assertIn(said, told)
            self.assertIn("night.toml", told)
        with self.assertRaises(DocumentError):
            read_recipe(self.path.with_name("none.toml"))
        with self.assertRaises(SaveError):
            write_recipe(Recipe(), self.path.with_suffix(".txt"))

    def test_files_are_found_beside_the_recipe(self) -> None:
        (self.path.parent / "names.txt").write_text("Osric  ˈɒzɹɪk\n")
        self.path.write_text("lexicon = 'names.txt'\nwords_model = 'gone'\n")
        made = read_recipe(self.path)
        self.assertEqual(made.lexicon, str((self.path.parent / "names.txt").resolve()))
        self.assertEqual(made.words_model, "gone")

    def test_formats_are_sorted_into_their_kinds(self) -> None:
        made = with_formats(Recipe(), "glb,csv,vtt").hand
        self.assertEqual((made.curves, made.timing, made.character, made.drawings), ("csv", "vtt", "glb", ""))  # fmt: skip
        self.assertEqual(with_formats(Recipe(), "xsheet.pdf").hand.drawings, "xsheet.pdf")
        for text in ("wav", ",", "vtt,srt"):
            with self.assertRaises(ScriptError):
                with_formats(Recipe(), text)

    def test_rules_and_what_a_line_wears(self) -> None:
        recipe = Recipe(
            language="en", languages={"*_it.*": "it"}, mood="joy:0.5", life=Liveliness()
        )
        self.assertEqual(recipe.language_of("Osteria_IT.wav"), "it")
        self.assertEqual(recipe.language_of("door.wav"), "en")
        line = recipe.worn(Line("x", "x.wav", duration=3.0))
        self.assertEqual((line.moods[0].mood, line.moods[0].end, line.moods[0].strength), ("joy", 3.0, 0.5))  # fmt: skip
        self.assertEqual(line.life, Liveliness())
        self.assertIs(Recipe().worn(line), line)
        check_recipe(recipe)


if __name__ == "__main__":
    unittest.main()
