"""Movies, decoded again: as many frames as asked for, pictures and sound on one time, nothing half-written."""

from __future__ import annotations

import io
import os
import signal
import subprocess
import sys
import tempfile
import unittest
import wave
from dataclasses import astuple, replace
from fractions import Fraction
from pathlib import Path
from unittest import mock

import av
import numpy as np
from PIL import Image

from glyphos.beside import beside
from glyphos.errors import Cancelled, SaveError
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import SCENE
from glyphos.scene.mix import RATE
from glyphos.scene.movie import Film, save_wav, write_film
from glyphos.scene.painting import Painter, broken
from glyphos.scene.picture import Picture
from glyphos.stage.messages import Ask
from glyphos.stage.views import VIEWS
from tests.patience import PATIENCE, until
from tests.scene.scenes import demo, flashes
from tests.shell import invoke


def decoded(path: Path) -> tuple[np.ndarray, np.ndarray, list[float]]:
    """Brightness of every frame, the sound's first channel from time 0, times of frames."""
    with av.open(str(path)) as file:
        bright, times = [], []
        for frame in file.decode(video=0):
            bright.append(float(frame.to_ndarray(format="gray").mean()))
            times.append(float(frame.time))
    blocks: list[tuple[int, np.ndarray]] = []
    with av.open(str(path)) as file:
        resampler = av.AudioResampler("fltp", "mono", RATE)
        for frame in file.decode(audio=0):
            for block in resampler.resample(frame):
                blocks.append((round(float(block.time) * RATE), block.to_ndarray()[0]))
    sound = np.zeros(max((at + len(own) for at, own in blocks), default=0), np.float32)
    for at, own in blocks:
        sound[max(at, 0) : at + len(own)] = own[max(0, -at) :]
    return np.array(bright), sound, times


class Written(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_pictures_and_sound_are_within_half_a_frame_from_start_to_end(self) -> None:
        """Every flash has its click; the threshold is half a frame of 24 a second. Decoded by FFmpeg's
        libraries, which are not what computed the times."""
        for ending in (".mp4", ".webm", ".mov"):
            film = flashes(5.5, 1.7)
            path = self.folder / f"sync{ending}"
            write_film(film, path, workers=1)
            bright, sound, times = decoded(path)
            with self.subTest(ending):
                self.assertEqual(len(bright), film.frames)
                np.testing.assert_allclose(np.diff(times), 1 / 24, atol=2e-3)
                lit = np.flatnonzero(bright > 100)
                self.assertEqual(len(lit), 3)
                for k in lit:
                    near = sound[
                        max(0, int((times[k] - 0.3) * RATE)) : int((times[k] + 0.3) * RATE)
                    ]
                    loud = np.flatnonzero(np.abs(near) > 0.4 * np.abs(near).max())[0]
                    heard = max(0.0, times[k] - 0.3) + loud / RATE
                    self.assertLess(abs(heard - times[k]), 0.5 / 24)

    def test_other_rates_and_sizes_are_kept(self) -> None:
        film = replace(flashes(1.0, 0.5, size=(90, 160)), fps=Fraction(30_000, 1001))
        path = self.folder / "upright.mp4"
        write_film(film, path, workers=1)
        with av.open(str(path)) as file:
            stream = file.streams.video[0]
            self.assertEqual((stream.width, stream.height), (90, 160))
            self.assertEqual(stream.average_rate, film.fps)
            self.assertEqual(file.streams.audio[0].rate, RATE)

    def test_pictures_with_their_sound_in_a_folder(self) -> None:
        film = flashes(0.5, 0.25)
        path = self.folder / "frames.png-folder"
        write_film(film, path, workers=1)
        names = sorted(p.name for p in path.iterdir())
        self.assertEqual((names[0], names[-1], len(names)), ("frame.0000.png", "sound.wav", 13))
        with wave.open(str(path / "sound.wav")) as file:
            self.assertEqual((file.getframerate(), file.getnframes()), (RATE, 24_000))
        with self.assertRaisesRegex(SaveError, "is there already"):
            write_film(film, path, workers=1)

    def test_a_clear_background_stays_clear(self) -> None:
        film = Film(2, flashes(1, 1).fps, (64, 64), lambda k: Picture((), (64, 64), "none"))
        write_film(film, self.folder / "clear.mov", workers=1)
        with av.open(str(self.folder / "clear.mov")) as file:
            self.assertEqual(len(file.streams.audio), 0)
            frame = next(file.decode(video=0))
            self.assertLess(int(frame.to_ndarray(format="rgba")[..., 3].max()), 8)

    def test_what_cannot_be_written_is_one_sentence_and_nothing_is_left(self) -> None:
        film = flashes(0.5, 0.25)
        for name, size, said in (
            ("a.avi", (64, 64), "should end in"), ("a.mp4", (63, 64), "take 64x64"), ("a.mp4", (8, 64), "16 to 4096"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(SaveError, said):
                write_film(replace(film, size=size), self.folder / name)
        with self.assertRaisesRegex(SaveError, "nothing to show"):
            write_film(replace(film, frames=0), self.folder / "a.mp4")
        (self.folder / "file").touch()
        with self.assertRaises(SaveError):
            write_film(film, self.folder / "file" / "a.mp4")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["file"])

    def test_cancelled_or_out_of_room_it_leaves_what_was_there(self) -> None:
        path = self.folder / "a.mp4"
        path.write_bytes(b"before")

        def enough(share: float) -> None:
            if share > 0.3:
                raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            write_film(flashes(2.0, 0.5), path, workers=1, progress=enough)
        full = mock.patch("os.replace", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaisesRegex(SaveError, "cannot be written"):
            write_film(flashes(0.5, 0.25), path, workers=1)
        self.assertEqual([(p.name, p.read_bytes()) for p in self.folder.iterdir()], [("a.mp4", b"before")])  # fmt: skip

    def test_killed_it_leaves_nothing_under_its_name_and_the_next_takes_that_away(self) -> None:
        path = self.folder / "killed.mp4"
        code = (
            "from tests.scene.scenes import flashes; from glyphos.scene.movie import write_film; from pathlib import Path\n"
            f"if __name__ == '__main__': write_film(flashes(600, 1), Path({str(path)!r}), workers=1)"
        )
        script = self.folder / "run.py"
        script.write_text(code)
        root = str(Path(__file__).parents[2])
        process = subprocess.Popen(
            [sys.executable, str(script)], cwd=root, env={**os.environ, "PYTHONPATH": root}, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )  # fmt: skip
        until(lambda: any(p.stat().st_size > 0 for p in self.folder.glob(".killed*")))
        process.send_signal(signal.SIGKILL)
        process.wait()
        self.assertTrue(list(self.folder.glob(".killed*")))
        self.assertFalse(path.exists())
        process.communicate(
            timeout=PATIENCE
        )  # whoever painted for it ends, too, and lets go of what it holds
        for name in ("written.mp4-glyphos", "killed2.mp4-glyphos", "killed.mp4"):
            (self.folder / f".{name}-20261130.mp4").touch()
        for left in self.folder.glob(".*"):
            os.utime(left, (0, 0))
        (self.folder / ".killed.mp4-glyphos-justnow0.mp4").touch()
        with beside(self.folder / "written.mp4", folder=False) as held:
            os.utime(held, (0, 0))
            write_film(flashes(0.1, 0.05), path, workers=1)
            save_wav(self.folder / "written.mp4", np.zeros((9, 2)))  # two at once
            self.assertTrue(held.is_file())
        others = ("killed2.mp4-glyphos-20261130", "killed.mp4-20261130", "killed.mp4-glyphos-justnow0")  # fmt: skip
        self.assertEqual(
            {p.name for p in self.folder.iterdir()},
            {"killed.mp4", "written.mp4", "run.py", *(f".{name}.mp4" for name in others)},
        )

    def test_what_is_left_of_pictures_goes_too_and_nothing_hangs_on_it(self) -> None:
        left = self.folder / ".shots-glyphos-abcd_123"
        left.mkdir()
        (left / "frame.0000.png").touch()
        os.utime(left, (0, 0))
        with (
            mock.patch.object(Path, "iterdir", side_effect=PermissionError),
            beside(self.folder / "shots", folder=True) as held,
        ):
            os.utime(held, (0, 0))
        self.assertTrue(left.is_dir())
        with beside(self.folder / "shots", folder=True) as held:
            os.utime(held, (0, 0))
            with beside(self.folder / "shots", folder=True):
                self.assertTrue(held.is_dir())
        self.assertEqual([p.name for p in self.folder.iterdir()], ["shots"])

    def test_a_disk_that_fills_up_on_the_way_is_said(self) -> None:
        """The system refuses every byte beyond some, as a full disk does, in the middle of the pictures."""
        path = self.folder / "full.mp4"
        code = (
            "import resource, signal; from dataclasses import replace; from pathlib import Path\n"
            "from glyphos.errors import SaveError; from glyphos.scene.movie import write_film\n"
            "from tests.scene.scenes import flashes\n"
            "if __name__ == '__main__':\n"
            "    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
            "    resource.setrlimit(resource.RLIMIT_FSIZE, (60_000, 60_000))\n"
            "    try:\n"
            f"        write_film(flashes(30, 0.2), Path({str(path)!r}), workers=1)\n"
            "    except SaveError as error:\n"
            "        print('said', error)\n"
        )
        script = self.folder / "run.py"
        script.write_text(code)
        root = str(Path(__file__).parents[2])
        ran = subprocess.run([sys.executable, str(script)], cwd=root, env={**os.environ, "PYTHONPATH": root}, capture_output=True, text=True, timeout=120)  # fmt: skip
        self.assertIn("said full.mp4 cannot be written", ran.stdout, ran.stderr)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["run.py"])

    def test_a_process_that_dies_is_said(self) -> None:
        dying = replace(flashes(0.5, 0.25), picture=lambda k: Picture((Deadly(),), (64, 64)))  # type: ignore[arg-type]
        with self.assertRaisesRegex(SaveError, "The graphics driver ended"):
            write_film(dying, self.folder / "a.mp4", workers=1)
        self.assertEqual(list(self.folder.iterdir()), [])


class Deadly:
    """Ends the process that is given it, as a driver may."""

    def __reduce__(self) -> tuple[object, tuple[int]]:
        return os._exit, (1,)


class Painted(unittest.TestCase):
    painter: Painter

    @classmethod
    def setUpClass(cls) -> None:
        cls.painter = Painter()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.painter.close()

    def ask(self, model: str, **values: float) -> Ask:
        return Ask(model, astuple(VIEWS["front"]), values=values)

    def test_columns_stand_side_by_side_over_a_picture(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        Image.new("RGB", (50, 20), (10, 200, 30)).save(folder / "green.png")
        heads = (self.ask("pip"), self.ask("mabel"))
        made = self.painter.paint(Picture(heads, (320, 160), str(folder / "green.png"))).astype(int)
        np.testing.assert_allclose(made[2, 2, :3], (10, 200, 30), atol=2)
        self.assertTrue((made[..., 3] == 255).all())
        alone = self.painter.paint(Picture(heads[:1], (160, 160), "paper")).astype(int)
        where = np.abs(alone[..., :3] - alone[1, 1, :3]).max(2) > 40
        self.assertLess(np.abs(made[:, :160, :3] - alone[..., :3])[where].mean(), 6)

    def test_captions_are_read_on_any_ground(self) -> None:
        for ground in ("paper", "night"):
            plain, told = (
                self.painter.paint(Picture((self.ask("mabel"),), (320, 240), ground, caption=c)).astype(int)
                for c in ("", "Hush. Look up.")
            )  # fmt: skip
            changed = np.abs(plain - told).max(2) > 60
            rows, columns = np.nonzero(changed)
            self.assertGreater(rows.min(), 150)
            self.assertLess(abs(columns.mean() - 160), 12)
            plate = told[rows.min() : rows.max(), columns.min() : columns.max(), :3]
            self.assertGreater(int(plate.max()) - int(plate.min()), 150)

    def test_long_captions_are_broken_evenly(self) -> None:
        text = "the beam is moving and nobody touched the lever at all tonight"
        rows = broken(text, len, 40)
        self.assertEqual(" ".join(rows), text)
        self.assertEqual(len(rows), 2)
        self.assertLess(abs(len(rows[0]) - len(rows[1])), 12)
        self.assertEqual(broken("one", len, 2), ["one"])
        self.assertEqual(broken("", len, 10), [""])


class Shell(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.production = copy_demo(self.folder / "show.glyphos")

    def run_it(self, *words: object, code: int = 0) -> str:
        ran = invoke([str(w) for w in words])
        self.assertEqual(ran.exit_code, code, ran.output + str(ran.exception))
        return " ".join((ran.output + str(ran.exception or "")).split())

    def test_a_line_as_a_movie_with_captions_beside_it(self) -> None:
        out = self.folder / "hush.mp4"
        self.run_it("movie", self.production / "lines" / "05-mabel-hush.json", "-o", out, "--size", "96x96",
                    "--captions", "file", "--fps", "12", "--loudness", "-23", "--workers", "1")  # fmt: skip
        bright, sound, _ = decoded(out)
        self.assertGreater(len(bright), 30)
        self.assertGreater(float(np.abs(sound).max()), 0.05)
        self.assertIn("Look", out.with_suffix(".vtt").read_text())

    def test_a_recording_without_a_script_is_made_out_on_the_way(self) -> None:
        out = self.folder / "made out.png-folder"
        source = demo().audio_path(demo().line("05-mabel-hush"))
        self.assertIn(
            "--no-script", self.run_it("movie", source, "-o", out, "--size", "64x64", code=1)
        )
        self.run_it("movie", source, "-o", out, "--size", "64x64", "--fps", "8", "--no-script", "--silent",
                    "--character", "pip", "--captions", "file", "--workers", "1")  # fmt: skip
        self.assertGreater(len(list(out.glob("frame.*.png"))), 20)
        self.assertIn("WEBVTT", (out / "captions.vtt").read_text())

    def test_a_scene_is_made_listed_read_written_and_filmed(self) -> None:
        bed = demo().audio_path(demo().line("02-osric-door"))
        said = self.run_it("scene", "new", self.production, "On the roof", "--line", "03-pip-wind", "--line",
                           "05-mabel-hush", "--bed", bed)  # fmt: skip
        self.assertIn("2 clips of 2 speakers and 1 bed", said)
        document = self.production / "scenes" / "on-the-roof.json"
        scene = SCENE.read(document.read_bytes(), "scene")
        self.assertEqual([x.name for x in scene.lanes][:2], ["Pip", "Mabel"])
        self.assertIn("on-the-roof On the roof", self.run_it("scene", "show", self.production))
        for name in ("on-the-roof", "on the ROOF"):
            self.assertIn("Mabel Hush", self.run_it("scene", "show", self.production, name))
        self.run_it(
            "scene",
            "export",
            self.production,
            "on-the-roof",
            "-o",
            self.folder / "out",
            "--fps",
            "12",
        )
        names = sorted(p.name for p in (self.folder / "out").iterdir())
        self.assertEqual(len(names), 12, names)
        captions = (self.folder / "out" / "on-the-roof.vtt").read_text()
        self.assertRegex(captions, r"\n<v Pip>.*<c>Osric</c>\.\n")
        self.assertRegex(captions, r"\n<v Mabel>.*<c>Hush</c>\.\n")
        curves = (self.folder / "out" / "on-the-roof.pip.curves.csv").read_text().splitlines()
        out = self.folder / "roof.webm"
        self.run_it("movie", document, "-o", out, "--size", "96x64", "--fps", "12", "--captions", "burnt", "--workers", "1")  # fmt: skip
        self.assertEqual(len(decoded(out)[0]), len(curves) - 1)
        said = self.run_it("scene", "new", self.production, "On the roof", "--line", "03-pip-wind", "--line",
                           "06-osric-poor")  # fmt: skip
        self.assertIn("left out: 06-osric-poor has not been listened to", said)
        said = self.run_it("scene", "show", self.production, "On the roof", code=1)
        self.assertIn("take one of on-the-roof, on-the-roof-2", said)

    def test_what_is_wrong_is_one_sentence(self) -> None:
        line = self.production / "lines" / "05-mabel-hush.json"
        for words, said, code in (
            (("movie", line, "-o", "x.avi"), "should end in", 1),
            (("movie", line, "-o", "x.mp4", "--size", "big"), "is no size", 2),
            (("movie", line, "-o", "x.mp4", "--view", "moon"), "is none of", 2),
            (("movie", line, "-o", "x.mp4", "--background", "nowhere.png"), "cannot be read as a picture", 1),
            (("movie", line, "-o", "x.mp4", "--loudness", "5"), "between -70 and -5", 2),
            (("movie", self.folder / "no.json", "-o", "x.mp4"), "There is no file", 1),
            (("movie", self.production / "lines" / "02-osric-door.json", "-o", "x.mp4"), "listen to them first", 1),
            (("scene", "show", self.production, "nothing"), "There is no scene", 1),
            (("scene", "new", self.production, "X", "--line", "nobody"), "There is no line", 1),
            (("scene", "export", self.production, "x", "-o", "out", "--what", "smell"), "is none of", 2),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertIn(said, self.run_it(*words, code=code))
        take = self.folder / "take.mp4"
        take.write_bytes(demo().audio_path(demo().line("05-mabel-hush")).read_bytes())
        before = take.read_bytes()
        said = self.run_it(
            "movie", take, "-o", take, "--text", "Hush. Look up.", "--size", "64x64", code=1
        )
        self.assertIn("is the recording itself", said)
        self.assertEqual(take.read_bytes(), before)
        stray = self.folder / "lines" / "stray.json"
        stray.parent.mkdir()
        stray.write_bytes(io.BytesIO(line.read_bytes()).read())
        self.assertNotIn("Traceback", self.run_it("movie", stray, "-o", "x.mp4", code=1))


if __name__ == "__main__":
    unittest.main()
