"""How much room words and pauses need, whatever the scale they are drawn at, and where rows break.

The widest scale at which a line fits is searched for: what does not depend on it is measured once.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from ....speech.reading import Phone, Word

LONG_PAUSE = 0.7  # seconds shown of a longer one
GAP = 7.0  # pixels between words at least
LETTER_GAP = 4.0  # pixels more between the last sound of a word and the next word's first
SAME = 1e-6  # pixels: what rounding may do to a place
Width = Callable[[str], float]
Pixels = NDArray[np.float64]


class Measured:
    """Words and pauses, whatever the scale they are drawn at: what each piece needs, measured once.

    A group is a word or a pause, which no row break may divide; `first` are the numbers of their first pieces.
    start: where the first begins; number, sound: of the first word and of its first sound.
    """

    def __init__(
        self, words: Sequence[Word], duration: float, word_width: Width, letter_width: Width, *,
        start: float = 0.0, number: int = 0, sound: int = 0,
    ) -> None:  # fmt: skip
        self.words, self.duration = list(words), duration
        self.pieces: list[tuple[float, float, int, Phone | None, int]] = []  # as Piece, no width
        self.first: list[int] = []
        self.pause: list[float] = []  # seconds of each group, none of a word
        shown: list[float] = []  # seconds of each piece that are drawn
        least: list[float] = []  # pixels that it needs
        need: list[float] = []  # pixels that a group needs

        def wait(a: float, b: float) -> None:
            self.first.append(len(self.pieces))
            self.pieces.append((a, b, -1, None, -1))
            self.pause.append(b - a)
            shown.append(min(b - a, LONG_PAUSE))
            least.append(GAP)
            need.append(0.0)

        at = start
        for count, word in enumerate(words, number):
            if word.start > at + 1e-6:
                wait(at, word.start)
            self.first.append(len(self.pieces))
            self.pause.append(0.0)
            need.append(word_width(word.text) + GAP)
            for p in word.phones:
                self.pieces.append((p.start, p.end, count, p, sound))
                shown.append(p.end - p.start)
                least.append(letter_width(p.ipa))
                sound += 1
            if word.phones:
                least[-1] += LETTER_GAP
            else:
                self.pieces.append((word.start, word.end, count, None, -1))
                shown.append(word.end - word.start)
                least.append(need[-1])
            at = word.end
        if duration > at + 1e-6:
            wait(at, duration)
        self._shown, self._least, self._need = np.array(shown), np.array(least), np.array(need)
        self._count = np.diff([*self.first, len(self.pieces)])
        self._spoken = np.array(self.pause) == 0

    def widths(self, per_second: float) -> tuple[Pixels, Pixels]:
        """Of every piece, and of every group."""
        if not self.first:
            return np.zeros(0), np.zeros(0)
        widths = np.maximum(self._shown * per_second, self._least)
        whole = np.add.reduceat(widths, self.first)
        grow = np.maximum(1.0, self._need / np.maximum(1e-6, whole))
        return widths * np.repeat(grow, self._count), whole * grow

    def room(self, width: float, per_second: float) -> float:
        """Rows that words alone would fill, were there no pauses and no word to break before."""
        need = self.widths(per_second)[1][self._spoken]
        return float(np.minimum(need, width).sum()) / width - SAME

    def broken(self, width: float, per_second: float) -> list[list[tuple[int, float]]]:
        """The groups of every row, with their widths."""
        rows: list[list[tuple[int, float]]] = []
        current: list[tuple[int, float]] = []
        used = 0.0
        for k, size in enumerate(self.widths(per_second)[1].tolist()):
            left = width - used
            if self.pause[k] and current and GAP <= left < size:
                size = left  # a pause takes what is left of its row
            if current and used + size > width:
                cut = self._best_break(current, width)
                if cut < len(current):
                    rows.append(current[:cut])
                    current = current[cut:]
                    used = sum(own for _, own in current)
                if current and used + size > width:
                    rows.append(current)
                    current, used = [], 0.0
            current.append((k, size))
            used += size
        if current:
            rows.append(current)
        return rows

    def _best_break(self, row: list[tuple[int, float]], width: float) -> int:
        """Break at the last pause in the second half of the row, if there is one worth it."""
        x, best = 0.0, len(row)
        for number, (k, size) in enumerate(row[:-1], 1):
            x += size
            if self.pause[k] > 0.12 and x > 0.55 * width:
                best = number
        return best
