/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_TUNE_RULES_H
#define RKI_DESIGN_TUNE_RULES_H

#include <redkettle/design/tune/tune.h>

/** What a rule is applied to. */
typedef struct rki_plant_facts {
    rk_model model; /* of a kind that the rule takes */
    double a;       /* gain theta / tau, or an integrator's gain theta */
    double r;       /* theta / tau; infinite for an integrator */
    rk_knobs knobs; /* all set that can be */
    double ku, pu;  /* the ultimate point; infinite: there is none */
    rk_form form; /* set by the rule: the form that its numbers are in; ideal unless it says */
    double least; /* set by a rule that gave no kc: what deviation is possible, pv-EU */
    double sp_weight; /* set by the rule; 1 unless it says */
} rki_plant_facts;

/** kc, ti (infinite: none) and td by the formula. */
typedef void rki_formula(rki_plant_facts *p, double out[3]);

/** A row of the table of rules: a name may have one for each mode and kind. */
typedef struct rki_rule {
    const char *name, *mode; /* "P", "PI", "PD", "PID" */
    unsigned kinds;          /* bits 1 << rk_model_kind that it was made for */
    rki_formula *formula;
    double r_low, r_high; /* theta / tau that it was made for */
    bool needs_dead_time, needs_ultimate, needs_no_dead_time;
    const char *source;
    bool needs_load; /* how far PV may move for which load */
} rki_rule;

extern const rki_rule rki_rules[];
extern const int rki_rules_count;

/** Does lambda enter it; the lambda that it has unless one is given, and the least one that it
 * was made for, in dead times. */
bool rki_rule_has_lambda(const rki_rule *rule);
double rki_rule_lambda_thetas(const rki_rule *rule);
double rki_rule_lambda_least(const rki_rule *rule);

#endif
