/* SPDX-License-Identifier: MIT */
/*
 * For each requirement that is not met the nearest change of kc alone or of ti alone that meets
 * it: VALUES of each, in equal factors to an eighth and eight times, are run in one sweep; of
 * those that meet the requirement the nearest is taken, one that meets all requirements first.
 */
#include <redkettle/design/check/check.h>

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "design/search/search_points.h"

/* Values tried of each setting, to so many times it and as small a part. */
#define FAR 8.0
enum { VALUES = 41, MIDDLE = VALUES / 2 };
_Static_assert((int)VALUES <= (int)RKI_POINTS_MOST, "all values are tried at once");

/* The settings with one value of one of them. */
static rk_settings changed(const rk_settings *settings, bool kc, int at)
{
    const double factor = pow(FAR, (double)(at - MIDDLE) / MIDDLE);
    rk_settings s = *settings;

    if (kc) {
        s.kc *= factor;
    } else {
        s.ti *= factor;
    }
    return s;
}

static bool meets(const rk_requirements *asked, const rki_point *p, int line)
{
    rk_requirements one = *asked;
    int i;

    if (!p->stable) return false;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        one.limit[i] = i == line ? asked->limit[i] : nan("");
    }
    return rk_requirements_check(&one, true, p->figure).met;
}

/* The nearest value of one setting that meets a line, or all; -1: none. */
static int nearest(const rk_requirements *asked, const rki_point points[VALUES], int line,
                   bool all)
{
    int away, side;

    for (away = 1; away <= MIDDLE; away++) {
        for (side = -1; side <= 1; side += 2) {
            const int at = MIDDLE + (side * away);

            if (all ? points[at].unsafe == 0 && points[at].missing == 0
                    : meets(asked, &points[at], line))
                return at;
        }
    }
    return -1;
}

static rk_remedy choose(const rk_requirements *asked, const rk_settings *settings,
                        rki_point points[2][VALUES], int line)
{
    rk_remedy remedy = {false, false, 0.0, false};
    int all, kc;

    for (all = 1; all >= 0; all--) {
        int least = VALUES;

        for (kc = 1; kc >= 0; kc--) {
            const int at = nearest(asked, points[kc], line, all == 1);
            const rk_settings s = changed(settings, kc == 1, at < 0 ? MIDDLE : at);

            if (at < 0 || abs(at - MIDDLE) >= least) continue;
            least = abs(at - MIDDLE);
            remedy = (rk_remedy){kc == 1, kc == 0, kc == 1 ? s.kc : s.ti, all == 1};
        }
        if (least < VALUES) return remedy;
    }
    return remedy;
}

rk_status rk_remedies_compute(const rk_requirements *asked, const rk_model *model,
                              const rk_settings *settings, const rk_conditions *conditions,
                              const rk_verdict *verdict, rk_remedy remedies[RK_REQUIRE_COUNT],
                              rk_diag *diag)
{
    rk_search_plan plan;
    rki_search_run run = {.plan = &plan};
    rki_point(*points)[VALUES];
    rk_status status;
    int kc, i;

    rk_diag_clear(diag);
    if (asked == NULL || model == NULL || settings == NULL || conditions == NULL ||
        verdict == NULL || remedies == NULL) {
        return RK_ERR_ARG;
    }
    plan = rk_search_plan_make(conditions->known != NULL ? conditions->known : model);
    plan.process = *model;
    plan.limits = conditions->limits;
    plan.ts = conditions->ts;
    plan.delay = conditions->delay;
    plan.sp_step = conditions->sp_step;
    plan.load_step = conditions->load_step;
    plan.noise = conditions->noise > 0 ? conditions->noise : 0.0;
    plan.mode = rk_settings_mode(settings);
    plan.requirements = *asked;
    status = rki_search_check(&plan, &run, diag);
    if (status != RK_OK) return status;
    rki_search_plan_sweep(&run, 0.0);
    points = rk_memory_create(2, sizeof *points);
    if (points == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for trials");
    for (kc = 0; kc < 2 && status == RK_OK; kc++) {
        for (i = 0; i < VALUES; i++) {
            points[kc][i].settings = changed(settings, kc == 1, i);
        }
        status = rki_points_evaluate(&run, points[kc], VALUES);
    }
    memset(remedies, 0, RK_REQUIRE_COUNT * sizeof *remedies);
    for (i = 0; i < RK_REQUIRE_COUNT && status == RK_OK; i++) {
        if (verdict->asked[i] && !verdict->line_met[i]) {
            remedies[i] = choose(asked, settings, points, i);
        }
    }
    rk_memory_free(points);
    return status == RK_OK ? RK_OK
                           : rk_diag_set(diag, status, "the changes could not be tried");
}
