"""Where windows of tests find the demo, as they want it."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from functools import cache
from pathlib import Path

import msgspec

from glyphos.production.demo import copy_demo
from glyphos.production.store import Store


@cache
def template(lively: bool, drawn: bool, long: bool) -> Path:
    """The demo as most tests want it, made once; kept as long as the tests run.

    lively: whether faces live, or do nothing but speak; drawn: whether Osric speaks in drawings; long: whether
    the line of two minutes is there, and the scene with it.
    """
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    made = copy_demo(Path(folder.name) / "hollow-hill.glyphos")
    if not lively:
        speech_alone(made)
    if not long:
        store = Store.open(made)
        store.keep(store.production.without(["07-mabel-night-log"]))
        store.close()
        shutil.rmtree(made / "scenes")
    if not drawn:
        (made / "characters" / "osric-drawn.json").unlink()
    return made


@cache
def _places() -> Path:
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    return Path(folder.name)


def place() -> Path:
    """An empty folder, the same for all tests: what a window knows of the demo's files it knows in the next test, too,
    as one knows them that a person opens again."""
    folder = _places() / "test"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    return folder


def speech_alone(production: Path) -> None:
    """A production whose faces do nothing but speak."""
    for path in (production / "lines").glob("*.json"):
        line = msgspec.json.decode(path.read_bytes())
        for name in ("life", "moods", "recorded", "touches", "happenings"):
            line.pop(name, None)
        path.write_bytes(msgspec.json.format(msgspec.json.encode(line)))
    shutil.rmtree(production / "layers")
