/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>

/* After each change of the setpoint, how far PV goes beyond where the setpoint has got to at
   the end of that change, on the side that it was moving to. */
static double overshoot(const rk_run_curves *r)
{
    double most = nan(""), from = r->sp[0];
    size_t i = 1;

    while (i < r->count) {
        size_t end;
        double sp, beyond = 0;

        for (; i < r->count && r->sp[i] == from; i++) {
            continue;
        }
        if (i == r->count) break;
        /* A ramp is one change: up to where the setpoint stands still. */
        for (end = i; end + 1 < r->count && r->sp[end + 1] != r->sp[end]; end++) {
            continue;
        }
        sp = r->sp[end];
        for (i = end + 1; i < r->count && r->sp[i] == sp; i++) {
            if (!isnan(r->pv[i])) {
                beyond = fmax(beyond, sp > from ? r->pv[i] - sp : sp - r->pv[i]);
            }
        }
        most = isnan(most) ? beyond : fmax(most, beyond);
        from = sp;
    }
    return most;
}

rk_run_figures rk_run_figures_compute(const rk_run_curves *r)
{
    const double none = nan("");
    rk_run_figures f = {none, none, none, none, none};
    size_t i;

    if (r->count == 0) return f;
    f.overshoot = overshoot(r);
    f.out_lowest = f.out_highest = r->out[0];
    f.largest_move = f.travel = 0;
    for (i = 1; i < r->count; i++) {
        const double move = fabs(r->out[i] - r->out[i - 1]);

        f.out_lowest = fmin(f.out_lowest, r->out[i]);
        f.out_highest = fmax(f.out_highest, r->out[i]);
        f.largest_move = fmax(f.largest_move, move);
        f.travel += move;
    }
    return f;
}
