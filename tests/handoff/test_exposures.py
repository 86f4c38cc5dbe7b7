"""Held drawings as files: lists, sheets on paper, pictures; and lists from elsewhere become pins."""

from __future__ import annotations

import csv
import io
import json
import re
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from glyphos.characters.builtin import set_path
from glyphos.characters.drawings.opening import open_picture
from glyphos.characters.drawings.reading import read_drawings
from glyphos.characters.drawings.sheet import sheet_of
from glyphos.errors import DocumentError, SaveError
from glyphos.handoff.drawn import FORMATS, Spoken, ending_of, hand_over, rested
from glyphos.handoff.exposure import read_changes, rows_of, to_csv, to_list, to_seconds
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech.reading import encode
from tests.shell import invoke


class Case(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        line = Production.open(copy_demo()).lines[2]
        assert line.reading is not None
        cls.reading, cls.line = line.reading, line
        cls.drawings = read_drawings(set_path("osric-drawings")).drawings
        cls.sheet = sheet_of(perform(cls.reading, fps=24), cls.drawings)

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        samples = np.sin(np.arange(16_000 * 4) / 20).astype(np.float32)
        self.spoken = Spoken(
            self.sheet,
            self.reading,
            Delivery(),
            set_path("osric-drawings"),
            samples,
            1,
            "Pip: the wind",
            120,
        )


class Lists(Case):
    def test_every_list_says_the_same_and_is_read_again(self) -> None:
        expected = [(e.first, e.after, self.sheet.mouth(e).name) for e in self.sheet.mouths]
        frames, fps = self.sheet.frames, 24.0
        for data, first in (
            (to_list(self.sheet, 1), 1),
            (to_seconds(self.sheet), 0),
            (to_csv(self.sheet, 5), 5),
        ):
            self.assertEqual(read_changes(data, "x", self.drawings, frames, fps, first), expected)

    def test_names_are_found_by_file_or_by_their_end(self) -> None:
        text = b"# made elsewhere\n0 mouth-closed.svg\n\n6\tOval\n12 MOUTH-OPEN\n99999 mouth-open\n"
        found = read_changes(text, "x", self.drawings, 40, 24.0)
        self.assertEqual(
            found, [(0, 6, "mouth-closed"), (6, 12, "mouth-oval"), (12, 40, "mouth-open")]
        )

    def test_what_is_no_list_is_one_sentence(self) -> None:
        for text, said in (
            (b"", "holds no changes"), (b"0\n", "should be a frame and a name"), (b"x mouth-open", "no frame and no time"),
            (b"0 nobody", "there is no drawing"), (b"0 open", "there is no drawing"), (b"5 oval\n3 oval", "not in order"),
            (b"-4 oval", "before the first"), (b"0 caf\xe9", "UTF-8"), (b"frame,mood\n1,glad", "no column"),
            (b"0 oval\n" * 200_001, "at most"),
        ):  # fmt: skip
            with self.assertRaisesRegex(DocumentError, said):
                read_changes(text, "list.txt", self.drawings, 40, 24.0)

    def test_rest_before_and_after_moves_all_of_it(self) -> None:
        made = rested(self.spoken, 0.5, 1.0)
        self.assertEqual(made.sheet.frames, self.sheet.frames + 36)
        self.assertTrue(made.sheet.mouth(made.sheet.at(3)).closed)
        at = [e for e in self.sheet.mouths if e.first > 5]
        moved = [e for e in made.sheet.mouths if e.first > 17]
        self.assertEqual(
            [(e.drawing, e.first + 12) for e in at[:8]], [(e.drawing, e.first) for e in moved[:8]]
        )
        self.assertEqual(sum(e.frames for e in made.sheet.mouths), made.sheet.frames)
        words = [r for r in rows_of(made.sheet, self.reading, made.delivery) if r.word]
        plain = [r for r in rows_of(self.sheet, self.reading, Delivery()) if r.word]
        self.assertEqual([r.frame - 12 for r in words], [r.frame for r in plain])


class Paper(Case):
    def test_a_pdf_is_read_by_another_library_with_every_row_in_it(self) -> None:
        """pypdf reads what fpdf2 wrote: pages, words, sounds, frames."""
        from pypdf import PdfReader

        path = self.folder / "a.xsheet.pdf"
        hand_over(self.spoken, path)
        reader = PdfReader(path)
        text = "\n".join(page.extract_text() for page in reader.pages)
        self.assertEqual(reader.metadata and reader.metadata.title, "Pip: the wind")
        for word in self.reading.words():
            self.assertIn(word.text, text)
        numbers = set(re.findall(r"\d+", text))
        self.assertTrue({str(k + 1) for k in range(self.sheet.frames)} <= numbers)
        for sound in {p.ipa for p in self.reading.phones()}:
            self.assertIn(sound, text)

    def test_an_svg_is_drawn_by_another_library(self) -> None:
        """resvg draws it: as wide as its pages, with ink on it."""
        path = self.folder / "a.xsheet.svg"
        hand_over(self.spoken, path)
        picture = open_picture(path, drawn=900)
        self.assertLess(picture.pixels[..., :3].min(), 80)
        self.assertNotEqual(picture.pixels.shape[0], picture.pixels.shape[1])


class Pictures(Case):
    def test_numbered_pictures_are_all_frames_and_transparent(self) -> None:
        for ending, alone in (("png-folder", False), ("mouth.png-folder", True)):
            folder = self.folder / f"pip.{ending}"
            hand_over(self.spoken, folder)
            files = sorted(folder.iterdir())
            self.assertEqual(len(files), self.sheet.frames)
            self.assertEqual(files[0].name, "pip.0001.png")
            with Image.open(files[0]) as image:
                pixels = np.asarray(image)
            self.assertEqual(pixels.shape, (150, 120, 4))
            self.assertEqual(pixels[0, 0, 3], 0)
            drawn = (pixels[..., 3] > 128).mean()
            self.assertTrue(drawn < 0.1 if alone else drawn > 0.3, drawn)
        same = next(e for e in self.sheet.mouths if e.frames > 1)
        a, b = (files[same.first + k].read_bytes() for k in (0, 1))
        self.assertEqual(a, b)

    def test_all_mouths_lie_in_one_picture_where_its_json_says(self) -> None:
        picture, document = hand_over(self.spoken, self.folder / "pip.sprites.json")
        said = json.loads(document.read_text())
        with Image.open(picture) as image:
            pixels = np.asarray(image)
        self.assertEqual((said["size"]["h"], said["size"]["w"]), pixels.shape[:2])
        for name, box in said["frames"].items():
            cell = pixels[box["y"] : box["y"] + box["h"], box["x"] : box["x"] + box["w"]]
            self.assertTrue((cell[..., 3] > 128).any(), name)
        self.assertEqual(sum(e["frames"] for e in said["exposures"]), self.sheet.frames)

    def test_a_format_that_is_none_is_a_sentence(self) -> None:
        with self.assertRaisesRegex(SaveError, "not written as a.mov"):
            ending_of(Path("a.mov"))
        for ending in FORMATS:
            self.assertEqual(ending_of(Path(f"x.{ending}")), ending)


class Shell(Case):
    def test_a_list_made_elsewhere_is_kept_and_the_rest_chosen(self) -> None:
        shutil.copytree(set_path("osric-drawings"), self.folder / "osric")
        (self.folder / "line.json").write_bytes(encode(self.reading))
        (self.folder / "list.txt").write_text("20 oval\n26 closed\n")
        run = invoke
        base = [
            "perform",
            str(self.folder / "line.json"),
            "--character",
            str(self.folder / "osric"),
        ]
        made = run(
            [*base, "--pins", str(self.folder / "list.txt"), "-o", str(self.folder / "out.csv")],
        )
        self.assertEqual(made.exit_code, 0, made.output)
        rows = list(csv.DictReader(io.StringIO((self.folder / "out.csv").read_text())))
        at = {int(r["frame"]): r["mouth"] for r in rows}
        self.assertEqual((at[20], at[26]), ("mouth-oval", "mouth-closed"))
        for wrong in (["--pins", "none.txt"], ["--step", "0"], ["--change", "-1"]):
            self.assertNotEqual(run([*base, *wrong]).exit_code, 0)

    def test_handing_over_a_production_writes_lines_in_drawings(self) -> None:
        show = copy_demo(self.folder / "show.glyphos")
        production = Production.open(show)
        character = production.character_for("Osric")
        self.assertIsNotNone(character.drawings)
        run = invoke
        out = self.folder / "out"
        made = run(["handoff", str(show), "-o", str(out), "--curves", "none", "--drawings", "txt",
                         "--line", "04-osric-boots"])  # fmt: skip
        self.assertEqual(made.exit_code, 0, made.output)
        self.assertTrue((out / "04-osric-boots.osric-drawn.txt").read_text().startswith("0 "))
        none = run(["handoff", str(show), "-o", str(out), "--curves", "none", "--drawings", "txt",
                         "--line", "01-mabel-beam"])  # fmt: skip
        self.assertNotEqual(none.exit_code, 0)


if __name__ == "__main__":
    unittest.main()
