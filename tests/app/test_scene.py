"""The Scene page in a real window: made of lines, moved by hand, heard, seen, and left again."""

from __future__ import annotations

import math
import shutil
import unittest
from unittest import mock

import av
import msgspec
import numpy as np
import soundfile
from PIL import Image
from PySide6.QtCore import QByteArray, QEvent, QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from glyphos.app.pages.scene.menu import fill_menu
from glyphos.production.kinds import scene_key
from glyphos.production.production import Production
from glyphos.scene.documents import Scene
from glyphos.scene.editing import clip_at, end_of, places
from glyphos.scene.mix import RATE
from tests.app.harness import WindowCase
from tests.scene.test_moving import turning

TWO = ("03-pip-wind", "05-mabel-hush")
NONE, SHIFT, ALT = (
    Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


class SceneCase(WindowCase):
    """A scene of two lines is shown."""

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(
            mock.patch.object(self.context.staging, "draw")
        )  # pictures of heads take long
        self.scenery = self.context.scenery
        self.window.show_page("scene")
        self.scene_page = self.window.pages["scene"]
        self.hands, self.score = self.scene_page.desk, self.scene_page.paper
        self.selection.choose(TWO)
        self.window.commands.do("scene-new")
        self.ready()

    def ready(self) -> None:
        self.idle()
        self.wait(lambda: self.scenery.settled)
        self.idle()

    @property
    def scene(self) -> Scene:
        found = self.scenery.scene
        assert found is not None
        return found

    def start(self, lane: int, clip: int = 0) -> float:
        return clip_at(self.scene, (lane, clip)).start

    def place(self, where: tuple[int, int], at: float = 0.5) -> QPoint:
        rect = self.score.rect_of(where)
        assert rect is not None
        return QPoint(round(rect.left() + at * rect.width()), round(rect.center().y()))

    def drag(
        self, start: QPoint, end: QPoint, mod: Qt.KeyboardModifier = NONE, *, drop: bool = True
    ) -> None:
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(self.score, left, NONE, start)
        for k in (1, 2, 3):
            point = start + (end - start) * k / 3
            event_at = self.score.mapToGlobal(point)
            self.application.sendEvent(
                self.score, QMouseEvent(QEvent.Type.MouseMove, QPointF(point), QPointF(event_at), left, left, mod)
            )  # fmt: skip
        if drop:
            QTest.mouseRelease(self.score, left, mod, end)


class Placing(SceneCase):
    def test_a_scene_of_the_selected_lines_is_kept_and_read_as_a_play(self) -> None:
        self.assertEqual([x.name for x in self.scene.lanes], ["Pip", "Mabel"])
        script = self.scene_page.script
        self.assertEqual(
            [script.item(k).data(Qt.ItemDataRole.UserRole).speaker for k in (0, 1)],
            ["Pip", "Mabel"],
        )
        self.assertIn(
            "Probably the wind, Osric.", script.item(0).data(Qt.ItemDataRole.AccessibleTextRole)
        )
        self.assertEqual(self.document.flush(), "")
        self.assertIn(self.scene, Production.open(self.production).scenes)
        self.window.commands.do("undo")
        self.assertEqual(self.scene.name, "The night of the light")  # the demo's own
        self.window.commands.do("redo")
        self.assertEqual(self.scene.name, "Scene")
        self.assertEqual(len(self.scene.lanes), 2)

    def test_lines_that_come_in_while_another_page_is_shown_are_chosen_there(self) -> None:
        self.window.show_page("score")
        self.selection.choose(("01-mabel-beam",))
        with mock.patch("sys.excepthook") as raised:
            self.window.commands.do("scene-add")
            self.window.show_page("scene")
            self.ready()
            self.assertIn("Chosen: Mabel", self.score.accessibleDescription())
            self.window.show_page("score")
            self.window.commands.do("undo")
            self.window.show_page("scene")
            self.ready()
        raised.assert_not_called()
        self.assertNotIn("Chosen", self.score.accessibleDescription())

    def test_a_clip_is_dragged_by_hand_and_dropped_as_one_step(self) -> None:
        before, steps = self.start(1), len(self.document.history.done)
        at = self.place((1, 0))
        self.drag(at, at + QPoint(40, 0), drop=False)
        self.assertEqual(
            self.document.production.values[scene_key("scene")].lanes[1].clips[0].start, before
        )
        self.assertGreater(self.start(1), before + 0.2)  # shown, not kept
        self.window.commands.do("none")
        self.assertEqual(self.start(1), before)
        QTest.mouseRelease(self.score, Qt.MouseButton.LeftButton, NONE, at)
        self.drag(at, at + QPoint(40, 0), ALT)
        plan = self.score.plan
        assert plan is not None
        self.assertAlmostEqual(self.start(1) - before, 40 / plan.per_second, delta=0.02)
        self.assertEqual(len(self.document.history.done), steps + 1)
        self.window.commands.do("undo")
        self.assertEqual(self.start(1), before)

    def test_dropped_near_an_edge_it_snaps_and_else_stands_on_a_frame(self) -> None:
        end = end_of(clip_at(self.scene, (0, 0)), self.scenery.whole)
        at, plan = self.place((1, 0)), self.score.plan
        assert plan is not None
        way = (end - self.start(1)) * plan.per_second + 5
        self.drag(at, at + QPoint(round(way), 0))
        self.assertAlmostEqual(self.start(1), end, places=5)
        self.drag(self.place((1, 0)), self.place((1, 0)) + QPoint(60, 0))
        self.assertAlmostEqual(self.start(1) * 24, round(self.start(1) * 24), places=3)

    def test_to_another_row(self) -> None:
        self.window.resize(700, 800)
        self.application.processEvents()
        plan = self.score.plan
        assert plan is not None and len(plan.systems) > 1
        rect, row = self.score.rect_of((0, 0)), plan.systems[1]
        assert rect is not None
        at = self.place((0, 0))
        self.drag(at, QPoint(at.x(), round(row.top + row.height / 2)), ALT)
        self.assertGreater(self.start(0), row.start - 1)

    def test_ends_are_trimmed_and_come_back(self) -> None:
        rect = self.score.rect_of((0, 0))
        assert rect is not None
        at = QPoint(round(rect.right() - 2), round(rect.center().y()))
        self.drag(at, at - QPoint(30, 0), ALT)
        clip = clip_at(self.scene, (0, 0))
        self.assertGreater(clip.length, 0)
        self.ready()
        self.assertIsNotNone(self.scenery.film)
        self.hands.choose((0, 0))
        self.window.commands.do("scene-untrim")
        self.assertEqual(clip_at(self.scene, (0, 0)).length, 0)
        self.transport.seek(1.0)
        self.window.commands.do("scene-trim-start")
        self.assertAlmostEqual(clip_at(self.scene, (0, 0)).start, 1.0)
        clip = clip_at(self.scene, (0, 0))
        reading = self.document.line(clip.line).reading
        wind = next(w for w in reading.words() if w.text == "wind")
        self.transport.seek(clip.start - clip.cut + wind.start - 0.01)
        self.window.commands.do("scene-split")
        self.assertEqual(len(self.scene.lanes[0].clips), 2)
        script = self.scene_page.script
        read = [script.item(k).data(Qt.ItemDataRole.UserRole).text for k in range(script.count())]
        self.assertEqual(read, ["the", "wind Osric", "Hush. Look up."])  # what each still says

    def test_everything_by_keys(self) -> None:
        self.score.setFocus()
        QTest.keyClick(self.score, Qt.Key.Key_Down)
        self.assertEqual(self.hands.chosen, (places(self.scene)[0],))
        QTest.keyClick(self.score, Qt.Key.Key_Down)
        self.assertEqual(self.hands.chosen, ((1, 0),))
        before = self.start(1)
        QTest.keyClick(self.score, Qt.Key.Key_Right)
        QTest.keyClick(self.score, Qt.Key.Key_Right, SHIFT)
        self.assertAlmostEqual(self.start(1) - before, 11 / 24, places=4)
        self.window.commands.do("undo")  # nudges of a moment are one step
        self.assertEqual(self.start(1), before)
        for key, what in ((Qt.Key.Key_M, "mute"), (Qt.Key.Key_S, "solo"), (Qt.Key.Key_K, "lock")):
            QTest.keyClick(self.window, key)
            self.assertTrue(getattr(self.scene.lanes[1], what), what)
        QTest.keyClick(self.window, Qt.Key.Key_Delete)
        self.assertIn("Mabel is locked", self.status)
        QTest.keyClick(self.window, Qt.Key.Key_K)
        QTest.keyClick(self.window, Qt.Key.Key_R)
        self.assertTrue(self.scene_page.ripple_button.isChecked())
        QTest.keyClick(self.window, Qt.Key.Key_Delete)
        self.assertEqual(len(self.scene.lanes), 1, self.status)

    def test_the_script_is_put_in_another_order_with_its_gaps(self) -> None:
        first, second = (clip_at(self.scene, w) for w in places(self.scene))
        gap = second.start - end_of(first, self.scenery.whole)
        self.hands.choose((1, 0))
        self.window.commands.do("scene-earlier")
        order = places(self.scene)
        self.assertEqual(order, [(1, 0), (0, 0)])
        mabel, pip = (clip_at(self.scene, w) for w in order)
        self.assertAlmostEqual(pip.start - end_of(mabel, self.scenery.whole), gap, places=5)
        self.assertEqual(self.scene_page.script.order(), order)

    def test_lines_are_dropped_from_the_list(self) -> None:
        self.window.commands.do("scene-lines")
        self.assertTrue(self.window.lines.isVisible())
        model = self.window.lines.lines
        row = model.row("04-osric-boots")
        data = model.mimeData([model.index(row)])
        point = QPointF(self.score.width() - 40, 40)
        self.score.dropEvent(
            QDropEvent(point, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertEqual([x.name for x in self.scene.lanes], ["Pip", "Mabel", "Osric"], self.status)
        self.assertAlmostEqual(self.start(2), self.score.time_at(point), delta=1.0)
        self.assertEqual(len(self.scene.places), 3)
        row = model.row("02-osric-door")  # not listened to: its voice is heard, and that is told
        later = QPointF(self.score.width() - 40, self.score.plan.systems[-1].top + 30)  # type: ignore[union-attr]
        voice = model.mimeData([model.index(row)])
        self.score.dropEvent(
            QDropEvent(later, Qt.DropAction.CopyAction, voice, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertEqual(len(self.scene.lanes[2].clips), 2)
        self.ready()
        self.assertGreater(len(self.scenery.film.parts()), 3)  # type: ignore[union-attr]
        foreign = QMimeData()
        foreign.setData("application/x-glyphos-lines", QByteArray(b"no-such-line"))
        self.score.dropEvent(
            QDropEvent(point, Qt.DropAction.CopyAction, foreign, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertIn("Choose lines", self.status)

    def test_numbers_of_what_is_chosen(self) -> None:
        self.hands.choose((1, 0))
        chosen = self.scene_page.chosen
        chosen.start.setValue(4.25)
        self.assertEqual(self.start(1), 4.25)
        chosen.gain.setValue(-6)
        chosen.fade_in.setValue(0.25)
        clip = clip_at(self.scene, (1, 0))
        self.assertEqual((clip.gain, clip.fade_in), (-6, 0.25))
        self.assertIn("Pip", chosen.pause.text())
        chosen.looks.setCurrentIndex(1)
        chosen.looks.activated.emit(1)
        self.assertEqual(self.scene.place("Mabel").looks, "camera")
        self.hands.choose(None)
        chosen.beats.setValue(120)
        self.assertEqual(self.scene.tempo.beats, 120)


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
        self.idle(120)
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
