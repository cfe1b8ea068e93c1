/* SPDX-License-Identifier: MIT */
#include <redkettle/design/margins/margins.h>

#include <math.h>
#include <stddef.h>

#include "openloop.h"
#include "predicted.h"

static rk_status check_frequency(double w, rk_diag *diag)
{
    if (w > 0 && isfinite(w)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "frequency %g rad/s: give one above 0", w);
}

rk_status rk_open_loop_response_compute(const rk_model *model, const rk_settings *settings,
                                        double w, double *re, double *im, rk_diag *diag)
{
    rki_openloop loop;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status == RK_OK) {
        status = check_frequency(w, diag);
    }
    if (status != RK_OK) return status;
    if (re == NULL || im == NULL) return RK_ERR_ARG;
    if (rk_settings_is_on_off(settings)) return rki_no_margins(diag);
    if (settings->predictor) {
        return rki_predicted_response(model, model, settings, NULL, w, re, im, diag);
    }
    loop = rki_openloop_make(model, settings);
    rki_openloop_value(&loop, w, re, im);
    return RK_OK;
}

/* The angle of sum c[k] (j x)^k, c[0] = 1, c[k] = c[k-1] (n - k + 1) / (k (2n - k + 1)): the
   denominator of the approximation, its numerator being the conjugate. */
static double denominator_angle(int n, double x)
{
    double re = 0, im = 0, term = 1.0;
    int k;

    for (k = 0; k <= n; k++) {
        switch (k % 4) { /* (j x)^k */
        case 0:
            re += term;
            break;
        case 1:
            im += term;
            break;
        case 2:
            re -= term;
            break;
        default:
            im -= term;
            break;
        }
        term *= x * (n - k) / ((k + 1.0) * ((2.0 * n) - k));
    }
    return atan2(im, re);
}

rk_status rk_process_response_compute(const rk_model *model, int order, double w, double *re,
                                      double *im, rk_diag *diag)
{
    rk_model prompt;
    rki_openloop loop;
    double a, b, turn;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = check_frequency(w, diag);
    }
    if (status != RK_OK) return status;
    if (re == NULL || im == NULL) return RK_ERR_ARG;
    if (order < 0 || order > RK_RATIONAL_MAX) {
        return rk_diag_set(diag, RK_ERR_RANGE, "order %d: give 0 to %d", order,
                           RK_RATIONAL_MAX);
    }
    prompt = *model;
    prompt.dead_time = 0.0;
    {
        const rk_settings one = rk_settings_make(1.0, HUGE_VAL, 0.0, 0.0);

        loop = rki_openloop_make(&prompt, &one);
    }
    rki_openloop_value(&loop, w, &a, &b);
    turn = order == 0 ? -w * model->dead_time
                      : -2.0 * denominator_angle(order, w * model->dead_time);
    *re = (a * cos(turn)) - (b * sin(turn));
    *im = (a * sin(turn)) + (b * cos(turn));
    return RK_OK;
}
