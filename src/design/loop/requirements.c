/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/requirements.h>

#include <math.h>
#include <stddef.h>

#include "design/base/words.h"

static const char *const require_words[] = {
    "gain-margin", "phase-margin", "delay-margin", "ms",   "overshoot",
    "settling",    "rise",         "steady-error", "peak", "recovery",
    "travel",      "largest-move", "out-noise",    NULL};

const char *rk_require_to_text(rk_require what)
{
    return rki_word(require_words, (int)what);
}

rk_status rk_require_from_text(const char *text, rk_require *what, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || what == NULL) return RK_ERR_ARG;
    status = rki_word_find(require_words, "requirement", text, &found, diag);
    if (status == RK_OK) {
        *what = (rk_require)found;
    }
    return status;
}

bool rk_require_is_least(rk_require what)
{
    return what <= RK_REQUIRE_DELAY_MARGIN;
}

rk_quantity rk_require_quantity(rk_require what)
{
    static const rk_quantity quantities[RK_REQUIRE_COUNT] = {
        RK_QUANTITY_FACTOR,  RK_QUANTITY_DEGREES, RK_QUANTITY_TIME, RK_QUANTITY_FACTOR,
        RK_QUANTITY_PERCENT, RK_QUANTITY_TIME,    RK_QUANTITY_TIME, RK_QUANTITY_PV,
        RK_QUANTITY_PV,      RK_QUANTITY_TIME,    RK_QUANTITY_OUT,  RK_QUANTITY_OUT,
        RK_QUANTITY_OUT};

    return quantities[what];
}

rk_requirements rk_requirements_default(void)
{
    rk_requirements made;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        made.limit[i] = nan("");
        made.by_default[i] = true;
    }
    made.sp_step = made.load_step = nan("");
    made.limit[RK_REQUIRE_GAIN_MARGIN] = 2.0;
    made.limit[RK_REQUIRE_PHASE_MARGIN] = 45.0;
    made.limit[RK_REQUIRE_MS] = 2.0;
    return made;
}

rk_status rk_requirements_set(rk_requirements *requirements, rk_require what, double limit,
                              rk_diag *diag)
{
    const bool zero_is_fine = what == RK_REQUIRE_OVERSHOOT && limit == 0;

    rk_diag_clear(diag);
    if (requirements == NULL || what < 0 || what >= RK_REQUIRE_COUNT) return RK_ERR_ARG;
    if (!isfinite(limit) || (!(limit > 0) && !zero_is_fine)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "requirement %s %g: give a limit above 0",
                           rk_require_to_text(what), limit);
    }
    if ((what == RK_REQUIRE_MS || what == RK_REQUIRE_GAIN_MARGIN) && !(limit > 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "requirement %s %g: give a limit above 1, %s",
                           rk_require_to_text(what), limit,
                           what == RK_REQUIRE_MS ? "such as 1.6: no loop has less"
                                                 : "a factor such as 2");
    }
    if (what == RK_REQUIRE_PHASE_MARGIN && !(limit < 180)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "requirement phase-margin %g: give degrees below 180, such as 45",
                           limit);
    }
    requirements->limit[what] = limit;
    requirements->by_default[what] = false;
    return RK_OK;
}

bool rk_requirements_need_trial(const rk_requirements *requirements)
{
    int i;

    for (i = RK_REQUIRE_OVERSHOOT; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(requirements->limit[i])) return true;
    }
    return false;
}

/* What rounding may take from a figure that stands exactly on its limit. */
#define ON_THE_LIMIT 1e-9

rk_verdict rk_requirements_check(const rk_requirements *requirements, bool stable,
                                 const double figure[RK_REQUIRE_COUNT])
{
    rk_verdict verdict = {.met = stable};
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const double limit = requirements->limit[i];

        verdict.figure[i] = figure[i];
        verdict.asked[i] = !isnan(limit);
        if (!verdict.asked[i]) continue;
        verdict.line_met[i] = rk_require_is_least((rk_require)i)
                                  ? figure[i] >= limit * (1.0 - ON_THE_LIMIT)
                                  : figure[i] <= (limit * (1.0 + ON_THE_LIMIT)) + ON_THE_LIMIT;
        if (!verdict.line_met[i]) {
            verdict.met = false;
        }
    }
    return verdict;
}

const rk_sampling *rk_conditions_sampling(const rk_conditions *conditions,
                                          const rk_settings *settings, rk_sampling *room)
{
    if (isnan(conditions->ts)) return NULL;
    *room =
        (rk_sampling){conditions->ts, conditions->delay, settings->integral, conditions->known};
    return room;
}
