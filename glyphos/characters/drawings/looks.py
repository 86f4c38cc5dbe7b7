"""What drawings show, found from their pictures alone.

All drawings of a set are looked at together: what none of them changes is ground, the widest and the
most open give the measure. In each, the mouth is what is not ground; its inside is what is dark,
light as teeth, or left open there, and thicker than a line.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from .documents import Pose
from .opening import Pixels
from .rounding import closed, opened

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
ACROSS = 240  # pixels that a set's widest picture is looked at with
SAME = 20.0  # of 255, within which a pixel is the same in all drawings
NEAR = 36.0  # of 255, within which a color is the ground, or the dark of a mouth
BROAD = 0.3  # of what is drawn: a ground that is drawn too, as a panel
SOLID = 150  # opacity of what counts
SPECK, CREASE = 0.08, 0.4  # of the largest piece: no mouth; a crease, unless it is large by itself
LINE = 0.022  # of the mouth's width, half of the thickest line that is drawn
DARK, LIGHT = 0.42, 0.66  # luminance of an inside, least of the weakest channel of teeth
LEAST = 0.12  # of the mouth's width, below which what is dark is a corner, no inside
LITTLE = 0.28  # least that lips part in an open mouth that is not round
SHUT = 0.03  # mouth widths: an inside that is lower is a line between lips
WIDE, TALL, AREA = (
    0.25,
    0.5,
    0.68,
)  # mouth widths: least height of a wide open mouth, its usual one and width


@dataclass(frozen=True)
class Look:
    """What is measured of a drawing, in widths of the set's mouth: width, height of the whole and of
    its inside; share of columns in which no lip is drawn around it; width of the inside; shares of the
    inside that are teeth, dark, tongue; how far up the tongue reaches (1: to the top); how far its
    corners lie above its middle."""

    width: float
    height: float
    gap: float
    bare: float
    inner: float
    teeth: float
    dark: float
    tongue: float
    reach: float
    smile: float


def poses_seen(pictures: Sequence[Pixels]) -> list[Pose]:
    """What each of the drawings of a set shows."""
    return posed(looks(pictures))


def looks(pictures: Sequence[Pixels]) -> list[Look]:
    """Every drawing of a set, measured."""
    stack = _alike(pictures)
    mouths = _mouths(stack)
    wide = max((_extent(m)[0] for m in mouths), default=1) or 1
    filled = [_filled(m, wide) for m in mouths]
    dark = _dark(stack, filled)
    found = []
    for image, mouth, whole in zip(stack, mouths, filled, strict=True):
        near = _box(mouth | whole, max(8, round(0.05 * wide) + 2))  # no measure looks further
        found.append(_measured(image[near], mouth[near], whole[near], dark, wide))
    thin = min((f.height for f in found if f.width), default=0.0)
    if max(found, key=lambda f: f.gap).teeth > 0.8:  # the inside is left white: lines, no teeth
        found = [replace(f, teeth=0.0, dark=f.teeth) for f in found]
    # Without lips, what is dark is as high as the line of a shut mouth where it is shut
    found = [replace(f, gap=max(0.0, f.gap - thin)) if f.bare > 0.5 else f for f in found]
    shut = [f.width for f in found if f.gap < SHUT]
    rest = float(np.median(shut)) if shut else max((f.width for f in found), default=1.0)
    rest = max(rest, 1e-6)
    return [
        replace(
            f,
            width=f.width / rest,
            height=f.height / rest,
            gap=f.gap / rest,
            inner=f.inner / rest,
            smile=f.smile / rest,
        )
        for f in found
    ]


def posed(measured: Sequence[Look]) -> list[Pose]:
    """Poses for what was measured of the drawings of a set."""
    tallest = max((m.gap for m in measured), default=0.0)
    tall = tallest if tallest >= WIDE else TALL  # the most open of a set is its wide open one
    most = max([*(_area(m) for m in measured), AREA * tall])
    flat = min((m.smile for m in measured if m.gap < SHUT), default=0.0)
    return [_pose(look, most, tall, flat) for look in measured]


def _area(look: Look) -> float:
    return look.gap * max(look.inner, 0.6 * look.width)


def _pose(look: Look, most: float, tall: float, flat: float) -> Pose:
    if look.gap < SHUT:  # the straightest is pressed, those that smile are at rest
        return {"lips_press": 0.6} if look.smile <= flat + 0.01 else {"lip_corner_up": 0.3}
    rounded = float(np.clip((0.8 - look.width) / 0.26, 0.0, 1.0))
    jaw = min(1.0, look.gap / tall)
    seen = 0.9 * (_area(look) / most) ** (1.25 - 0.25 * rounded)
    wide = (1 - rounded) * (1 - jaw) * float(np.clip((look.width - 0.92) / 0.1, 0.0, 1.0))
    # Whoever draws lips apart means it to be seen, however little
    part = float(np.clip(seen / (0.38 + 0.62 * jaw), LITTLE * (1 - rounded), 1.0))
    pose = {"jaw_open": jaw, "lips_part": part, "lips_round": rounded,
            "lips_wide": wide}  # fmt: skip
    if look.teeth > 0.5 and look.dark < 0.1 and jaw < 0.5:
        pose |= {"lip_to_teeth": 1.0, "jaw_open": 0.14, "lips_part": 0.14, "lips_wide": 0.0}
    elif (
        look.teeth > 0.4 or (look.teeth > 0.25 and look.dark < 0.1)
    ) and jaw < 0.6:  # rows of teeth that nearly meet, or are pushed forward
        meets = {"jaw_open": 0.1, "lips_part": 0.4, "upper_lip_raise": 0.35}
        pose |= meets | ({"lips_round": 0.62} if rounded > 0.5 else {"lips_wide": max(0.7, wide)})
    if look.tongue > 0.3 and look.reach > 0.45:
        pose["tongue_tip"] = 1.0
    return {k: round(v, 3) for k, v in pose.items() if v > 0.005 or k == "lips_part"}


# ---- pixels ---------------------------------------------------------------------------------------


def _alike(pictures: Sequence[Pixels]) -> list[Array]:
    """Small pictures (height, width, 4), of one scale; of one size where all have one."""
    from PIL import Image

    widest = max(p.shape[1] for p in pictures)
    scale = min(1.0, ACROSS / widest)
    made = []
    for pixels in pictures:
        size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
        small = Image.fromarray(pixels).resize(size, Image.Resampling.BOX)
        made.append(np.asarray(small, float))
    return made


def _mouths(stack: Sequence[Array]) -> list[Mask]:
    """Where each drawing is not ground."""
    common, ground = _ground(stack)
    found = []
    for image in stack:
        free = image[..., 3] < SOLID
        if common is not None:
            free |= common
            if ground is not None:
                free |= np.abs(image[..., :3] - ground).max(2) < NEAR
        parts, _ = ndimage.label(free)
        seeds = common if common is not None and common.any() else _rim(free.shape)
        reached = np.unique(parts[seeds & free])
        mouth = ~(np.isin(parts, reached[reached > 0]) & free)
        found.append(_without_specks(mouth))
    return found


def _rim(shape: tuple[int, ...]) -> Mask:
    rim = np.zeros(shape, bool)
    rim[[0, -1]] = True
    rim[:, [0, -1]] = True
    return rim


def _ground(stack: Sequence[Array]) -> tuple[Mask | None, Array | None]:
    """What no drawing changes, and the color that it has beside the mouths."""
    if len({s.shape for s in stack}) > 1 or len(stack) < 2:
        return None, None
    alpha = [s[..., 3:] / 255 for s in stack]
    seen = np.stack(
        [np.concatenate([s[..., :3] * a, s[..., 3:]], 2) for s, a in zip(stack, alpha, strict=True)]
    )
    common: Mask = np.ptp(seen, 0).max(2) < SAME
    solid = common & (stack[0][..., 3] >= SOLID)
    if solid.sum() < BROAD * np.mean([(s[..., 3] >= SOLID).sum() for s in stack]):
        return common & ~solid, None  # a line that all mouths share
    beside = solid & ndimage.binary_dilation(~common, iterations=4)
    if beside.sum() < 20:
        return common, None
    return common, np.asarray(np.median(stack[0][beside][:, :3], 0))


def _without_specks(mouth: Mask) -> Mask:
    """The mouth without creases beside it; a row of pieces as large as each other stays."""
    parts, count = ndimage.label(mouth, np.ones((3, 3)))
    if count < 2:
        return mouth
    sizes = np.bincount(parts.ravel())[1:]
    large = sizes >= np.minimum(CREASE * sizes.max(), max(SPECK * sizes.max(), 0.004 * mouth.size))
    return np.isin(parts, np.flatnonzero(large) + 1)


def _extent(mouth: Mask) -> tuple[int, int]:
    """Width and height of what is there."""
    if not mouth.any():
        return 0, 0
    return int(np.ptp(np.flatnonzero(mouth.any(0))) + 1), int(
        np.ptp(np.flatnonzero(mouth.any(1))) + 1
    )


def _box(mask: Mask, margin: int = 0) -> tuple[slice, slice]:
    """The rows and columns in which something is, and some around them as far as there are."""
    rows, columns = (np.flatnonzero(mask.any(axis)) for axis in (1, 0))
    if not len(rows):
        return slice(0, 0), slice(0, 0)
    return (
        slice(max(0, rows[0] - margin), rows[-1] + 1 + margin),
        slice(max(0, columns[0] - margin), columns[-1] + 1 + margin),
    )


def _filled(mouth: Mask, wide: int) -> Mask:
    """The whole of a mouth: gaps between its pieces closed, holes filled."""
    reach = max(2, round(0.05 * wide))
    made, box = np.zeros_like(mouth), _box(mouth)
    padded = np.pad(mouth[box], reach + 1)
    inner = slice(reach + 1, -reach - 1)
    made[box] = ndimage.binary_fill_holes(closed(padded, reach))[inner, inner]
    return made


def _luminance(image: Array) -> Array:
    return np.asarray((image[..., :3] @ np.array([0.2126, 0.7152, 0.0722])) / 255)


def _dark(stack: Sequence[Array], filled: Sequence[Mask]) -> Array:
    """Colors of the dark inside (n, 3), from deep in the tallest drawing."""
    heights = [int(w.sum(0).max(initial=0)) for w in filled]
    image, whole = stack[int(np.argmax(heights))], filled[int(np.argmax(heights))]
    depth = ndimage.distance_transform_edt(np.pad(whole, 1))[1:-1, 1:-1]
    deep = (depth > 0.4 * depth.max()) & (image[..., 3] >= SOLID) & (_luminance(image) < DARK)
    if not deep.any():
        return np.zeros((0, 3))
    colors = image[deep][:, :3]
    _, which, count = np.unique(
        (colors // 24).astype(int), axis=0, return_inverse=True, return_counts=True
    )
    large = np.flatnonzero(count >= 0.15 * count.sum())
    return np.array([colors[which.ravel() == k].mean(0) for k in large]).reshape(-1, 3)


def _measured(image: Array, mouth: Mask, whole: Mask, dark: Array, wide: int) -> Look:
    width, _ = _extent(mouth)
    if not width:
        return Look(*[0.0] * 10)
    columns = np.flatnonzero(whole.any(0))
    low, high = np.quantile(columns, [0.33, 0.67]).astype(int)
    height = float(whole[:, low : high + 1].sum(0).max())
    inside = whole & ~mouth  # left open by the drawing
    if len(dark):
        apart = np.min([np.abs(image[..., :3] - c).max(2) for c in dark], 0)
        black = mouth & (apart < NEAR) & (image[..., 3] >= SOLID)
    else:
        black = np.zeros_like(mouth)
    deep = opened(black | inside, max(1.0, LINE * wide))
    teeth = _teeth(image, whole & (image[..., 3] >= SOLID), wide)
    below = np.ones((2 * round(0.03 * wide) + 1, 1), bool)
    below[: round(0.03 * wide)] = False  # what is dark right under teeth, however thin
    open_ = _main(deep | teeth | (black & ndimage.binary_dilation(teeth, below)), wide)
    across = np.minimum(
        np.maximum.accumulate(open_, 1), np.maximum.accumulate(open_[:, ::-1], 1)[:, ::-1]
    )
    if _extent(open_)[0] < LEAST * width:
        return Look(width / wide, height / wide, 0, 0, 0, 0, 0, 0, 0, _smile(mouth) / wide)
    inner = np.flatnonzero(open_.any(0))
    left, right = np.quantile(inner, [0.3, 0.7]).astype(int)
    column = across[:, left : right + 1]
    rows = np.arange(len(column))[:, None]
    top = np.where(column, rows, len(column)).min(0)
    bottom = np.where(column, rows, -1).max(0)
    gaps = np.maximum(0, bottom - top + 1)
    spanned = (rows >= top) & (rows <= bottom)
    patch = image[:, left : right + 1]
    red = (
        spanned
        & ~open_[:, left : right + 1]
        & (patch[..., 0] > 1.25 * patch[..., 1])
        & (_luminance(patch) > 0.2)
    )
    total = max(1, int(spanned.sum()))
    reach = (
        float(
            (bottom - np.where(red, rows, len(column)).min(0))[red.any(0)].mean()
            / max(1, gaps.max())
        )
        if red.any()
        else 0.0
    )
    bare = ~mouth[np.clip(top - 2, 0, None), np.arange(left, right + 1)]
    bare |= ~mouth[np.clip(bottom + 2, None, len(mouth) - 1), np.arange(left, right + 1)]
    return Look(
        width / wide, height / wide, float(np.median(gaps)) / wide, float(bare.mean()), (inner[-1] - inner[0] + 1) / wide,
        float((teeth[:, left : right + 1] & spanned).sum() / total),
        float((deep[:, left : right + 1] & spanned).sum() / total),
        float(red.sum() / total), reach, _smile(mouth) / wide,
    )  # fmt: skip


def _smile(mouth: Mask) -> float:
    """How many pixels the corners of a mouth lie above its middle."""
    columns = np.flatnonzero(mouth.any(0))
    rows = np.arange(len(mouth)) @ mouth[:, columns] / mouth[:, columns].sum(0)
    edge = max(1, len(columns) // 8)
    ends = np.concatenate([rows[:edge], rows[-edge:]]).mean()
    return float(np.median(rows[3 * edge : -3 * edge or None]) - ends)


def _teeth(image: Array, whole: Mask, wide: int) -> Mask:
    """What is light and has no color, with ink or dark around it rather than lips."""
    light = whole & (image[..., :3].min(2) > 255 * LIGHT)
    light = opened(light, max(1.0, 0.4 * LINE * wide))
    parts, count = ndimage.label(closed(light, max(1.0, 0.5 * LINE * wide)))
    kept: Mask = np.zeros(light.shape, bool)
    dim = _luminance(image) < 0.3
    for k in range(1, count + 1):
        part = parts == k
        ring = ndimage.binary_dilation(part, iterations=3) & ~ndimage.binary_dilation(
            part, iterations=1
        )
        if ring.any() and dim[ring].mean() > 0.5:
            kept |= part
    return kept


def _main(inside: Mask, wide: int) -> Mask:
    """The inside in one piece: the largest, with what lies close to it."""
    joined = closed(np.pad(inside, 8), max(2.0, 0.03 * wide))[8:-8, 8:-8]
    parts, count = ndimage.label(joined)
    if not count:
        return inside
    sizes = np.bincount(parts.ravel())[1:]
    return np.asarray(inside & (parts == int(np.argmax(sizes)) + 1))
