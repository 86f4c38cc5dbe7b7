"""A strip of the mouths of a line, with its words under them: what a person looks at for a second."""

from __future__ import annotations

from functools import cache
from html import escape

import numpy as np

from ..characters.drawn.glyphs import GLYPH, KINDS, glyph, kinds_seen
from ..characters.drawn.svg import path_data
from ..motion.curve import Motion
from ..motion.delivery import Delivery
from ..motion.gestures import closes_lips
from ..motion.telling import telling_rows
from ..speech.ipa import parse
from ..speech.reading import Phone, Reading

ROW, MOST = 16, 48  # mouths beside each other, and in all
WIDE, HIGH = 40.0, 42.0  # pixels of a mouth with its word
INK, FILL, PAPER = "#33302b", "#b04f46", "#fdfaf3"


def strip_of(reading: Reading, motion: Motion, delivery: Delivery) -> str:
    """The mouths of a line's vowels and closures, evenly chosen where there are too many, as an SVG document."""
    found: list[tuple[Phone, str]] = []
    for word in reading.words():
        text = word.text
        for phone in word.phones:
            if _tells(phone.ipa):
                found.append((phone, text))
                text = ""  # once, under its first mouth
    if len(found) > MOST:
        found = [found[k] for k in np.linspace(0, len(found) - 1, MOST).round().astype(int)]
    rows = -(-len(found) // ROW) or 1
    body = []
    if found:
        phones = [p for p, _ in found]
        placed = [_filmed(p, delivery) for p in phones]
        kinds = kinds_seen(telling_rows(motion, placed, delivery.lead / 1000))
        for k, (kind, (_, text)) in enumerate(zip(kinds, found, strict=True)):
            x, y = WIDE * (k % ROW), HIGH * (k // ROW)
            body.append(f'<use href="#m{KINDS.index(kind)}" x="{x + 4:g}" y="{y + 2:g}" width="32" height="20"/>')  # fmt: skip
            if text:
                body.append(
                    f'<text x="{x + WIDE / 2:g}" y="{y + 34:g}">{escape(text[:9], quote=False)}</text>'
                )
        body = [_symbol(kind) for kind in dict.fromkeys(kinds)] + body
    width, height = WIDE * min(ROW, max(1, len(found))), HIGH * rows
    style = f'font-family="Inter, sans-serif" font-size="9" text-anchor="middle" fill="{INK}"'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}" height="{height:g}" '
        f'viewBox="0 0 {width:g} {height:g}" {style}>{"".join(body)}</svg>\n'
    )


def _tells(ipa: str) -> bool:
    sounds = parse(ipa)
    return bool(sounds) and (sounds[0].vowel or closes_lips(ipa))


def _filmed(phone: Phone, delivery: Delivery) -> Phone:
    """The sound where the face shows it."""
    import msgspec

    start, end = delivery.film(phone.start), delivery.film(phone.end)
    return msgspec.structs.replace(phone, start=start, end=end)


@cache
def _symbol(kind: str) -> str:
    """A mouth that can be used many times."""
    drawing, number = glyph(kind, INK, FILL, PAPER), KINDS.index(kind)
    shapes, clips = [], []
    for shape in drawing.shapes:
        element = f'<path d="{path_data(drawing, shape.path, shape.pieces)}" fill="{shape.fill or "none"}"'
        if shape.stroke and shape.width > 0:
            element += f' stroke="{shape.stroke}" stroke-width="{shape.width:.2f}"'
        element += "/>"
        for clip in shape.clip:
            clips.append(f'<clipPath id="c{number}-{clip}"><path d="{path_data(drawing, clip)}"/></clipPath>')  # fmt: skip
            element = f'<g clip-path="url(#c{number}-{clip})">{element}</g>'
        shapes.append(element)
    view = " ".join(f"{v:g}" for v in GLYPH)
    return f'{"".join(dict.fromkeys(clips))}<symbol id="m{number}" viewBox="{view}">{"".join(shapes)}</symbol>'
