/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_STAGES_H
#define RKI_DESIGN_FIT_FIT_STAGES_H

#include <stdbool.h>

#include <redkettle/design/fit/fit.h>

#include "fit_pass.h"

enum { RKI_STARTS = 4 };

/** A place to start from. */
typedef struct rki_start {
    double q[RKI_PARAMETERS];
    double cost;
} rki_start;

/** A family fitted to a series, its noise coloured as it is. */
typedef struct rki_solution {
    rki_task task;
    double q[RKI_PARAMETERS];
    rki_normal normal;
    double bic;
    bool found;
    bool hopeless;     /* far behind another family: not followed to its end */
    double plain_cost; /* of least squares, before any colour */
    double spare;      /* of the cost, that a thinned series lacks */
    bool certain;      /* the covariance is known */
    double covariance[RKI_PARAMETERS][RKI_PARAMETERS];
} rki_solution;

/**
 * The best local minima of a grid on a thinned series, best first; returns how many. Around
 * `near`, a first order that was found before, the grid is smaller; NULL: everywhere.
 */
int rki_search(const rki_task *task, const rki_solution *near, rki_start best[RKI_STARTS]);

/** What a fit works on. */
typedef struct rki_fit_work {
    rki_series series; /* all rows; weight 0: left out */
    rki_series thin;
    rki_series chunk;     /* no samples unless dense */
    bool closed_loop;     /* OUT answers PV */
    bool plain;           /* least squares and no more */
    bool dense;           /* OUT moves all the time: blocks blur it */
    double *residual;     /* room for one number a row */
    double visits;        /* to samples, in all passes */
    rki_task residual_of; /* what it was taken of last, and where */
    double residual_at[RKI_PARAMETERS];
    bool regular;    /* rows come at a fixed interval, but for gaps */
    size_t left_out; /* rows that are spikes */
    double left_out_at[RK_FIT_LEFT_OUT];
} rki_fit_work;

/** What a solution on all rows leaves at each, not whitened, into bench->residual. */
void rki_take_residual(rki_fit_work *bench, const rki_solution *at);

/** The colour of what is left: order by criterion. Needs bench->residual. */
rki_colour rki_colour_of(const rki_fit_work *bench);

/**
 * From the start search to the minimum on all rows; one that is far behind `rival` (may be
 * NULL) ends with plain least squares.
 */
void rki_fit_family(rki_fit_work *bench, rki_family family, const rki_solution *rival,
                    rki_solution *made);

/** From a solution on, with other parameters in use. */
void rki_fit_on(rki_fit_work *bench, const rki_solution *from, unsigned active, double load_at,
                rki_solution *made);

/** A solution's problem on the thinned record, where noise has no colour to speak of. */
rki_task rki_on_thin(const rki_fit_work *bench, const rki_solution *at);

/** The solution with drift, initial state or load step added where the record clearly says so.
 */
void rki_fit_extras(rki_fit_work *bench, rki_solution *best);

/**
 * The covariance of all parameters and the ends of the dead time's 95 % interval, from the
 * likelihood's profile along the dead time: across the local minima that lie within a sample
 * interval, each weighed by its likelihood.
 */
rk_status rki_fit_profile(rki_fit_work *bench, rki_solution *at, double interval[2],
                          rk_diag *diag);

/** Leave out rows that stand far off what the model and their neighbours say; how many more. */
size_t rki_leave_out_spikes(rki_fit_work *bench);

/** Does OUT answer PV from row to row: was the record made in automatic? */
bool rki_answers_pv(const rk_record *record);

enum { RKI_STEPS_THIN = 15 }; /* of a descent on the thinned record */

/** How many parameters are in use. */
int rki_count_active(unsigned active);

/** Rows less what was fitted to them, parameters and the noise's colour; at least 1. */
double rki_degrees_of_freedom(const rki_solution *at);

/** Variance of an innovation. */
double rki_variance(const rki_solution *at);

/** The half width of a 95 % interval in standard errors. */
double rki_t95(const rki_solution *at);

/** The model, how well it explains PV, and what was found beside it. */
void rki_fit_describe(rki_fit_work *bench, const rki_solution *at, rk_fit *fit);

/** The same with intervals, and what else its findings are from. */
void rki_fit_report(rki_fit_work *bench, const rki_solution *at, rk_fit *fit);

#endif
