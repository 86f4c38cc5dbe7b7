"""A character of drawings: mouths on paper, and what each of them shows, found by its name."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Literal

import msgspec

from ...errors import DocumentError, ModelError
from ...tables import rows
from ..channels import face_channels
from ..fitting.names import plain, tokens_of

ENDINGS = (".png", ".svg")
FEWEST, MOST = 3, 100
# The trade's chart of six basic mouths in its order, then the usual extras (common practice, no
# source): what drawings show whose names are letters or numbers in a row.
CHART = ("closed", "slight", "open", "wide open", "round", "pucker", "teeth lip", "tongue", "rest")
CLOSED, BITES = 0.03, 0.5  # lips part by no more; the lip is at the teeth by no less
Pose = dict[str, float]


class Mouth(msgspec.Struct, frozen=True):
    """One drawing: its name, its file beside the document, and what it shows (channels)."""

    name: str
    file: str
    pose: Pose = {}

    @property
    def closed(self) -> bool:
        """Whether its lips meet."""
        return self.pose.get("lips_part", 0.0) <= CLOSED and not self.bites

    @property
    def bites(self) -> bool:
        """Whether the lower lip is at the upper teeth."""
        return self.pose.get("lip_to_teeth", 0.0) >= BITES


class Mouths(msgspec.Struct, frozen=True):
    """All mouths of a character."""

    name: str
    mouths: tuple[Mouth, ...]
    format: Literal["glyphos-drawings"] = "glyphos-drawings"
    version: Literal[1] = 1


def read_folder(folder: Path) -> tuple[Mouths, list[str]]:
    """The mouths of a folder, and what a person should know of how they were understood.

    ModelError, one sentence, where they are no mouths to speak with.
    """
    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() in ENDINGS and p.is_file())
    except OSError:
        raise ModelError(f"{folder} cannot be read; name a folder with drawings in it.") from None
    said: list[str] = []
    good = []
    for path in files:
        if path.stat().st_size == 0:
            said.append(f"{path.name} is empty and is left out")
        else:
            good.append(path)
    aside = [p for p in good if set(tokens_of(p.stem)) & {"head", "eyes", "eye", "brow", "brows"}]
    drawn = [p for p in good if p not in aside]
    if len(drawn) < FEWEST:
        raise ModelError(
            f"There are {len(drawn)} drawings in {folder.name}; a mouth needs at least {FEWEST} (PNG or SVG): "
            "closed, open and round are a beginning."
        )
    if len(drawn) > MOST:
        raise ModelError(
            f"There are {len(drawn)} drawings in {folder.name}; at most {MOST} are used."
        )
    poses, how = poses_of([p.stem for p in drawn])
    said.insert(0, how)
    mouths = []
    for path, pose in zip(drawn, poses, strict=True):
        if pose is None:
            said.append(f"{path.name} has a name that says nothing; it is left out")
        else:
            mouths.append(Mouth(path.stem, path.name, pose))
    if len(mouths) < FEWEST:
        raise ModelError(
            f"The names in {folder.name} do not say which mouth is which; name them by what they show, as in "
            "closed, open, round, or by letters or numbers in a row."
        )
    if not any(m.closed for m in mouths):
        said.append("none of them is closed: /p b m/ will not be seen; draw one with its lips shut")
    alike = _alike(mouths)
    said += [f"{a} and {b} claim to show the same mouth" for a, b in alike]
    return Mouths(folder.resolve().name, tuple(mouths)), said


def poses_of(names: Sequence[str]) -> tuple[list[Pose | None], str]:
    """What drawings of these names show, None for names that say nothing; and how they were read."""
    tokens = [tokens_of(name) for name in names]
    own = [[t for t in x if not all(t in y for y in tokens)] or x[-1:] for x in tokens]
    shared = [t for t in tokens[0] if all(t in x for x in tokens)] if len(tokens) > 1 else []
    before = f"named “{' '.join(shared)}” and " if shared else "named by "
    ordered = _in_a_row(own)
    if ordered is not None:
        kind = "a number" if own[0][-1].isdigit() else "a letter"
        chart: list[Pose | None] = [
            said_by(CHART[k].split()) if k < len(CHART) else None for k in ordered
        ]
        return chart, f"{len(names)} drawings {before}{kind} in a row, read as the usual chart"
    poses = [said_by(x) for x in own]
    known = sum(p is not None for p in poses)
    return poses, f"{len(names)} drawings {before}words, of which {known} are known"


def said_by(tokens: Sequence[str]) -> Pose | None:
    """What words say of a mouth: the rule with most of its words among them."""
    best: tuple[int, Pose] | None = None
    joined = set(tokens) | {"".join(tokens)}
    for words, pose in _rules():
        if words <= joined and (best is None or len(words) > best[0]):
            best = len(words), pose
    return dict(best[1]) if best is not None else None


def _in_a_row(own: Sequence[Sequence[str]]) -> list[int] | None:
    """Places in the chart of single letters from a on without gaps, or of numbers in a row."""
    last = [x[-1] for x in own if x]
    if len(last) != len(own) or len(set(last)) != len(last):
        return None
    if all(re.fullmatch("[a-z]", t) for t in last):
        places = [ord(t) - ord("a") for t in last]
    elif all(t.isdigit() and len(t) < 7 for t in last):
        lowest = min(int(t) for t in last)
        places = [int(t) - lowest for t in last]
    else:
        return None
    return places if sorted(places) == list(range(len(places))) else None


@cache
def _rules() -> tuple[tuple[frozenset[str], Pose], ...]:
    found = []
    for row in rows("mouth_words.csv"):
        pose = {k: float(v) for k, v in (x.split("=") for x in row["pose"].split(";"))}
        found += [(frozenset(plain(w).split()), pose) for w in row["words"].split(";")]
    return tuple(found)


def _alike(mouths: Sequence[Mouth]) -> list[tuple[str, str]]:
    return [
        (a.file, b.file) for k, a in enumerate(mouths) for b in mouths[k + 1 :] if a.pose == b.pose
    ]


def encode_mouths(mouths: Mouths) -> bytes:
    """As a document."""
    return msgspec.json.format(msgspec.json.encode(mouths), indent=1) + b"\n"


def decode_mouths(data: bytes, name: str) -> Mouths:
    """From a document; DocumentError, one sentence, for what cannot hold."""
    try:
        made = msgspec.json.decode(data, type=Mouths)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise DocumentError(f"{name} holds no drawings that Glyphos reads ({error}).") from None
    # A plain name stands for both sides
    known = {n for c in face_channels() for n in (c, c.removesuffix("_left"))}
    for mouth in made.mouths:
        if strange := [c for c in mouth.pose if c not in known]:
            raise DocumentError(
                f"In {name}, {mouth.name} has a channel “{strange[0]}” that is none."
            )
        if os.path.isabs(mouth.file) or ".." in Path(mouth.file).parts:
            raise DocumentError(f"In {name}, {mouth.name} lies outside its folder.")
    if len(made.mouths) < FEWEST:
        raise DocumentError(f"There are not enough mouths in {name}; at least {FEWEST} are needed.")
    return made


class _Kind(msgspec.Struct):
    format: str = ""


def is_mouths(data: bytes) -> bool:
    """Whether a document is of this kind, sound or not."""
    try:
        return msgspec.json.decode(data, type=_Kind).format == "glyphos-drawings"
    except (msgspec.DecodeError, UnicodeDecodeError):
        return False
