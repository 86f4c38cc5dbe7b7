"""Pictures of a set of drawings, opened for painting."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtGui import QImage

from ...characters.drawings.documents import Box, Drawings
from ...errors import ModelError
from ...progress import Progress

FAINT = 24  # opacity below which nothing is drawn
Which = tuple[str, Box | None]  # a file and its cell


class Pictures:
    """Pictures of a set: each as it is (image), and how large it says it is. said: what could not be
    opened, in words."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.images: dict[Which, QImage] = {}
        self.sizes: dict[Which, tuple[float, float]] = {}
        self.said: list[str] = []
        self._drawn: dict[
            tuple[int, int], tuple[int, int, int, int]
        ] = {}  # of all mouths of a size

    def load(self, drawings: Drawings, told: Progress) -> Pictures:
        """Open all of them."""
        from ...characters.drawings.composing import open_drawing

        wanted: list[Which] = []
        for view in drawings.views:
            wanted += [(view.head, None)] if view.head else []
            wanted += [(d.file, d.cell) for d in view.drawings()]
        mouths = {(m.file, m.cell) for v in drawings.views for m in v.mouths}
        for number, which in enumerate(dict.fromkeys(wanted)):
            told(number / len(wanted))
            try:
                picture = open_drawing(self.folder, *which)
            except ModelError as error:
                self.said.append(str(error))
                continue
            high, wide = picture.pixels.shape[:2]
            data = picture.pixels.tobytes()
            self.images[which] = QImage(
                data, wide, high, 4 * wide, QImage.Format.Format_RGBA8888
            ).convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)
            self.sizes[which] = picture.size
            if which in mouths:
                self._reach((wide, high), picture.pixels[..., 3] > FAINT)
        return self

    def _reach(self, size: tuple[int, int], there: np.ndarray) -> None:
        """What mouths of a size take up, all together."""
        columns, rows = np.flatnonzero(there.any(0)), np.flatnonzero(there.any(1))
        if not len(columns):
            return
        own = (int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
        old = self._drawn.get(size, own)
        self._drawn[size] = (
            min(own[0], old[0]),
            min(own[1], old[1]),
            max(own[2], old[2]),
            max(own[3], old[3]),
        )

    def cropped(self, which: Which) -> QImage | None:
        """A mouth without the margin that all mouths of its size have."""
        image = self.images.get(which)
        if image is None:
            return None
        left, top, right, bottom = self._drawn.get(
            (image.width(), image.height()), (0, 0, image.width(), image.height())
        )
        return image.copy(left, top, right - left, bottom - top)
