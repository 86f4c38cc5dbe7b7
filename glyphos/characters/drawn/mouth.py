"""The geometry of a drawn mouth, from gesture channels: lips, opening, teeth and tongue."""

from __future__ import annotations

from dataclasses import dataclass
from math import cos, pi, sin

from .ink import CX, INK, Point, Points, clamp, ease, mix, oval, tint
from .pen import Pen
from .pose import Pose


# fmt: off
@dataclass(frozen=True)
class MouthLook:
    y: float = 310.0            # seam at rest
    half: float = 44.0          # half width at rest
    upper: float = 8.0          # lip heights
    lower: float = 11.0
    part: float = 36.0          # gap at lips_part 1 with the jaw shut
    jaw: float = 58.0           # added gap at jaw_open 1
    chin: float = 44.0          # way of the chin
    bow: float = 1.0            # cupid's bow
    corner: float = 0.0         # corners at rest, up positive
    lip_up: str = "#b65a4d"
    lip_low: str = "#cf7465"
    lip_shine: str = "#eba893"
    lip_deep: str = "#8f3d38"
    cave: str = "#3b1518"
    throat: str = "#250c10"
    tongue: str = "#d4706c"
    tongue_dark: str = "#9c4448"
    tongue_light: str = "#e89690"
    tooth: str = "#fbf3df"
    tooth_shade: str = "#c9b49c"
    ink: str = INK



N = 17
ANGLES = [pi * (i / (N - 1) - 0.5) for i in range(N)]


class Mouth:
    """Geometry of one mouth pose: inner and outer lip edges, teeth, tongue; all in the flat drawing."""

    def __init__(self, look: MouthLook, ch: Pose) -> None:
        L = self.look = look
        jaw, part, wide, rnd = ch("jaw_open"), ch("lips_part"), ch("lips_wide"), ch("lips_round")
        sneer = ch("upper_lip_raise")
        self.jaw, self.part, self.round, self.wide = jaw, part, rnd, wide
        press = 1 - (1 - ch("lips_press")) ** 2
        gate = ease(0.0, 0.11, part)                      # nothing opens shut lips
        self.teeth_on = teeth_on = ch("lip_to_teeth") * gate
        self.press = press = press * (1 - ease(0.0, 0.3, part))
        self.drop = jaw * L.chin

        gap = part * (L.part + L.jaw * jaw) * (1 + 1.5 * rnd * (1 - jaw) ** 2) + 5.0 * sneer * gate * (1 - 0.6 * rnd)
        self.tip, self.between = ch("tongue_tip"), ch("tongue_between_teeth")
        self.front, self.high = ch("tongue_front"), ch("tongue_high")
        gap += 9.0 * ch("lower_lip_lower") * gate
        gap += 7.0 * self.between * gate + 12.0 * self.tip * (1 - self.between) * part
        self.gap = gap
        tall = gap / (L.part + L.jaw)
        half = L.half * (1 + 0.20 * max(wide, 0.0) + 0.13 * min(wide,
            0.0)) * (1 - 0.57 * rnd) * (1 + 0.07 * press) * (1 - 0.07 * teeth_on)
        half *= 1 - 0.13 * tall * (1 - rnd)
        self.inset = 0.04 + 0.36 * rnd ** 1.3
        self.power = mix(mix(1.25, 0.80, ease(0.1, 0.7, tall)), 0.86,
            rnd)     # roundness of the opening

        # corners: (x, y) each side; smile and sorrow are left/right
        self.corner = {}
        for s in (-1, 1):
            up, down, stretch = ch.side("lip_corner_up", s), ch.side("lip_corner_down",
                s), ch.side("lip_stretch", s)
            self.corner[s] = (half * (1 + 0.17 * up - 0.04 * down + 0.12 * stretch),
                              -L.corner * (1 - rnd) - mix(15, 9, ease(0, 0.5,
                                  tall)) * up * (1 - 0.5 * rnd) + 12 * down + 2.5 * stretch - 1.5 * max(wide, 0))
            self.corner[s] = (self.corner[s][0],
                self.corner[s][1] + (0.17 - 0.10 * up + 0.09 * rnd) * gap * (1 - teeth_on))
        sag = (1 - part) ** 2 * (1 - teeth_on) * 0.34 * self.drop
        lift = gap * (0.30 - 0.12 * jaw) + teeth_on * 5.5 + sneer * gate * 3.0 + 3.0 * ease(0.02,
            0.4, tall) * (ch.side("lip_corner_up", -1) + ch.side("lip_corner_up", 1)) / 2
        self.mid = L.y + sag - 4.0 * sneer * (1 - gate) - 1.5 * press
        self.dark = clamp(ease(0.60, 0.88,
            rnd) + 0.9 * rnd * jaw)     # rounded lips put the teeth in the dark
        self.y_teeth = L.y + 4.8 - 4.0 * rnd - 9.0 * self.dark + 2.0 * teeth_on      # edge of the upper teeth
        gap_f = max(0.0, self.y_teeth - 3.5 - (self.mid - lift))
        self.open = mix(gap, gap_f, teeth_on)

        self.up_in, self.low_in, self.up_out, self.low_out = [], [], [], []
        thin_u = (1 - 0.70 * press) * (1 - 0.25 * tall) * (1 + 0.30 * rnd) * (1 - 0.15 * max(wide,
            0)) * (1 - 0.25 * teeth_on) * (1 - 0.2 * sneer)
        thin_l = (1 - 0.72 * press) * (1 - 0.22 * tall) * (1 + 0.05 * rnd) * (1 - 0.15 * max(wide,
            0)) * (1 + 0.30 * teeth_on)
        thin_u *= 1 - 0.4 * ch("lip_tighten")
        thin_l *= 1 - 0.4 * ch("lip_tighten")
        stretch = 1 + 0.35 * jaw * (1 - part) ** 2
        self.tu, self.tl = L.upper * thin_u * stretch, L.lower * thin_l * stretch
        for a in ANGLES:
            t, c = sin(a), cos(a)
            c = max(c, 0.0)
            w, cy = self.corner[1 if t > 0 else -1]
            seam = self.mid + cy * t * t + 1.3 * (1 - rnd) * (1 - press) * (cos(2.2 * pi * t) * 0.5 - 0.5) * (1 - t * t) * (1 - tall)
            yu = mix(seam, self.mid - lift, c ** self.power)
            yl = yu + self.open * c ** self.power
            x_in, x_out = CX + t * w * (1 - self.inset), CX + t * w
            self.up_in.append((x_in, yu))
            self.low_in.append((x_in, yl))
            body = c ** mix(1.35, 0.95, rnd)
            bow = L.bow * (1 - 0.7 * rnd) * (1 - 0.6 * tall) * (0.26 * (1 / (1 + (t / 0.16) ** 2)) - 0.10 * (1 / (1 + ((abs(t) - 0.36) / 0.2) ** 2)))
            self.up_out.append((x_out, yu - self.tu * body * (1 - bow)))
            self.low_out.append((x_out, yl + self.tl * c ** mix(1.2, 0.78, max(rnd, ease(0, 0.8,
                tall)))))
        self.bite = self.up_in + [(x, y + 3.6 * teeth_on * max(cos(a), 0.0)) for (x, y),
            a in zip(self.low_in, ANGLES, strict=False)][-2:0:-1]
        self.opening = self.up_in + self.low_in[-2:0:-1]
        self.low_edge = self.low_in[N // 2][1]
        self.lip_bottom = self.low_out[N // 2][1]
        self.y_lower_teeth = L.y + 5.0 + self.drop * 0.92 + 2.0 * rnd + 9.0 * self.dark


def teeth_edge(y: float, half: float, curve: float, n: int = 8, scallop: float = 1.3, up: int = -1) -> list[Point]:
    """Biting edge of a row of n teeth, left to right, with small dents between them."""
    pts = []
    for k in range(n * 2 + 1):
        u = k / n - 1                                       # -1..1
        x = CX + half * sin(u * 1.25) / sin(1.25)
        pts.append((x, y + up * curve * u * u + (up * scallop if k % 2 == 0 else 0.0)))
    return pts


def draw_mouth(pen: Pen, m: Mouth) -> None:
    """Lips, opening, teeth, tongue. Everything inside is clipped by the opening, so shut lips show nothing."""
    L = m.look
    z = None
    clip = (*pen.clip, pen.path(m.opening, z))

    def inner(name: str, pts: Points, color: str, opacity: float = 1.0) -> None:
        pen.fill(name, pts, color, z, opacity, clip)

    # skin round the mouth: shadow under the lower lip, pucker creases, press bulges
    lx, rx = CX - m.corner[-1][0], CX + m.corner[1][0]
    by = m.lip_bottom
    w_under = 0.52 * (rx - lx) / 2
    under = 3.0 + 4.5 * m.round + 2.5 * (1 - m.press) + 2.0 * m.teeth_on
    pen.soft("under lip", CX, by + under * 0.45, w_under, 1.5 + under * 0.75, pen.look.shade, 1,
        z)
    creases: tuple[list[Points], list[Points]] = ([], [])
    for s in (-1, 1):
        for k, (u, h) in enumerate(((0.30, 1.0), (0.72, 0.75))):
            x = CX + s * u * (rx - lx) / 2
            y1, y2 = m.up_out[N // 2 + s * int(3 + 3 * k)][1] - 3, m.low_out[N // 2 + s * int(3 + 3 * k)][1] + 4
            creases[0].append([(x + s * 2.5, y1 - 9 * h), (x, y1)])
            creases[1].append([(x, y2), (x + s * 2.5, y2 + 7 * h)])
    pen.lines("pucker up", creases[0], 1.6, pen.look.deep, z, opacity=0.42 * ease(0.5, 1, m.round))
    pen.lines("pucker low", creases[1], 1.6, pen.look.deep, z, opacity=0.36 * ease(0.5, 1, m.round))
    wide, tall = 5 + 4 * m.press, 5 + 5 * m.press
    pen.fills("corner shade", [oval(CX + s * (m.corner[s][0] + 4), m.mid + m.corner[s][1] + 1, wide, tall) for s in (-1, 1)],
        pen.look.shade, z, 0.55 * (1 - 0.6 * m.round) + 0.3 * m.press)
    # lips
    pen.fill("upper lip", m.up_out + m.up_in[::-1], L.lip_up, z)
    pen.fill("lower lip", m.low_in + m.low_out[::-1], L.lip_low, z)
    lo = [(mix(a[0], b[0], 0.55), mix(a[1], b[1], 0.55)) for a, b in zip(m.low_in, m.low_out, strict=False)]
    lo2 = [(mix(a[0], b[0], 0.97), mix(a[1], b[1], 0.97)) for a, b in zip(m.low_in, m.low_out, strict=False)]
    pen.fill("lower lip shade", lo[2:-2] + lo2[2:-2][::-1], L.lip_up, z, 0.55)
    sh = [(mix(a[0], b[0], 0.26), mix(a[1], b[1], 0.26)) for a, b in zip(m.low_in, m.low_out, strict=False)]
    pen.line("lower lip shine", [sh[i] for i in (5, 7, 9, 11)], m.tl * 0.28, L.lip_shine, z,
        opacity=0.85 * (1 - 0.8 * m.press))
    us = [(mix(a[0], b[0], 0.80), mix(a[1], b[1], 0.80)) for a, b in zip(m.up_in, m.up_out, strict=False)]
    pen.line("upper lip shine left", [us[i] for i in (3, 5, 7)], m.tu * 0.2, L.lip_shine, z,
        opacity=0.30 + 0.4 * m.round)
    pen.line("upper lip shine right", [us[i] for i in (9, 11, 13)], m.tu * 0.2, L.lip_shine, z,
        opacity=0.20 + 0.4 * m.round)

    # inside, from back to front
    top = m.up_in[N // 2][1]
    low = m.low_edge
    inner("cave", m.opening, L.cave)
    inner("throat", oval(CX, top + (low - top) * 0.42, L.half * 0.62 * (1 - 0.35 * m.round),
        max(0.1, (low - top) * 0.36)), L.throat)
    # tongue body: a mound behind the lower teeth
    yl, yu = m.y_lower_teeth, m.y_teeth
    floor = max(yl, low) + 26
    rise = m.high * (0.80 - 0.22 * max(-m.front, 0)) + 0.12
    y_body = mix(yl + 3, yu - 2, clamp(rise)) - 2.0 * max(m.front, 0) - (yl - yu) * 0.10
    y_body = mix(y_body, yu + 1, m.between)
    tw = L.half * (0.66 + 0.07 * m.front) * (1 - 0.22 * m.round)
    back = clamp(0.5 * m.dark + 0.55 * max(-m.front, 0.0))
    col = tint(tint(L.tongue, L.tongue_dark, back), L.cave, 0.9 * ease(0.35, 0.85, m.dark))
    inner("tongue", [(CX - tw, floor), (CX - tw * 0.97, y_body + 12), (CX - tw * 0.62,
        y_body + 2.5), (CX - tw * 0.2, y_body + 0.4), (CX, y_body + 1.2),
                     (CX + tw * 0.2, y_body + 0.4), (CX + tw * 0.62, y_body + 2.5), (CX + tw * 0.97,
                         y_body + 12), (CX + tw, floor)], col)
    pen.line("tongue groove", [(CX, y_body + 3), (CX + 0.4, y_body + 11), (CX, y_body + 24)], 2.2,
        L.tongue_dark, z, (0.2, 0), 0.55 * (1 - m.dark), clip)
    pen.line("tongue light", [(CX - tw * 0.62, y_body + 6), (CX - tw * 0.38, y_body + 3.6),
        (CX - tw * 0.12, y_body + 4)], 3.0, L.tongue_light, z, opacity=0.75 * (1 - back), clip=clip)
    # tongue tip, seen from below as it goes up to the ridge
    y_tip = mix(yl + 14, yu - 7, m.tip)
    w1, w0 = L.half * mix(0.34, 0.30, m.tip), L.half * 0.50
    tipc = tint(tint(L.tongue, L.tongue_light, 0.25), L.tongue_dark, 0.6 * m.dark)
    inner("tongue tip", [(CX - w0 * 1.05, floor), (CX - w0 * 0.92, mix(floor, y_tip, 0.45)),
        (CX - w1 * 0.95, y_tip + 6), (CX - w1 * 0.55, y_tip + 0.8), (CX, y_tip),
                         (CX + w1 * 0.55, y_tip + 0.8), (CX + w1 * 0.95,
                             y_tip + 6), (CX + w0 * 0.92, mix(floor, y_tip,
                             0.45)), (CX + w0 * 1.05, floor)], tipc)
    pen.line("tongue string", [(CX, y_tip + 8), (CX + 0.5, mix(y_tip, floor, 0.4)), (CX, floor)],
        3.4, L.tongue_dark, z, (0, 0.6), 0.8, clip)
    pen.line("tongue side", [(CX + w1 * 0.8, y_tip + 5), (CX + w0 * 0.8, mix(floor, y_tip, 0.5)),
        (CX + w0 * 0.95, floor)], 5, L.tongue_dark, z, (0, 0.5), 0.5, clip)
    # teeth
    ht = L.half * (0.80 + 0.10 * max(m.wide, 0)) * (1 - 0.30 * m.round)
    low_row = teeth_edge(yl, ht * 0.80, 3.0, up=1, scallop=0.9)
    tone_l = tint(tint(L.tooth, L.tooth_shade, 0.35), L.cave, 0.95 * ease(0.2, 0.75, m.dark))
    inner("lower teeth", [*low_row, (CX + ht * 0.8, yl + 30), (CX - ht * 0.8, yl + 30)], tone_l)
    pen.lines("lower gaps", [[(x, y - 0.5), (x, y + 7)] for x, y in low_row[2:-2:2]], 0.9,
        L.tooth_shade, z, (1, 0), 0.8 * (1 - m.dark), clip)
    up_row = teeth_edge(yu, ht, 3.2)
    tone_u = tint(L.tooth, L.cave, 0.95 * ease(0.2, 0.75, m.dark))
    bite = (*pen.clip, pen.path(m.bite, z))                 # teeth lie over the lower lip in /f v/
    pen.fill("bite shadow", [(x, y + 2.2) for x, y in up_row] + [(CX + ht, yu - 6), (CX - ht,
        yu - 6)], L.lip_deep, z, m.teeth_on,
             (*pen.clip, pen.path(m.up_in + m.low_out[::-1], z)))
    pen.fill("upper teeth", [*up_row, (CX + ht, yu - 34), (CX - ht, yu - 34)], tone_u, z, 1, bite)
    pen.lines("upper gaps", [[(mix(CX, x, 0.985), y - 12), (x, y + 0.5)] for x, y in up_row[2:-2:2]],
        0.9, L.tooth_shade, z, (0, 1), 0.9 * (1 - m.dark), bite)
    for s in (-1,
        1):                                        # the row goes back into the dark of the cheeks
        inner(f"side shade {s}", [(CX + s * ht * 0.62, yu - 34), (CX + s * ht * 0.70, yu + 2),
            (CX + s * ht * 0.64, yl + 20), (CX + s * ht * 1.5, yl + 20), (CX + s * ht * 1.5,
            yu - 34)],
              L.cave, 0.32)
    # tongue between the teeth: grows forward over the lower teeth
    reach = 16.0 * m.between
    w2 = L.half * mix(0.40, 0.50, m.between)
    inner("tongue between", [(CX - w2, yu + reach * 0.35 + 1.0), (CX - w2 * 0.55, yu - 0.2), (CX,
        yu - 0.4), (CX + w2 * 0.55, yu - 0.2), (CX + w2, yu + reach * 0.35 + 1.0),
                             (CX + w2 * 0.72, yu + 0.4 + reach * 0.85), (CX,
                                 yu + 0.4 + reach), (CX - w2 * 0.72, yu + 0.4 + reach * 0.85)], L.tongue, ease(0, 0.12, m.between))
    pen.line("tongue between light", [(CX - w2 * 0.6, yu + 1.5 + reach * 0.4), (CX,
        yu + 2 + reach * 0.55), (CX + w2 * 0.6, yu + 1.5 + reach * 0.4)], 3.4, L.tongue_light, z, opacity=0.9 * ease(0, 0.5, m.between), clip=clip)
    # shadow of the upper lip
    shadow = [(x, y - 3) for x, y in m.up_in] + [(x, y + 1.2 + 2.8 * cos(a)) for (x, y),
        a in zip(m.up_in, ANGLES, strict=False)][::-1]
    inner("lip shadow", shadow, L.throat, 0.38)
    # ink: one line when shut, two edges when open
    e = 2.2 * (1 - m.round) * (1 - ease(0, 0.35, m.part)) + 3 * m.press
    e -= mix(0.6, 1.0, m.round) * m.inset * m.corner[1][0] * ease(0, 0.3, m.part)
    ends = [(CX - m.corner[-1][0] - e, m.up_in[0][1] + 0.4)], [(CX + m.corner[1][0] + e,
        m.up_in[-1][1] + 0.4)]
    keep = range(1, N - 1, 2)
    pen.line("lower edge", [m.low_in[0]] + [m.low_in[i] for i in keep] + [m.low_in[-1]], 1.7,
        L.lip_deep, z, (0.5, 0.5), 1 - m.teeth_on, n=21)
    pen.line("upper edge", ends[0] + [m.up_in[i] for i in keep] + ends[1], 3.0 + 1.3 * m.press,
        tint(L.lip_deep, L.ink, 0.75), z, (0.1, 0.1), n=21, belly=0.6)
    pen.line("lower rim", [lo2[i] for i in (5, 7, 8, 9, 11)], 1.8, L.lip_deep, z, opacity=0.8)
