"""The shell with characters: inspect, fit, perform on a head, pictures; clean output, one sentence."""

from __future__ import annotations

import csv
import json
import os
import unittest
from functools import cache
from pathlib import Path

import numpy as np
from PIL import Image

from glyphos.characters.builtin import builtin
from glyphos.handoff.curves import from_json
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech.reading import encode
from tests.app.headed import model
from tests.handoff.test_characters import animated
from tests.test_shell import Folder, glyphos


@cache
def reading() -> tuple[bytes, str, bytes]:
    """What is said in a line of the demo, and its recording."""
    demo = Production.open(copy_demo())
    line = demo.line("03-pip-wind")
    assert line.reading is not None
    path = demo.audio_path(line)
    return encode(line.reading), path.name, path.read_bytes()


class Characters(Folder):
    def setUp(self) -> None:
        super().setUp()
        self.line = self.folder / "line.json"
        said, name, sound = reading()
        self.line.write_bytes(said)
        (self.folder / name).write_bytes(sound)

    def out(self, name: str) -> str:
        return str(self.folder / name)

    def test_inspect_says_what_a_model_has_in_words_and_as_json(self) -> None:
        done = glyphos("character", "inspect", str(model()))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("jaw_open — jaw_open (agree", done.stdout)
        self.assertIn("mouth: 102 pairs of lip points", done.stdout)
        self.assertIn("! “lips press”", done.stdout)
        document = json.loads(glyphos("character", "inspect", str(model()), "--json").stdout)
        self.assertEqual(len(document["channels"]), len({c["name"] for c in document["channels"]}))
        jaw = next(c for c in document["channels"] if c["name"] == "jaw_open")
        self.assertEqual((jaw["gesture"], jaw["verdict"]), ("jaw_open", "agree"))
        self.assertTrue(document["findings"])

    def test_inspect_of_a_head_that_cannot_be_fitted_still_says_what_it_has(self) -> None:
        from tests.characters.test_models import SMALL

        done = glyphos("character", "inspect", str(SMALL), "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        document = json.loads(done.stdout)
        self.assertEqual([c["name"] for c in document["channels"]], ["aa"])
        self.assertTrue(any("mouth" in f or "face" in f for f in document["findings"]))

    def test_a_fitting_remembers_its_model_by_relative_path_and_drives_a_line(self) -> None:
        place = self.folder / "models"
        place.mkdir()
        mine = place / "porter.glb"
        mine.write_bytes(model().read_bytes())
        fitting = self.folder / "fittings" / "porter.json"
        fitting.parent.mkdir()
        done = glyphos("character", "fit", str(mine), "-o", str(fitting))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(json.loads(fitting.read_text())["model"], "../models/porter.glb")
        self.assertIn("lips press", done.stderr)
        done = glyphos(
            "perform", str(self.line), "--character", str(fitting), "-o", self.out("on.csv")
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        rows = list(csv.reader(Path(self.out("on.csv")).read_text().splitlines()))
        self.assertEqual(rows[0][:2], ["frame", "seconds"])
        table = np.array(rows[1:], float)
        self.assertGreater(table[:, rows[0].index("jaw_open")].max(), 0.2)
        self.assertEqual(np.abs(table[:, rows[0].index("blink_left")]).max(), 0.0)
        mine.write_bytes(mine.read_bytes() + b"\0\0\0\0")
        again = glyphos(
            "perform", str(self.line), "--character", str(fitting), "-o", self.out("on.json")
        )
        self.assertIn("changed since it was fitted", again.stderr)
        mine.unlink()
        gone = glyphos(
            "perform", str(self.line), "--character", str(fitting), "-o", self.out("x.csv")
        )
        self.assertEqual(gone.returncode, 1)
        self.assertIn("is not there; put it back", gone.stderr)

    def test_what_an_earlier_fitting_set_is_carried_over(self) -> None:
        first, second = self.out("first.json"), self.out("second.json")
        glyphos("character", "fit", str(model()), "-o", first)
        document = json.loads(Path(first).read_text())
        document["limits"] = {"jaw_open": 0.25, "gone": 0.5}
        document["channels"].append("gone")
        Path(first).write_text(json.dumps(document))
        done = glyphos("character", "fit", str(model()), "--from", first, "-o", second)
        self.assertIn("“gone” is gone", done.stderr)
        self.assertEqual(json.loads(Path(second).read_text())["limits"], {"jaw_open": 0.25})

    def test_a_line_on_one_of_our_heads_in_every_format_that_fits(self) -> None:
        for name in ("on.csv", "on.json", "on.glb", "on.gltf"):
            done = glyphos(
                "perform", str(self.line), "--character", "pip", "--fps", "30", "-o", self.out(name)
            )
            self.assertEqual(done.returncode, 0, (name, done.stderr))
        times, rows = animated(Path(self.out("on.glb")))["mouth"]
        document = json.loads(Path(self.out("on.json")).read_text())
        self.assertEqual(document["fps"], 30)
        order = next(p for p in builtin("pip").pieces if p.name == "mouth").shapes
        self.assertEqual(rows.shape[1], len(order))
        self.assertLess(float(times[-1]), len(document["channels"]["jaw_open"]["values"]) / 30)
        for name in ("on.vrma", "on.usda", "on.fbx"):
            done = glyphos("perform", str(self.line), "--character", "pip", "-o", self.out(name))
            self.assertEqual(done.returncode, 1)
            self.assertEqual(done.stderr.strip().count("\n"), 0, done.stderr)

    def test_to_standard_output_it_is_json(self) -> None:
        done = glyphos("perform", str(self.line), "--character", "mabel", "--error", "0")
        document = json.loads(done.stdout)
        channel = document["channels"]["lips_round"]
        self.assertEqual(len(channel["keys"]), len(channel["values"]))

    def test_a_sheet_of_sounds_and_frames_of_a_motion_as_pictures(self) -> None:
        done = glyphos(
            "picture", "pip", "-o", self.out("sheet.png"), "--size", "64", "--view", "mouth"
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        picture = np.asarray(Image.open(self.out("sheet.png")))
        self.assertEqual(picture.shape, (128, 384, 4))  # rest and ten sounds, six in a row
        self.assertEqual(picture[-1, -1].tolist(), [214, 204, 186, 255])  # no hole
        glyphos("perform", str(self.line), "-o", self.out("motion.json"))
        motion = from_json(Path(self.out("motion.json")).read_bytes())
        frame = str(int(motion.channel("jaw_open").argmax()))
        done = glyphos(
            "picture",
            "mabel",
            "-o",
            self.out("one.png"),
            "--size",
            "96",
            "--motion",
            self.out("motion.json"),
            "--frame",
            frame,
            "--background",
            "none",
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        picture = np.asarray(Image.open(self.out("one.png")))
        self.assertEqual(picture.shape, (96, 96, 4))  # that frame, and nothing else
        self.assertEqual(picture[2, 2, 3], 0)

    def test_wrong_usage_and_bad_files(self) -> None:
        bad = self.folder / "bad.glb"
        bad.write_bytes(b"glTF")
        text = self.folder / "bad.json"
        text.write_text("{}{")
        for arguments, code, words in (
            (("character", "inspect", self.out("none.glb")), 1, "no file"),
            (("character", "inspect", str(bad)), 1, "cut off"),
            (("character", "inspect", "head.obj"), 1, "no model that Glyphos reads"),
            (("character", "fit", str(model()), "-o", self.out("x.txt")), 1, "should end in .json"),
            (("perform", str(self.line), "--character", str(text), "-o", self.out("x.csv")), 1, "not a fitting"),
            (("perform", str(self.line), "--character", "pip", "--error", "80"), 2, "error"),
            (("picture", "pip", "-o", self.out("x.jpg")), 1, "should end in .png"),
            (("picture", "pip", "-o", self.out("x.png"), "--view", "below"), 2, "below"),
            (("picture", "pip", "-o", self.out("x.png"), "--pose", "sneeze"), 1, "no pose"),
            (("picture", "pip", "-o", self.out("x.png"), "--pose", "jaw=1"), 1, "no channel"),
            (("picture", "pip", "-o", self.out("x.png"), "--frame", "3"), 2, "no frame"),
            (("picture", "pip", "-o", self.out("x.png"), "--size", "9"), 2, "size"),
        ):  # fmt: skip
            with self.subTest(arguments):
                done = glyphos(*arguments)
                self.assertEqual(done.returncode, code, done.stderr)
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
        self.assertEqual([n for n in os.listdir(self.folder) if n.startswith("x.")], [])

    def test_a_production_is_handed_over_on_its_characters(self) -> None:
        show = copy_demo(self.folder / "show.glyphos")
        done = glyphos("handoff", str(show), "-o", self.out("out"), "--line", "03-pip-wind", "--curves", "none",
                       "--character", "csv", "--names", "{speaker}-{line}", "--rest-after", "1")  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        (file,) = (p for p in (self.folder / "out").iterdir() if p.name[0] != ".")
        self.assertEqual(file.name, "Pip-03-pip-wind.pip.csv")
        self.assertTrue(file.read_text().splitlines()[-1].endswith("0.00000"))


if __name__ == "__main__":
    unittest.main()
