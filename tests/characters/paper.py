"""Mouths on paper, drawn by Pillow in a few styles, on any ground, under any names."""

from __future__ import annotations

from pathlib import Path

from PIL import Image, ImageDraw

KINDS = {"closed": (60, 0), "slight": (58, 10), "open": (55, 24), "wide open": (50, 46), "rounded": (26, 24), "puckered": (15, 13)}  # fmt: skip
STYLES = ("line", "solid", "teeth", "lips")
GROUNDS = {"clear": (0, 0, 0, 0), "white": (255, 255, 255, 255), "skin": (240, 200, 170, 255)}


def mouth(
    kind: str, style: str = "teeth", ground: str = "clear", size: tuple[int, int] = (320, 240)
) -> Image.Image:
    """One mouth: half its width and height come from KINDS."""
    image = Image.new("RGBA", size, GROUNDS[ground])
    draw, scale = ImageDraw.Draw(image), size[0] / 160
    x, y, (w, h) = size[0] / 2, size[1] / 2, (v * scale for v in KINDS[kind])
    line, ink = round(4 * scale), (20, 10, 10, 255)
    box = [x - w, y - h, x + w, y + h]
    if style == "lips":
        draw.ellipse(
            [x - w, y - h - 10 * scale, x + w, y + h + 12 * scale], fill=(220, 80, 90, 255)
        )
        box[0], box[2] = box[0] + 6 * scale, box[2] - 6 * scale
    if not h:
        draw.line([x - w, y, x + w, y], fill=ink, width=line)
    elif style == "line":
        draw.ellipse(box, outline=ink, width=line)
    elif style in ("solid", "lips"):
        draw.ellipse(box, fill=(60, 10, 15, 255) if style == "lips" else ink)
    else:
        draw.ellipse(box, fill=(140, 20, 40, 255), outline=ink, width=line)
        if w > 40 * scale:
            draw.chord(
                [x - w + line, y - h + line, x + w - line, y + 0.9 * h],
                200,
                340,
                fill=(255, 255, 255, 255),
            )
        if h > 20 * scale:
            draw.ellipse(
                [x - w / 2, y + 0.3 * h, x + w / 2, y + h - line], fill=(230, 110, 120, 255)
            )
    return image


def folder_of(
    folder: Path, names: dict[str, str], style: str = "teeth", ground: str = "clear"
) -> Path:
    """A folder with a drawing for every kind that a name is given to."""
    folder.mkdir(parents=True, exist_ok=True)
    for kind, name in names.items():
        mouth(kind, style, ground).save(folder / name)
    return folder
