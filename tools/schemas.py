"""Write the JSON Schemas of every document: `python tools/schemas.py [FOLDER]`."""

from __future__ import annotations

import sys
from pathlib import Path

import msgspec

from glyphos.characters.drawings.documents import Drawings
from glyphos.characters.fittings import Fitting
from glyphos.production.documents import Character, Header, Line
from glyphos.proof.recording_check import RecordingCheck
from glyphos.scene.documents import Scene
from glyphos.speech.reading import Reading

DOCUMENTS = {
    "reading": Reading, "line": Line, "production": Header, "recording-check": RecordingCheck,
    "character": Character, "fitting": Fitting, "drawings": Drawings, "scene": Scene,
}  # fmt: skip


def schemas() -> dict[str, bytes]:
    """Each document's schema as indented JSON, by file name."""
    return {
        f"{name}.json": msgspec.json.format(
            msgspec.json.encode(msgspec.json.schema(kind)), indent=1
        )
        + b"\n"
        for name, kind in DOCUMENTS.items()
    }


def main() -> None:
    folder = (
        Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parents[1] / "docs" / "schemas"
    )
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in schemas().items():
        (folder / name).write_bytes(data)


if __name__ == "__main__":
    main()
