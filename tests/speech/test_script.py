"""Scripts: what is written and what is spoken."""

from __future__ import annotations

import signal
import tempfile
import textwrap
import unittest
from pathlib import Path

from glyphos.errors import DocumentError, ScriptError
from glyphos.speech import turns
from glyphos.speech.lexicon import Lexicon, parse_lexicon, parse_pronunciation, pronounce
from glyphos.speech.phones import to_dictionary
from glyphos.speech.script import decode_text, parse_script, read_aloud, read_script_file
from glyphos.speech.turns import paragraphs_of, speaker_named, speakers_of

ROOT = Path(__file__).parents[2]


def spoken(text: str, language: str = "en") -> str:
    words = [w for p in parse_script(text, language=language) for w in p.words]
    return " ".join(s for w in words for s in w.spoken)


class Spoken(unittest.TestCase):
    def test_written_forms_are_spoken_as_people_say_them(self) -> None:
        # Source: common practice, no source.
        for written, said in (
            ("Dr. Smith paid $5.20.", "doctor Smith paid five dollars and twenty cents"),
            ("It was 1984, not 2010!", "It was nineteen eighty four not twenty ten"),
            ("at 10:30 p.m. or 7:05", "at ten thirty p m or seven oh five"),
            ("the 3rd of May", "the third of May"),
            ("45% of 1,234", "forty five percent of one thousand two hundred and thirty four"),
            ("$5 million", "five million dollars"),
            ("3.14 is pi", "three point one four is pi"),
            ("the '90s and 1980s", "the nineties and nineteen eighties"),
            ("20°C, 5km", "twenty degrees celsius five kilometers"),
            ("R2D2", "r two d two"), ("the U.S.A. won", "the u s a won"),
            ("call 555-1234", "call five five five one two three four"),
            ("I said no. Never.", "I said no Never"), ("room no. 5", "room number five"),
            ("twenty-five", "twenty five"), ("You & me", "You and me"),
            ("wait—what…", "wait what"), ("‘don’t’", "don't"),
        ):  # fmt: skip
            with self.subTest(written):
                self.assertEqual(spoken(written), said)

    def test_other_languages_have_numbers_of_their_own(self) -> None:
        self.assertEqual(
            spoken("Alle 10:30, 25 anni", "it"), "Alle dieci e trenta venticinque anni"
        )
        self.assertEqual(
            spoken("El 45% de 1.200", "es"), "El cuarenta y cinco por ciento de mil doscientos"
        )

    def test_directions_and_speakers_are_not_spoken(self) -> None:
        self.assertEqual(spoken("MABEL: (softly) Look [points (up)] up *sighs*"), "Look up")

    def test_what_subtitles_and_tables_leave_in_a_text_is_not_spoken(self) -> None:
        for text, words in (
            ("I <i>really</i> mean it.<br>No<b>thing</b>", "I really mean it Nothing"),
            ("<color=#ff0000>Stop</color> &amp; go &quot;now&quot;", "Stop & go now"),
            ("<break time='1s'/>Wait\\nthere\\tagain", "Wait there again"),
            ("I <3 you, a < b", "I 3 you a b"),
        ):
            with self.subTest(text):
                self.assertEqual(
                    " ".join(w.text for p in parse_script(text) for w in p.words), words
                )
        self.assertEqual(read_aloud("MABEL: I <i>really</i> mean it. (sighs)"), "I really mean it.")

    def test_a_forgotten_space_joins_no_words(self) -> None:
        for text, words in (
            ("Go!Now!", 2),
            ("one,two;three", 3),
            ("Stop.Now", 2),
            ("Well...yes", 2),
            ("Ph.D. at 5 p.m.", 4),
        ):
            with self.subTest(text):
                self.assertEqual(sum(len(p.words) for p in parse_script(text)), words)
        italian = [
            w.text for p in parse_script("La sig.ra, la dott.ssa", language="it") for w in p.words
        ]
        self.assertEqual(italian, ["La", "sig.ra", "la", "dott.ssa"])


class Phrases(unittest.TestCase):
    def test_lines_are_phrases(self) -> None:
        texts = [p.text for p in parse_script("One two.\n\nThree. Four.\n")]
        self.assertEqual(texts, ["One two.", "Three. Four."])

    def test_text_that_an_editor_broke_is_put_together_again(self) -> None:
        """Broken by the standard library, at the widths that editors and mails use."""
        log = (ROOT / "demo" / "night-log.txt").read_text()
        running = " ".join(log.split())
        whole = [p.text for p in parse_script(running)]
        for width in (66, 72, 80, 100):
            texts = [p.text for p in parse_script(textwrap.fill(running, width))]
            self.assertEqual(texts, whole, width)

    def test_long_phrases_without_full_stops_stay_phrases(self) -> None:
        """As in a draft of what was heard."""
        draft = [
            "now a log of the hollow hill observatory kept by mabel", "and then",
            "at twenty past nine the clouds broke up above the pump house and i opened the dome",
            "the motor hounds moved about a palm's width and stopped again",
            "we pushed it together and we had a beautiful view of the western sky",
        ]  # fmt: skip
        self.assertEqual([p.text for p in parse_script("\n".join(draft))], draft)

    def test_running_text_is_cut_into_sentences_but_not_at_abbreviations(self) -> None:
        texts = [p.text for p in parse_script("I met Mr. Hall. He was well! Are you?")]
        self.assertEqual(texts, ["I met Mr. Hall.", "He was well!", "Are you?"])

    def test_nothing_spoken_is_an_error(self) -> None:
        for text in ("", "   \n", "(sighs)", "..."):
            with self.subTest(text), self.assertRaises(ScriptError):
                parse_script(text)

    def test_wrong_encodings_are_told_with_their_line(self) -> None:
        with self.assertRaisesRegex(ScriptError, "UTF-8.*line 2"):
            decode_text("first\ncaf\xe9\n".encode("latin-1"), "a.txt")
        with self.assertRaisesRegex(ScriptError, "not a text"):
            decode_text(b"\x00\x01\x02abc", "a.txt")
        self.assertEqual(decode_text("hé".encode("utf-16"), "a.txt"), "hé")


class Pronunciation(unittest.TestCase):
    def said(self, text: str, lexicon: Lexicon | None = None) -> list[tuple[str, list[str]]]:
        words = [w for p in parse_script(text) for w in p.words]
        made = pronounce(words, language="en", lexicon=lexicon)
        return [(p.source, [to_dictionary(u) for u in p.alternatives]) for p in made]

    def test_the_dictionary_gives_its_alternatives(self) -> None:
        # Source: CMUdict lists both for "the".
        source, ways = self.said("the")[0]
        self.assertEqual((source, set(ways[:2])), ("dictionary", {"DH AH0", "DH AH1"}))

    def test_unknown_words_are_spelled_by_the_engine(self) -> None:
        source, ways = self.said("glorphing")[0]
        self.assertEqual(source, "letters")
        self.assertTrue(ways[0].startswith("G L") and ways[0].endswith("NG"))

    def test_a_lexicon_comes_first_and_survives_its_file(self) -> None:
        lexicon = Lexicon().with_entry("map", parse_pronunciation("M UW1 P"))
        lexicon = lexicon.with_entry("ciao", parse_pronunciation("/tʃ ˈa o/"))
        self.assertEqual(self.said("map", lexicon)[0], ("lexicon", ["M UW1 P"]))
        self.assertEqual(parse_lexicon(lexicon.text()), lexicon)

    def test_a_bad_lexicon_line_is_named(self) -> None:
        with self.assertRaisesRegex(DocumentError, "line 2.*XX"):
            parse_lexicon("map  M AE1 P\nlens  L XX N Z\n")

    def test_words_of_other_languages_can_be_marked(self) -> None:
        words = parse_script("Say {it ciao bella} now")[0].words
        self.assertEqual([w.language for w in words], ["", "it", "it", ""])


class Found(unittest.TestCase):
    """What a review found to be misread."""

    def test_speakers_and_paragraphs_of_a_script(self) -> None:
        script = "MABEL: Look up.\nIt moves.\n\nOSRIC: It is the wind.\n\nGo home."
        self.assertEqual(paragraphs_of(script), [("Mabel", "Look up.\nIt moves."),
                                                 ("Osric", "It is the wind."), ("Osric", "Go home.")])  # fmt: skip

    def test_files_of_captions_are_read_for_what_is_said(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name, text, said in (
            ("a.srt", "1\r\n00:00:00,100 --> 00:00:02,500\r\nPIP: Look\r\nup.\r\n\r\n2\r\n00:00:03,000 --> 00:00:04,000\r\nNow.", "PIP: Look up.\nNow."),
            ("a.vtt", "WEBVTT - a title\n\nNOTE nobody says this\n\n00:00.100 --> 00:02.500 align:start\n<v.loud Pip>Look up.\n", "PIP: Look up."),
            ("b.srt", "1\n00:00:00,100 --> 00:00:02,500\n{\\an8}<i>Bread &amp; tea,</i> <font color=red>Pip</font>.", "Bread & tea, Pip."),
            ("b.vtt", "WEBVTT\n\n00:00.100 --> 00:02.500\n<v Pip>Look <00:01.000><c.loud>up</c>.</v>", "PIP: Look up."),
            ("a.txt", "Look --> up.", "Look --> up."),
        ):  # fmt: skip
            (folder / name).write_text(text, newline="")
            self.assertEqual(read_script_file(folder / name), said)
        (folder / "a.rtf").write_text(r"{\rtf1\ansi Look up.\par}")
        with self.assertRaisesRegex(ScriptError, "rich text"):
            read_script_file(folder / "a.rtf")

    def test_names_written_small_are_speakers_in_a_play_or_where_they_are_known(self) -> None:
        play = "The night\n\nMabel: Look up.\nOld Osric (low): It moves.\n\nMabel: McCoy: no."
        self.assertEqual([p.text for p in parse_script(play)][1:], [
            "MABEL: Look up.", "OLD OSRIC (low): It moves.", "MABEL: McCoy: no."])  # fmt: skip
        said = [" ".join(w.text for w in p.words) for p in parse_script(play)]
        self.assertEqual(said, ["The night", "Look up", "It moves", "McCoy no"])
        self.assertEqual(
            paragraphs_of(play)[1:],
            [("Mabel", "Look up."), ("Old Osric", "It moves."), ("Mabel", "McCoy: no.")],
        )
        for spoken in (
            "Remember: look up.\nListen: it moves.",
            "Remember: look up.",
            "Remember: look up.\nListen: it moves.\nGo: home.",
            "We went home.\nThere it was.\nMabel: Look.\nOsric: No.\nMabel: Yes.",
            "MABEL: Look.\nRemember: it moves.\nRemember: it does.",
        ):
            own = spoken.replace("MABEL: ", "")
            words = [w.text for p in parse_script(spoken) for w in p.words]
            self.assertEqual(len(words), len(own.split()), spoken)
        two = "Remember: look up.\nMabel: No."
        self.assertEqual(paragraphs_of(two), [("", two)])
        self.assertEqual(
            paragraphs_of(two, known={" mabel"}), [("", "Remember: look up."), ("Mabel", "No.")]
        )
        self.assertEqual([s for s, _ in paragraphs_of(two, typed=True)], ["Remember", "Mabel"])

    def test_speakers_of_any_name_are_not_spoken(self) -> None:
        for name, shown in (("ZOË", "Zoë"), ("O'BRIEN", "O'Brien"), ("JEAN-LUC", "Jean-Luc"), ("ÅSA 2", "Åsa 2"),
                            ("ОЛЬГА", "Ольга"), ("MABEL (V.O.)", "Mabel")):  # fmt: skip
            self.assertEqual(spoken(f"{name}: Look up."), "Look up")
            self.assertEqual(spoken(f"{name}:\n\nLook up.\n{name}: \r\nNow."), "Look up Now")
            self.assertEqual(speaker_named(f"{name}: Look up."), shown)
        self.assertEqual(spoken("Listen: it moves."), "Listen it moves")

    def test_marks_and_numbers_around_a_name_are_not_spoken_either(self) -> None:
        for form in ("[M001] PIP: ", "12) PIP: ", "3. PIP: ", "**PIP:** ", "• PIP : ", "(low) PIP [V.O.]: ", "“PIP:", "PIP：",
                     "- <i>PIP:</i> ", "PIP:"):  # fmt: skip
            self.assertEqual(spoken(f"{form}Look up."), "Look up", form)
            self.assertEqual(spoken(f"Now.\n\n{form}Look up."), "Now Look up", form)
        self.assertEqual(speakers_of("1. PIP: Look.\n2. MAN #2/OSRIC: Up."), [("Pip", "Look."), ("Man #2/Osric", "Up.")])  # fmt: skip
        for text in ("AT 3:30 it moves.", "7 PIPs: look.", "3. Look: up."):
            self.assertEqual(speaker_named(text), "")

    def too_long(self, *_: object) -> None:
        raise AssertionError("a pattern tries every way")

    def test_looking_for_names_takes_no_longer_than_the_text(self) -> None:
        """A hundred thousand marks, of which some patterns try every way to part them."""
        self.addCleanup(signal.signal, signal.SIGALRM, signal.signal(signal.SIGALRM, self.too_long))
        self.addCleanup(signal.alarm, 0)
        signal.alarm(60)  # they take a second; those that try every way would take an hour
        for mark in ("*", "(", "A", "- ", "\n", "A ", "A\n", "[a] ", "1. "):
            for pattern in (turns.SPEAKER, turns.SMALL, turns.ANY_NAME, turns.LONE, turns.APART):
                self.assertLessEqual(len(pattern.findall(mark * 100_000)), 100_000)

    def test_stressed_words_are_spoken_and_directions_are_not(self) -> None:
        self.assertEqual(spoken("I *really* mean it, **now**."), "I really mean it now")
        self.assertEqual(spoken("*sighs* Fine. *laughs softly*"), "Fine")

    def test_sums_ordinals_and_abbreviations(self) -> None:
        self.assertEqual(
            spoken("$1,250.50"), "one thousand two hundred and fifty dollars and fifty cents"
        )
        self.assertEqual(spoken("$0.50 and $3.5"), "fifty cents and three dollars and fifty cents")
        self.assertEqual(
            spoken("the 1st–3rd and the 21st-23rd"),
            "the first to third and the twenty first to twenty third",
        )
        self.assertEqual(spoken("ext. 7"), "extension seven")

    def test_what_stands_between_slashes_is_said_with_those_sounds(self) -> None:
        from glyphos.speech.lexicon import pronounce

        words = [w for p in parse_script("Ask /ˈmeɪbəl/ now and/or 1/2 later.") for w in p.words]
        self.assertEqual(words[1].text, "/ˈmeɪbəl/")
        said = pronounce(words, language="en")[1]
        self.assertEqual("".join(u.ipa for u in said.alternatives[0]), "meɪbəl")
        self.assertEqual((said.source, said.alternatives[0][1].stress), ("script", 1))
        self.assertIn("or", [s for w in words for s in w.spoken])
        with self.assertRaisesRegex(ScriptError, "no speech sounds"):
            parse_script("Ask /m4b3l/ now.")

    def test_a_tab_in_a_lexicon_line_is_a_space(self) -> None:
        from glyphos.speech.lexicon import parse_lexicon

        lexicon = parse_lexicon("dome\tD UW1 M\nmabel \t /ˈm eɪ b ə l/\n")
        self.assertEqual(set(lexicon.entries), {"dome", "mabel"})
        self.assertEqual([u.ipa for u in lexicon.entries["dome"][0]], ["d", "u", "m"])

    def test_languages_are_known_however_they_are_written(self) -> None:
        from glyphos.speech.espeak import voice_for

        for code in ("en", "en_US", "EN-us", "en-US"):
            self.assertEqual(voice_for(code), "en-us")
            self.assertEqual(spoken("21", language=code), "twenty one")
        self.assertEqual(voice_for("pt_BR"), "pt-br")
