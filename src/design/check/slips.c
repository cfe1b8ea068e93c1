/* SPDX-License-Identifier: MIT */
/*
 * Settings that look like the right number in the wrong unit. What would be usual is known from
 * the model, by the SIMC rule. A number that is far from it is read in the other ways that
 * people type it, and where one of them comes near the usual and gives a loop with margins,
 * that is most likely what was meant.
 */
#include <redkettle/design/check/check.h>

#include <math.h>
#include <stddef.h>

#include <redkettle/design/tune/tune.h>

#include "design/margins/brief.h"

/* A number so many times off the usual is looked at, a gain in an unstable loop sooner; one
   that is read in another way must come so near it. */
#define FAR_TI 8.0
#define FAR_KC 15.0
#define FAR_KC_UNSTABLE 3.0
#define NEAR_TI 3.0
#define NEAR_KC 6.0
#define NEAR_KC_UNSTABLE 2.0
/* And the loop must then have these margins: somebody's choice need not be the usual one. */
#define LEAST_GAIN_MARGIN 1.5
#define MOST_MS 2.5

/* How far apart two numbers are, as a factor of 1 or more. */
static double apart(double a, double b)
{
    return exp(fabs(log(fabs(a / b))));
}

/* What the loop is looked at with. */
typedef struct look {
    const rk_design *loop;
    const rk_sampling *sampling;
    double kc, ti; /* that would be usual */
    rk_slip best;
    double best_apart;
    rk_status status;
} look;

static bool has_margins(look *l, const rk_settings *s)
{
    const rk_model *m = &l->loop->model;
    rk_margins margins;
    rk_status status;

    if (rk_settings_check(s, NULL) != RK_OK) return false;
    status = rki_loop_margins_brief(m, m, s, l->sampling, &margins);
    if (status == RK_ERR_MEMORY) {
        l->status = status;
    }
    return status == RK_OK && margins.stable && margins.gain_margin >= LEAST_GAIN_MARGIN &&
           margins.ms <= MOST_MS;
}

/* A number read in another way: kept if it is nearer the usual than those before. */
static void consider(look *l, const rk_slip *slip, double usual, double near)
{
    const double off = apart(slip->meant, usual);

    if (!isfinite(slip->meant) || slip->meant == 0 || off > near || off >= l->best_apart ||
        !has_margins(l, &slip->settings)) {
        return;
    }
    l->best = *slip;
    l->best_apart = off;
}

static void look_at_ti(look *l)
{
    const rk_settings *s = &l->loop->settings;
    const bool parallel = l->loop->given.form == RK_FORM_PARALLEL;
    const struct {
        const char *looks_like, *advice;
        double meant;
    } ways[] = {
        {"minutes", "type the unit with it, such as --ti 0.77min", 60.0 * s->ti},
        {"seconds taken for minutes", "type the unit with it, such as --ti 46s", s->ti / 60.0},
        {"milliseconds", "type the unit with it, such as --ti 46000ms", s->ti / 1000.0},
        {"repeats per minute", "give it as --repeats, or ti as a time", 60.0 / s->ti},
        {"repeats per second", "give ti as a time: its reciprocal", 1.0 / s->ti},
        {parallel ? "an integral time" : "an integral gain ki",
         parallel ? "give kc and ti in the ideal form, or ki = kp / ti"
                  : "give --form parallel with kp and ki, or ti = kc / ki",
         fabs(s->kc) / s->ti},
    };
    size_t i;

    if (!isfinite(s->ti) || apart(s->ti, l->ti) < FAR_TI) return;
    for (i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        rk_slip slip = {.found = true,
                        .setting = "ti",
                        .looks_like = ways[i].looks_like,
                        .advice = ways[i].advice,
                        .typed = s->ti,
                        .meant = ways[i].meant,
                        .settings = *s};

        slip.settings.ti = slip.meant;
        consider(l, &slip, l->ti, NEAR_TI);
    }
    if (parallel && l->best.found) { /* what was typed there is ki */
        l->best.setting = "ki";
        l->best.typed = s->kc / s->ti;
        l->best.meant = s->kc / l->best.settings.ti;
    }
}

static void look_at_kc(look *l, bool stable)
{
    const rk_settings *s = &l->loop->settings;
    const double pct = rk_design_kc_pct(l->loop, 1.0); /* NaN without both ranges */
    const double sign = s->kc < 0 ? -1.0 : 1.0, far = stable ? FAR_KC : FAR_KC_UNSTABLE;
    const double near = stable ? NEAR_KC : NEAR_KC_UNSTABLE;
    const struct {
        const char *looks_like, *advice;
        double meant;
    } ways[] = {
        {"percent of span", "give it as --kc-percent, or kc in OUT units per PV unit",
         s->kc / pct},
        {"engineering units taken for percent of span",
         "give it as --kc, not as --kc-percent or a band", s->kc * pct},
        {"a proportional band", "give it as --band", sign * 100.0 / fabs(s->kc) / pct},
        {"a fraction for percent", "check OUT's unit: kc is in OUT units per PV unit",
         100.0 * s->kc},
        {"percent for a fraction", "check OUT's unit: kc is in OUT units per PV unit",
         0.01 * s->kc},
    };
    size_t i;

    if (apart(s->kc, l->kc) < far) return;
    for (i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        rk_slip slip = {.found = true,
                        .setting = "kc",
                        .looks_like = ways[i].looks_like,
                        .advice = ways[i].advice,
                        .typed = s->kc,
                        .meant = ways[i].meant,
                        .settings = *s};

        slip.settings.kc = slip.meant;
        consider(l, &slip, l->kc, near);
    }
}

/* A derivative longer than the process itself is none that anybody wants. */
static void look_at_td(look *l)
{
    const rk_settings *s = &l->loop->settings;
    const rk_model *m = &l->loop->model;
    const double own = m->dead_time + rk_model_slowest(m);
    const struct {
        const char *looks_like, *advice;
        double meant;
    } ways[] = {
        {"seconds taken for minutes", "type the unit with it, such as --td 6s", s->td / 60.0},
        {"milliseconds", "type the unit with it, such as --td 6000ms", s->td / 1000.0},
        {"a derivative gain kd", "give --form parallel with kp and kd, or td = kd / kc",
         s->td / fabs(s->kc)},
    };
    size_t i;

    if (!(s->td > own)) return;
    for (i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        const double part = ways[i].meant / s->td;
        rk_slip slip = {.found = true,
                        .setting = "td",
                        .looks_like = ways[i].looks_like,
                        .advice = ways[i].advice,
                        .typed = s->td,
                        .meant = ways[i].meant,
                        .settings = *s};

        if (slip.meant > 0.5 * own || part > 0.5) continue;
        slip.settings.td = slip.meant;
        slip.settings.tf = s->tf * part;
        consider(l, &slip, 0.1 * own, HUGE_VAL);
    }
}

rk_status rk_slip_find(const rk_design *loop, bool stable, rk_slip *slip, rk_diag *diag)
{
    const rk_knobs knobs = rk_knobs_make();
    look l = {.loop = loop, .best = {.found = false}, .best_apart = HUGE_VAL};
    rk_sampling room;
    rk_tuning usual;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || slip == NULL) return RK_ERR_ARG;
    *slip = l.best;
    if (loop->settings.kc * loop->model.gain < 0 || rk_settings_is_on_off(&loop->settings)) {
        return RK_OK;
    }
    status = rk_tuning_compute(&loop->model, "simc", "PI", &knobs, &usual, diag);
    if (status == RK_OK) {
        l.sampling = rk_design_sampling(loop, &room);
        l.kc = usual.settings.kc;
        l.ti = usual.settings.ti;
        look_at_ti(&l);
        if (!l.best.found) {
            look_at_kc(&l, stable);
        }
        if (!l.best.found) {
            look_at_td(&l);
        }
        status = l.status;
    }
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory for a check");
    rk_diag_clear(diag); /* a model without usual settings has none to be far from */
    *slip = l.best;
    return RK_OK;
}
