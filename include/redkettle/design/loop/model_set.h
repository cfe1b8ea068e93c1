/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_MODEL_SET_H
#define REDKETTLE_DESIGN_LOOP_MODEL_SET_H

#include <stddef.h>

#include <redkettle/design/loop/model.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What is asked of several models at once. */
typedef enum rk_over {
    RK_OVER_WORST = 0, /* each figure at its worst over them */
    RK_OVER_MEAN,      /* each figure's mean over them */
} rk_over;

/** "worst", "mean". */
const char *rk_over_to_text(rk_over over);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_over_from_text(const char *text, rk_over *over, rk_diag *diag);

enum { RK_MODEL_SET_MAX = 32 };

/** The models that a process may have, seen from what is known of it. */
typedef struct rk_model_set {
    rk_over over;
    size_t count;
    rk_model model[RK_MODEL_SET_MAX]; /* for the worst the nominal one is the first */
} rk_model_set;

/**
 * Models on the edge of the joint 95 % region of a fit, for the worst: where each of the
 * numbers and each sum of them, counted in their standard deviations with either sign, is
 * extreme. For the mean: points of equal weight that have the fit's mean and covariance. A
 * number that would leave its range stays in it: a gain or a time constant at 5 % of its
 * nominal value.
 *
 * Units   covariance as in rk_fit.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check, or for a covariance that is
 *         not known (NaN or no variance).
 * Source  G. E. P. Box, G. M. Jenkins, G. C. Reinsel, Time Series Analysis, 4th ed., Wiley,
 *         2008, ch. 7 (joint region by chi-square); I. Arasaratnam, S. Haykin, Cubature Kalman
 *         Filters, 2009, IEEE Trans. Automatic Control 54(6) (the points of the mean).
 */
rk_status rk_model_set_from_covariance(const rk_model *model, const rk_covariance *covariance,
                                       rk_over over, rk_model_set *set, rk_diag *diag);

/**
 * Models whose numbers are off by up to a part of themselves, each by itself. For the worst:
 * all corners of that box. For the mean: points of equal weight that have the mean and the
 * variance of numbers that are equally likely anywhere in it. A dead time of 0 stays 0. The lags of
 * a process made of parts are off together, as one number.
 *
 * Range   0 < part < 1.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check or for part.
 */
rk_status rk_model_set_from_part(const rk_model *model, double part, rk_over over,
                                 rk_model_set *set, rk_diag *diag);

/**
 * Put in each model's place the process that is off from *process as it is from *model, which is its
 * reduction: its gain by the same factor, all lags by that of the time constants, the dead time by
 * what is left.
 */
void rk_model_set_take_process(rk_model_set *set, const rk_model *model,
                               const rk_model *process);

#ifdef __cplusplus
}
#endif

#endif
