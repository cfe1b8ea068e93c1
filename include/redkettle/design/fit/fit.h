/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_FIT_FIT_H
#define REDKETTLE_DESIGN_FIT_FIT_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/finding.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/loop/model.h>
#include <redkettle/design/record/record.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { RK_FIT_EXCLUDES = 8 };

/** When OUT moved, of a move that a row shows first. */
typedef enum rk_move_instants {
    RK_MOVES_WEIGHED = 0,      /* as the record says, or else as PV's answers do */
    RK_MOVES_ON_ROWS = 1,      /* on it: OUT was written by whoever wrote the rows */
    RK_MOVES_BETWEEN_ROWS = 2, /* anywhere from the row before to it: a hand's moves */
} rk_move_instants;

/** What to fit, and to what part of the record. Times in s from the first row. */
typedef struct rk_fit_plan {
    bool any_kind; /* choose the kind */
    bool rough;    /* of fopdt and ipdt alone */
    bool plain; /* least squares and no more: no colour, nothing beside the model, no spikes */
    rk_model_kind kind;
    rk_move_instants instants;
    double from, to; /* only rows within; NaN: all. OUT before counts all the same */
    size_t excludes;
    double exclude[RK_FIT_EXCLUDES][2]; /* rows within are left out */
} rk_fit_plan;

/** All rows, the kind to be chosen. */
rk_fit_plan rk_fit_plan_make(void);

/** A kind that was tried. */
typedef struct rk_fit_candidate {
    rk_model model;
    double bic, fit_percent;
    double drift, initial, initial_rate, load, load_at; /* as in rk_fit */
} rk_fit_candidate;

enum { RK_FIT_NUMBERS = RK_MODEL_NUMBERS, RK_FIT_LEFT_OUT = 8, RK_FIT_MOVES = 24 };

/** A model with its certainty. Intervals are {low, high} at 95 %. */
typedef struct rk_fit {
    rk_model model;      /* out0 is the first row's OUT, pv0 the fitted baseline */
    double gain95[2];    /* as the gain */
    double tau95[2][2];  /* s, of each time constant; {0, 0} where there is none */
    double damping95[2]; /* {0, 0} where there is none */
    double
        own_damping; /* that the record has, where the kind asked for cannot have it; else NaN */
    double dead_time95[2];    /* s, not below 0; by the likelihood's profile */
    double pv0_95[2];         /* pv-EU */
    rk_covariance covariance; /* of gain, time constants, damping, dead
                                                          time; 0 where there is none */
    double fit_percent; /* 100 (1 - |pv - model| / |pv - mean|): how much of PV's movement */
    double rmse;        /* pv-EU */
    double noise;       /* standard deviation of what the model leaves, pv-EU */
    double residual_correlation; /* of what is left, from a row to the next, -1..1 */
    double white_correlation;    /* the same with the noise's colour taken out */
    int noise_order;             /* of the autoregression taken for the noise; 0: independent */
    double noise_memory;         /* of irregular rows: correlation time, s; 0: independent */
    double bic;                  /* Bayesian information criterion; smaller is better */
    double answers_by; /* how much more the criterion would be if PV did not answer OUT at all;
                          NaN: not known */
    double drift;      /* pv-EU per s, found beside the model; 0: none */
    double initial;    /* pv-EU off rest at the first row; 0: none */
    double initial_rate;  /* of the second order, pv-EU per s there; 0: none */
    double load, load_at; /* a step found at the plant's input, out-EU, and when, s; 0: none */
    double other_load, other_load_at,
        other_gain; /* another load step, and the gain that goes with it, which explain PV nearly as well; 0: none */
    size_t rows, moves;
    double
        between_rows; /* how likely it is that OUT moved between rows, 0..1, NaN: not weighed; taken so from 0.975
                            on, or as the plan says */
    bool moved_between; /* taken so */
    double
        open_instant; /* s: how much earlier than its row OUT may have moved; 0: not at all, or
                            too little to matter */
    double
        early[RK_FIT_MOVES]; /* s before its row that each of them came, where they are open */
    double move_least, move_most; /* of OUT's moves, out-EU; 0: it moves all the time */
    double pv_moved;              /* from its lowest to its highest row, pv-EU */
    double quantum;               /* the step PV comes in, pv-EU; 0: none is seen */
    double passes;                /* how often a row was visited on average, search included */
    size_t left_out;              /* rows that are spikes */
    double left_out_at[RK_FIT_LEFT_OUT]; /* the first of them, s from the first row */
    bool closed_loop;                    /* OUT answers PV */
    size_t candidates;
    rk_fit_candidate candidate[RK_MODEL_KINDS];
    double interval; /* from row to row, s */
    double seen;     /* of the record after the first move, s */
} rk_fit;

/** What is doubtful about a fit, and what to do about it. */
rk_findings rk_fit_findings(const rk_fit *fit);

/** The gravest of them. */
rk_level rk_fit_level(const rk_fit *fit);

/**
 * Fit a process model to a record by output error: the model is run freely on the recorded OUT,
 * exactly for a step-held OUT with any sampling and any dead time, and its parameters are the
 * global maximum of the likelihood. No start value is needed.
 *
 * The noise's colour is estimated (an autoregression on regular rows, an exponential
 * correlation on irregular ones) and taken out, so that the intervals hold. A drift, a start
 * off rest and one step of load are taken into the model where the record clearly says so;
 * spikes are left out. All of it is said in the findings. Of several kinds the simplest is
 * chosen that the Bayesian criterion does not clearly speak against.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA if OUT or PV never moves, there are too few rows
 * or nothing fits; RK_ERR_RANGE for a window that is empty; RK_ERR_MEMORY. *fit is written with
 * RK_OK only. Source  L. Ljung, System Identification, 2nd ed., Prentice Hall, 1999, ch. 7, 10
 * and 16; G. Schwarz, Estimating the dimension of a model, 1978, Annals of Statistics 6.
 */
rk_status rk_fit_compute(const rk_record *record, const rk_fit_plan *plan, rk_fit *fit,
                         rk_diag *diag);

/** The same for one kind and all rows. */
rk_status rk_fit_compute_kind(const rk_record *record, rk_model_kind kind, rk_fit *fit,
                              rk_diag *diag);

/** Put a fit's model, intervals and noise into a loop. */
void rk_fit_to_loop(const rk_fit *fit, rk_design *loop);

/**
 * The model's PV at each row's time, run freely on the record's OUT from rest at its first row.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check; RK_ERR_MEMORY.
 */
rk_status rk_model_response_compute(const rk_model *model, const rk_record *record, double *pv,
                                    rk_diag *diag);

/**
 * The same with what was found beside the model: drift, start off rest, load step. Errors as
 * rk_model_response_compute.
 */
rk_status rk_fit_response_compute(const rk_fit *fit, const rk_record *record, double *pv,
                                  rk_diag *diag);

/** How well a model predicts a record that it was not fitted to. */
typedef struct rk_validation {
    double fit_percent, rmse; /* as in rk_fit */
    double offset; /* that was added to PV, pv-EU: the operating point may have moved */
} rk_validation;

/**
 * Run the model freely on another record's OUT, no look at its PV but for the offset.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check; RK_ERR_DATA for a record of
 * fewer than 2 rows or a PV that never moves; RK_ERR_MEMORY.
 */
rk_status rk_validation_compute(const rk_model *model, const rk_record *record,
                                rk_validation *validation, rk_diag *diag);

/** A move of OUT fitted alone. */
typedef struct rk_move_fit {
    double at, from, to; /* s from the first row; out-EU */
    bool fitted;         /* else fit holds nothing */
    rk_fit fit;
} rk_move_fit;

enum { RK_MOVE_FITS_MAX = 12 };

/** The moves of a record, each fitted alone. */
typedef struct rk_move_fits {
    size_t count;
    rk_move_fit move[RK_MOVE_FITS_MAX];
} rk_move_fits;

/** What their differences say. */
rk_findings rk_move_fits_findings(const rk_move_fits *fits);

/**
 * Fit each move of OUT alone, from a little before it to the next: a gain or a dead time that
 * changes with the operating point, the direction or the valve's play is seen.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA for a record without a move; RK_ERR_MEMORY.
 */
rk_status rk_move_fits_compute(const rk_record *record, rk_model_kind kind, rk_move_fits *fits,
                               rk_diag *diag);

/** A model by a ruler on paper. */
typedef struct rk_hand_fit {
    const char *method;
    rk_model model;
} rk_hand_fit;

enum { RK_HAND_FITS_MAX = 4 };

/** What the ruler reads, for the figure. */
typedef struct rk_hand_fits {
    size_t count; /* 0: the record is not one step of a process that settles */
    rk_hand_fit fit[RK_HAND_FITS_MAX];
    double move_at;             /* s from the first row */
    double pv_before, pv_after; /* pv-EU */
    double at_63;               /* when 63.2 % of the way is gone, s */
} rk_hand_fits;

/**
 * First order plus dead time from a record with a single move, as with a ruler: the 63.2 %
 * point with the moment PV begins to move, two points (28.3 and 63.2 %), two points (35.3 and
 * 85.3 %), and the tangent at the steepest slope.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY. A record that is no single step has count 0.
 * Source  J. G. Ziegler, N. B. Nichols, Optimum settings for automatic controllers, 1942,
 *          Trans. ASME 64 (tangent); C. L. Smith, Digital Computer Process Control, Intext,
 *          1972 (28.3 and 63.2 %); K. R. Sundaresan, P. R. Krishnaswamy, Estimation of time
 *          delay, time constant parameters, 1977, Canadian J. Chem. Eng. 56 (35.3 and 85.3 %).
 */
rk_status rk_hand_fits_compute(const rk_record *record, rk_hand_fits *hand, rk_diag *diag);

/** What of a model's operating point may be moved to where it fits a record best. */
typedef struct rk_lay_over {
    bool out0; /* to the record's first OUT, unless the process integrates */
    bool pv0;
} rk_lay_over;

/**
 * Lay a model that was not fitted over a record: *fit gets the model and how well it explains
 * PV, and nothing else.
 *
 * Errors  as rk_validation_compute.
 */
rk_status rk_fit_lay_over(const rk_record *record, const rk_model *model, rk_lay_over moves,
                          rk_fit *fit, rk_diag *diag);

/** A simpler model of a process, and what was lost: the largest difference of the responses to a step
 * of OUT, in percent of the whole way (of an integrator: of what PV moves in all lags' time). */
typedef struct rk_reduction {
    rk_model half_rule; /* by the half rule */
    rk_model fitted;    /* by fitting the step response, the gain as it is known */
    double half_rule_error, fitted_error;
    bool by_half_rule; /* it is the closer one */
} rk_reduction;

/** The closer of the two, and its error. */
rk_model rk_reduction_model(const rk_reduction *reduction);
double rk_reduction_error(const rk_reduction *reduction);

/**
 * Reduce a process made of parts to fopdt or sopdt, an integrating one to ipdt or ipdt-lag, by the
 * half rule and by fitting its step response.
 *
 * Half rule: half of the largest lag that is neglected goes to the lag before it (an integrator is
 * the largest lag of all, and takes nothing), the other half and all smaller lags to the dead
 * time; so does an inverse response.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a number out of range or another kind, and
 * diag names it; RK_ERR_MEMORY. Source  S. Skogestad, Simple analytic rules for model reduction
 * and PID controller tuning, 2003, J. Process Control 13(4), 291-309.
 */
rk_status rk_reduction_compute(const rk_model *process, rk_model_kind kind,
                               rk_reduction *reduction, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
