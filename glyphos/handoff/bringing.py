"""Scenes from files of others: timelines of editing programs, and plain tables of files, speakers and
beginnings."""

from __future__ import annotations

import re
from pathlib import Path

import msgspec

from ..errors import DocumentError, GlyphosError
from ..files import text_of
from ..production.documents import Line, slugify
from ..production.production import Production
from ..production.scenes import bed_brought_in
from ..rates import frame_rate
from ..scene.documents import LONGEST, LOUDEST, Clip, Lane, Scene, check_scene
from ..scene.made import placed
from ..speech.recording import probe
from ..tables import cells
from .brought import Brought, apart, by_file
from .timeline import from_otio

COLUMNS = {
    "file": ("file", "audio", "recording", "path", "name", "line"), "speaker": ("speaker", "character", "who", "lane", "track"),
    "start": ("start", "begin", "in", "time", "at", "seconds"), "length": ("length", "duration"), "end": ("end", "out"),
    "cut": ("cut", "offset", "trim"), "gain": ("gain", "level", "db"),
}  # fmt: skip
MOST_ROWS = 20_000


def scene_brought(path: Path, production: Production, *, name: str = "") -> Brought:
    """A scene of an .otio timeline or of a table; DocumentError, one sentence, for what is neither."""
    if path.suffix.lower() == ".otio":
        return from_otio(path, production, name=name)
    return from_table(path, production, name=name)


def from_table(path: Path, production: Production, *, name: str = "") -> Brought:
    """A scene of a table with a row a clip: file, speaker, start, and if wanted length or end, cut and gain.
    Files of lines become clips of those; other sounds are brought in and lie on a lane of that name."""
    rows, columns = _table(path)
    fps = float(frame_rate(production.header.fps))
    lines, said, sounds = by_file(production), list[str](), dict[Path, str]()
    own: dict[tuple[str, bool], list[Clip]] = {}
    for number, row in rows:
        try:
            lane, speaks, clip = _clip(row, columns, path.parent, production, lines, sounds, fps)
        except GlyphosError as error:
            said.append(f"Row {number} is left out: {error}")
            continue
        if not speaks and "speaker" in columns and row[columns["speaker"]].strip():
            said.append(
                f"{Path(clip.audio).name} is no line of the production and lies as a sound under the scene; add it as "
                "a line to let a face speak it."
            )
        own.setdefault((lane, speaks), []).append(clip)
    lanes = tuple(
        Lane(lane, tuple(layer), speaks) for (lane, speaks), clips in own.items() for layer in apart(clips)
    )  # fmt: skip
    if not lanes:
        raise DocumentError(
            f"Nothing in {path.name} can be placed in a scene: "
            + (" ".join(said[:3]) or "it has no rows.")
        )
    slug = slugify(name or path.stem, {s.slug for s in production.scenes})
    scene = Scene(slug, name or path.stem, lanes)
    scene = msgspec.structs.replace(scene, places=placed(scene.speakers))
    check_scene(scene)
    return Brought(scene, said)


def _table(path: Path) -> tuple[list[tuple[int, list[str]]], dict[str, int]]:
    """Rows with their numbers, and which column is what; without names they are file, speaker, start."""
    try:
        text = text_of(path.read_bytes(), path.name)
    except OSError:
        raise DocumentError(f"There is no file {path}; check its name.") from None
    first = text.lstrip().split("\n", 1)[0]
    mark = max("\t;,", key=first.count)
    table = [(n, r) for n, r in enumerate(cells(text, path.name, mark), 1) if any(c.strip() for c in r)]  # fmt: skip
    if len(table) > MOST_ROWS:
        raise DocumentError(f"{path.name} has more than {MOST_ROWS} rows.")
    names = [c.strip().lower() for c in table[0][1]] if table else []
    columns = {
        what: names.index(known) for what, spelt in COLUMNS.items() for known in spelt[::-1] if known in names
    }  # fmt: skip
    if "file" in columns and "start" in columns:
        return _whole(table[1:], max(columns.values()) + 1), columns
    if table and len(names) >= 3:
        return _whole(table, 3), {"file": 0, "speaker": 1, "start": 2}
    raise DocumentError(f"{path.name} should have columns file, speaker and start.")


def _whole(table: list[tuple[int, list[str]]], width: int) -> list[tuple[int, list[str]]]:
    return [(n, row + [""] * (width - len(row))) for n, row in table]


def _clip(
    row: list[str], columns: dict[str, int], folder: Path, production: Production, lines: dict[str, Line],
    sounds: dict[Path, str], fps: float,
) -> tuple[str, bool, Clip]:  # fmt: skip
    """Lane, whether it speaks, and the clip; GlyphosError says why there is none."""

    def cell(what: str) -> str:
        return row[columns[what]].strip() if what in columns else ""

    file, start = cell("file"), seconds_of(cell("start"), fps)
    if not file:
        raise DocumentError("it names no file.")
    path = (folder / file).resolve()
    line = lines.get(str(path)) or lines.get(path.name) or next((x for x in production.lines if x.slug == file), None)  # fmt: skip
    cut = seconds_of(cell("cut"), fps) if cell("cut") else 0.0
    whole = line.duration if line is not None else probe(path)
    length = whole - cut
    if cell("length"):
        length = seconds_of(cell("length"), fps)
    elif cell("end"):
        length = seconds_of(cell("end"), fps) - start
    if min(length, whole - cut) < 0.001 or not all(0 <= t <= LONGEST for t in (start, cut)):
        raise DocumentError(f"{file} has no length there, or lies beyond all bounds.")
    try:
        gain = float(cell("gain") or 0)
    except ValueError:
        raise DocumentError(f"“{cell('gain')}” is no level in dB.") from None
    clip = Clip(
        start, cut=cut, length=min(length, whole - cut), gain=min(max(gain, -90.0), LOUDEST)
    )
    if line is not None:
        return line.speaker, True, msgspec.structs.replace(clip, line=line.slug)
    if path not in sounds:
        sounds[path] = bed_brought_in(production.folder, path)
    return cell("speaker") or path.stem, False, msgspec.structs.replace(clip, audio=sounds[path])


def seconds_of(text: str, fps: float) -> float:
    """`12.5`, `1:02.5`, `0:01:02.5`, or a timecode with frames at its end: `00:01:02:12`."""
    found = re.fullmatch(
        r"(?:(?:(\d+):)?(\d+):)?(\d+(?:[.,]\d+)?)(?:[:;](\d+))?\s*s?", text.strip()
    )
    if found is None:
        raise DocumentError(f"“{text}” is no time; write seconds, or 0:12.5.")
    hours, minutes, rest, frames = found.groups()
    if frames is not None and hours is None:  # 1:02:03 is hours, not frames
        return 3600 * float(minutes or 0) + 60 * float(rest) + float(frames)
    made = 3600 * float(hours or 0) + 60 * float(minutes or 0) + float(rest.replace(",", "."))
    return made + (float(frames) / fps if frames is not None else 0.0)
