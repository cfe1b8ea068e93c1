/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_MARGINS_H
#define REDKETTLE_DESIGN_MARGINS_H

#include <stdbool.h>

#include <redkettle/design/model.h>
#include <redkettle/design/settings.h>

/**
 * How far the loop is from instability, in continuous time and with the exact dead time.
 * A quantity that does not exist (a margin nothing can use up) is infinite; in an unstable loop
 * the margins mean nothing and are NaN.
 */
typedef struct rk_margins {
    bool stable;
    double gain_margin;  /* the least factor above 1 on kc that makes the loop oscillate */
    double phase_margin; /* deg, over all gain crossovers */
    double delay_margin; /* s of further dead time, over all gain crossovers */
    double ms, mt;       /* peaks of |1/(1+L)| and |L/(1+L)| */
    double bandwidth; /* rad/s, the highest at which |L/(1+L)| falls to 1/sqrt(2); NaN: none */
    double gain_crossover;  /* rad/s, of the phase margin */
    double phase_crossover; /* rad/s, of the gain margin */
    double ultimate_gain;   /* P-only stability limit of the process alone, out-EU per pv-EU */
    double ultimate_period; /* s, of the oscillation there */
    bool kc_range_exists;   /* is there any stable kc with this ti, td, tf? */
    double kc_stable[2];    /* the open interval of kc that is stable, out-EU per pv-EU */
} rk_margins;

/** Margins of a loop that has none: unstable, all NaN. */
rk_margins rk_margins_none(void);

/**
 * Margins of these settings on this model.
 *
 *   L(jw) = kc (1 + 1/(jw ti) + jw td/(1 + jw tf)) P(jw)
 *
 * with the process P of any kind. Every gain crossover is a root of a polynomial in w^2; every
 * phase crossover is bracketed between the turning points of the phase. Stability is decided by
 * counting encirclements of -1.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_settings_check, or for a
 *         dead time over ten million times the shortest time in the loop; RK_ERR_MEMORY.
 * Source  K. J. Astrom, R. M. Murray, Feedback Systems, Princeton University Press, 2008, ch. 9
 *         (Nyquist criterion, margins, sensitivity peaks).
 */
rk_status rk_margins_check(const rk_model *model, const rk_settings *settings,
                           rk_margins *margins, rk_diag *diag);

/**
 * L(jw), exact. Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_check, or for a
 * frequency not above 0.
 *
 * Units   w in rad/s.
 */
rk_status rk_loop_response(const rk_model *model, const rk_settings *settings, double w,
                           double *re, double *im, rk_diag *diag);

/** At most so high an order of a dead time's rational approximation. */
enum { RK_RATIONAL_MAX = 10 };

/**
 * The process alone at jw: exact with order 0, else with its dead time as a rational function
 * of that order (the diagonal Pade approximation of exp(-theta s)).
 *
 * Units   w in rad/s, > 0.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check, for w or for the order.
 * Source  G. H. Golub, C. F. Van Loan, Matrix Computations, 4th ed., Johns Hopkins University
 *         Press, 2013, sec. 9.3 (the coefficients).
 */
rk_status rk_process_response(const rk_model *model, int order, double w, double *re,
                              double *im, rk_diag *diag);

#endif
