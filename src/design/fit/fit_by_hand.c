/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

/* Parts of the rows behind the move: the last of the record is where PV came to rest; of what the
   eye is on, the window of the average that a hand draws through the noise, and of the slope. */
#define REST_PART 0.15
#define SMOOTH_PART 0.02
#define SLOPE_PART 0.03
#define SEEN_LATE 0.0513
enum { ROWS_LEAST = 12 };

/* A single step: its row, the way of PV, and PV smoothed. */
typedef struct sheet {
    const double *time, *out;
    double *smooth; /* PV, an average of some rows */
    size_t rows, move;
    size_t length; /* rows behind the move that the eye is on */
    double before, after;
} sheet;

/* The eye is on so many times what PV takes for 63.2 % of its way. */
#define LOOK 10.0
enum { LOOKS = 4 };

static bool is_single_step(const double *out, size_t rows, size_t *move)
{
    size_t i;

    *move = 0;
    for (i = 1; i < rows; i++) {
        if (out[i] == out[i - 1]) continue;
        if (*move > 0) return false;
        *move = i;
    }
    return *move >= 3 && rows - *move >= ROWS_LEAST;
}

static double average(const double *y, size_t first, size_t end)
{
    double sum = 0;
    size_t i;

    for (i = first; i < end; i++) {
        sum += y[i];
    }
    return sum / (double)(end - first);
}

/* Sums over a window that moves along, row by row: each row comes in and goes out once. */
typedef struct window {
    const double *t, *y;
    double at; /* that t is counted from */
    size_t first, end;
    double n, st, sy, stt, sty;
} window;

static void count_row(window *w, size_t row, double sign)
{
    const double t = w->t[row] - w->at, y = w->y[row];

    w->n += sign;
    w->st += sign * t;
    w->sy += sign * y;
    w->stt += sign * t * t;
    w->sty += sign * t * y;
}

static void move_window(window *w, size_t first, size_t end)
{
    while (w->end < end) {
        count_row(w, w->end++, 1.0);
    }
    while (w->first < first) {
        count_row(w, w->first++, -1.0);
    }
}

/* Through rows up to a half beside each. */
static void draw_through(sheet *s, const double *pv)
{
    const size_t half = (size_t)(0.5 * SMOOTH_PART * (double)s->length);
    window w = {.t = s->time, .y = pv, .at = s->time[0]};
    size_t i;

    for (i = 0; i < s->rows; i++) {
        move_window(&w, i > half ? i - half : 0,
                    i + half + 1 < s->rows ? i + half + 1 : s->rows);
        s->smooth[i] = w.sy / w.n;
    }
    s->before = average(pv, 0, s->move);
    s->after = average(pv, s->rows - (size_t)fmax(REST_PART * (double)(s->rows - s->move), 3.0),
                       s->rows);
}

/* When this part of the way is gone, s after the move: the last time it is passed. */
static double time_at(const sheet *s, double part)
{
    const double way = s->after - s->before;
    size_t i;

    for (i = s->rows - 1; i > s->move; i--) {
        const double now = (s->smooth[i] - s->before) / way;
        const double last = (s->smooth[i - 1] - s->before) / way;

        if (last < part && now >= part) {
            const double step = s->time[i] - s->time[i - 1];

            return s->time[i - 1] - s->time[s->move] + (step * (part - last) / (now - last));
        }
    }
    return 0.0;
}

/* From all of the record closer to the response, as a hand would spread its paper. */
static void look(sheet *s, const double *pv)
{
    int turn;

    s->length = s->rows - s->move;
    for (turn = 0; turn < LOOKS; turn++) {
        double rows;

        draw_through(s, pv);
        rows = LOOK * time_at(s, 0.632) / (s->time[s->rows - 1] - s->time[s->move]) *
               (double)(s->rows - s->move);
        if (!(rows > ROWS_LEAST) || rows >= (double)s->length) return;
        s->length = (size_t)rows;
    }
}

static void add(rk_hand_fits *hand, const sheet *s, const char *method, double tau,
                double theta)
{
    rk_hand_fit *made = &hand->fit[hand->count];

    if (!(tau > 0)) return;
    made->method = method;
    made->model.kind = RK_MODEL_FOPDT;
    made->model.gain = (s->after - s->before) / (s->out[s->rows - 1] - s->out[0]);
    made->model.time_constant[0] = tau;
    made->model.dead_time = fmax(theta, 0.0);
    made->model.out0 = s->out[0];
    made->model.pv0 = s->before;
    hand->count++;
}

static void add_tangent(rk_hand_fits *hand, const sheet *s)
{
    const double way = s->after - s->before;
    const size_t half = (size_t)fmax(0.5 * SLOPE_PART * (double)s->length, 1.0);
    window w = {.t = s->time, .y = s->smooth, .first = s->move, .end = s->move};
    double steepest = 0, from = 0;
    size_t i;

    w.at = s->time[s->move];
    for (i = s->move + half; i + half < s->rows && i < s->move + s->length; i++) {
        double slope;

        move_window(&w, i - half, i + half + 1);
        slope = (w.sty - (w.st * w.sy / w.n)) / (w.stt - (w.st * w.st / w.n)) / way;
        if (slope > steepest) {
            steepest = slope;
            from = s->time[i] - s->time[s->move] - ((s->smooth[i] - s->before) / way / slope);
        }
    }
    if (steepest > 0) {
        add(hand, s, "tangent", 1.0 / steepest, from);
    }
}

static void read_sheet(rk_hand_fits *hand, const sheet *s)
{
    const double t28 = time_at(s, 0.283), t35 = time_at(s, 0.353);
    const double t63 = time_at(s, 0.632), t85 = time_at(s, 0.853), begins = time_at(s, 0.05);

    hand->move_at = s->time[s->move] - s->time[0];
    hand->pv_before = s->before;
    hand->pv_after = s->after;
    hand->at_63 = hand->move_at + t63;
    /* PV is said to begin to move when it is seen to: at 5 % of its way, 0.0513 time constants
       after it does. */
    add(hand, s, "63.2 %", (t63 - begins) / (1.0 - SEEN_LATE),
        t63 - ((t63 - begins) / (1.0 - SEEN_LATE)));
    add(hand, s, "28.3 and 63.2 %", 1.5 * (t63 - t28), t63 - (1.5 * (t63 - t28)));
    add(hand, s, "35.3 and 85.3 %", 0.67 * (t85 - t35), (1.3 * t35) - (0.29 * t85));
    add_tangent(hand, s);
}

rk_status rk_hand_fits_compute(const rk_record *record, rk_hand_fits *hand, rk_diag *diag)
{
    sheet s;

    rk_diag_clear(diag);
    if (record == NULL || hand == NULL) return RK_ERR_ARG;
    memset(hand, 0, sizeof *hand);
    s = (sheet){.time = rk_record_time(record),
                .out = rk_record_out(record),
                .rows = rk_record_rows(record)};
    if (!is_single_step(s.out, s.rows, &s.move)) return RK_OK;
    s.smooth = rk_memory_create(s.rows, sizeof *s.smooth);
    if (s.smooth == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a sheet");
    look(&s, rk_record_pv(record));
    if (fabs(s.after - s.before) > 0) {
        read_sheet(hand, &s);
    }
    rk_memory_free(s.smooth);
    return RK_OK;
}
