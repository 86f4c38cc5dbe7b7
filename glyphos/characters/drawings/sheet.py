"""A line in drawings: which mouth, eyes and brows stand on which frame, by choice and by hand."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ...motion.curve import Motion
from ...motion.delivery import Delivery
from ...speech.reading import Reading
from .choosing import Held, expose, expose_part, would_help
from .documents import Drawings, Mouth, View
from .exposures import Exposure
from .naming import short_names
from .pins import Pin, frames_of


@dataclass(frozen=True)
class Sheet:
    """mouths: exposures that follow each other, by number in the first view. parts: those of eyes
    and brows by their names. frames are numbered from 0."""

    drawings: Drawings
    motion: Motion
    mouths: Sequence[Exposure]
    parts: Mapping[str, Sequence[Exposure]] = field(default_factory=dict)

    @property
    def frames(self) -> int:
        return self.motion.frames

    @property
    def fps(self) -> float:
        return float(self.motion.fps)

    def mouth(self, exposure: Exposure) -> Mouth:
        """The drawing of an exposure."""
        return self.drawings.mouths[exposure.drawing]

    def number_at(self, frame: int) -> int:
        """Number of the exposure of a frame."""
        return max(0, bisect_right(self.mouths, frame, key=lambda e: e.first) - 1)

    def at(self, frame: int) -> Exposure:
        """The exposure of a frame."""
        return self.mouths[self.number_at(min(max(frame, 0), self.frames - 1))]

    def frame_at(self, seconds: float) -> int:
        """The frame that is shown at a time."""
        return min(max(0, int(seconds * self.fps + 1e-6)), self.frames - 1)

    def view_at(self, frame: int) -> View:
        """The view that the head's turn asks for."""
        if len(self.drawings.views) == 1 or "head_yaw" not in self.motion.names:
            return self.drawings.views[0]
        return self.drawings.view_at(float(self.motion.channel("head_yaw")[frame]))

    def states_at(self, frame: int, view: View) -> dict[str, Mouth]:
        """The drawing of each part of a view on a frame."""
        found = {}
        for part in view.parts:
            exposures = self.parts.get(part.name, ())
            k = max(0, bisect_right(exposures, frame, key=lambda e: e.first) - 1)
            number = exposures[k].drawing if exposures else 0
            found[part.name] = part.drawings[min(number, len(part.drawings) - 1)]
        return found

    def changes_a_second(self) -> float:
        """How often the mouth changes, on average of the line."""
        return (len(self.mouths) - 1) / max(1e-9, self.frames / self.fps)

    @cached_property
    def helping(self) -> tuple[str, int] | None:
        """The drawing that would help most, in words, and how many exposures it would mend."""
        return would_help(self.motion, self.drawings, self.mouths)


def held_by(
    pins: Sequence[Pin], drawings: Drawings, reading: Reading | None, delivery: Delivery, fps: float
) -> list[Held]:  # fmt: skip
    """What pins hold on frames; those whose drawing this character has not are passed over."""
    if reading is None:
        return []
    numbers = {m.name: k for k, m in enumerate(drawings.mouths)}
    return [
        (numbers[p.mouth], *frames_of(p, reading, delivery, fps)) for p in pins if p.mouth in numbers
    ]  # fmt: skip


def sheet_of(
    motion: Motion, drawings: Drawings, pins: Sequence[Pin] = (), reading: Reading | None = None,
    delivery: Delivery | None = None,
) -> Sheet:  # fmt: skip
    """A motion in drawings. pins: of its reading and delivery."""
    held = held_by(pins, drawings, reading, delivery or Delivery(), float(motion.fps))
    mouths = expose(motion, drawings.mouths, drawings.wish, held)
    parts = {p.name: expose_part(motion, p, drawings.wish) for p in drawings.views[0].parts}
    return Sheet(drawings, motion, mouths, parts)


def said_of(sheet: Sheet) -> list[str]:
    """What a person should know of a line in drawings, in sentences."""
    counts = np.bincount([e.drawing for e in sheet.mouths], minlength=len(sheet.drawings.mouths))
    said = [
        f"{len(sheet.mouths)} exposures of {int((counts > 0).sum())} drawings, {sheet.changes_a_second():.1f} changes a second"
    ]
    helping = sheet.helping
    if helping is not None:
        said.append(f"{helping[0]} would mend {helping[1]} of {len(sheet.mouths)} exposures")
    names = short_names([m.name for m in sheet.drawings.mouths])
    unused = [names[sheet.drawings.mouths[k].name] for k in np.flatnonzero(counts == 0)]
    if unused:
        said.append(
            "never shown in this line: " + ", ".join(unused[:6]) + (" …" if len(unused) > 6 else "")
        )
    return said
