"""Channels, drivers, and what every channel does to lips and skin."""
import numpy as np
from scipy.spatial import cKDTree

from glyphos.characters.channels import SIDES, face_channels
from glyphos.characters.head import Rig

from .clay import Spread, blob, cotan, line_distance, smooth
from .lips import BORDER, FRONT, LOW, PAIR, SA, UP, N, S

CHANNELS = {c.name: (c.low, c.high, c.au) for c in face_channels().values()}

# Signed channels: channel -> [(target, gain)], weight = max(0, value*gain).
SPLIT = {"lips_wide": [("lips_wide", 1), ("lips_narrow", -1)], "tongue_front": [("tongue_front", 1), ("tongue_back", -1)],
         "jaw_side": [("jaw_right", 1), ("jaw_left", -1)], "gaze_pitch": [("lids_up", 1 / 25), ("lids_down", -1 / 25)]}
# Nodes turned by channels, in degrees about an axis (right-handed); applied yaw * pitch * roll.
NODES = {"gaze_yaw": (["eye_left", "eye_right"], [0, -1, 0]), "gaze_pitch": (["eye_left", "eye_right"], [-1, 0, 0]),
         "head_yaw": (["head"], [0, -1, 0]), "head_pitch": (["head"], [-1, 0, 0]), "head_roll": (["head"], [0, 0, 1])}
# Correctives: weight = product of clamp(a*x+b, 0, 1)**p over factors (channel, a, b, p).
x1 = lambda ch: (ch, 1, 0, 1)
FREE, NOT_BETWEEN = ("lip_to_teeth", -1, 1, 1), ("tongue_between_teeth", -1, 1, 1)
SHUT, JAW_UP, JAW_OFF = ("lips_part", -3.4, 1, 1), ("jaw_open", -5, 1, 1), ("jaw_open", 5, 0, 1)
DRIVERS = {
    "fix_seal_jaw": [x1("jaw_open"), ("lips_part", -1, 1, 2)],
    "fix_seal_raise": [x1("upper_lip_raise"), ("lips_part", -4, 1, 1)],
    "fix_seal_lower": [x1("lower_lip_lower"), ("lips_part", -4, 1, 1)],
    "fix_round_part": [x1("lips_round"), x1("lips_part"), FREE],
    "fix_round_jaw": [x1("lips_round"), x1("jaw_open"), x1("lips_part"), FREE],
    "fix_round_teeth": [("lips_round", 2.5, -1.5, 1)],
    "fix_teeth_jaw": [x1("lip_to_teeth"), x1("jaw_open")],
    "fix_teeth_seal": [x1("lip_to_teeth"), x1("jaw_open"), ("lips_part", -1, 1, 2)],
    "fix_teeth_part": [x1("lip_to_teeth"), x1("lips_part")],
    "fix_teeth_round": [x1("lip_to_teeth"), x1("lips_round")],
    "fix_teeth_press": [x1("lip_to_teeth"), x1("lips_press")],
    "fix_tip_jaw": [x1("tongue_tip"), x1("jaw_open"), NOT_BETWEEN],
    "fix_high_jaw": [x1("tongue_high"), x1("jaw_open"), NOT_BETWEEN, ("tongue_tip", -1, 1, 1)],
    "fix_between_jaw": [x1("tongue_between_teeth"), x1("jaw_open")],
    "guard_between_jaw": [x1("tongue_between_teeth"), JAW_UP],               # the tip waits behind the teeth
    "guard_between_lips": [x1("tongue_between_teeth"), JAW_OFF, SHUT],
    "guard_front_high": [("tongue_front", 1, 0, 1), x1("tongue_high"), NOT_BETWEEN, ("tongue_tip", -1, 1, 1)],
    "guard_tip_front": [x1("tongue_tip"), ("tongue_front", 1, 0, 1), NOT_BETWEEN],
    "guard_tip_high": [x1("tongue_tip"), x1("tongue_high"), NOT_BETWEEN],
    "guard_between_front": [x1("tongue_between_teeth"), ("tongue_front", 1, 0, 1)],
    "guard_between_high": [x1("tongue_between_teeth"), x1("tongue_high")],
    "guard_between_tip": [x1("tongue_between_teeth"), x1("tongue_tip")],
}
for _s in SIDES:                                     # a blink meets whatever the lids were doing
    DRIVERS[f"fix_blink_raise_{_s}"] = [x1("blink_" + _s), x1("lid_raise_" + _s)]
    DRIVERS[f"fix_blink_up_{_s}"] = [x1("blink_" + _s), ("gaze_pitch", 1 / 25, 0, 1)]
    DRIVERS[f"fix_blink_down_{_s}"] = [x1("blink_" + _s), ("gaze_pitch", -1 / 25, 0, 1)]


RIG = Rig({k: tuple(v) for k, v in SPLIT.items()}, {k: tuple(v) for k, v in DRIVERS.items()}, {k: (tuple(n), tuple(a)) for k, (n, a) in NODES.items()})


def weights(channels):
    """Channel values -> weights of the morph targets, as the application computes them."""
    return RIG.weights(channels)


def turn(p, axis, deg, pivot=(0, 0, 0)):
    """Rodrigues rotation of points."""
    k, a, q = np.asarray(axis, float), np.radians(deg), p - np.asarray(pivot)
    return q * np.cos(a) + np.cross(k, q) * np.sin(a) + np.outer(q @ k, k) * (1 - np.cos(a)) + np.asarray(pivot)


def jaw_move(K):
    """Displacement of anything that is fixed to the lower jaw, fully open."""
    return lambda p: turn(p, (1, 0, 0), K.jaw_deg, K.hinge) - p + np.asarray(K.jaw_glide)


FORWARD, SIDEWAYS = np.array([0, 0, .095]), np.array([.155, 0, 0])


# ------------------------------------------------------------------ lips
def lip_targets(L):
    """Lip deltas (8, N, 3) of every channel that shapes the lips."""
    rest = L.rings()
    P = lambda **kw: L.rings(**kw) - rest
    upper, lower = UP[None, :, None] * 1., LOW[None, :, None] * 1.
    D = {"lips_part": P(ou=.045, ol=.095),
         "lips_wide": P(a=1.24, hu=.88, hl=.86, roll=.92),
         "lips_narrow": P(a=.76, hu=1.05, hl=1.05),
         "lips_round": P(a=.34, wave=.15, push=.195, hu=1.42, hl=1.12, roll=1.25, fu=-.15, fl=-.15),
         "fix_round_part": P(a=.90, ou=.105, ol=.085, push=.03),
         "fix_round_jaw": P(a=1.52, ou=-.065, ol=-.17),
         "lips_press": P(a=1.05, wave=.45, hu=.22, hl=.26, roll=.42, back=-.045, corner_z=-.02),
         "lip_tighten": P(a=.90, wave=.5, hu=.55, hl=.55, roll=.75, push=.012),
         "lip_stretch": P(a=1.20, hu=.74, hl=.78, roll=.8, corner_y=-.03, corner_z=-.02),
         "chin_raise": P(dy=.038, hl=1.12, hu=.90, push=.022, corner_y=-.030, fl=.22),
         "cheeks_puff": P(push=.03, hu=1.05, hl=1.05),
         "upper_lip_raise": P(ou=.10, fu=.10) * upper,
         "lower_lip_lower": P(ol=.11, fl=.10) * lower}
    for side, c, e in (("left", "cl", "el"), ("right", "cr", "er")):
        D["lip_corner_up_" + side] = P(**{c: (.070, .125, -.035), e: 1.})
        D["lip_corner_down_" + side] = P(**{c: (.012, -.105, -.012), e: .5})
        D["dimple_" + side] = P(**{c: (.050, .012, -.050), e: .6})
    # lower lip under the upper teeth: back and in, thickness kept in front of the lower teeth
    d = P(ou=.066, ol=.006, hl=.85, fu=.06)
    ratio = np.array([.0, .10, .62, 1, 1, .90, .65, .40])[:, None]
    d[..., 2] -= lower[..., 0] * ratio * .100 * SA ** .6
    D["lip_to_teeth"] = d
    return D


def jaw_lips(L, V, jaw):
    """Lip deltas of the jaw: open, sealed (both seam points alike), forward, to the right."""
    rz = jaw(V.reshape(-1, 3)).reshape(8, N, 3)
    w = np.where(S >= 0, .47 * (1 - SA ** .8), .47 + .53 * SA ** .8)
    w[0] = w[N // 2] = .47
    open_ = w[None, :, None] * rz + L.rings(a=.93, hl=1.02) - L.rings()
    o = L.out.clip(0, 1)[:, None]
    ws = .24 + o * np.where(LOW, .26 * SA, -.08 * SA)[None]
    sealed = ws[..., None] * (.5 * rz[FRONT] + .5 * rz[FRONT][PAIR])[None]
    slide = (.55 + o * np.where(LOW, .34 * SA, -.28 * SA)[None])[..., None]
    return dict(jaw_open=open_, sealed=sealed, jaw_forward=slide * FORWARD, jaw_right=-slide * SIDEWAYS, jaw_left=slide * SIDEWAYS)


def lip_fixes(L, D, J):
    """Correctives in the lips: they undo an opening at the seam, or hold the lower lip at the teeth."""
    upper, lower = UP[None, :, None] * 1., LOW[None, :, None] * 1.
    keep = np.array([1, 1, 1, 1, .97, .80, .45, .15])[:, None, None]

    def hold(d, amount=1., corner=0., mask=lower):
        w = np.array([.8, .9, 1, 1, 1, .95, .75, .5])[:, None, None] * (corner + (1 - corner) * SA ** .35)[None, :, None]
        return -amount * d * w * mask
    return {"fix_seal_raise": -D["upper_lip_raise"] * keep * upper, "fix_seal_lower": -D["lower_lip_lower"] * keep * lower,
            "fix_teeth_jaw": hold(J["jaw_open"], corner=.8, mask=1.), "fix_teeth_seal": hold(J["sealed"] - J["jaw_open"], corner=.8, mask=1.),
            "fix_teeth_press": -D["lips_press"] * [0, 0, 1.], "fix_teeth_part": hold(D["lips_part"]), "fix_teeth_round": hold(D["lips_round"] * [0, 0, 1.], .9)}


# ------------------------------------------------------------------ fields of place: both sides of the seam always agree
def expression(K, p):
    """Displacement of points p for expression channels; names with _ are ingredients."""
    out, m, a = {}, K.marks, np.array
    mirror = lambda c, k: a(c) * [k, 1, 1]
    (ex, ey, ez), er = K.eye, K.eye_r
    rim = ez + .62 * er
    bi, bm, bo = m["brow_in"], m["brow_mid"], m["brow_out"]
    out["brow_inner_raise"] = sum(blob(p, mirror(bi, k), (.17, .26, .5)) for k in (1, -1))[:, None] * [0, .095 * K.brow_rise, 0]
    for side, k in zip(SIDES, (1, -1)):
        sx = a([k, 1, 1.])
        B = lambda c, r: blob(p, mirror(c, k), r)[:, None]
        out["brow_outer_raise_" + side] = B(bo, (.23, .32, .6)) * [0, .10 * K.brow_rise, .01]
        out["brow_lower_" + side] = B(bm, (.20, .17, .5)) * (a([-.035, -.075, .02]) * sx) + B(bi, (.12, .15, .5)) * (a([-.02, -.055, .03]) * sx)
        under = B((ex + .02, ey - 1.10 * er, rim), (.20, .09, .3))
        over = B((ex, ey + 1.12 * er, rim), (.21, .09, .3))
        crow = B((ex + 1.15 * er, ey - .02, ez), (.10, .14, .25))
        cheek = B(m["cheek"], (.22, .17, .4))
        out["cheek_raise_" + side] = cheek * (a([.015, .065, .050]) * sx) + under * [0, .022, .014] + crow * (a([-.022, .0, .006]) * sx)
        out["lid_tighten_" + side] = under * [0, .034, .020] + over * [0, -.018, .008] + crow * (a([-.018, 0, .006]) * sx)
        out["lid_raise_" + side] = over * [0, .022, -.008]
        out["blink_" + side] = over * [0, -.020, .006] + under * [0, .010, .006]
        out["_puff_" + side] = B(m["puff"], (.23, .24, .36)) * (a([.185, .012, .105]) * sx)
        # smile: the cheek gathers above a soft fold that runs from the wing of the nose round the corner
        line = [mirror(c, k) for c in m["fold"]]
        d = line_distance(p, line)
        body = smooth(-p[:, 1], -m["fold"][0][1] - .10, -m["fold"][0][1] + .06) * smooth(p[:, 1], m["fold"][-1][1] - .12, m["fold"][-1][1] + .10)
        crease = (np.exp(-(d / .052) ** 2) * body * (p[:, 2] > .2))[:, None]
        inner = blob(p, mirror(m["corner"], k), (.10, .09, .25))[:, None]
        out["_smile_" + side] = B(m["smile_cheek"], (.20, .17, .4)) * (a([.030, .052, .070]) * sx) + crease * (a([-.012, .004, -.034]) * sx)
        out["_dimple_" + side] = crease * (a([.0, 0, -.018]) * sx) + inner * (a([-.012, 0, -.040]) * sx)
        out["_down_" + side] = B((abs(m["corner"][0]) + .02, m["corner"][1] - .20, m["corner"][2]), (.10, .10, .3)) * (a([.01, -.01, .018]) * sx)
    wing = sum(blob(p, mirror(m["wing"], k), (.11, .12, .2)) for k in (1, -1))
    flank = sum(blob(p, mirror(m["flank"], k), (.10, .16, .3)) for k in (1, -1))
    out["nose_wrinkle"] = wing[:, None] * [0, .05, .01] + blob(p, m["root"], (.13, .16, .3))[:, None] * [0, -.03, .03] \
        + flank[:, None] * [0, .03, .025] + .5 * (out["brow_lower_left"] + out["brow_lower_right"])
    boss = blob(p, m["chin"], (.20, .13, .3))[:, None]
    out["chin_raise"] = boss * [0, .060, .022]
    out["_press"] = boss * [0, .052, .020] + .9 * (out["_dimple_left"] + out["_dimple_right"])
    return out


# ------------------------------------------------------------------ the skin
def skin_morphs(K, L, v, f):
    """Morph deltas of the skin: lips from the lip model, the rest carried smoothly or by fields of place."""
    V, n = v[:8 * N].reshape(8, N, 3), len(v)
    jaw = jaw_move(K)
    D = lip_targets(L)
    J = jaw_lips(L, V, jaw)
    Lap, area = cotan(v, f)
    lip = np.arange(n) < 8 * N
    dist = cKDTree(V[BORDER]).query(v)[0]
    dist[lip] = 0
    under = np.clip((v[:, 1] - L.y - .23) / .22, 0, 1)        # the held nose narrows towards the lip, or rounding tears a crease beside it
    nose = (np.abs(v[:, 0]) < K.nose_half * (.30 + .70 * under)) & (v[:, 1] > L.y + .23) & ~lip
    spread = Spread(Lap, area, lip | (dist > .66) | (nose & (dist > .13)) | (v[:, 1] < L.y - .49))
    chin = (v[:, 1] < L.y - .30) & (v[:, 2] > .42) & (np.abs(v[:, 0]) < K.chin_half)
    still = (v[:, 1] > L.y + .34) | (v[:, 2] < -.12) | (nose & (dist > .06)) | ((v[:, 1] < K.throat[0]) & (v[:, 2] < K.throat[1]))
    jaw_spread = Spread(Lap, area, lip | chin | (still & ~lip & ~chin))

    def full(d8, solve=spread, on_chin=None):
        d = np.zeros((n, 3))
        if on_chin is not None:
            d[chin] = on_chin
        d[:8 * N] = d8.reshape(-1, 3)
        return solve(d)
    X = expression(K, v)
    M = {ch: full(d) for ch, d in {**D, **lip_fixes(L, D, J)}.items()}
    M["jaw_open"] = full(J["jaw_open"], jaw_spread, jaw(v)[chin])
    M["fix_seal_jaw"] = full(J["sealed"], jaw_spread, jaw(v)[chin]) - M["jaw_open"]
    for name, by in (("jaw_forward", FORWARD), ("jaw_right", -SIDEWAYS), ("jaw_left", SIDEWAYS)):
        M[name] = full(J[name], jaw_spread, by)
    for side in SIDES:
        M["lip_corner_up_" + side] += X["_smile_" + side]
        M["dimple_" + side] += X["_dimple_" + side]
        M["lip_corner_down_" + side] += X["_down_" + side]
    calm = 1 - .85 * blob(v, (0, L.y, v[:8 * N, 2].max()), (2.0 * L.a, .14, .9))[:, None]      # puffed cheeks leave the mouth its width
    push = (X["_puff_left"] + X["_puff_right"]) * calm
    M["lips_press"] += X["_press"]
    M["cheeks_puff"] += push
    M["lips_round"] += .14 * push            # rounding must not suck the cheek onto the teeth,
    M["lips_wide"] += .16 * push             # and a wide mouth pushes it out
    M["lip_stretch"] += .10 * push
    for ch, d in X.items():
        if not ch.startswith("_"):
            M[ch] = M.get(ch, 0) + d
    return M
