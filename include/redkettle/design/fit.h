/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_FIT_H
#define REDKETTLE_DESIGN_FIT_H

#include <stddef.h>

#include <redkettle/design/finding.h>
#include <redkettle/design/model.h>
#include <redkettle/design/record.h>

/** A model with its certainty. Intervals are {low, high} at 95 %. */
typedef struct rk_fit {
    rk_model model;        /* out0 is the first row's OUT, pv0 the fitted baseline */
    double gain95[2];      /* pv-EU per out-EU */
    double tau95[2];       /* s */
    double dead_time95[2]; /* s, not below 0 */
    double pv0_95[2];      /* pv-EU */
    double fit_percent;    /* 100 (1 - |pv - model| / |pv - mean|): how much of PV's movement */
    double rmse;           /* pv-EU */
    double noise;          /* standard deviation of what the model leaves, pv-EU */
    double residual_correlation; /* of what is left, from a row to the next, -1..1 */
    double bic;                  /* Bayesian information criterion; smaller is better */
    size_t rows, moves;
    rk_findings findings;
} rk_fit;

/**
 * Fit a first-order-plus-dead-time model to a record by output-error least squares: the model
 * is run freely on the recorded OUT, exactly for a step-held OUT with any sampling and any dead
 * time, and gain, time constant, dead time and baseline are the global least-squares minimum.
 * No start value is needed: the dead time is profiled over the whole record, then all four are
 * polished together by Levenberg-Marquardt with analytic derivatives.
 *
 * The record is taken to start at rest. The intervals are those of independent noise; a finding
 * says when what is left is not independent.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA if OUT or PV never moves or there are too few
 * rows; RK_ERR_MEMORY. *fit is written with RK_OK only. Source  L. Ljung, System
 * Identification, 2nd ed., Prentice Hall, 1999, ch. 7 and 10 (output error); G. H. Golub, V.
 * Pereyra, The differentiation of pseudo-inverses and nonlinear least squares problems whose
 * variables separate, 1973, SIAM J. Numer. Anal. 10.
 */
rk_status rk_fit_fopdt(const rk_record *record, rk_fit *fit, rk_diag *diag);

/**
 * Fit an integrator with dead time: PV's slope answers OUT. The output that holds PV still is
 * found too: it is the model's out0. Gain, dead time, start and slope at the first row are the
 * global least-squares minimum; the dead time is profiled, the others follow linearly. tau95 is
 * {0, 0}. Otherwise as rk_fit_fopdt.
 */
rk_status rk_fit_ipdt(const rk_record *record, rk_fit *fit, rk_diag *diag);

/** Fit a model of a kind: fopdt or ipdt. Errors  as those, and RK_ERR_RANGE for another kind.
 */
rk_status rk_fit_kind(const rk_record *record, rk_model_kind kind, rk_fit *fit, rk_diag *diag);

/**
 * The model's PV at each row's time, run freely on the record's OUT from rest at its first row.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check; RK_ERR_MEMORY.
 */
rk_status rk_model_response(const rk_model *model, const rk_record *record, double *pv,
                            rk_diag *diag);

#endif
