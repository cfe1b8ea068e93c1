/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "cli.h"
#include "show.h"

job job_make(const char *command)
{
    const double none = nan("");
    job made;

    memset(&made, 0, sizeof made);
    made.command = command;
    made.typed = rk_design_make();
    made.knobs = rk_knobs_make();
    made.band = made.kc_percent = made.repeats = made.filter_ratio = none;
    made.loop = rk_design_make();
    made.fit_plan = rk_fit_plan_make();
    made.fit_plan.any_kind = strcmp(command, "fit") == 0;
    return made;
}

void job_free(job *j)
{
    rk_record_free(j->record);
    j->record = NULL;
}

int fail(const job *j, int exit_status, const char *format, ...)
{
    va_list args;

    (void)fflush(stdout);
    (void)fprintf(stderr, "redkettle %s: ", j->command);
    va_start(args, format);
    (void)vfprintf(stderr, format, args);
    va_end(args);
    (void)fputc('\n', stderr);
    return exit_status;
}

int fail_diag(const job *j, rk_status status, const rk_diag *diag)
{
    const bool no_access = status == RK_ERR_IO || status == RK_ERR_MEMORY;
    const char *why =
        diag->text[0] != '\0' ? diag->text : "an internal mistake: please report it";

    return fail(j, no_access ? EXIT_NO_ACCESS : EXIT_BAD_INPUT, "%s", why);
}

static bool ends_with(const char *text, const char *ending)
{
    const size_t length = strlen(text), width = strlen(ending);

    return length > width && strcmp(text + length - width, ending) == 0;
}

static void copy(char *to, size_t room, const char *from)
{
    (void)snprintf(to, room, "%s", from);
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
    if (ends_with(j->input, ".csv")) {
        if (strlen(j->input) >= RK_PATH_CHARS) {
            return fail(j, EXIT_USAGE, "'%.40s...': the path is too long", j->input);
        }
        copy(j->loop.record_file, sizeof j->loop.record_file, j->input);
        copy(j->loop.record_path, sizeof j->loop.record_path, j->input);
        copy(j->loop.name, sizeof j->loop.name, j->input);
        return EXIT_DONE;
    }
    return fail(j, EXIT_USAGE, "'%s': give a loop file (.loop) or a record (.csv)", j->input);
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
    j->loop.gain95[0] = j->loop.tau95[0][0] = j->loop.dead_time95[0] = nan("");
    if (rk_model_check(m, &diag) != RK_OK) return fail(j, EXIT_USAGE, "%s", diag.text);
    return EXIT_DONE;
}

/* The sign that a proportional band does not have. */
static int find_sign(const job *j, double *sign)
{
    *sign = 1.0;
    if (j->loop.action == RK_ACTION_DIRECT) {
        *sign = -1.0;
    } else if (j->loop.action == RK_ACTION_NOT_SAID) {
        if (!j->loop.has_model) {
            return fail(
                j, EXIT_USAGE,
                "--band has no sign: give [loop] action, or a model whose gain tells it");
        }
        *sign = copysign(1.0, j->loop.model.gain);
    }
    return EXIT_DONE;
}

/* kc, ti and tf from the other ways to write them. */
static int convert_given(job *j)
{
    rk_design *d = &j->loop;
    const rk_given_settings *typed = &j->typed.given;
    const bool of_span = !isnan(j->band) || !isnan(j->kc_percent);
    double sign;
    int status;

    if (of_span && (!isnan(typed->kc) || (!isnan(j->band) && !isnan(j->kc_percent)))) {
        return fail(j, EXIT_USAGE, "give one of --kc, --band and --kc-percent");
    }
    if (!isnan(j->repeats) && !isnan(typed->ti)) {
        return fail(j, EXIT_USAGE, "give --ti or --repeats, not both");
    }
    if (!isnan(j->filter_ratio) && !isnan(typed->tf)) {
        return fail(j, EXIT_USAGE, "give --tf or --tf-ratio, not both");
    }
    if (of_span && (isnan(d->pv_low) || isnan(d->out_low))) {
        return fail(
            j, EXIT_USAGE,
            "percent needs both ranges: give [pv] and [out] low and high in a loop file");
    }
    if (!isnan(j->band)) {
        if (!(j->band > 0))
            return fail(j, EXIT_USAGE, "--band %g: give a value above 0", j->band);
        status = find_sign(j, &sign);
        if (status != EXIT_DONE) return status;
        d->given.kc =
            sign * 100.0 / j->band * (d->out_high - d->out_low) / (d->pv_high - d->pv_low);
    }
    if (!isnan(j->kc_percent)) {
        d->given.kc = j->kc_percent * (d->out_high - d->out_low) / (d->pv_high - d->pv_low);
    }
    if (!isnan(j->repeats)) {
        if (!(j->repeats > 0)) {
            return fail(j, EXIT_USAGE, "--repeats %g: give a value above 0", j->repeats);
        }
        d->given.ti = 60.0 / j->repeats;
    }
    if (!isnan(j->filter_ratio)) {
        if (!(j->filter_ratio > 0) || isnan(typed->td)) {
            return fail(j, EXIT_USAGE, "--tf-ratio: give a value above 0, and --td");
        }
        d->given.tf = typed->td / j->filter_ratio;
    }
    return EXIT_DONE;
}

/* Settings in whatever way they were typed; none: the file's stay. */
static int take_given(job *j)
{
    const bool other_ways = !isnan(j->band) || !isnan(j->kc_percent) || !isnan(j->repeats) ||
                            !isnan(j->filter_ratio);
    const bool typed = any_given(j, "settings", settings_numbers) || other_ways;
    rk_diag diag = {RK_OK, ""};

    if (!typed) {
        /* Of tune and search it is the form of what they print. */
        if (strcmp(j->command, "tune") == 0 || strcmp(j->command, "search") == 0)
            return EXIT_DONE;
        if (j->typed.given.form == RK_FORM_IDEAL) return EXIT_DONE;
        return fail(j, EXIT_USAGE, "--form says how settings are typed: give them too");
    }
    if (!any_given(j, "settings", settings_numbers)) {
        j->loop.given = rk_given_settings_make();
    }
    if (convert_given(j) != EXIT_DONE) return EXIT_USAGE;
    if (j->rule != NULL) {
        return fail(j, EXIT_USAGE, "give either --rule or the settings themselves, not both");
    }
    if (rk_settings_from_given(&j->loop.given, "--", &j->loop.settings, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    j->loop.has_settings = true;
    j->loop.rule[0] = '\0';
    return EXIT_DONE;
}

static int lay_settings(job *j)
{
    if (take_given(j) != EXIT_DONE) return EXIT_USAGE;
    if (isnan(j->knobs.ultimate_gain) && isnan(j->knobs.ultimate_period)) {
        j->knobs.ultimate_gain = j->loop.ultimate_gain;
        j->knobs.ultimate_period = j->loop.ultimate_period;
    }
    if (!isnan(j->knobs.lambda) && j->rule == NULL && strcmp(j->command, "tune") != 0) {
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

    if (rk_design_check(&j->loop, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    return EXIT_DONE;
}

int load(job *j)
{
    int status = load_input(j);

    if (status == EXIT_DONE && j->save && !j->is_loop_file) {
        status = fail(j, EXIT_USAGE, "--save writes into a loop file: give one");
    }
    if (status == EXIT_DONE && j->json && j->figure != NULL && strcmp(j->figure, "-") == 0) {
        status =
            fail(j, EXIT_USAGE, "--json and --figure - both want standard output: give one");
    }
    if (status == EXIT_DONE) {
        status = lay_keys(j);
    }
    if (status == EXIT_DONE) {
        status = lay_model(j);
    }
    if (status == EXIT_DONE) {
        status = lay_settings(j);
    }
    if (status == EXIT_DONE) {
        status = lay_limits(j);
    }
    return status;
}

/* A loop that says no units takes those of its record. */
static void take_units(char *units, const char *unknown, const char *found)
{
    if (strcmp(units, unknown) == 0 && found[0] != '\0') {
        copy(units, RK_UNITS_CHARS, found);
    }
}

static void say(const job *j, const char *format, ...) __attribute__((format(printf, 2, 3)));

static void say(const job *j, const char *format, ...)
{
    va_list args;

    (void)fprintf(stderr, "redkettle %s: %s: ", j->command, j->loop.record_path);
    va_start(args, format);
    (void)vfprintf(stderr, format, args);
    va_end(args);
    (void)fputc('\n', stderr);
}

/* What the engineer should know of how the file was read. */
static void tell_import(const job *j)
{
    const rk_import *m = &j->import;

    if (m->guessed) {
        say(j, "columns by their names: time '%s', OUT '%s', PV '%s'%s%s%s", m->time, m->out,
            m->pv, m->quality[0] != '\0' ? ", quality '" : "", m->quality,
            m->quality[0] != '\0' ? "'" : "");
    }
    if (m->time_is_number && m->time_unit != 1) {
        say(j, "a number in '%s' counts %g s", m->time, m->time_unit);
    }
    if (m->dropped > 0) {
        say(j, "%zu row%s dropped, the first: %s", m->dropped, m->dropped > 1 ? "s" : "",
            m->dropped_first);
    }
    if (m->repeated > 0) {
        say(j, "%zu row%s had the time of another: the last one was kept", m->repeated,
            m->repeated > 1 ? "s" : "");
    }
    if (m->late > 0) {
        say(j, "%zu row%s came out of order and %s sorted", m->late, m->late > 1 ? "s" : "",
            m->late > 1 ? "were" : "was");
    }
    if (m->clock_changes > 0) {
        say(j, "the clock leaps by an hour, %d time%s: taken out", m->clock_changes,
            m->clock_changes > 1 ? "s" : "");
    }
}

int need_record(job *j)
{
    const rk_design nothing = rk_design_make();
    const rk_columns columns = {j->loop.time_column, j->loop.out_column, j->loop.pv_column,
                                j->loop.quality_column, j->loop.record_time_unit};
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (j->record != NULL) return EXIT_DONE;
    if (j->loop.record_path[0] == '\0') {
        return fail(j, EXIT_USAGE,
                    "no record: give a .csv file, or a loop file with [record] file");
    }
    status = rk_record_read(j->loop.record_path, &columns, &j->record, &j->import, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    take_units(j->loop.pv_units, nothing.pv_units, j->import.pv_units);
    take_units(j->loop.out_units, nothing.out_units, j->import.out_units);
    tell_import(j);
    return EXIT_DONE;
}

int need_model(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    int result;

    if (j->loop.has_model && (is_given(j, "record", "time") || is_given(j, "record", "out") ||
                              is_given(j, "record", "pv"))) {
        return fail(j, EXIT_USAGE,
                    "--time, --out and --pv name a record's columns, but the model is "
                    "given and no record is read");
    }
    if (j->loop.has_model) return EXIT_DONE;
    if (j->loop.record_path[0] == '\0') {
        return fail(j, EXIT_USAGE,
                    "no model: give --gain, --time-constant and --dead-time, or a loop "
                    "file with [model] or [record]");
    }
    result = need_record(j);
    if (result != EXIT_DONE) return result;
    status = rk_fit_compute(j->record, &j->fit_plan, &j->fit, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    rk_fit_to_loop(&j->fit, &j->loop);
    if (rk_findings_worst(&j->fit.findings) == RK_LEVEL_UNFIT &&
        strcmp(j->command, "fit") != 0) {
        char input[SHELL_WORD_CHARS];

        return fail(j, EXIT_VERDICT_NO,
                    "the record gives no usable model: see redkettle fit %s",
                    show_shell_word(input, j->input));
    }
    if (strcmp(j->command, "fit") != 0) {
        (void)fprintf(stderr, "redkettle %s: no model given: fitted one to %s\n", j->command,
                      j->loop.record_path);
    }
    return EXIT_DONE;
}

rk_status tune_by_name(const rk_model *model, const char *name, const char *mode,
                       const rk_knobs *knobs, rk_settings *settings, rk_tuning *tuning,
                       rk_diag *diag)
{
    const rk_status status = rk_tuning_compute(model, name, mode, knobs, tuning, diag);

    if (status != RK_OK) return status;
    settings->kc = tuning->settings.kc;
    settings->ti = tuning->settings.ti;
    settings->td = tuning->settings.td;
    settings->tf = tuning->settings.tf;
    if (tuning->settings.sp_weight != 1.0) {
        settings->sp_weight = tuning->settings.sp_weight;
    }
    return RK_OK;
}

void describe_model(const job *j, char *text, size_t room)
{
    const rk_model *m = &j->loop.model;
    char unit[RK_GAIN_UNIT_CHARS], time[SHOWN_CHARS];
    size_t used;
    int i;

    rk_design_gain_unit(&j->loop, m->kind, unit);
    used = (size_t)snprintf(text, room, "gain %.4g %s", m->gain, unit);
    for (i = 0; i < rk_model_kind_times(m->kind) && used < room; i++) {
        show_time(time, m->time_constant[i], j->minutes);
        used += (size_t)snprintf(text + used, room - used, "%s%s",
                                 i == 0 ? ", time constant " : " and ", time);
    }
    if (m->kind == RK_MODEL_SOPDT_OSC && used < room) {
        used += (size_t)snprintf(text + used, room - used, ", damping %.3g", m->damping);
    }
    show_time(time, m->dead_time, j->minutes);
    if (used < room) {
        (void)snprintf(text + used, room - used, ", dead time %s", time);
    }
}

int need_settings(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_tuning tuning;

    if (j->rule == NULL) {
        if (j->loop.has_settings) return EXIT_DONE;
        return fail(j, EXIT_USAGE,
                    "no settings: give --kc and --ti, --rule NAME, or a loop file with "
                    "[settings]");
    }
    if (tune_by_name(&j->loop.model, j->rule, j->mode, &j->knobs, &j->loop.settings, &tuning,
                     &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "--rule %s: %s", j->rule, diag.text);
    }
    j->loop.has_settings = true;
    copy(j->loop.rule, sizeof j->loop.rule, tuning.rule);
    j->loop.lambda = tuning.lambda;
    return EXIT_DONE;
}

int need_plant(const job *j)
{
    if (j->loop.has_plant) return EXIT_DONE;
    return fail(j, EXIT_USAGE, "no port: give a loop file with [plant], the simulated plant");
}

int save_settings(const job *j)
{
    rk_diag diag = {RK_OK, ""};
    const rk_status status = rk_design_save_settings(j->input, &j->loop, &diag);

    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (!j->json) {
        (void)printf("\nSaved as [settings] in %s.\n", j->input);
    }
    return EXIT_DONE;
}

static void terminal_size(rk_figure_style *style)
{
    struct winsize size;

    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0) return;
    style->columns = size.ws_col;
    style->rows = size.ws_row > 12 ? size.ws_row - 2 : 0;
}

int write_figure(const job *j, draw_function *draw, const void *what)
{
    rk_figure_style style = {RK_FIGURE_PNG, 0, 0, j->minutes};
    rk_diag diag = {RK_OK, ""};
    rk_text *image;
    rk_status status;

    if (j->figure == NULL) return EXIT_DONE;
    if (rk_figure_format_from_name(j->figure, &style.format, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    terminal_size(&style);
    image = rk_text_create();
    status = draw(j, what, &style, image, &diag);
    if (status == RK_OK) {
        status = rk_text_check(image, &diag);
    }
    if (status == RK_OK && style.format == RK_FIGURE_TERMINAL) {
        (void)fwrite(rk_text_chars(image), 1, rk_text_length(image), stdout);
    } else if (status == RK_OK) {
        status =
            rk_file_write(j->figure, rk_text_chars(image), rk_text_length(image), true, &diag);
    }
    rk_text_free(image);
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

int print_json(const job *j, rk_text *text, rk_status status, const rk_diag *diag)
{
    const int result = status == RK_OK ? EXIT_DONE : fail_diag(j, status, diag);

    if (status == RK_OK) {
        (void)fputs(rk_text_chars(text), stdout);
    }
    rk_text_free(text);
    return result;
}
