/* The loops over frames of viterbi.py, compiled: the same steps in the same order. */

#include <math.h>
#include <stdint.h>
#include <string.h>

typedef struct {
    long states, columns, entries, width, window;
    long ahead;  /* how far before the best state the window begins */
    const int32_t *senone, *entry, *entry_from;
    const float *stay, *advance, *entry_cost;
} Graph;

/* One frame within states low to high of `value`, which holds the scores of the frame before and -inf elsewhere.
 * `fresh` has room for a window. code: 0 from itself, 1 from the one before, else 2 + which entry. */
static void advance(const Graph *g, const float *frame, float *value, float *fresh, uint16_t *code, long low, long high) {
    for (long i = low; i < high; i++) {
        const float stay = value[i] + g->stay[i];
        const float moved = (i ? value[i - 1] : -INFINITY) + g->advance[i];
        code[i - low] = moved > stay;
        fresh[i - low] = moved > stay ? moved : stay;
    }
    long first = 0, last = g->entries;
    while (first < last) {  /* the first entry that is not before low */
        const long middle = (first + last) / 2;
        if (g->entry[middle] < low) first = middle + 1; else last = middle;
    }
    for (long e = first; e < g->entries && g->entry[e] < high; e++) {
        const int32_t *from = g->entry_from + e * g->width;
        const float *cost = g->entry_cost + e * g->width;
        long pick = 0;
        float most = value[from[0]] + cost[0];
        for (long k = 1; k < g->width; k++) {
            const float amount = value[from[k]] + cost[k];
            if (amount > most) { most = amount; pick = k; }
        }
        const long at = g->entry[e] - low;
        if (most > fresh[at]) { fresh[at] = most; code[at] = (uint16_t)(pick + 2); }
    }
    for (long i = low; i < high; i++) fresh[i - low] += frame[g->senone[i]];
}

/* Frames in a row. lows, codes (frames, window), of `bytes` bytes: where each frame's window begins and what `advance`
 * says. fresh, code: room for a window. at: low and high of the frame before, then of the last one. */
void viterbi_advance(const Graph *g, long frames, const float *scores, float *value, float *fresh, uint16_t *code,
                     int32_t *lows, void *codes, long bytes, long *at) {
    long low = at[0], high = at[1];
    for (long t = 0; t < frames; t++) {
        long best = low;
        for (long i = low + 1; i < high; i++) if (value[i] > value[best]) best = i;
        const long before = low, behind = high;
        if (g->states <= g->window) { low = 0; high = g->states; }
        else {
            low = best - g->ahead;
            if (low > g->states - g->window) low = g->states - g->window;
            if (low < 0) low = 0;
            high = low + g->window;
        }
        advance(g, scores + t * g->columns, value, fresh, code, low, high);
        if (bytes == 2) memcpy((uint16_t *)codes + t * (high - low), code, (size_t)(high - low) * 2);
        else for (long i = 0; i < high - low; i++) ((uint8_t *)codes)[t * (high - low) + i] = (uint8_t)code[i];
        for (long i = before; i < low; i++) value[i] = -INFINITY;
        for (long i = high; i < behind; i++) value[i] = -INFINITY;
        memcpy(value + low, fresh, (size_t)(high - low) * sizeof(float));
        lows[t] = (int32_t)low;
    }
    at[0] = low;
    at[1] = high;
}

static double total_of(const double *row, long width) {
    double total = 0;
    for (long i = 0; i < width; i++) total += row[i];
    return total;
}

/* Forward chances of frames in a row into out (frames, width); row: of the frame before, then of the last. */
void viterbi_forward(long frames, long width, const double *emit, const double *hold, const double *step_in,
                     const int32_t *shift, double *row, float *out) {
    for (long t = 0; t < frames; t++, emit += width, hold += width, step_in += width, out += width) {
        const long by = shift[t] > 0 ? shift[t] : 0;
        double fresh[64];
        for (long i = 0; i < width; i++) {
            const double same = i + by < width ? row[i + by] : 0;
            const double before = i + by >= 1 && i + by - 1 < width ? row[i + by - 1] : 0;
            fresh[i] = (same * hold[i] + before * step_in[i]) * emit[i];
        }
        const double total = total_of(fresh, width);
        if (total > 0) for (long i = 0; i < width; i++) row[i] = fresh[i] / total;
        for (long i = 0; i < width; i++) out[i] = (float)row[i];
    }
}

/* Forward chances (frames, width) to posteriors, from the last frame back. emit, hold, step_in, shift: of the frames
 * after each, `after` of them; row: of the frame after the last, then of the first. */
void viterbi_backward(long frames, long after, long width, const double *emit, const double *hold,
                      const double *step_in, const int32_t *shift, double *row, float *forward) {
    for (long t = frames - 1; t >= 0; t--) {
        if (t < after) {
            const double *e = emit + t * width, *h = hold + t * width, *s = step_in + t * width;
            const long by = shift[t] > 0 ? shift[t] : 0;
            double fresh[64];
            for (long i = 0; i < width; i++) {
                const long same = i - by, next = i + 1 - by;
                fresh[i] = (same >= 0 ? row[same] * e[same] * h[same] : 0)
                         + (next >= 0 && next < width ? row[next] * e[next] * s[next] : 0);
            }
            const double total = total_of(fresh, width);
            if (total > 0) for (long i = 0; i < width; i++) row[i] = fresh[i] / total;
        }
        float *own = forward + t * width;
        double total = 0;
        for (long i = 0; i < width; i++) total += own[i] * row[i];
        if (total < 1e-30) total = 1e-30;
        for (long i = 0; i < width; i++) own[i] = (float)(own[i] * row[i] / total);
    }
}
