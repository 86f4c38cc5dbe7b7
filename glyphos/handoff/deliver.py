"""What leaves: files of lines for other programs, planned first, then written.

One plan serves the Handoff page, the shell and Python: what it shows is what is written.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..characters.sources import poses_beside
from ..errors import GlyphosError, ScriptError
from ..files import make_folder
from ..motion.fewest import ERROR
from ..production.documents import Character, Line
from ..production.performed import motion_of
from ..production.production import Production
from ..progress import Progress
from ..rates import frame_rate
from ..speech.recording import open_recording
from . import curves, timing

if TYPE_CHECKING:  # it brings all of the solver with it
    from ..characters.dressing import Dressed

CURVES = {"csv": "table, a row a frame", "json": "JSON with ranges", "bvh": "the head alone, BVH"}
CHARACTER_FORMATS = {
    "csv": "its channels, a row a frame", "json": "its channels and keys, JSON",
    "glb": "the model with the animation, GLB", "gltf": "animation beside the model, glTF",
    "vrma": "expressions, VRM animation", "usda": "a layer over the model, OpenUSD",
}  # fmt: skip
# What a model needs besides, for processes that hand over many lines (`stem.load`)
LOADED = ("glyphos.handoff.dressed", "glyphos.characters.models.opening", "scipy.spatial.transform")
LAYER_WORDS = {
    "speech": "speech", "life": "liveliness", "mood": "mood", "recorded": "recorded", "touch": "touch-up",
}  # fmt: skip
TIMINGS = {
    "vtt": "captions with words, WebVTT", "srt": "captions, SRT", "csv": "table, a row a sound",
    "TextGrid": "interval text", "json": "Reading, JSON",
}  # fmt: skip


@dataclass(frozen=True)
class Wish:
    """What to write: an ending of CURVES, one of TIMINGS, one of a character's CHARACTER_FORMATS, one
    of FORMATS for characters of drawings (empty: none), at a frame rate.

    pattern: of names, with {line}, {speaker} and {character}. The rest is for a character: the most
    error of its keys as a share of the range, the first frame, seconds of rest before and after. apart:
    curves and models of each layer by itself too, where a line has more than its speech.
    """

    curves: str = "csv"
    timing: str = ""
    fps: str = "24"
    character: str = ""
    pattern: str = "{line}"
    error: float = ERROR
    first_frame: int = 0
    before: float = 0.0
    after: float = 0.0
    drawings: str = ""
    apart: bool = False


@dataclass(frozen=True)
class Item:
    """One file: its name, what it holds, and the line it is made of."""

    name: str
    what: str
    line: Line
    audio: Path
    folder: Path  # of the production
    character: Character | None = None
    model: str = ""
    drawings: Path = Path()  # the folder that they lie in


@dataclass(frozen=True)
class Plan:
    """Files to be written, and the slugs of lines that have nothing to hand over yet."""

    items: tuple[Item, ...]
    left_out: tuple[str, ...]
    rate: Fraction
    wish: Wish = Wish()


def plan(production: Production, lines: Sequence[Line], wish: Wish) -> Plan:
    """What a wish comes to; ScriptError where it comes to nothing."""
    rate = frame_rate(wish.fps)
    if not wish.curves and not wish.timing and not wish.character and not wish.drawings:
        raise ScriptError(
            "There is nothing to write; choose curves, timing, a character or drawings."
        )
    if not 0 <= wish.error <= 0.5 or not 0 <= wish.before <= 600 or not 0 <= wish.after <= 600:
        raise ScriptError(
            "An error is between 0 and 50 per cent, a rest between 0 and 600 seconds."
        )
    items = []
    heard = [x for x in lines if x.heard]
    for line in heard:
        audio = production.audio_path(line)
        character = production.character_for(line.speaker)
        stem = stem_of(wish.pattern, line, character)
        layered = _layered(line, wish.apart)
        if wish.curves:
            items += [
                Item(
                    f"{stem}{of}.curves.{wish.curves}",
                    f"curves{said}",
                    one,
                    audio,
                    production.folder,
                )
                for of, said, one in layered
            ]
        if wish.timing:
            items.append(
                Item(f"{stem}.timing.{wish.timing}", "timing", line, audio, production.folder)
            )
        if character.drawings is not None:
            if wish.drawings:
                name = f"{stem}.{character.slug}.{wish.drawings}"
                items.append(
                    Item(
                        name,
                        f"in drawings of {character.name}",
                        line,
                        audio,
                        production.folder,
                        character,
                        drawings=production.drawings_folder(character),
                    )
                )
        elif wish.character:
            model = production.model_path(character)
            items += [
                Item(
                    f"{stem}{of}.{character.slug}.{wish.character}", f"on {character.name}{said}", one, audio,
                    production.folder, character, model,
                )
                for of, said, one in layered
            ]  # fmt: skip
    names = [i.name for i in items]
    twice = (
        next((n for n in names if names.count(n) > 1), "") if len(set(names)) < len(names) else ""
    )
    if twice:
        raise ScriptError(f"Several files would be named {twice}; put {{line}} into the pattern.")
    if not items and heard:
        raise ScriptError(
            "None of these lines is spoken by such a character: drawings have formats of their own."
        )
    if not items:
        raise ScriptError("Listen to the line first; there is nothing to hand over yet.")
    known = set(map(id, heard))
    return Plan(tuple(items), tuple(x.slug for x in lines if id(x) not in known), rate, wish)


def _layered(line: Line, apart: bool) -> list[tuple[str, str, Line]]:
    """The line, and each of its layers by itself where that is wanted: what its name ends in, words for a
    list, and the line with that layer alone."""
    made = [("", "", line)]
    there = [n for n in line.layers if line.mix.counts(n)]
    if apart and len(there) > 1:
        for name in there:
            alone = msgspec.structs.replace(line, mix=line.mix.only(name))
            made.append((f".{name}", f", {LAYER_WORDS[name]} alone", alone))
    return made


def stem_of(pattern: str, line: Line, character: Character) -> str:
    """A name without an ending; ScriptError for a pattern that makes none."""
    try:
        stem = pattern.format(
            line=line.slug, speaker=line.speaker or "nobody", character=character.slug
        )
    except (KeyError, IndexError, ValueError):
        raise ScriptError(
            "A pattern of names knows {line}, {speaker} and {character} alone."
        ) from None
    stem = "".join("-" if c in '/\\:*?"<>|' or ord(c) < 32 else c for c in stem).strip(" .")
    if not stem:
        raise ScriptError("The pattern of names makes no name; write {line}, for one.")
    return stem


def deliver(planned: Plan, folder: str | Path, *, progress: Progress | None = None) -> None:
    """Write the files of a plan into a folder, each whole or not at all."""
    folder = Path(folder)
    make_folder(folder)
    wardrobe = _Wardrobe(planned)
    for number, item in enumerate(planned.items):
        if progress is not None:
            progress(number / len(planned.items))
        assert item.line.reading is not None
        if item.character is not None:
            if item.character.drawings is not None:
                in_drawings(item, planned, folder)
            else:
                wardrobe.deliver(item, folder)
        elif item.what.startswith("curves"):
            motion = motion_of(item.line, item.audio, planned.rate, item.folder)
            curves.save(motion, folder / item.name, still=True)
        else:
            timing.save(item.line.reading, folder / item.name)


class _Wardrobe:
    """Characters that lines are handed over on, each fitted once."""

    def __init__(self, planned: Plan) -> None:
        self._planned = planned
        self._dressed: dict[str, Dressed] = {}

    def deliver(self, item: Item, folder: Path) -> None:
        from ..characters.dressing import Dressed
        from ..characters.models.opening import open_head
        from .dressed import hand_over
        from .handing import Handing

        character, wish, planned = item.character, self._planned.wish, self._planned
        assert character is not None
        if character.slug not in self._dressed:
            head = open_head(item.model, poses=poses_beside(item.model, character.poses))
            self._dressed[character.slug] = Dressed(head, character.fitting)
        dressed = self._dressed[character.slug]
        dress = dressed.wear(motion_of(item.line, item.audio, planned.rate, item.folder))
        path = folder / item.name
        handing = Handing(wish.error, wish.first_frame, wish.before, wish.after, path.stem)
        hand_over(dress, dressed, path, handing)


def in_drawings(item: Item, planned: Plan, folder: Path) -> None:
    """A line in the drawings of its character, pins and all."""
    from ..characters.drawings.sheet import sheet_of
    from .drawn import Spoken, hand_over, rested

    line, character, wish = item.line, item.character, planned.wish
    assert character is not None and character.drawings is not None and line.reading is not None
    motion = motion_of(line, item.audio, planned.rate, item.folder)
    sheet = sheet_of(motion, character.drawings, line.held, line.reading, line.delivery)
    samples = None
    if ".xsheet." in item.name:
        try:
            channel = line.channel - 1 if line.channel else None
            samples = open_recording(item.audio, channel=channel).samples
        except GlyphosError:
            pass  # a sheet without its waveform
    title = f"{line.speaker or line.file}: {line.title}"[:90]
    spoken = Spoken(
        sheet, line.reading, line.delivery, item.drawings, samples, wish.first_frame, title
    )
    hand_over(rested(spoken, wish.before, wish.after), folder / item.name)
