"""Recorded curves beside what a line does by itself, in the real window."""

from __future__ import annotations

import unittest

import msgspec
import numpy as np
from PySide6.QtCore import Qt

from tests.app.lived import Living


class Recorded(Living):
    def setUp(self) -> None:
        super().setUp()
        self.recorded = self.page.recorded
        rows = ["seconds,brow_inner_raise,head_yaw"] + [
            f"{k / 10},0.8,{min(k, 20)}" for k in range(60)
        ]
        self.table = self.folder / "take one.csv"
        self.table.write_text("\n".join(rows))

    def lay_on(self) -> None:
        self.answers.given = [[self.table]]
        self.recorded.add_button.click()
        self.made()

    def test_a_table_is_laid_on_moved_made_weaker_and_taken_off(self) -> None:
        self.lay_on()
        self.assertEqual(self.line.recorded[0].file, "layers/take-one.csv")
        self.assertTrue((self.production / "layers" / "take-one.csv").is_file())
        self.assertAlmostEqual(float(self.channel("brow_inner_raise")[24]), 0.8, places=3)
        self.recorded.strength.setValue(50)
        self.made()
        self.assertAlmostEqual(float(self.channel("brow_inner_raise")[24]), 0.4, places=3)
        self.recorded.offset.setValue(2.0)
        self.made()
        self.assertEqual(float(self.channel("brow_inner_raise")[24]), 0.0)
        self.recorded.regions.setCurrentText("the head alone")
        self.recorded.regions.activated.emit(1)
        self.made()
        self.assertNotIn("brow_inner_raise", self.living.motion.names)
        own = msgspec.structs.replace(self.line.recorded[0], regions=("brows", "gaze"))
        self.change_line("Elsewhere", recorded=(own,))
        self.assertEqual(
            (self.recorded.regions.currentText(), self.recorded.regions.placeholderText()),
            ("", "brows · gaze"),
        )
        self.do("undo")
        self.assertEqual(self.recorded.regions.currentText(), "the head alone")
        self.recorded.list.item(0).setCheckState(Qt.CheckState.Unchecked)
        self.made()
        self.assertIs(self.living.motion, self.current.motion)
        self.recorded.remove.click()
        self.assertEqual(self.line.recorded, ())
        while self.document.history.done:
            self.document.undo()
        self.made()
        self.assertEqual(self.line.recorded, ())

    def test_its_rest_is_where_the_playhead_says_and_it_is_smoothed(self) -> None:
        rows = (f"{k / 30},{10 * np.sin(k / 9) + 2 * np.sin(2.1 * k):.3f}" for k in range(240))
        self.table.write_text("\n".join(("seconds,head_yaw", *rows)))
        self.lay_on()
        at = self.transport.position()
        own = self.channel("head_yaw").copy()
        self.transport.seek(1.0)
        self.recorded.zero.click()
        self.made()
        self.assertAlmostEqual(self.line.recorded[0].zero, 1.0, places=3)
        self.assertAlmostEqual(float(self.channel("head_yaw")[24]), 0.0, delta=0.05)
        self.assertAlmostEqual(
            float(self.channel("head_yaw")[30] - self.channel("head_yaw")[24]),
            float(own[30] - own[24]),
            delta=0.1,
        )
        self.recorded.zero.click()
        self.recorded.smoothing.setValue(2.0)
        self.made()
        self.assertIsNone(self.line.recorded[0].zero)
        self.assertLess(
            np.abs(np.diff(self.channel("head_yaw")[:150], 2)).max(),
            0.8 * np.abs(np.diff(own[:150], 2)).max(),
        )
        self.do("undo")
        self.made()
        np.testing.assert_array_equal(self.channel("head_yaw"), own)
        self.transport.seek(at)

    def test_each_layer_is_handed_over_by_itself_on_wish(self) -> None:
        self.lay_on()
        handoff = self.window.pages["handoff"]
        self.window.show_page("handoff")
        handoff.folder.setText(str(self.folder / "apart"))
        whole = handoff.list.count()
        handoff.apart.setChecked(True)
        names = [handoff.list.item(k).text() for k in range(handoff.list.count())]
        self.assertEqual(len(names), whole + 2)
        self.assertTrue(any("recorded alone" in n for n in names), names)
        handoff.write()
        self.idle()
        table = np.genfromtxt(
            self.folder / "apart" / "01-mabel-beam.recorded.curves.csv", delimiter=",", names=True
        )
        np.testing.assert_allclose(table["head_yaw"], self.channel("head_yaw"), atol=1e-5)
        self.assertEqual(float(np.abs(table["lips_round"]).max()), 0.0)

    def test_it_is_handed_over_comes_along_in_a_copy_and_is_missed_in_a_sentence(self) -> None:
        self.lay_on()
        table = self.handed_over()
        np.testing.assert_allclose(table["head_yaw"], self.channel("head_yaw"), atol=1e-5)
        self.window.productions.copy_to(self.folder / "copy")
        self.idle()
        self.assertTrue((self.folder / "copy.glyphos" / "layers" / "take-one.csv").is_file())
        (self.document.folder / "layers" / "take-one.csv").unlink()
        self.panel.on.click()
        self.made()
        self.assertIn("take-one.csv is not there", self.recorded.said.text())
        self.window.pages["handoff"].write()
        self.idle()
        self.assertIn("take-one.csv is not there", self.status)
        self.show("03-pip-wind")
        self.made()
        self.assertEqual(self.recorded.said.text(), "")

    def test_what_is_no_table_changes_nothing(self) -> None:
        self.table.write_text("time,qqq\n0,1\n1,1")
        self.lay_on()
        self.assertIn("None of the columns", self.status)
        self.assertEqual(self.line.recorded, ())
        self.assertFalse((self.production / "layers").exists())


class InDrawings(Living):
    in_drawings = True

    def test_drawn_eyes_blink(self) -> None:
        self.show("04-osric-boots")
        self.give()
        exposing = self.context.exposing
        self.wait(
            lambda: (
                exposing.sheet is not None
                and exposing.settled
                and len(exposing.sheet.parts["eyes"]) > 1
            )
        )
        blink = next(e for e in self.living.events if e.kind == "full")
        sheet = exposing.sheet
        shown = {
            sheet.states_at(round(blink.peak * 24) + k, sheet.drawings.views[0])["eyes"].name
            for k in (-1, 0, 1)
        }
        self.assertIn("eyes-closed", shown)


if __name__ == "__main__":
    unittest.main()
