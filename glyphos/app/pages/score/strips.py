"""Strips of a row, in its own pixels from left to right: what of it is to be painted anew."""

from __future__ import annotations

from collections.abc import Sequence

Strip = tuple[float, float]
Thing = tuple[float, float, tuple[str, ...]]  # left, right, and what is painted there
WHOLE: Strip = (-1e6, 1e6)


def joined(one: Strip | None, other: Strip) -> Strip:
    """What covers both."""
    return other if one is None else (min(one[0], other[0]), max(one[1], other[1]))


def meets(strip: Strip, left: float, right: float) -> bool:
    """Whether something from `left` to `right` lies in a strip, at least in part."""
    return left <= strip[1] and right >= strip[0]


def covering(strip: Strip, before: Sequence[Thing], after: Sequence[Thing]) -> Strip:
    """A strip with all in it that was painted before and is not painted now, or the reverse."""
    for left, right, _ in set(before) ^ set(after):
        strip = joined(strip, (left, right))
    return strip


def reaching(strip: Strip, things: Sequence[Thing]) -> Strip:
    """A strip with all of those things that it would cut."""
    for left, right, _ in things:
        if meets(strip, left, right):
            strip = joined(strip, (left, right))
    return strip
