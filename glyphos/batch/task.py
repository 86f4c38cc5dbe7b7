"""One line's share of a job: bytes and settings in, bytes out, wherever it is done.

What a task needs comes with it. It unpacks that into a folder of its own and there does what the window and the
shell do, through the same functions; nothing of the machine it was sent from is looked at.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path, PurePosixPath

import msgspec

from ..errors import RecordingError, ScriptError
from ..handoff.deliver import Wish, deliver, plan
from ..motion.curve import Motion
from ..production.documents import Character, Header, Line
from ..production.kinds import character_key
from ..production.performed import motion_of
from ..production.production import Production
from ..proof.finding import Finding
from ..proof.proofing import proofed
from ..rates import frame_rate
from .mouths import strip_of
from .recipe import Step

SMALL = (480, 270)  # pixels of a preview
HEADROOM = 0.05  # seconds that a recording may be longer than the limit says


class Task(msgspec.Struct, frozen=True):
    """A line and all that makes its results. wish: as `Recipe.wish`, encoded; files: recorded curves by their
    place in the production; character: who speaks it, if not one of ours, its files in what is shared."""

    line: Line
    header: Header
    steps: tuple[Step, ...]
    sound_name: str
    sound: bytes
    lexicon: str = ""
    words_model: str = ""
    wish: bytes = b""
    files: dict[str, bytes] = {}
    character: Character | None = None
    minutes: float = 0.0
    preview: bool = False


class Result(msgspec.Struct, frozen=True):
    """What became of it. heard: a reading as a document; files: to hand over, by name; mouths: a strip of them as SVG;
    spoken: seconds of the recording."""

    heard: bytes = b""
    findings: tuple[Finding, ...] = ()
    proofed: bool = False
    files: dict[str, bytes] = {}
    mouths: str = ""
    preview: bytes = b""
    spoken: float = 0.0


class Pack(msgspec.Struct, frozen=True):
    """Files that several tasks need, by name: a character's."""

    files: dict[str, bytes]


def work(data: bytes, shared: Sequence[str] = ()) -> bytes:
    """Do a task: encoded in, encoded Result out. shared: a file with the Pack of its character."""
    task = msgspec.msgpack.decode(data, type=Task)
    with tempfile.TemporaryDirectory(prefix="glyphos-line-") as folder:
        return msgspec.msgpack.encode(_Bench(task, Path(folder), shared).done())


_unpacked: dict[str, tempfile.TemporaryDirectory[str]] = {}  # by the pack's file, in this process


def unpacked(pack: str) -> Path:
    """The files of a pack in a folder, where they stay as long as the process does."""
    if pack not in _unpacked:
        made = tempfile.TemporaryDirectory(prefix="glyphos-pack-")
        for name, data in msgspec.msgpack.decode(Path(pack).read_bytes(), type=Pack).files.items():
            _put(Path(made.name), name, data)
        _unpacked[pack] = made
    return Path(_unpacked[pack].name)


def _put(folder: Path, name: str, data: bytes) -> None:
    place = PurePosixPath(name)
    if place.is_absolute() or ".." in place.parts:
        raise ScriptError(f"{name} lies outside of where it may lie.")
    target = folder / place
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(data)


class _Bench:
    """A task in work."""

    def __init__(self, task: Task, folder: Path, shared: Sequence[str]) -> None:
        self._task, self._folder = task, folder
        _put(folder, f"audio/{task.sound_name}", task.sound)
        for name, data in task.files.items():
            _put(folder, name, data)
        line = msgspec.structs.replace(task.line, audio=f"audio/{task.sound_name}")
        self._production = Production.of(folder, task.header, [line])
        character = task.character
        if character is not None:
            if shared:
                model = str(unpacked(shared[0]) / character.model)
                character = msgspec.structs.replace(character, model=model)
            self._production = self._production.changed({character_key(character.slug): character})

    @property
    def line(self) -> Line:
        return self._production.lines[0]

    def done(self) -> Result:
        self._check()
        steps: dict[Step, Callable[[Result], Result]] = {
            "listen": self._listened, "perform": self._performed, "proof": self._proofed, "hand": self._handed,
        }  # fmt: skip
        made = Result(spoken=self.line.duration)
        for step in self._task.steps:
            made = steps[step](made)
        if self._task.preview:
            made = msgspec.structs.replace(made, preview=self._preview())
        return made

    def _check(self) -> None:
        from ..speech.recording import probe

        seconds, most = probe(self._folder / self.line.audio), self._task.minutes * 60
        if most and seconds > most + HEADROOM:
            raise RecordingError(
                f"{self._task.sound_name} is {seconds / 60:.0f} minutes long; cut it into lines, or allow more than {most / 60:g}."
            )
        self._keep(msgspec.structs.replace(self.line, duration=seconds))

    def _keep(self, line: Line) -> None:
        self._production = self._production.changed(self._production.put(line))

    def _listened(self, made: Result) -> Result:
        from ..speech.reading import decode
        from .listening import Heard, listen_work, with_heard, work_for

        task = self._task
        asked = replace(work_for(self._production, self.line), lexicon=task.lexicon, words_model=task.words_model)  # fmt: skip
        _, reading, problem = listen_work(asked)
        if problem:
            raise RecordingError(problem)
        self._keep(with_heard(self.line, Heard(self.line.slug, decode(reading))))
        return msgspec.structs.replace(made, heard=reading)

    @cached_property
    def _motion(self) -> Motion:
        line, production = self.line, self._production
        rate = frame_rate(production.header.fps)
        return motion_of(line, production.audio_path(line), rate, production.folder)

    def _performed(self, made: Result) -> Result:
        if self.line.reading is None:
            raise RecordingError("The line has not been listened to; let the recipe listen first.")
        strip = strip_of(self.line.reading, self._motion, self.line.delivery)
        return msgspec.structs.replace(made, mouths=strip)

    def _proofed(self, made: Result) -> Result:
        line, rate = self.line, frame_rate(self._production.header.fps)
        motion = self._motion if line.reading is not None else None
        found = proofed(line, self._production, rate, motion=motion)
        return msgspec.structs.replace(made, findings=tuple(found), proofed=True)

    def _handed(self, made: Result) -> Result:
        wish = msgspec.msgpack.decode(self._task.wish, type=Wish)
        planned = plan(self._production, [self.line], wish)
        target = self._folder / "handoff"
        deliver(planned, target)
        files = {
            p.relative_to(target).as_posix(): p.read_bytes() for p in sorted(target.rglob("*")) if p.is_file()
        }  # fmt: skip
        return msgspec.structs.replace(made, files=files)

    def _preview(self) -> bytes:
        """A small movie of the line."""
        from ..handoff.filming import Filming, Look, scene_from
        from ..handoff.scenes import film_scene

        scene = scene_from([self.line], slug=self.line.slug)
        look = Look(frame_rate(self._production.header.fps), SMALL)
        path = self._folder / "preview.mp4"
        film_scene(Filming(scene, self._production, look), path, workers=1)
        return path.read_bytes()
