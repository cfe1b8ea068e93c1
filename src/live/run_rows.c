/* SPDX-License-Identifier: MIT */
#include <redkettle/live/run_rows.h>

/* Every second one of those that are kept. */
static void halve(rk_run_rows *r)
{
    size_t i;

    for (i = 0; i < RK_LIVE_ROWS_MOST / 2; i++) {
        r->time[i] = r->time[2 * i];
        r->sp[i] = r->sp[2 * i];
        r->pv[i] = r->pv[2 * i];
        r->out[i] = r->out[2 * i];
    }
    r->count = RK_LIVE_ROWS_MOST / 2;
    r->stride *= 2;
}

void rk_run_rows_add(rk_run_rows *r, const rk_live_row *row)
{
    const size_t place = r->seen++;

    r->stride = r->stride > 0 ? r->stride : 1;
    if (place % r->stride != 0) return;
    if (r->count == RK_LIVE_ROWS_MOST) {
        halve(r);
        if (place % r->stride != 0) return;
    }
    r->time[r->count] = row->time;
    r->sp[r->count] = row->sp;
    r->pv[r->count] = row->pv;
    r->out[r->count++] = row->out;
}

rk_run_curves rk_run_rows_curves(const rk_run_rows *r)
{
    const rk_run_curves made = {"", r->count, r->time, r->sp, r->pv, r->out};

    return made;
}
