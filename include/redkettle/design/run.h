/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_RUN_H
#define REDKETTLE_DESIGN_RUN_H

#include <stddef.h>

/** What a running loop did, a value each scan; the arrays stay the caller's. */
typedef struct rk_run_curves {
    const char *name;
    size_t count;
    const double *time;    /* s */
    const double *sp, *pv; /* pv-EU; a pv of NaN: there was none */
    const double *out;     /* out-EU */
} rk_run_curves;

/** Its figures. */
typedef struct rk_run_figures {
    double overshoot; /* how far PV went beyond a setpoint that it had come from the other side
                         of, pv-EU; 0: never; NaN: the setpoint did not move */
    double out_lowest, out_highest; /* out-EU */
    double largest_move;            /* of OUT from a scan to the next, out-EU */
    double travel;                  /* sum of |change of OUT|, out-EU */
} rk_run_figures;

/** Measure a run; all NaN for an empty one. */
rk_run_figures rk_run_measure(const rk_run_curves *run);

#endif
