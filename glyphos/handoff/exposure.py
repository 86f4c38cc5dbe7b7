"""Held drawings as files: a frame list, a table, an exposure sheet with a row a frame."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from ..characters.drawings.exposures import Exposure
from ..characters.drawings.mouths import Mouths
from ..errors import SaveError
from ..files import write_atomic
from ..motion.curve import Motion
from ..motion.delivery import Delivery
from ..speech.parts import Flat
from ..speech.reading import Reading

SHEET = ".xsheet.csv"
ENDINGS = (".txt", ".csv", SHEET)


def to_list(exposures: Sequence[Exposure], mouths: Mouths, first_frame: int = 0) -> bytes:
    """A line for every change: `frame name`."""
    rows = [f"{e.first + first_frame} {mouths.mouths[e.drawing].name}" for e in exposures]
    return ("\n".join(rows) + "\n").encode()


def to_csv(
    exposures: Sequence[Exposure], mouths: Mouths, motion: Motion, first_frame: int = 0
) -> bytes:
    """A row for every exposure: frame, frames held, seconds, name and file of the drawing."""
    rows: list[list[object]] = [["frame", "frames", "seconds", "mouth", "file"]]
    for e in exposures:
        mouth = mouths.mouths[e.drawing]
        at = f"{e.first / float(motion.fps):.6f}"
        rows.append([e.first + first_frame, e.frames, at, mouth.name, mouth.file])
    return _table(rows)


def to_sheet(
    exposures: Sequence[Exposure], mouths: Mouths, motion: Motion, reading: Reading,
    delivery: Delivery, first_frame: int = 0,
) -> bytes:  # fmt: skip
    """A row a frame, as on paper: frame, seconds, sound, word (where each is heard), and the mouth
    where it changes."""
    flat, fps = Flat.of(reading), float(motion.fps)
    changes = {e.first: mouths.mouths[e.drawing].name for e in exposures}
    rows: list[list[object]] = [["frame", "seconds", "sound", "word", "mouth", "notes"]]
    before: tuple[int, int] = (-1, -1)
    for frame in range(motion.frames):
        heard = (frame / fps - delivery.offset) * delivery.speed
        part = flat.part_at("sound", heard) if flat.phones else None
        sound = word = ""
        if part is not None:
            phone, number = flat.phones[part.number], flat.word_of[part.number]
            if phone.start <= heard < phone.end:
                if part.number != before[0]:
                    sound = phone.ipa
                if number != before[1]:
                    word = flat.words[number].text
                before = part.number, number
        rows.append(
            [frame + first_frame, f"{frame / fps:.6f}", sound, word, changes.get(frame, ""), ""]
        )
    return _table(rows)


def save(
    path: Path, exposures: Sequence[Exposure], mouths: Mouths, motion: Motion, reading: Reading,
    delivery: Delivery, first_frame: int = 0,
) -> None:  # fmt: skip
    """Write them in the format that the ending of `path` says; SaveError for any other."""
    name = path.name.lower()
    if name.endswith(SHEET):
        data = to_sheet(exposures, mouths, motion, reading, delivery, first_frame)
    elif name.endswith(".csv"):
        data = to_csv(exposures, mouths, motion, first_frame)
    elif name.endswith(".txt"):
        data = to_list(exposures, mouths, first_frame)
    else:
        raise SaveError(
            f"Held drawings are not written as {path.name}; let it end in {', '.join(ENDINGS)}."
        )
    write_atomic(path, data)


def _table(rows: list[list[object]]) -> bytes:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    return text.getvalue().encode()
