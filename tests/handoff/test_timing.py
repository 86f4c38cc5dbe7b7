"""Timing written and read again is equal; what other programs wrote is understood."""

from __future__ import annotations

import re
import tempfile
import unittest
from pathlib import Path

from praatio import textgrid

from glyphos.errors import DocumentError, SaveError
from glyphos.handoff import timing
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech import edits
from glyphos.speech.parts import Part
from glyphos.speech.reading import AudioInfo, Phone, Phrase, Reading, Word
from tests.labels import DATA


class Timing(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        reading = Production.open(copy_demo(self.folder / "demo")).lines[0].reading
        assert reading is not None
        self.reading = edits.pin_part(reading, Part("word", 3))

    def again(self, ending: str) -> Reading:
        path = self.folder / f"timing{ending}"
        timing.save(self.reading, path)
        return timing.load(path, self.reading.audio)

    def test_everything_comes_back_from_json_and_csv(self) -> None:
        self.assertEqual(self.again(".json"), self.reading)
        back = self.again(".csv")
        self.assertEqual([(p.ipa, p.start, p.end, p.stress, p.pinned, p.pinned_end) for p in back.phones()],
                         [(p.ipa, p.start, p.end, p.stress, p.pinned, p.pinned_end) for p in self.reading.phones()])  # fmt: skip
        self.assertEqual(back.text, self.reading.text)

    def test_intervals_come_back_and_are_read_by_the_format_s_own_library(self) -> None:
        back = self.again(".TextGrid")
        for ours, theirs in (
            ([(w.text, w.start, w.end) for w in self.reading.words()], [(w.text, w.start, w.end) for w in back.words()]),
            ([(p.ipa, p.start, p.end) for p in self.reading.phones()], [(p.ipa, p.start, p.end) for p in back.phones()]),
        ):  # fmt: skip
            self.assertEqual(ours, theirs)
        self.assertEqual([p.text for p in back.phrases], [p.text for p in self.reading.phrases])
        grid = textgrid.openTextgrid(
            str(self.folder / "timing.TextGrid"), includeEmptyIntervals=False
        )
        self.assertEqual(grid.tierNames, ("phrases", "words", "sounds"))

    def test_captions_come_back_to_the_millisecond(self) -> None:
        for a, b in zip(self.reading.words(), self.again(".vtt").words(), strict=True):
            self.assertEqual(a.text, b.text)
            self.assertLessEqual(max(abs(a.start - b.start), abs(a.end - b.end)), 0.00051)
        self.assertEqual([(round(p.start, 3), round(p.end, 3)) for p in self.reading.phrases],
                         [(p.start, p.end) for p in self.again(".srt").phrases])  # fmt: skip

    def test_webvtt_as_its_specification_shows_it(self) -> None:
        """W3C WebVTT, section 1: a file with a cue of two lines, and timestamps without hours."""
        data = b"WEBVTT\n\n00:01.000 --> 00:04.000\n<v Roger>Never drink liquid nitrogen.\n\n" \
               b"00:05.000 --> 00:09.000\n&gt; It will perforate\nyour stomach.\n"  # fmt: skip
        path = self.folder / "example.vtt"
        path.write_bytes(data)
        r = timing.load(path, AudioInfo("x.wav", 10.0, 16_000))
        self.assertEqual([(p.start, p.end) for p in r.phrases], [(1.0, 4.0), (5.0, 9.0)])
        self.assertEqual(r.phrases[0].text, "Never drink liquid nitrogen.")
        self.assertEqual(
            [w.text for w in r.phrases[1].words], ["It", "will", "perforate", "your", "stomach"]
        )

    def test_captions_are_written_as_the_script_is(self) -> None:
        for script, words, cue in (
            ("KEEPER: (softly) “Pull”, I said! — And half-baked?", "Pull I said And half baked",
             "“<c>Pull</c>”, <c>I</c> <c>said</c>! — <c>And</c> <c>half</c>-<c>baked</c>?"),
            ("A mad map & 5 < 6...", "A mad map 5 6", "<c>A</c> <c>mad</c> <c>map</c> &amp; <c>5</c> &lt; <c>6</c>..."),
            ("It costs five.", "It five", "<c>It</c> <c>five</c>"),  # something else than is said
        ):  # fmt: skip
            said = tuple(
                Word(w, k / 2, k / 2 + 0.5, 1.0, (Phone("a", k / 2, k / 2 + 0.5),))
                for k, w in enumerate(words.split())
            )
            reading = Reading("en", AudioInfo("x.wav", 9.0, 16_000),
                              (Phrase(script, 0.0, said[-1].end, said),))  # fmt: skip
            made = timing.to_webvtt(reading).decode()
            self.assertEqual(re.sub(r"<[\d:.]+>", "", made.splitlines()[3]), cue)
            path = self.folder / "said.vtt"
            path.write_text(made, encoding="utf-8")
            back = timing.load(path, reading.audio)
            self.assertEqual([w.text for w in back.words()], words.split())

    def test_nothing_that_others_wrote_beside_a_class_is_lost(self) -> None:
        path = self.folder / "theirs.vtt"
        path.write_text(
            "WEBVTT\n\n00:01.000 --> 00:03.000\n<c>Hello</c> there<00:02.000> <c.big>blue</c> <c>map</c>\n"
        )
        words = timing.load(path, AudioInfo("x.wav", 10.0, 16_000)).words()
        self.assertEqual([w.text for w in words], ["Hello there", "blue map"])

    def test_hand_labels_of_others_are_read(self) -> None:
        """`mary.TextGrid` of the praatio source package: words and phones by a person."""
        r = timing.load(DATA / "mary.TextGrid", AudioInfo("mary.wav", 1.87, 48_000))
        self.assertEqual([w.text.lower() for w in r.words()], ["mary", "rolled", "the", "barrel"])
        self.assertGreater(sum(1 for _ in r.phones()), 10)

    def test_what_cannot_be_understood_is_said_and_nothing_is_written(self) -> None:
        audio = AudioInfo("x.wav", 2.0, 16_000)
        for name, data, expected in (
            ("a.vtt", b"WEBVTT\n", "no phrases"), ("a.csv", b"a,b\n1,2\n", "columns"),
            ("a.TextGrid", b"nonsense", "understood"), ("a.doc", b"", "should end"),
            ("b.vtt", b"WEBVTT\n\n00:01.000 --> 99:00:00.000\nHello there\n", "another recording"),
            ("b.json", b"{}", "not a reading"), ("c.srt", "Déjà".encode("latin-1"), "not in UTF-8 .see line 1"),
            ("c.TextGrid", b'File type = "ooTextFile"\nx\xda', "not in UTF-8 .see line 2"),
            ("c.csv", b'phrase,word,sound,start,end\na,a,m,"0.1', "understood"),
            ("d.csv", b"phrase,word,sound,start,end\na,a,m\n", "understood"), ("d.vtt", b"a\0b", "no text|not a text"),
        ):  # fmt: skip
            (self.folder / name).write_bytes(data)
            with self.assertRaisesRegex(DocumentError, expected, msg=name):
                timing.load(self.folder / name, audio)
        with self.assertRaises(SaveError):
            timing.save(self.reading, self.folder / "x.xyz")
        with self.assertRaises(DocumentError):
            timing.load(self.folder / "gone.vtt", audio)


class Foreign(unittest.TestCase):
    """Timing of other programs, as it comes."""

    def load(self, name: str, text: str) -> Reading:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / name
            path.write_text(text, encoding="utf-8")
            return timing.load(path, AudioInfo("x.wav", 20.0, 16_000))

    def test_captions_in_which_nothing_is_said_are_passed_over(self) -> None:
        """WebVTT, W3C Recommendation track: character references of HTML stand in cue text."""
        made = self.load("x.vtt", "WEBVTT\n\n00:01.000 --> 00:02.000\n[MUSIC]\n\n00:03.000 --> 00:05.000\n"
                         "Tom &amp; &quot;Kit&quot; don&#39;t&nbsp;go.\n\n00:06.000 --> 00:07.000\n♪\n")  # fmt: skip
        self.assertEqual([w.text for w in made.words()], ["Tom", "&", "Kit", "don't", "go"])

    def test_old_ends_of_lines_and_utf_16_are_read(self) -> None:
        table = "phrase,word,sound,start,end\ra b,a,ɑ,0.1,0.3\r,b,b,0.3,0.4\r,,i,0.4,0.5\r"
        self.assertEqual([w.text for w in self.load("x.csv", table).words()], ["a", "b"])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.srt"
            path.write_bytes("1\r\n00:00:01,000 --> 00:00:02,000\r\nDéjà vu.\r\n".encode("utf-16"))
            made = timing.load(path, AudioInfo("x.wav", 20.0, 16_000))
        self.assertEqual([w.text for w in made.words()], ["Déjà", "vu"])

    def test_times_that_are_none_or_out_of_order_are_refused(self) -> None:
        head = "phrase,word,sound,start,end\n"
        for rows in ("a,a,m,nan,0.2\n", "a,a,m,0.1,inf\n", "a,a,m,1.0,1.2\n,b,a,0.5,0.7\n", "a,a,m,0.5,0.1\n",
                     "a,a,9,0.1,0.2\n", "a,a,,0.1,0.2\n"):  # fmt: skip
            with self.subTest(rows), self.assertRaises(DocumentError):
                self.load("x.csv", head + rows)
        with self.assertRaisesRegex(DocumentError, "out of order"):
            self.load(
                "x.srt",
                "1\n00:00:05,000 --> 00:00:06,000\nLate.\n\n2\n00:00:01,000 --> 00:00:02,000\nEarly.\n",
            )

    def test_sounds_in_the_dictionary_s_alphabet_move_the_face(self) -> None:
        """Tiers as forced aligners write them; CMUdict's alphabet, with stress digits."""
        from praatio import textgrid
        from praatio.utilities.constants import Interval

        from glyphos.motion.perform import perform

        grid = textgrid.Textgrid(0, 2)
        words = [Interval(0.0, 0.3, ""), Interval(0.3, 0.9, "mop")]
        phones = [Interval(0.0, 0.3, "sil"), Interval(0.3, 0.45, "M"), Interval(0.45, 0.75, "AA1"),
                  Interval(0.75, 0.9, "P"), Interval(0.9, 2.0, "sp")]  # fmt: skip
        for name, entries in (("words", words), ("phones", phones)):
            grid.addTier(textgrid.IntervalTier(name, [e for e in entries if e.label], 0, 2))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.TextGrid"
            grid.save(str(path), format="long_textgrid", includeBlankSpaces=True)
            made = timing.load(path, AudioInfo("x.wav", 2.0, 16_000))
        self.assertEqual([(p.ipa, p.stress) for p in made.phones()], [("m", 0), ("ɑ", 1), ("p", 0)])
        lips = perform(made, fps=24).channel("lips_part")
        self.assertGreater(lips.max(), 0.3)
        self.assertEqual(lips[round((0.375 - 0.04) * 24)], 0.0)
