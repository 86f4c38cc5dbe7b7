"""The exposure sheet on paper: pages of rows, as PDF and as SVG, painted the same way."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass, replace
from html import escape
from importlib.resources import files

from ..characters.drawings.naming import short_names
from .exposure import Row

WIDE, HIGH = 210.0, 297.0  # mm, A4
MARGIN, TOP, FOOT = 12.0, 24.0, 10.0
ROW = 4.2  # mm
BLOCKS = 2  # of rows beside each other
GAP = 6.0
COLUMNS = (("frame", 10.0), ("sec", 10.0), ("wave", 11.0), ("sound", 9.0), ("word", 17.0), ("mouth", 18.0),
           ("eyes", 8.0), ("notes", 7.0))  # fmt: skip
INK, FAINT, HAND = "#26221c", "#b9b2a4", "#9a5b12"
FONT = "Gentium Plus"
FPS_ROWS = 8  # a heavier line after so many


@dataclass(frozen=True)
class Line:
    """A straight line."""

    x: float
    y: float
    to_x: float
    to_y: float
    width: float = 0.15
    color: str = INK


@dataclass(frozen=True)
class Text:
    """Words that begin at a place, on their base line, in points."""

    x: float
    y: float
    text: str
    size: float = 7.0
    color: str = INK
    italic: bool = False


Mark = Line | Text
Page = list[Mark]


def pages_of(rows: Sequence[Row], title: str, fps: float) -> list[Page]:
    """All pages, painted with lines and words in millimetres."""
    mouths = short_names(list(dict.fromkeys(r.mouth for r in rows if r.mouth)))
    eyes = short_names(list(dict.fromkeys(r.eyes for r in rows if r.eyes)))
    rows = [replace(r, mouth=mouths.get(r.mouth, ""), eyes=eyes.get(r.eyes, "")) for r in rows]
    a_block = int((HIGH - TOP - FOOT - ROW) // ROW)
    blocks = [rows[k : k + a_block] for k in range(0, len(rows), a_block)] or [[]]
    count = -(-len(blocks) // BLOCKS)
    pages = []
    for number in range(count):
        page: Page = [
            Text(MARGIN, 12, title, 13, italic=True),
            Text(MARGIN, 17, f"Exposure sheet · {fps:g} frames a second · {len(rows)} frames", 8),
            Text(WIDE - MARGIN - 18, 12, f"{number + 1} / {count}", 8),
        ]
        for k, block in enumerate(blocks[number * BLOCKS : (number + 1) * BLOCKS]):
            x = MARGIN + k * ((WIDE - 2 * MARGIN + GAP) / BLOCKS)
            page += _block(block, x, fps)
        pages.append(page)
    return pages


def _block(rows: Sequence[Row], left: float, fps: float) -> Page:
    marks: Page = []
    width = sum(w for _, w in COLUMNS)
    bottom = TOP + ROW + len(rows) * ROW
    x = left
    places = {}
    for name, wide in COLUMNS:
        places[name] = x
        marks += [Text(x + 0.8, TOP + 3, name, 6.5, FAINT), Line(x, TOP, x, bottom, color=FAINT)]
        x += wide
    marks += [
        Line(x, TOP, x, bottom, color=FAINT),
        Line(left, TOP + ROW, left + width, TOP + ROW, 0.3),
    ]
    middle, reach = places["wave"] + 5.5, 5.0
    for k, row in enumerate(rows):
        top = TOP + ROW + k * ROW
        base = top + 3.1
        heavy = (row.frame + 1) % FPS_ROWS == 0
        marks.append(
            Line(
                left,
                top + ROW,
                left + width,
                top + ROW,
                0.3 if heavy else 0.08,
                INK if heavy else FAINT,
            )
        )
        marks.append(Text(places["frame"] + 0.8, base, str(row.frame)))
        if k == 0 or row.frame % max(1, round(fps) // 2) == 0:
            marks.append(Text(places["sec"] + 0.8, base, f"{row.seconds:.2f}", 6.5, FAINT))
        low, high = row.wave
        marks.append(
            Line(
                middle + low * reach,
                top + ROW / 2,
                middle + max(high, low + 0.02) * reach,
                top + ROW / 2,
                ROW * 0.8,
                FAINT,
            )
        )
        for name, text in (
            ("sound", row.sound),
            ("word", row.word),
            ("eyes", row.eyes),
            ("notes", row.notes),
        ):
            if text:
                marks.append(
                    Text(
                        places[name] + 0.8,
                        base,
                        _short(text, dict(COLUMNS)[name]),
                        7.5 if name == "sound" else 6.5,
                    )
                )
        color = HAND if row.pinned else INK
        if row.mouth:
            marks.append(Text(places["mouth"] + 2.4, base, _short(row.mouth, 15.5), 6.8, color))
            marks.append(Line(places["mouth"], top, places["mouth"] + 18, top, 0.25, color))
        # A stroke down the frames that a drawing is held
        marks.append(Line(places["mouth"] + 1.2, top, places["mouth"] + 1.2, top + ROW, 0.5, color))
    return marks


def _short(text: str, wide: float) -> str:
    most = max(3, int(wide / 1.12))
    return text if len(text) <= most else text[: most - 1] + "…"


def to_pdf(rows: Sequence[Row], title: str, fps: float) -> bytes:
    """As a PDF, with the fonts in it."""
    from fpdf import FPDF

    logging.getLogger("fontTools.subset").setLevel(
        logging.ERROR
    )  # it tells of every table it drops
    pdf = FPDF(format="A4", unit="mm")
    pdf.set_auto_page_break(False)
    pdf.set_creator("Glyphos")
    pdf.set_title(title)
    fonts = files("glyphos.data") / "fonts"
    pdf.add_font("Gentium", "", str(fonts / "GentiumPlus-Regular.ttf"))
    pdf.add_font("Gentium", "I", str(fonts / "GentiumPlus-Italic.ttf"))
    for page in pages_of(rows, title, fps):
        pdf.add_page()
        for mark in page:
            red, green, blue = (int(mark.color[k : k + 2], 16) for k in (1, 3, 5))
            if isinstance(mark, Line):
                pdf.set_draw_color(red, green, blue)
                pdf.set_line_width(mark.width)
                pdf.line(mark.x, mark.y, mark.to_x, mark.to_y)
            else:
                pdf.set_font("Gentium", "I" if mark.italic else "", mark.size)
                pdf.set_text_color(red, green, blue)
                pdf.text(mark.x, mark.y, mark.text)
    return bytes(pdf.output())


def to_svg(rows: Sequence[Row], title: str, fps: float) -> bytes:
    """As one SVG, all pages beside each other."""
    pages = pages_of(rows, title, fps)
    wide = WIDE * len(pages)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{HIGH:g}mm" '
        f'viewBox="0 0 {wide:g} {HIGH:g}"><title>{escape(title, quote=False)}</title>',
        f'<rect width="{wide:g}" height="{HIGH:g}" fill="#ffffff"/>',
    ]
    for number, page in enumerate(pages):
        out.append(f'<g transform="translate({number * WIDE:g} 0)" font-family="{FONT}, serif">')
        for m in page:
            if isinstance(m, Line):
                out.append(
                    f'<path d="M{m.x:.2f} {m.y:.2f}L{m.to_x:.2f} {m.to_y:.2f}" stroke="{m.color}" stroke-width="{m.width:g}"/>'
                )
            else:
                italic = ' font-style="italic"' if m.italic else ""
                size = m.size * 25.4 / 72
                out.append(
                    f'<text x="{m.x:.2f}" y="{m.y:.2f}" font-size="{size:.2f}" fill="{m.color}"{italic}>{escape(m.text, quote=False)}</text>'
                )
        out.append("</g>")
    out.append("</svg>\n")
    return "\n".join(out).encode()
