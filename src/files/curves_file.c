/* SPDX-License-Identifier: MIT */
#include <redkettle/files/curves_file.h>

#include <math.h>
#include <stdbool.h>
#include <stdio.h>

/* "pv NAME" as a cell. */
static void add_words(rk_text *text, const char *what, const char *name)
{
    char words[64];

    (void)snprintf(words, sizeof words, "%s %s", what, name);
    rk_text_add(text, ",");
    rk_text_add_csv(text, words);
}

static void add_cell(rk_text *text, double value)
{
    rk_text_add(text, ",");
    rk_text_add_real(text, value);
}

/* A cell that is empty without a number. */
static void add_number(rk_text *text, bool comma, double value)
{
    rk_text_add(text, "%s", comma ? "," : "");
    if (isfinite(value)) {
        rk_text_add_real(text, value);
    }
}

/* The last of a curve's values that begins no later; snapped, so that 0.3 is the third 0.1. */
static size_t place(double time, double step, size_t count)
{
    const size_t i = (size_t)floor((time / step) + 1e-9);

    return i < count ? i : count - 1;
}

/* PV is linear between its points to a part in a million. */
static double pv_at(const rk_trial *t, double time)
{
    const double step = rk_trial_step(t);
    const size_t i = place(time, step, rk_trial_points(t));
    const double part = (time / step) - (double)i;

    if (i + 1 >= rk_trial_points(t) || part <= 1e-6) return rk_trial_pv(t)[i];
    return rk_trial_pv(t)[i] + (part * (rk_trial_pv(t)[i + 1] - rk_trial_pv(t)[i]));
}

rk_status rk_curves_to_csv(const rk_trial *const *trials, size_t count, rk_text *text,
                           rk_diag *diag)
{
    size_t fastest = 0, row, i;

    rk_diag_clear(diag);
    if (trials == NULL || count == 0 || text == NULL) return RK_ERR_ARG;
    rk_text_add(text, "time_s,sp");
    for (i = 0; i < count; i++) {
        add_words(text, "pv", rk_trial_name(trials[i]));
        add_words(text, "out", rk_trial_name(trials[i]));
        if (rk_trial_scan_interval(trials[i]) < rk_trial_scan_interval(trials[fastest])) {
            fastest = i;
        }
    }
    rk_text_add(text, "\r\n");
    for (row = 0; row < rk_trial_scans(trials[fastest]); row++) {
        const double time = rk_trial_scan_interval(trials[fastest]) * (double)row;

        rk_text_add_real(text, time);
        add_cell(text, rk_trial_sp(trials[fastest])[row]);
        for (i = 0; i < count; i++) {
            const rk_trial *t = trials[i];

            add_cell(text, pv_at(t, time));
            add_cell(text, rk_trial_out(
                               t)[place(time, rk_trial_scan_interval(t), rk_trial_scans(t))]);
        }
        rk_text_add(text, "\r\n");
    }
    return rk_text_check(text, diag);
}

static void add_point(rk_text *text, rk_form form, const rk_grid_point *p)
{
    const rk_settings *s = &p->settings;
    const bool parallel = form == RK_FORM_PARALLEL;
    const double first[] = {s->kc, parallel ? s->kc / s->ti : s->ti,
                            (parallel ? s->kc * s->td : s->td) + 0.0, s->tf};
    const double last[] = {p->setpoint.iae, p->load.iae, p->setpoint.travel};
    int k;

    rk_text_add(text, "%d", p->turn);
    for (k = 0; k < 4; k++) {
        add_number(text, true, first[k]);
    }
    rk_text_add(text, ",%d,%d", p->stable, p->met);
    add_number(text, true, p->cost);
    for (k = 0; k < RK_REQUIRE_COUNT; k++) {
        add_number(text, true, p->figure[k]);
    }
    for (k = 0; k < 3; k++) {
        add_number(text, true, p->stable ? last[k] : nan(""));
    }
    rk_text_add(text, "\r\n");
}

rk_status rk_grid_to_csv(const rk_grid_runs *runs, rk_text *text, rk_diag *diag)
{
    size_t i;
    int k;

    rk_diag_clear(diag);
    if (runs == NULL || runs->point == NULL || text == NULL) return RK_ERR_ARG;
    rk_text_add(text, "turn,%s,tf_s,stable,met,cost",
                runs->grid.form == RK_FORM_PARALLEL ? "kp,ki,kd" : "kc,ti_s,td_s");
    for (k = 0; k < RK_REQUIRE_COUNT; k++) {
        rk_text_add(text, ",%s", rk_require_to_text((rk_require)k));
    }
    rk_text_add(text, ",setpoint_iae,load_iae,setpoint_travel\r\n");
    for (i = 0; i < runs->count; i++) {
        if (runs->point[i].turn >= 0) {
            add_point(text, runs->grid.form, &runs->point[i]);
        }
    }
    return rk_text_check(text, diag);
}

rk_status rk_csv_with_comma(const rk_text *csv, rk_text *text, rk_diag *diag)
{
    const char *at;
    bool quoted = false, words = true;

    rk_diag_clear(diag);
    if (csv == NULL || text == NULL) return RK_ERR_ARG;
    for (at = rk_text_chars(csv); *at != '\0'; at++) {
        char c = *at;

        quoted ^= c == '"';
        words = words && (quoted || c != '\n');
        if (!quoted && c == ',') {
            c = ';';
        } else if (!quoted && !words && c == '.') {
            c = ',';
        }
        rk_text_add_bytes(text, &c, 1);
    }
    return rk_text_check(text, diag);
}
