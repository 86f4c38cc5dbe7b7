"""Bringing lines in, listing them, listening to many, cutting long ones, finding lost files."""

from __future__ import annotations

import os
import shutil
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.batch.listening import (
    Heard,
    listen_many,
    listen_together,
    listen_work,
    with_heard,
    work_for,
)
from glyphos.errors import Cancelled, DocumentError, SaveError, ScriptError
from glyphos.production.adding import (
    Added,
    Wanted,
    add_lines,
    find_recordings,
    languages_told,
    read_table,
    there_already,
    wanted_from,
)
from glyphos.production.cutting import cut_line
from glyphos.production.documents import Line
from glyphos.production.kinds import LEX, line_key
from glyphos.production.listing import Listing
from glyphos.production.loading import record
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.lexicon import Lexicon
from glyphos.speech.listen import listen
from glyphos.speech.phones import from_dictionary
from glyphos.speech.reading import decode, encode
from glyphos.speech.recording import probe
from glyphos.speech.words import Recogniser
from tests.killing import killed_works
from tests.labels import DATA
from tests.speech.test_recognise import plain, wrong_words


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.incoming = self.folder / "from the studio"
        self.incoming.mkdir()
        for name in ("slt_hts-001", "slt_hts-004"):
            for ending in (".flac", ".txt"):
                shutil.copy(DATA / f"{name}{ending}", self.incoming)
        self.production = Production.create(self.folder / "show", name="Show")

    def add(self, *paths: Path) -> Added:
        """Lines of the recordings there, added to the production."""
        added = add_lines(self.production, wanted_from(paths).wanted)
        self.production = self.production.changed(self.production.added(added.lines))
        return added


class Adding(Folder):
    def test_a_folder_comes_in_with_its_texts_and_files_that_are_no_sound_are_told(self) -> None:
        (self.incoming / "broken.wav").write_bytes(b"nothing")
        added = self.add(self.incoming)
        self.assertEqual(self.production.slugs, ("slt-hts-001", "slt-hts-004"))
        self.assertIn("broken.wav", added.refused[0])
        line = self.production.lines[0]
        self.assertIn("blue map", line.script)
        self.assertTrue((self.production.folder / line.audio).exists())
        self.assertAlmostEqual(line.duration, 2.7, delta=0.1)

    def test_captions_beside_a_recording_are_its_script_and_endings_may_be_in_capitals(
        self,
    ) -> None:
        folder = self.incoming / "said"
        folder.mkdir()
        for name in ("a.wav", "B.WAV", "both.wav", "none.wav"):
            shutil.copy(DATA / "slt_hts-001.flac", folder / name)
        cue = (
            "1\n00:00:00,000 --> 00:00:01,000\n{}\n\n2\n00:00:01,500 --> 00:00:02,000\nthe reef.\n"
        )
        (folder / "a.srt").write_text(cue.format("Past"))
        (folder / "B.TXT").write_text("Mind the gate.")
        (folder / "both.txt").write_text("So it was.")
        (folder / "both.vtt").write_text(cue.format("Not"))
        found = wanted_from([folder, folder / "a.srt"])  # as they come from a file manager
        self.assertEqual(found.refused, ())
        added = add_lines(self.production, found.wanted)
        self.assertEqual(
            {line.slug: line.script for line in added.lines},
            {"a": "Past\nthe reef.", "b": "Mind the gate.", "both": "So it was.", "none": ""},
        )

    def test_a_script_that_is_of_none_of_the_recordings_is_told(self) -> None:
        sound, own = (self.incoming / f"slt_hts-001{e}" for e in (".flac", ".txt"))
        other = self.incoming / "slt_hts-004.txt"
        self.assertEqual(wanted_from([sound, own]).refused, ())
        found = wanted_from([sound, own, other])
        self.assertEqual([w.path for w in found.wanted], [sound])
        self.assertIn("slt_hts-004.txt", found.refused[0])

    def test_scripts_tell_their_language_where_nobody_else_does(self) -> None:
        for name in ("lp_diphone-001", "pc_diphone-006"):
            for ending in (".flac", ".txt"):
                shutil.copy(DATA / f"{name}{ending}", self.incoming)
        (self.incoming / "pc_diphone-006.txt").write_text("Ma no!")
        added = self.add(self.incoming)
        spoken = {x.slug.split("-")[0]: x.language for x in added.lines}
        self.assertEqual(spoken, {"lp": "it", "pc": "it", "slt": "en"})
        self.assertEqual(languages_told(added.told, "en"), ", 2 in Italian, as their scripts are")
        self.assertEqual(languages_told(added.told[1:], "en"), ", 1 in Italian, as its script is")
        named = [Wanted(self.incoming / "lp_diphone-001.flac", language="en-gb")]
        one = add_lines(self.production, named)
        self.assertEqual(one.lines[0].language, "en-gb")
        self.assertEqual(languages_told(one.told, "en"), "")
        one = add_lines(self.production, [Wanted(named[0].path)])
        self.assertEqual(languages_told(one.told, "en"), ", in Italian")
        kind = [
            msgspec.structs.replace(x, language="en-gb") for x in added.lines if x.language == "en"
        ]
        self.assertEqual(languages_told(kind, "en"), "")  # of which nothing new is to be told

    def test_what_comes_later_goes_with_what_is_there(self) -> None:
        said = {
            "one": "La luna piena illumina tutta la valle.",
            "two": "Mio fratello suona.",
            "late": "Va bene.",
        }
        for name, text in said.items():
            shutil.copy(self.incoming / "slt_hts-001.flac", self.folder / f"{name}.flac")
            (self.folder / f"{name}.txt").write_text(text)
        self.add(self.folder / "one.flac", self.folder / "two.flac")
        (late,) = self.add(self.folder / "late.flac").lines
        self.assertEqual(late.language, "it")

    def test_folders_do_not_tell_of_each_other(self) -> None:
        for folder, text in (
            ("de", "Ich habe die Karte auf dem Tisch liegen lassen."),
            ("x", "No!"),
        ):
            there = self.incoming / folder
            there.mkdir()
            for k, said in enumerate((text, "No!")):
                shutil.copy(self.incoming / "slt_hts-001.flac", there / f"{folder}{k}.flac")
                (there / f"{folder}{k}.txt").write_text(said)
        spoken = {x.slug: x.language for x in self.add(self.incoming).lines}
        self.assertEqual([spoken[s] for s in ("de0", "de1", "x0", "x1")], ["de", "de", "en", "en"])

    def test_a_recording_that_is_added_again_is_said(self) -> None:
        self.add(self.incoming / "slt_hts-001.flac")
        before = self.production
        lines = self.add(self.incoming).lines
        self.assertEqual(lines[0].slug, "slt-hts-001-2")
        for new, said in ((lines[:1], "; its recording was"), (lines, "; the recording of one was"),
                          (lines[:1] * 2, "; the recordings of 2 were"), (lines[1:], "")):  # fmt: skip
            told = there_already(before, new)
            self.assertEqual(told, f"{said} in the production already" if said else "")

    def test_adding_that_is_stopped_or_fails_leaves_no_copies(self) -> None:
        wanted = wanted_from([self.incoming]).wanted
        audio = self.production.folder / "audio"

        def stop(share: float) -> None:
            if share:
                self.assertEqual(len(list(audio.iterdir())), 1)
                raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            add_lines(self.production, wanted, progress=stop)
        self.assertEqual(list(audio.iterdir()), [])
        full = OSError(28, "No space left on device")
        with (
            mock.patch("glyphos.production.adding.shutil.copystat", side_effect=[None, full]),
            self.assertRaisesRegex(SaveError, "no space left"),
        ):
            add_lines(self.production, wanted)
        self.assertEqual(list(audio.iterdir()), [])
        here = shutil.copy(wanted[0].path, audio)
        with self.assertRaises(Cancelled):
            add_lines(self.production, [Wanted(Path(here)), *wanted[1:]], progress=stop)
        self.assertEqual(list(audio.iterdir()), [Path(here)])  # it was not copied

    def test_the_recordings_of_a_production_in_that_folder_are_not_added_again(self) -> None:
        inside = self.incoming / "earlier.glyphos"
        earlier = Production.create(inside, name="Earlier")
        add_lines(earlier, wanted_from([self.incoming / "slt_hts-001.flac"]).wanted)
        self.assertTrue(list(inside.rglob("*.flac")))
        found = wanted_from([self.incoming])
        self.assertEqual(len(found.wanted), 2)
        self.assertEqual(found.refused, ())

    def test_names_that_are_no_text_are_read_and_become_text(self) -> None:
        odd = self.incoming / os.fsdecode(b"caf\xe9.flac")  # as an old archive unpacks them
        shutil.copy(self.incoming / "slt_hts-001.flac", odd)
        shutil.copy(self.incoming / "slt_hts-001.txt", odd.with_suffix(".txt"))
        line = self.add(odd).lines[0]
        self.assertEqual(line.audio, "audio/caf�.flac")
        self.assertTrue(self.production.has_audio(line))
        self.assertEqual(decode(encode(listen(odd, line.script))).audio.file, "caf�.flac")
        self.assertGreater(probe(odd), 2.0)
        there = add_lines(self.production, wanted_from([self.incoming]).wanted, copy=False)
        self.assertEqual(len(there.lines), 2)
        self.assertRegex(there.refused[0], r"caf�\.flac cannot be used .* is not text")
        left = self.production.folder / "audio" / odd.name  # by hand
        shutil.copy(odd, left)
        self.assertEqual(self.add(left).lines[0].audio, "audio/caf�-2.flac")
        with self.assertRaisesRegex(SaveError, "cannot be kept.*not all text"):
            record({line_key("x"): msgspec.structs.replace(line, audio=str(odd))})

    def test_a_table_names_speaker_language_and_text(self) -> None:
        table = self.incoming / "lines.csv"
        table.write_text(
            "File;Speaker;Language;Text\nslt_hts-001.flac;Pip;en;Hello there.\nslt_hts-004.flac;;it;\n"
        )
        wanted = read_table(table).wanted
        self.assertEqual(
            (wanted[0].speaker, wanted[0].text, wanted[1].language), ("Pip", "Hello there.", "it")
        )
        lines = add_lines(self.production, wanted).lines
        self.assertEqual((lines[0].script, lines[1].language), ("Hello there.", "it"))
        self.assertIn("wind", lines[1].script)
        table.write_text(
            "file,speaker,text\nslt_hts-001.flac,Pip,Pip: Hello.\nslt_hts-004.flac,,pip: no\n"
        )
        lines = add_lines(self.production, read_table(table).wanted).lines
        self.assertEqual([x.script for x in lines], ["PIP: Hello.", "pip: no"])
        here = self.production.changed(self.production.added(lines[:1]))
        table.write_text("file,text\rslt_hts-001.flac,Pip: Go.\rslt_hts-004.flac,Remember: go.\r")
        lines = add_lines(here, read_table(table).wanted).lines
        self.assertEqual(
            [(x.speaker, x.script) for x in lines], [("Pip", "PIP: Go."), ("", "Remember: go.")]
        )
        table.write_text("name,text\n")
        with self.assertRaisesRegex(ScriptError, "column “file”"):
            read_table(table)

    def test_equal_names_do_not_overwrite_each_other(self) -> None:
        other = self.folder / "take 2"
        other.mkdir()
        shutil.copy(DATA / "flite_rms-001.flac", other / "slt_hts-001.flac")
        added = add_lines(
            self.production,
            [Wanted(self.incoming / "slt_hts-001.flac"), Wanted(other / "slt_hts-001.flac")],
        )
        a, b = (self.production.folder / x.audio for x in added.lines)
        self.assertNotEqual(a.read_bytes(), b.read_bytes())

    def test_a_lost_recording_is_found_by_content_under_another_name(self) -> None:
        (line,) = add_lines(self.production, [Wanted(self.incoming / "slt_hts-001.flac")]).lines
        away = self.folder / "elsewhere" / "deep"
        away.mkdir(parents=True)
        shutil.move(self.production.folder / line.audio, away / "renamed.flac")
        shutil.copy(DATA / "slt_hts-004.flac", away / "slt_hts-001.flac")
        found = find_recordings([line], self.folder / "elsewhere")
        self.assertEqual(found, {line.slug: away / "renamed.flac"})


class Listings(unittest.TestCase):
    LINES = tuple(
        Line(f"l{k}", f"audio/{k}.wav", speaker, script, duration=length, problem=problem)
        for k, (speaker, script, length, problem) in enumerate([
            ("Osric", "The café is closed.", 3.0, ""), ("Mabel", "Look up!", 1.0, "broken"), ("Pip", "Beep.", 2.0, ""),
        ])
    )  # fmt: skip

    def slugs(self, **how: str) -> list[str]:
        return [x.slug for x in Listing().listed(self.LINES, **how)]

    def test_search_filter_and_sorting(self) -> None:
        self.assertEqual(self.slugs(text="CAFE closed"), ["l0"])
        self.assertEqual(self.slugs(text="mab"), ["l1"])
        self.assertEqual(self.slugs(state="problem"), ["l1"])
        self.assertEqual(self.slugs(sort="speaker"), ["l1", "l0", "l2"])
        self.assertEqual(self.slugs(sort="length"), ["l0", "l2", "l1"])
        self.assertEqual(self.slugs(sort="state"), ["l1", "l0", "l2"])

    def test_a_line_that_changed_is_found_by_what_it_is_now(self) -> None:
        listing, replaced = Listing(), msgspec.structs.replace
        self.assertEqual(
            listing.listed(self.LINES, text="beep", state="not listened"), [self.LINES[2]]
        )
        spoken = replaced(self.LINES[2], script="Boop, Ève.")
        self.assertEqual(listing.listed([spoken], text="beep"), [])
        self.assertEqual(listing.listed([spoken], text="EVE"), [spoken])
        failed = replaced(spoken, problem="broken")
        self.assertEqual(listing.listed([failed], text="boop", state="not listened"), [])
        self.assertEqual(listing.listed([failed], text="boop", state="problem"), [failed])


class Many(Folder):
    def test_several_lines_at_once_in_processes_of_their_own(self) -> None:
        self.add(self.incoming)
        nothing = msgspec.structs.replace(
            self.production.lines[0], slug="empty", script="", language="xx"
        )
        works = [work_for(self.production, x) for x in (*self.production.lines, nothing)]
        told: list[float] = []
        heard = {h.slug: h for h in listen_many(works, workers=2, progress=told.append)}
        self.assertEqual(told[-1], 1.0)
        self.assertIn("only English words", heard["empty"].problem)
        alone = listen(DATA / "slt_hts-001.flac", (DATA / "slt_hts-001.txt").read_text())
        self.assertEqual(heard["slt-hts-001"].reading.phrases, alone.phrases)
        self.assertEqual(with_heard(nothing, heard["empty"]).state, "problem")

    def unwritten(self) -> tuple[Line, ...]:
        for name in ("flite_rms-001", "flite_awb-004"):
            shutil.copy(DATA / f"{name}.flac", self.incoming)
        self.add(self.incoming)
        return tuple(msgspec.structs.replace(x, script="") for x in self.production.lines)

    def test_lines_without_a_script_are_heard_together_and_get_what_is_said(self) -> None:
        lines = self.unwritten()
        works = [work_for(self.production, x) for x in lines]
        real = Recogniser.hear
        with mock.patch.object(Recogniser, "hear", autospec=True, side_effect=real) as windows:
            answers = listen_together(works)
        self.assertEqual(windows.call_count, 1)  # one window of the recogniser for four lines
        wrong = total = 0
        for line, answer in zip(lines, answers, strict=True):
            after = with_heard(line, Heard(answer[0], decode(answer[1])))
            self.assertEqual(after.reading.text, after.script)
            said = (DATA / f"{Path(line.audio).stem}.txt").read_text()
            wrong += wrong_words(plain(said), plain(after.script))
            total += len(plain(said))
        self.assertLess(wrong, 0.15 * total)

    def test_lines_that_were_heard_together_are_tried_alone_when_their_process_dies(self) -> None:
        lines = self.unwritten()
        works = [work_for(self.production, x) for x in lines]
        self.assertEqual(len(lines), 4)
        works[1] = replace(works[1], slug="03-pip-wind")
        with mock.patch("glyphos.batch.listening.listen_together", killed_works):
            heard = {h.slug: h.problem for h in listen_many(works, workers=1)}
        self.assertEqual(len(heard), 4)
        self.assertIn("ended by signal 9", heard.pop("03-pip-wind"))
        self.assertEqual(set(heard.values()), {""})

    def test_a_run_can_be_cancelled_and_bad_lines_do_not_stop_it(self) -> None:
        self.add(self.incoming)
        work = work_for(self.production, self.production.lines[0])
        gone = msgspec.structs.replace(self.production.lines[0], audio="audio/gone.wav")
        self.assertIn("no file", listen_work(work_for(self.production, gone))[2])

        def stop(_: float) -> None:
            raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            list(listen_many([work] * 4, workers=1, progress=stop))

    def test_the_lexicon_of_a_production_is_a_plain_text_file(self) -> None:
        folder = self.production.folder
        lexicon = Lexicon().with_entry("Dome", from_dictionary(["D", "UW1", "M"]))
        store = Store.open(folder)
        store.keep({LEX: lexicon})
        store.close()
        self.assertIn("dome  D UW1 M", (folder / "lexicon.txt").read_text())
        self.assertEqual(Production.open(folder).lexicon.entries, lexicon.entries)
        (folder / "lexicon.txt").write_text("dome  Q Q\n")
        with self.assertRaisesRegex(DocumentError, "line 1"):
            Production.open(folder)


class Cutting(Folder):
    def test_a_long_line_is_cut_at_its_speakers_with_their_sounds(self) -> None:
        import numpy as np
        import soundfile

        parts = [soundfile.read(DATA / f"slt_hts-{n}.flac")[0] for n in ("001", "004")]
        texts = [(DATA / f"slt_hts-{n}.txt").read_text() for n in ("001", "004")]
        both = self.incoming / "both.wav"
        soundfile.write(both, np.concatenate([parts[0], np.zeros(32_000), parts[1]]), 32_000)
        both.with_suffix(".txt").write_text(f"MABEL: {texts[0]}\n\nOSRIC: {texts[1]}")
        self.add(both)
        line = self.production.lines[0]
        line = msgspec.structs.replace(line, reading=listen(both, line.script))
        self.production = self.production.changed(self.production.put(line))
        for pauses in (False, True):
            made = cut_line(self.production, line, pauses=pauses)
            self.assertEqual(len(made), 2)
            if not pauses:
                self.assertEqual([x.speaker for x in made], ["Mabel", "Osric"])
            second = made[1]
            again = listen(self.production.folder / second.audio, second.script)
            for a, b in zip(second.reading.phones(), again.phones(), strict=True):
                self.assertAlmostEqual(a.start, b.start, delta=0.03)
        after = self.production.changed(self.production.replaced(line.slug, made))
        self.assertEqual(after.slugs, tuple(x.slug for x in made))
        with self.assertRaisesRegex(ScriptError, "nowhere"):
            cut_line(
                self.production, msgspec.structs.replace(line, reading=made[0].reading), pauses=True
            )
