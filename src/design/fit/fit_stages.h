/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_STAGES_H
#define RKI_DESIGN_FIT_FIT_STAGES_H

#include <stdbool.h>

#include <redkettle/design/fit/fit.h>

#include "fit_mixture.h"
#include "fit_pass.h"

enum { RKI_STARTS = 4, RKI_MOVES_MOST = RK_FIT_MOVES };

/** Moves of OUT whose instant is only known to lie between two rows. */
typedef struct rki_moves {
    int count;                   /* 0: every one is taken to stand on its row */
    double row[RKI_MOVES_MOST];  /* s, the first row that shows it */
    double room[RKI_MOVES_MOST]; /* s, how much earlier it may have come */
} rki_moves;

/** A place to start from. */
typedef struct rki_start {
    double q[RKI_PARAMETERS];
    double cost;
} rki_start;

/** Another place for the load step, that explains PV less well; bic 0: there is none. */
typedef struct rki_other_load {
    double bic, gain, load, at;
} rki_other_load;

/** A family fitted to a series, its noise coloured as it is. */
typedef struct rki_solution {
    rki_task task;
    double q[RKI_PARAMETERS];
    rki_normal normal;
    double bic;
    bool found;
    bool hopeless;     /* far behind another family: not followed to its end */
    double plain_cost; /* of least squares, before any colour */
    rki_other_load other_load;
    double variance; /* of an innovation, where the cost does not tell it; 0: the cost does */
    double spare;    /* of the cost, that a thinned series lacks */
    bool certain;    /* the covariance is known */
    double covariance[RKI_PARAMETERS][RKI_PARAMETERS];
} rki_solution;

/**
 * The best local minima of a grid on a thinned series, best first; returns how many. Around
 * `near`, a first order that was found before, the grid is smaller; NULL: everywhere.
 */
int rki_search(const rki_task *task, const rki_solution *near, rki_start best[RKI_STARTS]);

/** PV and weights as they were read, while a fit goes on over others in their place. */
typedef struct rki_kept {
    double *pv, *weight; /* NULL: they are in their place */
    double quantum;      /* the steps that PV comes in; 0: none are seen */
} rki_kept;

/** What a fit works on. */
typedef struct rki_fit_work {
    rki_series series; /* all rows; weight 0: left out */
    rki_series thin;
    rki_series chunk; /* no samples unless dense */
    bool closed_loop; /* OUT answers PV */
    bool plain;       /* least squares and no more */
    rk_move_instants instants;
    bool choosing; /* among kinds: an integrator is there beside a first order */
    bool dense;    /* OUT moves all the time: blocks blur it */
    rki_moves moves;
    rki_kept kept;
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

/** Of a fit to few regular rows the noise's colour is hardly known: correlations from a row to the
 * next that are tried for it, and how much is taken for none. */
enum { RKI_FEW_COLOURS = 12 };
#define RKI_FEW_STEP 0.088
#define RKI_FEW_LEAST 0.15
bool rki_is_short(const rki_fit_work *bench);

/** Noise that has this correlation from a row to the next, and no memory beside. */
rki_colour rki_first_order(double correlation);

/** ln of how likely a task's noise is, the active parameters integrated out where a step from here
 * gains so much; but for a constant. */
double rki_ln_marginal(const rki_task *task, const rki_normal *normal, double gained);

/** The series has changed: what was left is no more. */
void rki_forget_residual(rki_fit_work *bench);

/**
 * If PV comes in coarse steps, go on from a solution by the likelihood of rows that are only known
 * to within a step; the series then holds what least squares get the same result from.
 */
rk_status rki_fit_coarse(rki_fit_work *bench, rki_solution *at, rk_diag *diag);

/** Put PV back as it was read. */
void rki_coarse_undo(rki_fit_work *bench);

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

/** Could a family explain the thinned record as well as another one does, had it all extras? */
bool rki_could_rival(const rki_fit_work *bench, const rki_solution *at,
                     const rki_solution *best);

/** The solution with drift, initial state or load step added where the record clearly says so.
 */
void rki_fit_extras(rki_fit_work *bench, rki_solution *best);

/** Longer coloured records have rows too close for what lies between two of them to matter. */
enum { RKI_PROFILE_ROWS = 30000 };

/** Go on to the lowest of the minima that lie between the rows around or on one of them, and to its
 * last digits, which no standard error can tell. */
void rki_polish(rki_solution *at);

/** The covariance at the minimum by the curvature alone; returns the dead time's standard error. */
double rki_take_curvature(rki_solution *at);

/** A long record of independent noise thinned, with short blocks where the dead time may end,
 * within reach of the solution's, and its minimum where the whole one has it. No samples: the rows
 * themselves serve. */
rk_status rki_thin_out(rki_fit_work *bench, const rki_solution *at, double reach,
                       rki_series *fine, rk_diag *diag);

/** What the moves' instants say when all are free within their rows. */
typedef struct rki_between {
    bool known;
    double evidence; /* ln of how much likelier "between rows" is than "on rows" */
    rki_moves moves;
    /* Most likely, with their covariance: the other parameters, and for each move the time from
       its row until it acts. */
    double q[RKI_PARAMETERS], own[RKI_PARAMETERS][RKI_PARAMETERS];
    double late[RKI_MOVES_MOST], cov[RKI_MOVES_MOST][RKI_MOVES_MOST];
    double with[RKI_PARAMETERS][RKI_MOVES_MOST];
} rki_between;

/** Which moves' instants are open. */
void rki_between_find(rki_fit_work *bench);

/** Move OUT's events to where the record puts them within their rows, and fit on from there. */
rk_status rki_between_lead(rki_fit_work *bench, const rki_solution *exact, rki_solution *moved,
                           rk_diag *diag);

/** How likely that is beside "on rows", and what it says of all parameters. */
rk_status rki_between_weigh(rki_fit_work *bench, const rki_solution *exact,
                            const rki_solution *moved, rki_between *made, rk_diag *diag);

/** What the dead time's profile adds to the curvature's covariance, for all moves together. */
void rki_between_widen(rki_between *between, double curved[RKI_PARAMETERS][RKI_PARAMETERS],
                       double along[RKI_PARAMETERS][RKI_PARAMETERS]);

/** Put OUT's events back on their rows. */
rk_status rki_between_undo(rki_fit_work *bench, rk_diag *diag);

/** Dead times that the box leaves anything of the instants at; false: none. */
bool rki_between_range(const rki_between *between, double range[2]);

/** The box's content, integrated over all dead times; into a mixture about q too, unless it is NULL:
 * then less closely. */
double rki_between_box(const rki_between *between, const double *q, rki_mixture *mixture);

/** Add what is known of the parameters to a mixture about q, this part of all. */
void rki_between_add(const rki_between *between, const double q[RKI_PARAMETERS], double part,
                     rki_mixture *mixture);

/**
 * The covariance of all parameters and the ends of the dead time's 95 % interval, from the
 * likelihood's profile along the dead time: across the local minima that lie within a sample
 * interval, each weighed by its likelihood; and from moves that came between two rows. `rival` is
 * the solution that has the moves on rows where `at` has not, or NULL.
 */
rk_status rki_fit_profile(rki_fit_work *bench, rki_solution *at, rki_between *between,
                          const rki_solution *rival, double interval[2], rk_diag *diag);

/** Leave out rows that stand far off their neighbours in bench->residual, which is PV itself or what
 * a model leaves of it; how many more. */
size_t rki_leave_out_spikes(rki_fit_work *bench, bool of_model);

/** A lag this many times as long as the record is an integrator's. */
#define RKI_INTEGRATING 5.0

/** Is its lag too short to leave a mark on the rows? */
bool rki_is_static(const rki_solution *at);

/** How long the record is, s. */
double rki_span(const rki_fit_work *bench);

/** Does OUT answer PV from row to row: was the record made in automatic? */
bool rki_answers_pv(const rk_record *record);

/* Steps of a descent on the thinned record, and on all rows with the noise's colour. */
enum { RKI_STEPS_THIN = 15, RKI_STEPS_COLOUR = 20 };

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
