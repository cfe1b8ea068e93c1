/* SPDX-License-Identifier: MIT */
/*
 * How far kc may go until each margin, or the noise of OUT, reaches its limit: from the kc as
 * set a walk by factors to the first change between met and not met, then halving. Margins need
 * not be monotone in kc; the nearest border is what is looked for.
 */
#include <redkettle/design/check/check.h>

#include <math.h>
#include <stddef.h>

#include "design/margins/brief.h"

/* The search for a border: steps of this factor, so many of them, then halving. */
#define STEP 1.25
enum { STEPS = 30, HALVINGS = 14 };

/* Noise that is normal is within three deviations to either side nearly always. */
#define NOISE_WIDTH 6.0
/* Near the end of stability any noise grows without end: it counts only well before. */
#define EARLY 0.8

typedef struct seeker {
    const rk_model *model;
    rk_settings settings;
    const rk_sampling *sampling; /* NULL: continuous */
    rk_require what;
    double limit;
} seeker;

/* So many times kc are looked at with a predictor. */
#define PREDICTED_MOST 30.0

/* Is the requirement met at this kc? */
static bool met_at(const seeker *s, double kc, rk_status *status)
{
    rk_settings settings = s->settings;
    double figure[RK_REQUIRE_COUNT];
    rk_margins m;

    settings.kc = kc;
    *status = rki_loop_margins_brief(
        s->model,
        s->sampling != NULL && s->sampling->known != NULL ? s->sampling->known : s->model,
        &settings, s->sampling, &m);
    if (*status != RK_OK || !m.stable) return false;
    rk_margins_figures(&m, figure);
    return rk_require_is_least(s->what) ? figure[s->what] >= s->limit
                                        : figure[s->what] <= s->limit;
}

/* The border between a kc that meets the requirement and one that does not. */
static double border(const seeker *s, double met, double missed, rk_status *status)
{
    int i;

    for (i = 0; i < HALVINGS && *status == RK_OK; i++) {
        const double middle = 0.5 * (met + missed);

        if (met_at(s, middle, status)) {
            met = middle;
        } else {
            missed = middle;
        }
    }
    return met;
}

/* The nearest border from where it stands: above if it is met, below or above if it is not. */
static double seek(const seeker *s, rk_status *status)
{
    const double kc = s->settings.kc;
    const bool met = met_at(s, kc, status);
    double up = kc, down = kc;
    int i;

    for (i = 0; i < STEPS && *status == RK_OK; i++) {
        const double higher = up * STEP, lower = down / STEP;

        /* A loop with a predictor may have no limit, and the walk along it gets long. */
        if (s->settings.predictor && fabs(higher) > PREDICTED_MOST * fabs(kc)) break;
        if (met_at(s, higher, status) != met) {
            return met ? border(s, up, higher, status) : border(s, higher, up, status);
        }
        if (*status == RK_OK && !met && met_at(s, lower, status)) {
            return border(s, lower, down, status);
        }
        up = higher;
        down = lower;
    }
    return nan("");
}

/* Deviations of OUT by noise at kc times powers of a step, all at once; the one that reaches a
   size, between the two that hold it. NaN: none does. */
static rk_status noise_border(const rk_model *model, const rk_settings *settings,
                              const rk_conditions *c, double most, double size, double *kc)
{
    enum { N = 16, TURNS = 4 };
    const rk_sweep_plan plan = rk_noise_sweep_plan(model, settings, c);
    double low = settings->kc * 1e-3,
           high = fabs(most) < fabs(settings->kc * 1e3) ? most : settings->kc * 1e3;
    rk_settings tried[N];
    rk_sweep_result results[N];
    int turn, i;

    *kc = nan("");
    for (turn = 0; turn < TURNS; turn++) {
        rk_status status;

        for (i = 0; i < N; i++) {
            tried[i] = *settings;
            tried[i].kc = low * pow(high / low, (double)i / (N - 1));
        }
        status = rk_sweep_compute(&plan, tried, N, results, NULL);
        if (status != RK_OK) return status;
        for (i = 0; i < N && !(results[i].noise.out >= size); i++) {
            continue;
        }
        if (i == 0 || i == N) return RK_OK;
        low = tried[i - 1].kc;
        high = tried[i].kc;
    }
    *kc = high;
    return RK_OK;
}

static rk_status find_noise(const rk_requirements *asked, const rk_model *model,
                            const rk_settings *settings, const rk_conditions *c,
                            double unstable_from, rk_gain_limits *l)
{
    const double most = isnan(unstable_from) ? HUGE_VAL : unstable_from;
    const double range = c->limits.high - c->limits.low;
    const double limit = asked->limit[RK_REQUIRE_OUT_NOISE];
    double filled = nan("");
    rk_status status = RK_OK;

    if (!(c->noise > 0) || isnan(c->ts)) return RK_OK;
    if (!isnan(limit)) {
        status = noise_border(model, settings, c, most, limit, &l->at[RK_REQUIRE_OUT_NOISE]);
    }
    if (status == RK_OK && range < rk_limits_none().high) {
        status = noise_border(model, settings, c, most, range / NOISE_WIDTH, &filled);
    }
    if (!isnan(filled) && !(EARLY * fabs(l->on_off) <= fabs(filled))) {
        l->on_off = filled;
        l->by_noise = true;
    }
    return status == RK_ERR_RANGE ? RK_OK : status;
}

rk_status rk_gain_limits_compute(const rk_requirements *asked, const rk_model *model,
                                 const rk_settings *settings, const rk_conditions *conditions,
                                 double unstable_from, rk_gain_limits *limits, rk_diag *diag)
{
    rk_gain_limits made = {.on_off = unstable_from};
    rk_sampling room;
    rk_status status;
    int i;

    rk_diag_clear(diag);
    if (asked == NULL || model == NULL || settings == NULL || conditions == NULL ||
        limits == NULL) {
        return RK_ERR_ARG;
    }
    status = rk_model_check(model, diag);
    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const seeker s = {model, *settings, rk_conditions_sampling(conditions, settings, &room),
                          (rk_require)i, asked->limit[i]};

        made.at[i] = nan("");
        if (i < RK_REQUIRE_OVERSHOOT && !isnan(s.limit)) {
            made.at[i] = seek(&s, &status);
        }
        if (status != RK_OK) return rk_diag_set(diag, status, "the margins could not be found");
    }
    status = find_noise(asked, model, settings, conditions, unstable_from, &made);
    if (status != RK_OK) return rk_diag_set(diag, status, "the noise could not be followed");
    if (isinf(settings->ti) && !rk_model_kind_integrates(model->kind)) {
        made.offset = 1.0 / (1.0 + (settings->kc * model->gain));
    }
    *limits = made;
    return RK_OK;
}
