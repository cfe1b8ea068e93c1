/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/number.h>

#include "search_points.h"

enum { COUNT_MOST = 1000 };

bool rk_grid_axis_parse(const char *text, bool times, rk_grid_axis *axis)
{
    double v[3];
    const size_t given = rk_numbers_parse(text, ':', times, v, 3);

    if (given == 1) {
        *axis = (rk_grid_axis){v[0], v[0], 1};
        return true;
    }
    if (given != 3 || !(v[2] > 0) || !(v[1] > v[0]) || !((v[1] - v[0]) / v[2] < COUNT_MOST)) {
        return false;
    }
    axis->low = v[0];
    axis->count = (size_t)floor(((v[1] - v[0]) / v[2]) + 1.000001); /* 0.3 is the third 0.1 */
    axis->high = v[0] + (v[2] * (double)(axis->count - 1));
    return true;
}

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
    to->met = to->stable && from->unsafe == 0 && from->missing == 0;
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
    rki_search_plan_sweep(&s, 0.0);
    memset(&found, 0, sizeof found);
    found.unsafe = found.missing = found.cost = HUGE_VAL;
    status = run_all(&s, grid, grid->kc.count * grid->ti.count * grid->td.count, points, &found,
                     &at);
    if (status != RK_OK) return rk_diag_set(diag, status, "the sweep could not be run");
    if (!points[at].stable) {
        return rk_diag_set(diag, RK_ERR_DATA, "no point of the grid is stable");
    }
    *best = at;
    return rki_search_result(&s, &found, result, diag);
}

static bool is_end(const rk_grid_axis *axis, size_t at)
{
    return axis->count > 2 && (at == 0 || at == axis->count - 1);
}

bool rk_grid_is_edge(const rk_grid *grid, size_t point)
{
    return is_end(&grid->kc, point % grid->kc.count) ||
           is_end(&grid->ti, (point / grid->kc.count) % grid->ti.count) ||
           is_end(&grid->td, point / (grid->kc.count * grid->ti.count));
}

/* One and a half steps to each side of a value, in as many values; an axis from 0 on, or above it,
   stays there. */
static void zoom(rk_grid_axis *axis, double value)
{
    const double step =
        axis->count > 1 ? (axis->high - axis->low) / (double)(axis->count - 1) : 0.0;

    if (axis->count < 2) return;
    if (axis->low < 0) {
        axis->low = value - (1.5 * step);
    } else {
        axis->low = fmax(value - (1.5 * step), axis->low > 0 ? 0.05 * value : 0.0);
    }
    axis->high = value + (1.5 * step);
}

/* One turn, in place of the one before unless it was cut short. */
static rk_status run_turn(const rk_search_plan *plan, const rk_grid *next, bool first,
                          rk_grid *grid, rk_grid_point **points, size_t *best,
                          rk_search_result *result, rk_diag *diag)
{
    rk_grid_point *made =
        rk_memory_create(next->kc.count * next->ti.count * next->td.count, sizeof *made);
    rk_search_result found = {.stopped = false};
    size_t at = 0;
    rk_status status;

    if (made == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the points of the grid");
    }
    status = rk_search_grid_compute(plan, next, made, &at, &found, diag);
    /* Around a stable point only a turn that was cut short finds none. */
    if (!first && (status == RK_ERR_DATA || found.stopped)) {
        rk_memory_free(made);
        rk_diag_clear(diag);
        result->stopped = true;
        return RK_OK;
    }
    if (status != RK_OK) {
        rk_memory_free(made);
        return status;
    }
    rk_memory_free(*points);
    found.tried += first ? 0 : result->tried;
    *points = made;
    *grid = *next;
    *best = at;
    *result = found;
    return RK_OK;
}

rk_status rk_search_grid_refine(const rk_search_plan *plan, int turns, rk_grid *grid,
                                rk_grid_point **points, size_t *best, rk_search_result *result,
                                rk_diag *diag)
{
    rk_grid_point *kept = NULL;
    rk_status status = RK_OK;
    int turn;

    rk_diag_clear(diag);
    if (plan == NULL || grid == NULL || points == NULL || best == NULL || result == NULL) {
        return RK_ERR_ARG;
    }
    memset(result, 0, sizeof *result);
    for (turn = 0; turn <= turns && status == RK_OK && !result->stopped; turn++) {
        rk_grid next = *grid;

        if (turn > 0) {
            zoom(&next.kc, result->settings.kc);
            zoom(&next.ti, result->settings.ti);
            zoom(&next.td, result->settings.td);
        }
        status = run_turn(plan, &next, turn == 0, grid, &kept, best, result, diag);
    }
    if (status != RK_OK) {
        rk_memory_free(kept);
        return status;
    }
    *points = kept;
    return RK_OK;
}
