/* The recursion of exposures.py, compiled: the cheapest sequence of held drawings, exactly.
 *
 * cost: frames x drawings, change: drawings x drawings, hold: frames that each is held at least.
 * For every frame and drawing, `start` gets where the exposure that ends there began, and `came`
 * the drawing before one that begins there. Returns the last drawing, or -1 where memory is missing. */

#include <math.h>
#include <stdlib.h>

long cheapest(long frames, long drawings, long step, long origin, const double *cost,
              const double *change, const long *hold, const double *before, const double *after,
              long *came, long *start) {
    const size_t row = (size_t)drawings, all = ((size_t)frames + 1) * row;
    double *room = malloc((2 * all + 2 * row) * sizeof(double));
    if (!room) return -1;
    double *sums = room, *begun = sums + all, *best = begun + all, *ended = best + row;
    long *since = malloc(row * sizeof(long)), last = 0;
    if (!since) {
        free(room);
        return -1;
    }
    for (long k = 0; k < drawings; k++) {
        sums[k] = 0;
        begun[k] = before[k];
        best[k] = INFINITY;
        since[k] = 0;
    }
    for (long t = 1; t <= frames; t++) {
        double *sum = sums + t * row, *fresh = begun + t * row;
        for (long k = 0; k < drawings; k++) {
            sum[k] = sum[k - drawings] + cost[(t - 1) * drawings + k];
            const long early = t - hold[k];
            if (early >= 0 && begun[early * drawings + k] < best[k]) {
                best[k] = begun[early * drawings + k];
                since[k] = early;
            }
            ended[k] = sum[k] + best[k];
            start[t * drawings + k] = since[k];
            fresh[k] = INFINITY;
        }
        if ((t + origin) % step || t == frames) continue;
        for (long k = 0; k < drawings; k++) {
            double least = INFINITY;
            long from = 0;
            for (long j = 0; j < drawings; j++) {
                const double way = j == k ? INFINITY : ended[j] + change[j * drawings + k];
                if (way < least) {
                    least = way;
                    from = j;
                }
            }
            came[t * drawings + k] = from;
            fresh[k] = least - sum[k];
        }
    }
    for (long k = 1; k < drawings; k++)
        if (ended[k] + after[k] < ended[last] + after[last]) last = k;
    free(room);
    free(since);
    return last;
}
