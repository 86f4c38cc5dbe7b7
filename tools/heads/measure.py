"""Checks of one character: lip seal, crossings, lips and tongue in teeth, lids, folds."""
import json

import numpy as np

from glyphos.characters.poses import POSES

from . import parts as anatomy
from .build import build
from .cast import CAST
from .clay import Clay
from .lips import BACK, FRONT, SA, Lips, N
from .rig import CHANNELS, FORWARD, SIDEWAYS, jaw_move, weights

ROUND = lambda ch: min(1., max(0., 2.5 * ch.get("lips_round", 0) - 1.5))
# everything that must not open the mouth
QUIET = [c for c in CHANNELS if c not in ("lips_part", "lip_to_teeth") and not c.startswith(("head", "gaze"))]


def teeth_of(name):
    """A character and its teeth as solids, without building the rest of a person."""
    K = CAST[name]()
    if K.kind != "human":
        K, made = build(name, light=False)
        return K, made[0]["solids"]
    return K, anatomy.teeth(K, Lips(depth=Clay(K.strokes).front_z, **K.lips))[1]


def posed(p, ch):
    v = p["vertices"].astype(float).copy()
    for k, w in weights(ch).items():
        if w and k in p["morphs"]:
            v += w * p["morphs"][k]
    return v


def in_teeth(p, K, solids, ch):
    """Deepest penetration (in units) of points p into any tooth (superellipsoids, the lower row moved with the jaw)."""
    worst, jaw = 0., ch.get("jaw_open", 0)
    move = jaw_move(K)
    for name, c, yaw, w, h, d, retreat in solids:
        low = name == "teeth_lower"
        at = c + ROUND(ch) * retreat
        a = 0.
        if low:
            at = at + jaw * move(c[None])[0] + ch.get("jaw_forward", 0) * FORWARD - ch.get("jaw_side", 0) * SIDEWAYS
            a = np.radians(K.jaw_deg) * jaw
        q = p - at
        y, z = q[:, 1] * np.cos(a) + q[:, 2] * np.sin(a), -q[:, 1] * np.sin(a) + q[:, 2] * np.cos(a)
        x, z = q[:, 0] * np.cos(yaw) - z * np.sin(yaw), q[:, 0] * np.sin(yaw) + z * np.cos(yaw)
        F = ((np.abs(x / w) ** 3.64 + np.abs(z / d) ** 3.64) ** 1.17 + np.abs(y / h) ** 4.25) ** .235
        worst = max(worst, float(((1 - F) * min(w, d)).max()))
    return worst


def crossings(V):
    """Pairs of spokes whose upper and lower lip profiles cut each other (in the y-z plane)."""
    n = 0
    for i in range(1, N // 2):
        if SA[i] < .2:
            continue
        u, l = V[2:8, i][:, [2, 1]], V[2:8, N - i][:, [2, 1]]
        a, b, c, d = u[:-1, None], u[1:, None], l[None, :-1], l[None, 1:]
        x = lambda p, q: p[..., 0] * q[..., 1] - p[..., 1] * q[..., 0]
        den = x(b - a, d - c)
        den = np.where(np.abs(den) < 1e-12, np.nan, den)
        t, s = x(c - a, d - c) / den, x(c - a, b - a) / den
        e = 2e-3                                           # touching at the seam is not crossing
        n += bool(((t > e) & (t < 1 - e) & (s > e) & (s < 1 - e)).any())
    return n


def tongue_out(tongue, V, ch):
    """How far the tongue stands in front of the inner seam (0 when it stays behind closed lips)."""
    v = posed(tongue, ch)
    i = np.arange(1, N // 2)
    near = np.abs(v[:, 0][:, None] - V[BACK, i, 0][None]).argmin(1)
    return float(max(0, (v[:, 2] - V[BACK, i[near], 2]).max()))


def report(K, parts, seed=1, trials=1500):
    by = {p["name"]: p for p in parts}
    lipm, rng = parts[0], np.random.default_rng(seed)
    solids, W, i = lipm["solids"], 2 * K.lips["a"], np.arange(1, N // 2)
    mm = 100.                                              # one unit is 10 cm
    tongue = by["tongue"]

    def rand(extra, names=QUIET, density=.30):
        ch = {}
        for k in names:
            if rng.random() < density:
                ch[k] = rng.random() ** .5 * (rng.choice([-1, 1]) if CHANNELS[k][0] < 0 else 1)
        return {**ch, **extra}
    lipv = lambda ch: posed_lips(ch)

    def posed_lips(ch):
        v = lipm["vertices"][:8 * N].copy()
        for k, w in weights(ch).items():
            if w and k in lipm["morphs"]:
                v += w * lipm["morphs"][k][:8 * N]
        return v.reshape(8, N, 3)
    gap = lambda V: max(np.linalg.norm(V[k, i] - V[k, N - i], axis=1).max() for k in (BACK, FRONT))
    signed = [k for k in QUIET if CHANNELS[k][0] < 0]
    sets = [{}] + [{k: 1.} for k in QUIET] + [{k: -1.} for k in signed] + [{a: 1., b: 1.} for a in QUIET for b in QUIET if a < b] + \
        [{s: -1., b: 1.} for s in signed for b in QUIET if b != s]
    sets += [rand({"lips_part": 0.}) for _ in range(trials)]
    worst = max((gap(lipv(c)) / W, json.dumps(c)) for c in sets)
    print("  closed: worst gap %.4f %% of mouth width in %d combinations  %s" % (100 * worst[0], len(sets), worst[1] if worst[0] > 1e-4 else ""))
    worst = min(((lambda V: (V[FRONT, i, 1] - V[FRONT, N - i, 1]).min())(lipv(c)) / W, json.dumps(c)) for c in
                [rand({"lips_part": rng.random(), "lip_to_teeth": rng.choice([0, 0, rng.random(), 1.])}) for _ in range(trials)])
    print("  any: smallest signed gap %+.4f %% of mouth width  %s" % (100 * worst[0], worst[1] if worst[0] < -1e-4 else ""))
    print("  pose         gap%W  width%  cross  lip in teeth(mm)  tongue in teeth(mm)  protrusion(mm)")
    rest = lipv({})
    for n, t in POSES.items():
        ch = dict(t)
        V = lipv(ch)
        if n in "mɑiuofʃθl" or n in ("grin", "smile", "sealed jaw", "puff", "thrust", "rest"):
            print("  %-11s %5.1f  %5.1f  %4d   %8.2f   %12.2f   %14.1f" % (
                n, 100 * (V[FRONT, i, 1] - V[FRONT, N - i, 1]).max() / W, 100 * (V[3, 0, 0] - V[3, N // 2, 0]) / W, crossings(V),
                mm * in_teeth(V.reshape(-1, 3), K, solids, ch), mm * in_teeth(posed(tongue, ch), K, solids, ch), mm * (V[5, N // 4, 2] - rest[5, N // 4, 2])))
    bad, deep, licks, out = 0, [], [], []
    tong = ["jaw_open", "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high", "lips_round"]
    for _ in range(200):
        ch = rand({"lips_part": rng.random() * rng.choice([0, 1]), "lip_to_teeth": rng.choice([0, 0, 1.])})
        V = lipv(ch)
        bad += crossings(V) > 0
        deep.append((mm * in_teeth(posed(lipm, ch)[:24 * N] if K.kind == "human" else V.reshape(-1, 3), K, solids, ch),
                     json.dumps({k: round(float(x), 2) for k, x in ch.items() if not k.startswith(("brow", "lid_", "blink", "tongue"))})))
        ch = rand({"lips_part": rng.random()}, tong, .6)
        licks.append((mm * in_teeth(posed(tongue, ch), K, solids, ch), json.dumps({k: round(float(x), 2) for k, x in ch.items()})))
        ch = rand({"lips_part": 0.}, tong, .6)
        out.append(mm * tongue_out(tongue, lipv(ch), ch))
    print("  random 200: %d with crossing profiles; lip in teeth median %.2f, 95th %.2f, worst %.2f mm %s" % (
        bad, np.median([a for a, _ in deep]), np.percentile([a for a, _ in deep], 95), *max(deep)))
    print("  tongue in teeth, random 200: median %.2f, 95th %.2f, worst %.2f mm %s" % (
        np.median([a for a, _ in licks]), np.percentile([a for a, _ in licks], 95), *max(licks)))
    print("  tongue before the inner seam with lips shut, random 200: worst %.2f mm" % max(out))
    for s in ("left", "right"):
        gaps = []
        for ch in ({}, {"lid_raise_" + s: 1.}, {"gaze_pitch": 20.}, {"gaze_pitch": -22.}, {"lid_tighten_" + s: 1., "cheek_raise_" + s: 1.}):
            up, lo = (posed(by[f"lid_{k}_{s}"], {**ch, "blink_" + s: 1.})[25:50, 1] for k in ("upper", "lower"))
            gaps.append(mm * (up - lo)[3:-3].max())
        print("  blink_%s: lids overlap by at least %.1f mm in 5 states (negative = open)" % (s, -max(gaps)))
    if lipm.get("clay"):
        v, f = lipm["vertices"], lipm["faces"]
        fn, c = np.cross(v[f[:, 1]] - v[f[:, 0]], v[f[:, 2]] - v[f[:, 0]]), v[f].mean(1)
        face = f.min(1) >= 8 * N
        e = np.sort(np.concatenate([f[:, [0, 1]], f[:, [1, 2]], f[:, [2, 0]]]), axis=1)
        print("  skin: %d of %d triangles folded against the clay, open edges %d" % (
            ((fn * lipm["clay"].gradient(c)).sum(1)[face] < 0).sum(), face.sum(), (np.unique(e, axis=0, return_counts=True)[1] == 1).sum()))
