"""A copy of a whole production, recordings and all, in a folder of its own."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import msgspec

from ..characters.builtin import BUILTIN, SETS
from ..characters.sources import files_with
from ..errors import SaveError
from ..files import reason
from ..progress import Progress, share
from .documents import Character
from .kinds import character_key
from .production import TAKES, Production
from .scenes import files_of

ENDING = ".glyphos"


def named(target: str | Path) -> Path:
    """The folder of a production, with the ending that such folders have."""
    target = Path(target)
    return target if target.suffix == ENDING else target.with_name(target.name + ENDING)


def save_copy(
    production: Production, target: str | Path, *, whole: bool = False, progress: Progress | None = None
) -> Path:  # fmt: skip
    """Write a production to a new folder and return it; the copy is called after its folder. whole: with whatever
    else lies in it, as it takes its place.

    Work that is cancelled or fails leaves nothing behind. SaveError says what is wrong.
    """
    target = named(target)
    made = Production.create(
        target, name=target.stem, fps=production.header.fps, language=production.header.language
    )
    # What is missing keeps its place, in case it comes back
    taken = {x.file for x in production.lines if not production.audio_path(x).is_file()}
    copied = []
    try:
        for number, line in enumerate(production.lines):
            if progress is not None:
                progress(0.7 * number / len(production.lines))
            source, place = production.audio_path(line), line.audio
            if source.is_file():
                place = f"audio/{_free_name(source.name, taken)}"
                shutil.copy2(source, target / place)
            elif not source.resolve().is_relative_to(production.folder.resolve()):
                place = str(source)
            copied.append(msgspec.structs.replace(line, audio=place))
        for file in {r.file for x in production.lines for r in x.recorded} | files_of(
            production.scenes
        ):
            if (production.folder / file).is_file():
                (target / file).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(production.folder / file, target / file)
        header = msgspec.structs.replace(
            production.header, name=made.header.name, lines=production.slugs
        )
        values = {k: v for k, v in production.values.items() if k[0] not in ("header", "line")}
        for character in production.characters:
            moved = _moved(character, production.folder, target)
            values[character_key(character.slug)] = moved
        documents = Production.of(target, header, copied)
        Production(target, {**values, **documents.values}).save()
        bring_takes(production.folder, target, share(progress, 0.7, 1.0))
        if whole:
            _bring_rest(production.folder, target)
    except OSError as error:
        shutil.rmtree(target, ignore_errors=True)
        raise SaveError(f"{target} cannot be written: {reason(error)}.") from None
    except BaseException:
        shutil.rmtree(target, ignore_errors=True)
        raise
    return target


def bring_takes(source: Path, target: Path, progress: Progress | None = None) -> None:
    """Recorded takes of a production come along to its copy, also those that came, or grew, while it was made."""
    takes = sorted(p for p in (source / TAKES).rglob("*") if p.is_file())
    for number, path in enumerate(takes):
        if progress is not None:
            progress(number / len(takes))
        there = target / path.relative_to(source)
        if not there.is_file() or there.stat().st_size != path.stat().st_size:
            there.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(path, there)


def _bring_rest(source: Path, target: Path) -> None:
    """Recordings that no line has any more, files that were handed over into it."""
    for path in sorted(source.rglob("*")):
        inside = path.relative_to(source)
        if path.is_file() and not any(part[0] == "." for part in inside.parts):
            there = target / inside
            if not there.exists():
                there.parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(path, there)


def _moved(character: Character, source: Path, target: Path) -> Character:
    """A character whose model is found from the copy: a file of the production comes along with what lies beside
    it, any other stays where it is."""
    if character.model in (*BUILTIN, *SETS):
        return character
    if character.drawings is not None:
        return _moved_drawings(character, source, target)
    root = source.resolve()
    model = (source / character.model).resolve()
    if not model.is_relative_to(root) or not model.is_file():
        place = Path(os.path.relpath(model, target.resolve())).as_posix()
        fitting = msgspec.structs.replace(character.fitting, model=place)
        return msgspec.structs.replace(character, model=place, fitting=fitting)
    for path in (Path(os.path.normpath(p)) for p in files_with(model, character.poses)):
        if path.is_relative_to(root) and path.is_file():
            copied = target / path.relative_to(root)
            copied.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(path, copied)
    fitting = msgspec.structs.replace(character.fitting, model=character.model)
    return msgspec.structs.replace(character, fitting=fitting)


def _moved_drawings(character: Character, source: Path, target: Path) -> Character:
    folder = (source / character.model).resolve()
    if not folder.is_relative_to(source.resolve()) or not folder.is_dir():
        place = Path(os.path.relpath(folder, target.resolve())).as_posix()
        return msgspec.structs.replace(character, model=place)
    assert character.drawings is not None
    for view in character.drawings.views:
        for file in {view.head, *(d.file for d in view.drawings())} - {""}:
            if (folder / file).is_file():
                (target / character.model / file).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(folder / file, target / character.model / file)
    return character


def _free_name(name: str, taken: set[str]) -> str:
    stem, suffix = Path(name).stem, Path(name).suffix
    number, free = 2, name
    while free in taken:
        free, number = f"{stem}-{number}{suffix}", number + 1
    taken.add(free)
    return free
