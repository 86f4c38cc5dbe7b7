"""What sits in and on a head: teeth, tongue, mouth bag, eyes, lids, brows, ears. K is a character, L its lips."""
import numpy as np

from .clay import face_out, grid_faces, join, lumps, outward, part, smooth, spline, tube
from .lips import SA, C, N, S
from .rig import FORWARD, SIDEWAYS, expression, jaw_move

WET, CAVE, GUM, TONGUE = (.50, .19, .19), (.23, .065, .07), (.72, .36, .36), (.86, .47, .46)


def tooth_front(L):
    """Depth of the front of the upper incisors."""
    return float(L.arch(np.zeros(1))[0]) - .118


# ------------------------------------------------------------------ teeth
def superbox(c, yaw, w, h, d, n=7):
    """A rounded box (superellipsoid)."""
    a, b = np.meshgrid(2 * np.pi * np.arange(2 * n) / (2 * n), np.linspace(-np.pi / 2, np.pi / 2, n))
    e = lambda x, p: np.sign(x) * np.abs(x) ** p
    x, z, y = w * e(np.cos(b), .5) * e(np.cos(a), .55), d * e(np.cos(b), .5) * e(np.sin(a), .55), h * e(np.sin(b), .45)
    v = np.stack([x * np.cos(yaw) + z * np.sin(yaw), y, -x * np.sin(yaw) + z * np.cos(yaw)], -1).reshape(-1, 3)
    return v + c, face_out(v, grid_faces(n, 2 * n))


def arch_pos(t, w, depth, z):
    return np.stack([w * np.sin(t), 0 * t, z - depth * (1 - np.cos(t))], -1)


RETREAT = {1: np.array([0, .075, -.10]), -1: np.array([0, -.060, -.10])}     # fully rounded lips hide the teeth


def teeth(K, L):
    rng = np.random.default_rng(7)
    parts, solids = [], []
    zt, q, jaw = tooth_front(L), L.a / .34, jaw_move(K)
    for name, w, depth, z, edge, sgn, size in (
            ("teeth_upper", .322 * q, .34, zt - .035, L.y - .020, 1, [.044, .036, .038, .037, .038]),
            ("teeth_lower", .292 * q, .33, zt - .085, L.y - .030, -1, [.034, .034, .038, .038, .039])):
        tt = np.linspace(0, 1.5, 400)
        arc = np.r_[0, np.cumsum(np.linalg.norm(np.diff(arch_pos(tt, w, depth, z), axis=0), axis=1))]
        pieces, s = [], .004 + (K.tooth_gap if sgn > 0 else 0)
        for k, hw in enumerate(np.array(size) * q):
            t = np.interp(s + hw, arc, tt)
            s += 2 * hw + .003
            hh = (.074, .070, .076, .066, .062)[k]
            for side in (1, -1):
                j = rng.normal(0, 1, 4) * K.tooth_jitter
                c = arch_pos(np.array([side * t]), w, depth, z)[0]
                c[1] = edge + (.006 if k == 1 else 0) * sgn + .003 * j[0] * (k > 0) + sgn * hh
                yaw = side * np.arctan2(depth * np.sin(t), w * np.cos(t)) + .05 * j[1]
                v, f = superbox(c, yaw, hw, hh, .034)
                near = smooth(sgn * (v[:, 1] - c[1]) / hh, .45, 1)[:, None]
                col = np.array(K.ivory) * (1 - .045 * k) * (1 + .012 * j[2]) * (1 - near) + near * np.array([.80, .62, .50])
                pieces.append((v, f, col))
                solids.append((name, c, yaw, hw, hh, .034, RETREAT[sgn]))
        gum = arch_pos(np.linspace(-1.42, 1.42, 33), w, depth, z - .004)
        gum[:, 1] = edge + sgn * (.145 if sgn > 0 else .128)
        pieces.append((*tube(gum, .050, 10, (0, 1, 0), 1.15), GUM))
        v, f, c = join(pieces)
        dark = .28 + .72 * smooth(v[:, 2], zt - .45, zt - .02)
        mo = {"fix_round_teeth": np.broadcast_to(RETREAT[sgn], v.shape)}
        if sgn < 0:
            one = np.ones((len(v), 1))
            mo.update(jaw_open=jaw(v), jaw_forward=one * FORWARD, jaw_right=-one * SIDEWAYS, jaw_left=one * SIDEWAYS)
        parts.append(part(name, v, f, c * dark[:, None], .5, mo))
    return parts, solids


# ------------------------------------------------------------------ tongue
def tongue_poses(y, z):
    """Control points (y, z) from root to tip, tip thickness, width; y is the mouth height, z the teeth."""
    return {"rest": ([(y - .36, .02), (y - .20, .20), (y - .105, .38), (y - .115, z - .21), (y - .132, z - .135)], 1),
            "tongue_tip": ([(y - .36, .02), (y - .20, .20), (y - .105, .37), (y - .065, z - .23), (y + .025, z - .125)], .85),
            "tongue_between_teeth": ([(y - .34, .06), (y - .18, .26), (y - .095, .46), (y - .060, z + .005), (y - .058, z + .185)], .56, .74),
            "tongue_front": ([(y - .36, .05), (y - .18, .27), (y - .075, .46), (y - .100, z - .18), (y - .130, z - .125)], 1),
            "tongue_back": ([(y - .34, -.08), (y - .14, .09), (y - .075, .26), (y - .115, z - .31), (y - .13, z - .22)], 1),
            "tongue_high": ([(y - .36, .02), (y - .12, .20), (y + .015, .39), (y - .055, z - .22), (y - .125, z - .14)], 1),
            "behind": ([(y - .34, .05), (y - .18, .22), (y - .085, .40), (y - .055, z - .24), (y - .040, z - .145)], .62),
            "front_high": ([(y - .36, .05), (y - .12, .26), (y - .000, .42), (y - .055, z - .21), (y - .115, z - .135)], 1)}


def tongue(K, L):
    zt, jaw, q = tooth_front(L), jaw_move(K), L.a / .34
    poses = tongue_poses(L.y, zt)
    M, Kk = 22, 16

    def shape(pose):
        pts, thick, wide = (*poses[pose], 1.)[:3]
        c = spline([(0, y, z) for y, z in pts], M)
        t = np.linspace(0, 1, M)
        round_ = np.sqrt(np.clip(1 - ((t - .55) / .455).clip(0, 1) ** 4.5, 0, 1))
        w = .206 * q * (1 - .14 * smooth(t, .4, .9)) * round_ * (1 + (wide - 1) * smooth(t, .15, .5))
        h = (.085 - .035 * t) * round_ ** .8 * (1 + (thick - 1) * smooth(t, .5, .8))
        tan = np.gradient(c, axis=0)
        tan /= np.linalg.norm(tan, axis=1, keepdims=True)
        nrm = np.stack([0 * t, tan[:, 2], -tan[:, 1]], -1)
        a = 2 * np.pi * np.arange(Kk) / Kk
        ca, sa = np.cos(a), np.sin(a)
        lift = sa * np.where(sa > 0, 1., .75) - .22 * np.exp(-(ca / .28) ** 2) * (sa > 0)       # with a furrow
        v = c[:, None] + ca[None, :, None] * w[:, None, None] * [1, 0, 0] + lift[None, :, None] * h[:, None, None] * nrm[:, None]
        return np.vstack([v.reshape(-1, 3), c[-1] + tan[-1] * .004])
    v = shape("rest")
    i = (M - 1) * Kk + np.arange(Kk)
    f = face_out(v, np.vstack([grid_faces(M, Kk), np.stack([i, np.roll(i, -1), np.full(Kk, M * Kk)], -1)]))
    t = np.r_[np.repeat(np.linspace(0, 1, M), Kk), 1.0]
    tip, body = smooth(t, .25, .95)[:, None], np.exp(-((t - .5) / .28) ** 2)[:, None]
    mo = {p: shape(p) - v for p in poses if p not in ("rest", "behind", "front_high")}
    one = np.ones((len(v), 1))
    rigid, back = jaw(v), shape("behind") - v
    front, high = mo["tongue_front"], mo["tongue_high"]
    mo.update(jaw_open=rigid, fix_tip_jaw=-rigid * tip, fix_between_jaw=-rigid * tip * .78, fix_high_jaw=-rigid * body * .8,
              guard_between_jaw=back - mo["tongue_between_teeth"], guard_between_lips=back - mo["tongue_between_teeth"],
              guard_front_high=shape("front_high") - v - front - high,
              guard_tip_front=-front, guard_tip_high=-high * smooth(t, .35, .75)[:, None],
              guard_between_front=-front, guard_between_high=-high, guard_between_tip=-mo["tongue_tip"],
              jaw_right=-.85 * one * SIDEWAYS, jaw_left=.85 * one * SIDEWAYS, jaw_forward=.6 * one * FORWARD, fix_round_teeth=np.ones((len(v), 1)) * [0, -.13, -.26] * (.4 + .6 * t[:, None]))
    dark = .42 + .58 * smooth(v[:, 2], .10, zt - .20)
    return part("tongue", v, f, np.array(TONGUE) * dark[:, None], .45, mo)


def cavity(K, L, skin_v, skin_m):
    """Dark bag that goes on from the innermost lip ring to the throat."""
    zt, q, jaw = tooth_front(L), L.a / .34, jaw_move(K)
    rows = [skin_v[:N]]
    for hx, hu, hd, z in ((.345, .15, .17, zt - .03), (.372, .22, .24, zt - .13), (.385, .25, .31, zt - .25),
                          (.36, .22, .38, zt - .42), (.26, .12, .36, .12), (.12, .06, .24, .0), (1e-4, 1e-4, 1e-4, -.05)):
        x = hx * q * C
        rows.append(np.stack([x, L.y - .03 + np.where(S >= 0, hu * SA, -hd * SA), z - .9 * np.maximum(0, x * x) * (z > .3)], -1))
    v = np.concatenate(rows)
    f = grid_faces(len(rows), N)
    if outward(v, f):
        f = f[:, ::-1]                                     # seen from within only
    depth, s, sa = np.repeat(np.arange(len(rows)), N), np.tile(S, len(rows)), np.tile(SA, len(rows))
    w = np.where(s < 0, .42 + .58 * sa, .42 * (1 - sa)) * np.interp(depth, [0, 1, 4, 6, 7], [1, 1, .9, .5, .3])
    mo = {}
    for ch, d in skin_m.items():
        dd = jaw(v) * w[:, None] if ch == "jaw_open" else np.zeros_like(v)
        if ch in ("jaw_forward", "jaw_right", "jaw_left"):
            dd = np.broadcast_to(d[:N].mean(0), v.shape) * w[:, None]
        dd[:N] = d[:N]
        if ch.startswith(("lips_", "lip_", "dimple")):
            for k, (fx, floor) in enumerate(((.80, .25), (.50, .32), (.25, .35)), 1):
                sl = slice(k * N, (k + 1) * N)
                inward = np.maximum(0, -np.sign(C) * d[:N, 0]) * fx
                dd[sl, 0] = -np.sign(C) * np.minimum(inward, np.maximum(0, np.abs(v[sl, 0]) - floor * q * np.abs(C)))
                dd[sl, 2] = (.5, .15, 0)[k - 1] * np.maximum(0, d[:N, 2])
        mo[ch] = dd
    shade = np.interp(depth, [0, 1, 2, 4, 7], [1.0, .95, .9, .62, .35])
    return part("mouth_inside", v, f, np.array(CAVE) * shade[:, None], .1, mo)


# ------------------------------------------------------------------ eyes
def eyeball(K, side):
    R, K_ = K.eye_r, 40
    a = 2 * np.pi * np.arange(K_) / K_
    dark, light, edge = K.iris
    ang = np.array([0, .10, .19, .20, .30, .42, .43, .47, .471, .6, .85, 1.2, 1.6, 2.0])
    ang[:9] *= K.iris_size
    col = [(.03, .025, .03)] * 3 + [dark, light, tuple(np.array(dark) * .7), edge, edge] + [K.eye_white] * 6
    v = np.array([[R * np.sin(x) * np.cos(b), R * np.sin(x) * np.sin(b), R * np.cos(x)] for x in ang for b in a])
    return part("eye_" + ("left" if side > 0 else "right"), v, face_out(v, grid_faces(len(ang), K_)), np.repeat(np.array(col), K_, 0), 1.0,
                pivot=np.array(K.eye) * [side, 1, 1])


def lid(K, side, upper):
    """A shell that turns about the eye; all angles in degrees."""
    s, q = ("left" if side > 0 else "right"), K.lid
    cols, rows = 25, np.r_[0, 0, 0, .05, .15, .3, .5, .75, 1]
    rad = np.r_[1.004, 1.04, 1.085, 1.10, 1.10, 1.095, 1.09, 1.085, 1.08] - (0 if upper else .012)
    off = np.r_[2.0, 0., 2.5, 0, 0, 0, 0, 0, 0]
    edge0, far = (q["upper"], 118.) if upper else (q["lower"], -100.)
    u = np.radians(np.linspace(-86, 86, cols))
    tilt, yaw = np.radians(q["tilt"]), np.radians(q["yaw"]) * side

    def shape(rot, droop=q["droop"], sag=0.):
        v = []
        for t, r, o in zip(rows, rad, off):
            e = -4 + (edge0 + rot + 4) * (1 - q["almond"] * (u / 1.5) ** 2) + (o if upper else -o)
            if upper:
                e = e + droop * np.sin(u * side) + sag * np.cos(u)
            ang = np.radians(e + (far - e) * t)
            v.append(K.eye_r * r * np.stack([np.sin(u), np.cos(u) * np.sin(ang), np.cos(u) * np.cos(ang)], -1))
        x, y, z = np.array(v).reshape(-1, 3).T
        x, y = x * np.cos(tilt * side) - y * np.sin(tilt * side), x * np.sin(tilt * side) + y * np.cos(tilt * side)
        x, z = x * np.cos(yaw) + z * np.sin(yaw), -x * np.sin(yaw) + z * np.cos(yaw)
        return np.stack([x, y, z], -1) + np.array(K.eye) * [side, 1, 1]
    v = shape(0)
    D = lambda *a: shape(*a) - v
    mo = {"blink_" + s: D(q["meet"] - edge0 + (-2.5 if upper else 1.), 0.)}
    if upper:
        mo.update({"lid_raise_" + s: D(17), "lid_tighten_" + s: D(-13), "brow_lower_" + s: D(-6), "brow_inner_raise": D(3),
                   "lids_up": D(12), "lids_down": D(-21)})
        mo.update({"fix_blink_raise_" + s: -mo["lid_raise_" + s], "fix_blink_up_" + s: -mo["lids_up"], "fix_blink_down_" + s: -mo["lids_down"]})
    else:
        mo.update({"lid_raise_" + s: D(-6), "lid_tighten_" + s: D(12), "cheek_raise_" + s: D(11), "lip_corner_up_" + s: D(5),
                   "lids_up": D(3), "lids_down": D(-6)})
        mo.update({"fix_blink_raise_" + s: -mo["lid_raise_" + s], "fix_blink_up_" + s: -mo["lids_up"], "fix_blink_down_" + s: -mo["lids_down"]})
    edge = np.repeat(np.array([1., 1., .55, .12, 0, 0, 0, 0, 0]) * (1. if upper else .8) * q["liner"], cols)[:, None]
    col = np.array(K.skin) * [.95, .90, .88] * (1 - edge * .85) + edge * .85 * np.array(q["rim"])
    return part(f"lid_{'upper' if upper else 'lower'}_{s}", v, grid_faces(9, cols, False, flip=not upper), col, .15, mo)


# ------------------------------------------------------------------ brows, ears
def brow(K, clay, side):
    b = K.brow
    x, y = np.array(b["x"]), np.array(b["y"])
    z = clay.front_z(x, y) + b["lift"]
    path = spline(np.stack([x * side, y, z], -1), 16)
    r = np.interp(np.linspace(0, 1, 16), [0, .12, .45, .85, 1], b["r"])
    v, f = tube(path, r, 10, (0, 1, 0), 1.0)
    v = v + lumps(v * 3, b["lumps"])
    gain = lambda k: b["gain"] if k.startswith("brow") else 1
    mo = {k: d * gain(k) for k, d in expression(K, v).items() if k.startswith(("brow", "nose"))}
    return part("brow_" + ("left" if side > 0 else "right"), v, face_out(v, f), b["colour"], .1, mo)


def ear(K, side):
    """A shallow bowl with a rolled rim."""
    q, rows, k = K.ear, 15, 26
    a, t = 2 * np.pi * np.arange(k) / k, np.linspace(0, 1, rows)
    prof = np.array([(.02, .030), (.25, .034), (.45, .040), (.60, .060), (.74, .088), (.88, .096), (.98, .078), (1.04, .045),
                     (1.02, .010), (.94, -.02), (.80, -.03), (.6, -.035), (.4, -.04), (.2, -.04), (.02, -.04)])
    v = []
    for r, d in prof:
        wx = np.where(np.cos(a) > 0, .105, .135) * q["size"][1]          # front narrower
        hy = np.where(np.sin(a) > 0, .215, .205) * q["size"][0]
        lobe = 1 - (.22 - q["lobe"]) * np.exp(-((np.sin(a) + .75) / .35) ** 2)
        out = d * q["size"][1] + 0 * a + .04 * r * np.maximum(0, -np.cos(a))
        v.append(np.stack([out, hy * r * np.sin(a) - q["lobe"] * .12 * r * (np.sin(a) < -.6), wx * r * np.cos(a) * lobe], -1))
    v = np.array(v).reshape(-1, 3)
    th = np.radians(q["out"])
    x, y, z = v.T
    v = np.stack([x * np.cos(th) - z * np.sin(th), y, x * np.sin(th) + z * np.cos(th)], -1) + q["at"]
    v = v + lumps(v, .004)
    v[:, 0] *= side
    col = np.array(K.skin) * q["tint"] * np.repeat(np.interp(t, [0, .2, .35, 1], [.86, .95, 1, 1]), k)[:, None]
    return part("ear_" + ("left" if side > 0 else "right"), v, face_out(v, grid_faces(rows, k)), col, .15)
