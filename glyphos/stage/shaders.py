"""GLSL 3.30 of the stage: soft clay under a key light with its shadow, a fill and a rim.

Two ways to the same look: `FRAGMENT` lights every pixel, with grain and soft shadows; `QUICK` lights
vertices, of which our heads have enough, and smooths edges afterwards (`EDGES`), which a driver
without a graphics chip does several times quicker than sampling every pixel four times.

Skin lets light wrap round it, a different length for each colour; highlights are Blinn-Phong with
Schlick's Fresnel; tones are rolled off before they are written (a filmic curve).
"""

from __future__ import annotations

VERTEX = """#version 330
uniform mat4 view, light; uniform vec2 tile;
in vec3 point, normal, color, rest; in vec2 surface, uv;
out vec3 P, N, C, R; out vec2 S, T; out vec4 L;
void main() {
    P = point; N = normal; C = color; R = rest; S = surface; T = uv * tile;
    L = light * vec4(point, 1);
    gl_Position = view * vec4(point, 1);
}"""

FRAGMENT = """#version 330
uniform vec3 eye, key, fill, rim;
uniform sampler2D shadow, picture, bumps;
uniform int taps;             // of the shadow, each way
uniform float span, grain, opacity, cut;
uniform bool pictured, bumped, fine;
in vec3 P, N, C, R; in vec2 S, T; in vec4 L;
out vec4 color;

float hash(vec3 p) { p = fract(p * .3183 + .1); p *= 17.; return fract(p.x * p.y * p.z * (p.x + p.y + p.z)); }
float noise(vec3 x) {
    vec3 i = floor(x), f = fract(x); f = f * f * (3. - 2. * f);
    return mix(mix(mix(hash(i), hash(i + vec3(1,0,0)), f.x), mix(hash(i + vec3(0,1,0)), hash(i + vec3(1,1,0)), f.x), f.y),
               mix(mix(hash(i + vec3(0,0,1)), hash(i + vec3(1,0,1)), f.x), mix(hash(i + vec3(0,1,1)), hash(i + vec3(1,1,1)), f.x), f.y), f.z);
}
float clay(vec3 p) { return noise(p * vec3(9, 11, 9)) * .6 + noise(p * 27.) * .25; }
float lit(float facing) {
    vec3 q = L.xyz / L.w * .5 + .5;
    if (any(lessThan(q, vec3(0))) || any(greaterThan(q, vec3(1)))) return 1.;
    float bias = .0035 + .006 * (1. - clamp(facing, 0., 1.)), sum = 0.;
    for (int i = -taps; i <= taps; i++) for (int j = -taps; j <= taps; j++)
        sum += smoothstep(-.004, 0., texture(shadow, q.xy + vec2(i, j) * span).r - (q.z - bias));
    float count = float(2 * taps + 1);
    return sum / (count * count);
}
vec3 wrapped(float facing, vec3 w) { return pow(clamp((facing + w) / (1. + w), 0., 1.), vec3(1.25)); }
vec3 bent(vec3 n) {           // a normal map needs no tangents: they follow from the picture's own slopes
    vec3 a = dFdx(P), b = dFdy(P); vec2 s = dFdx(T), t = dFdy(T);
    vec3 x = cross(b, n) * s.x + cross(n, a) * t.x, y = cross(b, n) * s.y + cross(n, a) * t.y;
    float m = inversesqrt(max(max(dot(x, x), dot(y, y)), 1e-12));
    vec3 q = texture(bumps, T).xyz * 2. - 1.;
    return normalize(mat3(x * m, -y * m, n) * q);  // green is up, v goes down
}
void main() {
    vec4 base = vec4(C, 1);
    if (pictured) { vec4 t = texture(picture, T); base *= vec4(pow(t.rgb, vec3(2.2)), t.a); }
    if (base.a < cut) discard;
    float gloss = S.x, rough = 1. - smoothstep(.2, .6, gloss);
    vec3 n = normalize(N), v = normalize(eye - P);
    if (!gl_FrontFacing && dot(n, v) < 0.) n = -n;
    if (bumped) n = bent(n);
    vec3 k = base.rgb;
    if (fine && grain > 0.) {
        float e = .004, c0 = clay(R);
        vec3 g = vec3(clay(R + vec3(e,0,0)), clay(R + vec3(0,e,0)), clay(R + vec3(0,0,e))) - c0;
        n = normalize(n - (g - n * dot(g, n)) / e * .010 * rough * grain);
        k *= 1. + .10 * (c0 - .42) * rough * grain;
    }
    float facing = dot(n, key), s = lit(facing);
    vec3 w = vec3(.42, .24, .18) * rough + .12;
    vec3 sum = wrapped(facing, w) * mix(vec3(.16, .09, .07) * rough, vec3(1), s) * vec3(2.05, 1.86, 1.62);
    sum += wrapped(dot(n, fill), w) * vec3(.34, .40, .50);
    sum += wrapped(dot(n, rim), vec3(.1)) * vec3(.60, .64, .76);
    sum += mix(vec3(.20, .15, .12), vec3(.30, .33, .38), n.y * .5 + .5);
    vec3 c = k * sum;
    float power = mix(12., 160., smoothstep(.3, 1., gloss)), edge = .04 + .5 * pow(1. - max(dot(n, v), 0.), 5.);
    c += vec3(1, .96, .9) * gloss * s * pow(max(dot(n, normalize(key + v)), 0.), power) * mix(.18, 2.2, smoothstep(.4, 1., gloss)) * mix(.8, 1., edge);
    c += vec3(.8, .9, 1) * gloss * .15 * pow(max(dot(n, normalize(fill + v)), 0.), power * .6);
    c += k * k * S.y * 2.2 * (.55 + .45 * max(dot(n, v), 0.));
    c *= .62;
    c = (c * (2.51 * c + .03)) / (c * (2.43 * c + .59) + .14);
    color = vec4(pow(clamp(c, 0., 1.), vec3(1. / 2.2)), opacity * mix(1., base.a, step(cut, 0.)));
}"""

DEPTH_VERTEX = """#version 330
uniform mat4 light; in vec3 point;
void main() { gl_Position = light * vec4(point, 1); }"""

DEPTH_FRAGMENT = """#version 330
void main() {}"""

LIGHT = """
float lit(float facing, vec4 at, sampler2D shadow, int taps, float span) {
    vec3 q = at.xyz / at.w * .5 + .5;
    if (any(lessThan(q, vec3(0))) || any(greaterThan(q, vec3(1)))) return 1.;
    float bias = .0045 + .006 * (1. - clamp(facing, 0., 1.)), sum = 0.;
    for (int i = -taps; i <= taps; i++) for (int j = -taps; j <= taps; j++)
        sum += smoothstep(-.004, 0., textureLod(shadow, q.xy + vec2(i, j) * span, 0.).r - (q.z - bias));
    float count = float(2 * taps + 1);
    return sum / (count * count);
}
vec3 wrapped(float facing, vec3 w) { return pow(clamp((facing + w) / (1. + w), 0., 1.), vec3(1.25)); }
"""

ROLLED = """
vec3 rolled(vec3 c) {
    c = clamp((c * (2.51 * c + .03)) / (c * (2.43 * c + .59) + .14), 0., 1.);
    return 1.138 * sqrt(c) - .138 * c;
}
"""

QUICK_VERTEX = (
    """
uniform mat4 view, light; uniform vec2 tile; uniform vec3 eye, key, fill, rim; uniform sampler2D shadow; uniform int taps; uniform float span;
in vec3 point, normal, color; in vec2 surface, uv;
#if SHINY
out vec3 N, V; flat out float G; out float shade;
#endif
#if PICTURED
out vec2 T;
#endif
out vec3 D, H;
"""
    + LIGHT
    + """
void main() {
    vec3 n = normalize(normal), v = normalize(eye - point);
    float gloss = surface.x, rough = 1. - smoothstep(.2, .6, gloss), facing = dot(n, key);
    float s = lit(facing, light * vec4(point, 1), shadow, taps, span);
    vec3 w = vec3(.42, .24, .18) * rough + .12;
    vec3 sum = wrapped(facing, w) * mix(vec3(.16, .09, .07) * rough, vec3(1), s) * vec3(2.05, 1.86, 1.62);
    sum += wrapped(dot(n, fill), w) * vec3(.34, .40, .50) + wrapped(dot(n, rim), vec3(.1)) * vec3(.60, .64, .76);
    sum += mix(vec3(.20, .15, .12), vec3(.30, .33, .38), n.y * .5 + .5);
    sum += color * surface.y * 2.2;
    D = color * sum * .62;
#if SHINY
    N = n; V = v; G = gloss; shade = s;
#else
    float power = mix(12., 160., smoothstep(.3, 1., gloss)), edge = .04 + .5 * pow(1. - max(dot(n, v), 0.), 5.);
    H = vec3(1, .96, .9) * gloss * s * pow(max(dot(n, normalize(key + v)), 0.), power) * mix(.18, 2.2, smoothstep(.4, 1., gloss)) * mix(.8, 1., edge) * .62;
#if !PICTURED
    D = rolled(D + H);
#endif
#endif
#if PICTURED
    T = uv * tile;
#endif
    gl_Position = view * vec4(point, 1);
}"""
)

QUICK_FRAGMENT = """
uniform sampler2D picture; uniform float cut, opacity; uniform vec3 key;
#if SHINY
in vec3 N, V; flat in float G; in float shade;
#endif
#if PICTURED
in vec2 T;
#endif
in vec3 D, H;
out vec4 color;
void main() {
    vec3 c = D; float a = 1.;
#if PICTURED
    vec4 t = texture(picture, T); c *= t.rgb * t.rgb; a = t.a; if (a < cut) discard;
#endif
#if SHINY
    c = rolled(c + vec3(1.3, 1.25, 1.17) * shade * G * pow(max(dot(normalize(N), normalize(key + normalize(V))), 0.), 160.));
#elif PICTURED
    c = rolled(c + H);
#endif
    color = vec4(c, opacity * mix(1., a, step(cut, 0.)));
}"""


def quick(*, shiny: bool, pictured: bool) -> tuple[str, str]:
    """The two shaders of a quick picture, for a look: what it does not need is not computed."""
    head = f"#version 330\n#define SHINY {int(shiny)}\n#define PICTURED {int(pictured)}\n{ROLLED}"
    return head + QUICK_VERTEX, head + QUICK_FRAGMENT


SCREEN = """#version 330
in vec2 corner; out vec2 T;
void main() { T = corner * .5 + .5; gl_Position = vec4(corner, 0, 1); }"""

EDGES = """#version 330
uniform sampler2D drawn; out vec4 color;
float bright(vec4 c) { return dot(c.rgb, vec3(.299, .587, .114)) + c.a; }
void main() {         // blend across an edge, along the way it runs (after Lottes 2009, from memory)
    ivec2 at = ivec2(gl_FragCoord.xy), last = textureSize(drawn, 0) - 1;
    ivec2 left = ivec2(max(at.x - 1, 0), at.y), right = ivec2(min(at.x + 1, last.x), at.y);
    ivec2 below = ivec2(at.x, max(at.y - 1, 0)), above = ivec2(at.x, min(at.y + 1, last.y));
    vec4 m = texelFetch(drawn, at, 0), W = texelFetch(drawn, left, 0), E = texelFetch(drawn, right, 0);
    vec4 S = texelFetch(drawn, below, 0), N = texelFetch(drawn, above, 0);
    float n = bright(N), s = bright(S), e = bright(E), w = bright(W), c = bright(m);
    float high = max(max(max(n, s), max(e, w)), c), low = min(min(min(n, s), min(e, w)), c);
    vec2 way = abs(vec2(n - s, w - e));
    way /= max(max(way.x, way.y), 1e-4);
    vec4 along = (way.x * (W + E) + way.y * (N + S)) / (2. * (way.x + way.y) + 1e-6);
    color = high - low < max(.05, .1 * high) ? m : mix(m, along, .5);
}"""
