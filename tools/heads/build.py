"""A character from its numbers: skin over clay, what sits in and on it, and light that cannot reach."""
import numpy as np

from . import parts as anatomy
from . import props
from .cast import CAST
from .clay import Clay, blob, cotan, face_out, grid_faces, normals, part, smooth, throw
from .lips import BORDER, Lips, N
from .rig import skin_morphs


# ------------------------------------------------------------------ a person
def skin_mesh(K, clay, L):
    lip = L.rings()
    border = lip[BORDER].copy()
    border[:, 2] = clay.front_z(border[:, 0], border[:, 1])
    dz = border[:, 2] - lip[BORDER, :, 2]                  # sit the whole lip on the traced surface
    lip[:, :, 2] += dz * (L.out.clip(0, 1) ** 1.2)[:, None]
    lip[BORDER] = border
    p = throw(clay, border, K.face_rings, K.dense, K.pole)
    v = np.vstack([np.concatenate([lip, p]).reshape(-1, 3), p[-1].mean(0)])
    rows = 8 + K.face_rings
    last = (rows - 1) * N + np.arange(N)
    f = np.vstack([grid_faces(rows, N, flip=True), np.stack([np.roll(last, -1), last, np.full(N, len(v) - 1)], -1)])
    return v, face_out(v, f)


def skin_colour(K, L, v):
    c = np.tile(np.array(K.skin), (len(v), 1))

    def mix(w, col):
        nonlocal c
        c = c * (1 - w[:, None]) + np.array(col) * w[:, None]
    if K.stubble:
        col, k = K.stubble
        beard = smooth(-v[:, 1] - .55 * (v[:, 2] - .7), .24, .46) * smooth(v[:, 1], -1.28, -1.08) * smooth(v[:, 2], -.06, .16)
        speck = .88 + .12 * np.sin(v[:, 0] * 83 + 9 * v[:, 1]) * np.sin(v[:, 1] * 97)
        mix(k * beard * speck * smooth(np.abs(v[:, 0]) + (v[:, 1] < -.45) + (v[:, 1] < L.y), .02, .1), col)
    for k, at, r, col in K.dabs:
        for s in ((1, -1) if at[0] else (1,)):
            mix(k * blob(v, (at[0] * s, at[1], at[2]), r), col)
    back = smooth(-v[:, 2], .10, .22) * smooth(v[:, 1] - .25 * v[:, 2], .06, .16) + smooth(v[:, 1] + .5 * v[:, 2], 1.14, 1.2)
    mix(np.clip(back, 0, 1), np.array(K.hair_colour) * .72)
    lip = np.array(K.lip_colour)
    wet = np.array(anatomy.WET)
    tone = [wet * .45, wet * .6, wet, lip * .62, lip * .95, lip, lip, lip * .55 + c[BORDER * N:(BORDER + 1) * N].mean(0) * .45]
    for j in range(8):
        c[j * N:(j + 1) * N] = tone[j]
    return c


def human(K):
    clay, sides = Clay(K.strokes), (1, -1)
    L = Lips(depth=clay.front_z, **K.lips)
    v, f = skin_mesh(K, clay, L)
    m = skin_morphs(K, L, v, f)
    tt, solids = anatomy.teeth(K, L)
    out = [part("skin", v, f, skin_colour(K, L, v), .16, m), anatomy.cavity(K, L, v, m), *tt, anatomy.tongue(K, L)]
    out += [anatomy.eyeball(K, s) for s in sides] + [anatomy.lid(K, s, u) for s in sides for u in (True, False)]
    out += [anatomy.brow(K, clay, s) for s in sides] + [anatomy.ear(K, s) for s in sides]
    for name in K.wears:
        fn = getattr(props, name)
        out.append(fn(K, clay) if fn.__code__.co_argcount == 2 else fn(K))
    out[0].update(solids=solids, clay=clay, L=L, jaw=K)
    return out, clay


def build(name, light=True):
    K = CAST[name]()
    if K.kind == "human":
        made, clay = human(K)
    else:
        from . import robot
        made, clay = robot.robot(K)
    for p in made:
        for k in list(p["morphs"]):
            if np.abs(p["morphs"][k]).max() < 3e-4:
                del p["morphs"][k]
    if light:
        occlusion(made, clay)
    return K, made


# ------------------------------------------------------------------ light that cannot reach
INNER = ("teeth_upper", "teeth_lower", "tongue", "mouth_inside")
THIN = ("skin", "spectacles", "brow", "mouth")


def occlusion(parts, clay):
    """Sky visibility per vertex: 48 rays through a voxel model of everything at rest."""
    lo, h, dim = np.array([-1.4, -2.25, -1.5]), .03, np.array([94, 122, 100])
    g = np.stack(np.meshgrid(*[lo[k] + h * (np.arange(dim[k]) + .5) for k in range(3)], indexing="ij"), -1)
    solid = (clay(g.reshape(-1, 3)) < -.012).reshape(dim)
    for p in parts:
        if p["name"] in INNER or p["name"].startswith(THIN):
            continue
        tri = (p["vertices"] + p.get("pivot", 0))[p["faces"]]
        for w in ((.33, .33, .34), (.7, .15, .15), (.15, .7, .15), (.15, .15, .7)):
            i = np.floor((np.einsum("nkj,k->nj", tri, w) - lo) / h).astype(int)
            solid[tuple(i[((i >= 0) & (i < dim)).all(1)].T)] = True
    k = np.arange(48) + .5
    ph, az = np.arccos(1 - 2 * k / 48), np.pi * (1 + 5 ** .5) * k
    dirs = np.stack([np.cos(az) * np.sin(ph), np.sin(az) * np.sin(ph), np.cos(ph)], -1)
    for p in parts:
        v, n = p["vertices"] + p.get("pivot", 0), normals(p["vertices"], p["faces"])
        if p["name"] in INNER or "glow" in p:
            p["ao"] = np.ones(len(v))
            continue
        tot, vis = np.zeros(len(v)), np.zeros(len(v))
        for d in dirs:
            w = np.maximum(n @ d, 0) * (1 + .35 * d[1])
            free = np.ones(len(v))
            for s in (1.6, 2.4, 3.4, 4.8, 6.5, 9, 12, 16, 21):
                i = np.floor((v + n * .035 + d * s * h * .8 - lo) / h).astype(int)
                ok = ((i >= 0) & (i < dim)).all(1)
                hit = np.zeros(len(v), bool)
                hit[ok] = solid[tuple(i[ok].T)]
                free[hit] = np.minimum(free[hit], min(1, (s - 1) / 24))
            tot += w
            vis += w * free
        ao = vis / np.maximum(tot, 1e-6)
        if p["name"] == "skin":                           # smooth on the mesh, spare the lips
            Lap, _ = cotan(v, p["faces"])
            for _ in range(4):
                ao = ao - .5 * (Lap @ ao) / Lap.diagonal()
            m = np.clip(ao[10 * N:11 * N], 0, 1)
            ao[:8 * N] = (np.array([.45, .5, .55, .72, .9, 1, 1, 1])[:, None] * np.maximum(m, .82)[None]).ravel()
        if p["name"].startswith("ear"):
            ao = .6 * ao + .4
        p["ao"] = np.clip(ao, 0, 1)
