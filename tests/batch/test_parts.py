"""Parts of a batch by themselves: what goes along with a task, what is kept of results."""

from __future__ import annotations

import base64
import json
import tempfile
import unittest
from pathlib import Path

import msgspec

from glyphos.batch.bringing import character_from, dressed
from glyphos.batch.kept import Kept, Record, Step, digest_of, later, listening
from glyphos.batch.packing import layers_of, pack_of, sound_of
from glyphos.batch.recipe import Recipe
from glyphos.batch.scripts import ScriptFailed, check_command, run_script
from glyphos.batch.task import Pack, unpacked
from glyphos.batch.watching import state_of
from glyphos.characters.builtin import builtin_path
from glyphos.errors import GlyphosError, ModelError, RecordingError
from glyphos.production.documents import Character, Header, Line, Recorded
from glyphos.production.production import Production
from tests.scene.scenes import demo


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))


class Packing(Folder):
    def test_a_gltf_takes_its_buffers_and_pictures_along(self) -> None:
        (self.folder / "a b.bin").write_bytes(b"12")
        (self.folder / "skin.png").write_bytes(b"34")
        inline = "data:application/octet-stream;base64," + base64.b64encode(b"56").decode()
        document = {
            "buffers": [{"uri": "a%20b.bin"}, {"uri": inline}],
            "images": [{"uri": "skin.png"}],
        }
        (self.folder / "head.gltf").write_text(json.dumps(document))
        (self.folder / "head.poses").write_text("smile 1")
        who = Character("head", "Head", str(self.folder / "head.gltf"))
        packed, data = pack_of(Production.of(self.folder, Header("x")), who)
        self.assertEqual(packed.model, "head.gltf")
        files = msgspec.msgpack.decode(data, type=Pack).files
        self.assertEqual(sorted(files), ["a b.bin", "head.gltf", "head.poses", "skin.png"])
        pack = self.folder / "pack"
        pack.write_bytes(data)
        self.assertEqual((unpacked(str(pack)) / "skin.png").read_bytes(), b"34")
        self.assertEqual(unpacked(str(pack)), unpacked(str(pack)))  # once a process
        with self.assertRaises(ModelError):
            pack_of(demo(), Character("x", "X", str(self.folder / "none.glb")))

    def test_files_that_lie_higher_than_the_model_are_found_where_it_is_unpacked(self) -> None:
        (self.folder / "heads").mkdir()
        (self.folder / "skin.png").write_bytes(b"34")
        document = {"images": [{"uri": "../skin.png"}]}
        (self.folder / "heads" / "head.gltf").write_text(json.dumps(document))
        (self.folder / "heads" / "head.poses").symlink_to(self.folder / "skin.png")
        who = Character("head", "Head", str(self.folder / "heads" / "head.gltf"))
        packed, data = pack_of(Production.of(self.folder, Header("x")), who)
        pack = self.folder / "pack"
        pack.write_bytes(data)
        model = unpacked(str(pack)) / packed.model
        self.assertEqual((model.parent / "../skin.png").read_bytes(), b"34")
        self.assertTrue(model.with_suffix(".poses").is_file())

    def test_ours_take_nothing_and_drawings_their_folder(self) -> None:
        self.assertEqual(pack_of(demo(), Character("mabel", "Mabel"))[1], b"")
        (self.folder / "mouths").mkdir()
        for name in ("open.png", "shut.png", ".hidden"):
            (self.folder / "mouths" / name).write_bytes(b"x")
        _, data = pack_of(demo(), Character("d", "D", str(self.folder / "mouths")))
        self.assertEqual(
            sorted(msgspec.msgpack.decode(data, type=Pack).files),
            ["mouths/open.png", "mouths/shut.png"],
        )

    def test_sounds_and_curves_of_a_line(self) -> None:
        line = demo().line("03-pip-wind")
        self.assertEqual(sound_of(demo(), line), demo().audio_path(line).read_bytes())
        with self.assertRaises(RecordingError):
            sound_of(demo(), msgspec.structs.replace(line, audio="audio/none.wav"))
        with self.assertRaises(RecordingError):
            sound_of(demo(), msgspec.structs.replace(line, audio="audio"))
        laid = msgspec.structs.replace(line, recorded=(Recorded("layers/none.csv"),))
        self.assertEqual(layers_of(demo(), laid), {})


class Keeping(Folder):
    def test_a_result_is_there_while_its_files_are_as_they_were(self) -> None:
        kept = Kept(self.folder)
        self.assertFalse(kept.begun)
        kept.begin()
        self.assertTrue(kept.begun)
        kept.keep("ab12", Step("reading"), {"handoff/a.csv": b"1,2"})
        self.assertEqual(kept.step("ab12").reading, "reading")
        (self.folder / "handoff" / "a.csv").write_bytes(b"1,3")
        self.assertIsNone(kept.step("ab12"))
        kept.keep("ab12", Step("reading"), {"handoff/a.csv": b"1,2"})
        (self.folder / ".batch" / "results" / "ab" / "ab12.json").write_bytes(
            b'{"reading": '
        )  # torn
        self.assertIsNone(kept.step("ab12"))
        self.assertEqual(kept.record("x"), Record())
        kept.keep_record("x", Record("a", "b", True))
        self.assertEqual(kept.record("x"), Record("a", "b", True))

    def test_names_follow_from_all_that_makes_a_result(self) -> None:
        line = Line("a", "a.wav", script="Hello")
        name = listening(line, "sound", "", "")
        for other in (
            ("script", "Hello!"),
            ("language", "it"),
            ("channel", 1),
            ("condition", True),
        ):
            changed = msgspec.structs.replace(line, **{other[0]: other[1]})
            self.assertNotEqual(listening(changed, "sound", "", ""), name)
        self.assertEqual(
            listening(msgspec.structs.replace(line, speaker="X"), "sound", "", ""), name
        )
        self.assertNotEqual(listening(line, "sound", "Osric AA", ""), name)
        hand = later("hand", line, "sound", "24", b"csv", None, "")
        self.assertNotEqual(later("hand", line, "sound", "25", b"csv", None, ""), hand)
        self.assertNotEqual(later("hand", line, "sound", "24", b"json", None, ""), hand)
        self.assertEqual(
            later(
                "hand",
                msgspec.structs.replace(line, audio="b.wav"),
                "sound",
                "24",
                b"csv",
                None,
                "",
            ),
            hand,
        )
        self.assertNotEqual(digest_of("ab", "c"), digest_of("a", "bc"))


class Around(Folder):
    def test_commands_that_cannot_run_and_folders_that_are_watched(self) -> None:
        check_command("sh -c 'exit 0'")
        for bad in ("no-such-program x", "sh 'x"):
            with self.assertRaises(ScriptFailed):
                check_command(bad)
        self.assertEqual(
            run_script("cat", {"line": "a"}, folder=self.folder, seconds=5).output, '{"line":"a"}'
        )
        for name in ("a.wav", "a.txt", "notes.doc"):
            (self.folder / name).write_text("x")
        self.assertEqual({Path(p).name for p in state_of(self.folder)}, {"a.wav", "a.txt"})

    def test_who_speaks_for_whom(self) -> None:
        production = demo()
        slugs = production.slugs
        changes = dressed(production, slugs, Recipe(characters={"*": "pip", "Mabel": "mabel"}))
        after = production.changed(changes)
        self.assertEqual(after.character_for("Mabel").model, "mabel")
        self.assertEqual(
            after.character_for("Osric").model, "pip"
        )  # in place of the drawings that he has
        self.assertEqual(dressed(production, slugs, Recipe()), {})
        drawn = character_from("osric-drawings", ("Osric",), ())
        self.assertIsNotNone(drawn.drawings)
        head = self.folder / "mine.glb"
        head.write_bytes(builtin_path("pip").read_bytes())
        self.assertEqual(character_from(str(head), (), ()).name, "mine")
        with self.assertRaises(GlyphosError):
            character_from(str(self.folder / "none.glb"), (), ())


if __name__ == "__main__":
    unittest.main()
