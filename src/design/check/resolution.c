/* SPDX-License-Identifier: MIT */
/*
 * Two ways in which a loop does not come to rest. In single precision an increment of the
 * integral below half a unit in the last place of OUT is lost, and the error that makes it
 * stays. A valve that moves only when OUT is a jump away from it is a relay in the loop: the
 * cycle's frequency solves Tsypkin's condition, the sum over odd n of Im L(jnw)/n = -pi/4,
 * found by a walk from above and halving; its amplitude follows from the harmonics of a square
 * wave of that jump.
 *
 * Source  Ya. Z. Tsypkin, Relay Control Systems, Cambridge University Press, 1984, ch. 3.
 */
#include <redkettle/design/check/check.h>

#include <float.h>
#include <math.h>
#include <stddef.h>

#include <redkettle/design/margins/margins.h>

#include "design/margins/openloop.h"

double rk_stall_error(const rk_settings *settings, double ts, double out)
{
    const float size = (float)fmax(fabs(out), (double)FLT_MIN);
    const double step = (double)(nextafterf(size, HUGE_VALF) - size);

    if (isinf(settings->ti)) return HUGE_VAL;
    return 0.5 * step * settings->ti / (fabs(settings->kc) * ts);
}

/* Harmonics that count: the next ones are below a part in 1e5 of the first. */
enum { HARMONICS = 199 };

/* The open loop that the valve's relay is in; with a predictor it is no product of factors. */
typedef struct relay_loop {
    rki_openloop factors;
    const rk_model *model;
    const rk_settings *settings;
} relay_loop;

static void value_of(const relay_loop *loop, double w, double *re, double *im)
{
    if (!loop->settings->predictor) {
        rki_openloop_value(&loop->factors, w, re, im);
    } else if (rk_open_loop_response_compute(loop->model, loop->settings, w, re, im, NULL) !=
               RK_OK) {
        *re = *im = 0.0;
    }
}

static double condition(const relay_loop *loop, double w)
{
    double sum = 0.25 * RKI_PI;
    int n;

    for (n = 1; n <= HARMONICS; n += 2) {
        double re, im;

        value_of(loop, n * w, &re, &im);
        sum += im / n;
    }
    return sum;
}

/* Looked for so far to both sides of the loop's own frequency, in such steps. */
#define FAR 1e4
#define STEP 1.1

/* The highest frequency at which the relay's condition holds with OUT falling towards the jump;
   0: none. The quickest cycle is the one that a loop settles on. */
static double find_frequency(const relay_loop *loop)
{
    double w = FAR / rki_openloop_longest(&loop->factors), above = condition(loop, w), low,
           high;
    int i;

    if (loop->factors.theta > 0) {
        w = fmin(w, RKI_PI / loop->factors.theta);
        above = condition(loop, w);
    }
    low = 1.0 / (FAR * rki_openloop_longest(&loop->factors));
    while (w > low && above > 0) {
        w /= STEP;
        above = condition(loop, w);
    }
    if (above > 0) return 0.0;
    low = w;
    high = w * STEP;
    for (i = 0; i < 60; i++) {
        const double middle = sqrt(low * high);

        if (condition(loop, middle) > 0) {
            high = middle;
        } else {
            low = middle;
        }
    }
    return sqrt(low * high);
}

/* The largest PV over a period of the square wave through the process alone. */
static double pv_amplitude(const rk_model *model, double w, double jump)
{
    enum { TIMES = 400 };
    const rk_settings one = rk_settings_make(copysign(1.0, model->gain), HUGE_VAL, 0.0, 0.0);
    const rki_openloop process = rki_openloop_make(model, &one);
    double re[HARMONICS + 1], im[HARMONICS + 1], most = 0;
    int n, i;

    for (n = 1; n <= HARMONICS; n += 2) {
        rki_openloop_value(&process, n * w, &re[n], &im[n]);
    }
    for (i = 0; i < TIMES; i++) {
        const double angle = 2.0 * RKI_PI * i / TIMES;
        double pv = 0;

        for (n = 1; n <= HARMONICS; n += 2) {
            pv += (2.0 * jump / (RKI_PI * n)) *
                  ((re[n] * sin(n * angle)) + (im[n] * cos(n * angle)));
        }
        most = fmax(most, fabs(pv));
    }
    return most;
}

rk_status rk_limit_cycle_compute(const rk_model *model, const rk_settings *settings,
                                 double jump, rk_limit_cycle *cycle, rk_diag *diag)
{
    rk_limit_cycle made = {false, nan(""), nan("")};
    relay_loop loop = {.model = model, .settings = settings};
    double w = 0;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    if (cycle == NULL) return RK_ERR_ARG;
    if (!(jump > 0) || isinf(jump)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a valve that jumps by %g: give above 0", jump);
    }
    loop.factors = rki_openloop_make(model, settings);
    if (isfinite(settings->ti) && loop.factors.k > 0 && !rk_settings_is_on_off(settings)) {
        w = find_frequency(&loop);
    }
    if (w > 0) {
        made = (rk_limit_cycle){true, 2.0 * RKI_PI / w, pv_amplitude(model, w, jump)};
    }
    *cycle = made;
    return RK_OK;
}
