"""Bringing lines in: single recordings, whole folders with their texts, or a table.

A table is CSV with a header row: `file, speaker, language, text` (only `file` is needed).
Recordings are copied into the production as they are; a long one may be cut into several lines.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
import threading
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec

from ..errors import GlyphosError, RecordingError, SaveError, ScriptError, printable
from ..files import kept_path, reason
from ..progress import Progress
from ..speech.captioned import SCRIPTS, script_beside
from ..speech.espeak import language_name, voice_for
from ..speech.languages import base
from ..speech.recording import SOUND_ENDINGS, probe
from ..speech.script import decode_text, read_script_file
from ..speech.turns import SPEAKER, in_capitals, speaker_named
from ..speech.written import languages_of
from ..tables import cells
from .documents import Line, slugify
from .kinds import HEADER
from .production import Production

TABLES = (".csv", ".tsv")
COLUMNS = ("file", "speaker", "language", "text")
_names = threading.Lock()  # two jobs never choose the same name for a copy


@dataclass(frozen=True)
class Wanted:
    """A recording to become a line, with what is known of it."""

    path: Path
    speaker: str = ""
    language: str = ""
    text: str | None = None  # None: the script of the same name beside it, if any


@dataclass(frozen=True)
class Found:
    """Recordings that were named, and a sentence for everything that is none."""

    wanted: tuple[Wanted, ...]
    refused: tuple[str, ...] = ()


@dataclass(frozen=True)
class Added:
    """The new lines, a sentence for every file that was left out, what each line was made of, and what was copied."""

    lines: tuple[Line, ...]
    refused: tuple[str, ...] = ()
    made_of: tuple[Wanted, ...] = ()
    copied: tuple[Path, ...] = ()

    @property
    def told(self) -> tuple[Line, ...]:
        """Those whose language nobody named."""
        made = zip(self.lines, self.made_of, strict=True)
        return tuple(line for line, want in made if not want.language)

    def take_back(self) -> None:
        """Away with the recordings that were copied, where the lines are not wanted any more."""
        for path in self.copied:
            path.unlink(missing_ok=True)


def wanted_from(paths: Iterable[str | Path]) -> Found:
    """Recordings named by files, folders (with all in them) and tables, in order."""
    wanted: list[Wanted] = []
    refused: list[str] = []
    scripts: list[Path] = []
    for path in map(Path, paths):
        if path.is_dir():
            inside, others = _in_folder(path)
            wanted += inside
            refused += [others] if others else []
        elif path.suffix.lower() in TABLES:
            table = read_table(path)
            wanted += table.wanted
            refused += table.refused
        elif path.suffix.lower() in SCRIPTS:
            scripts.append(path)
        else:
            wanted.append(Wanted(path))
    stems = {want.path.absolute().with_suffix("") for want in wanted}
    refused += [
        f"{script.name} is the script of none of these recordings; give it the name of one."
        for script in scripts if script.absolute().with_suffix("") not in stems
    ]  # fmt: skip
    once: dict[Wanted, list[Wanted]] = {}
    for want in wanted:
        once.setdefault(replace(want, path=want.path.absolute()), []).append(want)
    refused += [
        f"{same[0].path.name} is named {len(same)} times with the same text; it is taken once."
        for same in once.values() if len(same) > 1
    ]  # fmt: skip
    return Found(tuple(same[0] for same in once.values()), tuple(refused))


def _in_folder(folder: Path) -> tuple[list[Wanted], str]:
    """Recordings in a folder, and a sentence for the files that are none and belong to none.

    Productions in it are left alone: their recordings are lines already.
    """
    productions = {p.parent for p in folder.rglob(HEADER.place)}
    files = [
        p for p in sorted(folder.rglob("*"))
        if p.is_file() and p.name[0] != "." and productions.isdisjoint(p.parents)
    ]  # fmt: skip
    sounds = [p for p in files if p.suffix.lower() in SOUND_ENDINGS]
    stems = {p.with_suffix("") for p in sounds}
    others = [p.name for p in files if p.with_suffix("") not in stems]
    if not others:
        return [Wanted(p) for p in sounds], ""
    shown = ", ".join(others[:3]) + (" …" if len(others) > 3 else "")
    what = (
        "one file is no recording" if len(others) == 1 else f"{len(others)} files are no recordings"
    )
    return [Wanted(p) for p in sounds], f"In {folder.resolve().name} {what}: {shown}."


def read_table(path: str | Path) -> Found:
    """Rows of a table of lines; ScriptError if it is none, a sentence for each row that is not
    understood."""
    path = Path(path)
    try:
        text = decode_text(path.read_bytes(), path.name)
    except OSError as error:
        raise ScriptError(f"{path} cannot be read: {reason(error)}.") from None
    first = text.splitlines()[0]
    delimiter = max(",;\t", key=first.count)
    rows = cells(text, path.name, delimiter)
    names = [cell.strip().lower() for cell in rows[0]]
    if "file" not in names:
        raise ScriptError(
            f"{path.name} has no column “file”; its first row should be: {', '.join(COLUMNS)}."
        )
    wanted, refused = [], []
    for number, row in enumerate(rows[1:], 2):
        if not any(cell.strip() for cell in row):
            continue
        own = dict(zip(names, (c.strip() for c in row), strict=False))
        if not own.get("file"):
            refused.append(f"{path.name}, row {number}: it names no file.")
        elif len(row) > len(names):
            refused.append(
                f"{path.name}, row {number}: it has {len(row)} cells instead of {len(names)}; put "
                "quotation marks around texts with a separator in them."
            )
        else:
            wanted.append(
                Wanted(path.parent / own["file"], own.get("speaker", ""),
                       own.get("language", ""), own.get("text") or None)
            )  # fmt: skip
    return Found(tuple(wanted), tuple(refused))


def add_lines(
    production: Production,
    wanted: Sequence[Wanted],
    *,
    copy: bool = True,
    look: bool = True,
    progress: Progress | None = None,
) -> Added:
    """Make a line of every recording. A file that cannot be read is left out and told.

    copy: bring the recording into the production's `audio` folder; else it is used where it lies.
    look: open each to see how long it is; else its length is 0 until it is listened to.
    Where nobody says in which language a line is, its script tells, where it is sure; else it is the production's.
    The lines are given back for `production.added`; `unlike` fits their slugs to what came since.
    """
    lines: list[Line] = []
    made_of: list[Wanted] = []
    refused: list[str] = []
    copied: list[Path] = []
    taken, speakers = set(production.slugs), production.speakers
    try:
        for number, want in enumerate(wanted):
            if progress is not None:
                progress(number / len(wanted))
            try:
                line = _line(production, want, taken, speakers, copy, look)
            except SaveError:
                raise
            except GlyphosError as error:
                refused.append(str(error))
                continue
            taken.add(line.slug)
            lines.append(line)
            made_of.append(want)
            there = production.audio_path(line)
            if there.resolve() != want.path.resolve():
                copied.append(there)
    except BaseException:
        Added((), copied=tuple(copied)).take_back()
        raise
    told = _in_their_languages(production, lines, made_of)
    return Added(told, tuple(refused), tuple(made_of), tuple(copied))


def _in_their_languages(
    production: Production, lines: Sequence[Line], made_of: Sequence[Wanted]
) -> tuple[Line, ...]:
    """Lines in the languages of their scripts, but where a language was named. Those of a folder tell of each other,
    and where they do not, the lines of the production."""
    folders: dict[Path, list[Line]] = {}
    for line, want in zip(lines, made_of, strict=True):
        if line.script and not want.language:
            folders.setdefault(want.path.parent, []).append(line)
    found: dict[str, str] = {}
    for inside in folders.values():
        told = tongues_of(production, [x.script for x in inside])
        found.update(zip((x.slug for x in inside), told, strict=True))
    return tuple(
        msgspec.structs.replace(x, language=found[x.slug]) if x.slug in found else x for x in lines
    )


def tongues_of(production: Production, texts: Sequence[str]) -> tuple[str, ...]:
    """The language of each of some texts that come together, as they and the lines of the production tell."""
    there: Counter[str] = Counter()
    for line in production.lines:
        there[line.language] += len(line.script)
    return languages_of(texts, production.header.language, there)


def languages_told(lines: Sequence[Line], usual: str) -> str:
    """Which new lines, of those whose scripts told it, are in another language, as the end of a sentence; "" for
    none."""
    seen = Counter(x.language for x in lines if base(x.language) != base(usual))
    each = [f"{n} in {language_name(code)}" for code, n in seen.items()]
    if not each or len(lines) == 1:
        return f", in {language_name(next(iter(seen)))}" if each else ""
    whose = "its script is" if seen.total() == 1 else "their scripts are"
    return f", {' and '.join(each)}, as {whose}"


def there_already(production: Production, lines: Sequence[Line]) -> str:
    """Of which new lines another has the very same recording, as the end of a sentence; "" for none."""
    known = {x.digest for x in production.lines if x.digest}
    again = sum(x.digest in known for x in lines)
    if not again:
        return ""
    whose = "the recording of one was" if again == 1 else f"the recordings of {again} were"
    return f"; {'its recording was' if len(lines) == 1 else whose} in the production already"


def unlike(lines: Collection[Line], taken: Collection[str]) -> tuple[Line, ...]:
    """New lines under slugs that are not taken."""
    used = set(taken)
    made = []
    for line in lines:
        slug = slugify(line.slug, used)
        used.add(slug)
        made.append(line if slug == line.slug else msgspec.structs.replace(line, slug=slug))
    return tuple(made)


def _line(
    production: Production, want: Wanted, taken: set[str], speakers: Collection[str], copy: bool, look: bool
) -> Line:  # fmt: skip
    duration = probe(want.path) if look else 0.0
    language = want.language or production.header.language
    try:
        voice_for(language)
    except GlyphosError as error:
        raise ScriptError(f"{want.path.name}: {error}") from None
    text = want.text
    if text is None:
        text = script_text_beside(want.path)
    speaker = want.speaker
    text = in_capitals(text, known=[*speakers, speaker])
    if not speaker and len(SPEAKER.findall(text)) == 1:
        speaker = speaker_named(text)
    fingerprint = _fingerprint(want.path)
    audio = f"audio/{bring_in(want.path, production.folder)}" if copy else kept_path(want.path)
    return Line(
        slugify(want.path.stem, taken), audio, speaker, text, language, duration=duration,
        digest=fingerprint,
    )  # fmt: skip


def script_text_beside(audio: Path) -> str:
    """What the script of a recording's name says, "" if there is none beside it."""
    beside = script_beside(audio)
    return read_script_file(beside).strip() if beside is not None else ""


def bring_in(source: Path, folder: Path) -> str:
    """Copy a recording into the production's `audio`, whole or not at all; returns its name."""
    target = folder / "audio"
    try:
        target.mkdir(exist_ok=True)
        plain = Path(printable(source.name))
        if source.parent.resolve() == target.resolve() and plain.name == source.name:
            return source.name
        handle, temporary = tempfile.mkstemp(prefix=".incoming-", dir=target)
        os.close(handle)
        try:
            shutil.copyfile(source, temporary)
            shutil.copystat(source, temporary)
            with _names:
                name, number = plain.name, 2
                while (target / name).exists():
                    name, number = f"{plain.stem}-{number}{plain.suffix}", number + 1
                os.replace(temporary, target / name)
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as error:
        raise SaveError(
            f"{source.name} cannot be copied into {folder.name}: {reason(error)}."
        ) from None
    return name


def digest(path: Path) -> str:
    """A short fingerprint of a file's content, to know it again under another name."""
    made = hashlib.blake2b(digest_size=12)
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            made.update(block)
    return made.hexdigest()


def _fingerprint(path: Path) -> str:
    try:
        return digest(path)
    except OSError as error:
        raise RecordingError(f"{path} cannot be read: {reason(error)}.") from None


def find_recordings(
    lines: Sequence[Line], folder: str | Path, *, progress: Progress | None = None
) -> dict[str, Path]:
    """Recordings of lines (by slug) somewhere under `folder`: by content, else by name."""
    files = [p for p in sorted(Path(folder).rglob("*"))
             if p.suffix.lower() in SOUND_ENDINGS and p.is_file()]  # fmt: skip
    by_name = {p.name: p for p in reversed(files)}
    wanted = {x.digest for x in lines if x.digest}
    by_content: dict[str, Path] = {}
    for number, path in enumerate(files if wanted else ()):
        if progress is not None:
            progress(number / len(files))
        by_content.setdefault(digest(path), path)
    found = {}
    for line in lines:
        here = by_content.get(line.digest) or by_name.get(line.file)
        if here is not None:
            found[line.slug] = here
    return found
