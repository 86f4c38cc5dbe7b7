"""Pip: the robot of the dome; lenses with shutters for eyes, lips of light on a dark plate."""

from __future__ import annotations

from math import cos, pi, sin

from .ink import CX, INK, Point, Points, ease, mirrored, mix, oval, slab, tint
from .mouth import ANGLES, Mouth, MouthLook, N
from .pen import Look, Pen
from .person import Person
from .pose import Pose

# fmt: off


LOOK = Look(base="#efe5cf", shade="#cdbf9f", deep="#8f8164", light="#fdf9ec",
        blush="#e8b08e", age=0)
MOUTH = MouthLook(y=330, half=50, upper=5, lower=7, part=42, jaw=36, chin=28, corner=3.5)
SLATE, TEAL, BRASS, RED = ("#52636f", "#2f3d48", "#1d2830"), ("#4aa39a", "#27756f",
        "#15504d"), ("#f0d18a", "#c2933d", "#7a581f"), "#cf472b"


def dome(pen: Pen) -> None:
    """An observatory's, with its slit and two stars."""
    slate, brass, L = SLATE, BRASS, LOOK

    def low_dome(pts: Points) -> list[Point]:
        return [(x, 240 - (240 - y) * 0.84) for x, y in pts]
    outline = low_dome([(86, 232), (84, 190), (96, 140), (126, 96), (162, 72), (CX, 65), (238, 72),
        (274, 96), (304, 140), (316, 190), (314, 232), (CX, 240)])
    pen.fill("dome ink", [(CX + (x - CX) * 1.022,
        y + (3 if y > 300 else -2.6 if y < 200 else 0)) for x, y in outline], INK, 0)
    pen.fill("dome", outline, L.base, 0)
    dc = (pen.path(outline, 0),)
    pen.fill("dome shade 1", low_dome([(246, 60), (282, 130), (290, 200), (284, 250), (330, 250),
        (330, 80)]), L.shade, 0, 0.55, dc)
    pen.fill("dome shade 2", low_dome([(272, 76), (302, 150), (306, 210), (302, 250), (334, 250),
        (334, 80)]), L.shade, 0, 0.8, dc)
    pen.fill("dome light", low_dome([(104, 176), (112, 138), (138, 104), (160, 94), (146, 114),
        (126, 146), (118, 186)]), L.light, 0, 0.95, dc)
    for s in (-1, 1):
        pen.line(f"dome seam {s}", low_dome([(CX + s * 34, 70), (CX + s * 74, 118), (CX + s * 88,
            190)]), 2.0, L.deep, 20, (0.2, 0.8), clip=dc)
    slit = low_dome([(184, 56), (216, 56), (219, 120), (218, 164), (CX, 168), (182, 164), (181,
        120)])
    pen.fill("slit ink", [(CX + (x - CX) * 1.16, y + 2) for x, y in slit], INK, 44, clip=dc)
    pen.fill("slit", slit, slate[1], 44, clip=dc)
    pen.fill("slit deep", low_dome([(190, 50), (214, 50), (215, 120), (214, 160), (CX + 2, 163),
        (190, 158)]), slate[2], 40, clip=dc)
    star = [(CX + 1 + (6.5 if i % 2 == 0 else 2.2) * cos(i * pi / 4 + 0.2),
        132 + (6.5 if i % 2 == 0 else 2.2) * sin(i * pi / 4 + 0.2)) for i in range(8)]
    pen.fill("star", star, brass[0], 40)
    pen.fill("star small", oval(CX - 5, 154, 2, 2, 8), brass[0], 40)


def back(pen: Pen, ch: Pose) -> None:
    """The stand, the finder, the aerial and the dome."""
    teal, red = TEAL, RED
    # stand: a fork that carries the head at its sides
    pen.still = True
    base = [(CX, 452), (266, 456), (306, 474), (322, 520), (CX, 540)]
    pen.fill("base ink", mirrored([(x + (2 if x > CX else 0), y - 2.6) for x, y in base]), INK)
    pen.fill("base", mirrored(base), teal[1])
    pen.fill("base shade", [(250, 456), (304, 474), (322, 520), (270, 540), (282, 494)], teal[2],
        opacity=0.85)
    pen.fill("base light", [(106, 478), (136, 462), (160, 462), (126, 484), (112, 520), (88, 520)],
        teal[0], opacity=0.7)
    for s in (-1, 1):
        arm = [(CX + s * x, y) for x, y in ((92, 470), (112, 462), (136, 430), (146, 380), (147,
            320), (140, 262), (128, 252), (117, 262), (122, 320), (118, 380), (104, 426), (82, 452))]
        pen.fill(f"arm ink {s}", [(CX + (x - CX) * 1.012 + s * 0.8,
            y - 2.2 if y < 400 else y + 2.4) for x, y in arm], INK)
        pen.fill(f"arm {s}", arm, teal[1])
        pen.fill(f"arm light {s}", [(CX + s * x, y) for x, y in ((120, 270), (127, 264), (130, 320),
            (127, 384), (112, 430), (94, 458), (88, 456), (108, 426), (121, 380), (126,
            320))], teal[0] if s < 0 else teal[2], opacity=0.8)
    pen.still = False
    # finder telescope and aerial on the dome, behind
    pen.line("aerial", [(258, 116), (276, 84), (280, 52)], 5.0, INK, -20, (1, 0.6))
    pen.fill("aerial lamp ink", oval(280, 50, 10.5, 10.5), INK, -20)
    pen.fill("aerial lamp", oval(280, 50, 8, 8), red, -20)
    pen.soft("aerial glint", 277, 47, 3.5, 3.5, "#ffd9c4", 0.9, -20)
    dome(pen)


def face(pen: Pen, ch: Pose, m: Mouth) -> None:
    """Drum and the plate of the mouth."""
    slate, brass, L = SLATE, BRASS, LOOK
    # the drum that hangs from the dome
    d = 0.45 * m.drop
    drum = [(84, 222), (CX, 216), (316, 222), (318, 282), (312, 336 + 0.4 * d), (294, 374 + d),
        (258, 390 + d), (CX, 394 + d), (142, 390 + d), (106, 374 + d), (88, 336 + 0.4 * d), (82,
        282)]
    pen.fill("drum ink", [(CX + (x - CX) * 1.022,
        y + (3 if y > 300 else -2.6 if y < 200 else 0)) for x, y in drum], INK, 0)
    pen.fill("drum", drum, L.base, 0)
    rc = (pen.path(drum, 0),)
    pen.fill("drum shade 1", [(286, 210), (292, 280), (282, 330 + 0.4 * d), (256, 366 + d), (190,
        380 + d), (150, 384 + d), (190, 404 + d), (290, 404 + d), (334, 330), (330, 210)], L.shade, 0, 0.55, rc)
    pen.fill("drum shade 2", [(304, 210), (306, 280), (296, 338 + 0.4 * d), (270, 374 + d), (216,
        388 + d), (240, 406 + d), (300, 404 + d), (336, 330), (330, 210)], L.shade, 0, 0.85, rc)
    pen.fill("drum light", [(92, 300), (98, 296), (104, 330 + 0.3 * d), (118, 362 + d), (110,
        362 + d), (96, 336 + 0.4 * d)], L.light, 0, 0.9, rc)
    up = [ch.side("lip_corner_up", s) for s in (-1, 1)]
    for s in (-1, 1):
        pen.soft(f"blush {s}", CX + s * 86, 300 - 5 * up[(s + 1) // 2], 18, 11, L.blush,
            0.55 + 0.3 * up[(s + 1) // 2])
        pen.fill(f"rivet {s}", oval(CX + s * 100, 352 + 0.8 * d, 3.6, 3.6, 8), L.deep)
        pen.fill(f"rivet light {s}", oval(CX + s * 100 - 0.8, 351 + 0.8 * d, 1.8, 1.8, 8),
            L.light)
    # mouth plate
    py, ph = 291, 80 + 0.9 * d
    pen.fill("plate rim ink", slab(CX - 82, py - 3, 164, ph + 6, 26), INK, 14)
    pen.fill("plate rim", slab(CX - 79.4, py - 0.4, 158.8, ph + 0.8, 24), brass[1], 14)
    pen.fill("plate rim light", slab(CX - 78, py - 0.2, 154, ph - 1.8, 23), brass[0], 14, 0.8)
    plate = slab(CX - 75, py + 4, 150, ph - 8, 20)
    pen.fill("plate ink", [(CX + (x - CX) * 1.012, y) for x, y in plate], INK, 15)
    pen.fill("plate", plate, slate[2], 15)
    pen.clip = (pen.path(plate, 15),)
    pen.fill("plate shine", [(CX - 74, py + 4), (CX - 8, py + 3), (CX - 46, py + 20), (CX - 74,
        py + 40)], slate[0], 15, 0.35)
    pip_mouth(pen, m)
    pen.clip = ()


def trim(pen: Pen) -> None:
    """The ring between dome and drum, and the knobs at its sides."""
    brass = BRASS
    # ring between dome and drum
    belt = [(80, 224), (120, 229), (CX, 232), (280, 229), (320, 224), (322, 236), (280, 242), (CX,
        245), (120, 242), (78, 236)]
    # trunnions: brass knobs at the sides
    for s in (-1, 1):
        pen.fill(f"knob ink {s}", oval(CX + s * 129, 284, 20.5, 23), INK, -8)
        pen.fill(f"knob {s}", oval(CX + s * 129, 284, 17.6, 20), brass[1], -8)
        pen.fill(f"knob light {s}", oval(CX + s * 129 - 3, 279, 10, 11), brass[0], -8, 0.85)
        pen.fill(f"knob slot {s}", oval(CX + s * 129, 284, 5, 6), brass[2], -8)
    pen.fill("belt ink", [(CX + (x - CX) * 1.012, y + (2.2 if y > 233 else -2.2)) for x, y in belt],
        INK, 4)
    pen.fill("belt", belt, brass[1], 4)
    pen.line("belt light", [(92, 229), (140, 233), (CX, 236), (250, 234)], 3.0, brass[0], 4, (0.3,
        0.2))


def front(pen: Pen, ch: Pose) -> None:
    """The trim, and the eyes: two lenses, the left one the larger."""
    trim(pen)
    for s in (-1, 1):
        pip_eye(pen, ch, s)


def pip_mouth(pen: Pen, m: Mouth) -> None:
    """Lips are two glowing lines on a dark plate; teeth and tongue are bars of light in the opening."""
    L, z = m.look, 16
    amber, hot, glow, white, rose = "#ffa92e", "#fff0c4", "#7a3a12", "#fff7e4", "#ff6f61"
    pen.fills("lamps off", [oval(CX + 11.4 * k, L.y, 1.7, 1.7, 8) for k in range(-5, 6)], "#3c4d59", z)
    clip = (*pen.clip, pen.path(m.bite, z))
    pen.fill("glow", m.bite, tint(glow, "#2a1208", m.dark), z)
    yu, yl, w = m.y_teeth + 2, m.y_lower_teeth, L.half
    floor = max(yl, m.low_edge) + 30
    # tongue: five bars
    dim = ease(0.3, 0.8, m.dark)
    rise = max(0.95 * m.tip, 0.62 * m.high * (1 - 0.5 * max(-m.front, 0)) + 0.10 * max(m.front, 0),
        0.75 * m.between)
    bars: list[Points] = []
    for k in range(-2, 3):
        arch = 1 - 0.10 * k * k * (1 + 0.9 * m.tip)
        top = mix(yl + 2, yu + 1, rise * arch) - 1.5
        x = CX + k * w * 0.205
        bars.append(slab(x - w * 0.082, top, w * 0.164, floor - top, w * 0.075))
    pen.fills("tongue", bars, tint(rose, "#541d17", dim), z, 1, clip)
    # lower teeth, lower lip, upper teeth (over the lip in /f v/), upper lip
    tone = tint(white, glow, ease(0.15, 0.7, m.dark))
    low = [m.low_in[0], *m.bite[N:][::-1], m.low_in[-1]]
    fat = 4.2 + 2.4 * m.round + 3.0 * m.press + 1.2 * ease(0, 0.4, m.part)

    def lip(name: str, pts: Points, colour: str) -> None:
        pen.ring(f"{name} halo", pts, fat * 2.7, amber, z, 0.15 + 0.08 * m.press, closed=False)
        pen.ring(f"{name} lip", pts, fat, tint(colour, "#ffd27a", m.press), z, closed=False)
        pen.ring(f"{name} core", pts, fat * (0.28 + 0.34 * m.press), tint(amber, hot,
            0.25 + 0.75 * m.press), z, closed=False)

    spots = [(CX + (k + 0.5) * w * 0.215, -0.19 * (k + 0.5) ** 2) for k in range(-4, 4)]
    pen.fills("lower teeth", [slab(x - w * 0.088, yl + 1.5 - dy, w * 0.176, 40, 2.2) for x, dy in spots],
        tint(tone, glow, 0.38), z, 1, clip)
    f = m.teeth_on
    lip("lower", [(x, y + 4.0 * f * max(cos(a), 0)) for (x, y), a in zip(low, ANGLES, strict=False)], "#ff9a26")
    over = (*pen.clip, pen.path(m.up_in + [(x, y + 3.6 * f * max(cos(a), 0) ** 0.5) for (x, y), a in zip(low, ANGLES, strict=False)][-2:0:-1], z))
    pen.fills("upper teeth", [slab(x - w * 0.092, yu - 40 + dy + 1.0 * f, w * 0.184, 40, 2.6) for x, dy in spots],
        tone, z, 1, over)
    b = m.between
    pen.fill("tongue between", slab(CX - w * 0.44, yu + 1.0, w * 0.88, 0.1 + 12 * b, 5), rose, z,
        ease(0, 0.15, b), (*pen.clip, pen.path(m.up_in + m.low_out[::-1], z)))
    lip("upper", m.up_in, amber)


def pip_eye(pen: Pen, ch: Pose, s: int) -> None:
    """A lens in a brass barrel with a shutter from above and below, and a brow plate."""
    L = pen.look
    ex, ey, r = (CX - 52, 214, 35) if s < 0 else (CX + 50, 212, 41)
    blink, raised = ch.side("blink", s), ch.side("lid_raise", s)
    smile = max(ch.side("cheek_raise", s), 0.8 * ch.side("lip_corner_up", s))
    squint = ch.side("lid_tighten", s)
    inner, outer, low = ch("brow_inner_raise"), ch.side("brow_outer_raise",
        s), ch.side("brow_lower", s)
    pen.fill(f"barrel ink {s}", oval(ex, ey, r + 5, r + 5, 16), INK, 52)
    pen.fill(f"barrel {s}", oval(ex, ey, r + 2.4, r + 2.4, 16), "#c2933d", 52)
    pen.fill(f"barrel light {s}", oval(ex - 1.2, ey - 1.6, r - 0.4, r - 0.4, 16), "#f0d18a", 56)
    lens = oval(ex, ey, r - 4, r - 4, 16)
    pen.fill(f"lens ink {s}", oval(ex, ey, r - 2.2, r - 2.2, 16), INK, 58)
    pen.fill(f"lens {s}", lens, "#1d2830", 58)
    clip = (pen.path(lens, 58),)
    gx, gy = -ch.degrees("gaze_yaw", 35) * 0.42, -ch.degrees("gaze_pitch", 30) * 0.40
    ir = (r - 4) * (0.62 + 0.08 * raised)
    pen.fill(f"iris {s}", oval(ex + gx, ey + gy, ir, ir), "#1d6d69", 58, 1, clip)
    pen.fill(f"iris tone {s}", oval(ex + gx, ey + gy + 1, ir * 0.82, ir * 0.82), "#46aaa0", 58, 1,
        clip)
    for k in range(6):
        a = k * pi / 3 + 0.3
        pen.line(f"blade {s} {k}", [(ex + gx + ir * 0.45 * cos(a), ey + gy + ir * 0.45 * sin(a)),
            (ex + gx + ir * 0.82 * cos(a + 0.5),
            ey + gy + ir * 0.82 * sin(a + 0.5))], 1.8, "#1d6d69", 58, (0.8, 0.5), clip=clip)
    pen.fill(f"iris glow {s}", [(ex + gx - ir * 0.6, ey + gy + ir * 0.25), (ex + gx,
        ey + gy + ir * 0.5), (ex + gx + ir * 0.6, ey + gy + ir * 0.25), (ex + gx + ir * 0.42, ey + gy + ir * 0.66), (ex + gx, ey + gy + ir * 0.8), (ex + gx - ir * 0.42, ey + gy + ir * 0.66)], "#a9e6d6", 58, 0.9, clip)
    pr = ir * (0.46 - 0.10 * raised)
    pen.fill(f"pupil {s}", oval(ex + gx, ey + gy, pr, pr), "#10181d", 58, 1, clip)
    pen.fill(f"glint {s}", oval(ex + gx - ir * 0.38, ey + gy - ir * 0.40, ir * 0.20, ir * 0.20, 8),
        "#ffffff", 58, 1, clip)
    # shutters
    R = r - 2
    rest = 0.20 * (1 - raised)
    top = mix(-R * (1 - rest) + 0.55 * R * squint * (1 - blink) + low * 0.22 * R * (1 - blink) - gy * -0.15, R * 0.30, blink)
    bot = mix(R * (1 + 0.02) - 0.55 * R * smile - 0.35 * R * squint, R * 0.30, blink)
    bot = max(bot, top)
    tilt = s * (8 * inner * (1 - blink) - 11 * low * (1 - blink))      # the shutter tips with the brow
    pen.fill(f"shutter up {s}", [(ex - R - 3, ey + top + 5 + tilt), (ex - R * 0.5,
        ey + top + 1.2 + tilt * 0.5), (ex, ey + top), (ex + R * 0.5, ey + top + 1.2 - tilt * 0.5), (ex + R + 3, ey + top + 5 - tilt), (ex + R + 6, ey - R - 16), (ex - R - 6, ey - R - 16)], tint(L.base, L.shade, 0.45), 58, 1, clip)
    pen.line(f"shutter edge {s}", [(ex - R - 3, ey + top + 5 + tilt), (ex - R * 0.5,
        ey + top + 1.2 + tilt * 0.5), (ex, ey + top), (ex + R * 0.5, ey + top + 1.2 - tilt * 0.5), (ex + R + 3, ey + top + 5 - tilt)], 4.0, INK, 58, (0.8, 0.8), clip=clip, n=17)
    pen.line(f"shutter rib {s}", [(ex - R, ey + top - 8 + tilt), (ex, ey + top - 12), (ex + R,
        ey + top - 8 - tilt)], 2.0, L.deep, 58, (0.6, 0.6), clip=clip)
    pen.fill(f"shutter low {s}", [(ex - R - 3, ey + bot + 4), (ex, ey + bot), (ex + R + 3,
        ey + bot + 4), (ex + R + 6, ey + R + 16), (ex - R - 6, ey + R + 16)], L.shade, 58, 1, clip)
    pen.line(f"shutter low edge {s}", [(ex - R - 3, ey + bot + 4), (ex, ey + bot), (ex + R + 3,
        ey + bot + 4)], 3.4, INK, 58, (0.8, 0.8), clip=clip)
    # brow plate
    bx, by = ex, ey - r - 7
    pts = [(bx - s * (r - 6) , by + 9 - 15 * inner - 2 * outer + 15 * low), (bx,
        by - 4 - 7 * inner - 9 * outer + 8 * low), (bx + s * (r + 3), by + 13 - 15 * outer + 1 * inner + 1 * low)]
    pen.line(f"brow ink {s}", pts, 16, INK, 66, (0.6, 0.35), belly=0.6, n=17)
    pen.line(f"brow {s}", pts, 10.5, "#27756f", 66, (0.6, 0.3), belly=0.6, n=17)
    pen.line(f"brow light {s}", [(x, y - 2) for x, y in pts], 3.6, "#4aa39a", 66, (0.4, 0.2), n=17)


PIP = Person("pip", LOOK, MOUTH, back, face, front, pivot=(CX, 400), ball=(125, 190), middle=240, depth=52, moved=(4, 6, 0.98))
