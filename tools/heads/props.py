"""Hair, clothes and things: what the characters wear. Every function returns one part."""
import numpy as np
from scipy.ndimage import gaussian_filter1d

from .clay import face_out, grid_faces, join, lathe, lumps, part, spline, tube, uv_ball

shade = lambda c, k: np.clip(np.array(c) * k, 0, 1)


# ------------------------------------------------------------------ Mabel
def strand_hair(K, clay):
    """Combed-back clay strands over a cap of the same clay, a low bun, and a pencil through it."""
    rng, bun, grey = np.random.default_rng(3), np.array([0, -.10, -1.10]), K.hair_colour
    # the cap below closes every gap between strands
    rows, k = 12, 44
    az = 2 * np.pi * np.arange(k) / k
    low = np.interp(np.abs(((az - np.pi / 2 + np.pi) % (2 * np.pi)) - np.pi), [0, .6, 1.2, 1.75, np.pi], [.84, .80, .52, .20, .02])
    d = []
    for t in np.linspace(.02, 1, rows):
        el = np.pi / 2 - (np.pi / 2 - low) * t
        d.append(np.stack([np.cos(el) * np.cos(az), np.sin(el), np.cos(el) * np.sin(az)], -1))
    d = np.concatenate(d)
    v = clay.shoot(np.array([0, .30, -.15]) + 0 * d, d)
    v = v + d * np.repeat(np.interp(np.linspace(0, 1, rows), [0, .85, 1], [.034, .030, -.03]), k)[:, None]
    f = grid_faces(rows, k)
    f = np.vstack([f, np.stack([np.arange(1, k - 1), np.arange(2, k), 0 * np.arange(k - 2)], -1)])
    pieces = [(v, face_out(v, f), shade(grey, .80))]
    for side in (1, -1):
        for j in range(10):
            q = j / 9
            a0 = np.radians(37 + 128 * q)                         # along the parting, front to crown
            start = np.array([.012 * side, .40 + .82 * np.sin(a0), -.15 + .90 * np.cos(a0)])
            az, hy = np.radians(72 + 96 * q), .30 - .02 * q       # where it passes the side of the head
            flank = np.array([side * .83 * np.sin(az), hy, -.15 + .92 * np.cos(az)])
            fwd = (start + flank) / 2 + [side * (.20 - .16 * q), .20 - .05 * (q < .05), .10 * (1 - q)]
            end = bun + [side * .10 * (1 - q * .6), .08, .10]
            back = (flank + end) / 2 + [side * .10 * (1 - q), -.06 + .05 * q, -.16]
            path = spline([start, fwd, flank, back, end], 18)
            path[:-2] = clay.cling(path[:-2], 4, .045)
            path = gaussian_filter1d(path, .8, axis=0, mode="nearest")
            s = np.linspace(0, 1, 18)
            r = np.interp(s, [0, .08, .3, .6, .85, 1], [.075, .108, .128, .118, .08, .05]) * (1 + .05 * rng.normal())
            nrm = path - [0, .30, -.15]
            tone = (1 + .03 * rng.normal()) * (.96 if j % 2 else 1.03)
            pieces.append((*tube(path, r, 8, nrm / np.linalg.norm(nrm, axis=1, keepdims=True), .62), shade(grey, tone)))
    path = clay.cling(np.stack([np.zeros(14), .40 + .80 * np.cos(np.linspace(.45, 1.95, 14)), -.15 - .9 * np.sin(np.linspace(.45, 1.95, 14))], -1), 4, .060)
    nrm = path - [0, .30, -.15]                                     # one strand lies over the end of the parting
    pieces.append((*tube(path, np.interp(np.arange(14), [0, 2, 11, 13], [.03, .075, .085, .06]), 8, nrm / np.linalg.norm(nrm, axis=1, keepdims=True), .55), shade(grey, 1.)))
    t = np.linspace(0, 1, 56)                                       # low bun: a coil round a core
    ph, az = .35 + 2.45 * t, 2 * np.pi * 3.3 * t
    coil = bun + .235 * np.stack([np.sin(ph) * np.cos(az), np.sin(ph) * np.sin(az), -np.cos(ph) - .085], -1)
    nrm = coil - bun
    pieces.append((*tube(coil, .088 * np.interp(t, [0, .05, .95, 1], [.5, 1, 1, .4]), 8, nrm / np.linalg.norm(nrm, axis=1, keepdims=True), .9), shade(grey, .98)))
    pieces.append((*uv_ball(bun, .22), shade(grey, .8)))
    p0, p1 = bun + [-.72, .42, .02], bun + [.62, -.30, .04]         # she is never without a pencil
    pieces.append((*tube(np.linspace(p0, p1, 4), .026, 6), (.78, .36, .22)))
    pieces.append((*tube(np.linspace(p0, p0 + (p0 - p1) * .07, 3), [.026, .015, .004], 6), (.86, .72, .52)))
    v, f, c = join(pieces)
    return part("hair", v + lumps(v * 2.2, .005), f, c, .22)


def knit(K, prof, ridge, colour, ribs=36, k=128, centre=(0, -.29), drop=.05):
    """A knitted turtleneck: stitches lean one way in a row and the other in the next."""
    a = 2 * np.pi * np.arange(k) / k
    v, c = [], []
    for i, ((r, y), m) in enumerate(zip(prof, ridge)):
        wave = np.abs(np.cos(ribs / 2 * a + (.5 if i % 2 else 0)))
        rr = r + m * (wave * 1.6 - .9)
        v.append(np.stack([rr * np.cos(a) * 1.06, y - drop - .06 * np.clip(np.sin(a), 0, 1) + .010 * np.sin(3 * a + 1),
                           centre[1] + rr * np.sin(a) * (1 if y > -1.57 else .86)], -1))
        c.append(np.array(colour)[None] * (.62 + .50 * wave * (m > .004) + .12 * (m <= .004))[:, None])
    v, c, f = np.concatenate(v), np.concatenate(c), grid_faces(len(prof), k)
    mid = f[len(f) // 4]
    n = np.cross(v[mid[1]] - v[mid[0]], v[mid[2]] - v[mid[0]])
    if n @ (v[mid[0]] - [0, v[mid[0], 1], centre[1]]) < 0:
        f = f[:, ::-1]
    return v, f, c


def turtleneck(K):
    prof = np.array([(.36, -1.40), (.39, -1.335), (.445, -1.30), (.51, -1.315), (.55, -1.38), (.555, -1.46), (.535, -1.53), (.515, -1.565),
                     (.56, -1.585), (.63, -1.62), (.74, -1.70), (.86, -1.81), (.94, -1.94), (.95, -2.06), (.80, -2.12), (.5, -2.13)])
    v, f, c = knit(K, prof, np.array([0, .2, .7, 1, 1, 1, .8, .2, .3, .7, 1, 1, 1, .8, .2, 0]) * .016, (.075, .27, .29))
    return part("collar", v, f, c, .05, body=True)


def spectacles(K):
    pieces, brass = [], (.63, .46, .20)
    z0, R, (ex, ey, _) = .965, .285, K.eye
    t = 2 * np.pi * np.arange(41) / 40
    for side in (1, -1):
        yaw = np.radians(7) * side
        x = R * np.cos(t)
        ring = np.stack([ex * side + x * np.cos(yaw), ey - .03 + R * np.sin(t), z0 - x * np.sin(yaw) + .03 * np.sin(t)], -1)
        pieces.append((*tube(ring, .0155, 7, (np.sin(yaw), 0, np.cos(yaw))), brass))
        hx, hz = (ex + R * np.cos(yaw)) * side, z0 - R * abs(np.sin(yaw))
        arm = np.vstack([[(hx, .19, hz)], spline([(hx + .05 * side, .195, hz - .05), (.735 * side, .20, .50), (.815 * side, .17, .05), (.82 * side, .05, -.17)], 13)])
        pieces.append((*tube(arm, .0145, 6, (0, 1, 0)), brass))
    pieces.append((*tube(spline([(-.062, .20, z0 + .012), (0, .245, z0 + .04), (.062, .20, z0 + .012)], 9), .0155, 7, (0, 1, 0)), brass))
    v, f, c = join(pieces)
    return part("spectacles", v, f, c, .9)


# ------------------------------------------------------------------ Osric
def tweed(v, base, other):
    """Two yarns, woven."""
    w = .5 + .5 * np.sin(v[:, 0] * 61 + 7 * np.sin(v[:, 1] * 23)) * np.sin(v[:, 2] * 57 + 5 * np.sin(v[:, 0] * 19))
    return np.array(base) * (1 - .55 * w[:, None]) + np.array(other) * (.55 * w[:, None])


def knit_cap(K):
    """A close cap of ribbed knitting with its edge turned up."""
    k, ribs, navy = 144, 36, np.array((.165, .205, .275))
    a = 2 * np.pi * np.arange(k) / k
    rib, cross = np.abs(np.cos(ribs / 2 * a)), np.abs(np.cos(ribs / 2 * a + .8))
    crown = [(.905, .60), (.925, .70), (.915, .82), (.860, .95), (.755, 1.07), (.600, 1.165), (.410, 1.225), (.200, 1.252), (.06, 1.258), (1e-3, 1.258)]
    band = [(.83, .42), (.90, .385), (.945, .375), (.985, .395), (1.0, .44), (1.005, .52), (1.0, .60), (.985, .655), (.95, .680), (.90, .66)]
    pieces = []
    for rows, ridge, tone, wave in ((crown, .018, .95, rib), (band, .026, 1.12, cross)):
        v, c = [], []
        for r, y in rows:
            rr = r + ridge * min(1, r / .3) * (wave - .6)
            z = -.13 + 1.05 * rr * np.sin(a)
            v.append(np.stack([rr * np.cos(a), y + .12 * (z + .13) + .010 * np.sin(2 * a + .6), z], -1))
            c.append(navy * tone * (.62 + .52 * wave)[:, None])
        v, c = np.concatenate(v), np.concatenate(c)
        pieces.append((v + lumps(v * 1.4, .007), face_out(v, grid_faces(len(rows), k)), c))
    v, f, c = join(pieces)
    return part("cap", v, f, np.clip(c, 0, 1), .03)


def whiskers(K, clay):
    """Grey hair that shows under the cap: short round the nape, long before the ears."""
    rng, pieces = np.random.default_rng(5), []
    for side in (1, -1):
        for degrees in (*np.arange(3.5, 66, 8.0), *np.arange(95, 121, 5.0)):    # from the nape forwards, but for the ear
            az = np.radians(degrees)
            d = np.array([side * np.sin(az), 0, -np.cos(az)])
            before = az > 1.3
            long = (.86 - .022 * abs(degrees - 106) if before else .36) * (1 + .05 * rng.normal())
            y0 = .44
            pts = [np.array([0, y0, -.13]) + d * .80, np.array([0, y0 - .45 * long, -.13]) + d * .84, np.array([0, y0 - long, -.13]) + d * .80]
            path = clay.cling(spline(pts, 13), 4, .018) + np.array([0, 0, .010 * rng.normal()])
            r = np.interp(np.linspace(0, 1, 13), [0, .3, .75, 1], [.075, .080, .072, .030]) * (1 + .08 * rng.normal())
            pieces.append((*tube(path, r, 8, d, .55), shade(K.hair_colour, 1 + .05 * rng.normal())))
    v, f, c = join(pieces)
    return part("hair", v + lumps(v * 2.2, .008), f, c, .15)


def scarf(K):
    """A thick woollen scarf, wound once and a half and tucked into the coat."""
    wool, n, m = np.array((.66, .285, .185)), 150, 16
    t = np.linspace(0, 1, n)
    az = 1.0 - 2 * np.pi * 1.62 * (1 - t)
    rad = .55 + .035 * np.sin(2 * az) + .045 * t
    pts = np.stack([rad * np.cos(az) * 1.05, -1.40 - .10 * t + .045 * np.sin(az * 1.5 + 1) - .07 * np.clip(np.sin(az), 0, 1), -.23 + rad * np.sin(az)], -1)
    rib = np.arange(m) / m * 2 * np.pi
    tan = np.gradient(pts, axis=0)
    tan /= np.linalg.norm(tan, axis=1, keepdims=True)
    out = (pts - np.array([0, -1.45, -.23])) * [1, .25, 1]
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    b = np.cross(tan, out)
    b /= np.linalg.norm(b, axis=1, keepdims=True)
    o = np.cross(b, tan)
    ridge = .012 * np.cos(np.arange(n) * 2.1)[:, None] * np.ones(m) + .008 * np.cos(rib * 8)[None]
    r = np.stack([.165 * np.cos(rib), .115 * np.sin(rib)], -1)[None] * (1 + 5 * ridge[..., None])
    v = pts[:, None] + r[..., :1] * b[:, None] + r[..., 1:] * o[:, None]
    vv = np.vstack([v.reshape(-1, 3), pts[0], pts[-1]])
    i = np.arange(m)
    f = np.vstack([grid_faces(n, m), np.stack([(i + 1) % m, i, 0 * i + n * m], -1), np.stack([(n - 1) * m + i, (n - 1) * m + (i + 1) % m, 0 * i + n * m + 1], -1)])
    col = (wool * (.80 + 14 * ridge[..., None])).reshape(-1, 3)
    return part("scarf", vv, face_out(vv, f), np.clip(np.vstack([col, wool[None], wool[None]]), 0, 1), .03, body=True)


def coat(K):
    """A heavy coat: shoulders, a collar that stands up and falls open in front, two buttons."""
    mustard, dark = (.62, .465, .235), (.52, .375, .17)
    prof = [(.30, -1.46), (.62, -1.50), (.82, -1.62), (.98, -1.77), (1.10, -1.94), (1.13, -2.10), (.9, -2.14), (.4, -2.14)]
    v, f = lathe(prof, 56, centre=(0, 0, -.24), squash=(1.08, 1, .80))
    pieces = [(v + lumps(v, .012), f, tweed(v, mustard, dark))]
    n = 61
    a = np.pi / 2 + np.linspace(.30, 2 * np.pi - .30, n)            # open in front
    fall = np.exp(-((np.minimum(np.abs(a - a[0]), np.abs(a - a[-1]))) / .55) ** 2)
    rows = []
    for r, y in ((.66, -1.58), (.72, -1.44), (.78, -1.33), (.83, -1.285), (.885, -1.30), (.90, -1.36), (.87, -1.47), (.83, -1.62)):
        rows.append(np.stack([r * (1 + .05 * fall) * np.cos(a) * 1.04, y - .16 * fall + .012 * np.sin(5 * a), -.24 + r * (.86 + .10 * fall) * np.sin(a)], -1))
    v = np.concatenate(rows)
    f = grid_faces(len(rows), n, False)
    mid = f[len(f) // 3]
    if np.cross(v[mid[1]] - v[mid[0]], v[mid[2]] - v[mid[0]]) @ (v[mid[0]] - [0, -1.5, -.24]) < 0:
        f = f[:, ::-1]
    both = np.vstack([f, f[:, ::-1] + len(v)])                      # seen from both sides
    v = np.vstack([v, v])
    pieces.append((v, both, tweed(v, mustard, dark)))
    for x, y, z in ((.13, -1.84, .56), (.15, -2.02, .63)):
        for s in (1, -1):
            b = uv_ball((x * s, y, z), .042, 7, 12)
            pieces.append((*b, (.36, .24, .09)))
    v, f, c = join(pieces)
    return part("coat", v, f, c, .04, body=True)
