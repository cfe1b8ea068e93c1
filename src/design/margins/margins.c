/* SPDX-License-Identifier: MIT */
/*
 * Margins of the continuous loop from the crossings of the negative real axis, by Nyquist's
 * count.
 *
 * With kc multiplied by a factor f the curve f L(jw) passes -1 where f = 1 / |L| at a crossing.
 * At each such factor the number of unstable closed-loop poles changes by two, upward or
 * downward as the phase falls or rises there (by one for a curve that starts on the axis). From
 * the number at a vanishing gain (poles_at_start) a walk over the sorted factors tells for
 * which the number is 0: those are the stable gains (stable_gain.c), and the loop is stable if
 * f = 1 is among them. The gain margin is the least factor above 1, so that a conditionally
 * stable loop has an interval.
 *
 * Phase and delay margin: at each gain crossover |L| = 1 the lag that is left to the next odd
 * multiple of 180 deg; the least of it in degrees, and in seconds over all crossovers.
 *
 * Source  K. J. Astrom, R. M. Murray, Feedback Systems, Princeton University Press, 2008, ch.
 *         9.
 */
#include <redkettle/design/margins/margins.h>

#include <math.h>
#include <stddef.h>

#include <redkettle/design/base/memory.h>

#include "brief.h"
#include "crossings.h"
#include "openloop.h"
#include "stable_gain.h"

/* Does the gain start on the negative real axis: a wrong sign, and no integrator? */
static bool starts_on_axis(const rki_openloop *loop)
{
    return loop->k < 0 && loop->integrators == 0;
}

/* Unstable poles at a vanishing gain: the wrong sign makes an integrator run away; two of them
   leave the origin to both sides of the axis, as the phase lags or leads there. */
static long poles_at_start(const rki_openloop *loop)
{
    double lead = -loop->theta;
    int i;

    if (loop->integrators == 0) return 0;
    if (loop->k < 0) return 1;
    if (loop->integrators == 1) return 0;
    for (i = 0; i < loop->nums; i++) {
        lead += loop->num[i].a1;
    }
    for (i = 0; i < loop->dens; i++) {
        lead -= loop->den[i].a1;
    }
    return lead > 0 ? 0 : 2;
}

/* Where the number of unstable poles changes; the caller frees the list. NULL: no memory. */
static rki_change *list_changes(const rki_openloop *loop, const rki_crossings *all,
                                size_t *count)
{
    rki_change *list = rk_memory_create(all->count + 1, sizeof *list);
    size_t i;

    *count = 0;
    if (list == NULL) return NULL;
    for (i = 0; i < all->count; i++) {
        list[(*count)++] = (rki_change){1.0 / all->list[i].magnitude,
                                        2L * all->list[i].downward, all->list[i].w};
    }
    if (starts_on_axis(loop)) {
        list[(*count)++] = (rki_change){1.0 / fabs(loop->k), 1, 0.0};
    }
    return list;
}

/* With a direct term the loop gain never falls below what it ends at: that is a limit too. */
static double direct_limit(const rki_openloop *loop)
{
    const double final = rki_openloop_final_magnitude(loop);

    return final > 0 && loop->theta > 0 ? 1.0 / final : HUGE_VAL;
}

static void phase_and_delay_margin(const rki_openloop *loop, rk_margins *margins)
{
    double w[RKI_POLY_MAX];
    const int count = rki_openloop_gain_crossovers(loop, w);
    int i;

    margins->phase_margin = HUGE_VAL;
    margins->delay_margin = HUGE_VAL;
    margins->gain_crossover = HUGE_VAL;
    for (i = 0; i < count; i++) {
        const double turns = rki_lag_left(rki_openloop_phase(loop, w[i]));
        const double wrapped = turns > RKI_PI ? (2.0 * RKI_PI) - turns : turns;

        margins->delay_margin = fmin(margins->delay_margin, turns / w[i]);
        if (wrapped * (180.0 / RKI_PI) < margins->phase_margin) {
            margins->phase_margin = wrapped * (180.0 / RKI_PI);
            margins->gain_crossover = w[i];
        }
    }
}

/* The P-only limit of the process alone: its largest |P| on the negative real axis. */
rk_status rk_ultimate_point_compute(const rk_model *model, double *ultimate_gain,
                                    double *ultimate_period)
{
    /* A gain this small leaves every crossover in view; only the ratio matters. */
    const rk_settings alone = rk_settings_make(0.5 / model->gain, HUGE_VAL, 0.0, 0.0);
    const rki_openloop loop = rki_openloop_make(model, &alone);
    rki_crossings all = {0};
    size_t i;

    *ultimate_gain = HUGE_VAL;
    *ultimate_period = HUGE_VAL;
    rki_crossings_find(&all, &loop);
    for (i = 0; i < all.count; i++) {
        const double gain = alone.kc / all.list[i].magnitude;

        if (fabs(gain) < fabs(*ultimate_gain)) {
            *ultimate_gain = gain;
            *ultimate_period = 2.0 * RKI_PI / all.list[i].w;
        }
    }
    rk_memory_free(all.list);
    return all.failed ? RK_ERR_MEMORY : RK_OK;
}

/* How far the gain may go from 0 with its sign turned, as a factor; 0 if not at all. */
static double turned_limit(const rki_openloop *loop, rk_status *status)
{
    rki_openloop mirrored = *loop;
    rki_crossings all = {0};
    rki_change *list;
    double low = 0, high = 0;
    size_t count;

    mirrored.k = -loop->k;
    rki_crossings_find(&all, &mirrored);
    list = list_changes(&mirrored, &all, &count);
    if (all.failed || list == NULL) {
        *status = RK_ERR_MEMORY;
    } else if (!rki_stable_interval(list, count, poles_at_start(&mirrored),
                                    direct_limit(&mirrored), &low, &high) ||
               low > 0) {
        high = 0;
    }
    rk_memory_free(list);
    rk_memory_free(all.list);
    return high;
}

/* The stable interval in kc itself; a wrong sign gives that of the right one. */
static rk_status measure_range(const rki_openloop *loop, double kc, rki_change *list,
                               size_t count, bool brief, rk_margins *margins)
{
    rk_status status = RK_OK;
    double low = 0, high = 0;

    margins->kc_range_exists =
        rki_stable_interval(list, count, poles_at_start(loop), direct_limit(loop), &low, &high);
    margins->stable = margins->kc_range_exists && low < 1 && high > 1;
    if (!brief && low == 0 && loop->integrators == 0) {
        low = -turned_limit(loop, &status);
    }
    if (!brief && !margins->kc_range_exists && loop->k < 0) {
        low = -turned_limit(loop, &status);
        margins->kc_range_exists = low < 0;
    }
    if (margins->kc_range_exists) { /* adding 0 turns -0 into 0 */
        margins->kc_stable[0] = (kc > 0 ? kc * low : kc * high) + 0.0;
        margins->kc_stable[1] = (kc > 0 ? kc * high : kc * low) + 0.0;
    }
    return status;
}

static rk_status measure(const rki_openloop *loop, double kc, const rki_crossings *all,
                         bool brief, rk_margins *margins)
{
    rk_status status = RK_ERR_MEMORY;
    size_t count;
    rki_change *list = list_changes(loop, all, &count);

    if (!all->failed && list != NULL) {
        status = measure_range(loop, kc, list, count, brief, margins);
    }
    if (status == RK_OK && margins->stable) {
        margins->gain_margin = rki_gain_margin(list, count, &margins->phase_crossover);
        margins->gain_margin = fmin(margins->gain_margin, direct_limit(loop));
        phase_and_delay_margin(loop, margins);
        rki_peaks(loop, &margins->ms, &margins->mt, &margins->bandwidth);
    }
    rk_memory_free(list);
    return status;
}

/* Beyond this ratio the phase of the dead time has no digits left; no plant is like that. */
#define DEAD_TIME_MOST 1e7

rk_margins rk_margins_none(void)
{
    const double none = nan("");

    return (rk_margins){.gain_margin = none,
                        .phase_margin = none,
                        .delay_margin = none,
                        .ms = none,
                        .mt = none,
                        .bandwidth = none,
                        .gain_crossover = none,
                        .phase_crossover = none,
                        .kc_stable = {none, none}};
}

rk_status rki_no_margins(rk_diag *diag)
{
    return rk_diag_set(diag, RK_ERR_RANGE,
                       "on-off has no margins: two-position control cycles by its nature; see "
                       "trial for how it does");
}

rk_status rki_continuous_margins(const rk_model *model, const rk_settings *settings, bool brief,
                                 rk_margins *margins, rk_diag *diag)
{
    rk_margins made = rk_margins_none();
    rki_crossings all = {0};
    rki_openloop loop;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    if (margins == NULL) return RK_ERR_ARG;
    if (rk_settings_is_on_off(settings)) return rki_no_margins(diag);
    loop = rki_openloop_make(model, settings);
    if (!(loop.theta <= DEAD_TIME_MOST * rki_openloop_shortest(&loop))) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "dead time %g s is more than %g times the shortest time in the loop, %g s: "
            "check the units",
            loop.theta, DEAD_TIME_MOST, rki_openloop_shortest(&loop));
    }
    rki_crossings_find(&all, &loop);
    status = measure(&loop, settings->kc, &all, brief, &made);
    rk_memory_free(all.list);
    if (status == RK_OK && !brief) {
        status = rk_ultimate_point_compute(model, &made.ultimate_gain, &made.ultimate_period);
    }
    if (status != RK_OK) return rk_diag_set(diag, status, "out of memory for the margins");
    *margins = made;
    return RK_OK;
}

rk_status rk_margins_compute(const rk_model *model, const rk_settings *settings,
                             rk_margins *margins, rk_diag *diag)
{
    if (settings != NULL && settings->predictor && !rk_settings_is_on_off(settings)) {
        return rk_predicted_margins_compute(model, model, settings, NULL, margins, diag);
    }
    return rki_continuous_margins(model, settings, false, margins, diag);
}

rk_status rk_loop_margins_compute(const rk_model *process, const rk_model *model,
                                  const rk_settings *settings, const rk_sampling *sampling,
                                  rk_margins *margins, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (settings == NULL) return RK_ERR_ARG;
    if (settings->predictor) {
        return rk_predicted_margins_compute(process, model, settings, sampling, margins, diag);
    }
    return sampling != NULL
               ? rk_sampled_margins_compute(process, settings, sampling, margins, diag)
               : rk_margins_compute(process, settings, margins, diag);
}

rk_status rki_loop_margins_brief(const rk_model *process, const rk_model *model,
                                 const rk_settings *settings, const rk_sampling *sampling,
                                 rk_margins *margins)
{
    if (settings->predictor) {
        return rki_predicted_margins(process, model, settings, sampling, true, margins, NULL);
    }
    return sampling != NULL
               ? rki_sampled_margins(process, settings, sampling, true, margins, NULL)
               : rki_continuous_margins(process, settings, true, margins, NULL);
}

double rk_margins_unstable_from(const rk_margins *margins, double kc)
{
    const double end = kc > 0 ? margins->kc_stable[1] : margins->kc_stable[0];

    return margins->kc_range_exists && isfinite(end) && end * kc > 0 ? end : nan("");
}
