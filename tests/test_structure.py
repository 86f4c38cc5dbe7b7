"""The flow of the packages, read from their imports."""

from __future__ import annotations

import ast
import unittest
from pathlib import Path

PACKAGE = Path(__file__).parents[1] / "glyphos"
ORDER = ["speech", "motion", "characters", "production", "handoff"]


def imports(path: Path) -> set[str]:
    """Absolute names of the modules that a file imports, relative ones resolved."""
    here = ("glyphos", *path.relative_to(PACKAGE).parent.parts)
    names: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            names |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = here[: len(here) - node.level + 1] if node.level else ()
            stem = ".".join((*base, *([node.module] if node.module else [])))
            names |= {stem} | {f"{stem}.{a.name}" for a in node.names}
    return names


class Directions(unittest.TestCase):
    def test_steps_import_only_what_stands_before_them(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            step = path.relative_to(PACKAGE).parts[0]
            for name in imports(path):
                parts = name.split(".")
                other = parts[1] if parts[0] == "glyphos" and len(parts) > 1 else ""
                if step != "app" and step != "cli.py":
                    self.assertNotEqual(other, "app", path)
                if step in ORDER[:3] and other in ORDER:
                    self.assertLessEqual(ORDER.index(other), ORDER.index(step), f"{path}: {name}")

    def test_only_the_application_knows_qt(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            if "app" not in path.relative_to(PACKAGE).parts:
                self.assertFalse({n for n in imports(path) if n.startswith("PySide6")}, path)
