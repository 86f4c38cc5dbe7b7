"""Pip, a small tracking robot: the same channels and the same lip model, but bars, plates and shutters instead of skin."""
import copy

import numpy as np

from .cast import HUMAN, Character
from .clay import Clay, face_out, grid_faces, join, lathe, part, smooth, spline, tube, uv_ball
from .lips import BARS, BORDER, LOW, SA, C, Lips, N, S
from .parts import RETREAT, eyeball, lid, superbox
from .rig import FORWARD, SIDES, SIDEWAYS, jaw_lips, jaw_move, lip_fixes, lip_targets

SHELL, TEAL, STEEL, BRASS, RUST = (.90, .845, .725), (.16, .40, .385), (.32, .39, .44), (.70, .52, .22), (.74, .66, .53)
BAR, RUBBER, PLATE, LIT, RED, SLATE = (.74, .54, .23), (.72, .67, .57), (.045, .050, .060), (1., .56, .16), (.81, .28, .17), (.17, .225, .28)
Y = -.46
EYES = {1: ((.335, .225, .51), .265), -1: ((.330, .215, .53), .235)}            # his left one is a little larger

PIP = Character(
    {**HUMAN, "kind": "robot"}, name="Pip", skin=(.30, .38, .43), scale=.87, neck=(0, -.95, -.05), hinge=(0, -.42, -.12), jaw_deg=9., jaw_glide=(0, -.15, .02),
    lips=dict(y=Y, a=.33, corner=.046, upper=.044, lower=.046, roll=.075, bow=.0, wave=.45, profile=BARS, taper=(.42, .42), reach=.95),
    eye=EYES[1][0], eye_r=EYES[1][1], iris=((.10, .30, .30), (.25, .72, .66), (.05, .10, .11)), eye_white=(.16, .18, .19), iris_size=1.35,
    lid=dict(upper=36., lower=-42., almond=.10, droop=0., tilt=0., yaw=6., meet=-6., liner=1., rim=(.20, .22, .22)),
    strokes=[("egg", (0, .16, -.02), (.86, .64, .70), .1), ("egg", (0, -.16, .0), (.78, .52, .66), .2), ("cone", (-.0, .30, .35), (.45, .28, .25), .36, .34, .1),
             ("hole", (0, -.70, .42), (.66, .36, .62), .06), ("hole", (0, Y + .01, .80), (.50, .235, .36), .02), ("groove", [(0, .80, .2), (0, .55, .7), (0, .06, .74)], .012, .012)])
JAW = np.array([0, -.40, .06]), np.array([.67, .46, .68])                      # the lower jaw is a bucket cut from this egg


def on_jaw(lon, lat, k=1.):
    c, r = JAW
    return c + k * r * np.stack([np.sin(lon) * np.cos(lat), np.sin(lat), np.cos(lon) * np.cos(lat)], -1)


def rim(lon):
    """Latitude of the bucket's upper edge: high at the hinges, low under the mouth."""
    return np.radians(-4 - 33 * np.exp(-np.abs(lon / .72) ** 4))


def worn(v, much):
    """Where the enamel has chipped: irregular, in clusters."""
    return sum(np.sin(v @ np.array(k, float) + i) for i, k in enumerate(((17, 9, -5), (-7, 21, 11), (13, -12, 19)))) > much


def bucket(jaw):
    lon, rows = np.linspace(-1.75, 1.75, 57), []
    for k, t in (*((.93, t) for t in np.linspace(.97, .2, 7)), (.93, .10), (.93, .0), (.97, -.012), (1.03, -.012), (1.045, .02), (1.02, .07), (1.0, .10)):
        lat = rim(lon)
        rows.append(on_jaw(lon, lat + (-np.pi / 2 - lat) * t, k))
    for t in np.linspace(.10, .97, 11)[1:]:
        lat = rim(lon)
        rows.append(on_jaw(lon, lat + (-np.pi / 2 - lat) * t))
    v = np.concatenate(rows)
    f = grid_faces(len(rows), len(lon), False)
    mid = f[len(f) // 2 - 200]
    if np.cross(v[mid[1]] - v[mid[0]], v[mid[2]] - v[mid[0]]) @ (v[mid[0]] - JAW[0]) < 0:
        f = f[:, ::-1]
    edge = np.repeat(np.r_[np.ones(12), .2, np.zeros(11)], len(lon))[:, None]
    chips = worn(v, 2.30)[:, None] * (v[:, 1] < -.58)[:, None] * (edge < .1)
    col = np.array(SHELL) * (1 - edge) + np.array(STEEL) * edge
    return join([(v, f, np.where(chips, np.array(RUST), col)),
                 *[(*uv_ball(on_jaw(np.array(x), rim(np.array(x)) - .22, 1.0), .022, 6, 8), BRASS) for x in (-1.1, -.72, .72, 1.1)]])


def mouth(K, L, clay):
    """Bars, rubber bellows to the frame, and the dark plate behind: one part, lips first."""
    V = L.rings()
    jaw = jaw_move(K)
    D = lip_targets(L)
    J = jaw_lips(L, V, jaw)
    D.update(lip_fixes(L, D, J), jaw_open=J["jaw_open"], fix_seal_jaw=J["sealed"] - J["jaw_open"],
             jaw_forward=J["jaw_forward"], jaw_right=J["jaw_right"], jaw_left=J["jaw_left"])
    x = .50 * np.sign(C) * np.abs(C) ** .75
    frame = np.stack([x, L.y + .01 + np.where(S > 0, .175 * SA ** .45, -.235 * SA ** .9), 0 * x], -1)
    frame[:, 2] = clay.front_z(frame[:, 0], frame[:, 1]) - .01
    lon = np.arcsin(np.clip(x / (JAW[1][0] * .98), -1, 1)) * .93
    low = on_jaw(lon, rim(lon) - .10, .95)
    w = smooth(-S, -.05, .30)[:, None]
    frame = frame * (1 - w) + low * w
    t = np.linspace(0, 1, 9)[1:]
    bell = [V[BORDER] + (frame - V[BORDER]) * u + np.array([0, 0, 1]) * (.020 * np.sin(u * 4 * np.pi) - .045 * np.sin(u * np.pi)) for u in t]
    zb = V[0, :, 2].min()
    back = [np.stack([V[0, :, 0] * g, L.y + (V[0, :, 1] - L.y) * g + h * S, 0 * C + z], -1)
            for g, h, z in ((1.02, .05, zb - .04), (1.05, .16, zb - .12), (.98, .17, zb - .16), (.5, .10, zb - .165), (.001, 0, zb - .165))]
    v = np.concatenate([V.reshape(-1, 3), *bell])
    f = face_out(v, grid_faces(8 + len(bell), N))
    if np.cross(*(v[f[3000, k]] - v[f[3000, 0]] for k in (1, 2)))[2] < 0:
        f = f[:, ::-1]
    hold = np.concatenate([np.ones(8 * N)] + [np.full(N, (1 - u) ** 1.3) for u in t])
    grip = np.concatenate([np.zeros(8 * N)] + [u * w[:, 0] for u in t])[:, None]     # what goes with the jaw
    rigid = {"jaw_open": jaw(v), "jaw_forward": FORWARD, "jaw_right": -SIDEWAYS, "jaw_left": SIDEWAYS, "chin_raise": np.array([0, .05, .02])}
    M = {}
    for ch, d in D.items():
        full = np.concatenate([d.reshape(-1, 3), np.tile(d[BORDER], (len(t), 1))]) * hold[:, None]
        M[ch] = full + grip * rigid[ch] if ch in rigid else full
    u = np.repeat(np.r_[np.zeros(8), t], N)
    col = np.array(RUBBER) * (.72 + .36 * np.cos(u * 4 * np.pi - .8)[:, None] ** 2)
    tone = [.25, .3, .45, .70, 1, 1.06, .95, .6]
    for j in range(8):
        col[j * N:(j + 1) * N] = np.array(BAR) * tone[j]
    lips_part = part("mouth", v, f, col, .30, M)
    bv = np.concatenate([V[0], *back])
    bf = grid_faces(len(back) + 1, N)
    if np.cross(*(bv[bf[N * 4 + 20, k]] - bv[bf[N * 4 + 20, 0]] for k in (1, 2)))[2] < 0:
        bf = bf[:, ::-1]
    fade = np.repeat(np.r_[1, .9, .8, .8, .8, .8], N)
    BM = {}
    for ch, d in D.items():
        dd = np.tile(d[0], (len(back) + 1, 1)) * 0
        if ch == "jaw_open":
            dd = jaw(bv) * (np.tile(np.where(LOW, .3 + .7 * SA, .3 * (1 - SA)), len(back) + 1) * fade)[:, None]
        dd[:N] = d[0]
        if ch.startswith(("lip_corner", "lips_wide", "lip_stretch")):
            dd[N:3 * N] = np.tile(d[0], (2, 1))
        dd[-N:] = dd[-N:].mean(0)                            # the middle stays one point
        BM[ch] = dd
    shade = np.repeat([1.6, 1.2, 1, 1, 1, 1], N)[:, None]
    return lips_part, part("mouth_inside", bv, bf, np.array(PLATE) * shade, .25, BM), zb, frame


def strip(K, L, zb):
    """The lit strip that stands for the tongue."""
    n, k = 25, 10
    s = np.linspace(-1, 1, n)
    jaw = jaw_move(K)

    def shape(y=-.115, z=-.075, bow=0., wide=1., tip=0.):
        path = np.stack([.235 * wide * s, L.y + y + bow * np.exp(-(s / .55) ** 2), zb + z + tip * np.exp(-(s / .62) ** 2) - .05 * s * s], -1)
        r = .036 * np.sqrt(np.clip(1 - .92 * s ** 6, .05, 1))
        return tube(path, r, k, (0, 0, 1), .55)
    v, f = shape()
    D = lambda **kw: shape(**kw)[0] - v
    rigid = jaw(v)
    mo = dict(tongue_tip=D(bow=.145), tongue_high=D(y=-.010, bow=-.01), tongue_front=D(z=-.045, wide=1.06, bow=.02), tongue_back=D(z=-.10, wide=.62),
              tongue_between_teeth=D(y=-.030, bow=.012, tip=.215, wide=.92))
    arch = np.exp(-(v[:, :1] / .12) ** 2)
    away = -mo["tongue_between_teeth"] + D(y=-.06, bow=.03)
    mo.update(jaw_open=rigid * .85, fix_tip_jaw=-.80 * rigid * arch, fix_high_jaw=-.6 * rigid, fix_between_jaw=-.55 * rigid,
              guard_between_jaw=away, guard_between_lips=away, guard_front_high=-.6 * mo["tongue_front"], guard_tip_front=-mo["tongue_front"],
              guard_tip_high=-mo["tongue_high"], guard_between_front=-mo["tongue_front"], guard_between_high=-mo["tongue_high"],
              guard_between_tip=-mo["tongue_tip"], fix_round_teeth=np.ones((len(v), 1)) * [0, -.02, -.03] - v * [.45, 0, 0])
    return part("tongue", v, f, np.array(LIT), .4, mo, glow=(1., .55, .18))


def comb(K, L, zb):
    """A pale plate with slots where upper teeth would be, so that /f/ and /s/ can be read."""
    pieces, solids, up = [], [], RETREAT[1] * [0, .9, .3]
    for x in (np.arange(6) - 2.5) * .066:
        box = np.array([x, L.y + .052, zb - .03 - .5 * x * x]), 0., .030, .058, .014
        pieces.append((*superbox(*box, 6), (.86, .82, .72)))
        solids.append(("teeth_upper", *box, up))
    v, f, c = join(pieces)
    return part("teeth_upper", v, f, c, .4, {"fix_round_teeth": np.ones((len(v), 1)) * up}), solids


def shell(K, clay, frame):
    rows, k = 52, 96
    az, po = 2 * np.pi * np.arange(k) / k, np.linspace(.02, 2.42, rows)
    d = np.array([[np.sin(p) * np.sin(x), np.cos(p), np.sin(p) * np.cos(x)] for p in po for x in az])
    v = clay.shoot(np.array([0, .16, -.05]) + 0 * d, d)
    v = np.vstack([v, v[:k].mean(0) + [0, .002, 0]])
    f = grid_faces(rows, k)
    f = face_out(v, np.vstack([f, np.stack([np.roll(np.arange(k), -1), np.arange(k), np.full(k, len(v) - 1)], -1)]))
    col = np.tile(np.array(SHELL), (len(v), 1))
    mix = lambda w, c: col * (1 - w[:, None]) + np.array(c) * w[:, None]
    col = mix(smooth(-v[:, 1], .33, .37) * smooth(v[:, 2], -.55, -.45), np.array(STEEL) * .75)
    col = mix(smooth(-v[:, 1], .52, .56), np.array(STEEL) * .75)
    col = mix(.95 * smooth(-np.abs(v[:, 0]), -.125, -.115) * smooth(v[:, 1], .47, .485) * smooth(v[:, 2], -.4, -.38), SLATE)       # a strip with its lamps
    chips = worn(v, 2.42) & (v[:, 1] > -.3)
    bezel = np.vstack([frame[:N // 2 + 1], frame[:1] * [-1, 1, 1]])[:N // 2 + 1] + [0, 0, .012]
    edge = tube(bezel, np.interp(np.linspace(0, 1, len(bezel)), [0, .08, .92, 1], [.010, .022, .022, .010]), 8, (0, 0, 1))
    return part("shell", *join([(v, f, np.where(chips[:, None], np.array(RUST), col)), (*edge, STEEL)]), .42)


def plate(K, clay, side):
    """A visor plate over an eye: it lifts and tilts as a brow would."""
    (ex, ey, _), er = EYES[side]
    w, h = er * 1.08, .062 if side > 0 else .050
    x = np.linspace(-1, 1, 21)
    y0 = ey + er * 1.06
    path = np.stack([side * ex + w * x, y0 + .045 * (1 - x * x), 0 * x], -1)
    path[:, 2] = EYES[side][0][2] + .52 * er + .11 + .05 * (1 - x * x)
    v, f = tube(path, h * np.sqrt(np.clip(1 - .85 * x ** 8, .1, 1)), 12, (0, .25, 1), .42)
    s = SIDES[side < 0]
    inner = np.clip(.5 - .5 * side * (v[:, 0] - side * ex) / w, 0, 1)[:, None]
    outer, one = 1 - inner, np.ones((len(v), 1))
    mo = {"brow_inner_raise": (.12 * inner + .03) * [0, 1, -.1], "brow_outer_raise_" + s: (.13 * outer + .03) * [0, 1, -.25],
          "brow_lower_" + s: inner * [-.03 * side, -.13, .06] + one * [0, -.045, .02], "nose_wrinkle": inner * [0, -.05, .03],
          "lid_raise_" + s: one * [0, .025, 0], "lid_tighten_" + s: one * [0, -.025, .01]}
    bolts = [(*uv_ball(path[i] + [0, 0, h * .42], .017, 6, 8), BRASS) for i in (3, 17)]
    pv, pf, pc = join([(v, f, TEAL), *bolts])
    full = {}
    for k, d in mo.items():
        tail = [np.repeat(d[i * 12:(i + 1) * 12].mean(0)[None], len(b[0]), 0) for i, b in zip((3, 17), bolts)]
        full[k] = np.vstack([d, *tail])
    return part("brow_" + s, pv, pf, pc, .35, full)


def cheek(K, clay, side):
    s = SIDES[side < 0]
    c = np.array([.63 * side, -.20, 0.])
    c[2] = clay.front_z(c[:1], c[1:2])[0]
    n = clay.gradient(c[None])[0]
    prof = [(.001, .045), (.06, .042), (.094, .028), (.105, .0), (.10, -.04)]
    v, f = lathe(prof, 28, "z")
    R = np.c_[np.cross([0, 1, 0], n) / np.linalg.norm(np.cross([0, 1, 0], n)), [0, 0, 0], n]
    R[:, 1] = np.cross(n, R[:, 0])
    w = v @ R.T
    up = np.ones((len(v), 1)) * np.array([0, .075, .02])
    puff = w * .45 + n * .10
    mo = {"cheek_raise_" + s: up, "cheeks_puff": puff, "lip_corner_up_" + s: .6 * up + .06 * w + .02 * n, "dimple_" + s: -.03 * n + 0 * up,
          "lip_corner_down_" + s: -.35 * up, "nose_wrinkle": .3 * up}
    col = np.repeat([1, 1, .98, .8, .7], 28)[:, None] * np.array((.88, .66, .52))
    return part("cheek_" + s, w + c, face_out(w, f), col, .45, mo)


def hardware(K, clay):
    """Eye rings, nose stud, ear caps, dish, antenna, rivets."""
    pieces, t = [], 2 * np.pi * np.arange(45) / 44
    for side, (c, r) in EYES.items():
        c = np.array(c) * [side, 1, 1]
        ring = np.stack([c[0] + 1.17 * r * np.cos(t), c[1] + 1.17 * r * np.sin(t), 0 * t], -1)
        ring[:, 2] = .5 * clay.front_z(ring[:, 0], ring[:, 1]) + .5 * (c[2] + .30 * r) + .02
        pieces.append((*tube(ring, .040 if side > 0 else .032, 10, (0, 0, 1), 1.25), BRASS))
    for side in (1, -1):
        a = lathe([(.001, .10), (.10, .095), (.125, .07), (.13, .02), (.185, .015), (.20, -.01), (.20, -.12)], 32, "x")
        v = a[0] * [side, 1, 1] + [.845 * side, .05, -.05]
        pieces.append((v, face_out(v, a[1]), BRASS))
        for q in range(5):
            p = np.array([.865 * side, .05 + .162 * np.sin(q * 1.2566), -.05 + .162 * np.cos(q * 1.2566)])
            pieces.append((*uv_ball(p, .02, 6, 8), BRASS))
    # a brass band round the shell at the height of the eyes
    az = np.linspace(.84, 2 * np.pi - .84, 97)
    d = np.stack([np.sin(az), np.full(97, .10), np.cos(az)], -1)
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    belt = clay.shoot(np.array([0, .02, -.05]) + 0 * d, d)
    belt[:, 1] = .10
    pieces.append((*tube(belt, .030, 8, (0, 1, 0), 1.3), BRASS))
    s = np.linspace(0, 1, 110)
    base, tip = np.array([.20, .80, -.10]), np.array([.30, 1.17, -.14])
    axis = spline([base, .5 * (base + tip) + [-.02, 0, 0], tip], 110)
    coil = axis + .038 * (1 - .4 * s[:, None]) * np.stack([np.cos(s * 40), 0 * s, np.sin(s * 40)], -1)
    pieces.append((*tube(coil, .0125, 5, (0, 1, 0)), STEEL))
    a = lathe([(.10, -.06), (.10, .0), (.075, .03), (.03, .045), (.001, .045)], 24, centre=base - [0, .0, 0])
    pieces.append((*a, BRASS))
    for x in np.linspace(-1.15, 1.15, 9):
        d = np.array([[np.sin(x), .92, np.cos(x)]])
        d /= np.linalg.norm(d)
        pieces.append((*uv_ball(clay.shoot(np.zeros((1, 3)), d)[0], .020, 6, 8), BRASS))
    b = uv_ball((0, 0, 0), 1., 12, 28)                             # a dark block fills the hinge
    pieces.append((b[0] * [.62, .23, .40] + [0, -.42, -.08], b[1], np.array(STEEL) * .5))
    v, f, c = join(pieces)
    bulb = part("antenna_bulb", *uv_ball(tip + [0, .05, 0], .068, 12, 18), np.array(RED), .5, glow=(.30, .06, .03))
    nv, nf = lathe([(.001, .075), (.040, .07), (.062, .045), (.066, .01), (.095, .0), (.10, -.04)], 24, "z")
    at = np.array([0, -.085, clay.front_z(np.zeros(1), np.array([-.085]))[0]])
    nose = part("nose", nv + at, nf, BRASS, .6, {"nose_wrinkle": np.ones((len(nv), 1)) * [0, .045, .0] + nv * [.15, .15, -.3]})
    return [part("hardware", v, f, c, .55), bulb, nose]


def stand(K):
    rib = [(.25 + .035 * np.cos(i * np.pi), -.62 - .052 * i) for i in range(13)]
    pieces = [(*lathe(rib, 40, centre=(0, 0, -.08)), (.33, .34, .34)),
              (*lathe([(.001, -1.16), (.36, -1.16), (.40, -1.20), (.40, -1.26), (.52, -1.30), (.80, -1.44), (.90, -1.62), (.90, -1.98), (.86, -2.04), (.4, -2.05)], 56,
                      centre=(0, 0, -.08), squash=(1.05, 1, .86)), TEAL),
              (*lathe([(.38, -1.18), (.425, -1.20), (.425, -1.25), (.38, -1.27)], 40, centre=(0, 0, -.08), squash=(1.05, 1, .86)), BRASS)]
    for q in range(14):
        a = q / 14 * 2 * np.pi
        pieces.append((*uv_ball((.86 * 1.05 * np.cos(a), -1.50, -.08 + .86 * .86 * np.sin(a)), .026, 6, 8), BRASS))
    v, f, c = join(pieces)
    return part("stand", v, f, c, .40, body=True)


def robot(K):
    clay = Clay(K.strokes, .0012)
    front = Clay([s for s in K.strokes if s[0] != "hole"] + [("egg", JAW[0], JAW[1] * .93, .05)], 0)      # what the mouth lies on
    L = Lips(depth=front.front_z, **K.lips)
    jaw = jaw_move(K)
    bars, bag, zb, frame = mouth(K, L, front)
    bv, bf, bc = bucket(jaw)
    one = np.ones((len(bv), 1))
    chin = part("jaw", bv, bf, bc, .42, {"jaw_open": jaw(bv), "jaw_forward": one * FORWARD, "jaw_right": -one * SIDEWAYS, "jaw_left": one * SIDEWAYS,
                                         "chin_raise": one * [0, .05, .02], "lips_press": one * [0, .018, .006]})
    teeth, solids = comb(K, L, zb)
    out = [bars, bag, strip(K, L, zb), teeth, shell(K, clay, frame), chin]
    for side in (1, -1):
        k = copy.copy(K)
        k.eye, k.eye_r = EYES[side]
        out += [eyeball(k, side), lid(k, side, True), lid(k, side, False), plate(K, clay, side), cheek(K, clay, side)]
    out += hardware(K, clay) + [stand(K)]
    out[0].update(solids=solids, clay=None, L=L, jaw=K)
    return out, clay
