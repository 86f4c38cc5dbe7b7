"""Osric: looks after the building; whiskers, a knitted cap, coat and scarf."""

from __future__ import annotations

from math import sin

from .features import EyeLook, cheeks, draw_brow, draw_eye, draw_forehead, face_outline, folds
from .ink import CX, INK, Point, Points, mirrored, mix, oval, tint
from .mouth import Mouth, MouthLook, N, draw_mouth
from .pen import Look, Pen
from .person import Person
from .pose import Pose

# fmt: off


LOOK = Look(base="#c08a62", shade="#9c6746", deep="#6a4029", light="#dbac80",
        blush="#b4694c", age=1.0)
MOUTH = MouthLook(y=322, half=48, upper=8.0, lower=11.0, corner=1.5, chin=40, bow=0.7,
        part=38, jaw=56, lip_up="#8f4c3d", lip_low="#ab624f",
                        lip_shine="#cf8d75", lip_deep="#62302a", tooth="#f3e8cf", tooth_shade="#b9a385")
EYES = EyeLook(dx=44, y=224, half=24, up=15.5, low=10.5, tilt=2.0, iris=11.6, pupil=5.3,
        color="#6d4527", color_dark="#3b2416", color_light="#a87443",
                white="#f8eeda", white_shade="#c9bba2", brow_y=-30, brow_width=17, brow=("#8b8680",
                    "#5f5a57", "#2e2728"), heavy=0.18, brow_way=0.62)
GRAY = ("#bdb8ae", "#8f8b86", "#67635f", "#454143")
NAVY = ("#4a6384", "#2a3c57", "#1a2740")
COAT = ("#dcae58", "#bd8a35", "#8a6224")
BRICK = ("#cd6a4d", "#a9482f", "#77301f")
HALF = [(CX, 110, 0), (280, 120, 0), (306, 160, 0), (309, 214, 0), (308, 258, 0.05), (303, 302,
    0.30), (288, 344, 0.68), (258, 376, 0.95), (228, 388, 1), (CX, 391, 1)]


def back(pen: Pen, ch: Pose) -> None:
    """Coat, scarf, neck and ears."""
    L = LOOK
    coat, brick = COAT, BRICK
    # coat, collar up, scarf
    pen.still = True
    body = [(CX, 412), (262, 418), (330, 436), (378, 468), (396, 520), (CX, 545)]
    pen.fill("coat ink", mirrored([(x + (2 if x > CX else 0), y - 2.4) for x, y in body]), INK)
    pen.fill("coat", mirrored(body), coat[1])
    pen.fill("coat shade", [(290, 424), (340, 444), (376, 470), (396, 520), (340, 545), (336, 496),
        (312, 458)], coat[2], opacity=0.8)
    pen.fill("coat light", [(64, 446), (110, 430), (122, 438), (78, 462), (36, 506), (14, 510), (26,
        472)], coat[0], opacity=0.7)
    for s in (-1, 1):
        pen.line(f"sleeve {s}", [(CX + s * 132, 456), (CX + s * 126, 480), (CX + s * 132, 512)],
            3.2)
        pen.line(f"front {s}", [(CX + s * 34, 462), (CX + s * 16, 484), (CX + s * 8, 516)], 3.2)
        pen.fill(f"button ink {s}", oval(CX + 27 * s, 496, 7.4, 7.4), INK)
        pen.fill(f"button {s}", oval(CX + 27 * s, 495.4, 5.4, 5.4), coat[2])
    pen.still = False
    t1, t2 = pen.at((CX - 62, 330), 0), pen.at((CX + 62, 330), 0)
    pen.still = True
    pen.fill("neck", [t1, (CX - 58, 390), (CX - 60, 432), (CX + 60, 432), (CX + 58, 390), t2],
        L.shade)
    pen.fill("neck shade", [((t1[0] + t2[0]) / 2 - 40, t1[1] + 46), (CX - 6, 410), (CX + 6, 436),
        (CX + 62, 432), (CX + 60, 390), t2], L.deep, opacity=0.5)
    pen.line("neck ink left", [t1, (CX - 59, 390), (CX - 58, 416)], 3.0)
    pen.line("neck ink right", [t2, (CX + 59, 390), (CX + 58, 416)], 3.6)
    scarf = [(CX - 78, 418), (CX - 60, 402), (CX - 28, 408), (CX, 414), (CX + 28, 408), (CX + 60,
        402), (CX + 78, 418), (CX + 76, 442), (CX + 44, 462), (CX, 470), (CX - 44, 462), (CX - 76, 442)]
    pen.fill("scarf ink", [(CX + (x - CX) * 1.03, y + (3 if y > 425 else -2.6)) for x, y in scarf],
        INK)
    pen.fill("scarf", scarf, brick[1])
    pen.fill("scarf light", [(CX - 72, 424), (CX - 50, 414), (CX - 14, 424), (CX - 20, 436),
        (CX - 52, 434), (CX - 72, 438)], brick[0], opacity=0.75)
    pen.fill("scarf shade", [(CX + 8, 440), (CX + 44, 434), (CX + 72, 418), (CX + 76, 442),
        (CX + 44, 462), (CX, 470), (CX - 30, 466)], brick[2], opacity=0.7)
    for k in range(3):
        pen.line(f"scarf fold {k}", [(CX - 66 + 10 * k, 424 + 9 * k), (CX - 20, 436 + 9 * k),
            (CX + 28, 435 + 8 * k), (CX + 68 - 10 * k, 421 + 10 * k)], 2.4, brick[2])
    for s in (-1, 1):
        collar = [(CX + s * x, y) for x, y in ((66, 402), (86, 392), (104, 404), (116, 436), (96,
            462), (52, 486), (40, 478), (62, 452), (74, 428))]
        pen.fill(f"collar ink {s}", [(CX + (x - CX) * 1.012 + s * 1.2,
            y + (2.6 if y > 440 else -2.4)) for x, y in collar], INK)
        pen.fill(f"collar {s}", collar, coat[1])
        pen.fill(f"collar tone {s}", [(CX + s * x, y) for x, y in ((70, 404), (80, 410), (82, 434),
            (66, 458), (48, 480), (42, 478), (62, 452), (74,
            428))], coat[2] if s > 0 else coat[0], opacity=0.7)
        pen.line(f"collar seam {s}", [(CX + s * 88, 402), (CX + s * 100, 432), (CX + s * 84, 458),
            (CX + s * 56, 476)], 1.7, coat[2])
    pen.still = False
    # back of the cap and ears
    for s in (-1, 1):
        ear = [(CX + s * x, y) for x, y in ((104, 214), (118, 204), (131, 212), (132, 234), (124,
            256), (113, 268), (103, 260))]
        pen.fill(f"ear ink {s}", [(CX + (x - CX) * 1.018, y + (1.8 if y > 235 else -2.0)) for x,
            y in ear], INK, -22)
        pen.fill(f"ear {s}", ear, L.base if s < 0 else tint(L.base, L.shade, 0.6), -22)
        pen.soft(f"ear blush {s}", CX + s * 120, 232, 11, 22, L.blush, 0.6, -22)
        pen.line(f"ear fold {s}", [(CX + s * 110, 218), (CX + s * 123, 215), (CX + s * 124, 234),
            (CX + s * 113, 252)], 2.8, L.deep, -22)
        pen.line(f"ear fold b {s}", [(CX + s * 112, 230), (CX + s * 118, 228), (CX + s * 116, 242)],
            2.0, L.deep, -22)


def face(pen: Pen, ch: Pose, m: Mouth) -> None:
    """What moves with jaw and lips."""
    L = LOOK
    gray = GRAY
    # face
    outline = face_outline(HALF, m, ch)
    d = m.drop
    pen.fill("face ink", [(CX + (x - CX) * 1.022, y + (2.8 if y > 310 else 0)) for x, y in outline],
        INK, 0)
    pen.fill("face", outline, L.base, 0)
    pen.clip = (pen.path(outline, 0),)
    pen.fill("cheek shade 1", [(318, 170), (290, 214), (292, 254), (278, 296), (264, 332 + 0.5 * d),
        (236, 364 + d), (200, 378 + d), (168, 384 + d), (200, 408 + d), (270, 400 + d), (326,
        300)], L.shade, 0, 0.6)
    pen.fill("cheek shade 2", [(320, 190), (302, 224), (302, 266), (290, 304 + 0.2 * d), (272,
        346 + 0.6 * d), (240, 376 + d), (206, 386 + d), (250, 408 + d), (330, 300)], L.shade, 0, 0.8)
    pen.fill("jaw shade left", [(84, 262), (100, 276), (116, 318 + 0.3 * d), (140, 354 + 0.8 * d),
        (174, 382 + d), (140, 400 + d), (80, 320)], L.shade, 0, 0.5)
    pen.soft("forehead light", CX - 22, 176, 62, 16, L.light, 0.5, 40)
    cheeks(pen, m, ch, (66, 278, 27, 17, 0.55), (62, 266, 17, 7, 0.65, 0.35), [(84, 286, 0), (92, 302, 0),
        (82, 330, 0.4), (64, 350, 0.7), (66, 324, 0.3), (70, 302, 0)], 0.15)
    # unshaven chin and lip: a cool wash with dots of ink
    pen.soft("stubble chin", CX, 364 + d, 64, 28, gray[2], 0.55, 12)
    pen.soft("stubble left", CX - 62, 338 + 0.6 * d, 34, 44, gray[2], 0.34, 8)
    pen.soft("stubble right", CX + 62, 338 + 0.6 * d, 34, 44, gray[2], 0.34, 8)
    pen.soft("stubble lip", CX, m.up_out[N // 2][1] - 9, 40, 7, gray[2], 0.30)
    dots: list[Points] = []
    for k in range(14):
        u = (k * 0.618) % 1
        x, y = CX - 46 + 92 * u, 366 + 14 * ((k * 0.37) % 1) - 10 * (2 * u - 1) ** 2 + d
        dots.append([(x, y), (x + (u - 0.5) * 2, y + 4.5)])
    pen.lines("stubble", dots, 1.5, gray[3], 12, opacity=0.55, n=4)
    pen.line("chin cleft", [(CX, 366 + d), (CX + 1, 374 + d), (CX, 382 + d)], 2.2, L.deep, 20,
        opacity=0.7)
    pen.soft("chin light", CX - 8, 363 + d, 20, 8, L.light, 0.45, 20)
    pen.soft("chin bunch", CX, mix(m.lip_bottom, 380 + d, 0.45), 20, 9, L.deep,
        0.55 * max(m.press, m.teeth_on * 0.8, ch("chin_raise")))
    # side whiskers
    def h(pts: Points, s: int) -> list[Point]:
        return [(CX + s * x, y + w * d) for x, y, w in pts]
    whisk = [(114, 190, 0), (97, 196, 0), (94, 228, 0), (90, 262, 0), (84, 286, 0.05), (77,
        308, 0.15), (79, 322, 0.25), (88, 320, 0.3), (93, 329, 0.32), (100, 318, 0.3), (110, 298, 0.2), (115, 262, 0.1)]
    pen.fills("whisker ink", [[(CX + (x - CX) * (0.985 if abs(x - CX) < 98 else 1.01),
        y + (1.6 if y > 300 else -1)) for x, y in h(whisk, s)] for s in (-1, 1)], gray[3], 4)
    for s in (-1, 1):
        pen.fill(f"whisker {s}", h(whisk, s), gray[1] if s < 0 else tint(gray[1], gray[2], 0.4), 4)
        pen.fill(f"whisker light {s}", h([(106, 200, 0), (100, 206, 0), (98, 240, 0), (91, 276, 0),
            (80, 302, 0.1), (88, 298, 0.2), (101, 268, 0.1), (107, 232,
            0)], s), gray[0], 4, 0.75 if s < 0 else 0.35)
    five = [(s, k, 104 - 5 * k, 214 + 22 * k) for s in (-1, 1) for k in range(5)]
    pen.lines("whisker hair", [h([(x + 4, y - 8, 0), (x, y + 10, 0.05), (x - 9, y + 27, 0.15)], s)
        for s, _, x, y in five], 2.2, gray[3], 4, opacity=0.8, n=5)
    pen.lines("whisker fringe", [h([(90 + 4 * k, 296 - 4 * k, 0.2), (84 + 5 * k,
        313 - 3 * k, 0.25), (82 + 6 * k, 328 - 5 * k, 0.3)], s) for s, k, _, _ in five], 2.6, gray[2], 4, n=5)
    pen.clip = ()
    folds(pen, m, ch, 294, 32)
    draw_mouth(pen, m)


def nose(pen: Pen, ch: Pose) -> None:
    """Broad and round."""
    L, nz = LOOK, 88
    w = ch("nose_wrinkle")
    ny = -3 * w
    pen.fill("nose side", [(209, 214), (217, 240), (230, 264 + ny), (240, 282 + ny), (232,
        296 + ny), (CX + 6, 300 + ny), (220, 282 + ny), (210, 254)], L.shade, 70, 0.75)
    pen.fill("nose under", [(165, 286 + ny), (182, 296 + ny), (CX, 293 + ny), (220, 296 + ny), (238,
        284 + ny), (230, 301 + ny), (CX, 307 + ny), (172, 301 + ny)], L.shade, 80, 0.9)
    pen.fill("nose tip", oval(CX - 2, 276 + ny, 24, 19), L.base, nz)
    pen.soft("nose blush", CX, 280 + ny, 24, 15, L.blush, 0.75, nz)
    pen.soft("nose light", CX - 8, 268 + ny, 9, 6.5, L.light, 0.95, nz)
    pen.fill("nose ridge", [(193, 222), (199, 222), (199, 248), (196, 258), (190, 252)], L.light,
        70, 0.5)
    for s in (-1, 1):
        pen.line(f"nose wing {s}", [(CX + s * 26, 271 + ny), (CX + s * 36.5, 277 + ny - 2 * w),
            (CX + s * 36, 291 + ny - 2 * w), (CX + s * 24, 296 + ny)], 3.2, INK, 74)
        pen.fill(f"nostril {s}", oval(CX + s * 14, 296 + ny, 7.0, 3.0), L.deep, 80)
        pen.line(f"wrinkle {s}", [(CX + s * 9, 238), (CX + s * 16, 244), (CX + s * 15, 253)], 2.2,
            L.deep, 62, opacity=0.3 + 0.65 * w)
    pen.line("nose tip ink", [(175, 282 + ny), (184, 297 + ny), (CX, 301 + ny), (216, 297 + ny),
        (224, 280 + ny)], 3.0, INK, nz)
    pen.line("nose bridge", [(211, 218), (216, 240), (224, 258)], 2.4, L.deep, 62, opacity=0.85)


def front(pen: Pen, ch: Pose) -> None:
    """Nose, eyes, brows and cap."""
    nose(pen, ch)
    L, navy = LOOK, NAVY
    outline = face_outline(HALF, Mouth(MOUTH, Pose({})), Pose({}))
    for s in (-1, 1):
        draw_eye(pen, EYES, ch, s)
    draw_forehead(pen, EYES, ch)
    for s in (-1, 1):
        draw_brow(pen, EYES, ch, s)
    # cap: soft crown, wide turned-up band
    pen.fill("cap shadow", [(94, 155), (130, 163), (CX, 168), (270, 163), (306, 155), (306, 171),
        (270, 179), (CX, 183), (130, 177), (94, 173)], L.shade, 22, 0.8, (pen.path(outline, 0),))
    crown = [(90, 137), (88, 99), (110, 57), (150, 31), (198, 21), (250, 29), (292, 57), (312, 101),
        (310, 137), (CX, 155)]
    pen.fill("cap ink", [(CX + (x - CX) * 1.02, y - 2.8) for x, y in crown], INK, 0)
    pen.fill("cap", crown, navy[1], 0)
    cc = (pen.path(crown, 0),)
    pen.fill("cap shade", [(252, 27), (268, 77), (262, 137), (200, 159), (330, 159), (322, 77)],
        navy[2], 0, 0.75, cc)
    pen.fill("cap light", [(108, 119), (112, 83), (142, 51), (182, 39), (176, 49), (146, 67), (128,
        95), (124, 125)], navy[0], 0, 0.8, cc)
    for k, (x0, x1, x2) in enumerate(((186, 150, 122), (194, 182, 168), (204, 216, 224), (212, 250,
        274))):
        pen.line(f"cap rib {k}", [(x0, 25), (x1, 71), (x2, 129)], 2.4, navy[2], 0, (0.1, 0.8),
            clip=cc)
    band = [(86, 117), (120, 127), (CX, 133), (280, 127), (314, 117), (322, 127), (322, 147), (314,
        157), (270, 166), (CX, 171), (130, 166), (86, 157), (78, 147), (78, 127)]
    pen.fill("band ink", [(CX + (x - CX) * 1.018, y + (2.4 if y > 142 else -2.4)) for x, y in band],
        INK, 14)
    pen.fill("band", band, tint(navy[1], navy[0], 0.25), 14)
    bc = (pen.path(band, 14),)
    pen.fill("band light", [(84, 127), (120, 136), (176, 141), (176, 149), (118, 145), (82, 137)],
        navy[0], 14, 0.9, bc)
    pen.fill("band shade", [(80, 149), (130, 159), (CX, 163), (262, 153), (300, 127), (330, 117),
        (330, 169), (CX, 179), (80, 169)], navy[2], 14, 0.7, bc)
    for k in range(-6, 7):
        x = CX + 118 * sin(k * 0.225)
        pen.line(f"band rib {k}", [(x, 137 - abs(k) * 1.1), (x + k * 0.4, 150 - abs(k)),
            (x + k * 0.6, 165 - abs(k) * 1.1)], 2.2, navy[2], 14, (0.4, 0.4), clip=bc)


OSRIC = Person("osric", LOOK, MOUTH, back, face, front, pivot=(CX, 410), ball=(118, 150), middle=238, depth=56)
