"""A drawing as SVG: for files, for the browser, for looking."""

from __future__ import annotations

from collections.abc import Sequence

from .pen import Drawing, Shape

FADE = ((0.0, 1.0), (0.35, 0.86), (0.7, 0.36), (1.0, 0.0))  # how a fading fill thins out
UNSEEN = 0.004  # opacity below which nothing is painted


def svg(
    drawings: Sequence[Drawing], box: tuple[float, float, float, float], *,
    size: tuple[float, float] | None = None, title: str = "",
) -> str:  # fmt: skip
    """Drawings over each other as one document; `box` (x, y, width, height) of them, `size` in
    pixels."""
    w, h = size or box[2:]
    body, defs = [], []
    for number, drawing in enumerate(drawings):
        found, made = _body(drawing, f"d{number}")
        defs += found
        body += made
    name = f"<title>{title}</title>" if title else ""
    view = " ".join(f"{v:g}" for v in box)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:g}" height="{h:g}" viewBox="{view}">'
        f"{name}\n<defs>{''.join(dict.fromkeys(defs))}</defs>\n" + "\n".join(body) + "\n</svg>\n"
    )


def _body(drawing: Drawing, prefix: str) -> tuple[list[str], list[str]]:
    defs: list[str] = []
    body: list[str] = []
    known: set[int] = set()
    for shape in drawing.shapes:
        if shape.opacity < UNSEEN:
            continue
        for clip in shape.clip:
            if clip not in known:
                known.add(clip)
                path = path_data(drawing, clip)
                defs.append(f'<clipPath id="{prefix}c{clip}"><path d="{path}"/></clipPath>')
        if shape.fade and shape.fill:
            defs.append(_fade(shape.fill))
        element = f'<path d="{path_data(drawing, shape.path, shape.pieces)}"{_paint(shape)}/>'
        for clip in shape.clip:
            element = f'<g clip-path="url(#{prefix}c{clip})">{element}</g>'
        body.append(element)
    return defs, body


def path_data(drawing: Drawing, number: int, pieces: int = 1) -> str:
    """One path in the words of SVG, or several in a row as one."""
    made = []
    for k in range(number, number + pieces):
        rows = [f"{x:.2f} {y:.2f}" for x, y in drawing.path(k).tolist()]
        curves = [" ".join(rows[k : k + 3]) for k in range(1, len(rows), 3)]
        made.append(f"M{rows[0]}" + "".join(f"C{c}" for c in curves))
    return "".join(made)


def _fade(color: str) -> str:
    stops = "".join(
        f'<stop offset="{o}" stop-color="{color}" stop-opacity="{a}"/>' for o, a in FADE
    )
    return (
        f'<radialGradient id="fade{color[1:]}" cx="0.5" cy="0.5" r="0.5">{stops}</radialGradient>'
    )


def _paint(shape: Shape) -> str:
    fill = f"url(#fade{shape.fill[1:]})" if shape.fade and shape.fill else shape.fill or "none"
    made = f' fill="{fill}"'
    if shape.stroke and shape.width > 0:
        made += (
            f' stroke="{shape.stroke}" stroke-width="{shape.width:.2f}" stroke-linejoin="round" '
            'stroke-linecap="round"'
        )
    return made + (f' opacity="{shape.opacity:.3f}"' if shape.opacity < 0.999 else "")
