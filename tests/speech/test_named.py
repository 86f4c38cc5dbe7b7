"""A name before what is said, which only the recording can tell from a word that is said, too."""

from __future__ import annotations

import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np

from glyphos.batch.job import Outcome
from glyphos.batch.listening import listened
from glyphos.batch.running import heard_on
from glyphos.production.adding import Wanted, add_lines
from glyphos.production.production import Production
from glyphos.speech.listening import listen_line
from glyphos.speech.parts import with_words
from glyphos.speech.reading import Reading
from glyphos.speech.recording import open_recording
from glyphos.speech.scripted import name_told, same_words, script_of, unheard_name
from tests.labels import DATA

SAID = "Bring me the blue map before the dome opens."


def heard(script: str, **more: object) -> Reading:
    return listen_line(open_recording(DATA / "slt_hts-001.flac"), script, **more)  # type: ignore[arg-type]


def texts(reading: Reading) -> list[str]:
    return [w.text for w in reading.words()]


class Named(unittest.TestCase):
    def test_a_name_that_is_not_heard_is_who_speaks(self) -> None:
        for name, second in (
            ("Mabel", True),
            ("Old man", False),
            ("Guard at door (low)", True),
            ("2. Eve", True),
        ):
            script = f"{name}: {SAID}"
            made = heard(script, second=second)
            self.assertEqual(texts(made), SAID.strip(".").split())
            own = name.removeprefix("2. ").split(" (")[0]
            self.assertIn(f"{own.upper()}", script_of(script, made))
            self.assertIn(f"“{own}” is not heard", name_told(script, made))

    def test_alone_in_its_line_and_in_front_of_every_turn(self) -> None:
        for script, name in (
            (f"Mabel:\n{SAID}", "Mabel"), (f"Mabel: {SAID[:21]}\nOsric: {SAID[22:]}", ""),
            (f"Old Tom\t{SAID}", "Old Tom"), (f"MABEL – {SAID}", "Mabel"),
            (f"MABEL (V.O.)\r\n\r\n{SAID[:21]}\r\n(low)\r\n{SAID[22:]}", "Mabel"),
            (f"MABEL\r\n{SAID[:21]}\r\nOSRIC\r\n(low)\r\n{SAID[22:]}", ""),
        ):  # fmt: skip
            made = heard(script)
            self.assertEqual(texts(made), SAID.strip(".").split())
            self.assertEqual(unheard_name(script, made), name)
            self.assertIn(name or "names in its script", name_told(script, made))

    def test_a_screenplay_is_heard_without_what_nobody_says(self) -> None:
        """It stays in the script, in brackets."""
        for script, name in (
            (f"INT. ATTIC - NIGHT\n\nRain. A light (blue) goes on.\n\nMABEL\n(low)\n{SAID}\n\nShe looks up.", "Mabel"),
            (f"MABEL\n{SAID[:21]}\n\nHe turns.\n\nOSRIC (O.S.)\n{SAID[22:]}\n\nCUT TO:", ""),
            (f"INT. ATTIC - NIGHT\n\nMABEL\n{SAID[:21]}\n\n{SAID[22:]}", "Mabel"),  # which she says, too
        ):  # fmt: skip
            made = heard(script)
            self.assertEqual(texts(made), SAID.strip(".").split())
            self.assertEqual(unheard_name(script, made), name)
            after = script_of(script, made)
            self.assertNotEqual(after, script)
            words = set(re.findall(r"\w+", script)) - {"O", "S"}
            self.assertLessEqual(words, set(re.findall(r"\w+", after)))
            self.assertEqual(script_of(after, heard(after, earlier=made)), after)

    def test_words_that_are_heard_are_said(self) -> None:
        for script in (
            SAID.replace("Bring me", "Bring me:"),
            SAID.replace("Bring", "Bring:").replace(" before", "\nBefore:"),
            SAID.replace("Bring me ", "BRING ME\n"),
            SAID.replace("Bring ", "BRING — "),
            SAID.replace("Bring ", "Bring\t"),
        ):
            made = heard(script)
            self.assertEqual(len(texts(made)), 9)
            self.assertEqual((script_of(script, made), name_told(script, made)), (script, ""))

    def test_a_word_that_is_left_out_before_a_dash_is_no_name(self) -> None:
        script = f"Well — {SAID}"
        made = heard(script)
        self.assertEqual((len(texts(made)), script_of(script, made)), (10, script))

    def test_where_little_is_understood_nothing_is_known_not_to_be_said(self) -> None:
        recording = open_recording(DATA / "slt_hts-001.flac")
        noise = np.random.default_rng(1).standard_normal(len(recording.samples))
        loud = np.float32(np.sqrt(np.mean(recording.samples**2)))
        noisy = replace(recording, samples=recording.samples + loud * noise.astype(np.float32))
        made = listen_line(noisy, SAID.replace("Bring me", "Bring me:"), second=False)
        self.assertLess(max(w.confidence for w in list(made.words())[:2]), 0.2)
        self.assertEqual(len(texts(made)), 9)

    def test_what_a_person_says_is_said_stays(self) -> None:
        script = f"Mabel: {SAID}"
        nine = heard(SAID)
        sure = with_words(
            heard(script.replace("Mabel:", "Mabel"), second=False),
            lambda k, w: w if k else msgspec.structs.replace(w, confirmed=True),
        )
        self.assertEqual(len(texts(heard(script, earlier=sure))), 10)
        self.assertEqual(len(texts(heard(script, earlier=nine))), 9)

    def test_lines_of_a_production_have_their_speaker(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        production = Production.create(folder / "p.glyphos", name="P")
        wanted = [Wanted(DATA / "slt_hts-001.flac", text=f"Old man: {SAID}")]
        production = production.changed(production.added(add_lines(production, wanted).lines))
        (line,) = production.lines
        self.assertEqual(line.speaker, "")
        for _ in range(2):  # the second time there is no name left
            line = listened(production, line)
            self.assertEqual((line.speaker, line.script), ("Old man", f"OLD MAN: {SAID}"))
            assert line.reading is not None
            self.assertTrue(same_words(line.script, line.reading))
        batch = heard_on(production.lines[0], Outcome(line, "done"))  # as a batch does it
        self.assertEqual((batch.speaker, batch.script), (line.speaker, line.script))


if __name__ == "__main__":
    unittest.main()
