/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/trial/performance.h>

/* So many responses can be told apart. */
enum { FAN = 5 };

static void make_case(const rk_design *loop, const rk_tuning *tuning, rk_trial_case *made)
{
    memset(made, 0, sizeof *made);
    made->plant = *rk_design_process(loop);
    made->settings = tuning->settings;
    made->limits = rk_limits_none();
    made->ts =
        isnan(loop->ts) ? rk_scan_fast(rk_design_process(loop), &made->settings) : loop->ts;
    (void)snprintf(made->name, sizeof made->name, "lambda %.3g s", tuning->lambda);
}

/* A setpoint step of 1, and then a load step that moves PV about as far. */
static rk_trial_plan make_plan(const rk_design *loop, const rk_tuning *middle,
                               const rk_trial_case cases[FAN])
{
    const double none = nan("");
    rk_trial_plan made = {.sp_step = 1.0,
                          .noise = none,
                          .band = none,
                          .duration = none,
                          .load_at = none,
                          .sp_at = none};

    made.load_step = rk_model_kind_integrates(loop->model.kind) ? 0.3 * middle->settings.kc
                                                                : 1.0 / loop->model.gain;
    rk_trial_plan_complete(&made, loop, cases, FAN);
    made.duration *= 0.5; /* the slow ones are cut short, so that the fast ones can be seen */
    made.load_at *= 0.5;
    return made;
}

rk_status rk_figure_speeds(const rk_design *loop, const rk_tuning *list, size_t count,
                           const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    rk_trial *trials[FAN] = {NULL};
    rk_trial_case cases[FAN];
    rk_trial_plan plan;
    rk_status status = RK_OK;
    size_t i;

    rk_diag_clear(diag);
    if (loop == NULL || list == NULL || count == 0) return RK_ERR_ARG;
    for (i = 0; i < FAN; i++) { /* without the fastest and the slowest, which say little */
        make_case(loop, &list[(1 + ((count - 2) * i / (FAN - 1))) % count], &cases[i]);
    }
    plan = make_plan(loop, &list[count / 2], cases);
    for (i = 0; i < FAN && status == RK_OK; i++) {
        status = rk_trial_create(&cases[i], &plan, &trials[i], diag);
    }
    if (status == RK_OK) {
        status = rk_figure_trial(loop, &plan, (const rk_trial *const *)trials, FAN, NULL, style,
                                 image, diag);
    }
    for (i = 0; i < FAN; i++) {
        rk_trial_free(trials[i]);
    }
    return status;
}
