/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_TRIAL_TRIAL_METRICS_H
#define RKI_DESIGN_TRIAL_TRIAL_METRICS_H

#include <redkettle/design/trial/trial.h>

/** The curves of a run. Arrays are the trial's. */
typedef struct rki_curves {
    size_t scans, points;
    double ts, step;   /* s between scans, and between points of pv */
    double *sp, *out;  /* scans long */
    double *pv;        /* points long */
    size_t sp_point;   /* the point at which the setpoint steps */
    size_t load_point; /* the point at which the load steps; points if it does not */
} rki_curves;

/** Everything rk_trial_metrics says of a run. */
void rki_trial_measure(const rki_curves *curves, const rk_trial_case *trial_case,
                       const rk_trial_plan *plan, rk_trial_metrics *metrics);

/** Between the points at which a case's PV is computed, s. */
double rki_trial_step(const rk_trial_case *c);

/** Where PV settles with this setpoint, a load at the plant's input, out-EU, and one at its
 * output, pv-EU, from the loop's equations at rest; NaN: it does not. */
double rki_settled_pv(const rk_trial_case *c, double sp, double load, double at_output);

#endif
