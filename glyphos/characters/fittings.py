"""Fittings as documents: what a person set for a character, and what it was set on."""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np

from ..errors import DocumentError
from .channels import face_channels

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
    if not all(0.1 <= v <= 10 for v in fitting.answers.values()):
        raise DocumentError("an answer curve is not between 0.1 and 10")


def encode_fitting(fitting: Fitting) -> bytes:
    """A fitting as indented JSON, `format` and `version` first."""
    fields = msgspec.to_builtins(fitting)
    first = {"format": fields.pop("format"), "version": fields.pop("version")}
    return msgspec.json.format(msgspec.json.encode(first | fields), indent=1) + b"\n"


def decode_fitting(data: bytes, name: str) -> Fitting:
    """Read what `encode_fitting` wrote; DocumentError for anything else."""
    try:
        fitting = msgspec.json.decode(data, type=Fitting)
        check_fitting(fitting)
    except (msgspec.DecodeError, UnicodeDecodeError, DocumentError, RecursionError) as error:
        raise DocumentError(f"{name} is not a fitting of Glyphos, or damaged: {error}.") from None
    return fitting
