/* SPDX-License-Identifier: MIT */
#include "rules.h"

#include <math.h>
#include <string.h>

#include "averaging.h"

/* The published rules, a row for each mode and kind of model; ideal form unless the formula
   says otherwise. tau, theta, K, lambda as in the literature. */

#define FORMULA(name) static void name(rki_plant_facts *p, double out[3])
#define TAU (p->model.time_constant[0])
#define TAU2 (p->model.time_constant[1])
#define THETA (p->model.dead_time)
#define K (p->model.gain)
#define LAMBDA (p->knobs.lambda)

static void set(double out[3], double kc, double ti, double td)
{
    out[0] = kc;
    out[1] = ti;
    out[2] = td;
}

FORMULA(simple_pi)
{
    set(out, 1.0 / K, TAU, 0.0);
}

FORMULA(lambda_pi)
{
    set(out, TAU / (K * (LAMBDA + THETA)), TAU, 0.0);
}

FORMULA(lambda_pid)
{
    set(out, (TAU + (0.5 * THETA)) / (K * (LAMBDA + (0.5 * THETA))), TAU + (0.5 * THETA),
        TAU * THETA / ((2.0 * TAU) + THETA));
}

FORMULA(lambda_pid_two_lags)
{
    set(out, (TAU + TAU2) / (K * (LAMBDA + THETA)), TAU + TAU2, TAU * TAU2 / (TAU + TAU2));
}

FORMULA(lambda_pid_oscillating)
{
    const double z = p->model.damping;

    set(out, 2.0 * z * TAU / (K * (LAMBDA + THETA)), 2.0 * z * TAU, TAU / (2.0 * z));
}

FORMULA(lambda_pi_integrator)
{
    const double sum = LAMBDA + THETA;

    set(out, ((2.0 * LAMBDA) + THETA) / (K * sum * sum), (2.0 * LAMBDA) + THETA, 0.0);
}

FORMULA(lambda_pid_integrator)
{
    const double sum = LAMBDA + (0.5 * THETA), ti = (2.0 * LAMBDA) + THETA;

    set(out, ti / (K * sum * sum), ti, ((LAMBDA * THETA) + (0.25 * THETA * THETA)) / ti);
}

FORMULA(improved_pi)
{
    set(out, ((2.0 * TAU) + THETA) / (2.0 * K * LAMBDA), TAU + (0.5 * THETA), 0.0);
}

FORMULA(simc_pi)
{
    set(out, TAU / (K * (LAMBDA + THETA)), fmin(TAU, 4.0 * (LAMBDA + THETA)), 0.0);
}

FORMULA(simc_pid_two_lags)
{
    p->form = RK_FORM_SERIES;
    set(out, TAU / (K * (LAMBDA + THETA)), fmin(TAU, 4.0 * (LAMBDA + THETA)), TAU2);
}

FORMULA(simc_pi_integrator)
{
    set(out, 1.0 / (K * (LAMBDA + THETA)), 4.0 * (LAMBDA + THETA), 0.0);
}

FORMULA(simc_pid_integrator_lag)
{
    p->form = RK_FORM_SERIES;
    set(out, 1.0 / (K * (LAMBDA + THETA)), 4.0 * (LAMBDA + THETA), TAU);
}

FORMULA(place_first_order)
{
    const double zw = 2.0 * p->knobs.zeta * p->knobs.omega, w = p->knobs.omega;

    set(out, ((zw * TAU) - 1.0) / K, ((zw * TAU) - 1.0) / (w * w * TAU), 0.0);
}

FORMULA(place_integrator)
{
    set(out, 2.0 * p->knobs.zeta * p->knobs.omega / K, 2.0 * p->knobs.zeta / p->knobs.omega,
        0.0);
}

FORMULA(amigo_pi)
{
    const double sum = THETA + TAU;

    set(out, (0.15 / K) + ((0.35 - (THETA * TAU / (sum * sum))) * TAU / (K * THETA)),
        (0.35 * THETA) + (13.0 * THETA * TAU * TAU /
                          ((TAU * TAU) + (12.0 * THETA * TAU) + (7.0 * THETA * THETA))),
        0.0);
}

FORMULA(amigo_pid)
{
    p->sp_weight = THETA < TAU ? 0.0 : 1.0;
    set(out, (0.2 + (0.45 * TAU / THETA)) / K,
        THETA * ((0.4 * THETA) + (0.8 * TAU)) / (THETA + (0.1 * TAU)),
        0.5 * THETA * TAU / ((0.3 * THETA) + TAU));
}

FORMULA(amigo_pi_integrator)
{
    set(out, 0.35 / (K * THETA), 13.4 * THETA, 0.0);
}

FORMULA(amigo_pid_integrator)
{
    set(out, 0.45 / (K * THETA), 8.0 * THETA, 0.5 * THETA);
}

/* Reaction curve and ultimate point. */
FORMULA(zn_p)
{
    set(out, 1.0 / p->a, HUGE_VAL, 0.0);
}

FORMULA(zn_pi)
{
    set(out, 0.9 / p->a, THETA / 0.3, 0.0);
}

FORMULA(zn_pid)
{
    set(out, 1.2 / p->a, 2.0 * THETA, 0.5 * THETA);
}

FORMULA(ultimate_p)
{
    set(out, 0.5 * p->ku, HUGE_VAL, 0.0);
}

FORMULA(ultimate_pi)
{
    set(out, 0.45 * p->ku, p->pu / 1.2, 0.0);
}

FORMULA(ultimate_pid)
{
    set(out, 0.6 * p->ku, 0.5 * p->pu, 0.125 * p->pu);
}

FORMULA(tl_pi)
{
    set(out, p->ku / 3.2, 2.2 * p->pu, 0.0);
}

FORMULA(tl_pid)
{
    set(out, p->ku / 2.2, 2.2 * p->pu, p->pu / 6.3);
}

FORMULA(cc_p)
{
    set(out, (1.0 + (p->r / 3.0)) / p->a, HUGE_VAL, 0.0);
}

FORMULA(cc_pd)
{
    set(out, (1.25 + (p->r / 6.0)) / p->a, HUGE_VAL,
        THETA * (6.0 - (2.0 * p->r)) / (22.0 + (3.0 * p->r)));
}

FORMULA(cc_pi)
{
    set(out, (0.9 + (p->r / 12.0)) / p->a,
        THETA * (30.0 + (3.0 * p->r)) / (9.0 + (20.0 * p->r)), 0.0);
}

FORMULA(cc_pid)
{
    set(out, ((4.0 / 3.0) + (0.25 * p->r)) / p->a,
        THETA * (32.0 + (6.0 * p->r)) / (13.0 + (8.0 * p->r)),
        THETA * 4.0 / (11.0 + (2.0 * p->r)));
}

/* Chien, Hrones and Reswick: factors on 1/a, tau or theta. */
#define CHR(name, gain, ti, td)                                                                \
    FORMULA(name)                                                                              \
    {                                                                                          \
        set(out, (gain) / p->a, ti, td);                                                       \
    }
CHR(chr_s0_p, 0.3, HUGE_VAL, 0.0)
CHR(chr_s0_pi, 0.35, 1.2 * TAU, 0.0)
CHR(chr_s0_pid, 0.6, TAU, 0.5 * THETA)
CHR(chr_s20_p, 0.7, HUGE_VAL, 0.0)
CHR(chr_s20_pi, 0.6, TAU, 0.0)
CHR(chr_s20_pid, 0.95, 1.4 * TAU, 0.47 * THETA)
CHR(chr_l0_p, 0.3, HUGE_VAL, 0.0)
CHR(chr_l0_pi, 0.6, 4.0 * THETA, 0.0)
CHR(chr_l0_pid, 0.95, 2.4 * THETA, 0.42 * THETA)
CHR(chr_l20_p, 0.7, HUGE_VAL, 0.0)
CHR(chr_l20_pi, 0.7, 2.3 * THETA, 0.0)
CHR(chr_l20_pid, 1.2, 2.0 * THETA, 0.42 * THETA)

/* How far PV may move, as a time: over the gain and the load. */
static double allowed(const rki_plant_facts *p)
{
    return p->knobs.deviation / fabs(K * p->knobs.load);
}

FORMULA(averaging_p)
{
    double k = 0, least = 0;
    const bool can = rki_averaging_gain(THETA, allowed(p), &k, &least);

    p->knobs.lambda = nan("");
    p->least = least * fabs(K * p->knobs.load);
    set(out, can ? k / K : nan(""), HUGE_VAL, 0.0);
}

FORMULA(averaging_pi)
{
    double least = 0;
    const bool can = rki_averaging_lambda(THETA, allowed(p), &LAMBDA, &least);
    const rki_averaging loop = rki_averaging_at(THETA, LAMBDA);

    p->least = least * fabs(K * p->knobs.load);
    set(out, can ? loop.k / K : nan(""), loop.ti, 0.0);
}

/* Integral criteria: setpoint (ti = tau / (C + D r)) and load (ti = tau / (C r^D)). */
#define ROVIRA(name, A, B, C, D, E, F)                                                         \
    FORMULA(name)                                                                              \
    {                                                                                          \
        set(out, (A) / K * pow(p->r, B), TAU / ((C) + ((D)*p->r)),                             \
            (E) > 0 ? TAU * (E)*pow(p->r, F) : 0.0);                                           \
    }
ROVIRA(rovira_iae_pi, 0.758, -0.861, 1.02, -0.323, 0.0, 0.0)
ROVIRA(rovira_itae_pi, 0.586, -0.916, 1.03, -0.165, 0.0, 0.0)
ROVIRA(rovira_iae_pid, 1.086, -0.869, 0.740, -0.130, 0.348, 0.914)
ROVIRA(rovira_itae_pid, 0.965, -0.850, 0.796, -0.1465, 0.308, 0.929)

#define LOPEZ(name, A, B, C, D, E, F)                                                          \
    FORMULA(name)                                                                              \
    {                                                                                          \
        set(out, (A) / K * pow(p->r, B), (C) > 0 ? TAU / (C)*pow(p->r, -(D)) : HUGE_VAL,       \
            (E) > 0 ? TAU * (E)*pow(p->r, F) : 0.0);                                           \
    }
LOPEZ(lopez_iae_p, 0.902, -0.985, 0.0, 0.0, 0.0, 0.0)
LOPEZ(lopez_ise_p, 1.411, -0.917, 0.0, 0.0, 0.0, 0.0)
LOPEZ(lopez_itae_p, 0.490, -1.084, 0.0, 0.0, 0.0, 0.0)
LOPEZ(lopez_ise_pi, 1.305, -0.959, 0.492, -0.739, 0.0, 0.0)
LOPEZ(lopez_iae_pi, 0.984, -0.986, 0.608, -0.707, 0.0, 0.0)
LOPEZ(lopez_itae_pi, 0.859, -0.977, 0.674, -0.680, 0.0, 0.0)
LOPEZ(lopez_ise_pid, 1.495, -0.945, 1.101, -0.771, 0.560, 1.006)
LOPEZ(lopez_iae_pid, 1.435, -0.921, 0.878, -0.749, 0.482, 1.137)
LOPEZ(lopez_itae_pid, 1.357, -0.947, 0.842, -0.738, 0.381, 0.995)

#define FOPDT (1U << RK_MODEL_FOPDT)
#define SOPDT (1U << RK_MODEL_SOPDT)
#define OSC (1U << RK_MODEL_SOPDT_OSC)
#define IPDT (1U << RK_MODEL_IPDT)
#define IPDT_LAG (1U << RK_MODEL_IPDT_LAG)
#define ANY (FOPDT | SOPDT | OSC | IPDT | IPDT_LAG)

#define DAHLIN                                                                                 \
    "E. B. Dahlin, Designing and tuning digital controllers, 1968, Instruments and Control "   \
    "Systems 41"
#define IMC                                                                                    \
    "D. E. Rivera, M. Morari, S. Skogestad, Internal model control: PID controller design, "   \
    "1986, Ind. Eng. Chem. Process Des. Dev. 25"
#define CHIEN_FRUEHAUF                                                                         \
    "I-L. Chien, P. S. Fruehauf, Consider IMC tuning to improve controller performance, "      \
    "1990, "                                                                                   \
    "Chem. Eng. Progress 86"
#define SIMC                                                                                   \
    "S. Skogestad, Simple analytic rules for model reduction and PID controller tuning, "      \
    "2003, "                                                                                   \
    "J. Process Control 13(4), 291-309"
#define AMIGO                                                                                  \
    "K. J. Astrom, T. Hagglund, Revisiting the Ziegler-Nichols step response method for PID "  \
    "control, 2004, J. Process Control 14"
#define ZN                                                                                     \
    "J. G. Ziegler, N. B. Nichols, Optimum settings for automatic controllers, 1942, Trans. "  \
    "ASME 64"
#define TL_PI                                                                                  \
    "B. D. Tyreus, W. L. Luyben, Tuning PI controllers for integrator/dead time processes, "   \
    "1992, Ind. Eng. Chem. Res. 31"
#define TL_PID                                                                                 \
    "W. L. Luyben, Tuning PID controllers for integrator/deadtime processes, 1996, Ind. Eng. " \
    "Chem. Res. 35"
#define CC                                                                                     \
    "G. H. Cohen, G. A. Coon, Theoretical consideration of retarded control, 1953, Trans. "    \
    "ASME 75"
#define CHR_SOURCE                                                                             \
    "K. L. Chien, J. A. Hrones, J. B. Reswick, On the automatic control of generalized "       \
    "passive systems, 1952, Trans. ASME 74"
#define ROVIRA_SOURCE                                                                          \
    "A. A. Rovira, P. W. Murrill, C. L. Smith, Tuning controllers for setpoint changes, "      \
    "1969, "                                                                                   \
    "Instruments and Control Systems 42"
#define LOPEZ_SOURCE                                                                           \
    "A. M. Lopez, J. A. Miller, C. L. Smith, P. W. Murrill, Tuning controllers with "          \
    "error-integral criteria, 1967, Instr. Technology 14"

const rki_rule rki_rules[] = {
    {"simple", "PI", FOPDT, simple_pi, 0, 0.5, false, false, false,
     "the lambda rule with lambda + dead time = time constant"},
    {"lambda", "PI", FOPDT, lambda_pi, 0, HUGE_VAL, false, false, false, DAHLIN},
    {"lambda", "PID", FOPDT, lambda_pid, 0, HUGE_VAL, true, false, false, IMC},
    {"lambda", "PID", SOPDT, lambda_pid_two_lags, 0, HUGE_VAL, false, false, false, IMC},
    {"lambda", "PID", OSC, lambda_pid_oscillating, 0, HUGE_VAL, false, false, false, IMC},
    {"lambda", "PI", IPDT, lambda_pi_integrator, 0, HUGE_VAL, false, false, false,
     CHIEN_FRUEHAUF},
    {"lambda", "PID", IPDT, lambda_pid_integrator, 0, HUGE_VAL, true, false, false,
     CHIEN_FRUEHAUF},
    {"lambda-improved", "PI", FOPDT, improved_pi, 0, HUGE_VAL, true, false, false, IMC},
    {"simc", "PI", FOPDT, simc_pi, 0, HUGE_VAL, false, false, false, SIMC},
    {"simc", "PID", SOPDT, simc_pid_two_lags, 0, HUGE_VAL, false, false, false, SIMC},
    {"simc", "PI", IPDT, simc_pi_integrator, 0, HUGE_VAL, false, false, false, SIMC},
    {"simc", "PID", IPDT_LAG, simc_pid_integrator_lag, 0, HUGE_VAL, false, false, false, SIMC},
    {"pole-placement", "PI", FOPDT, place_first_order, 0, HUGE_VAL, false, false, true,
     "characteristic polynomial of the closed loop without dead time"},
    {"pole-placement", "PI", IPDT, place_integrator, 0, HUGE_VAL, false, false, true,
     "characteristic polynomial of the closed loop without dead time"},
    {"amigo", "PI", FOPDT, amigo_pi, 0, HUGE_VAL, true, false, false, AMIGO},
    {"amigo", "PID", FOPDT, amigo_pid, 0, HUGE_VAL, true, false, false, AMIGO},
    {"amigo", "PI", IPDT, amigo_pi_integrator, 0, HUGE_VAL, true, false, false, AMIGO},
    {"amigo", "PID", IPDT, amigo_pid_integrator, 0, HUGE_VAL, true, false, false, AMIGO},
    {"zn-reaction", "P", FOPDT | IPDT, zn_p, 0.1, 1, true, false, false, ZN},
    {"zn-reaction", "PI", FOPDT | IPDT, zn_pi, 0.1, 1, true, false, false, ZN},
    {"zn-reaction", "PID", FOPDT | IPDT, zn_pid, 0.1, 1, true, false, false, ZN},
    {"zn-ultimate", "P", ANY, ultimate_p, 0, HUGE_VAL, false, true, false, ZN},
    {"zn-ultimate", "PI", ANY, ultimate_pi, 0, HUGE_VAL, false, true, false, ZN},
    {"zn-ultimate", "PID", ANY, ultimate_pid, 0, HUGE_VAL, false, true, false, ZN},
    {"tyreus-luyben", "PI", ANY, tl_pi, 0, HUGE_VAL, false, true, false, TL_PI},
    {"tyreus-luyben", "PID", ANY, tl_pid, 0, HUGE_VAL, false, true, false, TL_PID},
    {"cohen-coon", "P", FOPDT, cc_p, 0.1, 1, true, false, false, CC},
    {"cohen-coon", "PD", FOPDT, cc_pd, 0.1, 1, true, false, false, CC},
    {"cohen-coon", "PI", FOPDT, cc_pi, 0.1, 1, true, false, false, CC},
    {"cohen-coon", "PID", FOPDT, cc_pid, 0.1, 1, true, false, false, CC},
    {"chr-setpoint-0", "P", FOPDT, chr_s0_p, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-setpoint-0", "PI", FOPDT, chr_s0_pi, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-setpoint-0", "PID", FOPDT, chr_s0_pid, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-setpoint-20", "P", FOPDT, chr_s20_p, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-setpoint-20", "PI", FOPDT, chr_s20_pi, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-setpoint-20", "PID", FOPDT, chr_s20_pid, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-0", "P", FOPDT, chr_l0_p, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-0", "PI", FOPDT, chr_l0_pi, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-0", "PID", FOPDT, chr_l0_pid, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-20", "P", FOPDT, chr_l20_p, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-20", "PI", FOPDT, chr_l20_pi, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"chr-load-20", "PID", FOPDT, chr_l20_pid, 0.1, 0.33, true, false, false, CHR_SOURCE},
    {"rovira-iae", "PI", FOPDT, rovira_iae_pi, 0.1, 1, true, false, false, ROVIRA_SOURCE},
    {"rovira-iae", "PID", FOPDT, rovira_iae_pid, 0.1, 1, true, false, false, ROVIRA_SOURCE},
    {"rovira-itae", "PI", FOPDT, rovira_itae_pi, 0.1, 1, true, false, false, ROVIRA_SOURCE},
    {"rovira-itae", "PID", FOPDT, rovira_itae_pid, 0.1, 1, true, false, false, ROVIRA_SOURCE},
    {"lopez-iae", "P", FOPDT, lopez_iae_p, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-iae", "PI", FOPDT, lopez_iae_pi, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-iae", "PID", FOPDT, lopez_iae_pid, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-ise", "P", FOPDT, lopez_ise_p, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-ise", "PI", FOPDT, lopez_ise_pi, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-ise", "PID", FOPDT, lopez_ise_pid, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-itae", "P", FOPDT, lopez_itae_p, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-itae", "PI", FOPDT, lopez_itae_pi, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"lopez-itae", "PID", FOPDT, lopez_itae_pid, 0.1, 1, true, false, false, LOPEZ_SOURCE},
    {"averaging-level", "P", IPDT, averaging_p, 0, HUGE_VAL, false, false, false,
     "the offset of P alone after a load step, with dead time the peak of the exact loop",
     true},
    {"averaging-level", "PI", IPDT, averaging_pi, 0, HUGE_VAL, false, false, false,
     CHIEN_FRUEHAUF, true},
};
const int rki_rules_count = sizeof rki_rules / sizeof rki_rules[0];

double rki_rule_lambda_thetas(const rki_rule *rule)
{
    if (rule->formula == improved_pi) return 1.7;
    return rule->formula == lambda_pi_integrator || rule->formula == lambda_pid_integrator
               ? 3.0
               : 1.0;
}

double rki_rule_lambda_least(const rki_rule *rule)
{
    if (rule->formula == improved_pi) return 1.7;
    return rule->formula == lambda_pid ? 0.8 : 0.0;
}

bool rki_rule_has_lambda(const rki_rule *rule)
{
    return strncmp(rule->name, "lambda", 6) == 0 || strcmp(rule->name, "simc") == 0;
}
