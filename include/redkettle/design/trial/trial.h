/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_TRIAL_TRIAL_H
#define REDKETTLE_DESIGN_TRIAL_TRIAL_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/design/record/record.h>

#ifdef __cplusplus
extern "C" {
#endif

/** How a setpoint moves. */
typedef enum rk_setpoint_shape {
    RK_SETPOINT_SHAPE_STEP = 0, /* to its size at once */
    RK_SETPOINT_SHAPE_RAMP,     /* to its size, evenly over `time` */
    RK_SETPOINT_SHAPE_TRAIN,    /* to its size and back, a whole swing every `time` */
    RK_SETPOINT_SHAPE_SINE,     /* to its size to both sides, a whole swing every `time` */
} rk_setpoint_shape;

/** "step", "ramp", "train", "sine". */
const char *rk_setpoint_shape_to_text(rk_setpoint_shape shape);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_setpoint_shape_from_text(const char *text, rk_setpoint_shape *shape,
                                      rk_diag *diag);

/** What is added at a time t >= 0, s; `time` is not read for a step. */
double rk_setpoint_shape_value(rk_setpoint_shape shape, double size, double time, double t);

/** One way to run the loop: what controls what, and within which limits. */
typedef struct rk_trial_case {
    char name[48];
    rk_model plant; /* its operating point is where the trial starts, at rest */
    rk_settings settings;
    rk_limits limits;
    double ts;         /* scan interval, s */
    double delay;      /* from PV's sample to OUT's change, s, >= 0 */
    bool manual;       /* the output goes to manual_out with the setpoint, and stays */
    double manual_out; /* out-EU */
    rk_model model;    /* of the predictor, and of a bias that is not given; it need not be the
                          plant, and starts where the plant does */
    double valve_rate, backlash, stiction; /* the valve's stroke, out-EU per s, its play and
                                              what it does not move for, out-EU; 0: none */
} rk_trial_case;

/** What is done to every case: the setpoint, in the first scan at or after sp_at, and a load. Of
 * a controller alone PV stands, and steps by -sp_step instead, so that the error does by
 * +sp_step: what OUT makes of it is the controller's own. */
typedef struct rk_trial_plan {
    double sp_step;          /* pv-EU */
    double sp_at;            /* s */
    bool alone;              /* the controller without its process */
    rk_setpoint_shape shape; /* of the setpoint; sp_step is its size */
    double sp_time;          /* of a ramp: how long; of a train, a sine: the period, s */
    double load_step;        /* out-EU at the plant's input, before the dead time .. */
    bool load_at_output;     /* .. or pv-EU at its output */
    double load_at;          /* s; read when load_step is not 0 */
    double noise;     /* of the PV that the controller sees, white: its deviation, pv-EU */
    unsigned seed;    /* of the noise: the same seed, the same run */
    double duration;  /* s */
    double band;      /* settling band, part of the step: 0.02 */
    double load_band; /* of the recovery, pv-EU; 0: that part of the setpoint step, or of the
                         peak where there is none */
} rk_trial_plan;

/**
 * What a run shows of the setpoint step; times count from it. "The value" is what PV settles at:
 * the loop's steady state for these settings and limits, or, with a deadband, within which PV
 * may rest anywhere, where the run ends. NaN: it does not happen within the run, or, of the
 * settling, the run ends too soon after it to be sure (cut_short). Of a train its first swing
 * counts; of a sine there are the criteria alone.
 */
typedef struct rk_setpoint_metrics {
    bool cut_short;   /* PV is in the band for less than its own time when the run or the load
                         ends it: nobody can tell whether it stays */
    double rise_time; /* s, from 10 to 90 % of the way to the value */
    double overshoot_percent; /* of the way, beyond the value; 0 if none */
    double settling_time;     /* s, last entry into the band around the value */
    double steady_error;      /* setpoint less the value, pv-EU */
    double iae;               /* integral of |sp - pv|, pv-EU s */
    double ise;               /* of its square, pv-EU^2 s */
    double itae;              /* of t |sp - pv|, pv-EU s^2 */
} rk_setpoint_metrics;

/** What a run shows of the load step; times count from it. */
typedef struct rk_load_metrics {
    bool cut_short;        /* as above, of the recovery */
    double peak_deviation; /* largest |pv - pv before the load|, pv-EU */
    double recovery_time;  /* s, last entry into the plan's band about where PV stood without
                              the load, or about the deadband there; NaN: it does not come
                              back */
    double iae;            /* integral of |sp - pv|, pv-EU s */
} rk_load_metrics;

/** With noise the times, the overshoot and the peak are those of the same run without it. */
typedef struct rk_trial_metrics {
    bool has_setpoint, has_load;
    bool unstable;   /* the loop is, as it is scanned and without its limits */
    bool wrong_sign; /* .. since kc and the gain have different signs */
    double
        settling_needs; /* a run of some so many s would tell whether it settles; NaN: this one
                              is long enough */
    double first_move,
        last_move; /* of a controller alone: OUT's first and whole move, out-EU */
    double slope;  /* .. and how fast it moves at the end, out-EU per s */
    rk_setpoint_metrics setpoint;
    rk_load_metrics load;
    double travel;         /* sum of |change of OUT|, out-EU */
    double largest_move;   /* of OUT from a scan to the next, out-EU */
    size_t reversals;      /* changes of OUT's direction, by more than 0.1 % of its excursion */
    double saturated_time; /* s with OUT on a limit */
} rk_trial_metrics;

/** A plan of which all is left open that rk_trial_plan_complete chooses. */
rk_trial_plan rk_trial_plan_make(void);

/**
 * Choose what a plan leaves open, NaN, for cases to be run side by side: without any step a
 * setpoint step of 5 % of PV's range (1 without a range) and the load step that moves PV as
 * far; otherwise a step that is not said is 0; the setpoint at 0 s; long enough for all cases
 * to settle, three swings of a train or sine, the load half way; a band of 2 %. A case that is
 * very much slower than another is cut short for it.
 */
void rk_trial_plan_complete(rk_trial_plan *plan, const rk_design *loop,
                            const rk_trial_case *cases, size_t count);

/** A finished run: its curves and its metrics. */
typedef struct rk_trial rk_trial;

/** A run long enough for this case to settle, s; twice that for a setpoint and a load step. */
double rk_trial_time_to_settle(const rk_trial_case *trial_case);

/**
 * Run one case: the controller and plant blocks of the device tier in closed loop, scan by
 * scan, what a scan writes being held until the next. The plant's response between the scans is
 * computed too, exactly, and is what the criteria integrate.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a model, settings, limits or plan out of
 * range, a start outside the output limits, on/off without limits, or a predictor of an
 * integrating model; RK_ERR_MEMORY.
 */
rk_status rk_trial_create(const rk_trial_case *trial_case, const rk_trial_plan *plan,
                          rk_trial **trial, rk_diag *diag);

const rk_trial_metrics *rk_trial_results(const rk_trial *trial);
const char *rk_trial_name(const rk_trial *trial);

/** The controller's side: a value a scan, all rk_trial_scans long. sp and out hold from a scan
 * on. */
size_t rk_trial_scans(const rk_trial *trial);
double rk_trial_scan_interval(const rk_trial *trial);
const double *rk_trial_sp(const rk_trial *trial);
const double *rk_trial_out(const rk_trial *trial);

/** Where OUT stood before the first scan, out-EU. */
double rk_trial_out_start(const rk_trial *trial);

/** The plant's side: PV every rk_trial_step seconds from 0 on, rk_trial_points values. */
size_t rk_trial_points(const rk_trial *trial);
double rk_trial_step(const rk_trial *trial);
const double *rk_trial_pv(const rk_trial *trial);

/** A recorded curve to lay beside a trial. */
typedef struct rk_overlay {
    const rk_record *record;
    double shift;    /* a row lies at its time from the first row plus this, s */
    double found_at; /* where the record's own step was found, s from its first row; NaN: it was
                        not looked for, or there is none */
} rk_overlay;

/**
 * Lay a record so that its step is where the trial's setpoint steps: `at` s from its first row,
 * or, NaN, where OUT makes its one sudden move; without one from its first row.
 */
rk_overlay rk_overlay_make(const rk_record *record, const rk_trial_plan *plan, double at);

/**
 * A trial beside a record: how many rows lie within the trial, and the root mean square of PV's
 * difference, pv-EU; NaN without rows.
 *
 * Errors  RK_ERR_ARG for a NULL.
 */
rk_status rk_overlay_compare(const rk_overlay *overlay, const rk_trial *trial, size_t *rows,
                             double *rms, rk_diag *diag);

void rk_trial_free(rk_trial *trial);

/** What a step of OUT does to the process before there is a controller; times from the step, s.
 * NaN: an integrator has no such thing, or the run is too short for it. */
typedef struct rk_open_step {
    double out_step;     /* out-EU */
    double pv_end;       /* where PV comes to rest, pv-EU */
    double dead_time;    /* until PV begins to move */
    double at_28, at_63; /* when 28.3 and 63.2 % of the way are gone */
    double rise;         /* from 10 to 90 % */
    double settling;     /* last entry into +-2 % of the way */
    double slope;        /* the steepest, pv-EU per s */
} rk_open_step;

/**
 * Step OUT by hand and run for so long, s, or with NaN until PV rests; an integrator, for ten dead
 * times and lags. The caller frees *trial.
 *
 * Errors  as rk_trial_create, and RK_ERR_RANGE for a step of 0.
 */
rk_status rk_open_step_compute(const rk_model *model, double ts, double out_step,
                               double duration, rk_trial **trial, rk_open_step *found,
                               rk_diag *diag);

/** Parts of a process at most. */
enum { RK_PARTS_MAX = RK_LAGS_MAX };

/**
 * What each part of a process would do alone, for as long as the whole: of lags each one with the
 * whole's gain; of an integrating process the integrator without its lags. A process of one part, or
 * a model, has none. The caller frees the trials.
 *
 * Errors  as rk_open_step_compute.
 */
rk_status rk_open_parts_create(const rk_model *process, double out_step, const rk_trial *whole,
                               rk_trial *parts[RK_PARTS_MAX], size_t *count, rk_diag *diag);

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

/** Figures that are made while a loop runs, a scan at a time. */
typedef struct rk_run_meter {
    rk_run_figures figures; /* so far */
    size_t scans;
    double sp, out; /* of the last scan */
    double from;    /* the setpoint before its last change */
    bool moving;    /* a change of the setpoint is under way */
    bool reached;   /* .. has come to its end */
} rk_run_meter;

/** Nothing seen yet. */
rk_run_meter rk_run_meter_make(void);

/** A scan's sp and pv, pv-EU, and out, out-EU; a pv of NaN: there was none. */
void rk_run_meter_add(rk_run_meter *meter, double sp, double pv, double out);

/** Measure a run; all NaN for an empty one. */
rk_run_figures rk_run_figures_compute(const rk_run_curves *run);

#ifdef __cplusplus
}
#endif

#endif
