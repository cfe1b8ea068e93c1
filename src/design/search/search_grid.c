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

size_t rk_grid_points(const rk_grid *grid)
{
    return grid->gain.count * grid->integral.count * grid->derivative.count;
}

static rk_settings settings_at(const rki_search_run *s, const rk_grid *g, size_t at)
{
    const size_t kc = at % g->gain.count, ti = (at / g->gain.count) % g->integral.count;
    const size_t td = at / (g->gain.count * g->integral.count);

    const double gain = rk_grid_value(&g->gain, kc), integral = rk_grid_value(&g->integral, ti);
    const double derivative = rk_grid_value(&g->derivative, td);

    if (g->form != RK_FORM_PARALLEL) return rki_search_settings(s, gain, integral, derivative);
    return rki_search_settings(s, gain, integral != 0 ? gain / integral : HUGE_VAL,
                               derivative / gain);
}

static void take(const rki_point *from, rk_grid_point *to)
{
    int i;

    to->settings = from->settings;
    to->turn = 0;
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
                points[first + i].turn = -1;
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
    bool parallel;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || grid == NULL || points == NULL || best == NULL || result == NULL) {
        return RK_ERR_ARG;
    }
    parallel = grid->form == RK_FORM_PARALLEL;
    status = rki_search_check(plan, &s, diag);
    if (status == RK_OK) {
        status = check_axis(parallel ? "kp" : "kc", &grid->gain, diag);
    }
    if (status == RK_OK) {
        status = check_axis(parallel ? "ki" : "ti", &grid->integral, diag);
    }
    if (status == RK_OK) {
        status = check_axis(parallel ? "kd" : "td", &grid->derivative, diag);
    }
    if (status != RK_OK) return status;
    rki_search_plan_sweep(&s, 0.0);
    memset(&found, 0, sizeof found);
    found.unsafe = found.missing = found.cost = HUGE_VAL;
    status = run_all(&s, grid, rk_grid_points(grid), points, &found, &at);
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
    return is_end(&grid->gain, point % grid->gain.count) ||
           is_end(&grid->integral, (point / grid->gain.count) % grid->integral.count) ||
           is_end(&grid->derivative, point / (grid->gain.count * grid->integral.count));
}

/* One and a half steps to each side of a value, in as many values; an axis from 0 on, or away from
   it, stays there. */
static void zoom(rk_grid_axis *axis, double value)
{
    const double side = axis->high <= 0 ? -1.0 : 1.0;
    const double near = side > 0 ? axis->low : -axis->high, at = side * value;
    double reach, from, to;

    if (axis->count < 2) return;
    reach = 1.5 * (axis->high - axis->low) / (double)(axis->count - 1);
    from = at - reach;
    to = at + reach;
    if (near >= 0) {
        from = fmax(from, near > 0 ? 0.05 * at : 0.0);
    }
    axis->low = side > 0 ? from : -to;
    axis->high = side > 0 ? to : -from;
}

/* Around the best point, in the grid's own numbers. */
static void zoom_all(const rk_settings *best, rk_grid *grid)
{
    const bool parallel = grid->form == RK_FORM_PARALLEL;

    zoom(&grid->gain, best->kc);
    zoom(&grid->integral, parallel ? best->kc / best->ti : best->ti);
    zoom(&grid->derivative, parallel ? best->kc * best->td : best->td);
}

/* One turn, put behind those before unless it was cut short. */
static rk_status run_turn(const rk_search_plan *plan, int turn, const rk_grid *next,
                          rk_grid_runs *runs, rk_search_result *result, rk_diag *diag)
{
    const size_t count = rk_grid_points(next);
    rk_grid_point *point = runs->point + runs->count;
    rk_search_result found = {.stopped = false};
    size_t at = 0, i;
    const rk_status status = rk_search_grid_compute(plan, next, point, &at, &found, diag);

    /* Around a stable point only a turn that was cut short finds none. */
    if (turn > 0 && (status == RK_ERR_DATA || found.stopped)) {
        rk_diag_clear(diag);
        result->stopped = true;
        return RK_OK;
    }
    if (status != RK_OK) return status;
    for (i = 0; i < count && turn > 0; i++) {
        point[i].turn = turn;
    }
    found.tried += result->tried;
    runs->grid = *next;
    runs->last = runs->count;
    runs->count += count;
    runs->best = at;
    *result = found;
    return RK_OK;
}

enum { TURNS_MOST = 10 };

rk_status rk_search_grid_refine(const rk_search_plan *plan, int turns, const rk_grid *grid,
                                rk_grid_runs *runs, rk_search_result *result, rk_diag *diag)
{
    rk_grid_runs made = {.count = 0};
    rk_search_result found = {.stopped = false};
    rk_status status = RK_OK;
    int turn;

    rk_diag_clear(diag);
    if (plan == NULL || grid == NULL || runs == NULL || result == NULL) return RK_ERR_ARG;
    if (turns < 0 || turns > TURNS_MOST) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%d turns of a sweep: give 0 to %d", turns,
                           TURNS_MOST);
    }
    made.first = made.grid = *grid;
    made.point =
        rk_memory_create((rk_grid_points(grid) * ((size_t)turns + 1)) + 1, sizeof *made.point);
    if (made.point == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the points of the grid");
    }
    for (turn = 0; turn <= turns && status == RK_OK && !found.stopped; turn++) {
        rk_grid next = made.grid;

        if (turn > 0) {
            zoom_all(&found.settings, &next);
        }
        status = run_turn(plan, turn, &next, &made, &found, diag);
    }
    if (status != RK_OK) {
        rk_grid_runs_free(&made);
        return status;
    }
    *runs = made;
    *result = found;
    return RK_OK;
}

void rk_grid_runs_free(rk_grid_runs *runs)
{
    rk_memory_free(runs->point);
    runs->point = NULL;
}
