"""The cast that ships, drawn: Mabel, Osric and Pip."""

from __future__ import annotations

from collections.abc import Mapping

from .mabel import MABEL
from .osric import OSRIC
from .pen import Drawing
from .person import LAYERS, Person
from .pip import PIP

CAST = {p.name: p for p in (MABEL, OSRIC, PIP)}


def person_of(speaker: str) -> Person:
    """Who speaks for a speaker of a line: the one of that name, else Mabel."""
    return CAST.get(speaker.strip().lower(), MABEL)


def face(who: str, values: Mapping[str, float]) -> list[Drawing]:
    """All layers of a face, from back to front, for channel values."""
    person = CAST[who]
    return [person.draw(layer, values) for layer in LAYERS]
