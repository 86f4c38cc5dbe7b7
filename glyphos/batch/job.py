"""A job: many lines through the steps of a recipe, on an engine, resumed where it was left.

One thread looks after all of it: it takes lines in their order, asks for what is not there yet, and keeps each
result as it comes. One bad line never stops the others; a target that cannot be written does.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, TextIO

import msgspec

from ..errors import Cancelled, GlyphosError, SaveError, ScriptError, sentence
from ..handoff.deliver import stem_of
from ..hands.crew import Done, LostError
from ..production.carrying import unheard
from ..production.documents import Line
from ..production.kinds import character_key
from ..production.production import Production
from ..progress import Progress
from ..proof.finding import Finding
from ..speech.reading import decode
from .control import Control
from .engine import Engine
from .kept import PLACE, Kept, Record, Step, digest_of, later, listening
from .listening import Heard, with_heard
from .packing import layers_of, pack_of, sound_of
from .recipe import Recipe
from .scripts import run_script
from .task import Result, Task

State = Literal["done", "there", "failed", "listened"]
AHEAD = 2  # tasks for each worker that are on their way
HANDED, MOUTHS, PREVIEWS = "handoff", "mouths", "previews"


@dataclass(frozen=True)
class Outcome:
    """What became of a line. line: with its reading, if it has one; cpu: seconds of a processor, spent: of the
    clock; tries: how often it was given away."""

    line: Line
    state: State
    problem: str = ""
    findings: tuple[Finding, ...] = ()
    files: tuple[str, ...] = ()
    mouths: str = ""
    preview: str = ""
    cpu: float = 0.0
    spent: float = 0.0
    tries: int = 0
    fresh: bool = False  # whether its reading was made now


@dataclass
class _Flight:
    """A line in work."""

    line: Line
    sound: str = ""  # digest
    task: Task | None = None
    shared: tuple[Any, ...] = ()
    pack: str = ""  # digest
    heard_as: str = ""  # the name of its listening
    listens: bool = False
    made: dict[str, Step] = field(default_factory=dict)
    began: float = field(default_factory=time.monotonic)
    tries: int = 0
    cpu: float = 0.0
    outcome: Outcome | None = None


class Job:
    """Lines of a production through a recipe, into a target folder."""

    def __init__(
        self, production: Production, slugs: Iterable[str], recipe: Recipe, target: Path, engine: Engine,
        *, control: Control | None = None, handed: str = HANDED,
    ) -> None:  # fmt: skip
        """handed: folder of the target for what is handed over; "" for the target itself."""
        self.handed = f"{handed}/" if handed else ""
        self.production, self.recipe, self.target, self.engine = production, recipe, target, engine
        self.slugs = list(slugs)
        self.control = control or Control()
        self.kept = Kept(target)
        self._fps = recipe.fps or production.header.fps
        self._header = msgspec.structs.replace(production.header, fps=self._fps, lines=())
        self._wish = msgspec.msgpack.encode(recipe.wish(self._fps))
        self._lexicon = production.lexicon.text() if production.lexicon.entries else ""
        self._packs: dict[str, tuple[Any, bytes, tuple[Any, ...], str]] = {}
        self._flying: dict[Future[Any], tuple[_Flight, str]] = {}
        self._scripts = ThreadPoolExecutor(max(1, engine.workers), thread_name_prefix="scripts")
        self._file: TextIO | None = None
        self._log = target / "batch.log" if handed else target / PLACE / "batch.log"

    # ---- the whole ----------------------------------------------------------------------------

    def run(
        self, each: Callable[[Outcome], object], *, progress: Progress | None = None
    ) -> None:  # fmt: skip
        """Do it all; `each` hears of every line as it is done. Cancelled or SaveError end it early: what is done
        is kept."""
        self.kept.begin()
        self._check_names()
        self._script_of_job(self.recipe.scripts.job_before)
        left, done, calm = deque(self.slugs), 0, False
        try:
            while left or self._flying:
                self._hold()
                while (
                    left
                    and len(self._flying) < AHEAD * self.engine.workers
                    and not self.control.paused.is_set()
                ):
                    for outcome in self._begun(left.popleft()):
                        done += 1
                        self._tell(outcome, each)
                for future in wait(
                    list(self._flying), timeout=0.2, return_when=FIRST_COMPLETED
                ).done:
                    for outcome in self._landed(future):
                        done += 1
                        self._tell(outcome, each)
                self.engine.check()
                if progress is not None:
                    progress(done / max(1, len(self.slugs)))
            calm = True
        finally:
            for future in self._flying:
                future.cancel()
            self._scripts.shutdown(wait=calm, cancel_futures=True)
            if not calm:
                self._end_log()
        self._script_of_job(self.recipe.scripts.job_after)
        self._end_log()

    def _hold(self) -> None:
        if self.control.stopped.is_set():
            raise Cancelled("Stopped; what is done is kept.")
        if self.control.paused.is_set() and not self._flying:
            time.sleep(0.1)

    def _tell(self, outcome: Outcome, each: Callable[[Outcome], object]) -> None:
        more = f": {outcome.problem}" if outcome.problem else f" {outcome.cpu:.2f} s" if outcome.cpu else ""  # fmt: skip
        self.say(f"{outcome.line.slug} {outcome.state}{more}")
        each(outcome)

    def say(self, text: str) -> None:
        """Write a line to the log; SaveError where it cannot be written."""
        stamp = time.strftime("%Y-%m-%d %H:%M:%S")
        try:
            if self._file is None:
                self._file = self._log.open("a", encoding="utf-8", buffering=1)  # a line at a time
            self._file.write(f"{stamp} {text}\n")
        except OSError as error:
            raise SaveError(sentence(error)) from None

    def _end_log(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None

    def _check_names(self) -> None:
        """ScriptError for two lines whose files would have one name."""
        if "hand" not in self.recipe.steps:
            return
        known: dict[str, str] = {}
        for slug in self.slugs:
            line = self.production.line(slug)
            stem = stem_of(
                self.recipe.hand.names, line, self.production.character_for(line.speaker)
            )
            if stem in known:
                raise ScriptError(
                    f"Files of {known[stem]} and {slug} would both be named {stem}; put {{line}} into the pattern of names."
                )
            known[stem] = slug

    def _script_of_job(self, command: str) -> None:
        if command:
            told = {"target": str(self.target), "lines": self.slugs}
            self._say_output(
                command, run_script(command, told, folder=self.target, seconds=0).output
            )

    def _say_output(self, command: str, output: str) -> None:
        for row in output.splitlines():
            self.say(f"{command.split()[0]}: {row}")

    # ---- one line -----------------------------------------------------------------------------

    def _begun(self, slug: str) -> list[Outcome]:
        """Ask for what is not there yet of a line; its outcome, if nothing is to be asked for."""
        line = self.recipe.worn(self.production.line(slug))
        flight = _Flight(line)
        try:
            sound = sound_of(self.production, line)
            flight.sound = digest_of(sound)
            self._listen_if(flight)
            steps = self._missing(flight)
            if not steps:
                return [self._ended(flight, "there")]
            flight.task = self._task(flight, steps, sound)
        except SaveError:
            raise
        except GlyphosError as error:
            return [self._ended(flight, "failed", str(error))]
        before = self.recipe.scripts.before
        if before:
            self._run_script(flight, before, "before")
        else:
            self._send(flight)
        return []

    def _listen_if(self, flight: _Flight) -> None:
        """Whether a line is listened to, or was already as it would be now."""
        line, recipe = flight.line, self.recipe
        flight.heard_as = listening(line, flight.sound, self._lexicon, recipe.words_model)
        if "listen" not in recipe.steps:
            return
        record = self.kept.record(line.slug)
        if line.reading is not None:
            own = record.reading == digest_of(msgspec.json.encode(line.reading))
            if not own or self._same_listening(record, line, flight):
                return  # somebody worked on it since, or nothing would be heard anew
            script = "" if record.drafted else line.script
            flight.line = unheard(line, script=script)
            flight.heard_as = listening(flight.line, flight.sound, self._lexicon, recipe.words_model)  # fmt: skip
        if (known := self.kept.step(flight.heard_as)) is not None and known.reading:
            flight.made["listen"] = known
            self._take_reading(flight, flight.line, known.reading.encode())
            return
        flight.listens = True

    def _same_listening(self, record: Record, line: Line, flight: _Flight) -> bool:
        """Whether its reading came of the same; a script that was made out counts as none."""
        if record.drafted:
            bare = msgspec.structs.replace(line, script="")
            return record.listened == listening(bare, flight.sound, self._lexicon, self.recipe.words_model)  # fmt: skip
        return record.listened == flight.heard_as

    def _take_reading(self, flight: _Flight, line: Line, reading: bytes) -> None:
        drafted = not line.script.strip()
        flight.line = self.recipe.worn(with_heard(line, Heard(line.slug, decode(reading))))
        digest = digest_of(msgspec.json.encode(flight.line.reading))
        self.kept.keep_record(line.slug, Record(flight.heard_as, digest, drafted))

    def _name(self, step: str, flight: _Flight) -> str:
        character = self.production.character_for(flight.line.speaker)
        return later(step, flight.line, flight.sound, self._fps, self._wish if step == "hand" else b"",
                     character, flight.pack)  # fmt: skip

    def _missing(self, flight: _Flight) -> list[str]:
        """Steps that must be done; the others are put to what the flight has made."""
        steps = [s for s in self.recipe.steps if s != "listen"] + ["preview"] * self.recipe.preview
        self._pack(flight)
        if flight.listens:
            return ["listen", *steps]
        missing = []
        for step in steps:
            known = self.kept.step(self._name(step, flight))
            if known is None:
                missing.append(step)
            else:
                flight.made[step] = known
        return missing

    def _pack(self, flight: _Flight) -> None:
        character = self.production.character_for(flight.line.speaker)
        if character.slug not in self._packs:
            packed, data = pack_of(self.production, character)
            shared = (self.engine.share(data),) if data else ()
            self._packs[character.slug] = packed, data, shared, digest_of(data)
        _, _, flight.shared, flight.pack = self._packs[character.slug]

    def _task(self, flight: _Flight, steps: list[str], sound: bytes) -> Task:
        line, recipe = flight.line, self.recipe
        wanted = tuple(s for s in recipe.steps if s in steps)
        character = self.production.character_for(line.speaker)
        own = character_key(character.slug) in self.production.values
        return Task(
            line, self._header, wanted, Path(line.audio).name, sound,
            self._lexicon, recipe.words_model, self._wish, layers_of(self.production, line),
            self._packs[character.slug][0] if own else None, recipe.limits.minutes, "preview" in steps,
        )  # fmt: skip

    def _send(self, flight: _Flight) -> None:
        assert flight.task is not None
        flight.tries += 1
        future = self.engine.submit(msgspec.msgpack.encode(flight.task), flight.shared)
        self._flying[future] = flight, "work"

    def _run_script(self, flight: _Flight, command: str, when: str) -> None:
        told = self._told(flight, when)
        future = self._scripts.submit(
            run_script, command, told, folder=self.target, seconds=self.recipe.limits.seconds
        )
        self._flying[future] = flight, when

    def _told(self, flight: _Flight, when: str) -> dict[str, Any]:
        line, outcome = flight.line, flight.outcome
        told: dict[str, Any] = {
            "when": when, "line": line.slug, "speaker": line.speaker, "language": line.language, "script": line.script,
            "audio": str(self.production.audio_path(line)), "target": str(self.target),
        }  # fmt: skip
        if outcome is not None:
            told |= {"state": outcome.state, "files": list(outcome.files),
                     "findings": msgspec.to_builtins(outcome.findings)}  # fmt: skip
        return told

    def _landed(self, future: Future[Any]) -> list[Outcome]:
        """Something of a line is done: what comes next, or what became of it."""
        flight, stage = self._flying.pop(future)
        error = future.exception()
        if isinstance(error, Cancelled):
            raise error
        if error is not None:
            if isinstance(error, LostError) and flight.tries <= self.recipe.limits.retries:
                self.say(f"{flight.line.slug} again: {error}")
                self._send(flight)
                return []
            return [self._ended(flight, "failed", sentence(error))]
        if stage == "work":
            return self._worked(flight, future.result())
        script = self.recipe.scripts.before if stage == "before" else self.recipe.scripts.after
        self._say_output(script, future.result().output)
        if stage == "before":
            self._send(flight)
            return []
        assert flight.outcome is not None
        return [flight.outcome]

    def _worked(self, flight: _Flight, done: Done) -> list[Outcome]:
        assert flight.task is not None
        result = msgspec.msgpack.decode(done.value, type=Result)
        flight.cpu = done.cpu
        if flight.listens:
            flight.made["listen"] = self.kept.keep(flight.heard_as, Step(result.heard.decode()))
            line = msgspec.structs.replace(flight.line, duration=result.spoken)
            self._take_reading(flight, line, result.heard)
        elif result.spoken:
            flight.line = msgspec.structs.replace(flight.line, duration=result.spoken)
        slug = flight.line.slug
        for step in (*flight.task.steps, *(("preview",) if flight.task.preview else ())):
            files: dict[str, bytes] = {}
            found: tuple[Finding, ...] = ()
            if step == "listen":
                continue
            if step == "perform":
                files = {f"{MOUTHS}/{slug}.svg": result.mouths.encode()}
            elif step == "preview":
                files = {f"{PREVIEWS}/{slug}.mp4": result.preview}
            elif step == "hand":
                files = {f"{self.handed}{name}": data for name, data in result.files.items()}
            else:
                found = result.findings
            flight.made[step] = self.kept.keep(
                self._name(step, flight), Step(findings=found), files
            )
        flight.outcome = self._outcome(flight, "done", "")
        if self.recipe.scripts.after:
            self._run_script(flight, self.recipe.scripts.after, "after")
            return []
        return [flight.outcome]

    def _ended(self, flight: _Flight, state: State, problem: str = "") -> Outcome:
        if problem:
            flight.line = msgspec.structs.replace(flight.line, problem=problem)
        return self._outcome(flight, state, problem)

    def _outcome(self, flight: _Flight, state: State, problem: str) -> Outcome:
        made, nothing = flight.made, Step()
        first = {s: next(iter(made.get(s, nothing).files), "") for s in ("perform", "preview")}
        return Outcome(
            flight.line, state, problem, made.get("proof", nothing).findings, tuple(made.get("hand", nothing).files),
            first["perform"], first["preview"], flight.cpu, time.monotonic() - flight.began, flight.tries,
            flight.listens,
        )  # fmt: skip
