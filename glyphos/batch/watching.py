"""A folder that is watched: recordings that come or change are done as soon as nobody writes them any more."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from ..speech.captioned import SCRIPTS
from ..speech.recording import SOUND_ENDINGS
from .control import Control
from .engine import Engine
from .job import Outcome
from .recipe import Recipe
from .running import Run, run_batch

EVERY = 1.0  # seconds between two looks
State = dict[str, tuple[int, int]]


def state_of(folder: Path) -> State:
    """Recordings in a folder and texts beside them, with size and time of change."""
    found: State = {}
    for path in folder.resolve().rglob("*"):
        if path.suffix.lower() not in SOUND_ENDINGS and path.suffix.lower() not in SCRIPTS:
            continue
        try:
            seen = path.stat()
        except OSError:
            continue  # it went away meanwhile
        found[str(path)] = seen.st_size, seen.st_mtime_ns
    return found


def watch(
    source: Path, target: Path, recipe: Recipe, engine: Engine, *, resume: bool = False,
    each: Callable[[Outcome], object] | None = None, control: Control | None = None, every: float = EVERY,
) -> Iterator[Run]:  # fmt: skip
    """Runs, one whenever something is new or changed; ends when `control` says so. A file that is still being
    written is waited for."""
    control = control or Control()
    done: State = {}
    before: State | None = None
    again = resume
    while not control.stopped.is_set():
        now = state_of(source)
        inside = {k: v for k, v in now.items() if not Path(k).is_relative_to(target.resolve())}
        if inside == before and inside != done and _any_sound(inside):
            run = run_batch(
                source, target, recipe, engine, resume=again, each=each, control=control
            )
            done, again = inside, True
            yield run
        before = inside
        control.stopped.wait(every)


def _any_sound(state: State) -> bool:
    return any(Path(k).suffix.lower() in SOUND_ENDINGS for k in state)
