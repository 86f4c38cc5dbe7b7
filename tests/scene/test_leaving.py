"""What leaves of a scene and comes in: heads on one time axis, tables, captions as a track; checked by other
libraries than those that wrote it."""

from __future__ import annotations

import json
import math
import shutil
import subprocess
import tempfile
import unittest
import wave
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import msgspec
import numpy as np
from pxr import Gf, Usd, UsdGeom, UsdSkel

from glyphos.characters.models.container import read_container
from glyphos.characters.posing import Poser
from glyphos.errors import DocumentError, RecordingError, SaveError
from glyphos.handoff.bringing import from_table, scene_brought, seconds_of
from glyphos.handoff.filming import Filming
from glyphos.handoff.kept import Kept
from glyphos.handoff.scenes import export_scene
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.scene.camera import camera_at
from glyphos.scene.documents import Scene, Shot, check_scene
from glyphos.scene.mix import RATE, Mixer, Part, limited, limiting
from glyphos.scene.movie import write_film
from glyphos.scene.painting import Painter
from glyphos.scene.subtitles import Subtitle
from glyphos.stage.views import VIEWS
from tests.scene.scenes import demo, filming, flashes, sine
from tests.shell import invoke

TOOLS = Path(__file__).parents[2] / "tools"
HEADS = ("01-mabel-beam", "03-pip-wind", "04-osric-boots")


class Heads(unittest.TestCase):
    """Mabel and Pip have heads, Osric is drawn in the demo."""

    film: Filming
    out: Path

    @classmethod
    def setUpClass(cls) -> None:
        cls.film = filming(*HEADS)
        cls.out = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.said: list[str] = []
        cls.made = export_scene(cls.film, cls.out, ("gltf", "usd"), said=cls.said)

    def test_who_has_no_model_is_said(self) -> None:
        self.assertEqual([p.suffix for p in self.made], [".glb", ".usda"])
        self.assertEqual(len(self.said), 2)
        self.assertTrue(all("Osric" in s and "drawn" in s for s in self.said), self.said)
        drawn = filming("04-osric-boots")
        with self.assertRaisesRegex(SaveError, "drawn"):
            export_scene(drawn, self.out / "none", ("gltf",))
        self.assertEqual(len(export_scene(drawn, self.out / "some", ("gltf", "captions"))), 1)

    def test_one_animation_moves_all_of_them_where_they_stand(self) -> None:
        file = read_container(self.made[0])
        document = file.document
        roots = [document["nodes"][n] for n in document["scenes"][0]["nodes"]]
        self.assertEqual([r["name"] for r in roots], ["Mabel", "Pip"])
        for root in roots:
            place = self.film.scene.place(root["name"])
            self.assertAlmostEqual(root["translation"][0], place.right)
            half = math.atan2(root["rotation"][1], root["rotation"][3])
            self.assertAlmostEqual(math.degrees(2 * half), -place.turn, places=4)
        (animation,) = document["animations"]
        below = {k: self._below(document, root) for k, root in enumerate(roots)}
        moved = {c["target"]["node"] for c in animation["channels"]}
        self.assertTrue(all(moved & nodes for nodes in below.values()))
        ends = [document["accessors"][s["input"]]["max"][0] for s in animation["samplers"]]
        self.assertAlmostEqual(max(ends), (self.film.frames - 1) / 24, places=4)

    def _below(self, document: dict, root: dict) -> set[int]:  # type: ignore[type-arg]
        found, todo = set(), list(root["children"])
        while todo:
            node = todo.pop()
            found.add(node)
            todo += document["nodes"][node].get("children", [])
        return found

    @unittest.skipUnless(shutil.which("node") and (TOOLS / "node_modules").is_dir(), "no Node")
    def test_khronos_validator_finds_no_fault(self) -> None:
        done = subprocess.run(
            ["node", str(TOOLS / "validate_gltf.js"), str(self.made[0])], capture_output=True, text=True, check=True
        )  # fmt: skip
        for found in json.loads(done.stdout).values():
            self.assertEqual((found["errors"], found["warnings"]), (0, 0), found["messages"])

    def test_pixars_own_skinning_poses_heads_as_ours_does(self) -> None:
        """usd-core bakes blend shapes and joints on a frame; our poser is not asked by what was written."""
        frame = 60
        stage = Usd.Stage.Open(str(self.made[1]))
        self.assertEqual(stage.GetEndTimeCode(), self.film.frames - 1)
        self.assertTrue(UsdSkel.BakeSkinning(stage.Traverse(), Gf.Interval(frame, frame)))
        places = UsdGeom.XformCache(frame)
        for speaker in ("Mabel", "Pip"):
            found = []
            for prim in stage.Traverse():
                if prim.IsA(UsdGeom.Mesh) and f"/{speaker.lower()}/" in str(prim.GetPath()):
                    matrix = np.array(places.GetLocalToWorldTransform(prim))
                    points = np.array(UsdGeom.Mesh(prim).GetPointsAttr().Get(frame))
                    found.append(points @ matrix[:3, :3] + matrix[3, :3])
            dressed, _ = self.film.dress(speaker)
            face, place = self.film.faces[speaker], self.film.scene.place(speaker)
            values = dict(zip(face.names, face.values[frame].tolist(), strict=True))
            turn = math.radians(-place.turn)
            about = np.array(
                [
                    [math.cos(turn), 0, math.sin(turn)],
                    [0, 1, 0],
                    [-math.sin(turn), 0, math.cos(turn)],
                ]
            )
            wanted = Poser(dressed.head).play(values)[0] @ about.T + [place.right, 0, -place.back]
            np.testing.assert_allclose(np.concatenate(found), wanted, atol=2e-6)


class Drawn(unittest.TestCase):
    def test_a_drawn_face_is_painted_and_its_mouth_moves(self) -> None:
        film = filming("04-osric-boots", size=(96, 96))
        painter = Painter()
        self.addCleanup(painter.close)
        shown = [painter.paint(film.picture(k)) for k in range(12, 60, 4)]
        ground = shown[0][0, 0]
        self.assertGreater(float((np.abs(shown[0].astype(int) - ground).sum(2) > 30).mean()), 0.3)
        self.assertGreater(len({s.tobytes() for s in shown}), 3)
        self.assertEqual(painter.paint(film.picture(12)).tobytes(), shown[0].tobytes())


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.production = Production.open(copy_demo(self.folder / "show.glyphos"))

    def table(self, text: str) -> Path:
        path = self.folder / "table.csv"
        path.write_text(text, "utf-8")
        return path

    def test_times_in_every_usual_way(self) -> None:
        for text, wanted in (("12.5", 12.5), ("1:02.5", 62.5), ("0:01:02,5", 62.5), ("00:01:02:12", 62.5), ("1:02:03", 3723), (" 5 s", 5)):  # fmt: skip
            self.assertEqual(seconds_of(text, 24), wanted, text)
        for text in ("", "soon", "-3", "1:2:3:4:5"):
            with self.assertRaisesRegex(DocumentError, "is no time"):
                seconds_of(text, 24)

    def test_rows_become_clips_of_lines_and_beds(self) -> None:
        shutil.copy(self.production.audio_path(self.production.lines[1]), self.folder / "wind.flac")
        brought = from_table(
            self.table("Speaker\tFile\tStart\tEnd\tGain\nPip\taudio/03-pip-wind.flac\t1.5\t\t-3\n"
                       "x\twind.flac\t0\t2\t\nMabel\t05-mabel-hush\t0:04\t\t\n"),
            self.production, name="Roof",
        )  # fmt: skip
        lanes = {x.name: x for x in brought.scene.lanes}
        self.assertEqual((lanes["Pip"].clips[0].start, lanes["Pip"].clips[0].gain), (1.5, -3))
        self.assertEqual((lanes["x"].speaks, lanes["x"].clips[0].length), (False, 2.0))
        self.assertTrue((self.production.folder / lanes["x"].clips[0].audio).is_file())
        self.assertEqual(brought.scene.speakers, ("Pip", "Mabel"))
        self.assertIn("wind.flac is no line", brought.said[0])
        plainly = scene_brought(
            self.table("03-pip-wind.flac,Pip,1\n05-mabel-hush.flac,Mabel,2\n"), self.production
        )
        self.assertEqual([x.clips[0].start for x in plainly.scene.lanes], [1, 2])

    def test_bad_rows_are_told_and_bad_tables_refused(self) -> None:
        brought = from_table(
            self.table("file,speaker,start\nno.wav,A,1\n03-pip-wind.flac,Pip,soon\n,B,2\n03-pip-wind.flac,Pip,3\n"
                       "03-pip-wind.flac,Pip,4\n"), self.production,
        )  # fmt: skip
        self.assertEqual([s.split(" is ")[0] for s in brought.said], ["Row 2", "Row 3", "Row 4"])
        self.assertEqual(len(brought.scene.lanes), 2)  # two of one speaker at once need two lanes
        for text, said in (("a;b\n1;2\n", "should have columns"), ("", "should have columns"),
                           ("file,speaker,start\nno.wav,A,1\n", "Nothing in")):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(DocumentError, said):
                from_table(self.table(text), self.production)
        (self.folder / "odd.csv").write_bytes(b"caf\xe9")
        with self.assertRaisesRegex(DocumentError, "UTF-8"):
            from_table(self.folder / "odd.csv", self.production)
        with self.assertRaisesRegex(DocumentError, "no file"):
            from_table(self.folder / "none.csv", self.production)

    def test_from_the_shell(self) -> None:
        path = self.table("file,speaker,start\n03-pip-wind.flac,Pip,1\nno.wav,A,1\n")
        ran = invoke(["scene", "new", str(self.production.folder), "Roof", "--from", str(path)])
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertIn("Row 3 is left out", ran.output)
        self.assertEqual(
            Production.open(self.production.folder).scenes[0].lanes[0].clips[0].start, 1
        )


class Tracks(unittest.TestCase):
    def test_captions_are_a_track_that_any_player_finds(self) -> None:
        """Read again by FFmpeg's demuxers; of captions that overlap the later one is read."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        told = (Subtitle(0.5, 1.5, "Where is he?"), Subtitle(1.2, 1.9, "Dürüm & <Tee>"))
        for ending in (".mp4", ".mov", ".webm"):
            film = flashes(2.0, 1.0)
            path = folder / f"film{ending}"
            write_film(replace(film, subtitles=told), path, workers=1)
            with self.subTest(ending), av.open(str(path)) as file:
                stream = file.streams.subtitles[0]
                skip = 0 if ending == ".webm" else 2
                found = [
                    (round(float(p.pts * p.time_base), 3), round(float(p.duration * p.time_base), 3), bytes(p)[skip:].decode())
                    for p in file.demux(stream) if p.size > 2
                ]  # fmt: skip
                self.assertEqual(found, [(0.5, 0.7, told[0].text), (1.2, 0.7, told[1].text)])
                self.assertEqual(sum(1 for _ in av.open(str(path)).decode(video=0)), film.frames)
        with self.assertRaisesRegex(SaveError, "no track of captions"):
            write_film(
                replace(flashes(1, 1), subtitles=told), folder / "frames.png-folder", workers=1
            )


class Sums(unittest.TestCase):
    def test_any_stretch_of_a_mix_is_that_of_the_whole(self) -> None:
        parts = [
            Part(sine(220, 1.0, -6), RATE, 0.25, -3.0, 0.2, 0.3), Part(sine(330, 0.5, 0)[:, 0], RATE, 0.5),
            Part(sine(440, 3.0, -12)[: 2 * 44_100], 44_100, -0.5),
        ]  # fmt: skip
        mixer = Mixer(parts, 1.5)
        whole = mixer.read(0, len(mixer))
        self.assertEqual(whole.shape, (round(1.5 * RATE), 2))
        for first, count in ((0, 100), (11_990, 40), (47_999, 2), (71_000, 9999)):
            np.testing.assert_array_equal(mixer.read(first, count), whole[first : first + count])
        held = limiting(whole)
        assert held is not None
        np.testing.assert_array_equal(
            mixer.with_held(held).read(5000, 3000), limited(whole)[5000:8000]
        )

    def test_sounds_are_read_once_and_motions_made_once(self) -> None:
        kept, production = Kept(), demo()
        line = production.line("03-pip-wind")
        path = production.audio_path(line)
        self.assertIsNone(kept.ready(path))
        self.assertAlmostEqual(kept.seconds(path), line.duration, delta=1e-3)
        sound = kept.sound(path)
        self.assertEqual((sound.ndim, sound.flags.writeable), (1, False))
        self.assertIs(kept.sound(path), sound)
        motion = kept.motion(line, path, Fraction(24), production.folder)
        self.assertIs(kept.motion(line, path, Fraction(24), production.folder), motion)
        louder = msgspec.structs.replace(
            line, delivery=msgspec.structs.replace(line.delivery, articulation=0.5)
        )
        self.assertIsNot(kept.motion(louder, path, Fraction(24), production.folder), motion)
        with self.assertRaisesRegex(RecordingError, "missing"):
            kept.sound(path.with_name("none.flac"))
        kept.forget_but(set())
        self.assertIsNone(kept.ready(path))

    def test_a_sound_that_is_too_much_is_refused_before_it_is_read(self) -> None:
        """Four gigabytes, most of which lie nowhere on the disk."""
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "long.wav"
        with wave.open(str(path), "wb") as file:
            file.setparams((1, 2, 16_000, 0, "NONE", ""))
            file.writeframes(b"\0\0")
        size = 4 * 10**9
        with path.open("r+b") as raw:
            raw.truncate(size)
            raw.seek(4)
            raw.write((size - 8).to_bytes(4, "little"))
            raw.seek(40)
            raw.write((size - 44).to_bytes(4, "little"))
        with self.assertRaisesRegex(RecordingError, "hours long"):
            Kept().sound(path)

    def test_a_changed_level_keeps_faces_and_a_moved_clip_does_not(self) -> None:
        film = filming()
        film.prepare()
        lane = film.scene.lanes[0]
        quiet = msgspec.structs.replace(
            film.scene, lanes=(msgspec.structs.replace(lane, gain=-6.0), *film.scene.lanes[1:])
        )
        self.assertIs(film.differently(quiet).faces, film.faces)
        later = msgspec.structs.replace(
            lane, clips=(msgspec.structs.replace(lane.clips[0], start=0.5),)
        )
        other = film.differently(
            msgspec.structs.replace(film.scene, lanes=(later, *film.scene.lanes[1:]))
        )
        self.assertIsNot(other.faces, film.faces)

    def test_a_camera_goes_over_into_its_shot_the_shorter_way(self) -> None:
        own = (170.0, 3.0, 3.35, 0.13, 0.33)
        shots = (Shot(0, of=("A",), camera=(-170.0, *own[1:])), Shot(2, of=("A",), camera=own, move=1.0), Shot(5, "side", ("B",), move=2.0))  # fmt: skip
        scene = Scene("s", shots=shots)
        ways = [camera_at(scene, t).azimuth for t in np.linspace(2, 3, 25)]
        self.assertAlmostEqual(ways[12], -180.0)
        self.assertTrue(all(abs(b - a) < 2 for a, b in pairwise(ways)))
        self.assertEqual(camera_at(scene, 5.0), VIEWS["side"])  # others are seen: a cut
        for camera, said in (((1.0, 2.0), "nowhere"), ((float("nan"),) * 5, "nowhere")):
            with self.assertRaisesRegex(DocumentError, said):
                check_scene(Scene("s", shots=(Shot(camera=camera),)))


if __name__ == "__main__":
    unittest.main()
