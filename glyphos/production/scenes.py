"""What scenes of a production are made from: sounds and motions that lie in it, and all other files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..characters.builtin import BUILTIN, SETS
from ..characters.sources import head_files, poses_beside
from ..errors import DocumentError
from ..files import State, file_state
from ..scene.documents import Scene
from ..speech.recording import open_stream
from .brought import copied_in
from .documents import Character
from .production import Production

PLACE = "sounds"  # folder of a production
States = tuple[tuple[str, State], ...]  # files, and what they are


def bed_brought_in(folder: Path, source: Path) -> str:
    """A sound, copied into a production; its place there. RecordingError where it is no sound, SaveError
    where it cannot be copied."""
    open_stream(source)
    return copied_in(folder, PLACE, source)


def motion_brought_in(folder: Path, source: Path) -> str:
    """A recorded motion (BVH), copied into a production; its place there. DocumentError where it is none,
    SaveError where it cannot be copied."""
    from ..characters.recorded import open_layer

    if source.suffix.lower() != ".bvh":
        raise DocumentError(f"{source.name} is no motion of a body; choose a BVH file.")
    open_layer(source)
    return copied_in(folder, PLACE, source)


def files_of(scenes: Iterable[Scene]) -> set[str]:
    """Files of all beds and motions, relative to the production."""
    lanes = [lane for s in scenes for lane in s.lanes]
    return {c.audio for x in lanes for c in x.clips if c.audio} | {
        m.file for x in lanes for m in x.moves
    }


def states_of(scene: Scene, production: Production) -> States:
    """What every file that a scene is heard and seen from is just now, whether it is there or not: recordings, beds,
    motions, heads and drawings. What ships with the application is left out."""
    found = {production.folder / name for name in files_of([scene])}
    slugs = {c.line for x in scene.lanes for c in x.clips if c.line}
    found |= {production.audio_path(production.line(s)) for s in slugs if production.has(s)}
    for speaker in scene.speakers:
        found |= _worn_from(production.character_for(speaker), production)
    return tuple((str(path), file_state(path)) for path in sorted(found))


def _worn_from(character: Character, production: Production) -> set[Path]:
    if character.model in BUILTIN or character.model in SETS:
        return set()
    if character.drawings is None:
        model = production.model_path(character)
        return set(head_files(model, poses_beside(model, character.poses)))
    folder = production.drawings_folder(character)
    views = character.drawings.views
    names = {v.head for v in views if v.head} | {m.file for v in views for m in v.drawings()}
    return {folder / name for name in names if name}
