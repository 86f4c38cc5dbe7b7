"""The demo production that ships with the application, always opened as a copy."""

from __future__ import annotations

import shutil
import tempfile
from importlib.resources import as_file, files
from pathlib import Path


def copy_demo(target: Path | None = None) -> Path:
    """Copy the demo production to `target` or a new temporary folder; returns its folder."""
    if target is None:
        target = Path(tempfile.mkdtemp(prefix="glyphos-demo-")) / "hollow-hill.glyphos"
    with as_file(files("glyphos.data") / "demo" / "hollow-hill.glyphos") as source:
        shutil.copytree(source, target)
    return target
