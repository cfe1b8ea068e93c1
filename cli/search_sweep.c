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

/* The grid that was typed, in the one form or the other. */
static int take_grid(search_job *s, rk_grid *grid)
{
    const rk_grid *p = &s->parallel, *i = &s->ideal;

    *grid = *i;
    if (p->gain.count + p->integral.count + p->derivative.count == 0) return EXIT_DONE;
    if (i->gain.count + i->integral.count + i->derivative.count > 0) {
        return fail(
            &s->j, EXIT_USAGE,
            "--kp, --ki and --kd are of the parallel form: leave --kc, --ti and --td out");
    }
    *grid = *p;
    grid->form = s->j.typed.given.form = RK_FORM_PARALLEL;
    return EXIT_DONE;
}

/* Axes that were not given: the mode needs them, or one value will do. */
static int check_grid(search_job *s, rk_grid *g)
{
    const bool integral = strchr(s->plan.mode, 'I') != NULL;
    const bool derivative = strchr(s->plan.mode, 'D') != NULL;
    const bool parallel = g->form == RK_FORM_PARALLEL;

    if (g->gain.count == 0 || (integral && g->integral.count == 0) ||
        (derivative && g->derivative.count == 0)) {
        return fail(&s->j, EXIT_USAGE, "a sweep of %s needs %s%s%s", s->plan.mode,
                    parallel ? "--kp" : "--kc",
                    !integral  ? ""
                    : parallel ? " and --ki"
                               : " and --ti",
                    !derivative ? ""
                    : parallel  ? " and --kd"
                                : " and --td");
    }
    if ((!integral && g->integral.count > 0) || (!derivative && g->derivative.count > 0)) {
        return fail(&s->j, EXIT_USAGE, "a sweep of %s has no %s: leave it out, or give --mode",
                    s->plan.mode,
                    !integral && g->integral.count > 0 ? (parallel ? "--ki" : "--ti")
                                                       : (parallel ? "--kd" : "--td"));
    }
    if (g->integral.count == 0) {
        g->integral = (rk_grid_axis){1.0, 1.0, 1};
    }
    if (g->derivative.count == 0) {
        g->derivative = (rk_grid_axis){0.0, 0.0, 1};
    }
    if (g->gain.count * g->integral.count > POINTS_MOST || rk_grid_points(g) > POINTS_MOST) {
        return fail(&s->j, EXIT_USAGE, "%zu points are too many: at most %d", rk_grid_points(g),
                    POINTS_MOST);
    }
    return EXIT_DONE;
}

int run_sweep(search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    rk_grid grid;
    int status = take_grid(s, &grid);

    if (status == EXIT_DONE) {
        status = check_grid(s, &grid);
    }
    if (status != EXIT_DONE) return status;
    return fail_range(&s->j,
                      rk_search_grid_refine(&s->plan, s->refine ? REFINE_TURNS : 0, &grid,
                                            &s->swept, &s->found, &diag),
                      &diag);
}
