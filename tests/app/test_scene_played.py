"""A scene is heard and seen: its mix, its movie, what leaves of it and what comes."""

from __future__ import annotations

import math
import shutil
import unittest

import av
import msgspec
import numpy as np
import soundfile
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from glyphos.app.pages.scene.menu import fill_menu
from glyphos.production.kinds import scene_key
from glyphos.scene.editing import clip_at
from glyphos.scene.mix import RATE
from tests.app.scened import ALT, NONE, SceneCase
from tests.scene.test_moving import turning


class Heard(SceneCase):
    def test_the_mix_is_what_is_written(self) -> None:
        """The same sums: what plays, sample by sample, and what a movie gets."""
        film, mixer = self.scenery.film, self.scenery.mixer
        assert film is not None and mixer is not None
        self.assertIs(self.transport.sound, mixer)
        np.testing.assert_array_equal(mixer.read(0, len(mixer)), film.sound())
        parts = [mixer.read(k, 4801) for k in range(0, len(mixer), 4801)]
        np.testing.assert_array_equal(np.concatenate(parts), film.sound())

    def test_levels_are_heard_while_they_are_dragged(self) -> None:
        row = self.scene_page.levels.row(0)
        mixer = self.scenery.mixer
        assert mixer is not None
        before = mixer.read(RATE, RATE)
        row.slider.setSliderDown(True)
        row.slider.setValue(-12)
        self.wait(lambda: self.scenery.mixer is not mixer)
        assert self.scenery.mixer is not None
        np.testing.assert_allclose(
            self.scenery.mixer.read(RATE, RATE), before * 10 ** (-6 / 20), atol=1e-6
        )
        self.assertEqual(self.document.production.values[scene_key("scene")].lanes[0].gain, 0)
        row.slider.setSliderDown(False)
        row.slider.sliderReleased.emit()
        self.assertEqual(self.scene.lanes[0].gain, -6)
        row.buttons["mute"].click()
        self.wait(lambda: not np.any(self.scenery.mixer.read(0, 2 * RATE)))  # type: ignore[union-attr]

    def test_playing_goes_on_while_something_is_muted(self) -> None:
        self.transport.play(0.5)
        self.clock.now += 1.0
        self.assertAlmostEqual(self.transport.position(), 1.5, places=4)
        self.scene_page.levels.row(1).buttons["mute"].click()
        self.ready()
        self.clock.now += 0.5
        self.assertTrue(self.transport.playing)
        self.assertAlmostEqual(self.transport.position(), 2.0, places=4)

    def test_a_span_is_looped_and_played_from_anywhere(self) -> None:
        system = self.score.plan.systems[0]  # type: ignore[union-attr]
        y = round(system.staves[0].top + 20)
        a, b = round(system.x_at(4.2)), round(system.x_at(5.2))
        self.drag(QPoint(a, y), QPoint(b, y))
        span = self.score.span
        assert span is not None
        self.window.commands.do("scene-loop")
        self.clock.now += 2.25 * (span[1] - span[0])
        self.assertAlmostEqual(
            self.transport.position(), span[0] + 0.25 * (span[1] - span[0]), delta=0.01
        )
        self.window.commands.do("play")
        self.assertFalse(self.transport.playing)

    def test_a_line_and_its_scene_each_go_on_where_they_were(self) -> None:
        self.transport.seek(2.0)
        self.hands.choose((1, 0))
        self.window.commands.do("scene-open")
        self.assertEqual((self.window.page.name, self.selection.slug), ("score", "05-mabel-hush"))
        self.idle()
        self.assertAlmostEqual(self.transport.duration, 2.75, delta=0.01)
        self.transport.seek(0.5)
        self.talk.offers["scene"].run()
        self.assertEqual(self.window.page.name, "scene")
        self.assertAlmostEqual(self.transport.position(), 2.0)
        self.assertNotIn("scene", self.talk.offers)
        self.window.show_page("score")
        self.assertAlmostEqual(self.transport.position(), 0.5)
        self.window.show_page("scene")
        self.window.commands.do("scene-open")
        self.assertIn("scene", self.talk.offers)
        self.show("03-pip-wind")
        self.assertNotIn("scene", self.talk.offers)  # what is said of a line goes with it

    def test_a_missing_recording_is_said_and_the_rest_plays(self) -> None:
        (self.production / "audio" / "03-pip-wind.flac").rename(self.folder / "away.flac")
        self.hands.choose((1, 0))
        self.hands.nudge(1)
        self.ready()
        self.assertIn("missing", self.scenery.problem(clip_at(self.scene, (0, 0))))
        assert self.scenery.film is not None
        self.assertEqual(len(self.scenery.film.scene.lanes[0].clips), 0)
        self.assertGreater(self.transport.duration, 3)
        self.assertTrue(math.isfinite(float(np.abs(self.scenery.mixer.read(0, RATE)).max())))  # type: ignore[union-attr]
        shutil.move(self.folder / "away.flac", self.production / "audio" / "03-pip-wind.flac")
        self.hands.nudge(1)
        self.ready()
        self.assertEqual(len(self.scenery.film.scene.lanes[0].clips), 1)

    def test_what_other_programs_change_is_heard(self) -> None:
        """As where somebody edits a recording, takes it away and brings it back."""
        audio = self.production / "audio" / "05-mabel-hush.flac"
        samples, rate = soundfile.read(audio)
        at = round((self.start(1) + 0.5) * RATE)

        def heard() -> float:
            return float(np.abs(self.scenery.mixer.read(at, RATE // 4)).max())  # type: ignore[union-attr]

        self.assertGreater(heard(), 0.02)
        soundfile.write(audio, np.zeros_like(samples), rate)
        self.wait(lambda: heard() == 0)
        away = audio.rename(self.folder / "away.flac")
        clip = clip_at(self.scene, (1, 0))
        self.wait(lambda: "missing" in self.scenery.problem(clip))
        soundfile.write(away, samples, rate)
        shutil.move(away, audio)
        self.wait(lambda: heard() > 0.02)
        self.assertEqual(self.scenery.problem(clip), "")

    def test_a_bed_and_a_motion_that_change_are_followed(self) -> None:
        wind, nod = self.folder / "wind.wav", self.folder / "nod.bvh"
        soundfile.write(wind, np.full((8000, 2), 0.25), 8000)
        nod.write_bytes(turning())
        self.answers.given = [[wind], [nod]]
        self.window.commands.do("scene-bed")
        self.ready()
        self.hands.choose((0, 0))
        self.window.commands.do("scene-motion")
        self.ready()
        (move,), (bed,) = self.scene.lanes[0].moves, self.scene.lanes[-1].clips
        soundfile.write(self.production / bed.audio, np.full((24_000, 2), 0.25), 8000)
        self.wait(lambda: self.scenery.whole(bed) == 3.0 and self.scenery.settled)
        place, before = self.production / move.file, self.scenery.lasts(move)
        place.write_bytes(turning(frames=20))
        self.wait(lambda: self.scenery.lasts(move) < before - 0.5)

    def test_what_cannot_be_played_is_said_and_the_last_stays(self) -> None:
        """As when a scene's file was edited by hand: two of one lane at once."""
        film = self.scenery.film
        lane = self.scene.lanes[0]
        twice = msgspec.structs.replace(
            lane, clips=(*lane.clips, msgspec.structs.replace(lane.clips[0], start=1.0))
        )
        self.hands.keep(
            "x", msgspec.structs.replace(self.scene, lanes=(twice, *self.scene.lanes[1:]))
        )
        self.idle()
        self.assertIn("are heard at once", self.status)
        self.assertIs(self.scenery.film, film)
        self.window.commands.do("undo")
        self.ready()
        self.assertTrue(self.scenery.settled)

    def test_a_sound_under_it_and_a_recorded_head(self) -> None:
        wind, nod, none = (
            self.folder / "wind.wav",
            self.folder / "nod.bvh",
            self.folder / "none.bvh",
        )
        soundfile.write(wind, np.full((8000, 2), 0.25), 8000)
        nod.write_bytes(turning())
        none.write_text("HIERARCHY")
        self.answers.given = [[wind], [none], [nod]]
        self.window.commands.do("scene-bed")
        self.ready()
        self.assertEqual((self.scene.lanes[-1].name, self.scene.lanes[-1].gain), ("wind", -18.0))
        level = float(self.scenery.mixer.read(RATE // 2 + 10, 1)[0, 0])  # type: ignore[union-attr]
        self.assertAlmostEqual(level, 0.25 * 10 ** (-18 / 20), delta=0.02)
        self.hands.choose((0, 0))
        self.window.commands.do("scene-motion")
        self.assertIn("none.bvh", self.status)
        self.window.commands.do("scene-motion")
        self.ready()
        (move,) = self.scene.lanes[0].moves
        self.assertAlmostEqual(self.scenery.lasts(move), 47 / 24, places=4)
        menu = QMenu()
        fill_menu(menu, self.context, self.hands, self.scene_page.commands())
        (inner,) = menu.findChildren(QMenu)
        next(a for a in inner.actions() if a.text() == "Again and again").trigger()
        self.assertTrue(self.scene.lanes[0].moves[0].loop)
        self.ready()
        yaw = self.scenery.film.faces["Pip"].channel("head_yaw")  # type: ignore[union-attr]
        self.assertLess(float(yaw[60:].min()), -10)
        next(a for a in inner.actions() if a.text() == "Take it away").trigger()
        self.assertEqual(self.scene.lanes[0].moves, ())
        menu.deleteLater()


class Seen(SceneCase):
    def test_the_stage_shows_the_shot_and_a_hand_turns_its_camera(self) -> None:
        self.hands.add_shot(1.0)
        stage = self.scene_page.stage
        self.transport.seek(1.5)
        self.ready()
        self.assertIn("shot", stage.said)
        assert stage.picture is not None
        self.assertEqual(len(stage.picture.columns), 1)
        before = stage.picture.columns[0].camera  # type: ignore[union-attr]
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(stage, left, NONE, QPoint(100, 60))
        QTest.mouseMove(stage, QPoint(150, 60))
        self.wait(lambda: stage.picture.columns[0].camera != before)  # type: ignore[union-attr]
        QTest.mouseRelease(stage, left, NONE, QPoint(150, 60))
        self.assertAlmostEqual(self.scene.shot_at(1.5).camera[0], -20.0, delta=0.5)
        self.window.commands.do("undo")
        self.assertEqual(self.scene.shot_at(1.5).camera, ())
        self.ready()
        self.assertEqual(stage.picture.columns[0].camera, before)  # type: ignore[union-attr]

    def test_a_cut_is_dragged_and_a_shot_changed_by_numbers(self) -> None:
        self.hands.add_shot(1.5)
        number = self.hands.shot
        assert number is not None and self.score.plan is not None
        bracket = next(b for s in self.score.plan.systems for b in s.brackets if b.number == number)
        system = self.score.plan.systems[0]
        y = round(system.top + 17 + 8)
        self.drag(QPoint(round(bracket.left + 2), y), QPoint(round(bracket.left + 2 - 50), y), ALT)
        self.assertLess(min(s.start for s in self.scene.shots if s.start), 1.3)
        chosen = self.scene_page.chosen
        chosen.view.setCurrentText("side")
        chosen.view.activated.emit(0)
        chosen.of.setCurrentIndex(chosen.of.findData("everybody"))
        chosen.of.activated.emit(0)
        chosen.moves_for.setValue(1.5)
        shot = self.scene.shots[number]
        self.assertEqual((shot.view, shot.of, shot.move), ("side", ("Pip", "Mabel"), 1.5))
        self.window.commands.do("scene-delete")
        self.assertNotIn(shot, self.scene.shots)
        self.hands.add_shot(2.0)
        self.hands.choose(None)
        self.transport.seek(0.0)
        self.window.commands.do("scene-next-shot")
        self.window.commands.do("scene-next-shot")
        later = sorted(s.start for s in self.scene.shots)
        self.assertAlmostEqual(self.transport.position(), later[min(2, len(later) - 1)], places=3)
        self.window.commands.do("scene-shot-before")
        self.assertAlmostEqual(self.transport.position(), later[1], places=3)

    def test_one_long_row_follows_the_playhead(self) -> None:
        self.window.commands.do("scene-row")
        for _ in range(6):
            self.window.commands.do("scene-in")
        plan = self.score.plan
        assert plan is not None
        self.assertEqual(len(plan.systems), 1)
        self.assertEqual(len(plan.systems[0].staves), 2)
        self.transport.seek(4.0)
        assert self.score.plan is not None
        system = self.score.plan.systems[0]
        self.assertTrue(system.start <= 4.0 < system.end)

    def test_a_movie_of_it_is_written(self) -> None:
        self.window.general.set_rate("8")
        self.ready()
        self.answers.given = [(self.folder / "scene.mp4", "")]
        self.window.commands.do("scene-movie")
        dialog = next(
            d for d in self.window.findChildren(object) if type(d).__name__ == "MovieDialog"
        )
        dialog.size_box.setCurrentText("64x64")
        dialog.captions_box.setCurrentIndex(2)
        picture = self.folder / "sky.png"
        Image.new("RGB", (32, 32), (20, 60, 200)).save(picture)
        self.answers.given.insert(0, [picture])
        dialog.ground_box.setCurrentIndex(dialog.ground_box.findData("picture"))
        dialog.ground_box.activated.emit(4)
        self.assertEqual(dialog.wanted().background, str(picture))
        dialog.accept()
        self.idle()
        with av.open(str(self.folder / "scene.mp4")) as file:
            film = self.scenery.film
            assert film is not None
            self.assertEqual(file.streams.video[0].frames, film.frames)
            frame = next(file.decode(video=0)).to_ndarray(format="rgb24")
            self.assertGreater(int(frame[2, 2, 2]), int(frame[2, 2, 0]) + 90)  # the sky behind them
            file.seek(0)
            texts = [
                bytes(p)[2:].decode() for p in file.demux(file.streams.subtitles[0]) if p.size > 2
            ]
        self.assertEqual(texts[0], "Probably the wind, Osric.")

    def test_handed_over_and_brought_in_again(self) -> None:
        out = self.folder / "out"
        self.answers.given = ["otio", out]
        self.window.commands.do("scene-export")
        self.idle()
        self.assertTrue((out / "scene.otio").is_file())
        table = self.folder / "table.csv"
        table.write_text(
            "file;speaker;start\n03-pip-wind.flac;Pip;0:01.5\nno.wav;X;2\n05-mabel-hush;Mabel;4\n"
        )
        self.answers.given = [[out / "scene.otio", table]]
        self.window.commands.do("scene-import")
        self.idle()
        by_name = {s.name: s for s in self.document.production.scenes}
        again = [(x.name, [round(c.start, 3) for c in x.clips]) for x in by_name["scene"].lanes]
        before = [(x.name, [round(c.start, 3) for c in x.clips]) for x in by_name["Scene"].lanes]
        self.assertEqual(again, before)
        starts = {c.line: c.start for x in by_name["table"].lanes for c in x.clips}
        self.assertEqual(starts, {"03-pip-wind": 1.5, "05-mabel-hush": 4.0})


if __name__ == "__main__":
    unittest.main()
