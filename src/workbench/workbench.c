/* SPDX-License-Identifier: MIT */
#include <redkettle/workbench/workbench.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/text.h>
#include <redkettle/design/check/check.h>
#include <redkettle/design/loop/design_text.h>
#include <redkettle/design/loop/keys.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/tune/tune.h>
#include <redkettle/files/trial_case.h>
#include <redkettle/report/results.h>

/* One curve: what was tried, and what came of it. */
typedef struct tried {
    char name[48];
    rk_trial_case run; /* its name is shown by nobody: `name` is */
    rk_design loop; /* with its settings, scan and limits; the model stays the controller's */
    rk_conditions conditions;
    rk_try shown;
    rk_trial *trial;
} tried;

enum { RULES_MOST = RK_TUNINGS_MAX };

struct rk_workbench {
    rk_design loop;
    const char *rule[RULES_MOST],
        *lambda_rule[RULES_MOST]; /* that give settings for its model */
    size_t rules, lambda_rules;
    rk_trial_plan plan;
    rk_tuning start; /* the settings that the knob begins at */
    tried list[RK_WORKBENCH_CURVES];
    size_t curves;
    bool minutes;  /* times are shown in them */
    rk_text *text; /* what was returned last */
    rk_diag diag;
};

const char *rk_workbench_error(const rk_workbench *bench)
{
    return bench->diag.text;
}

/* ---- texts ---- */

static rk_text *new_text(rk_workbench *b)
{
    rk_text_free(b->text);
    b->text = rk_text_create();
    rk_diag_clear(&b->diag);
    return b->text;
}

static const char *text_of(rk_workbench *b)
{
    return b->diag.status == RK_OK && rk_text_check(b->text, &b->diag) == RK_OK
               ? rk_text_chars(b->text)
               : "";
}

const char *rk_workbench_key(rk_workbench *bench, const char *section, const char *key)
{
    rk_text *text = new_text(bench);

    (void)rk_design_get(&bench->loop, section, key, text, &bench->diag);
    return text_of(bench);
}

/* ---- trying ---- */

static rk_trial_case case_of(const rk_workbench *b)
{
    return rk_trial_case_of(&b->loop, false);
}

/* The process off from the model by these factors. */
static void be_wrong(rk_model *m, double gain, double time, double dead_time)
{
    int i;

    m->gain *= gain;
    m->dead_time *= dead_time;
    m->inverse *= time;
    for (i = 0; i < 2; i++) {
        m->time_constant[i] *= time;
    }
    for (i = 0; i < m->lags; i++) {
        m->lag[i] *= time;
    }
}

/* The loop as it runs with a case's settings, scan and limits. */
static rk_design loop_of(const rk_workbench *b, const rk_trial_case *c)
{
    const rk_limits as_was = rk_design_limits(&b->loop);
    rk_design made = b->loop;

    made.settings = c->settings;
    made.has_settings = true;
    made.ts = c->ts;
    made.delay_scans = c->delay / c->ts;
    if (c->limits.low != as_was.low || c->limits.high != as_was.high) {
        made.out_low = c->limits.low;
        made.out_high = c->limits.high;
    }
    made.out_rate = c->limits.rate;
    return made;
}

/* Its margins and the verdict on it, on the process as it is taken to be. */
static rk_status judge(tried *t, rk_diag *diag)
{
    double figure[RK_REQUIRE_COUNT];
    rk_sampling room;
    const rk_sampling *sampling;
    rk_status status;
    int i;

    t->shown.asked = rk_design_requirements(&t->loop);
    t->conditions = rk_design_conditions(&t->loop);
    t->conditions.known = &t->loop.model;
    sampling = rk_conditions_sampling(&t->conditions, &t->run.settings, &room);
    status = rk_loop_margins_compute(&t->run.plant, &t->loop.model, &t->run.settings, sampling,
                                     &t->shown.margins, diag);
    if (status != RK_OK) return status;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        figure[i] = nan("");
    }
    if (t->shown.margins.stable) {
        status = rk_figures_compute(&t->shown.asked, &t->run.plant, &t->run.settings,
                                    &t->conditions, &t->shown.margins, figure, diag);
    }
    t->shown.verdict = rk_requirements_check(&t->shown.asked, t->shown.margins.stable, figure);
    return status;
}

/* Run a case by the plan and judge it; on an error *made is nothing. */
static rk_status run(const rk_workbench *b, const rk_trial_case *c, const rk_trial_plan *plan,
                     tried *made, rk_diag *diag)
{
    rk_status status;

    memset(made, 0, sizeof *made);
    made->run = *c;
    made->loop = loop_of(b, c);
    status = rk_trial_create(c, plan, &made->trial, diag);
    if (status == RK_OK) {
        status = judge(made, diag);
    }
    if (status != RK_OK) {
        rk_trial_free(made->trial);
        made->trial = NULL;
    }
    return status;
}

/* As much of a name as there is room for, in whole letters of UTF-8. */
static void cut_name(char *to, size_t room, const char *name)
{
    size_t length = strlen(name);

    if (length >= room) {
        length = room - 1;
        while (length > 0 && ((unsigned char)name[length] & 0xC0) == 0x80) {
            length--;
        }
    }
    memcpy(to, name, length);
    to[length] = '\0';
}

/* Put it in a place of the list, where pointers into it hold. */
static void put(rk_workbench *b, size_t place, const tried *made, const char *name)
{
    tried *to = &b->list[place];
    char kept[sizeof to->name];

    cut_name(kept, sizeof kept, name);
    *to = *made;
    memcpy(to->name, kept, sizeof kept);
    to->conditions.known = &to->loop.model;
    to->shown.name = to->name;
    to->shown.loop = &to->loop;
    to->shown.process = &to->run.plant;
    to->shown.trial = to->trial;
}

rk_status rk_workbench_try(rk_workbench *bench, const char *words, double gain, double time,
                           double dead_time)
{
    rk_trial_case c = case_of(bench);
    tried made;
    rk_status status;

    rk_diag_clear(&bench->diag);
    status = rk_trial_case_change(&bench->loop, false, words, &c, &bench->diag);
    if (status != RK_OK) return status;
    be_wrong(&c.plant, gain, time, dead_time);
    status = run(bench, &c, &bench->plan, &made, &bench->diag);
    if (status != RK_OK) return status;
    rk_trial_free(bench->list[0].trial);
    put(bench, 0, &made, "set now");
    return RK_OK;
}

rk_status rk_workbench_plan(rk_workbench *bench, const char *shape, double sp_step,
                            double sp_time, double load_step, double load_at, double duration)
{
    rk_trial_plan plan = rk_trial_plan_make();
    tried made[RK_WORKBENCH_CURVES];
    rk_trial_case c = case_of(bench);
    rk_status status;
    size_t i, done;

    plan.sp_step = sp_step;
    plan.sp_time = sp_time;
    plan.load_step = load_step;
    plan.load_at = load_at;
    plan.duration = duration;
    rk_diag_clear(&bench->diag);
    status = rk_setpoint_shape_from_text(shape, &plan.shape, &bench->diag);
    if (status != RK_OK) return status;
    rk_trial_plan_complete(&plan, &bench->loop, &c, 1);
    for (done = 0; done < bench->curves && status == RK_OK; done++) {
        status = run(bench, &bench->list[done].run, &plan, &made[done], &bench->diag);
    }
    for (i = 0; i < done; i++) {
        if (status != RK_OK) {
            rk_trial_free(made[i].trial);
            continue;
        }
        rk_trial_free(bench->list[i].trial);
        put(bench, i, &made[i], bench->list[i].name);
    }
    if (status == RK_OK) {
        bench->plan = plan;
    }
    return status;
}

rk_status rk_workbench_keep(rk_workbench *bench, const char *name)
{
    tried made;
    rk_status status;

    rk_diag_clear(&bench->diag);
    if (bench->curves == RK_WORKBENCH_CURVES) {
        return rk_diag_set(&bench->diag, RK_ERR_RANGE,
                           "%d curves are kept: remove one before you keep another",
                           RK_WORKBENCH_CURVES - 1);
    }
    status = run(bench, &bench->list[0].run, &bench->plan, &made, &bench->diag);
    if (status != RK_OK) return status;
    put(bench, bench->curves++, &made, name);
    return RK_OK;
}

void rk_workbench_drop(rk_workbench *bench, size_t curve)
{
    size_t i;

    if (curve == 0 || curve >= bench->curves) return;
    rk_trial_free(bench->list[curve].trial);
    for (i = curve; i + 1 < bench->curves; i++) {
        const tried next = bench->list[i + 1];

        put(bench, i, &next, next.name);
    }
    bench->curves--;
}

/* ---- rules ---- */

static rk_status tune(const rk_workbench *b, const char *rule, double lambda, rk_tuning *tuning,
                      rk_diag *diag)
{
    rk_knobs knobs = rk_knobs_make();

    knobs.lambda = lambda;
    return rk_tuning_compute(&b->loop.model, rule, NULL, &knobs, tuning, diag);
}

/* The rules that give settings for the model, and those of them that have a lambda. */
static void find_rules(rk_workbench *b)
{
    rk_tuning tuning;
    int rule;

    for (rule = 0; rule < rk_rule_count() && b->rules < RULES_MOST; rule++) {
        const char *name = rk_rule_name(rule);

        if (tune(b, name, nan(""), &tuning, NULL) != RK_OK) continue;
        b->rule[b->rules++] = name;
        if (!isnan(tuning.lambda)) {
            b->lambda_rule[b->lambda_rules++] = name;
        }
    }
}

const char *rk_workbench_rule(const rk_workbench *bench, size_t place)
{
    return place < bench->rules ? bench->rule[place] : NULL;
}

const char *rk_workbench_lambda_rule(const rk_workbench *bench, size_t place)
{
    return place < bench->lambda_rules ? bench->lambda_rule[place] : NULL;
}

static void add_value(rk_text *text, const char *mark, const char *key, double value,
                      const char *unit)
{
    if (!isfinite(value)) return;
    rk_text_add(text, "%s%s%s=", rk_text_length(text) > 0 ? " " : "", mark, key);
    rk_text_add_real(text, value);
    rk_text_add(text, "%s", unit);
}

/* The numbers of settings, as words of a case or as options. */
static void add_numbers(rk_text *text, const char *mark, const rk_settings *s)
{
    add_value(text, mark, "kc", s->kc, "");
    add_value(text, mark, "ti", s->ti, "s");
    if (s->td > 0) {
        add_value(text, mark, "td", s->td, "s");
        add_value(text, mark, "tf", s->tf, "s");
    }
}

const char *rk_workbench_settings_by(rk_workbench *bench, const char *rule, double lambda)
{
    rk_text *text = new_text(bench);
    rk_tuning tuning;
    rk_settings s = bench->loop.settings;

    if (tune(bench, rule, lambda, &tuning, &bench->diag) != RK_OK) return "";
    rk_tuning_apply(&tuning, &s);
    add_numbers(text, "", &s);
    add_value(text, "", "sp-weight", s.sp_weight, "");
    return text_of(bench);
}

/* ---- what is shown ---- */

size_t rk_workbench_curves(const rk_workbench *bench)
{
    return bench->curves;
}

const char *rk_workbench_name(const rk_workbench *bench, size_t curve)
{
    return bench->list[curve].name;
}

double rk_workbench_scan(const rk_workbench *bench, size_t curve)
{
    return rk_trial_scan_interval(bench->list[curve].trial);
}

size_t rk_workbench_scans(const rk_workbench *bench, size_t curve)
{
    return rk_trial_scans(bench->list[curve].trial);
}

const double *rk_workbench_sp(const rk_workbench *bench, size_t curve)
{
    return rk_trial_sp(bench->list[curve].trial);
}

const double *rk_workbench_out(const rk_workbench *bench, size_t curve)
{
    return rk_trial_out(bench->list[curve].trial);
}

double rk_workbench_out_start(const rk_workbench *bench, size_t curve)
{
    return rk_trial_out_start(bench->list[curve].trial);
}

double rk_workbench_step(const rk_workbench *bench, size_t curve)
{
    return rk_trial_step(bench->list[curve].trial);
}

size_t rk_workbench_points(const rk_workbench *bench, size_t curve)
{
    return rk_trial_points(bench->list[curve].trial);
}

const double *rk_workbench_pv(const rk_workbench *bench, size_t curve)
{
    return rk_trial_pv(bench->list[curve].trial);
}

/* Render what a report was filled with. */
static const char *render(rk_workbench *b, rk_report *report, rk_status filled)
{
    rk_text *text = new_text(b);

    if (filled == RK_OK) {
        (void)rk_report_to_html(report, text, &b->diag);
    }
    rk_report_free(report);
    return text_of(b);
}

static rk_report *new_report(const rk_workbench *b)
{
    const rk_report_style style = {.minutes = b->minutes, .drawn = true};

    return rk_report_create(style);
}

const char *rk_workbench_verdict(rk_workbench *bench)
{
    rk_report *report = new_report(bench);

    return render(bench, report, rk_report_add_try_verdict(report, &bench->list[0].shown));
}

const char *rk_workbench_requirements(rk_workbench *bench)
{
    rk_report *report = new_report(bench);

    return render(bench, report, rk_report_add_try_requirements(report, &bench->list[0].shown));
}

const char *rk_workbench_table(rk_workbench *bench)
{
    rk_report *report = new_report(bench);
    rk_try tries[RK_WORKBENCH_CURVES];
    size_t i;

    for (i = 0; i < bench->curves; i++) {
        tries[i] = bench->list[i].shown;
    }
    return render(bench, report, rk_report_add_tries(report, tries, bench->curves));
}

const char *rk_workbench_gain_bar(rk_workbench *bench)
{
    const tried *t = &bench->list[0];
    rk_text *text = new_text(bench);
    rk_gain_limits limits;

    if (rk_gain_limits_compute(&t->shown.asked, &t->run.plant, &t->run.settings, &t->conditions,
                               rk_margins_unstable_from(&t->shown.margins, t->run.settings.kc),
                               &limits, &bench->diag) == RK_OK) {
        (void)rk_gain_bar_to_svg(&t->loop, &t->shown.asked, &limits, text, &bench->diag);
    }
    return text_of(bench);
}

/* ---- to carry away ---- */

/* A key of what is set now that differs from the loop's, as a line of a loop file. */
static void add_line(rk_text *text, const rk_design *now, const rk_design *was,
                     const char *section, const char *key)
{
    rk_text *a = rk_text_create(), *b = rk_text_create();

    if (rk_design_get(now, section, key, a, NULL) == RK_OK &&
        rk_design_get(was, section, key, b, NULL) == RK_OK && rk_text_check(a, NULL) == RK_OK &&
        rk_text_check(b, NULL) == RK_OK && rk_text_length(a) > 0 &&
        strcmp(rk_text_chars(a), rk_text_chars(b)) != 0) {
        rk_text_add(text, "%s = %s\n", key, rk_text_chars(a));
    }
    rk_text_free(a);
    rk_text_free(b);
}

/* A section of what differs; nothing where nothing does. */
static void add_section(rk_text *text, const rk_design *now, const rk_design *was,
                        const char *section, const char *const *keys)
{
    rk_text *lines = rk_text_create();

    for (; *keys != NULL; keys++) {
        add_line(lines, now, was, section, *keys);
    }
    if (rk_text_check(lines, NULL) == RK_OK && rk_text_length(lines) > 0) {
        rk_text_add(text, "[%s]\n%s", section, rk_text_chars(lines));
    }
    rk_text_free(lines);
}

static const char *const loop_keys[] = {"scan", "delay-scans", NULL};
static const char *const out_keys[] = {"low", "high", "rate", NULL};

const char *rk_workbench_block(rk_workbench *bench)
{
    const rk_design *was = &bench->loop, nothing = rk_design_make();
    rk_design now = bench->list[0].loop;
    rk_text *text = new_text(bench);
    size_t i;

    now.given = rk_given_settings_of(&now.settings);
    add_section(text, &now, was, "loop", loop_keys);
    add_section(text, &now, was, "out", out_keys);
    rk_text_add(text, "[settings]\nform = ideal\n");
    /* All that is not as it is without being said. */
    for (i = rk_key_place("settings", "kc"); rk_key_at(i) != NULL; i++) {
        const rk_key *key = rk_key_at(i);

        if (strcmp(key->section, "settings") != 0) break;
        add_line(text, &now, &nothing, "settings", key->name);
    }
    return text_of(bench);
}

const char *rk_workbench_options(rk_workbench *bench)
{
    const rk_settings *s = &bench->list[0].run.settings, *was = &bench->loop.settings;
    rk_text *text = new_text(bench);

    add_numbers(text, "--", s);
    if (s->sp_weight != was->sp_weight) {
        add_value(text, "--", "sp-weight", s->sp_weight, "");
    }
    if (s->anti_windup != was->anti_windup) {
        rk_text_add(text, " --anti-windup=%s", rk_anti_windup_to_text(s->anti_windup));
    }
    return text_of(bench);
}

/* ---- beginning and end ---- */

double rk_workbench_number(const rk_workbench *bench, const char *name)
{
    const rk_settings *s = &bench->loop.settings;
    const rk_trial_plan *p = &bench->plan;
    const struct {
        const char *name;
        double value;
    } list[] = {
        {"kc", s->kc},
        {"ti", s->ti},
        {"td", s->td},
        {"tf", s->tf},
        {"sp-weight", s->sp_weight},
        {"scan", bench->loop.ts},
        {"delay-scans", bench->loop.delay_scans},
        {"lambda", bench->start.lambda},
        {"sp-step", p->sp_step},
        {"load-step", p->load_step},
        {"load-at", p->load_at},
        {"for", p->duration},
    };
    size_t i;

    for (i = 0; i < sizeof list / sizeof list[0]; i++) {
        if (strcmp(list[i].name, name) == 0) return list[i].value;
    }
    return nan("");
}

/* What a loop needs to be tried and may not have. */
static rk_status complete(rk_workbench *b)
{
    rk_design *d = &b->loop;
    rk_status status = RK_OK;

    if (!d->has_model) {
        return rk_diag_set(&b->diag, RK_ERR_RANGE, "there is no model to try settings on");
    }
    if (d->has_settings && rk_settings_is_on_off(&d->settings)) {
        return rk_diag_set(&b->diag, RK_ERR_UNSUPPORTED,
                           "on-off is two-position control: there is nothing to turn");
    }
    find_rules(b);
    if (tune(b, "simc", nan(""), &b->start, &b->diag) != RK_OK) {
        const char *other = rk_workbench_rule(b, 0); /* SIMC is not for every kind of model */

        b->start.lambda = nan("");
        status = other != NULL ? tune(b, other, nan(""), &b->start, &b->diag) : RK_ERR_RANGE;
    }
    if (!d->has_settings) {
        if (status != RK_OK) {
            return rk_diag_set(&b->diag, status, "no rule gives settings to begin with");
        }
        rk_tuning_apply(&b->start, &d->settings);
        d->has_settings = true;
    }
    rk_diag_clear(&b->diag);
    if (isnan(d->ts)) {
        d->ts = rk_scan_fast(rk_design_process(d), &d->settings);
    }
    return RK_OK;
}

static rk_status begin(rk_workbench *b, const char *loop)
{
    const double none = nan("");
    rk_status status = rk_design_from_text(loop, &b->loop, &b->diag);

    if (status == RK_OK) {
        status = complete(b);
    }
    if (status == RK_OK) {
        status = rk_workbench_plan(b, "step", none, none, none, none, none);
    }
    if (status == RK_OK) {
        status = rk_workbench_try(b, "", 1, 1, 1);
    }
    b->curves = status == RK_OK;
    return status;
}

rk_workbench *rk_workbench_create(const char *loop, int minutes)
{
    rk_workbench *made = rk_memory_create(1, sizeof *made);

    if (made != NULL) {
        made->minutes = minutes != 0;
        (void)begin(made, loop);
    }
    return made;
}

void rk_workbench_free(rk_workbench *bench)
{
    size_t i;

    if (bench == NULL) return;
    for (i = 0; i < bench->curves; i++) {
        rk_trial_free(bench->list[i].trial);
    }
    rk_text_free(bench->text);
    rk_memory_free(bench);
}
