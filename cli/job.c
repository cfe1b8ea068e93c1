/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"

static bool ends_with(const char *text, const char *ending)
{
    const size_t length = strlen(text), width = strlen(ending);

    return length > width && strcmp(text + length - width, ending) == 0;
}

static int load_input(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (j->input == NULL) return EXIT_DONE;
    if (ends_with(j->input, ".loop")) {
        j->is_loop_file = true;
        status = rk_design_read(j->input, &j->loop, &diag);
        return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
    }
    if (strlen(j->input) >= RK_PATH_CHARS) {
        return fail(j, EXIT_USAGE, "'%.40s...': the path is too long", j->input);
    }
    (void)snprintf(j->loop.record_file, sizeof j->loop.record_file, "%s", j->input);
    (void)snprintf(j->loop.record_path, sizeof j->loop.record_path, "%s", j->input);
    (void)snprintf(j->loop.name, sizeof j->loop.name, "%s",
                   strcmp(j->input, "-") == 0 ? "standard input" : j->input);
    return EXIT_DONE;
}

bool is_given(const job *j, const char *section, const char *name)
{
    const size_t place = rk_key_place(section, name);

    return place < rk_key_count() && j->option[place] != NULL;
}

/* Numbers that make one model, or one controller: given, they replace the file's together. */
static const char *const model_numbers[] = {"gain", "time-constant", "damping", "dead-time",
                                            NULL};
static const char *const settings_numbers[] = {"kc", "ti", "td", "tf", "kp", "ki", "kd", NULL};

static bool any_given(const job *j, const char *section, const char *const *names)
{
    for (; *names != NULL; names++) {
        if (is_given(j, section, *names)) return true;
    }
    return false;
}

bool model_is_given(const job *j)
{
    return any_given(j, "model", model_numbers);
}

/* The options that are keys, over what the file says. How settings are typed says nothing of
   the file's. */
static int lay_keys(job *j)
{
    const bool settings = any_given(j, "settings", settings_numbers);
    rk_diag diag;
    size_t i;

    if (settings) {
        j->loop.given = rk_given_settings_make();
    }
    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);

        if (j->option[i] == NULL || (!settings && strcmp(key->name, "form") == 0)) continue;
        if (rk_design_set(&j->loop, key->section, key->name, j->option[i], &diag) != RK_OK) {
            return fail(j, EXIT_USAGE, "--%s: %s", key->name, diag.text);
        }
    }
    return EXIT_DONE;
}

/* Model options replace the file's model number by number; with none in the file all are
 * needed. */
static int lay_model(job *j)
{
    rk_diag diag = {RK_OK, ""};
    const rk_model *m = &j->loop.model;
    const bool has_times = rk_model_kind_times(m->kind) > 0;

    j->fit_plan.any_kind = j->fit_plan.any_kind && !is_given(j, "model", "kind");
    j->fit_plan.kind = m->kind;
    if (!model_is_given(j)) return EXIT_DONE;
    if (!j->loop.has_model &&
        (!is_given(j, "model", "gain") || !is_given(j, "model", "dead-time") ||
         (has_times && !is_given(j, "model", "time-constant")))) {
        return fail(j, EXIT_USAGE, "a model needs all of --gain, %s--dead-time",
                    has_times ? "--time-constant and " : "");
    }
    j->loop.has_model = true;
    j->loop.has_process = false; /* what is typed is the process */
    j->loop.gain95[0] = j->loop.tau95[0][0] = j->loop.dead_time95[0] = nan("");
    if (rk_model_check(m, &diag) != RK_OK) return fail(j, EXIT_USAGE, "%s", diag.text);
    return EXIT_DONE;
}

bool settings_are_given(const job *j)
{
    const rk_other_settings *o = &j->other;

    return any_given(j, "settings", settings_numbers) || !isnan(o->band) ||
           !isnan(o->kc_percent) || !isnan(o->repeats) || !isnan(o->filter_ratio);
}

/* Settings as they were typed; none: the file's stay. */
static int take_given(job *j)
{
    rk_diag diag = {RK_OK, ""};

    if (!settings_are_given(j)) {
        /* Of tune and search it is the form of what they print. */
        if (j->command == &command_tune || j->command == &command_search) return EXIT_DONE;
        if (j->typed.given.form == RK_FORM_IDEAL) return EXIT_DONE;
        return fail(j, EXIT_USAGE, "--form says how settings are typed: give them too");
    }
    if (!any_given(j, "settings", settings_numbers)) {
        j->loop.given = rk_given_settings_make();
    }
    if (rk_design_convert_given(&j->loop, &j->other, "--", &j->loop.given, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    if (j->rule != NULL) {
        return fail(j, EXIT_USAGE, "give either --rule or the settings themselves, not both");
    }
    if (rk_settings_from_given(&j->loop.given, "--", &j->loop.settings, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    j->loop.has_settings = true;
    j->loop.rule[0] = '\0';
    j->loop.lambda = nan("");
    return EXIT_DONE;
}

/* A derivative is never unfiltered by accident, and it is said once. */
static void say_filter(const job *j)
{
    const rk_given_settings *g = &j->loop.given;

    const bool acts = g->td > 0 || (!isnan(g->kd) && g->kd != 0);

    if (j->loop.has_settings && acts && isnan(g->tf) && j->rule == NULL) {
        note(j, j->input,
             "tf is not given: the derivative is filtered with td/10, %.4g s (0: no filter)",
             j->loop.settings.tf);
    }
}

/* Two-position control typed takes the place of the file's controller, of which it keeps the
   filter; a controller typed takes the place of the file's two-position control. */
static int lay_on_off(job *j)
{
    rk_settings *s = &j->loop.settings;
    rk_diag diag = {RK_OK, ""};

    if (!is_given(j, "settings", "on-off")) {
        if (j->rule != NULL || settings_are_given(j)) s->on_off = nan("");
        return EXIT_DONE;
    }
    if (j->rule != NULL || settings_are_given(j)) {
        return fail(j, EXIT_USAGE, "give either --on-off, or --rule or settings, not both");
    }
    j->typed.settings.pv_filter = s->pv_filter;
    *s = j->typed.settings;
    j->loop.given = rk_given_settings_make();
    j->loop.rule[0] = '\0';
    j->loop.lambda = nan("");
    return fail_range(j, rk_design_settle(&j->loop, &diag), &diag);
}

static int lay_settings(job *j)
{
    if (lay_on_off(j) != EXIT_DONE || take_given(j) != EXIT_DONE) return EXIT_USAGE;
    say_filter(j);
    if (isnan(j->knobs.ultimate_gain) && isnan(j->knobs.ultimate_period)) {
        j->knobs.ultimate_gain = j->loop.ultimate_gain;
        j->knobs.ultimate_period = j->loop.ultimate_period;
    }
    if (!isnan(j->knobs.lambda) && j->rule == NULL && j->command != &command_tune) {
        return fail(j, EXIT_USAGE, "--lambda goes with --rule: give one");
    }
    if (is_given(j, "settings", "tracking-time") &&
        j->loop.settings.anti_windup != RK_ANTI_WINDUP_BACK_CALCULATION) {
        return fail(j, EXIT_USAGE, "--tracking-time goes with --anti-windup back-calculation");
    }
    return EXIT_DONE;
}

static int lay_limits(job *j)
{
    rk_diag diag = {RK_OK, ""};

    return fail_range(j, rk_design_check(&j->loop, &diag), &diag);
}

static int check_output(job *j)
{
    if (j->save && !j->is_loop_file) {
        return fail(j, EXIT_USAGE, "--save writes into a loop file: give one");
    }
    if (j->json && j->figure != NULL && strcmp(j->figure, "-") == 0) {
        return fail(j, EXIT_USAGE, "--json and --figure - both want standard output: give one");
    }
    return EXIT_DONE;
}

int load(job *j)
{
    static step_function *const steps[] = {load_input,   check_output, lay_keys, lay_model,
                                           lay_settings, lay_limits,   NULL};

    return take_steps(j, steps);
}
