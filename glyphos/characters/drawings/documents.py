"""A character of drawings, as a document: its views, their mouths and other parts, where these lie
on a picture of the head, and how they are held."""

from __future__ import annotations

import math
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import msgspec

from ...errors import DocumentError
from ...files import json_lines
from ..channels import face_channels

FEWEST, MOST = 3, 100  # mouths of a view
CLOSED, BITES = 0.03, 0.5  # lips part by no more; the lip is at the teeth by no less
Pose = dict[str, float]
Box = tuple[int, int, int, int]  # left, top, width, height, in pixels of a sheet
How = Literal["name", "picture", "both", "hand", ""]


class Mouth(msgspec.Struct, frozen=True):
    """One drawing: its name, its file beside the document, and what it shows (channels).

    cell: of its file, where that is a sheet. offset: from where drawings of its view lie, in pixels
    of the head's picture. how: what said what it shows.
    """

    name: str
    file: str
    pose: Pose = {}
    cell: Box | None = None
    offset: tuple[float, float] = (0.0, 0.0)
    how: How = ""

    @property
    def closed(self) -> bool:
        """Whether its lips meet."""
        return self.pose.get("lips_part", 0.0) <= CLOSED and not self.bites

    @property
    def bites(self) -> bool:
        """Whether the lower lip is at the upper teeth."""
        return self.pose.get("lip_to_teeth", 0.0) >= BITES


class Placing(msgspec.Struct, frozen=True):
    """Where drawings lie on a picture of the head: `anchor` of a drawing (shares of its width and
    height) at (x, y) of the head, drawn `scale` as large and turned by `turn` degrees clockwise."""

    x: float = 0.0
    y: float = 0.0
    scale: float = 1.0
    turn: float = 0.0
    anchor: tuple[float, float] = (0.5, 0.5)

    def matrix(
        self, width: float, height: float, offset: tuple[float, float] = (0.0, 0.0)
    ) -> tuple[float, float, float, float, float, float]:
        """(a, b, c, d, e, f): a point (u, v) of a drawing of this size lies at (a u + c v + e,
        b u + d v + f) of the head's picture."""
        angle = math.radians(self.turn)
        a, b = self.scale * math.cos(angle), self.scale * math.sin(angle)
        u, v = self.anchor[0] * width, self.anchor[1] * height
        x, y = self.x + offset[0], self.y + offset[1]
        return a, b, -b, a, x - a * u + b * v, y - b * u - a * v


class Part(msgspec.Struct, frozen=True):
    """Another part that is drawn in a few states: eyes or brows, both or those of one side.

    Its drawings say what they show as mouths do, in channels of lids and brows. `over`: it lies over
    the mouth.
    """

    name: str
    drawings: tuple[Mouth, ...]
    place: Placing = Placing()
    over: bool = True

    @property
    def rest(self) -> Mouth:
        """The drawing that shows the least: eyes open, brows where they are."""
        return min(self.drawings, key=lambda d: sum(abs(v) for v in d.pose.values()))


class View(msgspec.Struct, frozen=True):
    """A head as it is seen from one side. yaw: degrees that it is turned, to its own right."""

    name: str = "front"
    yaw: float = 0.0
    mouths: tuple[Mouth, ...] = ()
    head: str = ""
    place: Placing = Placing()
    parts: tuple[Part, ...] = ()

    @property
    def rest(self) -> Mouth:
        """The mouth of silence: closed, pressed the least."""
        return min(
            self.mouths,
            key=lambda m: (
                not m.closed,
                m.pose.get("lips_press", 0.0),
                m.pose.get("lips_part", 0.0),
            ),
        )

    def drawings(self) -> Iterator[Mouth]:
        """All of them."""
        yield from self.mouths
        for part in self.parts:
            yield from part.drawings


class Wish(msgspec.Struct, frozen=True):
    """How drawings are to be held. step: on ones, twos or threes. change: how dear a change is (1:
    as usual). hold: frames that a drawing stands at least, closures and teeth on lip one less."""

    step: int = 1
    change: float = 1.0
    hold: int = 2


class Drawings(msgspec.Struct, frozen=True):
    """All drawings of a character. The first view is the one that is shown unless the head turns."""

    name: str
    views: tuple[View, ...]
    wish: Wish = Wish()
    format: Literal["glyphos-drawings"] = "glyphos-drawings"
    version: Literal[1] = 1

    @property
    def mouths(self) -> tuple[Mouth, ...]:
        """Those of the first view."""
        return self.views[0].mouths

    def view_at(self, yaw: float) -> View:
        """The view nearest to a turn of the head in degrees."""
        return min(self.views, key=lambda v: abs(v.yaw - yaw))

    def in_view(self, view: View, mouth: Mouth) -> Mouth:
        """The drawing that stands in a view for a mouth of the first: of its name, else the nearest."""
        own = view.mouths or self.mouths
        same = next((m for m in own if m.name == mouth.name), None)
        return same or min(own, key=lambda m: _apart(m.pose, mouth.pose))


def _apart(a: Pose, b: Pose) -> float:
    return sum((a.get(n, 0.0) - b.get(n, 0.0)) ** 2 for n in {*a, *b})


def encode_drawings(drawings: Drawings) -> bytes:
    """As a document."""
    return json_lines(drawings)


def decode_drawings(data: bytes, name: str) -> Drawings:
    """From a document; DocumentError, one sentence, for what cannot hold."""
    try:
        made = msgspec.json.decode(data, type=Drawings)
        check_drawings(made)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise DocumentError(f"{name} holds no drawings that Glyphos reads ({error}).") from None
    except DocumentError as error:
        raise DocumentError(f"In {name}, {error}.") from None
    return made


def check_drawings(drawings: Drawings) -> None:
    """DocumentError, one sentence, for what cannot hold."""
    if not drawings.views or len(drawings.mouths) < FEWEST:
        raise DocumentError(f"there are not enough mouths; at least {FEWEST} are needed")
    wish = drawings.wish
    for what, value, low, high in (
        ("step", wish.step, 1, 12),
        ("change", wish.change, 0, 10),
        ("hold", wish.hold, 1, 48),
    ):
        if not low <= value <= high:
            raise DocumentError(f"a {what} is not {value:g}; it is {low} to {high}")
    for view in drawings.views:
        _check_view(view)


def _check_view(view: View) -> None:
    # A plain name stands for both sides
    known = {n for c in face_channels() for n in (c, c.removesuffix("_left"))}
    for drawing in view.drawings():
        if strange := [c for c in drawing.pose if c not in known]:
            raise DocumentError(f"{drawing.name} has a channel “{strange[0]}” that is none")
        if not all(-180 <= v <= 180 for v in drawing.pose.values()):
            raise DocumentError(f"{drawing.name} shows a value that no channel has")
        if drawing.cell is not None and (min(drawing.cell[:2]) < 0 or min(drawing.cell[2:]) < 1):
            raise DocumentError(f"{drawing.name} has a cell that lies outside its sheet")
    if len({m.name for m in view.mouths}) < len(view.mouths):
        raise DocumentError(f"two mouths of the view “{view.name}” have one name")
    for file in (view.head, *(d.file for d in view.drawings())):
        if os.path.isabs(file) or ".." in Path(file).parts:
            raise DocumentError(f"{file} lies outside its folder")
    places = (view.place, *(p.place for p in view.parts))
    numbers = [n for p in places for n in (p.x, p.y, p.scale, p.turn, *p.anchor)]
    numbers += [n for d in view.drawings() for n in d.offset] + [view.yaw]
    if not all(abs(n) < 1e6 for n in numbers) or not all(p.scale > 0 for p in places):
        raise DocumentError(f"something of the view “{view.name}” lies nowhere")


class _Kind(msgspec.Struct):
    format: str = ""


def is_drawings(data: bytes) -> bool:
    """Whether a document is of this kind, sound or not."""
    try:
        return msgspec.json.decode(data, type=_Kind).format == "glyphos-drawings"
    except (msgspec.DecodeError, UnicodeDecodeError):
        return False
