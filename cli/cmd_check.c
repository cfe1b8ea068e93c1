/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"
#include "show.h"

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings, by a rule:", 3},
    {&settings_options, 0, "The settings, by hand:", 4},
    {&scan_options, 0, "The PLC:", 5},
    {&output_options, 0, "Output:", 6},
    {0},
};
static const struct argp argp = {
    NULL,
    parse_common,
    "[LOOP.loop|RECORD.csv]",
    "Margins, gain limits and a verdict, with the exact dead time.\v"
    "What the loop must do is asked for in its file's [require]. Exit status 1: a requirement "
    "is "
    "missed. Example: redkettle check --gain 2 --time-constant 10s --dead-time 5s --kc 1.2 "
    "--ti 10s",
    children,
    NULL,
    NULL};

static void print_gain_limits(const job *j, const rk_margins *m)
{
    char low[SHOWN_CHARS], high[SHOWN_CHARS], gain[SHOWN_CHARS], period[SHOWN_CHARS];

    if (m->kc_range_exists) {
        show_number(low, m->kc_stable[0], 4);
        show_number(high, m->kc_stable[1], 4);
        if (isinf(m->kc_stable[0])) {
            (void)snprintf(low, sizeof low, "any below");
        }
        if (isinf(m->kc_stable[1])) {
            (void)snprintf(high, sizeof high, "any above");
        }
        (void)printf("\n  kc is %.4g %s/%s; the loop is stable from %s to %s\n",
                     j->loop.settings.kc, j->loop.out_units, j->loop.pv_units, low, high);
    } else {
        (void)printf("\n  no kc makes the loop stable with these times\n");
    }
    if (m->stable) {
        show_number(low, m->mt, 4);
        (void)printf("  Mt, the peak of the closed loop's response: %s\n", low);
    }
    show_number(gain, m->ultimate_gain, 4);
    show_time(period, m->ultimate_period, j->minutes);
    if (isfinite(m->ultimate_gain)) {
        (void)printf(
            "  the process alone oscillates at a P-only gain of %s %s/%s, with a period of "
            "%s\n",
            gain, j->loop.out_units, j->loop.pv_units, period);
    } else {
        (void)printf("  the process alone never oscillates: the model has no dead time\n");
    }
}

static void print_check(const job *j, const rk_check *check)
{
    const rk_settings *s = &j->loop.settings;
    char ti[SHOWN_CHARS], td[SHOWN_CHARS], process[200];
    size_t i, missed = 0;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        missed += check->verdict.asked[i] && !check->verdict.line_met[i];
    }
    show_verdict(check->verdict.met ? "MET" : "MISSED", check->verdict.met);
    if (!check->margins.stable) {
        (void)printf(": the loop is UNSTABLE; margins mean nothing\n");
    } else if (check->verdict.met) {
        (void)printf(": the loop does all that is asked of it\n");
    } else if (missed > 0) {
        (void)printf(": %zu of the requirements %s missed\n", missed,
                     missed == 1 ? "is" : "are");
    } else {
        (void)printf(": see the findings below\n");
    }
    show_time(ti, s->ti, j->minutes);
    show_time(td, s->td, j->minutes);
    describe_model(j, process, sizeof process);
    (void)printf("Process: %s\n", process);
    (void)printf("%s, ideal form: kc %.4g %s/%s, ti %s%s%s%s%s\n", rk_settings_mode(s), s->kc,
                 j->loop.out_units, j->loop.pv_units, ti, s->td > 0 ? ", td " : "",
                 s->td > 0 ? td : "", j->loop.rule[0] != '\0' ? "; rule " : "", j->loop.rule);
    if (check->margins.stable) {
        if (rk_requirements_need_trial(&check->requirements)) {
            show_conditions(&j->loop, &check->requirements);
        }
        (void)printf("\n");
        show_verdict_lines(&j->loop, &check->requirements, &check->verdict, true, j->minutes);
    }
    print_gain_limits(j, &check->margins);
    show_findings(&check->findings);
}

static int run(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_check check;
    int result = load(j);
    rk_status status;

    if (result == EXIT_DONE) {
        result = need_model(j);
    }
    if (result == EXIT_DONE) {
        result = need_settings(j);
    }
    if (result != EXIT_DONE) return result;
    status = rk_check_run(&j->loop, &check, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (j->json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_check(&check.margins, &check.verdict,
                                             &check.requirements, &check.findings, text, &diag);

        result = print_json(j, text, made, &diag);
    } else {
        print_check(j, &check);
    }
    if (result != EXIT_DONE) return result;
    return check.verdict.met ? EXIT_DONE : EXIT_VERDICT_NO;
}

int cmd_check(int argc, char **argv)
{
    job j = job_make("check");

    return run_command(&argp, argc, argv, &j, run);
}
