/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_MARGINS_MARGINS_H
#define REDKETTLE_DESIGN_MARGINS_MARGINS_H

#include <stdbool.h>

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/model_set.h>
#include <redkettle/design/loop/settings.h>

#ifdef __cplusplus
extern "C" {
#endif

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
rk_status rk_margins_compute(const rk_model *model, const rk_settings *settings,
                             rk_margins *margins, rk_diag *diag);

/**
 * L(jw), exact. Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_compute, or for a
 * frequency not above 0.
 *
 * Units   w in rad/s.
 */
rk_status rk_open_loop_response_compute(const rk_model *model, const rk_settings *settings,
                                        double w, double *re, double *im, rk_diag *diag);

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
rk_status rk_process_response_compute(const rk_model *model, int order, double w, double *re,
                                      double *im, rk_diag *diag);

/**
 * L at e^(j w ts) of the sampled loop: the process exact for an output that is held from scan
 * to scan, the controller as it runs, the derivative by the settings' scheme.
 *
 * Range   0 < w <= pi / ts: nothing above it can be told from what is below.
 * Errors  as rk_sampled_margins_compute.
 */
rk_status rk_sampled_response_compute(const rk_model *model, const rk_settings *settings,
                                      const rk_sampling *sampling, double w, double *re,
                                      double *im, rk_diag *diag);

/**
 * Margins of the sampled loop. Frequencies are looked at up to half the sampling frequency; the
 * loop is stable if all its poles are within the unit circle, which is counted from the
 * crossings of the negative real axis. bandwidth is not looked for. A dead time of more than
 * 1000 scans is taken as continuous with half a scan added, which is the same to a part in a
 * million.
 *
 * Units   sampling in s.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_settings_check, or for a
 *         scan not above 0, a negative delay or unknown integral scheme; RK_ERR_MEMORY.
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 *         1997, ch. 3 and 8.
 */
rk_status rk_sampled_margins_compute(const rk_model *model, const rk_settings *settings,
                                     const rk_sampling *sampling, rk_margins *margins,
                                     rk_diag *diag);

/**
 * Margins of a loop with a predictor whose model need not be the process: L is the loop broken
 * at the process, so that they say what error of the process it tolerates; kc_stable is of kc,
 * which acts within the predictor's loop too. With a perfect model they flatter: look at the
 * worst over wrong ones. rk_margins_compute and rk_sampled_margins_compute give these with the
 * process as the model where settings have a predictor.
 *
 * Units   sampling NULL: the continuous loop.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_compute and
 *         rk_sampled_margins_compute, for an integrating model, or for a derivative without a
 *         filter in the continuous loop; RK_ERR_MEMORY.
 * Source  O. J. M. Smith, Closer control of loops with dead time, 1957, Chemical Engineering
 *         Progress 53(5), 217-219.
 */
rk_status rk_predicted_margins_compute(const rk_model *process, const rk_model *model,
                                       const rk_settings *settings, const rk_sampling *sampling,
                                       rk_margins *margins, rk_diag *diag);

/**
 * Margins of a loop as it runs: what its process and its settings are judged by. The process
 * need not be the model that the controller has, which only a predictor and nothing else uses.
 *
 * Units   sampling NULL: the scan is not known, and the loop is taken as continuous.
 * Errors  as rk_predicted_margins_compute with a predictor, else as
 *         rk_sampled_margins_compute or rk_margins_compute.
 */
rk_status rk_loop_margins_compute(const rk_model *process, const rk_model *model,
                                  const rk_settings *settings, const rk_sampling *sampling,
                                  rk_margins *margins, rk_diag *diag);

/** The end of the stable kc on this kc's own side of 0, out-EU per pv-EU; NaN: there is none. */
double rk_margins_unstable_from(const rk_margins *margins, double kc);

/** Margins at their worst over models: each at its own worst. */
typedef struct rk_worst {
    bool stable;         /* on all of them; else the margins are NaN */
    double gain_margin;  /* a factor */
    double phase_margin; /* deg */
    double delay_margin; /* s */
    double ms;
    rk_model corner; /* where Ms is largest, or the first that is unstable */
} rk_worst;

/**
 * Units   sampling NULL: continuous.
 * Errors  RK_ERR_ARG for another NULL; RK_ERR_RANGE as rk_loop_margins_compute; RK_ERR_MEMORY.
 */
rk_status rk_worst_compute(const rk_model_set *set, const rk_settings *settings,
                           const rk_sampling *sampling, rk_worst *worst, rk_diag *diag);

/**
 * The open interval of kc in which the loop is stable on every model of the set, out-EU per pv-EU;
 * both ends NaN where there is none. All other settings stay as they are.
 *
 * Units   sampling NULL: continuous.
 * Errors  as rk_worst_compute.
 */
rk_status rk_worst_kc_compute(const rk_model_set *set, const rk_settings *settings,
                              const rk_sampling *sampling, double kc[2], rk_diag *diag);

/**
 * By how large a part every number of the model may be wrong at once, in whatever direction is
 * worst, with the loop still stable: 0 to 0.95.
 *
 * Errors  as rk_worst_compute.
 */
rk_status rk_worst_survived_compute(const rk_model *model, const rk_settings *settings,
                                    const rk_sampling *sampling, double *part, rk_diag *diag);

/**
 * The largest gain of a P-only loop around the process that is still stable, out-EU per pv-EU, and
 * the period of its swing there, s; both infinite if there is none. Errors  RK_ERR_MEMORY.
 */
rk_status rk_ultimate_point_compute(const rk_model *model, double *gain, double *period);

#ifdef __cplusplus
}
#endif

#endif
