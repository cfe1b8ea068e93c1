/* SPDX-License-Identifier: MIT */
/*
 * The moves of OUT: changes beyond the jitter of an analogue feedback, a ramp in small steps
 * taken as one move. The jitter's size comes from the differences of neighbouring rows, of
 * which a move is one among many; a feedback that glides instead of turning round has none.
 */
#include <math.h>

#include "design/base/quantile.h"
#include "facts.h"

/* Analogue feedback changes in more rows than this part; a hand or a controller's step does
   not. */
#define JITTER_PART 0.2
/* Jitter reaches so many of its standard deviations from the level it stands at. */
#define JITTER_REACH 6.0
/* A change below this part of OUT's whole travel is no move, however still OUT is. */
#define MOVE_LEAST 0.005
/* A move that pauses for no more rows than this goes on: a ramp in steps. */
enum { PAUSE_ROWS = 3 };

/* Standard deviation of OUT's jitter, from the differences of neighbours, in which a move is
   one among many; 0 if OUT stands still most of the time, or glides: jitter turns round. */
static double jitter(const rki_columns_view *v)
{
    size_t changes = 0, i;
    double product = 0;

    for (i = 1; i < v->rows; i++) {
        const double change = v->out[i] - v->out[i - 1];

        v->work[i - 1] = fabs(change);
        changes += change != 0;
        product += i > 1 ? change * (v->out[i - 1] - v->out[i - 2]) : 0.0;
    }
    if ((double)changes < JITTER_PART * (double)v->rows || product >= 0) return 0.0;
    /* A difference has sqrt(2) deviations of what jitters.
       Zeros of a coarse feedback would hide it: take the middle of what is not zero. */
    rki_sort(v->work, v->rows - 1);
    return v->work[v->rows - 1 - ((changes + 1) / 2)] / (RKI_MEDIAN_OF_NORMAL * sqrt(2.0));
}

static double travel(const rki_columns_view *v)
{
    double low = v->out[0], high = v->out[0];
    size_t i;

    for (i = 1; i < v->rows; i++) {
        low = fmin(low, v->out[i]);
        high = fmax(high, v->out[i]);
    }
    return high - low;
}

/* Where OUT has stood within reach of one level for PAUSE_ROWS rows; the end of the record
   counts. Returns its first row, at or after `row`. */
static size_t next_stand(const rki_columns_view *v, size_t row, double reach)
{
    size_t stood;

    for (;; row++) {
        for (stood = row + 1; stood < v->rows && stood <= row + PAUSE_ROWS; stood++) {
            if (fabs(v->out[stood] - v->out[row]) > reach) break;
        }
        if (stood == v->rows || stood > row + PAUSE_ROWS) return row;
    }
}

/* OUT's level while it stands, from `row` on, and where that ends: the row that leaves it. */
static size_t follow(const rki_columns_view *v, size_t row, double reach, double *level)
{
    double sum = 0;
    size_t count = 0;

    for (; row < v->rows; row++) {
        if (count > 0 && fabs(v->out[row] - (sum / (double)count)) > reach) break;
        sum += v->out[row];
        count++;
    }
    *level = sum / (double)count;
    return row;
}

static void add_move(rk_record_facts *made, rk_move move)
{
    rk_move *last =
        made->moves > 0 && made->moves <= RK_MOVES_MAX ? &made->move[made->moves - 1] : NULL;

    /* The same way again at once: a ramp that pauses. */
    if (last != NULL && (move.to - move.from) * (last->to - last->from) > 0 &&
        move.at - last->until <= PAUSE_ROWS * made->interval * 1.001) {
        last->to = move.to;
        last->until = move.until;
        return;
    }
    if (made->moves < RK_MOVES_MAX) {
        made->move[made->moves] = move;
    }
    made->moves++;
}

void rki_facts_moves(const rki_columns_view *v, rk_record_facts *made)
{
    double reach, level = 0;
    size_t row, start;

    made->out_noise = jitter(v);
    reach = fmax(JITTER_REACH * made->out_noise, MOVE_LEAST * travel(v));
    if (JITTER_REACH * made->out_noise >= travel(v)) return; /* nothing but jitter */
    row = follow(v, 0, reach, &level);
    while (row < v->rows) {
        rk_move move = {.at = v->time[row], .from = level};

        start = next_stand(v, row, reach);
        move.until = v->time[start];
        row = follow(v, start, reach, &level);
        move.to = level;
        /* Nothing is seen of a move in the last row: OUT was put back when the test ended. */
        if (fabs(move.to - move.from) > reach && start + 1 < v->rows) {
            add_move(made, move);
        }
    }
}

size_t rki_row_at(const rki_columns_view *v, double time)
{
    size_t low = 0, high = v->rows;

    while (low < high) {
        const size_t middle = low + ((high - low) / 2);

        if (v->time[middle] < time) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

size_t rki_rows_before(const rki_columns_view *v, const rk_record_facts *made)
{
    return made->moves > 0 ? rki_row_at(v, made->move[0].at) : v->rows;
}
