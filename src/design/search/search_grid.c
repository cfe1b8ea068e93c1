/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "search_points.h"

enum { COUNT_MOST = 1000 };

double rk_grid_value(const rk_grid_axis *axis, size_t i)
{
    if (axis->count < 2) return axis->low;
    return axis->low + ((axis->high - axis->low) * ((double)i / (double)(axis->count - 1)));
}

static rk_status check_axis(const char *name, const rk_grid_axis *a, rk_diag *diag)
{
    if (a->count >= 1 && a->count <= COUNT_MOST && isfinite(a->low) && isfinite(a->high) &&
        (a->count == 1 || a->low < a->high)) {
        return RK_OK;
    }
    return rk_diag_set(
        diag, RK_ERR_RANGE,
        "%s from %g to %g in %zu values: give low below high, and 1 to %d values", name, a->low,
        a->high, a->count, COUNT_MOST);
}

static rk_settings settings_at(const rki_search_run *s, const rk_grid *g, size_t at)
{
    const size_t kc = at % g->kc.count, ti = (at / g->kc.count) % g->ti.count;
    const size_t td = at / (g->kc.count * g->ti.count);

    return rki_search_settings(s, rk_grid_value(&g->kc, kc), rk_grid_value(&g->ti, ti),
                               rk_grid_value(&g->td, td));
}

static void take(const rki_point *from, rk_grid_point *to)
{
    int i;

    to->settings = from->settings;
    to->stable = from->stable;
    to->met = to->stable && from->missing == 0;
    to->cost = to->stable ? from->cost : nan("");
    to->setpoint = from->run.setpoint;
    to->load = from->run.load;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        to->figure[i] = to->stable ? from->figure[i] : nan("");
    }
}

static rk_status run_all(rki_search_run *s, const rk_grid *grid, size_t count,
                         rk_grid_point *points, rki_point *best, size_t *at)
{
    rki_point some[RKI_POINTS_MOST];
    size_t first, i;

    for (first = 0; first < count; first += RKI_POINTS_MOST) {
        const size_t many =
            count - first < RKI_POINTS_MOST ? count - first : (size_t)RKI_POINTS_MOST;
        rk_status status;

        memset(some, 0, sizeof some);
        for (i = 0; i < many; i++) {
            some[i].settings = settings_at(s, grid, first + i);
        }
        s->part = (double)first / (double)count;
        if (!rki_search_may_go_on(s) && first > 0) {
            for (i = 0; i < many; i++) {
                take(&some[i], &points[first + i]);
            }
            continue;
        }
        status = rki_points_evaluate(s, some, (int)many);
        if (status != RK_OK) return status;
        for (i = 0; i < many; i++) {
            take(&some[i], &points[first + i]);
            if (rki_point_is_better(&some[i], best)) {
                *best = some[i];
                *at = first + i;
            }
        }
    }
    return RK_OK;
}

rk_status rk_search_grid_compute(const rk_search_plan *plan, const rk_grid *grid,
                                 rk_grid_point *points, size_t *best, rk_search_result *result,
                                 rk_diag *diag)
{
    rki_search_run s = {.plan = plan};
    rki_point found;
    size_t at = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || grid == NULL || points == NULL || best == NULL || result == NULL) {
        return RK_ERR_ARG;
    }
    status = rki_search_check(plan, &s, diag);
    if (status == RK_OK) {
        status = check_axis("kc", &grid->kc, diag);
    }
    if (status == RK_OK) {
        status = check_axis("ti", &grid->ti, diag);
    }
    if (status == RK_OK) {
        status = check_axis("td", &grid->td, diag);
    }
    if (status != RK_OK) return status;
    rki_search_plan_sweep(&s);
    memset(&found, 0, sizeof found);
    found.missing = found.cost = HUGE_VAL;
    status = run_all(&s, grid, grid->kc.count * grid->ti.count * grid->td.count, points, &found,
                     &at);
    if (status != RK_OK) return rk_diag_set(diag, status, "the sweep could not be run");
    if (!points[at].stable) {
        return rk_diag_set(diag, RK_ERR_DATA, "no point of the grid is stable");
    }
    *best = at;
    return rki_search_result(&s, &found, result, diag);
}
