"""A scene, or lines one after the other, as a film: faces acted and dressed, sound mixed, captions laid out.

One way for the window, the shell and Python; what is written goes through `scene.movie`.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ..characters.head import Doubles
from ..errors import DocumentError, SaveError
from ..motion.curve import Motion
from ..production.documents import Line
from ..production.production import Production
from ..progress import Progress, share
from ..scene.acting import Said, acted, as_acted
from ..scene.camera import camera_at
from ..scene.documents import Clip, Scene, check_scene, overlaps, scene_length
from ..scene.made import Spoken, scene_of
from ..scene.mix import RATE, Part, Sound, mixed, normalised
from ..scene.mix import limited as peaks_kept
from ..scene.movie import Film
from ..scene.picture import Drawn, Picture
from ..scene.said import text_in, words_in
from ..speech.reading import AudioInfo, Phrase, Reading, Word
from ..speech.script import read_aloud
from ..stage.messages import Ask
from ..stage.views import VIEWS
from .bodies import Moving, bones_of, moving
from .kept import Kept
from .worn import DrawingsWorn, Worn, head_worn

if TYPE_CHECKING:  # it brings all of the solver with it
    from ..characters.dressing import Dress, Dressed

CAPTIONS = ("none", "burnt", "track", "file")
ENDS_AT_WORD = 0.4  # seconds that words are read on after they were said


def spoken(line: Line) -> Spoken:
    """A line as a scene is made of it; DocumentError says where nothing is known of it yet."""
    reading = line.reading
    if reading is None or not reading.phrases:
        raise DocumentError(f"{line.title} has not been listened to; listen to it first.")
    asks = line.script.rstrip().rstrip("”\"'").endswith("?")
    first, last = reading.phrases[0].start, reading.phrases[-1].end
    return Spoken(line.slug, line.speaker, reading.audio.duration, first, last, asks)


def placeable(line: Line) -> Spoken:
    """A line as it is put into a scene by hand, be it listened to or not: its voice is heard in any case."""
    return (
        spoken(line)
        if line.heard
        else Spoken(line.slug, line.speaker, line.duration, 0.0, line.duration)
    )


def scene_from(lines: Iterable[Line], *, slug: str = "lines", name: str = "") -> Scene:
    """A scene of lines in their order; those that were not listened to are left out."""
    heard = [spoken(x) for x in lines if x.heard]
    if not heard:
        raise DocumentError("None of these lines has been listened to; listen to them first.")
    return scene_of(heard, slug=slug, name=name)


@dataclass(frozen=True)
class Look:
    """How a film looks and sounds. view: in place of all shots, "" for the scene's own; background: in place
    of the scene's; loud: LUFS, None to leave levels as they are."""

    fps: Fraction
    size: tuple[int, int] = (1280, 720)
    view: str = ""
    background: str = ""
    fine: bool = False
    burnt: bool = False
    loud: float | None = None


@dataclass
class Filming:
    """Everything of a scene that a film is made of, found once."""

    scene: Scene
    production: Production
    look: Look
    kept: Kept = field(default_factory=Kept, repr=False)

    def __post_init__(self) -> None:
        check_scene(self.scene)
        for lane in self.scene.lanes:
            for clip in lane.clips:
                if clip.line and not self.production.has(clip.line):
                    raise DocumentError(
                        f"The scene has a clip of the line “{clip.line}”, which is not in the production; "
                        "take the clip out, or bring the line back."
                    )
            if twice := overlaps(lane, self.whole):
                raise DocumentError(
                    f"Two clips of {lane.name or 'one lane'} are heard at once at {twice[0][1].start:.2f} s; move "
                    "one of them, or put it on a lane of its own."
                )

    def differently(self, scene: Scene) -> Filming:
        """The film of a scene that was changed; what faces do is taken over where that is the same."""
        made = Filming(scene, self.production, self.look, self.kept)
        if as_acted(scene) == as_acted(self.scene):
            for name in ("motions", "said", "faces", "_worn"):
                if name in self.__dict__:
                    made.__dict__[name] = self.__dict__[name]
        return made

    def prepare(self, progress: Progress | None = None) -> None:
        """Find what is asked of pictures, before they are."""
        told = progress or (lambda _: None)
        for k, speaker in enumerate(self.scene.speakers):
            told(k / len(self.scene.speakers))
            self._worn[speaker]

    # ---- time -----------------------------------------------------------------------------------

    def whole(self, clip: Clip) -> float:
        """Seconds of the sound of a clip, uncut."""
        if clip.line:
            line = self.line(clip)
            return line.reading.audio.duration if line.reading is not None else line.duration
        return len(self._sound(clip)) / RATE

    @cached_property
    def frames(self) -> int:
        return int(
            np.ceil(scene_length(self.scene, self.whole) * self.look.fps - Fraction(1, 1000))
        )

    def line(self, clip: Clip) -> Line:
        return self.production.line(clip.line)

    def clips(self, speaker: str) -> list[Clip]:
        """Clips of lines of a speaker, in time."""
        found = [
            c for x in self.scene.lanes if x.speaks and x.name == speaker for c in x.clips if c.line
        ]
        return sorted(found, key=lambda c: c.start)

    # ---- faces ----------------------------------------------------------------------------------

    @cached_property
    def motions(self) -> dict[str, Motion]:
        """The motion of each line's face."""
        slugs = {c.line for s in self.scene.speakers for c in self.clips(s)}
        made = {}
        for slug in sorted(slugs):
            line = self.production.line(slug)
            if line.reading is not None:
                audio = self.production.audio_path(line)
                made[slug] = self.kept.motion(line, audio, self.look.fps, self.production.folder)
        return made

    @cached_property
    def said(self) -> dict[str, list[Said]]:
        return {
            s: [self._said(c) for c in self.clips(s) if c.line in self.motions]
            for s in self.scene.speakers
        }

    def _said(self, clip: Clip) -> Said:
        line, fps = self.line(clip), float(self.look.fps)
        film = line.delivery.film
        cut, lasts = film(clip.cut), clip.lasts(self.whole(clip)) / line.delivery.speed
        ends = tuple(
            round((clip.start + film(p.end) - cut) * fps)
            for p in line.reading.phrases  # type: ignore[union-attr]
        )
        return Said(
            self.motions[clip.line],
            round(clip.start * fps),
            round(cut * fps),
            round(lasts * fps),
            ends,
        )

    @cached_property
    def faces(self) -> dict[str, Motion]:
        """The motion of every speaker over the whole film."""
        heads = {s: [m.recorded for m in own] for s, own in self._moving.items()}
        return acted(self.scene, self.said, self.frames, self.look.fps, heads)

    def dress(self, speaker: str) -> tuple[Dressed, Dress]:
        """The head of a speaker and the curves of its own channels over the whole film."""
        character = self.production.character_for(speaker)
        dressed = self.kept.dressed(character, self.production.model_path(character))
        return dressed, replace(dressed.wear(self.faces[speaker]), bones=self.bones(speaker))

    @cached_property
    def _moving(self) -> dict[str, list[Moving]]:
        """Recorded motions of bodies on each speaker."""
        made, fps = {}, float(self.look.fps)
        for speaker in {x.name for x in self.scene.lanes if x.moves}:
            character = self.production.character_for(speaker)
            head = None
            if character.drawings is None:
                head = self.kept.dressed(character, self.production.model_path(character)).head
            made[speaker] = moving(self.scene, speaker, self.production.folder, head, self.frames, fps)  # fmt: skip
        return made

    def bones(self, speaker: str) -> dict[int, Doubles]:
        """Turns (frames, 3, 3) of bones that recorded motions drive by their names."""
        return bones_of(self._moving.get(speaker, ()), self.frames)

    @cached_property
    def _worn(self) -> dict[str, Worn]:
        return {s: self._wear(s) for s in self.scene.speakers}

    def _wear(self, speaker: str) -> Worn:
        character, face = self.production.character_for(speaker), self.faces[speaker]
        if character.drawings is None:
            model = self.production.model_path(character)
            return head_worn(character, model, self.kept.dressed(character, model), face, self.bones(speaker))  # fmt: skip
        clips = [c for c in self.clips(speaker) if c.line in self.motions]
        lines = list(zip(self.said[speaker], map(self.line, clips), strict=True))
        return DrawingsWorn(
            character.drawings, self.production.drawings_folder(character), face, lines
        )

    # ---- what is seen ---------------------------------------------------------------------------

    def seen(self, frame: int) -> list[str]:
        """Who is seen on a frame, from left to right."""
        shot = self.scene.shot_at(frame / float(self.look.fps))
        seen: list[str | None] = [s for s in shot.of if s in self.scene.speakers]
        seen = seen or [self._speaking(frame)]
        return sorted((s for s in seen if s is not None), key=lambda s: self.scene.place(s).right)

    def speaks(self, speaker: str, frame: int) -> bool:
        """Whether somebody speaks on a frame."""
        return any(s.first <= frame < s.first + s.frames for s in self.said.get(speaker, ()))

    def picture(self, frame: int) -> Picture:
        """What is seen on a frame."""
        seconds = frame / float(self.look.fps)
        there = self.seen(frame)
        view = VIEWS[self.look.view] if self.look.view else camera_at(self.scene, seconds)
        columns: list[Ask | Drawn] = []
        for speaker in there:
            worn = self._worn[speaker]
            camera = view
            if len(there) > 1:  # side by side they are seen as they stand
                camera = replace(view, azimuth=view.azimuth + self.scene.place(speaker).turn)
            columns.append(worn.on(frame, camera))
        caption = self._words_at(seconds) if self.look.burnt else ""
        return Picture(
            tuple(columns),
            self.look.size,
            self.look.background or self.scene.background,
            self.look.fine,
            caption,
        )

    def _speaking(self, frame: int) -> str | None:
        """Who speaks on a frame, or spoke last."""
        begun = [
            (s.first, speaker)
            for speaker, own in self.said.items()
            for s in own
            if s.first <= frame
        ]
        return max(begun)[1] if begun else next(iter(self.scene.speakers), None)

    @cached_property
    def _phrases(self) -> list[tuple[str, Phrase]]:
        """Those of all lines in the time of the scene, with who says each."""
        phrases = []
        for speaker in self.scene.speakers:
            for clip in self.clips(speaker):
                line = self.line(clip)
                if line.reading is None:
                    continue
                end = clip.cut + clip.lasts(self.whole(clip))
                for p in line.reading.phrases:
                    if clip.cut <= p.start < end:
                        later = clip.start - clip.cut
                        phrases.append((speaker, _later(p, later, later + end)))
        return sorted(phrases, key=lambda told: told[1].start)

    @cached_property
    def captions(self) -> Reading:
        """Phrases of all lines in the time of the scene."""
        seconds = self.frames / float(self.look.fps)
        phrases = tuple(phrase for _, phrase in self._phrases)
        return Reading("en", AudioInfo(self.scene.slug, seconds, 48_000), phrases)

    @property
    def voices(self) -> list[str]:
        """Who says each of the captions; nobody is named where one speaks alone."""
        return [speaker for speaker, _ in self._phrases] if len(self.scene.speakers) > 1 else []

    def script(self) -> list[tuple[float, str, str]]:
        """When who says what: seconds, speaker, words."""
        told = []
        for speaker in self.scene.speakers:
            for clip in self.clips(speaker):
                line = self.line(clip)
                read = text_in(clip, line.reading, self.whole) if line.reading is not None else ""
                told.append((clip.start, speaker, read or " ".join(line.script.split())))
        return sorted(told)

    def _words_at(self, seconds: float) -> str:
        """What is read on the picture at a time: the latest phrase that was begun."""
        now = [p for p in self.captions.phrases if p.start <= seconds < p.end + ENDS_AT_WORD]
        return read_aloud(now[-1].text) if now else ""

    # ---- what is heard --------------------------------------------------------------------------

    def keep_off(self, path: Path) -> None:
        """SaveError for a movie that would be written over one of its own recordings."""
        for lane in self.scene.lanes:
            for clip in lane.clips:
                if self.source(clip).resolve() == path.resolve():
                    raise SaveError(
                        f"{path.name} is the recording itself; give the movie another name."
                    )

    def source(self, clip: Clip) -> Path:
        """The file that a clip is cut from."""
        if clip.line:
            return self.production.audio_path(self.line(clip))
        return self.production.folder / clip.audio

    def words(self, clip: Clip) -> list[Word]:
        """Words that are said in a clip, in the time of its recording."""
        reading = self.line(clip).reading if clip.line else None
        return words_in(clip, reading, self.whole) if reading is not None else []

    def _sound(self, clip: Clip) -> Sound:
        """What a clip is cut from, at the rate of the mix."""
        return self.kept.sound(self.source(clip), self.line(clip).channel if clip.line else 0)

    def parts(self, lane_name: str | None = None) -> list[Part]:
        """Sounds of all lanes that are heard, or of one by itself (a stem), placed and cut."""
        lanes = self.scene.heard() if lane_name is None else self.scene.lanes
        made = []
        for lane in lanes:
            if lane_name is not None and lane.name != lane_name:
                continue
            for clip in lane.clips:
                samples = self._sound(clip)
                first = round(clip.cut * RATE)
                count = round(clip.lasts(len(samples) / RATE) * RATE)
                made.append(
                    Part(samples[first : first + count], RATE, clip.start, clip.gain + lane.gain, clip.fade_in, clip.fade_out)
                )  # fmt: skip
        return made

    def stem(self, lane_name: str) -> Sound:
        """A lane by itself, as loud as it is in the mix before that is held to a loudness or to its peaks."""
        return mixed(self.parts(lane_name), self.frames / float(self.look.fps))

    def sound(self) -> Sound:
        """The mix, as long as the film, true peaks kept; at a loudness if one is wished for."""
        whole = mixed(self.parts(), self.frames / float(self.look.fps))
        return (
            normalised(whole, self.look.loud) if self.look.loud is not None else peaks_kept(whole)
        )

    def film(self, *, silent: bool = False, progress: Progress | None = None) -> Film:
        """The film, ready to be written."""
        told = progress or (lambda _: None)
        told(0.0)
        sound = None if silent else self.sound()
        told(0.2)
        self.prepare(share(told, 0.2, 1.0))
        return Film(self.frames, self.look.fps, self.look.size, self.picture, sound)


def _later(phrase: Phrase, by: float, end: float) -> Phrase:
    """A phrase so many seconds later, no further than an end."""

    def at(seconds: float) -> float:
        return max(0.0, min(seconds + by, end))

    words = tuple(
        msgspec.structs.replace(
            w, start=at(w.start), end=at(w.end),
            phones=tuple(msgspec.structs.replace(p, start=at(p.start), end=at(p.end)) for p in w.phones),
        )
        for w in phrase.words if w.start + by < end
    )  # fmt: skip
    return msgspec.structs.replace(phrase, start=at(phrase.start), end=at(phrase.end), words=words)
