"""Proof in the window: found in the line that is shown, gone to, accepted with a reason that is kept."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import msgspec
from PySide6.QtCore import Qt

from glyphos.app.panels.lines.model import PROOF_ROLE
from glyphos.batch.recipe import Recipe
from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from tests.app.harness import WindowCase
from tests.faults import late


class Proofing(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.proof = self.page.proof
        self.show("03-pip-wind")
        line = msgspec.structs.replace(self.line, script="Probably the rain, Osric.")
        self.document.change("x", {line_key(line.slug): line})
        self.proof.wanted.emit()
        self.wait(lambda: self.proof.findings)

    def test_a_line_that_was_not_looked_through_is_not_said_to_be_done(self) -> None:
        line = msgspec.structs.replace(self.line, script="Probably the wine, Osric.")
        self.document.change("y", {line_key(line.slug): line})
        self.transport.seek(0.0)
        self.window.commands.do("proof-next")
        self.assertNotIn("Nothing is left", self.status)
        self.wait(lambda: self.context.proofing.of(line.slug) is not None)
        (finding,) = self.proof.findings
        self.assertIn("“wine” where", finding.text)
        self.assertAlmostEqual(self.transport.position(), finding.start, places=3)
        self.show("01-mabel-beam")  # where there is nothing: on to the line that has something
        self.window.commands.do("proof-next")
        self.assertNotIn("Nothing is left", self.status)
        self.wait(lambda: self.selection.slug == "03-pip-wind")
        self.assertAlmostEqual(self.transport.position(), finding.start, places=3)

    def test_a_finding_is_gone_to(self) -> None:
        self.assertTrue(self.proof.isVisible())
        (finding,) = self.proof.findings
        self.assertEqual(finding.check, "script-disagrees")
        self.assertIn("“rain” where “wind”", self.proof.list.item(0).text())
        self.window.commands.do("proof-next")
        self.assertAlmostEqual(self.transport.position(), finding.start, places=3)
        part = self.selection.part
        assert part is not None
        self.assertEqual(self.current.flat.words[part.number].text, "wind")

    def test_accepted_with_a_reason_it_stays_so_until_that_is_taken_back(self) -> None:
        self.proof.list.setCurrentRow(0)
        self.answers.given = ["a slip of the tongue that we keep"]
        self.window.commands.do("proof-accept")
        self.wait(lambda: self.proof.findings and self.proof.findings[0].accepted)
        self.assertIn("0 findings, 1 accepted", self.proof.said.text())
        self.proof.list.setCurrentRow(0)
        self.assertEqual(self.ambiguous(), set())
        self.assertEqual(self.document.flush(), "")
        kept = Production.open(self.production).line("03-pip-wind").accepted
        self.assertEqual(kept[0].reason, "a slip of the tongue that we keep")
        self.window.commands.do("proof-next")
        self.assertIn("Nothing is left", self.status)
        self.window.commands.do("undo")
        self.wait(lambda: self.proof.findings and not self.proof.findings[0].accepted)
        self.window.commands.do("redo")
        self.wait(lambda: self.proof.findings and self.proof.findings[0].accepted)
        self.proof.list.setCurrentRow(0)
        self.window.commands.do("proof-accept")
        self.wait(lambda: not self.proof.findings[0].accepted)

    def test_another_line_is_looked_through_and_a_mended_one_has_nothing(self) -> None:
        line = msgspec.structs.replace(self.line, script="Probably the wind, Osric.")
        self.document.change("mend", {line_key(line.slug): line})
        self.wait(lambda: "Nothing is found" in self.proof.said.text())
        self.show("02-osric-door")
        self.wait(lambda: self.proof.findings)
        self.assertIn("has not been listened to", self.proof.list.item(0).text())

    def test_a_line_never_shows_or_changes_what_was_found_in_another(self) -> None:
        (finding,) = self.proof.findings
        told: list[object] = []
        self.proof.marks_changed.connect(lambda found: told.extend(found))
        before = self.document.kept_line(finding.line)
        with late("glyphos.batch.proofs.looked") as gate:
            self.selection.show("02-osric-door")
            self.application.processEvents()
            self.assertEqual((self.proof.findings, self.proof.list.count(), told), ([], 0, []))
            self.answers.given = ["no"]
            for name in ("proof-accept", "proof-mend"):
                self.window.commands.do(name)
                self.application.processEvents()
            self.assertEqual(self.answers.asked, [])
            gate.open()
            self.wait(lambda: self.proof.findings)
        self.assertIs(self.document.kept_line(finding.line), before)

    def test_what_was_found_in_a_line_before_it_was_changed_is_only_to_be_read(self) -> None:
        with late("glyphos.batch.proofs.looked") as gate:
            line = msgspec.structs.replace(self.line, speaker="Wren")
            self.document.change("name", {line_key(line.slug): line})
            self.assertEqual(self.proof.list.count(), 1)  # it does not flicker
            self.assertIn("Looking through", self.proof.said.text())
            self.assertFalse(
                self.proof.accept_button.isEnabled() or self.proof.mend_button.isEnabled()
            )
            for name in ("proof-accept", "proof-mend"):
                self.window.commands.do(name)
            self.assertIn("looked through", self.status)
            self.assertEqual(self.answers.asked, [])
            gate.open()
            self.wait(lambda: "1 finding" in self.proof.said.text())
        self.assertTrue(self.proof.accept_button.isEnabled())
        self.assertIs(self.line, line)

    def test_a_mend_is_one_step_after_which_the_finding_is_gone(self) -> None:
        steps = len(self.document.history.done)
        self.proof.list.setCurrentRow(0)
        self.window.commands.do("proof-mend")
        self.wait(lambda: "Mended" in self.status)
        self.assertEqual(len(self.document.history.done), steps + 1)
        self.wait(lambda: "Nothing is found" in self.proof.said.text())
        self.assertEqual([w.text for w in self.line.reading.words()], ["Probably", "the", "rain", "Osric"])  # fmt: skip
        self.window.commands.do("undo")
        self.wait(lambda: self.proof.findings)
        self.assertEqual(self.proof.findings[0].check, "script-disagrees")

    def test_a_mend_of_a_line_that_was_changed_meanwhile_is_sought_anew(self) -> None:
        """What takes time is applied to what it began with, or begun again."""
        with late("glyphos.batch.listening.listened") as gate:
            self.proof.list.setCurrentRow(0)
            self.window.commands.do("proof-mend")
            self.wait(gate.reached.is_set)
            line = msgspec.structs.replace(self.line, speaker="Wren")
            self.document.change("name", {line_key(line.slug): line})
            gate.open()
            self.wait(lambda: "Mended" in self.status)
        self.assertEqual(self.line.speaker, "Wren")

    def test_a_file_that_is_gone_is_handed_over_again(self) -> None:
        self.show("01-mabel-beam")
        with tempfile.TemporaryDirectory() as out:
            run = self.context.queue.start([self.line], Recipe(), Path(out))
            self.wait(lambda: not run.running)
            (file,) = Path(out).glob("*.csv")
            file.unlink()
            self.context.proofing.written([self.line.slug])
            self.wait(lambda: [f.check for f in self.proof.findings] == ["file-gone"])
            self.proof.list.setCurrentRow(0)
            self.assertTrue(self.proof.mend_button.isEnabled())
            self.window.commands.do("proof-mend")
            self.wait(lambda: "Nothing is found" in self.proof.said.text())
            self.assertIn("handed over again (1 file)", self.status)
            self.assertTrue(file.exists())

    def test_marks_stand_in_the_score_and_states_in_the_list(self) -> None:
        self.assertEqual(self.paper.marks, tuple(self.proof.findings))
        plain = self.picture(self.paper)
        model = self.window.lines.lines
        row = model.row("03-pip-wind")
        self.assertEqual(model.data(model.index(row), PROOF_ROLE), ("poor", 1))
        self.assertIn(
            "Proof: 1 poor", model.data(model.index(row), Qt.ItemDataRole.AccessibleTextRole)
        )
        mended = msgspec.structs.replace(self.line, script="Probably the wind, Osric.")
        self.document.change("mend", {line_key(self.line.slug): mended})
        self.assertIsNone(model.data(model.index(row), PROOF_ROLE))  # it is another line now
        self.wait(lambda: not self.paper.marks)
        self.assertEqual(model.data(model.index(row), PROOF_ROLE), ("", 0))
        self.assertNotEqual(plain, self.picture(self.paper))

    def test_all_lines_and_on_from_one_to_the_next(self) -> None:
        self.window.commands.do("proof-all")
        self.wait(lambda: "finding" in self.status)
        found = {x.slug: self.context.proofing.of(x.slug) for x in self.document.production.lines}
        self.assertNotIn(None, found.values())
        self.window.commands.do("proof-next")
        self.assertEqual(self.selection.slug, "03-pip-wind")
        self.window.commands.do("proof-next")
        self.assertNotEqual(self.selection.slug, "03-pip-wind")
        self.assertTrue(
            any(f.severity != "note" for f in self.context.proofing.open_in(self.selection.slug))
        )

    def test_a_scene_shows_which_of_its_lines_are_marked(self) -> None:
        self.window.commands.do("page-scene")
        self.selection.choose(("03-pip-wind", "05-mabel-hush"))
        self.window.commands.do("scene-new")
        page = self.window.pages["scene"]
        self.idle()
        clip = next(
            c
            for lane in page.paper.shown.scene.lanes
            for c in lane.clips
            if c.line == "03-pip-wind"
        )
        self.assertEqual(page.paper.shown.proof(clip), ("poor", 1))


if __name__ == "__main__":
    unittest.main()
