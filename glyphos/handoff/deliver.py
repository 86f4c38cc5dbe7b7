"""What leaves: files of lines for other programs, planned first, then written.

One plan serves the Handoff page, the shell and Python: what it shows is what is written.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import GlyphosError, SaveError, ScriptError
from ..files import reason
from ..motion.curve import Motion
from ..motion.loudness import measure
from ..motion.perform import perform
from ..production.documents import Line
from ..production.production import Production
from ..progress import Progress
from ..rates import frame_rate
from ..speech.recording import open_recording
from . import curves, timing

CURVES = {"csv": "table, a row a frame", "json": "JSON with ranges"}
TIMINGS = {
    "vtt": "captions with words, WebVTT", "srt": "captions, SRT", "csv": "table, a row a sound",
    "TextGrid": "interval text", "json": "Reading, JSON",
}  # fmt: skip


@dataclass(frozen=True)
class Wish:
    """What to write: an ending of CURVES and one of TIMINGS (empty: none), at a frame rate."""

    curves: str = "csv"
    timing: str = ""
    fps: str = "24"


@dataclass(frozen=True)
class Item:
    """One file: its name, what it holds, and the line it is made of."""

    name: str
    what: str
    line: Line
    audio: Path


@dataclass(frozen=True)
class Plan:
    """Files to be written, and the slugs of lines that have nothing to hand over yet."""

    items: tuple[Item, ...]
    left_out: tuple[str, ...]
    rate: Fraction


def plan(production: Production, lines: Sequence[Line], wish: Wish) -> Plan:
    """What a wish comes to; ScriptError where it comes to nothing."""
    rate = frame_rate(wish.fps)
    if not wish.curves and not wish.timing:
        raise ScriptError("There is nothing to write; choose curves or timing.")
    items = []
    heard = [x for x in lines if x.reading is not None and x.reading.phrases]
    for line in heard:
        audio = production.audio_path(line)
        if wish.curves:
            items.append(Item(f"{line.slug}.curves.{wish.curves}", "curves", line, audio))
        if wish.timing:
            items.append(Item(f"{line.slug}.timing.{wish.timing}", "timing", line, audio))
    if not items:
        raise ScriptError("Listen to the line first; there is nothing to hand over yet.")
    known = set(map(id, heard))
    return Plan(tuple(items), tuple(x.slug for x in lines if id(x) not in known), rate)


def deliver(planned: Plan, folder: str | Path, *, progress: Progress | None = None) -> None:
    """Write the files of a plan into a folder, each whole or not at all."""
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise SaveError(f"{folder} is a file; name a folder to write into.") from None
    except OSError as error:
        raise SaveError(f"{folder} cannot be made: {reason(error)}.") from None
    for number, item in enumerate(planned.items):
        if progress is not None:
            progress(number / len(planned.items))
        assert item.line.reading is not None
        if item.what == "curves":
            curves.save(motion_of(item.line, item.audio, planned.rate), folder / item.name)
        else:
            timing.save(item.line.reading, folder / item.name)


def motion_of(line: Line, audio: Path, rate: Fraction) -> Motion:
    """The whole motion of a line, with the loudness of its recording where that can be read."""
    assert line.reading is not None
    loudness = None
    try:
        channel = line.channel - 1 if line.channel else None
        loudness = measure(open_recording(audio, channel=channel).samples, 16_000)
    except GlyphosError:
        pass  # a recording that is away takes nothing from the shapes
    return perform(line.reading, line.delivery, fps=rate, loudness=loudness)
