"""Characters as documents: kept, found for a speaker, set aside when damaged; lines delivered on them."""

from __future__ import annotations

import csv
import json
import shutil
import tempfile
import unittest
from pathlib import Path

import msgspec

from glyphos.characters.fittings import Fitting
from glyphos.characters.sources import head_state, poses_beside
from glyphos.errors import DocumentError, ModelError, ScriptError
from glyphos.files import GONE
from glyphos.handoff.deliver import CHARACTER_FORMATS, Wish, deliver, plan
from glyphos.production.copying import save_copy
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Character
from glyphos.production.kinds import CHARACTER, character_key, scene_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.scene.documents import Scene
from tests.characters.remade import own, plain, saved


class Case(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.show = copy_demo(self.folder / "show.glyphos")
        (self.show / "characters" / "osric-drawn.json").unlink()

    def keep(self, *characters: Character) -> Production:
        store = Store.open(self.show)
        store.keep({character_key(c.slug): c for c in characters})
        store.close()
        return Production.open(self.show)


class Documents(Case):
    def test_they_are_kept_one_a_file_and_come_back(self) -> None:
        fitting = Fitting(
            "porter.glb", "d", ("jaw",), {"jaw": (0.0, 100.0)}, by_hand={"jaw_open": {"jaw": 1.0}}
        )
        made = Character(
            "porter",
            "Porter",
            "../porter.glb",
            "",
            ("Osric", "Guard"),
            fitting,
            "stands at the door",
        )
        production = self.keep(made)
        self.assertEqual(production.characters, (made,))
        self.assertTrue((self.show / "characters" / "porter.json").is_file())
        self.assertEqual(production.model_path(made), str((self.folder / "porter.glb").resolve()))

    def test_who_speaks_for_whom(self) -> None:
        production = self.keep(
            Character("b", "Bee", "mabel", speakers=("Osric",)),
            Character("a", "Ant", "pip", speakers=("Guest",)),
        )
        self.assertEqual([c.name for c in production.characters], ["Ant", "Bee"])
        for speaker, slug in (("osric", "b"), (" OSRIC ", "b"), ("Guest", "a"), ("Mabel", "mabel"), ("Pip", "pip"),
                              ("", "mabel"), ("somebody else", "mabel")):  # fmt: skip
            self.assertEqual(production.character_for(speaker).slug, slug, speaker)

    def test_a_damaged_one_is_set_aside_and_the_rest_opens(self) -> None:
        self.keep(Character("good", "Good", "mabel"))
        bad = self.show / "characters" / "bad.json"
        for data in (
            b"{",
            b'{"format": "glyphos-line"}',
            CHARACTER.encode(Character("bad", "Bad", "")),
        ):
            bad.write_bytes(data)
            store = Store.open(self.show)
            self.assertEqual([c.slug for c in store.production.characters], ["good"])
            self.assertEqual(len(store.production.lines), 10)
            store.close()
            self.assertFalse(bad.exists())
            for aside in (self.show / "characters").glob("bad.json.damaged*"):
                aside.unlink()

    def test_what_cannot_hold_is_told(self) -> None:
        for fitting, words in (
            (Fitting(strength={"nothing": 1.0}), "no gesture"),
            (Fitting(limits={"jaw": 9.0}), "between 0 and 4"),
            (Fitting(ranges={"jaw": (5.0, 1.0)}), "range"),
        ):
            data = CHARACTER.encode(Character("x", "X", "mabel", fitting=fitting))
            with self.assertRaisesRegex(DocumentError, words):
                CHARACTER.read(data, "x.json")

    def test_who_there_is_follows_every_change(self) -> None:
        production = self.keep(Character("a", "A", "mabel"))
        for kind in ("characters", "scenes"):
            before = getattr(production, kind)
            other = production.changed(production.headed(name="Another"))
            self.assertIs(getattr(other, kind), before)
            self.assertEqual(before, getattr(Production(other.folder, other.values), kind))
        more = other.changed({character_key("b"): Character("b", "B", "pip")})
        self.assertEqual([c.slug for c in more.characters], ["a", "b"])
        self.assertEqual(
            [c.slug for c in more.changed({character_key("a"): None}).characters], ["b"]
        )
        shown = more.changed({scene_key("s"): Scene("s", "S")})
        self.assertEqual(len(shown.scenes), len(more.scenes) + 1)
        self.assertEqual([c.slug for c in shown.characters], ["a", "b"])

    def test_a_file_renamed_by_hand_is_followed(self) -> None:
        self.keep(Character("old", "Old", "mabel"))
        folder = self.show / "characters"
        (folder / "old.json").rename(folder / "new.json")
        self.assertEqual([c.slug for c in Production.open(self.show).characters], ["new"])

    def test_a_copy_of_a_production_finds_the_models_from_where_it_is(self) -> None:
        outside = self.folder / "models" / "porter.glb"
        outside.parent.mkdir()
        outside.write_bytes(b"a model")
        inside = self.show / "characters" / "guard.glb"
        inside.parent.mkdir(exist_ok=True)
        inside.write_bytes(b"another")
        production = self.keep(
            Character("porter", "Porter", "../models/porter.glb", speakers=("Osric",)),
            Character("guard", "Guard", "characters/guard.glb"),
            Character("pip", "Pip", "pip"),
        )
        target = save_copy(production, self.folder / "far" / "away" / "copy.glyphos")
        copy = Production.open(target)
        found = {c.slug: copy.model_path(c) for c in copy.characters}
        self.assertEqual(Path(found["porter"]), outside.resolve())
        self.assertEqual(Path(found["guard"]).read_bytes(), b"another")
        self.assertTrue(Path(found["guard"]).is_relative_to(target.resolve()))
        self.assertEqual(found["pip"], "pip")
        self.assertEqual(copy.character_for("Osric").slug, "porter")

    def test_what_lies_beside_a_model_comes_along_in_a_copy(self) -> None:
        heads = self.show / "characters" / "heads"
        heads.mkdir(parents=True)
        names = json.dumps(
            {
                "buffers": [{"uri": "skin%20one.bin"}, {"uri": "data:,"}],
                "images": [{"uri": "face.png"}],
            }
        )
        (heads / "guard.gltf").write_text(names)
        for name in ("skin one.bin", "face.png", "guard.poses", "other.poses"):
            (heads / name).write_text(name)
        (heads / "torn.gltf").write_text("{")
        production = self.keep(
            Character("guard", "Guard", "characters/heads/guard.gltf", poses="other.poses"),
            Character("torn", "Torn", "characters/heads/torn.gltf"),
        )
        copy = Production.open(save_copy(production, self.folder / "copy.glyphos"))
        shutil.rmtree(self.show)
        guard = next(c for c in copy.characters if c.slug == "guard")
        model = copy.model_path(guard)
        wanted = {
            "guard.gltf",
            "skin one.bin",
            "face.png",
            "guard.poses",
            "other.poses",
            "torn.gltf",
        }
        self.assertEqual({p.name for p in Path(model).parent.iterdir()}, wanted)
        self.assertEqual(poses_beside(model, guard.poses).read_text(), "other.poses")

    def test_what_a_usd_file_is_made_of_comes_along(self) -> None:
        """A layer under it, what that refers to, and a picture (OpenUSD: sublayers, references, asset paths)."""
        heads = self.show / "characters" / "heads"
        (heads / "parts").mkdir(parents=True)
        (heads / "skin.png").write_bytes(b"a picture")
        (heads / "parts" / "lips.usda").write_text(
            '#usda 1.0\n(defaultPrim = "L")\ndef Mesh "L" {}\n'
        )
        (heads / "parts" / "face.usda").write_text(
            '#usda 1.0\ndef Xform "Face" (references = @lips.usda@)\n'
            '{\n    asset picture = @../skin.png@\n}\n'
        )  # fmt: skip
        (heads / "guard.usda").write_text(
            "#usda 1.0\n(subLayers = [@parts/face.usda@, @none.usda@])\n"
        )
        (heads / "torn.usda").write_text("torn")
        production = self.keep(
            Character("guard", "Guard", "characters/heads/guard.usda"),
            Character("torn", "Torn", "characters/heads/torn.usda"),
        )
        copy = Production.open(save_copy(production, self.folder / "copy.glyphos"))
        shutil.rmtree(self.show)
        model = Path(copy.model_path(next(c for c in copy.characters if c.slug == "guard")))
        found = {p.relative_to(model.parent).as_posix() for p in model.parent.rglob("*.*")}
        wanted = {"guard.usda", "torn.usda", "skin.png", "parts/face.usda", "parts/lips.usda"}
        self.assertEqual(found, wanted)

    def test_a_head_is_another_once_its_file_or_its_list_of_poses_is(self) -> None:
        model = self.folder / "guard.glb"
        model.write_bytes(b"one")
        listed = model.with_suffix(".poses")
        states = [head_state(str(model))]
        listed.write_text("jaw 1")
        states.append(head_state(str(model)))
        listed.write_text("jaw 22")
        states.append(head_state(str(model)))
        self.assertEqual(states[-1], head_state(str(model), listed))
        model.write_bytes(b"another")
        states.append(head_state(str(model)))
        model.unlink()
        states.append(head_state(str(model)))
        self.assertEqual(len(set(states)), 5)
        self.assertEqual(head_state("mabel"), (GONE, GONE))


class Delivered(Case):
    def test_each_line_goes_out_on_the_character_of_its_speaker(self) -> None:
        model = saved(plain(own("osric")), self.folder / "porter.glb")
        fitting = Fitting(channels=plain(own("osric")).channels, ranges={"jaw_open": (0.0, 100.0)})
        production = self.keep(
            Character("porter", "Porter", "../porter.glb", speakers=("Pip",), fitting=fitting)
        )
        self.assertEqual(Path(production.model_path(production.characters[0])), model.resolve())
        lines = [production.line("03-pip-wind"), production.line("05-mabel-hush")]
        planned = plan(production, lines, Wish("", "", "24", "csv", "{character}-{line}"))
        self.assertEqual(
            [i.name for i in planned.items],
            ["porter-03-pip-wind.porter.csv", "mabel-05-mabel-hush.mabel.csv"],
        )
        deliver(planned, self.folder / "out")
        rows = list(
            csv.reader((self.folder / "out" / planned.items[0].name).read_text().splitlines())
        )
        jaw = [float(r[rows[0].index("jaw_open")]) for r in rows[1:]]
        self.assertGreater(max(jaw), 20.0)  # of a hundred

    def test_a_model_that_is_gone_is_one_sentence_and_nothing_half_written(self) -> None:
        production = self.keep(Character("porter", "Porter", "../porter.glb", speakers=("Pip",)))
        planned = plan(production, [production.line("03-pip-wind")], Wish("", "", "24", "glb"))
        with self.assertRaisesRegex(ModelError, "no file"):
            deliver(planned, self.folder / "out")
        self.assertEqual(list((self.folder / "out").iterdir()), [])

    def test_every_format_is_planned_and_bad_wishes_are_told(self) -> None:
        production = Production.open(self.show)
        line = production.line("03-pip-wind")
        for ending in CHARACTER_FORMATS:
            (item,) = plan(production, [line], Wish("", "", "24", ending)).items
            self.assertTrue(item.name.endswith(f".pip.{ending}"))
        for wish, words in (
            (Wish("", "", "24", ""), "nothing to write"), (Wish(error=2.0), "between 0 and 50"),
            (Wish(before=-1.0), "rest"), (Wish(pattern="{frame}"), "alone"), (Wish(pattern="{line"), "alone"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(ScriptError, words):
                plan(production, [line], wish)

    def test_names_never_lead_out_of_the_folder(self) -> None:
        production = Production.open(self.show)
        line = msgspec.structs.replace(production.line("03-pip-wind"), speaker="../../Pip/x")
        (item,) = plan(production, [line], Wish("csv", "", "24", pattern="{speaker}_{line}")).items
        self.assertNotIn("/", item.name)
        deliver(
            plan(production, [line], Wish("csv", "", "24", pattern="{speaker}_{line}")),
            self.folder / "out",
        )
        self.assertEqual([p.name for p in (self.folder / "out").iterdir()], [item.name])
        shutil.rmtree(self.folder / "out")


if __name__ == "__main__":
    unittest.main()
