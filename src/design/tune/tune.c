/* SPDX-License-Identifier: MIT */
#include <redkettle/design/tune/tune.h>

#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/margins/margins.h>

#include "design/base/words.h"
#include "rules.h"

enum { NAMES_MAX = 32 };

/* The rules' names, each once, in the order of the table. */
static int list_names(const char *names[NAMES_MAX + 1])
{
    int count = 0, i;

    for (i = 0; i < rki_rules_count; i++) {
        if (count == 0 || strcmp(names[count - 1], rki_rules[i].name) != 0) {
            names[count++] = rki_rules[i].name;
        }
    }
    names[count] = NULL;
    return count;
}

int rk_rule_count(void)
{
    const char *names[NAMES_MAX + 1];

    return list_names(names);
}

const char *rk_rule_name(int rule)
{
    const char *names[NAMES_MAX + 1];
    const int count = list_names(names);

    return rule >= 0 && rule < count ? names[rule] : "unknown";
}

rk_status rk_rule_from_name(const char *name, int *rule, rk_diag *diag)
{
    const char *names[NAMES_MAX + 1];

    rk_diag_clear(diag);
    if (name == NULL || rule == NULL) return RK_ERR_ARG;
    (void)list_names(names);
    return rki_word_find(names, "rule", name, rule, diag);
}

rk_knobs rk_knobs_make(void)
{
    const double none = nan("");
    const rk_knobs made = {none, none, none, none, none, none, none};

    return made;
}

double rk_lambda_default(const rk_model *model)
{
    return fmax(model->dead_time, 0.1 * model->time_constant[0]);
}

static rk_status check_knobs(const rk_knobs *k, rk_diag *diag)
{
    const struct {
        const char *name;
        double value;
    } all[] = {{"lambda", k->lambda},
               {"omega", k->omega},
               {"zeta", k->zeta},
               {"ultimate period", k->ultimate_period},
               {"allowed deviation", k->deviation}};
    size_t i;

    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (!isnan(all[i].value) && (!(all[i].value > 0) || isinf(all[i].value))) {
            return rk_diag_set(diag, RK_ERR_RANGE, "%s %g: give a value above 0", all[i].name,
                               all[i].value);
        }
    }
    if (isnan(k->ultimate_gain) != isnan(k->ultimate_period)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "ultimate gain and ultimate period belong together: give both");
    }
    if (isnan(k->deviation) != isnan(k->load) || k->load == 0 || isinf(k->load)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "allowed deviation and load belong together: give both, the load not 0");
    }
    if (k->ultimate_gain == 0 || isinf(k->ultimate_gain)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "ultimate gain %g: give a number other than 0",
                           k->ultimate_gain);
    }
    return RK_OK;
}

/* The model that a rule made for these kinds takes in place of this one: itself, or by the half
   rule without its second lag; false if there is none. */
static bool suit(const rk_model *model, unsigned kinds, rk_model *suited, bool *reduced)
{
    *suited = *model;
    *reduced = false;
    if ((kinds >> model->kind) & 1U) return true;
    *reduced = true;
    if (model->kind == RK_MODEL_SOPDT && ((kinds >> RK_MODEL_FOPDT) & 1U)) {
        suited->kind = RK_MODEL_FOPDT;
        suited->time_constant[0] += 0.5 * model->time_constant[1];
        suited->dead_time += 0.5 * model->time_constant[1];
        suited->time_constant[1] = 0.0;
        return true;
    }
    if (model->kind == RK_MODEL_IPDT_LAG && ((kinds >> RK_MODEL_IPDT) & 1U)) {
        suited->kind = RK_MODEL_IPDT;
        suited->dead_time += 0.5 * model->time_constant[0];
        suited->time_constant[0] = 0.0;
        return true;
    }
    return false;
}

/* Has the rule a formula of its own for this kind and mode? */
static bool has_own(const rki_rule *rule, rk_model_kind kind)
{
    int i;

    for (i = 0; i < rki_rules_count; i++) {
        if (strcmp(rki_rules[i].name, rule->name) == 0 &&
            strcmp(rki_rules[i].mode, rule->mode) == 0 && ((rki_rules[i].kinds >> kind) & 1U)) {
            return true;
        }
    }
    return false;
}

static void set_knobs(const rki_rule *rule, rki_plant_facts *p)
{
    const rk_model *m = &p->model;
    const double tau = m->time_constant[0], theta = m->dead_time;

    if (isnan(p->knobs.lambda)) {
        p->knobs.lambda = fmax(rk_lambda_default(m), rki_rule_lambda_thetas(rule) * theta);
    }
    if (isnan(p->knobs.omega)) {
        p->knobs.omega = tau > 0 ? 1.0 / tau : 0.25 / theta;
    }
    if (isnan(p->knobs.zeta)) {
        p->knobs.zeta = 0.8;
    }
    p->a = m->gain * (rk_model_kind_integrates(m->kind) ? theta : theta / tau);
    p->r = rk_model_kind_integrates(m->kind) ? HUGE_VAL : theta / tau;
}

static void say(rk_tuning *t, const char *words)
{
    const size_t used = strlen(t->note);

    (void)snprintf(t->note + used, sizeof t->note - used, "%s%s", used > 0 ? "; " : "", words);
}

static void judge_range(const rki_rule *rule, const rki_plant_facts *p, rk_tuning *t)
{
    const double least = rki_rule_lambda_least(rule) * p->model.dead_time;
    char words[120];

    t->in_range = true;
    if (isfinite(p->r) && (p->r < rule->r_low || p->r > rule->r_high)) {
        t->in_range = false;
        (void)snprintf(words, sizeof words,
                       "made for dead time / time constant %g to %g, here %.3g%s", rule->r_low,
                       rule->r_high, p->r,
                       strcmp(rule->name, "simple") == 0 && p->r >= 1.57079632679489662
                           ? ": the loop is unstable"
                           : "");
        say(t, words);
    }
    if (rki_rule_has_lambda(rule) && p->knobs.lambda < least * (1.0 - 1e-9)) {
        t->in_range = false;
        (void)snprintf(words, sizeof words, "made for lambda from %g dead times on",
                       rki_rule_lambda_least(rule));
        say(t, words);
    }
    if (rule->needs_no_dead_time && p->model.dead_time > 0) {
        t->in_range = false;
        say(t, "made for a process without dead time");
    }
}

static void add_remarks(const rki_rule *rule, const rki_plant_facts *p, rk_tuning *t)
{
    const double tau = p->model.time_constant[0];
    char words[120];

    if (strcmp(rule->name, "lambda") == 0 && strcmp(rule->mode, "PI") == 0 &&
        p->model.kind == RK_MODEL_FOPDT && tau > 8.0 * (p->knobs.lambda + p->model.dead_time)) {
        (void)snprintf(words, sizeof words,
                       "slow to recover from a load: ti is %.0f times lambda + dead time",
                       tau / (p->knobs.lambda + p->model.dead_time));
        say(t, words);
    }
    if (strcmp(rule->name, "simc") == 0 && p->model.kind == RK_MODEL_FOPDT &&
        t->settings.ti < tau) {
        say(t, "ti is capped below the time constant, for quick recovery from a load");
    }
    if (rule->needs_load) {
        (void)snprintf(words, sizeof words, "lets PV move by %.4g after a load step of %.4g",
                       p->knobs.deviation, p->knobs.load);
        say(t, words);
    }
    if (rule->needs_load && !isnan(t->lambda)) {
        (void)snprintf(words, sizeof words, "lambda %.4g s", t->lambda);
        say(t, words);
    }
    if (p->sp_weight == 0) {
        say(t, "with setpoint weight 0");
    }
}

/* Why a rule cannot be used here; NULL: it can. */
static const char *obstacle(const rki_rule *rule, const rki_plant_facts *p)
{
    if (rule->needs_dead_time && !(p->model.dead_time > 0)) {
        return "divides by the dead time, which is 0 here";
    }
    if (rule->needs_ultimate && !isfinite(p->ku)) {
        return "needs an ultimate gain, and no gain makes this process oscillate";
    }
    if (rki_rule_has_lambda(rule) && !(p->knobs.lambda > 0)) {
        return "needs a lambda: this process has no time to take it from";
    }
    if (rule->needs_load && isnan(p->knobs.load)) {
        return "needs to know how far PV may move for which load: give --allow-deviation and "
               "--for-load";
    }
    if (rule->needs_no_dead_time && !(isfinite(p->knobs.omega))) {
        return "needs an omega: this process has no time to take it from";
    }
    return NULL;
}

static void take_values(const rki_plant_facts *p, const double v[3], rk_tuning *t)
{
    const rk_form_values series = {RK_FORM_SERIES, v[0], v[1], v[2], 0.0};
    rk_status status = RK_OK;

    t->settings = rk_settings_make(v[0], v[1], v[2], 0.0);
    if (p->form == RK_FORM_SERIES) {
        status = rk_settings_from_form(&series, &t->settings, NULL);
    }
    t->settings.sp_weight = p->sp_weight;
    t->usable = status == RK_OK && v[0] * p->model.gain > 0 &&
                rk_settings_check(&t->settings, NULL) == RK_OK;
}

/* No controller keeps a level as near as that. */
static void refuse_deviation(const rki_plant_facts *p, rk_tuning *t)
{
    char words[120];

    t->settings = rk_settings_make(nan(""), nan(""), nan(""), nan(""));
    (void)snprintf(words, sizeof words,
                   "cannot hold PV within %.4g: the dead time alone lets it move by %.4g",
                   p->knobs.deviation, p->least);
    say(t, words);
}

static void apply(const rki_rule *rule, const rki_plant_facts *facts, bool reduced,
                  rk_tuning *t)
{
    rki_plant_facts p = *facts;
    double v[3] = {0, 0, 0};
    const char *why;

    memset(t, 0, sizeof *t);
    t->rule = rule->name;
    t->mode = rule->mode;
    t->source = rule->source;
    set_knobs(rule, &p);
    t->lambda = rki_rule_has_lambda(rule) ? p.knobs.lambda : nan("");
    if (reduced) {
        say(t, "on the model with its second lag taken in by the half rule");
    }
    why = obstacle(rule, &p);
    if (why != NULL) {
        t->settings = rk_settings_make(nan(""), nan(""), nan(""), nan(""));
        say(t, why);
        return;
    }
    judge_range(rule, &p, t);
    rule->formula(&p, v);
    if (rule->needs_load) {
        if (isnan(v[0])) {
            refuse_deviation(&p, t);
            return;
        }
        t->lambda = p.knobs.lambda;
    }
    take_values(&p, v, t);
    if (!t->usable) {
        t->in_range = false;
        say(t, "gives no controller here: a gain of the wrong sign, or a time below 0");
        t->settings = rk_settings_make(nan(""), nan(""), nan(""), nan(""));
        return;
    }
    add_remarks(rule, &p, t);
}

/* In range, out of range, not usable: in the order of the table otherwise. */
static int rank(const rk_tuning *t)
{
    return t->usable ? (t->in_range ? 0 : 1) : 2;
}

static void insert(rk_tuning *list, size_t *count, const rk_tuning *t)
{
    size_t at = *count;

    for (; at > 0 && rank(&list[at - 1]) > rank(t); at--) {
        list[at] = list[at - 1];
    }
    list[at] = *t;
    ++*count;
}

static rk_status find_ultimate(rki_plant_facts *p, rk_diag *diag)
{
    const rk_settings any = rk_settings_make(0.1 / p->model.gain, HUGE_VAL, 0.0, 0.0);
    rk_margins m;
    rk_status status;

    p->ku = p->knobs.ultimate_gain;
    p->pu = p->knobs.ultimate_period;
    if (!isnan(p->ku)) {
        if (p->ku * p->model.gain > 0) return RK_OK;
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "ultimate gain %g has another sign than the process gain %g", p->ku,
                           p->model.gain);
    }
    status = rk_margins_compute(&p->model, &any, &m, diag);
    if (status == RK_OK) {
        p->ku = m.ultimate_gain;
        p->pu = m.ultimate_period;
    }
    return status;
}

/* The model as the rules take it. Of none the gain's sign alone is known, by the ultimate
   gain's, and only rules that need no more may see it. */
static rk_status take_model(const rk_model *model, const rk_knobs *knobs, rk_model *taken,
                            rk_diag *diag)
{
    rk_status status;

    if (model == NULL) {
        if (isnan(knobs->ultimate_gain)) return RK_ERR_ARG;
        *taken = (rk_model){.kind = RK_MODEL_FOPDT,
                            .gain = copysign(1.0, knobs->ultimate_gain),
                            .time_constant = {nan(""), 0},
                            .dead_time = nan("")};
        return RK_OK;
    }
    status = rk_model_check(model, diag);
    if (status == RK_OK) {
        *taken = rk_model_sorted(model);
    }
    return status;
}

/* The words as the table of rules has them. */
static rk_status find_words(const char **rule, const char **mode, rk_diag *diag)
{
    int found = 0;
    rk_status status = RK_OK;

    if (*rule != NULL) {
        status = rk_rule_from_name(*rule, &found, diag);
        *rule = rk_rule_name(found);
    }
    if (status == RK_OK && *mode != NULL) {
        status = rki_mode_find(*mode, mode, diag);
    }
    return status;
}

rk_status rk_tunings_compute(const rk_model *model, const char *rule, const char *mode,
                             const rk_knobs *knobs, rk_tuning list[RK_TUNINGS_MAX],
                             size_t *count, rk_diag *diag)
{
    rki_plant_facts facts, suited;
    rk_model taken;
    rk_status status;
    int i;

    rk_diag_clear(diag);
    if (knobs == NULL || list == NULL || count == NULL) return RK_ERR_ARG;
    status = find_words(&rule, &mode, diag);
    if (status == RK_OK) {
        status = check_knobs(knobs, diag);
    }
    if (status == RK_OK) {
        status = take_model(model, knobs, &taken, diag);
    }
    if (status != RK_OK) return status;
    memset(&facts, 0, sizeof facts);
    facts.model = taken;
    facts.knobs = *knobs;
    facts.sp_weight = 1.0;
    status = find_ultimate(&facts, diag);
    if (status != RK_OK) return status;
    *count = 0;
    for (i = 0; i < rki_rules_count; i++) {
        bool reduced;
        rk_tuning t;

        if (rule != NULL && strcmp(rule, rki_rules[i].name) != 0) continue;
        if (mode != NULL && strcmp(mode, rki_rules[i].mode) != 0) continue;
        if (model == NULL && !rki_rules[i].needs_ultimate) continue;
        suited = facts;
        if (!suit(&taken, rki_rules[i].kinds, &suited.model, &reduced)) continue;
        if (reduced && has_own(&rki_rules[i], taken.kind)) continue;
        apply(&rki_rules[i], &suited, reduced, &t);
        if (t.settings.tf == 0) { /* no rule here names one */
            t.settings.tf = rk_filter_default(t.settings.td);
        }
        insert(list, count, &t);
    }
    if (*count > 0) return RK_OK;
    if (model == NULL) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "an ultimate point without a model: zn-ultimate and tyreus-luyben "
                           "alone take it");
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "%s%s%s has no formula for a model of kind %s",
                       rule != NULL ? rule : "no rule", mode != NULL ? " " : "",
                       mode != NULL ? mode : "", rk_model_kind_to_text(taken.kind));
}

rk_status rk_tuning_compute(const rk_model *model, const char *rule, const char *mode,
                            const rk_knobs *knobs, rk_tuning *tuning, rk_diag *diag)
{
    rk_tuning list[RK_TUNINGS_MAX];
    size_t count, best, i;
    rk_status status;

    rk_diag_clear(diag);
    if (rule == NULL || tuning == NULL) return RK_ERR_ARG;
    memset(list, 0, sizeof list);
    status = rk_tunings_compute(model, rule, mode, knobs, list, &count, diag);
    if (status != RK_OK) return status;
    best = count - 1;
    for (i = count; i-- > 0;) {
        if (strcmp(list[i].mode, "PI") == 0 ||
            (strcmp(list[best].mode, "PI") != 0 &&
             strlen(list[i].mode) > strlen(list[best].mode))) {
            best = i;
        }
    }
    if (!list[best].usable) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%s %s: %s", list[best].rule, list[best].mode,
                           list[best].note);
    }
    *tuning = list[best];
    return RK_OK;
}

void rk_tuning_apply(const rk_tuning *tuning, rk_settings *settings)
{
    rk_settings_take_numbers(settings, &tuning->settings);
    settings->on_off = nan("");
    if (tuning->settings.sp_weight != 1.0) {
        settings->sp_weight = tuning->settings.sp_weight;
    }
}

rk_status rk_tunings_compute_speeds(const rk_model *model, const char *rule, const char *mode,
                                    const rk_knobs *knobs, rk_tuning list[RK_TUNING_SPEEDS],
                                    rk_diag *diag)
{
    static const double parts[RK_TUNING_SPEEDS] = {0.25, 0.5, 0.75, 1, 1.5, 2, 3, 5, 8};
    rk_knobs turned;
    int i;

    rk_diag_clear(diag);
    if (model == NULL || knobs == NULL || list == NULL) return RK_ERR_ARG;
    turned = *knobs;
    for (i = 0; i < RK_TUNING_SPEEDS; i++) {
        rk_status status;

        turned.lambda = parts[i] * rk_lambda_default(model);
        status = rk_tuning_compute(model, rule, mode, &turned, &list[i], diag);
        if (status != RK_OK) return status;
        if (isnan(list[i].lambda)) {
            return rk_diag_set(diag, RK_ERR_RANGE, "the rule %s has no lambda", list[i].rule);
        }
    }
    return RK_OK;
}
