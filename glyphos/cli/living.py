"""The rest of the face in the shell: what `--life`, `--mood` and `--layer` ask for."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from ..motion.curve import Motion
from ..motion.delivery import Delivery
from ..motion.mood import MoodSpan, check_moods
from ..speech.reading import Reading
from .talk import messages

if TYPE_CHECKING:
    from ..handoff.exposure import Samples


@dataclass(frozen=True)
class Wanted:
    """What was asked for. life: strength, or None for speech alone."""

    life: float | None = None
    seed: int = 0
    head: bool = True
    moods: tuple[MoodSpan, ...] = ()
    layers: tuple[Path, ...] = ()

    @property
    def any(self) -> bool:
        return self.life is not None or bool(self.moods) or bool(self.layers)


def wanted(
    life: float | None, seed: int, head: str, moods: Sequence[str] | None, layers: Sequence[Path] | None
) -> Wanted:  # fmt: skip
    """From the options; BadParameter for what is none of them."""
    if life is not None and not 0 <= life <= 2:
        raise typer.BadParameter("--life is between 0 and 2")
    if head not in ("on", "off"):
        raise typer.BadParameter("--head is on or off")
    spans = tuple(_span(m) for m in moods or ())
    check_moods(spans)
    return Wanted(life, seed, head == "on", spans, tuple(layers or ()))


def _span(text: str) -> MoodSpan:
    """A mood as NAME:START-END:STRENGTH; START-END and the strength may be left out."""
    number = r"(\d+(?:\.\d*)?)"
    found = re.fullmatch(rf"([a-z]+)(?::{number}-{number})?(?::{number})?", text.strip().lower())
    if found is None:
        raise typer.BadParameter(
            f"“{text}” is no mood; write as in joy:0.5-2.5:0.8 (seconds, strength)"
        )
    name, start, end, strength = found.groups()
    return MoodSpan(name, float(start or 0.0), float(end or 1e6), float(strength or 1.0))


def whole_face(
    motion: Motion, reading: Reading, delivery: Delivery, wish: Wanted, samples: Samples | None
) -> Motion:  # fmt: skip
    """The motion with all that was asked for. samples: of the recording, where there is one."""
    if not wish.any:
        return motion
    from ..characters.recorded import open_layer
    from ..motion.layers import Layer
    from ..motion.life.event import Liveliness
    from ..motion.whole import whole_of

    liveliness = None
    if wish.life is not None:
        if samples is None:
            messages.print("Life comes from the words alone.")
        liveliness = Liveliness(wish.life, wish.seed, head=1.0 if wish.head else 0.0)
    layers: list[Layer] = []
    for path in wish.layers:
        layer, said = open_layer(path, float(motion.fps))
        layers.append(layer)
        for words in said:
            messages.print(words)
    return whole_of(motion, reading, delivery, samples, liveliness, wish.moods, layers=layers)
