"""The order of the packages, the rooms of the application, and no circles: read from all imports,
those inside functions and behind TYPE_CHECKING too."""

from __future__ import annotations

import ast
import gc
import re
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Iterator
from functools import cache
from pathlib import Path

PACKAGE = Path(__file__).parents[1] / "glyphos"
GROUND = (
    "errors",
    "caches",
    "files",
    "held",
    "beside",
    "processes",
    "progress",
    "remembered",
    "rates",
    "tables",
    "native",
    "filters",
    "loudness",
    "data",
)  # whoever may use them
ORDER = (*GROUND, "hands", "speech", "voice", "motion", "characters", "stage", "scene", "production",
         "booth", "proof", "handoff", "batch", "live", "app", "cli", "__main__")  # fmt: skip
ROOMS = (
    "sound",
    "drawing",
    "model",
    "page",
    "dialogs",
    "panels",
    "pages",
    "shell",
    "compose",
    "main",
)
LONGEST = 400
TAKEN = re.compile(r"(?<!\bself)(?<!\bcls)\._(?!_)|\bimport\b.*\b_(?!_)|\bimport\s*\(")


@cache
def tree(path: Path) -> ast.Module:
    """A file as it is written; read once for all tests."""
    gc.disable()  # a tree is no rubbish, and looking it through takes longer than growing it
    try:
        return ast.parse(path.read_text(encoding="utf-8"))
    finally:
        gc.enable()


@cache
def nodes(path: Path) -> tuple[ast.AST, ...]:
    """What is written in a file that takes something private of another; nothing where none can be meant."""
    if not TAKEN.search(path.read_text(encoding="utf-8")):
        return ()
    kinds = (ast.Import, ast.ImportFrom, ast.Attribute, ast.Name, ast.FunctionDef, ast.ClassDef)
    return tuple(node for node in ast.walk(tree(path)) if isinstance(node, kinds))


def statements(node: ast.AST) -> Iterator[ast.AST]:
    """Those of a file, inner ones as well, without what they are made of: imports are among them."""
    for name in ("body", "orelse", "finalbody", "handlers", "cases"):
        held = getattr(node, name, ())
        for inner in held if isinstance(held, list) else ():
            yield inner
            yield from statements(inner)


@cache
def modules() -> dict[str, Path]:
    """Every module by its dotted name."""
    found = {}
    for path in PACKAGE.rglob("*.py"):
        parts = ("glyphos", *path.relative_to(PACKAGE).with_suffix("").parts)
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imports(path: Path) -> set[str]:
    """Modules of ours that a file imports, relative names resolved."""
    here = ("glyphos", *path.relative_to(PACKAGE).parent.parts)
    names: set[str] = set()
    for node in statements(tree(path)):
        if isinstance(node, ast.Import):
            names |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = here[: len(here) - node.level + 1] if node.level else ()
            stem = ".".join((*base, *([node.module] if node.module else [])))
            inner = {f"{stem}.{a.name}" for a in node.names}
            names |= {n for n in inner if n in modules()} or {stem}
    return {n for n in names if n in modules()}


@cache
def graph() -> dict[str, set[str]]:
    return {name: imports(path) - {name} for name, path in modules().items()}


def place(name: str, order: tuple[str, ...], depth: int) -> int:
    return order.index(name.split(".")[depth])


class Structure(unittest.TestCase):
    def test_every_package_has_its_place_and_imports_only_what_stands_before_it(self) -> None:
        for name, used in graph().items():
            for other in used if name != "glyphos" else ():
                if other == "glyphos":
                    continue
                self.assertLessEqual(
                    place(other, ORDER, 1), place(name, ORDER, 1), f"{name}: {other}"
                )

    def test_the_rooms_of_the_application_stand_in_order_too(self) -> None:
        rooms = {n for n in graph() if n.startswith("glyphos.app.")}
        for name in rooms:
            for other in graph()[name] & rooms:
                self.assertLessEqual(
                    place(other, ROOMS, 2), place(name, ROOMS, 2), f"{name}: {other}"
                )

    def test_pages_do_not_know_each_other_nor_the_window(self) -> None:
        pages = [n for n in graph() if n.startswith("glyphos.app.pages.")]
        for name in pages:
            for other in graph()[name]:
                self.assertFalse(other.startswith("glyphos.app.shell"), f"{name}: {other}")
                if other.startswith("glyphos.app.pages."):
                    self.assertEqual(other.split(".")[3], name.split(".")[3], f"{name}: {other}")

    def test_there_is_no_circle(self) -> None:
        done: set[str] = set()

        def visit(name: str, way: tuple[str, ...]) -> None:
            self.assertNotIn(name, way, " → ".join((*way, name)))
            if name not in done:
                for other in sorted(graph()[name]):
                    visit(other, (*way, name))
                done.add(name)

        for name in graph():
            visit(name, ())

    def test_only_the_application_knows_qt(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            if "app" not in path.relative_to(PACKAGE).parts:
                self.assertNotIn("PySide6", path.read_text(encoding="utf-8"), path)

    def test_the_window_starts_without_what_only_computing_needs(self) -> None:
        """SciPy alone would add half a second to every start."""
        late = ("scipy", "PIL", "fpdf", "pandas", "rapidfuzz", "unittest", "multiprocessing", "glyphos.speech.listening",
                "glyphos.speech.script", "glyphos.batch.listening", "glyphos.production.adding", "glyphos.characters.models.gltf")  # fmt: skip
        code = (
            f"import sys, linecache, glyphos.app.compose; print(*(m for m in {late} if m in sys.modules), "
            "*(s for s in linecache.cache if 'glyphos' in s))"  # nor what is read as a text
        )
        ran = subprocess.run(
            [sys.executable, "-c", code],
            check=True,
            capture_output=True,
            text=True,
            cwd=PACKAGE.parent,
        )
        self.assertEqual(ran.stdout.strip(), "")

    def test_commands_and_workers_start_without_what_few_of_them_need(self) -> None:
        """SciPy's packages for signals and graphs would take longer than a short line takes."""
        late = ("scipy.signal", "scipy.special", "scipy.ndimage", "scipy.spatial", "scipy.linalg")
        clip = PACKAGE.parent / "tests" / "data" / "slt_hts-001.flac"
        with tempfile.TemporaryDirectory() as folder:
            done = ["perform", str(clip), "--life", "1", "-o", f"{folder}/line.json"]
            for code in (
                f"from glyphos.cli.main import command_line; command_line({done})({done}, standalone_mode=False)",
                "import glyphos.batch.task, glyphos.handoff.scenes",  # the latter where a hand waits for a choice
            ):
                code += f"; import sys; print(*(m for m in {late} if m in sys.modules))"
                ran = subprocess.run(
                    [sys.executable, "-c", code], check=True, capture_output=True, text=True
                )
                self.assertEqual(ran.stdout.strip(), "")
            self.assertTrue(Path(folder, "line.json").exists())

    def test_the_model_knows_no_widgets(self) -> None:
        for path in (PACKAGE / "app" / "model").glob("*.py"):
            self.assertNotIn("QtWidgets", path.read_text(encoding="utf-8"), path)

    def test_nobody_reaches_into_another_s_private_names(self) -> None:
        """Private attributes are used through `self` (or the class itself) only."""
        for path in (PACKAGE / "app").rglob("*.py"):
            for node in nodes(path):
                if (
                    isinstance(node, ast.Attribute)
                    and node.attr[0] == "_"
                    and node.attr[:2] != "__"
                ):
                    owner = node.value.id if isinstance(node.value, ast.Name) else ""
                    self.assertIn(owner, ("self", "cls"), f"{path}: {ast.unparse(node)}")

    def test_private_names_stay_in_their_module(self) -> None:
        """What begins with an underscore is used where it is defined, in the core as well."""
        for path in PACKAGE.rglob("*.py"):
            every = nodes(path)
            own = {n.name for n in every if isinstance(n, (ast.FunctionDef, ast.ClassDef))}
            own |= {
                n.attr
                for n in every
                if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Store)
            }
            own |= {n.id for n in every if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
            for node in every:
                if isinstance(node, ast.ImportFrom):
                    taken = [a.name for a in node.names]
                elif isinstance(node, ast.Attribute):
                    owner = node.value.id if isinstance(node.value, ast.Name) else ""
                    taken = [] if owner in ("self", "cls") else [node.attr]
                else:
                    continue
                for name in taken:
                    private = name[0] == "_" and name[:2] != "__"
                    self.assertFalse(private and name not in own, f"{path}: {name}")

    def test_modules_are_of_one_idea(self) -> None:
        sizes = {
            p.name: len(p.read_text(encoding="utf-8").splitlines())
            for p in (PACKAGE / "app").rglob("*.py")
        }
        self.assertLessEqual(max(sizes.values()), LONGEST)
        self.assertLess(sizes["window.py"], LONGEST / 2)
