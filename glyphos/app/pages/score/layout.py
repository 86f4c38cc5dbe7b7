"""Where everything stands on the score: a page of rows, broken at pauses, with no word on another.

Time runs evenly where there is room; a sound whose letter needs more than its time gets it, and a
long pause gives up what it does not need. Pure geometry: no widgets, no painting.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from itertools import pairwise

from ....speech.parts import Flat
from ....speech.reading import Phone, Reading, Word
from .measured import GAP, SAME, Measured, Width
from .strips import WHOLE, Strip, joined

LONG_LINE = 40.0  # seconds after which a line is scrolled in any case
NARROWEST = 70.0  # pixels a second at size 1
SCROLLED = 110.0  # pixels a second of such a line
ROW_SECONDS = 6.0  # of a waveform that was not listened to


@dataclass(frozen=True)
class Piece:
    """A stretch of time that is drawn evenly: a sound, or a pause (phone is None, sound −1)."""

    start: float
    end: float
    width: float
    word: int = -1
    phone: Phone | None = None
    sound: int = -1


@dataclass
class Row:
    """One line of the page: its pieces and the x of each piece's start."""

    pieces: list[Piece]
    x: list[float] = field(default_factory=list)
    starts: list[float] = field(default_factory=list)
    phones: list[Phone] = field(default_factory=list)  # of its pieces
    sound: int = 0  # number of the first of them

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
        k = max(0, bisect_right(self.starts, seconds) - 1)
        piece = self.pieces[k]
        share = (seconds - piece.start) / max(1e-9, piece.end - piece.start)
        return self.x[k] + piece.width * min(max(share, 0.0), 1.0)

    def strip(self, start: float, end: float) -> Strip:
        """From left to right the pieces that a stretch of time lies in."""
        first = max(0, bisect_right(self.starts, start) - 1)
        last = max(first, bisect_right(self.starts, end) - 1)
        return self.x[first], self.x[last] + self.pieces[last].width

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
    width: float = 0.0

    def row_at(self, seconds: float) -> int:
        """Number of the row in which a time falls."""
        return max(0, bisect_right(self.rows, seconds, key=lambda r: r.start) - 1)

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
    return _page(Measured(words, duration, word_width, letter_width), width, per_second)


def _page(measured: Measured, width: float, per_second: float) -> Page:
    own = measured.widths(per_second)[0].tolist()
    ends = [*measured.first[1:], len(measured.pieces)]

    def pieces(k: int, size: float) -> Iterator[Piece]:
        if measured.pause[k]:
            yield Piece(*measured.pieces[measured.first[k]][:2], size)
            return
        for n in range(measured.first[k], ends[k]):
            start, end, word, phone, sound = measured.pieces[n]
            yield Piece(start, end, own[n], word, phone, sound)

    rows = [Row([p for k, size in row for p in pieces(k, size)])
            for row in measured.broken(width, per_second)]  # fmt: skip
    rows = rows or [Row([Piece(0.0, max(measured.duration, 0.01), width)])]
    _keep_company(rows, width)
    for row in rows:
        _spread(row, width)
    return Page(rows, measured.words, width)


def _keep_company(rows: list[Row], width: float) -> None:
    """A word that would stand alone in the last row gets the one before it for company."""
    if len(rows) < 2 or len({p.word for p in rows[-1].pieces if p.word >= 0}) != 1:
        return
    before = rows[-2].pieces
    words = sorted({p.word for p in before if p.word >= 0})
    if len(words) < 2:
        return
    cut = next(k for k, p in enumerate(before) if p.word == words[-1])
    moved = [*before[cut:], *rows[-1].pieces]
    if sum(p.width for p in moved if p.word >= 0) <= width:
        rows[-2], rows[-1] = Row(before[:cut]), Row(moved)


def sound_rows(duration: float, *, width: float, rows: int) -> Page:
    """A recording that was not listened to, in rows of the same length."""
    count = max(1, min(rows, round(duration / ROW_SECONDS)))
    length = max(duration, 0.01) / count
    made = [Row([Piece(k * length, (k + 1) * length, width)]) for k in range(count)]
    for row in made:
        _spread(row, width)
    return Page(made, [], width)


def _spread(row: Row, width: float) -> None:
    """Give every piece of a row its place, shrunk where they are too many for the width."""
    total, last = sum(p.width for p in row.pieces), row.pieces[-1]
    left = width - (total - last.width)
    if last.word < 0 and GAP <= left < last.width:
        row.pieces[-1] = replace(last, width=left)
        total = width
    shrink = min(1.0, width / max(1.0, total))
    if shrink < 1.0:
        row.pieces = [replace(p, width=p.width * shrink) for p in row.pieces]
    x = 0.0
    row.x = []
    for piece in row.pieces:
        row.x.append(x)
        x += piece.width
    row.starts = [p.start for p in row.pieces]
    row.phones = [p.phone for p in row.pieces if p.phone is not None]
    row.sound = next((p.sound for p in row.pieces if p.sound >= 0), 0)


def relaid(
    page: Page, flat: Flat, per_second: float, *, word_width: Width, letter_width: Width
) -> dict[int, Strip]:
    """Lay the rows out again whose sounds differ in time, in place; every row keeps its words.

    Returns the numbers of those rows, with the strip of each in which it is another now.
    """
    changed: dict[int, Strip] = {}
    before, page.words = page.words, flat.words
    noted = {
        k for k, (a, b) in enumerate(zip(before, flat.words, strict=True))
        if a is not b and _signs(a) != _signs(b)
    }  # fmt: skip
    for r, row in enumerate(page.rows):
        if noted and any(p.word in noted for p in row.pieces):
            changed[r] = WHOLE
        if row.phones == flat.phones[row.sound : row.sound + len(row.phones)]:
            continue
        fresh = [p if p.sound < 0 or p.phone is flat.phones[p.sound]
                 else replace(p, phone=flat.phones[p.sound]) for p in row.pieces]  # fmt: skip
        first = next((p.word for p in fresh if p.word >= 0), None)
        if first is not None:
            last = max(p.word for p in fresh)
            pieces, x = row.pieces, row.x
            row.pieces = _relaid_row(row, flat, first, last, per_second, word_width, letter_width)
            _spread(row, page.width)
            changed[r] = joined(changed.get(r), _differing(pieces, x, row))
    for r, (row, following) in enumerate(pairwise(page.rows)):
        last_piece, next_piece = row.pieces[-1], following.pieces[0]
        if last_piece.end == next_piece.start:
            continue
        if next_piece.word < 0:  # the pause between two rows begins where the last word ends
            following.pieces[0] = replace(next_piece, start=last_piece.end)
            following.starts[0] = last_piece.end
            strip = (0.0, next_piece.width)
            changed[r + 1] = joined(changed.get(r + 1), strip)
        elif last_piece.word < 0:
            row.pieces[-1] = replace(last_piece, end=next_piece.start)
            changed[r] = joined(changed.get(r), (row.x[-1], row.width))
    return changed


def _signs(word: Word) -> tuple[bool, bool]:
    """What is written beside a word."""
    return word.doubtful, word.confirmed


def _differing(pieces: list[Piece], x: list[float], row: Row) -> Strip:
    """Where a row differs from what it was, whole words of it: their writing is centred."""
    if len(pieces) != len(row.pieces):
        return WHOLE
    differ = [
        k for k, (p, q, a, b) in enumerate(zip(pieces, row.pieces, x, row.x, strict=True))
        if p.phone is not q.phone or abs(a - b) > SAME or abs(p.width - q.width) > SAME
        or p.start != q.start or p.end != q.end
    ]  # fmt: skip
    if not differ:
        return row.width, row.width
    words = {row.pieces[differ[0]].word, row.pieces[differ[-1]].word} - {-1}
    own = differ + [k for k, p in enumerate(row.pieces) if p.word in words]
    first, last = min(own), max(own)
    return (
        min(x[first], row.x[first]),
        max(x[last] + pieces[last].width, row.x[last] + row.pieces[last].width),
    )


def _relaid_row(
    row: Row, flat: Flat, first: int, last: int, per_second: float, word_width: Width,
    letter_width: Width,
) -> list[Piece]:  # fmt: skip
    words = flat.words[first : last + 1]
    start = row.pieces[0].start if row.pieces[0].word < 0 else words[0].start
    end = row.pieces[-1].end if row.pieces[-1].word < 0 else words[-1].end
    made = Measured(words, end, word_width, letter_width, start=start, number=first, sound=flat.first[first])  # fmt: skip
    return [
        Piece(a, b, w, *rest)
        for (a, b, *rest), w in zip(made.pieces, made.widths(per_second)[0].tolist(), strict=True)
    ]


def air(reading: Reading, scale: float, letter_width: Width) -> float:
    """How much room sounds have at a scale (pixels a second), of what their letters need."""
    phones = list(reading.phones())
    need = sum(letter_width(p.ipa) for p in phones)
    return sum(p.end - p.start for p in phones) * scale / max(need, 1e-6)


def fitted(
    reading: Reading, duration: float, *, width: float, rows: int, word_width: Width,
    letter_width: Width, low: float = NARROWEST, high: float = 190.0, size: float = 1.0,
    anyway: bool = True,
) -> tuple[float, Page] | None:  # fmt: skip
    """The whole line in `rows` rows at the widest scale (pixels a second at size 1) at which it fits,
    and that scale; if it never does, None, or `anyway` in as few rows as the narrowest needs."""

    if duration > LONG_LINE:
        return SCROLLED, lay_out(reading, duration, width=width, per_second=SCROLLED * size,
                                 word_width=word_width, letter_width=letter_width)  # fmt: skip
    measured = Measured(list(reading.words()), duration, word_width, letter_width)

    def count(scale: float) -> int:
        return max(1, len(measured.broken(width, scale * size)))

    def at_least(scale: float) -> float:
        """Rows, or, where they are too many anyway, how many there would be at the least."""
        few = measured.room(width, scale * size)
        return few if few > least else count(scale)

    least = max(rows, count(low)) if anyway else rows
    scales = [low, *(float(x) for x in reversed(range(int(high), int(low), -15)))]
    # A wider scale hardly ever needs fewer rows, so that halving finds the widest, or one that fits
    number = bisect_right(scales, least, key=at_least)
    if not number:
        return None
    return scales[number - 1], _page(measured, width, scales[number - 1] * size)
