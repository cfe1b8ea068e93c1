/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_REQUIREMENTS_H
#define REDKETTLE_DESIGN_LOOP_REQUIREMENTS_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/loop/settings.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What the user may ask of a loop. The first four are margins, the others need a trial: a
 * setpoint step and a load step, each from rest. */
typedef enum rk_require {
    RK_REQUIRE_GAIN_MARGIN = 0, /* at least, a factor */
    RK_REQUIRE_PHASE_MARGIN,    /* at least, deg */
    RK_REQUIRE_DELAY_MARGIN,    /* at least, s */
    RK_REQUIRE_MS,              /* at most */
    RK_REQUIRE_OVERSHOOT,       /* at most, percent of the setpoint step */
    RK_REQUIRE_SETTLING,        /* at most, s after the setpoint step, to 2 % of it */
    RK_REQUIRE_RISE,            /* at most, s after the setpoint step, 10 to 90 % */
    RK_REQUIRE_STEADY_ERROR,    /* at most, pv-EU off the setpoint after its step */
    RK_REQUIRE_PEAK,            /* at most, pv-EU, largest deviation after the load step */
    RK_REQUIRE_RECOVERY,     /* at most, s after the load step, to 2 % of the setpoint step */
    RK_REQUIRE_TRAVEL,       /* at most, out-EU, sum of |change of OUT|, larger of both steps */
    RK_REQUIRE_LARGEST_MOVE, /* at most, out-EU from a scan to the next, larger of both steps */
    RK_REQUIRE_OUT_NOISE,    /* at most, out-EU, standard deviation that PV's noise gives OUT */
    RK_REQUIRE_COUNT
} rk_require;

/** "gain-margin", "phase-margin", "delay-margin", "ms", "overshoot", "settling", "rise",
 * "steady-error", "peak", "recovery", "travel", "largest-move", "out-noise". */
const char *rk_require_to_text(rk_require what);

/** Errors  RK_ERR_RANGE for a word that names no requirement; diag lists them. */
rk_status rk_require_from_text(const char *text, rk_require *what, rk_diag *diag);

/** Is the limit a least value, or a most? */
bool rk_require_is_least(rk_require what);

/** What a figure is counted in. */
typedef enum rk_quantity {
    RK_QUANTITY_FACTOR = 0, /* a bare number */
    RK_QUANTITY_DEGREES,
    RK_QUANTITY_PERCENT,
    RK_QUANTITY_TIME, /* s */
    RK_QUANTITY_PV,   /* pv-EU */
    RK_QUANTITY_OUT,  /* out-EU */
} rk_quantity;

rk_quantity rk_require_quantity(rk_require what);

/** A limit each; NaN where nothing is asked. */
typedef struct rk_requirements {
    double limit[RK_REQUIRE_COUNT];
    bool by_default[RK_REQUIRE_COUNT]; /* not asked for by the user */
    double sp_step;                    /* that they are asked of, pv-EU; NaN: not said */
    double load_step;                  /* out-EU, at the plant's input; NaN: not said */
} rk_requirements;

/**
 * The defaults: gain margin 2, phase margin 45 deg, Ms 2.
 *
 * Source  K. J. Astrom, T. Hagglund, PID Controllers, 2nd ed., ISA, 1995, ch. 4: gain margins
 * of 2 to 5, phase margins of 30 to 60 deg and Ms of 1.3 to 2 are usual.
 */
rk_requirements rk_requirements_default(void);

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a limit that is not above 0 (overshoot:
 * below 0). */
rk_status rk_requirements_set(rk_requirements *requirements, rk_require what, double limit,
                              rk_diag *diag);

/** Is anything asked that only a trial can show? */
bool rk_requirements_need_trial(const rk_requirements *requirements);

/** One requirement, its figure, and whether it is met; in the order of rk_require. */
typedef struct rk_verdict {
    bool met; /* all of them, and the loop is stable */
    bool asked[RK_REQUIRE_COUNT];
    bool line_met[RK_REQUIRE_COUNT];
    double figure[RK_REQUIRE_COUNT]; /* as given */
} rk_verdict;

/** Judge figures, in the order of rk_require. NaN: no figure, which is a miss where one is
 * asked; infinite: no end to it. */
rk_verdict rk_requirements_check(const rk_requirements *requirements, bool stable,
                                 const double figure[RK_REQUIRE_COUNT]);

/** What a loop runs under when its requirements are judged. */
typedef struct rk_conditions {
    rk_limits limits;
    double ts;        /* scan, s; NaN: fast enough not to matter */
    double delay;     /* from PV's sample to OUT's change, s, >= 0; 0 without a scan */
    double sp_step;   /* pv-EU, not 0 */
    double load_step; /* out-EU, at the plant's input, not 0 */
    double noise;     /* of PV, white: its standard deviation, pv-EU; NaN: not known */
    const struct rk_model *known; /* what a predictor takes the process for; NULL: what it is */
} rk_conditions;

/** How settings are scanned under these conditions, in *room; NULL: no scan is known. */
const rk_sampling *rk_conditions_sampling(const rk_conditions *conditions,
                                          const rk_settings *settings, rk_sampling *room);

#ifdef __cplusplus
}
#endif

#endif
