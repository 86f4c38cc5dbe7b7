"""Heads in the window: the face on the stage, the Characters page, what a person does to a fitting."""

from __future__ import annotations

import hashlib
import threading
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import msgspec
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from glyphos.app.compose import make_window
from glyphos.app.sound.devices import SilentDevice
from glyphos.characters.dressing import Dressed
from glyphos.characters.fitting.landmarks import find_face
from glyphos.characters.fittings import decode_fitting
from glyphos.errors import ModelError
from glyphos.production.kinds import character_key
from glyphos.production.production import Production
from tests.app.harness import Answers
from tests.app.headed import DROPPED, Heads, model
from tests.characters.remade import own, plain, saved, without
from tests.patience import PATIENCE


class ThePage(Heads):
    looked_at = (
        "test_a_dropped_head_is_fitted_shown_and_given_to_a_speaker",
        "test_a_head_whose_mouth_was_not_found_is_looked_at_again_once_it_is_told",
    )

    def setUp(self) -> None:
        super().setUp()
        self.do("page-characters")

    def add(self) -> None:
        self.drop(model())
        self.wait(lambda: self.context.dresses.latest(self.characters.character) is not None)
        self.wait(lambda: self.characters.pairs.count() == 13)
        self.idle()

    def found(self) -> str:
        box = self.characters.findings
        return "\n".join(box.item(k).text() for k in range(box.count()))

    def choose(self, gesture: str) -> None:
        pairs = self.characters.pairs
        for k in range(pairs.count()):
            if pairs.item(k).data(Qt.ItemDataRole.UserRole).gesture == gesture:
                pairs.setCurrentRow(k)
        self.idle()

    @property
    def kept(self):  # type: ignore[no-untyped-def]
        return self.characters.edits.find("porter")

    def test_our_own_heads_are_the_cast_until_another_is_given(self) -> None:
        names = [self.characters.cast.list.item(k).text().split("\n")[0] for k in range(3)]
        self.assertEqual(names, ["Mabel", "Osric", "Pip"])
        self.assertFalse(self.window.lines.isVisible())
        self.seen(self.characters.head)
        self.do("page-score")
        self.assertTrue(self.window.lines.isVisible())

    def test_a_dropped_head_is_fitted_shown_and_given_to_a_speaker(self) -> None:
        self.add()
        self.assertIn("found their gesture by name and by shape", self.found())
        self.assertIn("lips press", self.found())
        self.assertTrue(self.characters.pairs.item(0).data(Qt.ItemDataRole.UserRole).doubtful)
        self.wait(
            lambda: all(
                self.characters.pairs.item(k).data(Qt.ItemDataRole.UserRole + 1)[1]
                for k in range(13)
            )
        )
        self.characters.cast.speaker.setCurrentText("Osric")
        self.characters.give()
        self.assertEqual(self.document.production.character_for("OSRIC ").slug, "porter")
        self.do("undo")
        self.assertEqual(self.document.production.character_for("Osric").slug, "osric")
        self.do("undo")
        self.assertIsNone(self.kept)

    def test_it_is_kept_and_opens_again(self) -> None:
        self.add()
        self.characters.cast.speaker.setCurrentText("Mabel")
        self.characters.give()
        self.document.flush()
        again = Production.open(self.production)
        self.assertEqual(again.character_for("mabel").name, "porter")
        self.assertEqual(Path(again.model_path(again.character_for("mabel"))), model())
        self.do("page-score")
        self.show("01-mabel-beam")
        self.wait(
            lambda: (
                "porter" in self.face.head._asks[0].model and bool(self.face.head._asks[0].weights)
            )
        )

    def test_a_head_that_was_measured_is_known_in_the_next_production(self) -> None:
        self.add()
        found = self.context.dresses.dressed(self.kept)
        self.assertTrue(self.window.productions.let_go())
        self.open(self.production)
        self.assertIs(self.context.dresses.dressed(self.kept), found)

    def test_a_head_whose_mouth_was_not_found_is_looked_at_again_once_it_is_told(self) -> None:
        def told(stack: Any, at: Any = None) -> Any:
            if at is None:
                raise ModelError("No mouth was found on this head.")
            return find_face(stack, at)

        mine = self.folder / "porter.glb"
        mine.write_bytes(model().read_bytes())
        with mock.patch("glyphos.characters.dressing.find_face", told):
            self.drop(mine)
            self.wait(lambda: "No mouth was found" in self.found())
            kept, head = self.kept, self.characters.head
            self.seen(head)  # as it is, so that it can be pointed to
            self.do("point-mouth")
            self.assertIn("Click between the lips", self.status)
            at = QPoint(head.width() // 2, int(head.height() * 0.6))
            QTest.mouseClick(head, Qt.MouseButton.LeftButton, pos=at)
            self.idle()
            self.assertIsNotNone(self.kept.fitting.mouth)
            self.wait(lambda: self.context.dresses.dressed(self.kept) is not None)
        dresses, found = self.context.dresses, self.context.dresses.dressed(self.kept)
        self.assertEqual(dresses.problem(self.kept), "")
        self.assertNotEqual(dresses.problem(kept), "")
        with mock.patch("glyphos.characters.dressing.find_face", side_effect=ModelError("None.")):
            self.characters.edits.refit("Point", self.kept, mouth=(9.0, 9.0, 9.0))
            self.wait(lambda: dresses.problem(self.kept))
        self.assertIs(dresses.bare(self.kept), found.head)  # to be pointed to once more

    def test_two_who_wear_one_model_each_wear_it_in_their_own_way(self) -> None:
        self.add()
        dresses, kept, made = self.context.dresses, self.kept, []
        dresses.dressed_ready.connect(made.append)
        self.addCleanup(dresses.dressed_ready.disconnect, made.append)
        own = msgspec.structs.replace(kept.fitting, never=("jaw_open",))
        twin = msgspec.structs.replace(kept, slug="twin", name="Twin", fitting=own)
        self.assertIsNone(dresses.latest(twin))  # nothing that is the other's
        for _ in range(3):  # as every moment of playing asks
            dresses.dressed(kept), dresses.dressed(twin)
            self.idle()
        self.assertEqual(dresses.dressed(kept).fitting, kept.fitting)
        self.assertEqual(dresses.dressed(twin).fitting, own)
        self.assertIs(dresses.dressed(twin).head, dresses.dressed(kept).head)  # read once
        self.assertEqual(made, ["twin"])

    def test_a_foreign_head_is_found_while_it_is_asked_for_again_and_again(self) -> None:
        """As every tick of playing does: what is under way is not begun anew."""
        self.add()
        self.characters.cast.speaker.setCurrentText("Mabel")
        self.characters.give()
        self.do("page-score")
        self.show("01-mabel-beam")
        self.change_line(
            "Other delivery", delivery=msgspec.structs.replace(self.line.delivery, articulation=1.3)
        )
        begun = []
        submit = self.jobs.submit
        with mock.patch.object(
            self.jobs,
            "submit",
            side_effect=lambda *a, **k: begun.append(k.get("name")) or submit(*a, **k),
        ):
            end = time.monotonic() + PATIENCE
            while (
                self.context.dresses.dress(self.kept, self.current.motion) is None
                and time.monotonic() < end
            ):
                self.window.show_moment()
                self.application.processEvents()
        self.assertLessEqual(begun.count("wear porter"), 2, begun)
        self.assertIn("porter", self.face.head._asks[0].model)

    def test_a_slider_moves_a_foreign_head_before_its_line_is_found(self) -> None:
        self.add()
        self.characters.cast.speaker.setCurrentText("Mabel")
        self.characters.give()
        self.do("page-score")
        self.show("01-mabel-beam")
        self.wait(lambda: self.face.head._asks and bool(self.face.head._asks[0].weights))
        self.transport.seek(float(self.current.motion.channel("jaw_open").argmax()) / 24)
        self.window.show_moment()
        self.idle()
        before = self.face.head._asks[0].weights["jaw_open"]
        with mock.patch.object(type(self.context.dresses), "dress", return_value=None):
            self.delivery.sliders["jaw_reach"].setValue(30)
            self.wait(
                lambda: abs(self.face.head._asks[0].weights.get("jaw_open", 0) - before) > 0.1
            )
        self.idle()

    def test_what_is_wanted_while_a_moment_is_found_is_shown_afterwards(self) -> None:
        """The last place of a slider is seen, however slow the head is to follow."""
        self.add()
        self.characters.cast.speaker.setCurrentText("Mabel")
        self.characters.give()
        self.do("page-score")
        self.show("01-mabel-beam")
        self.idle()
        self.transport.seek(float(self.current.motion.channel("jaw_open").argmax()) / 24)
        found, gate = Dressed.weights_for, threading.Event()
        self.addCleanup(gate.set)
        with (
            mock.patch.object(type(self.context.dresses), "dress", return_value=None),
            mock.patch.object(
                Dressed, "weights_for", lambda *a: (gate.wait(PATIENCE), found(*a))[1]
            ),
        ):
            for value in (40, 30):
                self.delivery.sliders["jaw_reach"].setValue(value)
            gate.set()
            self.wait(lambda: self.jobs.find("moment") is None and not self.jobs.running)
        dressed = self.context.dresses.latest(self.kept)
        motion = self.current.motion
        wanted = found(dressed, motion.at(self.transport.position()))["jaw_open"]
        self.assertAlmostEqual(self.face.head._asks[0].weights["jaw_open"], wanted, places=3)

    def test_a_gesture_is_worn_by_hand_and_as_found_again(self) -> None:
        self.add()
        self.choose("lips_press")
        details = self.characters.gesture
        details.set_by_hand.emit({"lips_wide": 0.4})
        self.idle()
        self.assertEqual(self.kept.fitting.by_hand, {"lips_press": {"lips_wide": 0.4}})
        self.assertEqual(list(details.amounts), ["lips_wide"])
        details.amounts["lips_wide"].slider.setValue(70)
        self.idle()
        self.assertEqual(self.kept.fitting.by_hand["lips_press"], {"lips_wide": 0.7})
        self.assertIn("Fit lips press by hand", self.names())
        details.as_found.click()
        self.idle()
        self.assertEqual(self.kept.fitting.by_hand, {})

    def test_limits_ranges_strength_and_channels_left_alone(self) -> None:
        self.add()
        channel = self.characters.channel
        channel.channel.setCurrentText("jaw_open")
        channel.limit_set.emit("jaw_open", 0.5)
        channel.range_set.emit("jaw_open", (0.0, 100.0))
        channel.never_set.emit("lips_wide", True)
        self.choose("jaw_open")
        self.characters.gesture.strength_set.emit(0.8)
        self.idle()
        fitting = self.kept.fitting
        self.assertEqual(
            (fitting.limits, fitting.ranges), ({"jaw_open": 0.5}, {"jaw_open": (0.0, 100.0)})
        )
        self.assertEqual((fitting.never, fitting.strength), (("lips_wide",), {"jaw_open": 0.8}))
        dress = self.context.dresses.latest(self.kept).wear(self.current.motion)
        self.assertLessEqual(dress.values[:, dress.channels.index("jaw_open")].max(), 50.0 + 1e-6)
        channel.limit_set.emit("jaw_open", 1.0)
        self.idle()
        self.assertEqual(self.kept.fitting.limits, {})

    def test_one_of_our_heads_can_be_limited_and_its_speaker_follows(self) -> None:
        self.characters.choose("pip")
        self.wait(lambda: self.context.dresses.latest(self.characters.character) is not None)
        self.characters.channel.channel.setCurrentText("jaw_open")
        self.characters.channel.limit_set.emit("jaw_open", 0.2)
        self.idle()
        kept = self.document.production.character_for("Pip")
        self.assertEqual(kept.fitting.limits, {"jaw_open": 0.2})
        self.do("page-score")
        self.show("03-pip-wind")
        self.transport.seek(float(self.current.motion.channel("jaw_open").argmax()) / 24)
        self.window.show_moment()
        self.wait(lambda: bool(self.face.head._asks[0].weights))
        self.assertLessEqual(self.face.head._asks[0].weights["jaw_open"], 0.2 + 1e-6)
        self.do("undo")
        self.assertEqual(self.document.production.characters, ())

    def test_sounds_the_worst_frame_and_our_head_beside_it(self) -> None:
        self.add()
        page = self.characters
        page.pose.setCurrentIndex(page.pose.findData("u"))
        page.pose.activated.emit(page.pose.currentIndex())
        self.wait(
            lambda: page.head._asks and page.head._asks[-1].weights.get("lips_round", 0) > 0.5
        )
        page.ours.setChecked(True)
        self.wait(lambda: len(page.head._asks) == 2)
        self.idle()
        self.wait(
            lambda: self.context.dresses.dress(page.character, self.current.motion) is not None
        )
        self.do("worst-frame")
        self.assertIn("lips", self.status)

    def test_the_mouth_is_pointed_to_by_a_click(self) -> None:
        self.add()
        self.characters.head.set_view("mouth")
        self.do("point-mouth")
        self.assertIn("Click between the lips", self.status)
        head = self.characters.head
        QTest.mouseClick(
            head,
            Qt.MouseButton.LeftButton,
            pos=QPoint(head.width() // 2, int(head.height() * 0.45)),
        )
        self.idle()
        found = self.context.dresses.latest(self.kept).framing[:3]
        self.assertIsNotNone(self.kept.fitting.mouth)
        away = sum((a - b) ** 2 for a, b in zip(self.kept.fitting.mouth, found, strict=True)) ** 0.5
        self.assertLess(away, 0.03)  # metres, beside the middle of the mouth
        self.do("undo")
        self.assertIsNone(self.kept.fitting.mouth)
        self.characters.choose("pip")
        self.idle()
        self.do("point-mouth")
        self.assertIn("says where its mouth is", self.status)

    def test_a_fitting_goes_to_a_file_and_comes_from_one(self) -> None:
        self.add()
        self.characters.channel.limit_set.emit("jaw_open", 0.5)
        self.idle()
        file = self.folder / "fitting.json"
        self.answers.given = [(file, "")]
        self.do("export-fitting")
        fitting = decode_fitting(file.read_bytes(), file.name)
        self.assertEqual(fitting.limits, {"jaw_open": 0.5})
        self.assertEqual((file.parent / fitting.model).resolve(), model())
        self.characters.channel.limit_set.emit("jaw_open", 1.0)
        self.idle()
        self.answers.given = [[file]]
        self.do("import-fitting")
        self.assertEqual(self.kept.fitting.limits, {"jaw_open": 0.5})
        bad = self.folder / "bad.json"
        bad.write_text("{")
        self.answers.given = [[bad]]
        self.do("import-fitting")
        self.assertIn("not a fitting", self.status)

    def test_a_model_that_changed_on_disk_is_followed_and_it_is_said(self) -> None:
        mine = self.folder / "porter.glb"
        mine.write_bytes(model().read_bytes())
        with mock.patch(f"{__name__}.model", return_value=mine):
            self.add()
        self.characters.channel.limit_set.emit("jaw_open", 0.5)
        self.idle()
        mine.write_bytes(
            mine.read_bytes()
            .replace(b'"jaw_open"', b'"jawOpened"', 1)
            .replace(b'"jaw_open"', b'"jawOpened"')
        )
        renamed = saved(renamed_jaw(), mine)
        self.assertEqual(renamed, mine)
        self.characters.enter()
        self.wait(lambda: "changed since" in self.status)
        self.assertEqual(self.kept.fitting.limits, {"jaw_opened": 0.5})

    def test_the_window_looks_through_no_models(self) -> None:
        """A file of a hundred megabytes takes a while: that is done beside it."""
        mine, where = self.folder / "porter.glb", set()
        mine.write_bytes(model().read_bytes())

        def digest(data: bytes) -> Any:
            where.add(threading.current_thread() is threading.main_thread())
            return hashlib.sha256(data)

        with mock.patch("glyphos.characters.fittings.hashlib", mock.Mock(sha256=digest)):
            with mock.patch(f"{__name__}.model", return_value=mine):
                self.add()
            self.characters.enter()
            self.idle()  # what is still looked for would be told in the next test, where the folder is gone
        self.assertEqual(where, {False})

    def test_bad_models_say_so_and_leave_everything(self) -> None:
        bad = self.folder / "bad.glb"
        bad.write_bytes(b"nothing")
        self.drop(bad)
        self.assertIn("not a glTF file", self.status)
        self.assertEqual(self.document.production.characters, ())
        faceless = saved(without(own("pip"), *own("pip").targets), self.folder / "still.glb")
        self.drop(faceless)
        self.wait(lambda: "cannot be used" in self.characters.model_label.text())
        self.assertIn("Nothing of still.glb moves", self.found())
        self.do("undo")
        self.assertEqual(self.document.production.characters, ())

    def test_keys_names_and_a_document_of_its_own(self) -> None:
        for widget in (
            self.characters.head,
            self.characters.pairs,
            self.characters.findings,
            self.characters.cast.list,
        ):
            self.assertTrue(widget.accessibleName())
            self.assertNotEqual(widget.focusPolicy(), Qt.FocusPolicy.NoFocus)
        self.add()
        self.document.flush()
        path = self.production / "characters" / "porter.json"
        self.assertTrue(path.read_text().startswith('{\n "format": "glyphos-character"'))
        self.assertIn(character_key("porter"), self.document.production.values)
        self.assertTrue(callable(make_window) and SilentDevice and Answers)


def renamed_jaw():  # type: ignore[no-untyped-def]
    from dataclasses import replace

    head = plain(without(own("osric"), *DROPPED))
    new = {"jaw_open": "jaw_opened"}
    pieces = tuple(
        replace(p, shapes={new.get(n, n): s for n, s in p.shapes.items()}) for p in head.pieces
    )
    return replace(head, pieces=pieces, targets=tuple(new.get(t, t) for t in head.targets))


if __name__ == "__main__":
    unittest.main()
