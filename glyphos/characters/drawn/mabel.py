"""Mabel: keeper of the big telescope; a round bun with a pencil, brass spectacles, a jumper."""

from __future__ import annotations

from math import cos, sin

from .features import EyeLook, cheeks, draw_brow, draw_eye, draw_forehead, face_outline, folds
from .ink import CX, INK, Point, Points, mirrored, mix, oval, tint
from .mouth import Mouth, MouthLook, draw_mouth
from .pen import Look, Pen
from .person import Person
from .pose import Pose

# fmt: off


LOOK = Look(base="#ecc4a3", shade="#d9a07f", deep="#a8654c", light="#f8dfc4", blush="#e0927a", age=0.85)
MOUTH = MouthLook(y=309, half=42, upper=7.5, lower=11.5, corner=4.0)
EYES = EyeLook()
HAIR = ("#e4e4e6", "#b9bcc6", "#8d919e", "#5f6370")
TEAL = ("#3c8f88", "#1f6d6a", "#134b4c")


def back(pen: Pen, ch: Pose) -> None:
    """What is behind the face, and the body."""
    L = LOOK
    hair, teal = HAIR, TEAL
    # bun with its pencil, low behind her left ear
    bz = -50
    pen.fill("pencil ink", [(252, 250), (257, 246), (349, 347), (343, 352)], INK, bz)
    pen.fill("pencil", [(255, 251), (257, 249), (344, 346), (341, 348.5)], "#d1472b", bz)
    pen.fill("bun ink", oval(297, 306, 39, 37), INK, bz)
    pen.fill("bun", oval(297, 306, 36.8, 34.8), hair[2], bz)
    pen.fill("bun tone", [(264, 306), (268, 286), (287, 274), (309, 276), (325, 291), (327, 308),
        (314, 322), (296, 331), (276, 324)], hair[1], bz)
    pen.fill("bun light", [(272, 296), (282, 282), (301, 279), (314, 286), (300, 286), (284, 292),
        (277, 306)], hair[0], bz)
    for k, r in enumerate((28, 19, 10)):
        pts = [(297 + r * 1.08 * cos(a),
            307 + r * sin(a)) for a in [(0.55 + k * 0.8) + i * 0.62 for i in range(8)]]
        pen.line(f"bun turn {k}", pts, 2.4, hair[3], bz, n=17)
    pen.fill("pencil end ink", [(325, 316), (331, 311), (353, 350), (346, 355), (337, 346)], INK,
        bz)
    pen.fill("pencil end", [(327.5, 317), (330.5, 314), (348, 346), (343, 350), (338, 345)],
        "#d1472b", bz)
    pen.fill("pencil tip", [(343, 348), (347.5, 344.5), (353, 356)], "#f0d3a4", bz)
    # back of the head and body
    back_of_head = [(CX, 62), (258, 78), (298, 128), (304, 200), (290, 268), (250, 330), (CX, 344)]
    pen.fill("hair back ink", mirrored([(CX + (x - CX) * 1.02, y - 2.4) for x, y in back_of_head]),
        INK, -40)
    pen.fill("hair back", mirrored(back_of_head), tint(hair[2], hair[3], 0.5), -40)
    for s in (-1, 1):
        for k in range(3):
            pen.line(f"back strand {s} {k}", [(CX + s * (92 - 6 * k), 100), (CX + s * (102 - 8 * k),
                200), (CX + s * (88 - 12 * k), 276), (CX + s * (56 - 10 * k), 320)], 2.4, hair[3], -40)
    pen.still = True
    body = [(CX, 408), (246, 416), (300, 436), (352, 470), (372, 520), (CX, 540)]
    pen.fill("jumper ink", mirrored([(x + (2 if x > CX else 0), y - 2) for x, y in body]), INK)
    pen.fill("jumper", mirrored(body), teal[1])
    pen.fill("jumper shade", [(262, 424), (308, 440), (352, 471), (373, 520), (300, 540), (318,
        490), (292, 452)], teal[2], opacity=0.8)
    pen.fill("jumper light", [(92, 447), (128, 434), (146, 440), (104, 466), (66, 505), (50, 500),
        (62, 470)], teal[0], opacity=0.55)
    for k in range(-7, 8):
        x = CX + k * 17
        pen.line(f"rib {k}", [(CX + k * 9.5, 430), (x + k * 2, 462), (x + k * 5.5, 520)], 2.4,
            teal[2], opacity=0.85, taper=(0.4, 1))
    pen.still = False
    # neck: top turns with the head, foot stays in the collar
    t1, t2 = pen.at((CX - 42, 330), 0), pen.at((CX + 42, 330), 0)
    pen.still = True
    neck = [t1, (CX - 37, 385), (CX - 44, 425), (CX + 44, 425), (CX + 37, 385), t2]
    pen.fill("neck", neck, L.shade)
    pen.fill("neck shade", [((t1[0] + t2[0]) / 2 - 20, t1[1] + 30), (CX + 2, 396), (CX + 10, 430),
        (CX + 46, 428), (CX + 38, 385), t2], L.deep, opacity=0.45)
    for s in (-1, 1):
        pen.line(f"neck cord {s}", [(CX + s * 22, 372), (CX + s * 17, 395), (CX + s * 9, 418)], 2.0,
            L.deep, opacity=0.7)
    pen.line("neck ink left", [t1, (CX - 37, 385), (CX - 43, 412)], 2.8)
    pen.line("neck ink right", [t2, (CX + 37, 385), (CX + 43, 412)], 3.4)
    roll_top = [(CX - 64, 418), (CX - 52, 404), (CX - 26, 399), (CX, 404), (CX + 26, 399), (CX + 52,
        404), (CX + 64, 418), (CX + 68, 440), (CX + 40, 453), (CX, 457), (CX - 40, 453), (CX - 68, 440)]
    pen.fill("collar ink", [(CX + (x - CX) * 1.035, y + (3 if y > 420 else -2.4)) for x,
        y in roll_top], INK)
    pen.fill("collar", roll_top, teal[1])
    pen.fill("collar inside", [(CX - 50, 409), (CX - 25, 404), (CX, 408), (CX + 25, 404), (CX + 50,
        409), (CX + 28, 418), (CX, 421), (CX - 28, 418)], teal[2])
    pen.fill("collar light", [(CX - 60, 424), (CX - 40, 418), (CX - 16, 424), (CX - 18, 436),
        (CX - 44, 436), (CX - 60, 438)], teal[0], opacity=0.6)
    for k in range(-5, 6):
        x = CX + k * 11.5
        pen.line(f"collar rib {k}", [(CX + k * 10.4, 420 - abs(k) * 1.2), (x, 436 - abs(k) * 0.8),
            (x * 1.0, 452 - abs(k) * 1.9)], 2.4, teal[2], opacity=0.95, taper=(0.4, 0.4))
    pen.still = False
    # ears
    for s in (-1, 1):
        ez = -22
        ear = [(CX + s * x, y) for x, y in ((92, 206), (103, 200), (112, 208), (112, 228), (106,
            248), (98, 258), (91, 250))]
        pen.fill(f"ear ink {s}", [(CX + (x - CX) * 1.018, y + (1.5 if y > 228 else -1.8)) for x,
            y in ear], INK, ez)
        pen.fill(f"ear {s}", ear, L.base if s < 0 else tint(L.base, L.shade, 0.5), ez)
        pen.line(f"ear fold {s}", [(CX + s * 98, 212), (CX + s * 106, 214), (CX + s * 105, 230),
            (CX + s * 98, 242)], 2.4, L.deep, ez)


def face(pen: Pen, ch: Pose, m: Mouth) -> None:
    """What moves with jaw and lips."""
    L = LOOK
    # face
    half = [(CX, 84, 0), (252, 92, 0), (288, 132, 0), (297, 190, 0), (296, 236, 0.03), (285, 282,
        0.25), (267, 325, 0.62), (244, 356, 0.93), (223, 370.5, 1), (CX, 375, 1)]
    outline = face_outline(half, m, ch)
    pen.fill("face ink", [(CX + (x - CX) * 1.022, y + (2.6 if y > 300 else 0)) for x, y in outline],
        INK, 0)
    pen.fill("face", outline, L.base, 0)
    pen.clip = (pen.path(outline, 0),)
    d = m.drop
    # shadow side: two soft steps that follow the cheek and the jaw
    pen.fill("cheek shade 1", [(306, 150), (272, 190), (278, 236), (266, 280), (252, 316 + 0.5 * d),
        (226, 350 + d), (196, 362 + d), (170, 366 + d), (200, 392 + d), (260, 382 + d), (312,
        300)], L.shade, 0, 0.55)
    pen.fill("cheek shade 2", [(308, 170), (288, 206), (288, 250), (276, 292 + 0.2 * d), (258,
        330 + 0.6 * d), (232, 360 + d), (204, 370 + d), (240, 392 + d), (316, 300)], L.shade, 0, 0.75)
    pen.fill("jaw shade left", [(96, 250), (110, 262), (124, 304 + 0.3 * d), (146, 340 + 0.8 * d),
        (172, 366 + d), (150, 380 + d), (96, 310)], L.shade, 0, 0.45)
    pen.fill("temple light", [(118, 180), (132, 152), (168, 138), (206, 140), (232, 150), (196,
        152), (156, 160), (134, 178)], L.light, 0, 0.55)
    cheeks(pen, m, ch, (60, 266, 25, 16, 0.50), (58, 256, 13, 6, 0.55, 0.3), [(74, 276, 0), (80, 292, 0),
        (70, 318, 0.4), (56, 336, 0.7), (58, 312, 0.3), (62, 292, 0)], 0.25)
    # hair shadow on the forehead
    pen.fill("hair shadow", [(CX, 108), (168, 118), (130, 146), (112, 196), (112, 212), (128, 176),
        (146, 152), (176, 132), (CX, 122), (228, 132), (256, 150), (274, 176), (290, 214), (292,
        196), (272, 146), (232, 118)], L.shade, opacity=0.8)
    # chin
    cy = 352 + d
    pen.soft("chin light", CX - 5, cy - 1, 21, 10, L.light, 0.6, 20)
    pen.line("chin line", [(CX - 20, 366 + d), (CX, 369 + d), (CX + 22, 364 + d)], 1.8, L.deep,
        20, opacity=0.5)
    pen.soft("chin bunch", CX, mix(m.lip_bottom, 364 + d, 0.5), 18, 9, L.shade,
        0.8 * max(m.press, m.teeth_on * 0.8, ch("chin_raise")))
    pen.clip = ()
    folds(pen, m, ch, 284, 24)
    draw_mouth(pen, m)


def nose(pen: Pen, ch: Pose) -> None:
    """Pointed, under the spectacles."""
    L, nz = LOOK, 92
    w = ch("nose_wrinkle")
    ny = -3 * w
    pen.fill("nose side", [(208, 196), (214, 226), (222, 252 + ny), (230, 272 + ny), (220,
        284 + ny), (CX + 4, 288 + ny), (212, 272 + ny), (208, 246)], L.shade, 72, 0.70)
    pen.fill("nose under", [(175, 274 + ny), (186, 282 + ny), (CX, 279 + ny), (215, 282 + ny), (227,
        273 + ny), (222, 288 + ny), (CX, 294 + ny), (179, 288 + ny)], L.shade, 84, 0.9)
    pen.fill("nose tip", oval(CX - 1, 268 + ny, 18, 15.5), L.base, nz)
    pen.soft("nose blush", CX + 2, 271 + ny, 16, 11, L.blush, 0.5, nz)
    pen.fill("nose light", [(195, 206), (199, 205), (200, 240), (200, 262 + ny), (190, 268 + ny),
        (188, 262 + ny), (194, 246)], L.light, nz - 6, 0.8)
    for s in (-1, 1):
        pen.line(f"nose wing {s}", [(CX + s * 19, 262 + ny), (CX + s * 27.5, 268 + ny - 2 * w),
            (CX + s * 26, 280 + ny - 2 * w), (CX + s * 17, 283 + ny)], 2.8, INK, 78)
        pen.fill(f"nostril {s}", oval(CX + s * 11, 283.5 + ny, 5.2, 2.6), L.deep, 84)
        pen.line(f"wrinkle {s}", [(CX + s * 8, 226), (CX + s * 14, 232), (CX + s * 13, 240)], 2.0,
            L.deep, 66, opacity=0.9 * w)
    pen.line("nose tip ink", [(181, 272 + ny), (189, 285 + ny), (CX, 288.5 + ny), (211, 285 + ny),
        (219, 271 + ny)], 2.8, INK, nz)
    pen.line("nose bridge", [(209, 200), (213, 222), (219, 248)], 2.2, L.deep, 64, opacity=0.8)


def front(pen: Pen, ch: Pose) -> None:
    """Nose, eyes, brows, spectacles and hair."""
    nose(pen, ch)
    hair = HAIR
    for s in (-1, 1):
        draw_eye(pen, EYES, ch, s)
    draw_forehead(pen, EYES, ch)
    for s in (-1, 1):
        draw_brow(pen, EYES, ch, s)
    # spectacles
    for s in (-1, 1):
        gx, gy2, gz = CX + s * 44, 211, 70
        rim = oval(gx, gy2, 39, 37, 16)
        pen.fill(f"lens glint {s}", [(gx - 27, gy2 - 12), (gx - 12, gy2 - 29), (gx + 2, gy2 - 31),
            (gx - 20, gy2 + 4)], "#ffffff", gz, 0.26)
        bar = [(gx + s * 37, gy2 - 6, gz - 4), (gx + s * 47, gy2 - 8, 30), (gx + s * 62, gy2 - 10,
            -18)]
        pen.line(f"temple ink {s}", bar, 6.4, INK, taper=(1, 0.8))
        pen.line(f"temple bar {s}", bar, 3.4, "#c8962e", taper=(1, 0.8))
        pen.ring(f"rim ink {s}", rim, 6.2, "#5b4018", gz)
        pen.ring(f"rim {s}", rim, 3.6, "#cf9f36", gz)
        pen.ring(f"rim light {s}", rim[8:13], 1.7, "#f4dc8e", gz, closed=False)
    pen.ring("bridge ink", [(CX - 6.5, 207), (CX, 200), (CX + 6.5, 207)], 6.2, "#5b4018", 76,
        closed=False)
    pen.ring("bridge", [(CX - 6.5, 207), (CX, 200), (CX + 6.5, 207)], 3.6, "#cf9f36", 76,
        closed=False)
    # hair in front: two waves from the parting
    for s in (-1, 1):
        def h(pts: Points, s: int = s) -> list[Point]:
            return [(CX + s * x, y) for x, y in pts]
        lobe = h([(0, 108), (28, 114), (58, 132), (80, 160), (92, 196), (97, 218), (105, 222), (113,
            206), (117, 168), (108, 122), (84, 84), (46, 61), (8, 57), (-5, 66), (-4, 90)])
        hz = 8
        pen.fill(f"hair ink {s}", [(CX + (x - CX) * 1.02 + s * 0.5,
            y - 2.2 if y < 100 else y + 1.6) for x, y in lobe], INK, hz)
        pen.fill(f"hair {s}", lobe, hair[1] if s < 0 else tint(hair[1], hair[2], 0.28), hz)
        inside = (pen.path(lobe, hz),)
        pen.fill(f"hair shade {s}", h([(-2, 112), (28, 114), (58, 132), (80, 160), (92, 196), (96,
            222), (110, 224), (104, 196), (94, 160), (72, 128), (36, 106), (4, 92), (-6, 80)]), hair[2], hz, 0.75, inside)
        pen.fill(f"hair crown shade {s}", h([(96, 100), (112, 130), (119, 170), (112, 210), (122,
            200), (124, 140), (108, 96)]), hair[2], hz, 0.8 if s > 0 else 0.35, inside)
        pen.fill(f"hair light {s}", h([(16, 76), (48, 78), (78, 100), (98, 140), (101, 160), (84,
            124), (58, 98), (26, 88)]), hair[0], hz, 0.9 if s < 0 else 0.6, inside)
        pen.fill(f"hair light b {s}", h([(30, 98), (58, 112), (80, 138), (92, 168), (78, 148), (54,
            124)]), hair[0], hz, 0.55 if s < 0 else 0.3, inside)
        for k, strand in enumerate(([(0, 66), (44, 66), (86, 98), (107, 150), (110, 196)], [(0, 76),
            (40, 80), (78, 112), (99, 158), (106, 206)],
                                    [(0, 88), (36, 94), (70, 122), (92, 164), (101, 212)], [(1,
                                        100), (32, 105), (62, 128), (84, 164), (97, 208)], [(8, 60), (52, 60), (94, 92), (113, 140)])):
            pen.line(f"strand {s} {k}", h(strand), 2.6 if k != 4 else 2.0, hair[3], hz, (0.2, 0),
                n=17, clip=inside)
    pen.line("parting", [(CX, 60), (CX - 2, 76), (CX + 1, 92), (CX, 108)], 4.5, hair[3], 12)


MABEL = Person("mabel", LOOK, MOUTH, back, face, front, pivot=(CX, 400))
