/* SPDX-License-Identifier: MIT */
/*
 * Figures of a running loop. Overshoot is counted for each change of the setpoint, a ramp being
 * one: from the scan in which the setpoint stands still until it moves again, how far PV goes
 * beyond where the setpoint got to, on the side that it was moving to.
 */
#include <redkettle/design/trial/trial.h>

#include <math.h>

rk_run_meter rk_run_meter_make(void)
{
    const double none = nan("");
    const rk_run_meter made = {.figures = {none, none, none, none, none}};

    return made;
}

static void follow_setpoint(rk_run_meter *m, double sp, double pv)
{
    rk_run_figures *f = &m->figures;

    if (sp != m->sp) {
        if (!m->moving) {
            m->from = m->sp;
            f->overshoot = isnan(f->overshoot) ? 0.0 : f->overshoot;
        }
        m->moving = true;
        m->reached = false;
        return;
    }
    m->reached = m->reached || m->moving;
    m->moving = false;
    if (m->reached && !isnan(pv)) {
        f->overshoot = fmax(f->overshoot, sp > m->from ? pv - sp : sp - pv);
    }
}

void rk_run_meter_add(rk_run_meter *m, double sp, double pv, double out)
{
    rk_run_figures *f = &m->figures;

    if (m->scans == 0) {
        f->out_lowest = f->out_highest = out;
        f->largest_move = f->travel = 0;
    } else {
        const double move = fabs(out - m->out);

        f->out_lowest = fmin(f->out_lowest, out);
        f->out_highest = fmax(f->out_highest, out);
        f->largest_move = fmax(f->largest_move, move);
        f->travel += move;
        follow_setpoint(m, sp, pv);
    }
    m->sp = sp;
    m->out = out;
    m->scans++;
}

rk_run_figures rk_run_figures_compute(const rk_run_curves *r)
{
    rk_run_meter meter = rk_run_meter_make();
    size_t i;

    for (i = 0; i < r->count; i++) {
        rk_run_meter_add(&meter, r->sp[i], r->pv[i], r->out[i]);
    }
    return meter.figures;
}
