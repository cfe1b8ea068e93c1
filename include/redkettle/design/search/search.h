/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_SEARCH_SEARCH_H
#define REDKETTLE_DESIGN_SEARCH_SEARCH_H

#include <redkettle/design/loop/design.h>
#include <redkettle/design/loop/model_set.h>
#include <redkettle/design/loop/requirements.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/trial/sweep.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a search makes as small as it can, the requirements being met. */
typedef enum rk_cost {
    RK_COST_MS = 0, /* the peak of the sensitivity: most robustness to spare */
    RK_COST_SETPOINT_IAE,
    RK_COST_SETPOINT_ISE,
    RK_COST_SETPOINT_ITAE,
    RK_COST_LOAD_IAE,
    RK_COST_LOAD_ISE,
    RK_COST_LOAD_ITAE,
    RK_COST_BOTH_IAE, /* of both steps, added */
    RK_COST_BOTH_ISE,
    RK_COST_BOTH_ITAE,
    RK_COSTS
} rk_cost;

/** "ms", "setpoint-iae", .. "load-itae", "both-iae", .. */
const char *rk_cost_to_text(rk_cost cost);

/** Errors  RK_ERR_RANGE for a word that names no cost; diag lists them. */
rk_status rk_cost_from_text(const char *text, rk_cost *cost, rk_diag *diag);

/** What the valve's work is counted in. */
typedef enum rk_effort {
    RK_EFFORT_SQUARES = 0, /* sum of the squares of OUT's changes, out-EU^2 */
    RK_EFFORT_TRAVEL,      /* sum of their sizes, out-EU */
    RK_EFFORT_ENERGY,      /* integral of (OUT - OUT at rest)^2, out-EU^2 s */
    RK_EFFORTS
} rk_effort;

/** "squares", "travel", "energy". */
const char *rk_effort_to_text(rk_effort effort);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_effort_from_text(const char *text, rk_effort *effort, rk_diag *diag);

/** A search. Set all fields: start from rk_search_plan_make(). */
typedef struct rk_search_plan {
    rk_model model;      /* that rules and a predictor take */
    rk_model process;    /* that is run: the model itself, or what it is a reduction of */
    rk_limits limits;    /* the search sees saturation, and the valve's rate */
    double ts;           /* scan, s; NaN: fast enough not to matter, and margins continuous */
    double delay;        /* from PV's sample to OUT's change, s; 0 without a scan */
    double sp_step;      /* pv-EU, not 0; of the setpoint's costs and requirements */
    double load_step;    /* out-EU, not 0; of the load's */
    const char *mode;    /* "P", "PI", "PD", "PID" */
    double duration;     /* of each run at least, s; 0: as long as it takes */
    double filter_ratio; /* tf is td / filter_ratio, > 1 */
    rk_settings beside;  /* what all settings have but kc, ti, td and tf: weights, filter,
                            predictor and the rest */
    rk_cost cost;
    double weigh_error;  /* what is made small is this times the cost, > 0 .. */
    double weigh_effort; /* .. and this times the effort of the same steps, >= 0 */
    rk_effort effort;
    double noise; /* of PV, white: its standard deviation, pv-EU; 0: none. What it makes of OUT
                     counts as effort too */
    const rk_model_set *set; /* all figures and the cost over these models; NULL: the model */
    rk_requirements requirements; /* its steps are not read: sp_step and load_step are */
    int threads;                  /* 0: one a processor; the result does not depend on it */
    bool (*go_on)(void *user, double part); /* told how far the search is; false ends it with
                                               the best so far; may be NULL */
    void *user;
} rk_search_plan;

/** The unit of a plan's error, "degBx s"; empty: none, as of Ms. Of its effort, "%^2 s". */
void rk_cost_unit(const rk_search_plan *plan, const rk_design *loop,
                  char unit[RK_GAIN_UNIT_CHARS]);
void rk_effort_unit(const rk_search_plan *plan, const rk_design *loop,
                    char unit[RK_GAIN_UNIT_CHARS]);

/** PI by the load's IAE, the requirements at their defaults. */
rk_search_plan rk_search_plan_make(const rk_model *model);

/**
 * The search that a loop asks for: its model, scan, limits, noise, the other settings, steps and
 * requirements. Where a time or a peak is limited, which needs active control, the cost is Ms,
 * so that the rest goes into robustness. Margins are judged as the loop is scanned.
 */
rk_search_plan rk_search_plan_for(const rk_design *loop);

/** What was found. */
typedef struct rk_search_result {
    rk_settings settings;
    rk_performance measures; /* on the model itself */
    rk_margins continuous;   /* of the same loop if it were not scanned */
    double cost; /* what was made small: the error and the effort, each times its weight */
    double error,
        effort;          /* the plan's cost without weights, and the effort of the same steps */
    double duration;     /* of each run, s */
    bool idle;           /* the integral acts so slowly that it has no name: P or PD is what the
                            cost wants, and a load would stay */
    size_t tried;        /* settings that were run */
    bool met;            /* all requirements */
    rk_verdict verdict;  /* line by line, over the models */
    rk_require limiting; /* not met: the limiting requirement, or RK_REQUIRE_COUNT */
    bool stopped;        /* by go_on */
} rk_search_result;

/**
 * Settings that meet all requirements at the least cost, or the nearest miss. From the best of
 * the published rules, the gain searched afresh at each pair of times.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a model, a limit, a step or a mode that is
 * none; RK_ERR_DATA if no stable settings were found; RK_ERR_MEMORY.
 */
rk_status rk_search_compute(const rk_search_plan *plan, rk_search_result *result,
                            rk_diag *diag);

/**
 * The same search without the requirement that was limiting *found, by the load's IAE if the
 * cost was Ms: what it costs. Errors  as rk_search_compute; RK_ERR_DATA if all requirements are
 * met.
 */
rk_status rk_search_compute_without(const rk_search_plan *plan, const rk_search_result *found,
                                    rk_search_result *without, rk_diag *diag);

enum { RK_WEIGHTS_MAX = 32 };

/**
 * What less effort costs: the same search for each of these weights of the effort, in place of the
 * plan's; results[i].error and .effort are the curve. More weight is never more effort.
 *
 * Errors  as rk_search_compute; RK_ERR_RANGE for no weight, or more than RK_WEIGHTS_MAX.
 */
rk_status rk_tradeoff_compute(const rk_search_plan *plan, const double *weights, size_t count,
                              rk_search_result *results, rk_diag *diag);

/** Values of a setting: from low to high, both included; one value if they are equal. */
typedef struct rk_grid_axis {
    double low, high;
    size_t count; /* 1 to 1000 */
} rk_grid_axis;

/** "LOW:HIGH:STEP", or one value; false: it is neither, or of more than 1000 values. */
bool rk_grid_axis_parse(const char *text, bool times, rk_grid_axis *axis);

/** Value number i of an axis. */
double rk_grid_value(const rk_grid_axis *axis, size_t i);

/** A grid of settings in the ideal form, kc, ti and td, or in the parallel one, kp, ki and kd; the
 * last two as the plan's mode has them, else one value that is not read. */
typedef struct rk_grid {
    rk_grid_axis gain, integral, derivative;
    rk_form form; /* ideal or parallel */
} rk_grid;

/** How many points it has. */
size_t rk_grid_points(const rk_grid *grid);

/** What settings of a grid do; NaN where a thing does not exist. */
typedef struct rk_grid_point {
    rk_settings settings;
    int turn;         /* of a refined sweep, from 0; -1: it was not run */
    bool stable, met; /* met: all of the plan's requirements */
    double cost, figure[RK_REQUIRE_COUNT];
    rk_sweep_run setpoint, load;
} rk_grid_point;

/**
 * Run every point of a grid: points[(derivative * integral.count + integral) * gain.count +
 * gain]. *best is the best of
 * them, the requirements first and then the cost; *result what it does. Ended by go_on, the
 * rest is unstable with NaN.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_search_compute, or for an axis the wrong
 * way round; RK_ERR_DATA if no point is stable; RK_ERR_MEMORY.
 */
rk_status rk_search_grid_compute(const rk_search_plan *plan, const rk_grid *grid,
                                 rk_grid_point *points, size_t *best, rk_search_result *result,
                                 rk_diag *diag);

/** Is this point at the end of an axis of more than two values? A better one may lie beyond. */
bool rk_grid_is_edge(const rk_grid *grid, size_t point);

/** The points of a sweep's turns, one turn behind the other. */
typedef struct rk_grid_runs {
    rk_grid first;        /* of the first turn */
    rk_grid grid;         /* of the last turn that was not cut short */
    rk_grid_point *point; /* rk_grid_runs_free frees them */
    size_t count;
    size_t last; /* where the last turn's begin */
    size_t best; /* of the last turn, from its first */
} rk_grid_runs;

/**
 * A grid, and then so many turns around the best point, each with as many points within one and
 * a half steps of it. A turn that is cut short is left out, unless it is the first;
 * result->tried counts the points that are there.
 *
 * Errors  as rk_search_grid_compute; RK_ERR_RANGE for fewer than 0 or more than 10 turns.
 */
rk_status rk_search_grid_refine(const rk_search_plan *plan, int turns, const rk_grid *grid,
                                rk_grid_runs *runs, rk_search_result *result, rk_diag *diag);

void rk_grid_runs_free(rk_grid_runs *runs);

#ifdef __cplusplus
}
#endif

#endif
