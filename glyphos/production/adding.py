"""Bringing lines in: single recordings, whole folders with their texts, or a table.

A table is CSV with a header row: `file, speaker, language, text` (only `file` is needed).
Recordings are copied into the production as they are; a long one may be cut into several lines.
"""

from __future__ import annotations

import csv
import hashlib
import io
import os
import re
import shutil
import tempfile
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..errors import GlyphosError, SaveError, ScriptError
from ..files import reason
from ..speech.recording import probe
from ..speech.script import SPEAKER, decode_text, read_script_file
from .production import Line, Production, slugify

SOUND_ENDINGS = frozenset(
    ".wav .flac .ogg .oga .opus .mp3 .m4a .mp4 .webm .aac .aif .aiff .mov .mkv .wma .caf".split()
)
COLUMNS = ("file", "speaker", "language", "text")


@dataclass(frozen=True)
class Wanted:
    """A recording to become a line, with what is known of it."""

    path: Path
    speaker: str = ""
    language: str = ""
    text: str | None = None  # None: the .txt of the same name beside it, if any


@dataclass(frozen=True)
class Added:
    """The production with its new lines, and a sentence for every file left out."""

    production: Production
    slugs: tuple[str, ...]
    refused: tuple[str, ...]


def wanted_from(paths: Iterable[str | Path]) -> list[Wanted]:
    """Recordings named by files, folders (with all in them) and tables, in order."""
    found: list[Wanted] = []
    for path in map(Path, paths):
        if path.is_dir():
            inside = sorted(p for p in path.rglob("*") if p.suffix.lower() in SOUND_ENDINGS)
            found += [Wanted(p) for p in inside if not p.name.startswith(".")]
        elif path.suffix.lower() in (".csv", ".tsv"):
            found += read_table(path)
        elif path.suffix.lower() != ".txt":
            found.append(Wanted(path))
    return found


def read_table(path: str | Path) -> list[Wanted]:
    """Rows of a table of lines; ScriptError says which row or column is wrong."""
    path = Path(path)
    try:
        text = decode_text(path.read_bytes(), path.name)
    except OSError as error:
        raise ScriptError(f"{path} cannot be read: {reason(error)}.") from None
    first = text.splitlines()[0]
    delimiter = max(",;\t", key=first.count)
    rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    names = [cell.strip().lower() for cell in rows[0]]
    if "file" not in names:
        raise ScriptError(
            f"{path.name} has no column “file”; its first row should be: {', '.join(COLUMNS)}."
        )
    found = []
    for row in rows[1:]:
        cells = dict(zip(names, (c.strip() for c in row), strict=False))
        if cells.get("file"):
            recording = path.parent / cells["file"]
            found.append(
                Wanted(
                    recording,
                    cells.get("speaker", ""),
                    cells.get("language", ""),
                    cells.get("text") or None,
                )
            )
    return found


def add_lines(
    production: Production,
    wanted: Sequence[Wanted],
    *,
    copy: bool = True,
    progress: Callable[[float], None] | None = None,
) -> Added:
    """Make a line of every recording. A file that cannot be read is left out and told.

    copy: bring the recording into the production's `audio` folder; else it is used where it lies.
    """
    lines, refused = list(production.lines), []
    taken = {x.slug for x in lines}
    names = {Path(x.audio).name for x in lines}
    made = []
    for number, want in enumerate(wanted):
        if progress is not None:
            progress(number / len(wanted))
        try:
            line = _line(production, want, taken, names, copy)
        except SaveError:
            raise
        except GlyphosError as error:
            refused.append(str(error))
            continue
        taken.add(line.slug)
        made.append(line.slug)
        lines.append(line)
    from dataclasses import replace

    return Added(replace(production, lines=tuple(lines)), tuple(made), tuple(refused))


def _line(
    production: Production, want: Wanted, taken: set[str], names: set[str], copy: bool
) -> Line:
    duration = probe(want.path)
    text = want.text
    if text is None:
        beside = want.path.with_suffix(".txt")
        text = read_script_file(beside).strip() if beside.exists() else ""
    speaker, text = want.speaker, text
    named = SPEAKER.match(text)
    if not speaker and named and len(SPEAKER.findall(text)) == 1:
        speaker = named[1].title()
    audio = str(want.path.resolve())
    if copy:
        audio = f"audio/{bring_in(want.path, production.folder, names)}"
    return Line(
        slugify(want.path.stem, taken), audio, speaker, text,
        want.language or production.header.language, duration=duration, digest=digest(want.path),
    )  # fmt: skip


def bring_in(source: Path, folder: Path, names: set[str]) -> str:
    """Copy a recording into the production's `audio`, whole or not at all; returns its name."""
    target = folder / "audio"
    stem, number, name = source.stem, 2, source.name
    while name in names or (target / name).exists():
        if (target / name).exists() and os.path.samefile(target / name, source):
            names.add(name)
            return name
        name, number = f"{stem}-{number}{source.suffix}", number + 1
    try:
        target.mkdir(exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=".incoming-", dir=target)
        os.close(handle)
        try:
            shutil.copyfile(source, temporary)
            shutil.copystat(source, temporary)
            os.replace(temporary, target / name)
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as error:
        raise SaveError(
            f"{source.name} cannot be copied into {folder.name}: {reason(error)}."
        ) from None
    names.add(name)
    return name


def digest(path: Path) -> str:
    """A short fingerprint of a file's content, to know it again under another name."""
    made = hashlib.blake2b(digest_size=12)
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            made.update(block)
    return made.hexdigest()


def find_recording(line: Line, folder: str | Path) -> Path | None:
    """The recording of a line somewhere under `folder`: by its content, else by its name."""
    by_name = None
    name = Path(line.audio).name
    for path in sorted(Path(folder).rglob("*")):
        if path.suffix.lower() not in SOUND_ENDINGS or not path.is_file():
            continue
        if line.digest and digest(path) == line.digest:
            return path
        if path.name == name and by_name is None:
            by_name = path
    return by_name


def speakers_of(script: str) -> list[tuple[str, str]]:
    """A script with `NAME:` prefixes as (speaker, text) turns; speaker "" before the first."""
    turns: list[tuple[str, str]] = []
    at, name = 0, ""
    for match in SPEAKER.finditer(script):
        if script[at : match.start()].strip():
            turns.append((name, script[at : match.start()].strip()))
        name, at = match[1].title(), match.end()
    if script[at:].strip():
        turns.append((name, script[at:].strip()))
    return turns


def paragraphs_of(script: str) -> list[tuple[str, str]]:
    """Paragraphs of a script with their speakers; a turn of a speaker is a paragraph too."""
    found = []
    for speaker, text in speakers_of(script):
        found += [(speaker, p.strip()) for p in re.split(r"\n\s*\n", text) if p.strip()]
    return found
