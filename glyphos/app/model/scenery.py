"""The scene that is shown: its clips, what its faces do, its mix; all found in the background, and what is
altered by a hand at once.

Clips whose line or recording is away stay in the scene, and are neither seen nor heard until it is back.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, QTimer, Signal

from ...errors import GlyphosError
from ...production.documents import Character, Line
from ...production.history import Step
from ...production.kinds import Key, kinds_of, scene_key
from ...production.scenes import States, states_of
from ...rates import frame_rate
from ...scene.documents import Clip, Move, Scene, overlaps, scene_length
from .document import Document
from .jobs import Jobs, Told, same
from .transport import Loader
from .watch import Watched

if TYPE_CHECKING:  # they bring the solver with them
    from ...handoff.filming import Filming
    from ...handoff.kept import Kept
    from ...scene.mix import Mixer, Sound

UNKNOWN = 1.0  # seconds of a sound that is away
# Scene, its lines, all characters, rate, folder, and the files that it is made from
Wish = tuple[Scene, tuple[Line | None, ...], tuple[Character, ...], str, str, States]


@dataclass(frozen=True)
class Fact:
    """What is known of a line or a sound of the scene. seconds: 0 where nobody knows."""

    line: Line | None
    seconds: float
    problem: str
    sound: Sound | None


class Scenery(QObject):
    """Looks at one scene of the open production, once a page wants it."""

    changed = Signal()  # another scene, or other clips of it
    faces_changed = Signal()  # pictures are others now
    sounds_changed = Signal()  # sounds have been read: waveforms and lengths are known

    def __init__(self, document: Document, jobs: Jobs, loader: Loader) -> None:
        super().__init__()
        self._document, self._jobs, self._loader = document, jobs, loader
        self.slug = ""
        self.wanted = False  # whether anybody looks at it
        self.filming: Filming | None = None
        self.film: Filming | None = None  # of what is shown; under a hand another than what is kept
        self.mixer: Mixer | None = None
        self._kept: Kept | None = None
        self._made_of: object = None
        self._failed: object = None  # of which no film could be made
        self._lent = ""  # the scene that the transport stands in
        self._problems: dict[str, str] = {}
        self._facts: dict[str, Fact] = {}
        self._motions: dict[str, float] = {}  # how long recorded motions are
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._make)
        self._watched = Watched(self)
        self._watched.changed.connect(self._changed_outside)
        document.opened.connect(self._open)
        document.changed.connect(self._follow)
        document.went_back.connect(self._go_where_it_happened)

    # ---- asking -----------------------------------------------------------------------------

    @property
    def scene(self) -> Scene | None:
        """The scene as it is, or as it is previewed."""
        return self._document.scene(self.slug)

    @property
    def fps(self) -> Fraction:
        return frame_rate(self._document.header.fps or "24")

    @property
    def kept(self) -> Kept:
        """Sounds and motions that were made already."""
        if self._kept is None:
            from ...handoff.kept import Kept

            self._kept = Kept()
        return self._kept

    @property
    def settled(self) -> bool:
        """Whether all that is to be seen and heard is made of what is there now."""
        if self._soon.isActive():
            return False
        return not self.wanted or self.scene is None or same(self._wish(), self._made_of)

    def line(self, clip: Clip) -> Line | None:
        """The line that a clip is of; None for other sound, or where it is gone."""
        return self._fact(clip).line

    def whole(self, clip: Clip) -> float:
        """Seconds of the sound of a clip, uncut; of one that is away, what is kept of it."""
        return self._fact(clip).seconds or clip.cut + clip.length or UNKNOWN

    def problem(self, clip: Clip) -> str:
        """Why a clip can be neither seen nor heard; "" if it can, or nobody knows yet."""
        return self._fact(clip).problem

    def sound(self, clip: Clip) -> Sound | None:
        """What a clip is cut from, if it has been read: (n,) or (n, 2) at the rate of the mix."""
        return self._fact(clip).sound

    def lasts(self, move: Move) -> float:
        """Seconds of a recorded motion; 0 where it cannot be used, or nobody knows yet."""
        whole = max(0.0, self._motions.get(move.file, 0.0) - move.cut)
        return min(move.length, whole) if move.length else whole

    def _fact(self, clip: Clip) -> Fact:
        """What is known of what a clip is cut from; found once, until something changes."""
        key = clip.line or clip.audio
        found = self._facts.get(key)
        if found is None:
            found = self._facts[key] = self._find(clip)
        return found

    def _find(self, clip: Clip) -> Fact:
        line = self._document.kept_line(clip.line) if clip.line else None
        if clip.line and line is None:
            said = f"The line “{clip.line}” is not in the production any more; bring it back, or take the clip out."
            return Fact(None, 0.0, said, None)
        production = self._document.production
        path = production.audio_path(line) if line else production.folder / clip.audio
        problem = self._problems.get(str(path), "")
        if not path.exists():
            problem = f"The recording {path.name} is missing; bring it back, or take the clip out."
        if line is not None:
            seconds = line.reading.audio.duration if line.reading is not None else line.duration
        else:
            try:
                seconds = self.kept.seconds(path)
            except GlyphosError:
                seconds = 0.0
        ready = self._kept.ready(path, line.channel if line else 0) if self._kept else None
        return Fact(line, seconds, problem, ready)

    @property
    def length(self) -> float:
        """Seconds of the scene."""
        scene = self.scene
        return scene_length(scene, self.whole) if scene is not None else 0.0

    def playable(self) -> Scene | None:
        """The scene without what can be neither seen nor heard."""
        scene = self.scene
        if scene is None:
            return None
        lanes = tuple(
            msgspec.structs.replace(x, clips=tuple(c for c in x.clips if not self.problem(c)))
            for x in scene.lanes
        )
        return msgspec.structs.replace(scene, lanes=lanes)

    # ---- choosing ---------------------------------------------------------------------------

    def show(self, slug: str) -> None:
        """Show another scene of the production, from its beginning."""
        if slug != self.slug:
            self.slug = slug
            if self._kept is not None:
                self._kept.forget_but(set())  # sounds of one scene at a time
            self.filming = self.film = self.mixer = self._made_of = self._failed = None
            self.changed.emit()
            self.faces_changed.emit()
            self._soon.start()

    def want(self, wanted: bool) -> None:
        """Somebody looks at the scene from now on, and hears it; or nobody does."""
        self.wanted = wanted
        self._facts.clear()  # files come and go
        self._watched.follow(())
        if wanted:
            self._lend()
            self._soon.start()
        else:
            self._loader.give_back()

    def _open(self) -> None:
        self._kept = None
        self._problems = {}
        self._facts.clear()
        self._lent = ""
        self.filming = self.film = self.mixer = self._made_of = self._failed = None
        scenes = self._document.production.scenes
        self.slug = scenes[0].slug if scenes else ""
        self.changed.emit()
        self.faces_changed.emit()
        self._soon.start()

    def _changed_outside(self) -> None:
        self._facts.clear()
        self.changed.emit()
        self._soon.start()

    def _follow(self, keys: frozenset[Key]) -> None:
        if self._document.previewed not in keys:
            self._facts.clear()
        scenes = self._document.production.scenes
        if scene_key(self.slug) in keys or (scenes and not self.slug):
            if self.scene is None:  # taken away, its making undone, or the first of all was made
                self.show(scenes[0].slug if scenes else "")
                return
            self.changed.emit()
        if kinds_of(keys) & {"scene", "line", "character", "header"}:
            self._soon.start()
        if "line" in kinds_of(keys):
            self.changed.emit()

    def _go_where_it_happened(self, step: Step) -> None:
        touched = [slug for kind, slug in step.after if kind == "scene"]
        there = [s for s in touched if self._document.scene(s) is not None]
        if there and self.slug not in touched:
            self.show(there[0])

    # ---- making -----------------------------------------------------------------------------

    def _wish(self) -> Wish | None:
        """What a film of the scene is made of, whatever a hand is just doing to it."""
        production = self._document.production
        scene = production.values.get(scene_key(self.slug))
        if scene is None:
            return None
        lines = tuple(self.line(c) for x in scene.lanes for c in x.clips if c.line)
        return (
            scene,
            lines,
            production.characters,
            self._document.header.fps,
            str(production.folder),
            states_of(scene, production),
        )

    def _make(self) -> None:
        """Make what has changed: the mix of other levels at once, all else in the background."""
        if not self.wanted:
            return
        if self._document.previewed == scene_key(self.slug):
            self._show_hand()
            return
        wish = self._wish()
        self._watched.follow(path for path, _ in (wish[-1] if wish else ()))
        if wish is None:
            self._lend()
            return
        if same(wish, self._made_of) or same(wish, self._failed):
            if self.filming is not None and self.film is not self.filming:  # a hand let go
                self._take(self.filming, wish)
            return
        playable, known = self.playable(), self.filming
        assert playable is not None
        like = isinstance(self._made_of, tuple) and same(wish[1:], self._made_of[1:])
        if known is not None and like and self._quick(playable, known):
            self._take(known.differently(playable), wish)
        else:
            self._begin(playable, wish, known if like else None)

    def _quick(self, playable: Scene, known: Filming) -> bool:
        """Whether faces stay as they are, and every sound is there."""
        from ...scene.acting import as_acted

        return as_acted(playable) == as_acted(known.scene) and all(
            self.sound(c) is not None for x in playable.lanes for c in x.clips
        )

    def _begin(self, playable: Scene, wish: Wish, known: Filming | None) -> None:
        production, kept, fps = self._document.production, self.kept, self.fps

        def work(told: Told) -> tuple[Filming, dict[str, str], dict[str, float]]:
            from ...characters.recorded import open_layer
            from ...handoff.filming import Filming, Look

            problems: dict[str, str] = {}
            motions: dict[str, float] = {}
            lanes = []
            for k, lane in enumerate(playable.lanes):
                told(0.5 * k / len(playable.lanes))
                clips, moves = [], []
                for clip in lane.clips:
                    line = production.line(clip.line) if clip.line else None
                    path = production.audio_path(line) if line else production.folder / clip.audio
                    try:
                        kept.sound(path, line.channel if line else 0)
                        clips.append(clip)
                    except GlyphosError as error:
                        problems[str(path)] = str(error)
                for move in lane.moves:
                    path = production.folder / move.file
                    try:
                        motions[move.file] = float(open_layer(path)[0].times[-1])
                        moves.append(move)
                    except GlyphosError as error:
                        problems[str(path)] = str(error)
                lanes.append(msgspec.structs.replace(lane, clips=tuple(clips), moves=tuple(moves)))
            scene = msgspec.structs.replace(playable, lanes=tuple(lanes))
            made = (
                known.differently(scene)
                if known is not None
                else Filming(scene, production, Look(fps), kept)
            )
            made.prepare(lambda share: told(0.5 + 0.5 * share))
            return made, problems, motions

        def apply(done: tuple[Filming, dict[str, str], dict[str, float]]) -> None:
            self._problems = done[1]
            self._motions = done[2]
            self._facts.clear()
            self._take(done[0], wish)
            self.sounds_changed.emit()

        def ended(problem: str) -> None:
            if problem and problem != "Stopped.":
                self._failed = wish
                self._jobs.talk.fail(problem)  # also where it was done quietly
            self._soon.start()

        self._jobs.submit(
            f"Preparing {playable.name or playable.slug}", work, apply, name="scene", quiet=self.filming is not None,
            instead=True, inputs=self._wish, again=lambda: None, ended=ended,
        )  # fmt: skip

    def _take(self, filming: Filming, wish: Wish) -> None:
        self.filming = self.film = filming
        self._made_of = wish
        self._mix(filming)
        self.faces_changed.emit()

    def _show_hand(self) -> None:
        """While a level is dragged it is heard, while a camera is turned it is seen."""
        scene, known = self.scene, self.filming
        kept = self._document.production.values.get(scene_key(self.slug))
        if scene is None or known is None or kept is None:
            return
        from ...scene.acting import as_acted

        if as_acted(scene) != as_acted(kept):  # seen and heard once it is dropped
            return
        playable = self.playable()
        assert playable is not None
        if as_acted(playable) != as_acted(known.scene) or any(overlaps(x, self.whole) for x in playable.lanes):  # fmt: skip
            return
        assert self.film is not None
        before, self.film = self.film.scene, known.differently(playable)
        if playable.lanes != before.lanes:
            self._mix(self.film)
        self.faces_changed.emit()

    def _mix(self, film: Filming) -> None:
        from ...scene.mix import Mixer

        self.mixer = Mixer(film.parts(), film.frames / float(film.look.fps))
        self._lend()
        if self._document.previewed is None:
            self._hold_peaks(self.mixer)

    def _hold_peaks(self, mixer: Mixer) -> None:
        """Peaks are turned down as in what is written, once they are known."""

        def work(_: Told) -> object:
            from ...scene.mix import limiting

            return limiting(mixer.read(0, len(mixer)))

        def apply(held: object) -> None:
            if held is not None and self.mixer is mixer:
                self.mixer = mixer.with_held(held)
                self._lend()

        self._jobs.submit(
            "Finding peaks", work, apply, name="scene peaks", quiet=True, instead=True,
            inputs=lambda: self.mixer,
        )  # fmt: skip

    def _lend(self) -> None:
        if not self.wanted:
            return
        from ...scene.mix import RATE, Mixer

        mixer = self.mixer if self.mixer is not None else Mixer((), 0)
        afresh = self._lent != self.slug
        self._lent = self.slug
        self._loader.lend(mixer, max(len(mixer) / RATE, self.length), afresh=afresh)
