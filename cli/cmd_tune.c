/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"
#include "show.h"

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings:", 3},
    {&output_options, 0, "Output:", 4},
    {&save_option, 0, "Saving:", 5},
    {0},
};
static const struct argp argp = {
    NULL,
    parse_common,
    "[LOOP.loop|RECORD.csv]",
    "Settings by published rules, side by side, with the margins they give.\v"
    "Example: redkettle tune --gain -0.118 --time-constant 46.5s --dead-time 17.4s --form "
    "series",
    children,
    NULL,
    NULL};

/* One row of the table: rule, mode, three settings, three margins. */
enum { COLUMNS = 8 };
typedef char row_cells[COLUMNS][SHOWN_CHARS];

static void fill_row(const job *j, const rk_tuning *t, row_cells cells)
{
    const double none = nan("");
    const double unit = j->minutes ? 60.0 : 1.0;
    rk_form_values v = {j->given.form, none, none, none, none};
    rk_margins m = {.gain_margin = none, .phase_margin = none, .ms = none};

    (void)rk_settings_to_form(&t->settings, j->given.form, &v, NULL);
    (void)rk_margins_check(&j->loop.model, &t->settings, &m, NULL);
    (void)snprintf(cells[0], SHOWN_CHARS, "%s", t->rule);
    (void)snprintf(cells[1], SHOWN_CHARS, "%s", t->mode);
    show_number(cells[2], v.gain, 4);
    show_number(cells[3],
                j->given.form == RK_FORM_PARALLEL ? v.integral * unit : v.integral / unit, 4);
    show_number(cells[4], v.derivative / unit, 4);
    show_number(cells[5], m.gain_margin, 3);
    show_number(cells[6], m.phase_margin, 3);
    show_number(cells[7], m.ms, 3);
    if (!m.stable) {
        (void)snprintf(cells[5], SHOWN_CHARS, "unstable");
    }
}

static void print_table(const job *j, const rk_tuning *tunings, int count)
{
    const bool parallel = j->given.form == RK_FORM_PARALLEL;
    const char *const time = j->minutes ? "min" : "s";
    row_cells rows[RULES_MAX + 1];
    int i;

    (void)snprintf(rows[0][0], SHOWN_CHARS, "rule");
    (void)snprintf(rows[0][1], SHOWN_CHARS, "mode");
    (void)snprintf(rows[0][2], SHOWN_CHARS, "%s, %.20s/%.20s", parallel ? "kp" : "kc",
                   j->loop.out_units, j->loop.pv_units);
    (void)snprintf(rows[0][3], SHOWN_CHARS, parallel ? "ki, 1/%s" : "ti, %s", time);
    (void)snprintf(rows[0][4], SHOWN_CHARS, parallel ? "kd, %s" : "td, %s", time);
    (void)snprintf(rows[0][5], SHOWN_CHARS, "gain margin");
    (void)snprintf(rows[0][6], SHOWN_CHARS, "phase margin, deg");
    (void)snprintf(rows[0][7], SHOWN_CHARS, "Ms");
    for (i = 0; i < count; i++) {
        fill_row(j, &tunings[i], rows[i + 1]);
    }
    show_table(rows[0], (size_t)count + 1, COLUMNS, 2);
}

static void print_tunings(const job *j, const rk_tuning *tunings, int count)
{
    const rk_model *m = &j->loop.model;
    char tau[SHOWN_CHARS], theta[SHOWN_CHARS], lambda[SHOWN_CHARS], line[400];
    int i;

    show_time(tau, m->time_constant[0], j->minutes);
    show_time(theta, m->dead_time, j->minutes);
    (void)printf("%s form, for gain %.4g %s/%s, time constant %s, dead time %s\n\n",
                 rk_form_to_text(j->given.form), m->gain, j->loop.pv_units, j->loop.out_units,
                 tau, theta);
    print_table(j, tunings, count);
    show_time(lambda, isnan(j->lambda) ? rk_lambda_default(m) : j->lambda, j->minutes);
    (void)printf("\n  lambda and simc: lambda %s%s.\n", lambda,
                 isnan(j->lambda) ? " (the dead time, at least a tenth of the time constant)"
                                  : "");
    for (i = 0; i < count; i++) {
        if (tunings[i].note[0] != '\0') {
            (void)snprintf(line, sizeof line, "%s: %s.", tunings[i].rule, tunings[i].note);
            show_paragraph(line);
        }
    }
    (void)printf("\n  Sources\n");
    for (i = 0; i < count; i++) {
        (void)snprintf(line, sizeof line, "%s: %s.", tunings[i].rule, tunings[i].source);
        show_paragraph(line);
    }
}

static int tune_all(job *j, rk_tuning *tunings, int *count)
{
    rk_diag diag = {RK_OK, ""};
    int wanted = -1, rule;

    if (j->rule != NULL && rk_rule_from_name(j->rule, &wanted, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "--rule: %s", diag.text);
    }
    *count = 0;
    for (rule = 0; rule < rk_rule_count() && *count < RULES_MAX; rule++) {
        const double lambda = isnan(j->lambda) ? 0.0 : j->lambda;
        rk_status status;

        if (wanted >= 0 && rule != wanted) continue;
        status = rk_tune(&j->loop.model, rule, lambda, &tunings[*count], &diag);
        if (status != RK_OK) return fail_diag(j, status, &diag);
        ++*count;
    }
    return EXIT_DONE;
}

static int save(job *j)
{
    rk_diag diag = {RK_OK, ""};
    int status;
    rk_status saved;

    status = need_settings(j);
    if (status != EXIT_DONE) return status;
    saved = rk_loop_file_save_settings(j->input, &j->loop, &diag);
    if (saved != RK_OK) return fail_diag(j, saved, &diag);
    if (!j->json) {
        (void)printf("\nSaved as [settings] in %s.\n", j->input);
    }
    return EXIT_DONE;
}

static int run(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_tuning tunings[RULES_MAX];
    int count = 0, status = load(j);

    if (status == EXIT_DONE && j->save && j->rule == NULL) {
        status = fail(j, EXIT_USAGE, "--save needs one rule: add --rule NAME");
    }
    if (status == EXIT_DONE) {
        status = need_model(j);
    }
    if (status == EXIT_DONE) {
        status = tune_all(j, tunings, &count);
    }
    if (status == EXIT_DONE && j->json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_tune(tunings, count, j->given.form, text, &diag);

        status = print_json(j, text, made, &diag);
    } else if (status == EXIT_DONE) {
        print_tunings(j, tunings, count);
    }
    if (status == EXIT_DONE && j->save) {
        status = save(j);
    }
    return status;
}

int cmd_tune(int argc, char **argv)
{
    job j = job_make("tune");

    return run_command(&argp, argc, argv, &j, run);
}
