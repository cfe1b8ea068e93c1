/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <ncurses.h>

#include "run_view.h"

/* A panel of the trend: rows of the screen, and the range of values they stand for. */
typedef struct panel {
    int top, height, left, width;
    double low, high;
} panel;

static int line_of(const panel *p, double value)
{
    const double part = (value - p->low) / (p->high - p->low);
    const int line = (int)lround((1.0 - part) * (p->height - 1));

    return p->top + (line < 0 ? 0 : line >= p->height ? p->height - 1 : line);
}

/* The rows that a column of the screen stands for: the newest are at the right. */
static size_t row_of(const rk_run_curves *rows, const panel *p, int column, size_t per_column)
{
    const size_t back = (size_t)(p->width - 1 - column) * per_column;

    return back < rows->count ? rows->count - 1 - back : rows->count;
}

static void plot(const rk_run_curves *rows, const double *values, const panel *p,
                 size_t per_column, char mark)
{
    int column;

    for (column = 0; column < p->width; column++) {
        const size_t row = row_of(rows, p, column, per_column);

        if (row < rows->count && isfinite(values[row])) {
            (void)mvaddch(line_of(p, values[row]), p->left + column, (chtype)mark);
        }
    }
}

/* Room for what is shown, and a little more; never less than a hundredth of the range. */
static void fit_range(const rk_run_curves *rows, const double *values, const panel *shape,
                      size_t per_column, double span, panel *p)
{
    int column;

    for (column = 0; column < shape->width; column++) {
        const size_t row = row_of(rows, shape, column, per_column);

        if (row < rows->count && isfinite(values[row])) {
            p->low = fmin(p->low, values[row]);
            p->high = fmax(p->high, values[row]);
        }
    }
    if (p->high - p->low < 0.01 * span) {
        const double middle = 0.5 * (p->high + p->low);

        p->low = middle - (0.005 * span);
        p->high = middle + (0.005 * span);
    }
}

static void scale(const panel *p, const char *what, const char *units)
{
    (void)mvprintw(p->top - 1, 0, "%s, %s", what, units);
    (void)mvprintw(p->top, 0, "%9.5g", p->high);
    (void)mvprintw(p->top + p->height - 1, 0, "%9.5g", p->low);
    (void)mvvline(p->top, p->left - 1, '|', p->height);
}

static panel new_panel(int top, int height)
{
    const panel made = {top, height, 11, COLS - 12, HUGE_VAL, -HUGE_VAL};

    return made;
}

void run_trend_show(const rk_design *d, const rk_run_curves *rows)
{
    const int top = 8, room = LINES - top - 3, upper = (2 * room) / 3;
    const double pv_span = isnan(d->pv_low) ? 1.0 : d->pv_high - d->pv_low;
    panel pv = new_panel(top, upper), out = new_panel(top + upper + 1, room - upper - 1);
    size_t per_column;
    int first;

    if (rows->count == 0) return;
    per_column = ((rows->count - 1) / (size_t)pv.width) + 1;
    fit_range(rows, rows->pv, &pv, per_column, pv_span, &pv);
    fit_range(rows, rows->sp, &pv, per_column, pv_span, &pv);
    fit_range(rows, rows->out, &out, per_column, d->out_high - d->out_low, &out);
    scale(&pv, "SP - and PV *", d->pv_units);
    scale(&out, "OUT #", d->out_units);
    (void)attron(COLOR_PAIR(COLOUR_SP));
    plot(rows, rows->sp, &pv, per_column, '-');
    (void)attroff(COLOR_PAIR(COLOUR_SP));
    plot(rows, rows->pv, &pv, per_column, '*');
    (void)attron(COLOR_PAIR(COLOUR_OUT));
    plot(rows, rows->out, &out, per_column, '#');
    (void)attroff(COLOR_PAIR(COLOUR_OUT));
    for (first = 0; row_of(rows, &pv, first, per_column) == rows->count; first++) {
        continue;
    }
    (void)mvprintw(LINES - 2, pv.left + first, "%.4g s",
                   rows->time[row_of(rows, &pv, first, per_column)]);
    (void)mvprintw(LINES - 2, COLS - 12, "%9.4g s", rows->time[rows->count - 1]);
}
