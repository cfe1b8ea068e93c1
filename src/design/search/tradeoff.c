/* SPDX-License-Identifier: MIT */
/*
 * What less effort costs: the same search for several weights of the effort. Each weight then takes
 * the best, by its own cost, of all that were found, so that a weight's search that ended a little
 * above its optimum cannot put the curve out of order: more weight is never more effort.
 */
#include <redkettle/design/search/search.h>

#include <math.h>

static double weighed(const rk_search_plan *plan, const rk_search_result *r, double weight)
{
    return (plan->weigh_error * r->error) + (weight * r->effort);
}

/* A result that meets no fewer of the requirements, at a lower cost. */
static bool is_better(const rk_search_plan *plan, const rk_search_result *a,
                      const rk_search_result *b, double weight)
{
    return a->met && (!b->met || weighed(plan, a, weight) < weighed(plan, b, weight));
}

rk_status rk_tradeoff_compute(const rk_search_plan *plan, const double *weights, size_t count,
                              rk_search_result *results, rk_diag *diag)
{
    rk_search_result found[RK_WEIGHTS_MAX];
    size_t i, k;

    rk_diag_clear(diag);
    if (plan == NULL || weights == NULL || results == NULL) return RK_ERR_ARG;
    if (count < 1 || count > RK_WEIGHTS_MAX) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%zu weights: give 1 to %d", count,
                           RK_WEIGHTS_MAX);
    }
    for (i = 0; i < count; i++) {
        rk_search_plan one = *plan;
        rk_status status;

        one.weigh_effort = weights[i];
        status = rk_search_compute(&one, &found[i], diag);
        if (status != RK_OK) return status;
    }
    for (i = 0; i < count; i++) {
        results[i] = found[i];
        for (k = 0; k < count; k++) {
            if (is_better(plan, &found[k], &results[i], weights[i])) {
                results[i] = found[k];
            }
        }
        results[i].tried = found[i].tried;
        results[i].cost = weighed(plan, &results[i], weights[i]);
    }
    return RK_OK;
}
