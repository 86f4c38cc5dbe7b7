"""Screenplays: whose words are whose, and what nobody says."""

from __future__ import annotations

import unittest

from glyphos.speech.screenplay import as_turns
from glyphos.speech.turns import paragraphs_of

PLAY = """INT. OBSERVATORY - NIGHT

HARRIET
(low)
The lamp is warm.
Somebody was here.

She climbs. A noise.

OLD TOM (O.S.)
Only me, miss.

CUT TO:
HARRIET (CONT'D)
Then who moved the ladder?"""


class Screenplays(unittest.TestCase):
    def test_cues_speak_until_a_blank_line_and_nobody_says_the_rest(self) -> None:
        for text in (PLAY, PLAY.replace("\n", "\r\n"), PLAY.replace("\n", "\n    ")):
            made, unsaid = as_turns(text)
            self.assertEqual(paragraphs_of(made, typed=True), [
                ("Harriet", "(low) The lamp is warm.\nSomebody was here."), ("Old Tom", "Only me, miss."),
                ("Harriet", "Then who moved the ladder?")])  # fmt: skip
            self.assertEqual(
                unsaid, ("INT. OBSERVATORY - NIGHT", "She climbs. A noise.", "CUT TO:")
            )

    def test_without_blank_lines_those_who_come_back_speak(self) -> None:
        made, unsaid = as_turns("HARRIET\nThe lamp.\nTOM\nNo.\nHARRIET\nYes.\nTOM\nNo.")
        self.assertEqual([s for s, _ in paragraphs_of(made)], ["Harriet", "Tom", "Harriet", "Tom"])
        self.assertEqual(unsaid, ())

    def test_tables_name_who_speaks_before_a_tab(self) -> None:
        made, unsaid = as_turns("Mabel\tHush.\nOld Tom\tNo: never.\n")
        self.assertEqual(paragraphs_of(made), [("Mabel", "Hush."), ("Old Tom", "No: never.")])
        self.assertEqual(as_turns("Mabel\tHush.\nNo."), ("Mabel\tHush.\nNo.", ()))
        self.assertEqual(unsaid, ())

    def test_rows_of_a_spreadsheet_are_turns(self) -> None:
        """Column orders that people have (common practice, no source)."""
        said = [("Mabel", "The beam is out."), ("Old Osric", "Not me.")]
        for rows in (
            "1\tMABEL\tThe beam is out.\n2\tOLD OSRIC\tNot me.\n",
            "MABEL:\tThe beam is out.\nOLD OSRIC:\tNot me.\n",
            "m_01.wav\tMabel\tThe beam is out.\nm_02.wav\tOld Osric\tNot me.",
            "The beam is out.\tMabel\t001\r\nNot me.\tOld Osric\t002\r\n",
            "Line\tCharacter\tText\tFile\n1\tMabel\tThe beam is out.\ta\n2\tOld Osric\tNot me.\tb",
            'Mabel\t"The beam is out."\n\nOld Osric\tNot me.',
            "Line,Character,Text\n1,Mabel,The beam is out.\n2,Old Osric,Not me.\n",
            'Text;Who\r\n"The beam is out.";Mabel\r\nNot me.;Old Osric',
        ):
            made, unsaid = as_turns(rows)
            self.assertEqual((paragraphs_of(made), unsaid), (said, ()), rows)
        self.assertEqual(as_turns("MABEL:\tHello there.")[0], "MABEL: Hello there.")
        directed = "1\tMabel\tHush.\t(low)\n2\tTom\tNo.\t"
        self.assertEqual(as_turns(directed)[0], "MABEL: (low) Hush.\n\nTOM: No.")
        self.assertEqual(as_turns("1\tHush.\n2\tNo.")[0], "Hush.\n\nNo.")
        self.assertEqual(
            as_turns('Mabel\t"Hush.\nTom\tNo.')[0], 'MABEL: "Hush.\n\nTOM: No.'
        )  # a mark without its other
        self.assertEqual(
            as_turns('Who,Text\nMabel,"Hush.\nTom,No.')[0], 'MABEL: "Hush.\n\nTOM: No.'
        )
        for text in ("a\t" + "b " * 100_000, "\tHush.\n\tNo.", "One.\tTwo.\nThree.", "\t\n",
                     "No, no, text.\nWho, me?", "Text, no name\nWhat, me"):  # fmt: skip
            self.assertEqual(as_turns(text), (text, ()))

    def test_what_is_called_out_is_no_cue(self) -> None:
        for text in (
            "HELLO\nthere everyone",
            "NO!\nWAY!\n\nNO!\nWAY!",
            "HUSH NOW\nGO TO SLEEP\n\nTHE MOON IS UP\nTHE STARS ARE OUT",
            "MABEL: One.\nOSRIC: Two.",
            "Look.\n\nUp.",
        ):
            self.assertEqual(as_turns(text), (text, ()))
        self.assertEqual(
            as_turns("HARRIET\nThe lamp.", known={"Harriet"}), ("HARRIET: The lamp.", ())
        )
        self.assertEqual(as_turns("INT. ATTIC\n\nMAN #2\n(LOW)\nNo.")[0], "MAN #2: (LOW) No.")


if __name__ == "__main__":
    unittest.main()
