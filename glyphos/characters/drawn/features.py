"""Eyes, brows, forehead, folds and outline, which the drawn persons share."""

from __future__ import annotations

from dataclasses import dataclass
from math import cos, pi, sin

from .ink import CX, INK, Point, Points, clamp, mirrored, mix, oval, tint
from .mouth import Mouth
from .pen import Pen
from .pose import Pose


# fmt: off
@dataclass(frozen=True)
class EyeLook:
    dx: float = 43.0
    y: float = 208.0
    half: float = 26.0
    up: float = 17.5
    low: float = 12.0
    tilt: float = -1.0          # outer corner up (negative) or down
    iris: float = 12.8
    pupil: float = 5.8
    color: str = "#4c8a6d"
    color_dark: str = "#2b5746"
    color_light: str = "#8fc3a2"
    white: str = "#fdf8ec"
    white_shade: str = "#cfc5b8"
    brow_y: float = -43.0
    brow_width: float = 10.0
    brow: tuple[str, ...] = ("#a3a7b1", "#7d818d")
    heavy: float = 0.0          # lid hangs at rest
    brow_way: float = 1.0       # how far brows rise (a cap leaves less room)


def draw_eye(pen: Pen, e: EyeLook, ch: Pose, s: int) -> None:
    """s = -1 picture left. Lids are curves between an open and a shut one; shut lids coincide."""
    look = pen.look
    ex = CX + s * e.dx
    blink, raised = ch.side("blink", s), ch.side("lid_raise", s)
    smile = max(ch.side("cheek_raise", s), 0.55 * ch.side("lip_corner_up", s))
    squint = clamp(ch.side("lid_tighten", s) + 0.25 * ch.side("brow_lower", s) * (1 - raised))
    gp, gy = ch.degrees("gaze_pitch", 30), -ch.degrees("gaze_yaw", 35)
    up = e.up * (1 - e.heavy * (1 - 0.7 * raised)) * (1 + 0.36 * raised - 0.30 * squint) * (1 + gp / 75) - 2.5 * smile
    low = e.low * (1 + 0.14 * raised - 0.40 * squint - 0.42 * smile) * (1 - gp / 140)
    shut = e.low * 0.62 - 2.0 * smile
    A = [pi * (i / 12 - 0.5) for i in range(13)]
    upper, lower, crease, brim = [], [], [], []
    for a in A:
        t, c = sin(a), max(cos(a), 0.0)
        x = ex + t * e.half
        base = e.y + e.tilt * t * s + (1.5 if t * s < 0 else 0) * t * t
        skew = 1 + 0.16 * t * -s                             # highest nearer the nose
        upper.append((x, mix(base - up * c ** 0.85 * skew, base + shut * c, blink)))
        lower.append((x, mix(base + low * c, base + shut * c, blink)))
        crease.append((ex + t * (e.half + 3.5), base - mix(e.up * 1.30 + 3.0 * raised, e.up * 1.12,
            blink) * c ** 0.8 * skew))
        brim.append((ex + t * (e.half + 4), base + (e.low + 5) * c))
    pen.fill(f"socket {s}", crease + brim[-2:0:-1], look.shade, opacity=0.55)
    pen.fill(f"lid {s}", crease + upper[::-1][1:-1], tint(look.base, look.shade, 0.45))
    lidlight = [(mix(a[0], b[0], 0.45), mix(a[1], b[1], 0.45)) for a, b in zip(crease, upper, strict=False)]
    pen.line(f"lid light {s}", [lidlight[i] for i in ((3, 5, 7) if s < 0 else (4, 6, 8))],
        5 * (0.25 + 0.75 * blink), look.light, opacity=0.55)
    eye = upper + lower[-2:0:-1]
    clip = (*pen.clip, pen.path(eye))
    pen.fill(f"white {s}", eye, e.white)
    ix, iy = ex + 0.42 * gy, e.y - 0.8 - 0.36 * gp
    r = e.iris
    sq = 1 - (abs(gy) / 35) ** 2 * 0.14
    pen.fill(f"iris {s}", oval(ix, iy, r * sq, r), e.color_dark, clip=clip)
    pen.fill(f"iris tone {s}", oval(ix, iy + 0.6, r * 0.80 * sq, r * 0.82), e.color, clip=clip)
    pen.fill(f"iris light {s}", [(ix - r * 0.62 * sq, iy + r * 0.15), (ix, iy + r * 0.45),
        (ix + r * 0.62 * sq, iy + r * 0.15), (ix + r * 0.5 * sq, iy + r * 0.6), (ix,
        iy + r * 0.78), (ix - r * 0.5 * sq, iy + r * 0.6)],
             e.color_light, opacity=0.85, clip=clip)
    pen.fill(f"pupil {s}", oval(ix, iy, e.pupil * sq, e.pupil), "#1d1618", clip=clip)
    pen.fill(f"lid shadow {s}", [(x, y - 3) for x, y in upper] + [(x, y + 1 + 4.2 * cos(a)) for (x,
        y), a in zip(upper, A, strict=False)][::-1], "#5a4a4c", opacity=0.30, clip=clip)
    pen.fill(f"glint {s}", oval(ix - r * 0.34, iy - r * 0.36, 3.0, 3.0, 8), "#ffffff", clip=clip)
    pen.line(f"lower lid {s}", [*lower[1:-1:2], lower[-2]], 1.5, look.deep, opacity=0.9)
    tail = [(ex + s * (e.half + 5), upper[-1 if s > 0 else 0][1] - 1.0 + 3 * blink)]
    row = upper if s > 0 else upper[::-1]
    pen.line(f"lash {s}", [row[0], *row[1:-1:2], row[-2], *tail], 4.2 - 0.6 * blink, INK,
        taper=(0.1, 0), n=25)
    pen.line(f"crease {s}", crease[2:-1:2], 1.8, look.deep, opacity=0.85)
    bag = [(ex - s * 17, e.y + e.low + 5.5 - 2 * smile), (ex, e.y + e.low + 10 - 3 * smile),
        (ex + s * 19, e.y + e.low + 5 - 3 * smile)]
    pen.line(f"bag {s}", bag, 1.7 + 0.8 * smile, look.deep,
        opacity=look.age * (0.55 + 0.45 * smile))
    for k, (dy, dx) in enumerate(((-1, 9), (4, 8), (9, 5))):  # crow's feet with the smile
        pen.line(f"crow {s} {k}", [(ex + s * (e.half + 7), e.y + dy), (ex + s * (e.half + 7 + dx),
            e.y + dy * 1.7 + 1)], 1.4, look.deep, opacity=look.age * 0.9 * smile)


def draw_brow(pen: Pen, e: EyeLook, ch: Pose, s: int) -> None:
    inner, outer, lower = e.brow_way * ch("brow_inner_raise"), e.brow_way * ch.side("brow_outer_raise", s), ch.side("brow_lower", s)
    ex, y = CX + s * e.dx, e.y + e.brow_y
    spots = [(-27 - 5 * lower, 4 - 15 * inner - 1 * outer + 14 * lower), (-17 - 3.5 * lower,
        0 - 12 * inner - 4 * outer + 11.5 * lower),
             (-1, -4.5 - 6 * inner - 10 * outer + 7.5 * lower), (16,
                 -2.5 - 1.5 * inner - 13 * outer + 3.5 * lower), (31, 7.5 + 1.5 * inner - 12 * outer + 2 * lower)]
    pts = [(ex + s * x, y + dy) for x, dy in spots]
    w = e.brow_width * (1 + 0.10 * lower - 0.06 * outer)
    pen.line(f"brow ink {s}", [(x, yy + 0.8) for x, yy in pts], w + 2.6,
        e.brow[2] if len(e.brow) > 2 else INK, taper=(0.2, 0.05), n=25, belly=0.62)
    pen.line(f"brow {s}", pts, w, e.brow[1], taper=(0.15, 0.0), n=25, belly=0.62)
    pen.line(f"brow light {s}", [(x, yy - w * 0.13) for x, yy in pts[:4]], w * 0.58, e.brow[0],
        taper=(0.1, 0), n=17)
    for k in range(3):
        a, b = pts[k + 1], pts[k]
        pen.line(f"brow hair {s} {k}", [(b[0] + s * 3, b[1] + w * 0.30), (mix(a[0], b[0], 0.4),
            mix(a[1], b[1], 0.5) - w * 0.20)], 1.5, e.brow[1], opacity=0.8)


def draw_forehead(pen: Pen, e: EyeLook, ch: Pose) -> None:
    """Wrinkles that come and go with the brows."""
    up = max(ch("brow_inner_raise"), 0.8 * max(ch.side("brow_outer_raise", -1),
        ch.side("brow_outer_raise", 1)))
    frown = max(ch.side("brow_lower", -1), ch.side("brow_lower", 1))
    y = e.y + e.brow_y
    for k in range(2):
        yy = y - 24 - 11 * k - 7 * up
        pen.line(f"forehead {k}", [(CX - 40 + 8 * k, yy + 4), (CX - 16, yy), (CX + 2, yy + 2.5),
            (CX + 22, yy), (CX + 42 - 8 * k, yy + 5)], 2.0, pen.look.deep, opacity=0.75 * up)
    for s in (-1, 1):
        pen.line(f"frown {s}", [(CX + s * 8, y - 8 + 6 * frown), (CX + s * 5.5, y + 2 + 6 * frown),
            (CX + s * 7.5, y + 13 + 5 * frown)], 2.6, pen.look.deep, opacity=0.95 * frown)



def face_outline(half: Points, m: Mouth, ch: Pose) -> list[Point]:
    """half = [(x, y, how far the jaw takes it)]; the chin goes down, cheeks narrow with rounding, fill with a smile."""
    out = []
    for x, y, j in half:
        s_fill = 2.2 * (ch.side("lip_corner_up", -1) + ch.side("lip_corner_up",
            1)) * (1 - abs(y - 285) / 90 if abs(y - 285) < 90 else 0)
        dx = x - CX
        dx *= 1 - 0.07 * m.jaw * j - 0.030 * m.round * (1 if 250 < y < 360 else 0.4)
        puff = 9 * ch("cheeks_puff") * max(0.0, 1 - ((y - 300) / 62) ** 2)
        dx += s_fill + puff if dx > 8 else 0
        out.append((CX + dx, y + m.drop * j - 1.5 * m.press * j))
    return mirrored(out)


def folds(pen: Pen, m: Mouth, ch: Pose, nose_y: float, nose_half: float) -> None:
    """Fold from nose to mouth corner; deepens with a smile, with sneering, with a wide mouth."""
    for s in (-1, 1):
        w, cy = m.corner[s]
        up = max(ch.side("lip_corner_up", s), 0.5 * max(m.wide, 0), 0.8 * ch("nose_wrinkle"))
        x2, y2 = CX + s * (w + 10 + 3 * up), m.mid + cy + 1 + 17 * up + 0.10 * m.gap
        y1 = nose_y - 5 - 4 * ch("nose_wrinkle")
        bend = mix(0.45, 0.88, up)
        pts = [(CX + s * (nose_half + 4), y1), (CX + s * mix(nose_half + 10, w + 13 + 4 * up, bend),
            mix(y1, y2, 0.40)), (x2, y2 - 4)]
        pen.fill(f"fold shade {s}", [*pts, (x2 - s * 4, y2 - 6), (pts[1][0] - s * 8, pts[1][1] + 3)], pen.look.shade, opacity=0.30 + 0.4 * up)
        pen.line(f"fold {s}", pts, 2.0 + 1.0 * up, pen.look.deep,
            opacity=pen.look.age * (0.55 + 0.45 * up))


def cheeks(pen: Pen, m: Mouth, ch: Pose, blush: tuple[float, ...], light: tuple[float, ...],
    hollow: Points, depth: float) -> None:
    """Blush and light that rise with a smile, hollows that come with the mouth.

    blush, light: x from the middle, y, radii and opacity (of the light: left and right). hollow: x,
    y, how far the jaw takes it; depth: its opacity at rest."""
    look = pen.look
    for s in (-1, 1):
        up = ch.side("lip_corner_up", s)
        x, y, rx, ry, strong = blush
        pen.soft(f"blush {s}", CX + s * x, y - 7 * up, rx + 2 * up, ry + 2 * up, look.blush, strong)
        x, y, rx, ry, left, right = light
        pen.soft(f"cheek light {s}", CX + s * x - 5, y - 8 * up, rx + 2 * up, ry + 2 * up,
            look.light, left if s < 0 else right)
    more = 0.35 * m.round + 0.5 * m.press + 0.25 * m.jaw
    pen.fills("hollows", [[(CX + s * x, y + j * m.drop) for x, y, j in hollow] for s in (-1, 1)],
        look.shade, opacity=depth + 0.5 * more)
