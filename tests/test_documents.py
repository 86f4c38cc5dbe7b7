"""Documents of the repository that must move with the code."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

import msgspec

from glyphos.motion.channels import channels
from glyphos.production.documents import Line
from glyphos.production.production import Production
from tools.schemas import schemas

ROOT = Path(__file__).parents[1]
DEMO = ROOT / "glyphos" / "data" / "demo" / "hollow-hill.glyphos"


class Documents(unittest.TestCase):
    def test_schemas_are_those_of_the_types(self) -> None:
        for name, data in schemas().items():
            self.assertEqual(
                (ROOT / "docs" / "schemas" / name).read_bytes(), data, "run tools/schemas.py"
            )

    def test_the_demo_is_what_the_current_version_would_write(self) -> None:
        production = Production.open(DEMO)
        for line in production.lines:
            again = msgspec.json.decode(
                (DEMO / "lines" / f"{line.slug}.json").read_bytes(), type=Line
            )
            self.assertEqual(again, line)

    def test_every_channel_is_described(self) -> None:
        text = (ROOT / "docs" / "formats.md").read_text(encoding="utf-8")
        for channel in channels():
            self.assertIn(f"`{channel.name}`", text)

    def test_links_of_the_documents_lead_somewhere(self) -> None:
        for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
            for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / target).exists(), f"{page.name}: {target}")

    def test_every_shortcut_of_the_guide_is_a_shortcut(self) -> None:
        from PySide6.QtGui import QKeySequence

        from tests.app.harness import make_application

        make_application()
        app = (ROOT / "glyphos" / "app").rglob("*.py")
        source = "".join(p.read_text(encoding="utf-8") for p in app)
        guide = (ROOT / "docs" / "guide.md").read_text(encoding="utf-8")
        for keys in re.findall(r"\((F\d+|Shift\+F\d+|Ctrl\+\w+)\)", guide):
            self.assertTrue(QKeySequence(keys).toString())
            self.assertIn(f'"{keys}"', source.replace(" Ctrl", '" "Ctrl'), keys)
