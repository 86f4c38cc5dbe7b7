"""Fittings as documents: what a person set for a character, and what it was set on."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import msgspec
import numpy as np

from ..errors import DocumentError, ModelError
from ..files import State, file_state, json_lines
from .channels import face_channels
from .head import Head

RENAMED = 80  # likeness of spelling of a channel that has another name now
OPPOSITE = " (−)"  # behind a gesture or a channel: the other way of a signed one


class Fitting(msgspec.Struct, frozen=True):
    """What a person set for a character, and what it was set on.

    model: path to the file, relative to where the fitting lies. channels: the model's own. ranges: of
    a channel, where it is not 0..1. limits: the most of a channel, as a share. strength: of a
    gesture. answers: exponent of the curve from meant to worn (1: straight). by_hand: gesture to the
    channels that wear it and how much. never: channels that are left alone. whole: whether channels
    are whole mouths that must not be mixed (None: found out). mouth: where a person pointed to it.
    """

    model: str = ""
    digest: str = ""
    channels: tuple[str, ...] = ()
    ranges: dict[str, tuple[float, float]] = {}
    limits: dict[str, float] = {}
    strength: dict[str, float] = {}
    answers: dict[str, float] = {}
    by_hand: dict[str, dict[str, float]] = {}
    never: tuple[str, ...] = ()
    whole: bool | None = None
    mouth: tuple[float, float, float] | None = None
    format: Literal["glyphos-fitting"] = "glyphos-fitting"
    version: Literal[1] = 1


def check_fitting(fitting: Fitting) -> None:
    """DocumentError, one sentence, for what cannot hold."""
    known = face_channels()
    for name in (*fitting.strength, *fitting.answers, *fitting.by_hand):
        if name.removesuffix(OPPOSITE) not in known:
            raise DocumentError(f"“{name}” is no gesture or expression")
    for channel, (low, high) in fitting.ranges.items():
        if not (np.isfinite(low) and np.isfinite(high) and low <= 0 < high):
            raise DocumentError(
                f"the range of “{channel}” does not go from 0 or less to more than 0"
            )
    for value in (*fitting.limits.values(), *fitting.strength.values()):
        if not 0 <= value <= 4:
            raise DocumentError("a limit or strength is not between 0 and 4")
    for weights in fitting.by_hand.values():
        for channel, value in weights.items():
            if not -4 <= value <= 4:
                raise DocumentError(f"what is set by hand for “{channel}” is not between −4 and 4")
    if fitting.mouth is not None and not np.isfinite(fitting.mouth).all():
        raise DocumentError("the place of the mouth is no point")
    if not all(0.1 <= v <= 10 for v in fitting.answers.values()):
        raise DocumentError("an answer curve is not between 0.1 and 10")


def encode_fitting(fitting: Fitting) -> bytes:
    """A fitting as indented JSON, `format` and `version` first."""
    fields = msgspec.to_builtins(fitting)
    first = {"format": fields.pop("format"), "version": fields.pop("version")}
    return json_lines(first | fields)


def decode_fitting(data: bytes, name: str) -> Fitting:
    """Read what `encode_fitting` wrote; DocumentError for anything else."""
    try:
        fitting = msgspec.json.decode(data, type=Fitting)
        check_fitting(fitting)
    except (msgspec.DecodeError, UnicodeDecodeError, DocumentError, RecursionError) as error:
        raise DocumentError(f"{name} is not a fitting of Glyphos, or damaged: {error}.") from None
    return fitting


def fitting_for(head: Head, path: Path | None = None) -> Fitting:
    """A new fitting of a head. path: where it will be kept, from where the model is named."""
    return Fitting(beside(head.path, path), digest_of(head.path), head.channels)


def digest_of(path: Path) -> str:
    """A digest of a file's bytes, looked through once for as long as the file stays as it is."""
    return _digest(path, file_state(path)) if path.is_file() else ""


@lru_cache(64)
def _digest(path: Path, _: State) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def beside(model: Path, fitting: Path | None) -> str:
    """The path of a model as a fitting that lies there names it."""
    if fitting is None:
        return str(model)
    return Path(os.path.relpath(model.resolve(), fitting.resolve().parent)).as_posix()


def carried_over(fitting: Fitting, head: Head) -> tuple[Fitting, list[str]]:
    """A fitting on a head whose channels differ from those it was made for, and what changed.

    A channel that is gone but spelt alike another new one is taken to be renamed; what was set on
    one that is nowhere is dropped, and said.
    """
    from rapidfuzz import fuzz, process

    old, new = fitting.channels, head.channels
    if set(old) <= set(new) and len(old) == len(new):
        return msgspec.structs.replace(fitting, channels=new), []
    gone = [c for c in old if c not in new]
    added = [c for c in new if c not in old]
    renamed: dict[str, str] = {}
    for channel in gone:
        left = [c for c in added if c not in renamed.values()]
        near = process.extractOne(channel, left, scorer=fuzz.ratio, score_cutoff=RENAMED)
        same_place = new[old.index(channel)] if len(old) == len(new) else ""
        if near is not None:
            renamed[channel] = str(near[0])
        elif same_place in left:
            renamed[channel] = same_place
    said = [f"“{a}” is “{b}” now" for a, b in renamed.items()]
    said += [f"“{c}” is gone" for c in gone if c not in renamed]
    said += [f"“{c}” is new" for c in added if c not in renamed.values()]
    name = {c: renamed.get(c, c) for c in old}
    keep = [c for c in old if name[c] in new]

    def moved(values: Mapping[str, Any]) -> dict[str, Any]:
        return {name.get(c, c): v for c, v in values.items() if c in keep}

    return msgspec.structs.replace(
        fitting, channels=new, ranges=moved(fitting.ranges), limits=moved(fitting.limits),
        by_hand={g: moved(cells) for g, cells in fitting.by_hand.items()},
        never=tuple(name[c] for c in fitting.never if c in keep),
    ), said  # fmt: skip


def open_fitting(path: Path) -> tuple[Fitting, Path]:
    """A fitting from its file, and where its model lies. Raises DocumentError or ModelError."""
    if not path.is_file():
        raise DocumentError(f"There is no file {path}; check its name.")
    fitting = decode_fitting(path.read_bytes(), path.name)
    model = (path.parent / fitting.model).resolve()
    if not model.is_file():
        raise ModelError(
            f"The model of {path.name}, {fitting.model}, is not there; put it back, or fit it again with "
            "`glyphos character fit`."
        )
    return fitting, model
