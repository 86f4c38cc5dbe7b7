"""Proof in the window: found in the line that is shown, gone to, accepted with a reason that is kept."""

from __future__ import annotations

import unittest

import msgspec

from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from tests.app.harness import WindowCase


class Proofing(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.proof = self.page.proof
        self.show("03-pip-wind")
        line = msgspec.structs.replace(self.line, script="Probably the rain, Osric.")
        self.document.change("x", {line_key(line.slug): line})
        self.window.commands.do("proof-next")
        self.wait(lambda: self.proof.findings)

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


if __name__ == "__main__":
    unittest.main()
