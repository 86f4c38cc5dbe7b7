"""Timing of any shape goes out and comes back."""

from __future__ import annotations

import unittest

from hypothesis import given, settings

from glyphos.handoff.timing import READERS, WRITERS
from glyphos.speech.reading import Reading
from tests.speech.strategies import readings

MANY = settings(max_examples=25, deadline=None)


def again(r: Reading, ending: str) -> Reading:
    return READERS[ending](WRITERS[ending](r), r.audio, r.language)


class RoundTrips(unittest.TestCase):
    @given(readings())
    @MANY
    def test_json_is_equal(self, r: Reading) -> None:
        self.assertEqual(again(r, ".json"), r)

    @given(readings(marks=False))
    @MANY
    def test_tables_keep_every_sound(self, r: Reading) -> None:
        back = again(r, ".csv")
        keep = ("ipa", "start", "end", "stress", "pinned", "pinned_end", "confidence")
        for a, b in zip(r.phones(), back.phones(), strict=True):
            self.assertEqual([getattr(a, k) for k in keep], [getattr(b, k) for k in keep])
        self.assertEqual([w.text for w in back.words()], [w.text for w in r.words()])
        self.assertEqual([p.text for p in back.phrases], [p.text for p in r.phrases])

    @given(readings(marks=False))
    @MANY
    def test_intervals_keep_every_sound(self, r: Reading) -> None:
        back = again(r, ".textgrid")
        self.assertEqual([(p.ipa, p.start, p.end) for p in back.phones()],
                         [(p.ipa, p.start, p.end) for p in r.phones()])  # fmt: skip
        self.assertEqual([(w.text, w.start, w.end) for w in back.words()],
                         [(w.text, w.start, w.end) for w in r.words()])  # fmt: skip

    @given(readings(marks=False))
    @MANY
    def test_captions_keep_words_or_phrases_to_the_millisecond(self, r: Reading) -> None:
        for a, b in zip(r.words(), again(r, ".vtt").words(), strict=True):
            self.assertEqual(a.text, b.text)
            self.assertLess(max(abs(a.start - b.start), abs(a.end - b.end)), 0.0011)
        for a, b in zip(r.phrases, again(r, ".srt").phrases, strict=True):
            self.assertLess(max(abs(a.start - b.start), abs(a.end - b.end)), 0.0006)
