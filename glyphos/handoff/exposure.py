"""Held drawings as text: a frame list, a list of changes in seconds, a table, an exposure sheet with a
row a frame; and lists that were made elsewhere, read again."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import ceil

import numpy as np
from numpy.typing import NDArray

from ..characters.drawings.documents import Drawings
from ..characters.drawings.sheet import Sheet
from ..errors import DocumentError
from ..files import text_of
from ..motion.delivery import Delivery
from ..speech.parts import Flat
from ..speech.reading import Reading
from ..tables import named_rows

MOST_ROWS = 200_000
Samples = NDArray[np.float32]


@dataclass(frozen=True)
class Row:
    """One frame of an exposure sheet. sound, word, mouth, eyes: where one begins, else empty. wave: least
    and most of the sound in it (−1 to 1). pinned: the mouth is held by hand. exposure: its number."""

    frame: int
    seconds: float
    sound: str = ""
    word: str = ""
    mouth: str = ""
    eyes: str = ""
    notes: str = ""
    wave: tuple[float, float] = (0.0, 0.0)
    pinned: bool = False
    exposure: int = 0


def rows_of(
    sheet: Sheet, reading: Reading, delivery: Delivery, first_frame: int = 0,
    samples: Samples | None = None, rate: int = 16_000,
) -> list[Row]:  # fmt: skip
    """An exposure sheet, a row a frame."""
    flat, fps = Flat.of(reading), sheet.fps
    eyes = {
        e.first: part.drawings[e.drawing].name
        for part in sheet.drawings.views[0].parts if part.name.startswith("eyes")
        for e in sheet.parts.get(part.name, ())
    }  # fmt: skip
    sounds: dict[int, str] = {}
    words: dict[int, str] = {}
    for k, phone in enumerate(flat.phones):  # on the first frame that they are heard on
        at = max(0, ceil((phone.start / delivery.speed + delivery.offset) * fps - 1e-6))
        sounds[at] = sounds.get(at, "") + phone.ipa
        if flat.first[flat.word_of[k]] == k:
            text = flat.words[flat.word_of[k]].text
            words[at] = f"{words[at]} {text}" if at in words else text
    rows = []
    peak = float(np.abs(samples).max(initial=0.0)) if samples is not None else 0.0
    for frame in range(sheet.frames):
        heard = (frame / fps - delivery.offset) * delivery.speed
        k = sheet.number_at(frame)
        exposure = sheet.mouths[k]
        begins = exposure.first == frame
        marks = [
            m.kind
            for m in reading.marks
            if frame / fps <= (m.start / delivery.speed + delivery.offset) < (frame + 1) / fps
        ]
        notes = [*marks, *(["by hand"] if begins and exposure.pinned else [])]
        wave = (0.0, 0.0)
        if samples is not None and peak:
            piece = samples[
                max(0, int(heard * rate)) : max(0, int((heard + delivery.speed / fps) * rate))
            ]
            if piece.size:
                wave = float(piece.min()) / peak, float(piece.max()) / peak
        rows.append(Row(
            frame + first_frame, frame / fps, sounds.get(frame, ""), words.get(frame, ""), sheet.mouth(exposure).name if begins else "",
            eyes.get(frame, ""), ", ".join(notes), wave, exposure.pinned, k,
        ))  # fmt: skip
    return rows


def to_list(sheet: Sheet, first_frame: int = 0) -> bytes:
    """A line for every change: `frame name`."""
    return _lines(f"{e.first + first_frame} {sheet.mouth(e).name}" for e in sheet.mouths)


def to_seconds(sheet: Sheet) -> bytes:
    """A line for every change: `seconds name`."""
    return _lines(f"{e.first / sheet.fps:.4f} {sheet.mouth(e).name}" for e in sheet.mouths)


def _lines(lines: Iterable[str]) -> bytes:
    return ("\n".join(lines) + "\n").encode()


def to_csv(sheet: Sheet, first_frame: int = 0) -> bytes:
    """A row for every exposure: frame, frames held, seconds, name and file of the drawing."""
    rows: list[list[object]] = [["frame", "frames", "seconds", "mouth", "file"]]
    for e in sheet.mouths:
        mouth = sheet.mouth(e)
        rows.append(
            [e.first + first_frame, e.frames, f"{e.first / sheet.fps:.6f}", mouth.name, mouth.file]
        )
    return _table(rows)


def to_sheet(rows: Sequence[Row]) -> bytes:
    """A row a frame, as on paper: where each sound and word is heard, each drawing begins."""
    table: list[list[object]] = [["frame", "seconds", "sound", "word", "mouth", "eyes", "notes"]]
    table += [
        [r.frame, f"{r.seconds:.6f}", r.sound, r.word, r.mouth, r.eyes, r.notes] for r in rows
    ]
    return _table(table)


def _table(rows: list[list[object]]) -> bytes:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    return text.getvalue().encode()


# ---- in ---------------------------------------------------------------------------------------------

Change = tuple[int, int, str]  # from a frame, up to another, a drawing by its name


def read_changes(
    data: bytes, name: str, drawings: Drawings, frames: int, fps: float, first_frame: int = 0
) -> list[Change]:  # fmt: skip
    """A list of changes made elsewhere: `frame name` or `seconds name` a line, or a table with a column
    `frame` or `seconds` and one `mouth`. Names are those of drawings, of their files, or the end of one.

    DocumentError, one sentence, for what cannot be understood.
    """
    text = text_of(data, name)
    lines = [
        (k + 1, x.strip())
        for k, x in enumerate(text.splitlines())
        if x.strip() and x.strip()[0] != "#"
    ]
    if len(lines) > MOST_ROWS:
        raise DocumentError(f"{name} has {len(lines):,} lines; at most {MOST_ROWS:,} are read.")
    if (
        lines
        and "," in lines[0][1]
        and re.search(r"[a-z]", lines[0][1].split(",")[0], re.IGNORECASE)
    ):
        pairs = _from_table(text, name)
    else:
        pairs = [(k, *_pair(x, k, name)) for k, x in lines]
    if not pairs:
        raise DocumentError(
            f"{name} holds no changes; a line reads as in `12 {drawings.mouths[0].name}`."
        )
    seconds = any("." in at for _, at, _ in pairs)
    found: list[tuple[int, str]] = []
    for k, at, called in pairs:
        try:
            frame = round(float(at) * fps) if seconds else int(at) - first_frame
        except (ValueError, OverflowError):
            raise DocumentError(
                f"In line {k} of {name}, “{at[:40]}” is no frame and no time."
            ) from None
        if not 0 <= frame < frames:
            if frame >= frames:
                continue  # it goes on for longer than the line does
            raise DocumentError(f"In line {k} of {name}, frame {at[:40]} comes before the first.")
        found.append((frame, _called(called, drawings, k, name)))
    if any(b[0] < a[0] for a, b in pairwise(found)):
        raise DocumentError(f"The changes of {name} are not in order of time; sort them.")
    ends = [f for f, _ in found[1:]] + [frames]
    return [(a, b, mouth) for (a, mouth), b in zip(found, ends, strict=True) if b > a]


def _pair(line: str, number: int, name: str) -> tuple[str, str]:
    parts = re.split(r"[\s,;]+", line, maxsplit=1)
    if len(parts) != 2:
        raise DocumentError(
            f"Line {number} of {name} reads “{line[:40]}”; it should be a frame and a name."
        )
    return parts[0], parts[1].strip()


def _from_table(text: str, name: str) -> list[tuple[int, str, str]]:
    names, rows = named_rows(text, name)
    columns = [c.lower() for c in names]
    at = next((c for c in ("seconds", "frame") if c in columns), "")
    if not at or "mouth" not in columns:
        raise DocumentError(f"{name} has no column “frame” or “seconds”, or none “mouth”.")
    at = "frame" if "frame" in columns else at
    found = []
    for k, row in enumerate(rows):
        plain = {c.lower(): v for c, v in row.items()}
        if plain.get("mouth", "").strip():
            found.append((k + 2, plain.get(at, "").strip(), plain["mouth"].strip()))
    return found


def _called(called: str, drawings: Drawings, number: int, name: str) -> str:
    """The drawing of a name: its own, its file's, or the only one that ends so."""
    folded = called.casefold()
    mouths = drawings.mouths
    for known in (
        [m for m in mouths if m.name.casefold() == folded],
        [m for m in mouths if m.file.rpartition("/")[2].casefold() == folded],
        [m for m in mouths if re.split(r"[\W_]+", m.name.casefold())[-1] == folded],
    ):
        if len(known) == 1:
            return known[0].name
    raise DocumentError(f"In line {number} of {name}, there is no drawing “{called[:40]}”.")
