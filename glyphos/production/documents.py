"""What a production keeps: its header and its lines, as immutable documents."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from pathlib import PurePosixPath
from typing import Literal

import msgspec

from ..characters.drawings.documents import Drawings
from ..characters.drawings.pins import Pin
from ..characters.fittings import Fitting
from ..motion.delivery import Delivery
from ..motion.life.event import Liveliness
from ..motion.life.hands import Happening
from ..motion.mix import Mix, Name
from ..motion.mood import Faces, MoodSpan
from ..motion.touch.keys import Touch
from ..speech.reading import Reading
from ..speech.saying import PlaceholderVoice
from ..speech.turns import SPEAKER, undirected

VERSION = 1
STATES = ("problem", "not listened", "placeholder", "doubtful", "listened", "confirmed")


class Recorded(msgspec.Struct, frozen=True):
    """Curves of a face that were recorded elsewhere, laid on a line: their file relative to the
    production, seconds later they are laid, strength 0..1.5, the regions they act on, whether they are on.
    zero: seconds of the file at which the face is at rest; smoothing: of `motion.euro`, 0 for none."""

    file: str
    offset: float = 0.0
    strength: float = 1.0
    regions: tuple[str, ...] = ("mouth", "cheeks", "lids", "brows", "gaze", "head")
    on: bool = True
    zero: float | None = None
    smoothing: float = 0.0


class Aside(msgspec.Struct, frozen=True):
    """Something that rode on sounds which are gone: one of its fields, and what it was in words. It waits to
    be placed again or dropped."""

    what: str
    touch: Touch | None = None
    happening: Happening | None = None
    mood: MoodSpan | None = None
    held: Pin | None = None


class Accepted(msgspec.Struct, frozen=True):
    """A finding that a person lets stay: of which check, where (seconds of the recording), and why."""

    check: str
    start: float = 0.0
    end: float = 0.0
    reason: str = ""


class Line(msgspec.Struct, frozen=True):
    """One recording of one speaker with its script; `audio` is relative to the production.

    `confirmed`: a person found the whole line right. `problem`: why it could not be listened to.
    `digest`: of the recording's bytes, to find it again by content. `offered`: edges whose pins
    an earlier take had, as (sound, whether its end). `channel`: which one is listened to (from 1;
    0 is all of them). `condition`: listen to a cleaned copy. `held`: drawings placed by hand.
    `life`: of the rest of the face, None for none; `moods` over spans of it, `faces` how strongly;
    `happenings`: what was placed in its life by hand; `recorded`: curves laid on it; `touches`: keys by
    hand; `mix`: of all these layers; `aside`: what could not be carried to another reading;
    `accepted`: findings of Proof that may stay, and why. `placeholder`: what spoke it until somebody does,
    "" if somebody did.
    """

    slug: str
    audio: str
    speaker: str = ""
    script: str = ""
    language: str = "en"
    reading: Reading | None = None
    delivery: Delivery = Delivery()
    duration: float = 0.0
    confirmed: bool = False
    problem: str = ""
    digest: str = ""
    offered: tuple[tuple[int, bool], ...] = ()
    channel: int = 0
    condition: bool = False
    held: tuple[Pin, ...] = ()
    life: Liveliness | None = None
    moods: tuple[MoodSpan, ...] = ()
    faces: Faces = Faces()
    happenings: tuple[Happening, ...] = ()
    recorded: tuple[Recorded, ...] = ()
    touches: tuple[Touch, ...] = ()
    mix: Mix = Mix()
    aside: tuple[Aside, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    placeholder: str = ""
    format: Literal["glyphos-line"] = "glyphos-line"
    version: Literal[1] = 1

    @property
    def lives(self) -> bool:
        """Whether more than its mouth moves."""
        laid = self.life is not None or bool(self.moods) or any(r.on for r in self.recorded)
        return laid or bool(self.touches) or self.mix != Mix()

    @property
    def layers(self) -> tuple[Name, ...]:
        """The layers that there is something of; speech always."""
        there: dict[Name, object] = {
            "speech": True, "life": self.life, "mood": self.moods, "recorded": any(r.on for r in self.recorded),
            "touch": self.touches,
        }  # fmt: skip
        return tuple(n for n, something in there.items() if something)

    @property
    def heard(self) -> bool:
        """Whether it was listened to, and words were found."""
        return self.reading is not None and bool(self.reading.phrases)

    @property
    def state(self) -> str:
        """One of STATES."""
        if self.problem:
            return "problem"
        if self.reading is None:
            return "not listened"
        if self.placeholder:
            return "placeholder"
        if self.confirmed:
            return "confirmed"
        doubtful = any(w.doubtful for w in self.reading.words())
        return "doubtful" if doubtful or self.reading.unread else "listened"

    @property
    def file(self) -> str:
        """Name of the recording's file."""
        return PurePosixPath(self.audio).name

    @property
    def title(self) -> str:
        """First words that are said, or the first that are written; the file's name while there is no script."""
        lines = self.script.strip().splitlines()
        for line in lines:
            said = SPEAKER.sub("", f"{line} ").strip()
            if undirected(said).strip(" *_\"'“”.…"):
                return said
        return lines[0] if lines else self.file


class Character(msgspec.Struct, frozen=True):
    """Who wears the motion. model: one of our heads by name, or a file, relative to the production
    where it lies beside or in it. poses: a list of poses beside it. speakers: whose lines it
    speaks. drawings: of a character that is drawn; then `model` is the folder that they lie in, or
    the name of one of our sets."""

    slug: str
    name: str
    model: str = "mabel"
    poses: str = ""
    speakers: tuple[str, ...] = ()
    fitting: Fitting = Fitting()
    notes: str = ""
    drawings: Drawings | None = None
    format: Literal["glyphos-character"] = "glyphos-character"
    version: Literal[1] = 1


class Header(msgspec.Struct, frozen=True):
    """`production.json`: name, frame rate, usual language and the order of the lines; placeholder voices by
    speaker."""

    name: str
    fps: str = "24"
    language: str = "en"
    lines: tuple[str, ...] = ()
    voices: dict[str, PlaceholderVoice] = {}
    format: Literal["glyphos-production"] = "glyphos-production"
    version: Literal[1] = 1


def known_as(speaker: str) -> str:
    """A speaker's name to compare with others: MABEL is Mabel."""
    return speaker.strip().casefold()


def slugify(text: str, taken: Collection[str]) -> str:
    """A short file name of plain letters that is not among `taken`."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40] or "line"
    slug, number = base, 2
    while slug in taken:
        slug, number = f"{base}-{number}", number + 1
    return slug


def safe_slug(slug: str) -> bool:
    """Whether a slug is a plain file name, that cannot lead out of its folder."""
    return (
        bool(slug)
        and slug[0] != "."
        and not set(slug) & set('/\\\0:*?"<>|\n\r')
        and len(slug) < 200
    )
