/* The search of smooth.py, compiled, channel by channel: the same rounds over the same windows.
 *
 * All arrays have n points; the first and last two are known. Constants come from smooth.py.
 * Returns 0, 1 where a system is not positive definite, 2 where memory is missing. */

#include <math.h>
#include <stdlib.h>
#include <string.h>

typedef struct {
    double bend, reach, spring;
    double lax, lax_step, worst, far, near, left, force, further, softest, close;
    long again, alone, together, sure;
} Limits;

typedef struct {
    const Limits *limits;
    long n;
    double *weight, *wanted;  /* springs of bounds that act are added */
    const double *low, *high, *step;
    const unsigned char *open;
    double *x;
    double *under, *over, *pull, *push;  /* where bounds begin or cease to act; of the steps */
    signed char *acts, *slopes;
    long *k, *index, count;  /* the points to be solved; where each stands among them, or -1 */
    double *diagonal, *first, *second, *right;
    long *where, changes, levels;  /* what is to change: first levels, then steps */
    double *reached;
    signed char *now;
    unsigned char *near;
} Search;

static int solve(Search *s) {
    const double bend = s->limits->bend;
    double *d = s->diagonal, *e = s->first, *f = s->second, *r = s->right, *x = s->x;
    for (long j = 0; j < s->count; j++) s->index[s->k[j]] = j;
    for (long j = 0; j < s->count; j++) {
        const long i = s->k[j];
        const double pull = s->pull[i], before = s->pull[i - 1];
        double right = s->wanted[i] + s->push[i - 1] - s->push[i], one = 0, two = 0;
        if (s->index[i - 2] < 0) right -= bend * x[i - 2];
        if (s->index[i - 1] < 0) right += (4 * bend + before) * x[i - 1];
        if (s->index[i + 1] < 0) right += (4 * bend + pull) * x[i + 1];
        else one = -4 * bend - pull;
        if (s->index[i + 2] < 0) right -= bend * x[i + 2];
        else if (s->index[i + 1] < 0) one = bend;  /* what stands between them is known */
        else two = bend;
        double diagonal = s->weight[i] + 6 * bend + pull + before;
        if (j > 0) {
            const double c = d[j - 1] * e[j - 1];
            diagonal -= c * e[j - 1];
            one -= c * f[j - 1];
            right -= e[j - 1] * r[j - 1];
        }
        if (j > 1) {
            diagonal -= d[j - 2] * f[j - 2] * f[j - 2];
            right -= f[j - 2] * r[j - 2];
        }
        if (!(diagonal > 0)) return 1;
        d[j] = diagonal;
        e[j] = one / diagonal;
        f[j] = two / diagonal;
        r[j] = right;
    }
    for (long j = s->count - 1; j >= 0; j--) {
        double value = r[j] / d[j];
        if (j + 1 < s->count) value -= e[j] * x[s->k[j + 1]];
        if (j + 2 < s->count) value -= f[j] * x[s->k[j + 2]];
        x[s->k[j]] = value;
    }
    for (long j = 0; j < s->count; j++) s->index[s->k[j]] = -1;
    return 0;
}

/* Of the changes from `begin` on, which form one stretch, those that pass their bound most. */
static long worst_of(Search *s, long begin, long end, double most) {
    long kept = begin;
    for (long c = begin; c < end; c++) {
        if (s->reached[c] < s->limits->worst * most) continue;
        s->where[kept] = s->where[c];
        s->now[kept] = s->now[c];
        s->reached[kept] = s->reached[c];
        kept++;
    }
    return kept;
}

static void find_levels(Search *s) {
    long found = 0, begin = 0, last = -2;
    int turned = 0;
    double most = 0;
    for (long j = 0; j < s->count; j++) {
        const long i = s->k[j];
        const double x = s->x[i];
        const int now = (x > s->over[i]) - (x < s->under[i]), was = s->acts[i];
        if (now == was) continue;
        if (i != last + 1 || now - was != turned) {
            found = begin = worst_of(s, begin, found, most);
            most = 0;
        }
        last = i;
        turned = now - was;
        s->where[found] = i;
        s->now[found] = (signed char)now;
        s->reached[found] = was ? 1.0 : fmax(s->low[i] - x, x - s->high[i]);
        most = fmax(most, s->reached[found]);
        found++;
    }
    s->levels = worst_of(s, begin, found, most);
    for (long c = 0; c < s->levels; c++) {
        const double felt = log(s->reached[c] / s->limits->left);
        s->reached[c] = s->acts[s->where[c]] || felt > s->limits->far ? s->limits->far
                      : felt > s->limits->near ? felt : s->limits->near;
    }
}

static void find_step(Search *s, long i) {
    const double d = s->x[i + 1] - s->x[i];
    const int was = s->slopes[i];
    const int over = fabs(d) > s->step[i] + (was ? 0 : s->limits->lax_step);
    const int now = over ? (d > 0) - (d < 0) : 0;
    if (now == was) return;
    s->where[s->changes] = i;
    s->now[s->changes] = (signed char)now;
    s->reached[s->changes++] = s->limits->far;
}

static void find_steps(Search *s) {
    s->changes = s->levels;
    for (long j = 0; j < s->count; j++) {
        const long i = s->k[j];
        if (j == 0 || s->k[j - 1] != i - 1) find_step(s, i - 1);
        find_step(s, i);
    }
}

/* The points around what changes become those to be solved next. */
static void look_around(Search *s) {
    memset(s->near, 0, (size_t)s->n);
    for (long c = 0; c < s->changes; c++) {
        const long wide = (long)ceil(s->reached[c] * s->limits->reach);
        const long low = s->where[c] - wide, high = s->where[c] + wide + 1;
        const long from = low < 0 ? 0 : low, to = high > s->n ? s->n : high;
        if (to > from) memset(s->near + from, 1, (size_t)(to - from));
    }
    s->count = 0;
    for (long i = 0; i < s->n; i++)
        if (s->near[i] && s->open[i]) s->k[s->count++] = i;
}

static void bind_level(Search *s, long c) {
    const long i = s->where[c];
    const int now = s->now[c], was = s->acts[i];
    const double spring = s->limits->spring;
    s->weight[i] += spring * (abs(now) - abs(was));
    s->wanted[i] += spring * (s->low[i] * ((now < 0) - (was < 0)) + s->high[i] * ((now > 0) - (was > 0)));
    s->acts[i] = (signed char)now;
    s->under[i] = s->low[i] - (now >= 0 ? s->limits->lax : 0);
    s->over[i] = s->high[i] + (now <= 0 ? s->limits->lax : 0);
}

static void bind_step(Search *s, long c) {
    const long i = s->where[c];
    s->slopes[i] = s->now[c];
    s->pull[i] = s->limits->spring * abs(s->now[c]);
    s->push[i] = s->limits->spring * s->now[c] * s->step[i];
}

/* Levels and steps are both in order: bind them, or only the first of those close together. */
static void bind(Search *s, int all) {
    const double close = s->limits->close * s->limits->reach;
    long a = 0, b = s->levels, last = -1;
    while (a < s->levels || b < s->changes) {
        const int level = b >= s->changes || (a < s->levels && s->where[a] <= s->where[b]);
        const long c = level ? a++ : b++;
        const int take = all || last < 0 || (double)(s->where[c] - last) > close;
        last = s->where[c];
        if (!take) continue;
        if (level) bind_level(s, c);
        else bind_step(s, c);
    }
}

/* Solve, then around what changes, `most` times; 0 changes are left where that was enough. */
static int rounds(Search *s, long most) {
    s->changes = 0;
    for (long number = 0; number < most && s->count; number++) {
        if (solve(s)) return 1;
        find_levels(s);
        find_steps(s);
        if (!s->changes) break;
        look_around(s);
        bind(s, number < s->limits->sure);
    }
    return 0;
}

/* How firmly a point is held, 1 or less: the length in which a force on it fades is as many times longer, and what it
 * moves goes with the third power (a beam on springs: Hetenyi 1946). */
static double firmness(double weight, double softest) {
    const double held = sqrt(sqrt(weight));
    return held > 1 ? 1 : held < softest ? softest : held;
}

static void find_unsettled(Search *s) {
    const double bend = s->limits->bend, *x = s->x;
    s->changes = 0;
    for (long i = 2; i < s->n - 2; i++) {
        if (!s->open[i]) continue;
        double force = s->weight[i] * x[i] - s->wanted[i]
            + bend * (x[i - 2] - 4 * x[i - 1] + 6 * x[i] - 4 * x[i + 1] + x[i + 2]);
        force -= s->pull[i] * (x[i + 1] - x[i]) - s->push[i];
        force += s->pull[i - 1] * (x[i] - x[i - 1]) - s->push[i - 1];
        const double firm = firmness(s->weight[i], s->limits->softest);
        if (fabs(force) <= s->limits->force * s->limits->reach * firm * firm * firm) continue;
        s->where[s->changes] = i;
        s->reached[s->changes++] = s->limits->further / firm;
    }
}

static int run(Search *s, int small) {
    s->count = 0;
    for (long i = 0; i < s->n; i++) {
        s->index[i] = -1;
        s->under[i] = s->low[i] - s->limits->lax;
        s->over[i] = s->high[i] + s->limits->lax;
        if (s->open[i]) s->k[s->count++] = i;
    }
    if (rounds(s, small ? s->limits->together : s->limits->alone)) return 1;
    if (!small && s->changes && rounds(s, s->limits->together)) return 1;
    for (long number = 0; number < s->limits->again; number++) {
        find_unsettled(s);
        if (!s->changes) break;
        look_around(s);
        if (rounds(s, s->limits->together)) return 1;
    }
    return 0;
}

/* Of every channel: its limits, and a row of n points in each array. */
int smooth_channels(const Limits *limits, long channels, long n, int small, double *weight,
                    double *wanted, const double *low, const double *high, const double *step,
                    const unsigned char *open, double *x) {
    const size_t size = (size_t)n;
    double *numbers = malloc(11 * size * sizeof(double));
    long *places = malloc(5 * size * sizeof(long));
    signed char *signs = malloc(6 * size);
    int failed = numbers && places && signs ? 0 : 2;
    for (long row = 0; row < channels && !failed; row++) {
        const long first = row * n;
        if (!memchr(open + first, 1, size)) continue;
        memset(numbers, 0, 11 * size * sizeof(double));
        memset(signs, 0, 6 * size);
        Search s = {
            .limits = limits + row, .n = n, .weight = weight + first, .wanted = wanted + first,
            .low = low + first, .high = high + first, .step = step + first, .open = open + first,
            .x = x + first,
            .under = numbers, .over = numbers + size, .pull = numbers + 2 * size,
            .push = numbers + 3 * size, .diagonal = numbers + 4 * size, .first = numbers + 5 * size,
            .second = numbers + 6 * size, .right = numbers + 7 * size, .reached = numbers + 8 * size,
            .k = places, .index = places + size, .where = places + 2 * size,
            .acts = signs, .slopes = signs + size, .now = signs + 2 * size,
            .near = (unsigned char *)signs + 5 * size,
        };
        failed = run(&s, small);
    }
    free(numbers);
    free(places);
    free(signs);
    return failed;
}
