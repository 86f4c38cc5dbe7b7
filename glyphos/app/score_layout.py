"""Where everything stands on the score: a page of rows, broken at pauses, with no word on another.

Time runs evenly where there is room; a sound whose letter needs more than its time gets it, and a
long pause gives up what it does not need. Pure geometry: no widgets, no painting.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass, field

from ..speech.reading import Phone, Reading, Word

LONG_PAUSE = 0.7  # seconds shown of a longer one
GAP = 7.0  # pixels between words at least
Width = Callable[[str], float]


@dataclass(frozen=True)
class Piece:
    """A stretch of time that is drawn evenly: a sound, or a pause (phone is None)."""

    start: float
    end: float
    width: float
    word: int = -1
    phone: Phone | None = None


@dataclass
class Row:
    """One line of the page: its pieces and the x of each piece's start."""

    pieces: list[Piece]
    x: list[float] = field(default_factory=list)

    @property
    def start(self) -> float:
        return self.pieces[0].start

    @property
    def end(self) -> float:
        return self.pieces[-1].end

    @property
    def width(self) -> float:
        return self.x[-1] + self.pieces[-1].width

    def x_at(self, seconds: float) -> float:
        """Horizontal place of a time within the row."""
        k = max(0, bisect_right([p.start for p in self.pieces], seconds) - 1)
        piece = self.pieces[k]
        share = (seconds - piece.start) / max(1e-9, piece.end - piece.start)
        return self.x[k] + piece.width * min(max(share, 0.0), 1.0)

    def time_at(self, x: float) -> float:
        """Time at a horizontal place."""
        k = min(max(0, bisect_right(self.x, x) - 1), len(self.pieces) - 1)
        piece = self.pieces[k]
        share = min(max((x - self.x[k]) / max(1e-9, piece.width), 0.0), 1.0)
        return piece.start + share * (piece.end - piece.start)


@dataclass
class Page:
    """All rows of a reading, with its words in order."""

    rows: list[Row]
    words: list[Word]

    def row_at(self, seconds: float) -> int:
        """Number of the row in which a time falls."""
        return max(0, bisect_right([r.start for r in self.rows], seconds) - 1)

    def word_span(self, number: int) -> list[tuple[int, float, float]]:
        """(row, left, right) of a word; one entry, since rows never break a word."""
        spans = []
        for r, row in enumerate(self.rows):
            own = [k for k, p in enumerate(row.pieces) if p.word == number]
            if own:
                spans.append((r, row.x[own[0]], row.x[own[-1]] + row.pieces[own[-1]].width))
        return spans


def lay_out(
    reading: Reading, duration: float, *, width: float, per_second: float,
    word_width: Width, letter_width: Width,
) -> Page:  # fmt: skip
    """Rows of at most `width` pixels at `per_second` pixels a second where there is room."""
    words = list(reading.words())
    groups = _groups(words, duration, per_second, word_width, letter_width)
    rows: list[Row] = []
    current: list[Piece] = []
    used = 0.0
    for group in groups:
        size = sum(p.width for p in group)
        if current and used + size > width:
            cut = _best_break(current, width)
            if cut < len(current):
                rows.append(Row(current[:cut]))
                current = current[cut:]
                used = sum(p.width for p in current)
            if current and used + size > width:
                rows.append(Row(current))
                current, used = [], 0.0
        current = current + group
        used += size
    rows.append(Row(current or [Piece(0.0, max(duration, 0.01), width)]))
    for row in rows:
        shrink = min(1.0, width / max(1.0, sum(p.width for p in row.pieces)))
        x = 0.0
        row.pieces = [Piece(p.start, p.end, p.width * shrink, p.word, p.phone) for p in row.pieces]
        for piece in row.pieces:
            row.x.append(x)
            x += piece.width
    return Page(rows, words)


def _groups(
    words: list[Word], duration: float, per_second: float, word_width: Width, letter_width: Width
) -> list[list[Piece]]:
    """Words and pauses, each a group that no row break may divide."""
    groups: list[list[Piece]] = []
    at = 0.0
    for number, word in enumerate(words):
        if word.start > at + 1e-6:
            shown = min(word.start - at, LONG_PAUSE)
            groups.append([Piece(at, word.start, max(shown * per_second, GAP))])
        pieces = [
            Piece(
                p.start, p.end, max((p.end - p.start) * per_second, letter_width(p.ipa)), number, p
            )
            for p in word.phones
        ] or [Piece(word.start, word.end, (word.end - word.start) * per_second, number)]
        total, need = sum(p.width for p in pieces), word_width(word.text) + GAP
        grow = max(1.0, need / max(1e-6, total))
        groups.append([Piece(p.start, p.end, p.width * grow, p.word, p.phone) for p in pieces])
        at = word.end
    if duration > at + 1e-6:
        groups.append([Piece(at, duration, max(min(duration - at, LONG_PAUSE) * per_second, GAP))])
    return groups


def _best_break(pieces: list[Piece], width: float) -> int:
    """Break at the last pause in the second half of the row, if there is one worth it."""
    x, best = 0.0, len(pieces)
    for k, piece in enumerate(pieces):
        x += piece.width
        if (
            piece.word < 0
            and piece.end - piece.start > 0.12
            and x > 0.55 * width
            and k + 1 < len(pieces)
        ):
            best = k + 1
    return best


def fitting_scale(
    reading: Reading, duration: float, *, width: float, rows: int,
    word_width: Width, letter_width: Width, low: float = 70.0, high: float = 190.0,
) -> float:  # fmt: skip
    """The widest scale at which the whole line fits in `rows` rows, else the narrowest."""
    for scale in range(int(high), int(low), -15):
        page = lay_out(reading, duration, width=width, per_second=scale, word_width=word_width,
                       letter_width=letter_width)  # fmt: skip
        if len(page.rows) <= rows:
            return float(scale)
    return low if duration < 40 else 100.0
