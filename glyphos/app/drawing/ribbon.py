"""The lip ribbon as a picture: the gap between the lips over time, coloured by kind of gesture.

Painted column by column with NumPy, which is an order of magnitude quicker than polygons and lets
the ribbon follow a slider or an edge that is being dragged.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QImage

Array = NDArray[np.float64]
THINNEST = 1.4  # pixels of half a closed ribbon


def ribbon_image(opening: Array, colors: NDArray[np.uint8], height: int, ratio: float) -> QImage:
    """An image of `height` device pixels, one column per value of `opening` (0..1).

    colors: (columns, 3) red, green, blue. ratio: device pixels per pixel.
    """
    middle = height / 2
    half = np.minimum(THINNEST * ratio + opening * (middle - 2 * ratio) * 1.25, middle - ratio)
    y = np.abs(np.arange(height, dtype=np.float32) + 0.5 - middle)[:, None]
    cover = half.astype(np.float32)[None, :] - (y - 0.5)
    np.clip(cover, 0.0, 1.0, out=cover)
    red, green, blue = colors.astype(np.uint32).T
    return _image(cover, red << 16 | green << 8 | blue, ratio)


def wave_image(
    high: Array, low: Array, color: tuple[int, int, int], opacity: float, height: int, ratio: float
) -> QImage:
    """A waveform of `height` device pixels, one column per highest and lowest value (−1..1)."""
    middle = height / 2
    top = (middle - high * (middle - ratio) - 0.4 * ratio).astype(np.float32)
    bottom = (middle - low * (middle - ratio) + 0.4 * ratio).astype(np.float32)
    y = np.arange(height, dtype=np.float32)[:, None]
    cover = np.minimum(y + 1, bottom)
    cover -= np.maximum(y, top)
    np.clip(cover, 0.0, 1.0, out=cover)
    cover *= opacity
    red, green, blue = color
    return _image(cover, np.array(red << 16 | green << 8 | blue, np.uint32), ratio)


def _image(cover: NDArray[np.float32], colors: NDArray[np.uint32], ratio: float) -> QImage:
    """Colours (one, or one a column) that cover each pixel (rows, columns) so far, 0..1, which is used up."""
    height, width = cover.shape
    cover *= 255
    pixels = cover.astype(np.uint32)
    pixels <<= 24
    pixels |= colors
    image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
    image.setDevicePixelRatio(ratio)
    return image


def envelope(
    samples: NDArray[np.float32], times: NDArray[np.float64], rate: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Highest and lowest sample between successive `times`, one value a gap."""
    edges = np.clip((times * rate).astype(int), 0, max(0, len(samples) - 1))
    starts = np.minimum(edges[:-1], len(samples) - 1)
    part = samples[: edges[-1] + 1]
    high = np.maximum.reduceat(part, starts)
    low = np.minimum.reduceat(part, starts)
    return high, low


def rgb(color: QColor) -> tuple[int, int, int]:
    """The three channels of a colour."""
    return color.red(), color.green(), color.blue()
