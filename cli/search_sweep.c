/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cmd_search.h"

/* A grid of more points takes too long to wait for. */
enum { POINTS_MOST = 250000, REFINE_TURNS = 3 };

void take_axis(job *j, struct argp_state *state, const command_option *o, const char *arg)
{
    search_job *s = (search_job *)j;
    const bool time = o->name[0] == 't';

    s->is_grid = rk_grid_axis_parse(arg, time, (rk_grid_axis *)((char *)j + o->to));
    if (!s->is_grid) {
        refuse_option(state, o->name,
                      ": '%s' is not LOW:HIGH:STEP such as 0.5:5:0.25, at most 1000 values",
                      arg);
    }
}

/* Axes that were not given: the mode needs them, or one value will do. */
static int check_grid(search_job *s)
{
    const bool integral = strchr(s->plan.mode, 'I') != NULL;
    const bool derivative = strchr(s->plan.mode, 'D') != NULL;
    rk_grid *g = &s->grid;

    if (g->kc.count == 0 || (integral && g->ti.count == 0) ||
        (derivative && g->td.count == 0)) {
        return fail(&s->j, EXIT_USAGE, "a sweep of %s needs --kc%s%s", s->plan.mode,
                    integral ? " and --ti" : "", derivative ? " and --td" : "");
    }
    if (!integral || g->ti.count == 0) {
        g->ti = (rk_grid_axis){1.0, 1.0, 1};
    }
    if (!derivative || g->td.count == 0) {
        g->td = (rk_grid_axis){0.0, 0.0, 1};
    }
    if (g->kc.count * g->ti.count > POINTS_MOST ||
        g->kc.count * g->ti.count * g->td.count > POINTS_MOST) {
        return fail(&s->j, EXIT_USAGE, "%zu points are too many: at most %d",
                    g->kc.count * g->ti.count * g->td.count, POINTS_MOST);
    }
    return EXIT_DONE;
}

int run_sweep(search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    const int status = check_grid(s);

    if (status != EXIT_DONE) return status;
    return fail_range(&s->j,
                      rk_search_grid_refine(&s->plan, s->refine ? REFINE_TURNS : 0, &s->grid,
                                            &s->points, &s->best, &s->found, &diag),
                      &diag);
}
