/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_TASK_H
#define RKI_DESIGN_FIT_FIT_TASK_H

#include <math.h>
#include <stdbool.h>
#include <stddef.h>

#include "fit_step.h"
#include "series.h"

/** The parameters of a fit, in this order; a task uses some of them. */
typedef enum rki_parameter {
    RKI_GAIN = 0,
    RKI_START,   /* PV at rest, less pv_ref */
    RKI_DRIFT,   /* pv-EU per s; an integrator's imbalance */
    RKI_INITIAL, /* how far PV is from rest at the first row */
    RKI_RATE,    /* of the second order beside it: T times how fast PV moves there */
    RKI_LOAD,    /* a step of this size at the plant's input, out-EU times gain */
    RKI_THETA,   /* dead time, s */
    RKI_SHAPE,   /* ln T */
    RKI_SHAPE_2, /* ln damping */
    RKI_PARAMETERS
} rki_parameter;

enum { RKI_AR_MAX = 5 };

/** What the noise is taken for. All zero: independent. */
typedef struct rki_colour {
    int order;             /* of an autoregression on regular rows; 0: none */
    double ar[RKI_AR_MAX]; /* its coefficients */
    double first;          /* innovation's deviation over the noise's: weight of a first row */
    double memory; /* s; of irregular rows: correlation exp(-interval / memory); 0: none */
} rki_colour;

/** A least-squares problem: the residuals of a series under a family and a noise. */
typedef struct rki_task {
    const rki_series *series;
    rki_family family;
    unsigned active; /* bits of rki_parameter */
    double load_at;  /* s from the first row */
    rki_colour colour;
    bool searching; /* near the minimum is enough */
    bool polishing; /* to the last digits */
} rki_task;

/** A row's number as the noise's colour leaves it: whitened. The numbers of the rows before stand
 * before raw; `gap`, s, is the time since the last, and `chain` how many of them hang together. */
static inline double rki_whitened(const rki_colour *colour, const double *raw, double gap,
                                  size_t chain)
{
    double sum = raw[0];
    int k;

    if (colour->memory > 0 && chain > 0) {
        const double r = exp(-gap / colour->memory);

        return (raw[0] - (r * raw[-1])) / sqrt((1.0 - r) * (1.0 + r));
    }
    if (chain < (size_t)colour->order) return raw[0] * colour->first;
    for (k = 0; k < colour->order; k++) {
        sum -= colour->ar[k] * raw[-1 - k];
    }
    return sum;
}

/** The normal equations at a point: h d = g for the step d of the active parameters. */
typedef struct rki_normal {
    double h[RKI_PARAMETERS][RKI_PARAMETERS], g[RKI_PARAMETERS];
    double cost;  /* sum of squares of the whitened residuals */
    double count; /* of samples in it, a thinned one's rows counted */
} rki_normal;

/** The upper half of h from the lower one. */
static inline void rki_normal_mirror(rki_normal *n)
{
    int i, j;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < i; j++) {
            n->h[j][i] = n->h[i][j];
        }
    }
}

/** Intervals longer than this many usual ones break the chain of an autoregression. */
#define RKI_BREAK 1.5

static inline bool rki_is_coloured(const rki_colour *colour)
{
    return colour->order > 0 || colour->memory > 0;
}

/** A parameter's place in a task's active ones, and those of the shapes. */
static inline unsigned rki_bit(rki_parameter parameter)
{
    return 1U << parameter;
}

#define RKI_BITS_OF_SHAPES (rki_bit(RKI_SHAPE) | rki_bit(RKI_SHAPE_2))

/** Is a parameter in use? */
static inline bool rki_active(const rki_task *task, int parameter)
{
    return (task->active >> parameter) & 1U;
}

#endif
