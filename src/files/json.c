/* SPDX-License-Identifier: MIT */
#include <redkettle/files/json.h>

#include <math.h>
#include <stdlib.h>

#include <jansson.h>

/* jansson accepts a failed value wherever one goes, and answers with an error that adds up
 * here. */
static json_t *real_or_null(double value)
{
    return isfinite(value) ? json_real(value) : json_null();
}

/* JSON is UTF-8: bytes that are not, or a name cut within a letter, show as question marks. */
static json_t *words(const char *text)
{
    json_t *made = json_string(text);
    char plain[256];
    size_t i;

    if (made != NULL) return made;
    for (i = 0; text[i] != '\0' && i < sizeof plain - 1; i++) {
        plain[i] = (char)((unsigned char)text[i] < 0x80 ? text[i] : '?');
    }
    plain[i] = '\0';
    return json_string(plain);
}

static json_t *interval(const double *pair)
{
    return json_pack("[o, o]", real_or_null(pair[0]), real_or_null(pair[1]));
}

static rk_status finish(json_t *object, rk_text *text, rk_diag *diag)
{
    char *chars = object != NULL ? json_dumps(object, JSON_INDENT(2)) : NULL;

    json_decref(object);
    if (chars == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the JSON result");
    }
    rk_text_add(text, "%s\n", chars);
    free(chars);
    return rk_text_check(text, diag);
}

static json_t *findings_array(const rk_findings *findings)
{
    json_t *array = json_array();
    int i;

    for (i = 0; i < findings->count; i++) {
        const rk_finding *f = &findings->list[i];

        json_array_append_new(
            array, json_pack("{s:s, s:o, s:o, s:o, s:o}", "level", rk_level_to_text(f->level),
                             "what", words(f->what), "advice", words(f->advice), "at_s",
                             real_or_null(f->at), "until_s", real_or_null(f->until)));
    }
    return array;
}

static json_t *model_object(const rk_model *m)
{
    json_t *times = json_array();
    int i;

    for (i = 0; i < rk_model_kind_times(m->kind); i++) {
        json_array_append_new(times, real_or_null(m->time_constant[i]));
    }
    return json_pack(
        "{s:s, s:o, s:o, s:o, s:o, s:o, s:o}", "kind", rk_model_kind_to_text(m->kind), "gain",
        real_or_null(m->gain), "time_constant", times, "damping",
        m->kind == RK_MODEL_SOPDT_OSC ? real_or_null(m->damping) : json_null(), "dead_time",
        real_or_null(m->dead_time), "out0", real_or_null(m->out0), "pv0", real_or_null(m->pv0));
}

/* Intervals of the time constants, as many as the kind has. */
static json_t *times_intervals(const rk_fit *fit)
{
    json_t *array = json_array();
    int i;

    for (i = 0; i < rk_model_kind_times(fit->model.kind); i++) {
        json_array_append_new(array, interval(fit->tau95[i]));
    }
    return array;
}

static json_t *yes_no(rk_yes_no value)
{
    return value == RK_NOT_KNOWN ? json_null() : json_boolean(value == RK_YES);
}

static json_t *gaps_array(const rk_inspection *made)
{
    json_t *array = json_array();
    size_t i;

    for (i = 0; i < made->facts.gaps && i < RK_GAPS_MAX; i++) {
        json_array_append_new(array, json_pack("{s:f, s:f}", "at_s", made->facts.gap[i].at,
                                               "length_s", made->facts.gap[i].length));
    }
    return array;
}

static json_t *moves_array(const rk_inspection *made)
{
    json_t *array = json_array();
    size_t i;

    for (i = 0; i < made->facts.moves && i < RK_MOVES_MAX; i++) {
        const rk_move *m = &made->facts.move[i];

        json_array_append_new(array, json_pack("{s:f, s:f, s:f, s:f}", "at_s", m->at, "until_s",
                                               m->until, "from", m->from, "to", m->to));
    }
    return array;
}

static json_t *next_object(const rk_next_test *n)
{
    if (!n->known) return json_null();
    if (!n->possible) return json_pack("{s:b}", "possible", 0);
    return json_pack("{s:b, s:b, s:f, s:f, s:i, s:f, s:f}", "possible", 1, "needed", n->needed,
                     "out_move", n->out_move, "wait_s", n->wait, "moves", n->moves,
                     "gain_percent", n->gain_percent, "dead_time_error_s", n->dead_time_error);
}

rk_status rk_json_inspect(const rk_inspection *made, size_t dropped, rk_text *text,
                          rk_diag *diag)
{
    json_t *object;

    rk_diag_clear(diag);
    if (made == NULL || text == NULL) return RK_ERR_ARG;
    object = json_pack(
        "{s:I, s:I, s:{s:f, s:f, s:f}, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, "
        "s:o, s:s}",
        "rows", (json_int_t)made->facts.rows, "dropped", (json_int_t)dropped, "interval_s",
        "median", made->facts.interval, "min", made->facts.interval_min, "max",
        made->facts.interval_max, "gaps", gaps_array(made), "moves", moves_array(made), "noise",
        real_or_null(made->facts.noise), "quantum", real_or_null(made->facts.quantum),
        "pv_moved", real_or_null(made->facts.pv_moved), "signal_to_noise",
        real_or_null(made->facts.signal_to_noise), "steady_before", yes_no(made->steady_before),
        "steady_after", yes_no(made->steady_after), "model",
        made->has_model ? model_object(&made->rough.model) : json_null(), "gain_percent",
        made->has_model ? real_or_null(made->gain_percent) : json_null(), "next",
        next_object(&made->next), "findings", findings_array(&made->findings), "verdict",
        rk_inspection_verdict(made));
    return finish(object, text, diag);
}

rk_status rk_json_bump(const rk_bump_result *r, rk_text *text, rk_diag *diag)
{
    static const char *const states[] = {"waiting", "moving", "done", "stopped", "stranded"};

    rk_diag_clear(diag);
    if (r == NULL || text == NULL) return RK_ERR_ARG;
    return finish(json_pack("{s:o, s:I, s:s, s:o, s:f}", "file", words(r->file), "rows",
                            (json_int_t)r->rows, "state", states[r->state], "stopped",
                            r->why[0] != '\0' ? words(r->why) : json_null(), "out_start",
                            r->out_start),
                  text, diag);
}

rk_status rk_json_relay(const rk_relay_result *r, size_t rows, double out, rk_text *text,
                        rk_diag *diag)
{
    rk_diag_clear(diag);
    if (r == NULL || text == NULL) return RK_ERR_ARG;
    return finish(json_pack("{s:o, s:o, s:o, s:i, s:I, s:o}", "ultimate_gain",
                            real_or_null(r->ultimate_gain), "ultimate_period_s",
                            real_or_null(r->ultimate_period), "amplitude",
                            real_or_null(r->amplitude), "cycles", r->cycles, "rows",
                            (json_int_t)rows, "out_start", real_or_null(out)),
                  text, diag);
}

rk_status rk_json_run(const rk_run_result *r, rk_text *text, rk_diag *diag)
{
    const rk_run_figures *f;

    rk_diag_clear(diag);
    if (r == NULL || text == NULL) return RK_ERR_ARG;
    f = &r->figures;
    return finish(
        json_pack("{s:I, s:o, s:s, s:s, s:o, s:o, s:o, s:b, s:o, s:o, s:o, s:o, s:o, s:o}",
                  "rows", (json_int_t)r->rows, "record",
                  r->file != NULL ? words(r->file) : json_null(), "mode", r->mode, "alarms",
                  r->alarms, "sp", real_or_null(r->sp), "pv", real_or_null(r->pv), "out",
                  real_or_null(r->out), "stopped", r->stopped, "safe_output",
                  r->stopped ? json_boolean(r->made_safe) : json_null(), "overshoot",
                  real_or_null(f->overshoot), "out_lowest", real_or_null(f->out_lowest),
                  "out_highest", real_or_null(f->out_highest), "largest_move",
                  real_or_null(f->largest_move), "travel", real_or_null(f->travel)),
        text, diag);
}

static json_t *candidates_array(const rk_fit *fit)
{
    json_t *array = json_array();
    size_t i;

    for (i = 0; i < fit->candidates; i++) {
        const rk_fit_candidate *c = &fit->candidate[i];

        json_array_append_new(array, json_pack("{s:s, s:o, s:o, s:o}", "kind",
                                               rk_model_kind_to_text(c->model.kind), "bic",
                                               real_or_null(c->bic), "fit_percent",
                                               real_or_null(c->fit_percent), "model",
                                               model_object(&c->model)));
    }
    return array;
}

static json_t *hand_array(const rk_hand_fits *hand)
{
    json_t *array = json_array();
    size_t i;

    for (i = 0; hand != NULL && i < hand->count; i++) {
        const rk_hand_fit *h = &hand->fit[i];

        json_array_append_new(array,
                              json_pack("{s:s, s:o, s:o, s:o}", "method", h->method, "gain",
                                        real_or_null(h->model.gain), "time_constant",
                                        real_or_null(h->model.time_constant[0]), "dead_time",
                                        real_or_null(h->model.dead_time)));
    }
    return array;
}

static json_t *validation_object(const rk_validation *v)
{
    if (v == NULL) return json_null();
    return json_pack("{s:o, s:o, s:o}", "fit_percent", real_or_null(v->fit_percent), "rmse",
                     real_or_null(v->rmse), "offset", real_or_null(v->offset));
}

static json_t *noise_object(const rk_fit *fit)
{
    return json_pack("{s:i, s:o, s:o}", "order", fit->noise_order, "memory_s",
                     fit->noise_memory > 0 ? real_or_null(fit->noise_memory) : json_null(),
                     "white_correlation", real_or_null(fit->white_correlation));
}

static json_t *extras_object(const rk_fit *fit)
{
    return json_pack("{s:o, s:o, s:o, s:o, s:I, s:b}", "drift_per_s", real_or_null(fit->drift),
                     "initial", real_or_null(fit->initial), "load", real_or_null(fit->load),
                     "load_at_s", fit->load != 0 ? real_or_null(fit->load_at) : json_null(),
                     "left_out", (json_int_t)fit->left_out, "closed_loop", fit->closed_loop);
}

rk_status rk_json_fit(const rk_fit *fit, const rk_hand_fits *hand,
                      const rk_validation *validation, rk_text *text, rk_diag *diag)
{
    json_t *object;

    rk_diag_clear(diag);
    if (fit == NULL || text == NULL) return RK_ERR_ARG;
    object = json_pack(
        "{s:o, s:{s:o, s:o, s:o, s:o, s:o}, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:I, "
        "s:I, s:o}",
        "model", model_object(&fit->model), "interval95", "gain", interval(fit->gain95),
        "time_constant", times_intervals(fit), "damping",
        fit->model.kind == RK_MODEL_SOPDT_OSC ? interval(fit->damping95) : json_null(),
        "dead_time", interval(fit->dead_time95), "pv0", interval(fit->pv0_95), "fit_percent",
        real_or_null(fit->fit_percent), "rmse", real_or_null(fit->rmse), "noise",
        real_or_null(fit->noise), "residual_correlation",
        real_or_null(fit->residual_correlation), "noise_colour", noise_object(fit), "extras",
        extras_object(fit), "candidates", candidates_array(fit), "by_hand", hand_array(hand),
        "validation", validation_object(validation), "rows", (json_int_t)fit->rows, "moves",
        (json_int_t)fit->moves, "findings", findings_array(&fit->findings));
    return finish(object, text, diag);
}

rk_status rk_json_moves(const rk_move_fits *fits, rk_text *text, rk_diag *diag)
{
    json_t *array = json_array();
    size_t i;

    rk_diag_clear(diag);
    if (fits == NULL || text == NULL) {
        json_decref(array);
        return RK_ERR_ARG;
    }
    for (i = 0; i < fits->count; i++) {
        const rk_move_fit *m = &fits->move[i];

        json_array_append_new(
            array,
            json_pack("{s:f, s:f, s:f, s:o, s:o}", "at_s", m->at, "from", m->from, "to", m->to,
                      "model", m->fitted ? model_object(&m->fit.model) : json_null(), "gain95",
                      m->fitted ? interval(m->fit.gain95) : json_null()));
    }
    return finish(
        json_pack("{s:o, s:o}", "moves", array, "findings", findings_array(&fits->findings)),
        text, diag);
}

static json_t *tuning_object(const rk_tuning *t, const rk_performance *m, rk_form form)
{
    static const char *const names[2][3] = {{"kc", "ti", "td"}, {"kp", "ki", "kd"}};
    const double none = nan("");
    const char *const *name = names[form == RK_FORM_PARALLEL];
    rk_form_values v = {form, none, none, none, none};
    rk_diag why = {RK_OK, ""};
    const rk_status status =
        t->usable ? rk_settings_to_form(&t->settings, form, &v, &why) : RK_OK;
    json_t *object = json_pack(
        "{s:s, s:s, s:s, s:o, s:o, s:o, s:o, s:o, s:b, s:b, s:s, s:s}", "rule", t->rule, "mode",
        t->mode, "form", rk_form_to_text(form), name[0], real_or_null(v.gain), name[1],
        real_or_null(v.integral), name[2], real_or_null(v.derivative), "tf", real_or_null(v.tf),
        "lambda", real_or_null(t->lambda), "usable", t->usable, "in_range", t->in_range, "note",
        status == RK_OK ? t->note : why.text, "source", t->source);

    if (m != NULL) {
        json_object_update_new(
            object,
            json_pack("{s:b, s:o, s:o, s:o, s:o, s:o, s:o, s:o}", "stable",
                      t->usable && m->margins.stable, "gain_margin",
                      real_or_null(m->margins.gain_margin), "phase_margin_deg",
                      real_or_null(m->margins.phase_margin), "ms", real_or_null(m->margins.ms),
                      "overshoot_percent", real_or_null(m->overshoot), "settling_time",
                      real_or_null(m->settling), "load_iae", real_or_null(m->load_iae),
                      "travel", real_or_null(m->travel)));
    }
    return object;
}

rk_status rk_json_tune(const rk_tuning *tunings, const rk_performance *measures, int count,
                       rk_form form, rk_text *text, rk_diag *diag)
{
    json_t *array;
    int i;

    rk_diag_clear(diag);
    if (tunings == NULL || text == NULL) return RK_ERR_ARG;
    array = json_array();
    for (i = 0; i < count; i++) {
        json_array_append_new(
            array, tuning_object(&tunings[i], measures != NULL ? &measures[i] : NULL, form));
    }
    return finish(json_pack("{s:o}", "settings", array), text, diag);
}

/* What would mend a line; null: nothing is missed, or no change of one setting alone does. */
static json_t *mend_object(const rk_remedy *m)
{
    if (m == NULL || (!m->by_kc && !m->by_ti)) return json_null();
    return json_pack("{s:s, s:f, s:b}", "setting", m->by_kc ? "kc" : "ti", "value", m->value,
                     "meets_all", m->all);
}

/* mends may be NULL. */
static json_t *requirement_lines(const rk_verdict *verdict, const rk_requirements *requirements,
                                 const rk_remedy *remedies)
{
    json_t *array = json_array();
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const char *sense = rk_require_is_least((rk_require)i) ? "at least" : "at most";

        if (!verdict->asked[i]) continue;
        json_array_append_new(
            array,
            json_pack("{s:s, s:s, s:f, s:o, s:b, s:b, s:o}", "name",
                      rk_require_to_text((rk_require)i), "sense", sense, "limit",
                      requirements->limit[i], "figure", real_or_null(verdict->figure[i]), "met",
                      verdict->line_met[i], "default", requirements->by_default[i], "remedy",
                      mend_object(remedies != NULL ? &remedies[i] : NULL)));
    }
    return array;
}

rk_status rk_json_search(const rk_search_result *r, const rk_requirements *requirements,
                         rk_text *text, rk_diag *diag)
{
    const rk_settings *s;
    const rk_performance *m;

    rk_diag_clear(diag);
    if (r == NULL || requirements == NULL || text == NULL) return RK_ERR_ARG;
    s = &r->settings;
    m = &r->measures;
    return finish(
        json_pack("{s:{s:s, s:o, s:o, s:o, s:o}, s:o, s:I, s:b, s:b, s:o, s:o, s:o, s:o, "
                  "s:{s:o, s:o, "
                  "s:o, s:o, "
                  "s:o, s:o, s:o, s:o}}",
                  "settings", "mode", rk_settings_mode(s), "kc", real_or_null(s->kc), "ti",
                  real_or_null(s->ti), "td", real_or_null(s->td), "tf", real_or_null(s->tf),
                  "cost", real_or_null(r->cost), "tried", (json_int_t)r->tried, "met", r->met,
                  "stopped", r->stopped, "limiting_requirement",
                  r->met ? json_null() : json_string(rk_require_to_text(r->limiting)),
                  "requirements", requirement_lines(&r->verdict, requirements, NULL), "sp_step",
                  real_or_null(requirements->sp_step), "load_step",
                  real_or_null(requirements->load_step), "metrics", "gain_margin",
                  real_or_null(m->margins.gain_margin), "phase_margin_deg",
                  real_or_null(m->margins.phase_margin), "ms", real_or_null(m->margins.ms),
                  "overshoot_percent", real_or_null(m->overshoot), "settling_time",
                  real_or_null(m->settling), "load_iae", real_or_null(m->load_iae), "load_peak",
                  real_or_null(m->peak), "travel", real_or_null(m->travel)),
        text, diag);
}

/* What rk_margins says of a stable loop; the caller adds the rest. */
static json_t *margins_object(const rk_margins *m)
{
    return json_pack("{s:b, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o}", "stable", m->stable,
                     "gain_margin", real_or_null(m->gain_margin), "phase_margin_deg",
                     real_or_null(m->phase_margin), "delay_margin_s",
                     real_or_null(m->delay_margin), "ms", real_or_null(m->ms), "mt",
                     real_or_null(m->mt), "bandwidth_rad_s", real_or_null(m->bandwidth),
                     "ultimate_gain", real_or_null(m->ultimate_gain), "ultimate_period_s",
                     real_or_null(m->ultimate_period), "kc_stable",
                     m->kc_range_exists ? interval(m->kc_stable) : json_null());
}

static json_t *sampled_object(const rk_check *c, const rk_check_plan *plan, double ts)
{
    json_t *object;

    if (!c->has_sampled) return json_null();
    object = margins_object(&c->sampled);
    json_object_del(object, "bandwidth_rad_s");
    json_object_update_new(object, json_pack("{s:f, s:f, s:o, s:o}", "scan_s", ts,
                                             "delay_scans", plan->delay_scans, "slowest_scan_s",
                                             real_or_null(c->slowest_scan), "stall_error",
                                             real_or_null(c->stall_error)));
    return object;
}

static json_t *worst_object(const rk_worst *w)
{
    return json_pack("{s:b, s:o, s:o, s:o, s:o, s:o}", "stable", w->stable, "gain_margin",
                     real_or_null(w->gain_margin), "phase_margin_deg",
                     real_or_null(w->phase_margin), "delay_margin_s",
                     real_or_null(w->delay_margin), "ms", real_or_null(w->ms), "corner",
                     model_object(&w->corner));
}

/* Over the fit's 95 % region if it is known, else with each number wrong by so much; and both.
 */
static json_t *worst_lines(const rk_check *c, const rk_check_plan *plan)
{
    json_t *object;

    if (!c->has_box) return json_null();
    object = worst_object(c->has_region ? &c->region : &c->box);
    json_object_update_new(
        object, json_pack("{s:o, s:o, s:f, s:f}", "region95",
                          c->has_region ? worst_object(&c->region) : json_null(), "wrong",
                          worst_object(&c->box), "wrong_percent", 100.0 * plan->model_error,
                          "survived_percent", 100.0 * c->survived));
    return object;
}

static json_t *windup_run_object(const rk_windup_run *r)
{
    return json_pack("{s:f, s:f, s:o, s:f}", "overshoot_percent", r->overshoot, "on_limit_s",
                     r->stuck, "settling_time", real_or_null(r->settling), "iae", r->iae);
}

static json_t *windup_object(const rk_check *c)
{
    const rk_windup *w = &c->windup;
    json_t *object;
    int way;

    if (!c->has_windup) return json_null();
    object =
        json_pack("{s:f, s:b, s:o, s:o, s:o}", "sp_step", w->sp_step, "saturates", w->saturates,
                  "no_limits", windup_run_object(&w->ideal), "best_tracking_time",
                  real_or_null(w->best_tt), "ramp_time", real_or_null(w->ramp_time));
    for (way = 0; way < 3; way++) {
        json_object_set_new(object, rk_anti_windup_to_text((rk_anti_windup)way),
                            windup_run_object(&w->ways[way]));
    }
    if (!isnan(w->best_tt)) {
        json_object_set_new(object, "best", windup_run_object(&w->best));
    }
    if (!isnan(w->ramp_time)) {
        json_object_set_new(object, "ramp", windup_run_object(&w->ramp));
    }
    return object;
}

static json_t *operating_object(const rk_check *c)
{
    const rk_operating *o = &c->start;

    if (!c->has_operating) return json_null();
    return json_pack("{s:o, s:o, s:f, s:f, s:b}", "pv_low", real_or_null(o->pv_low), "pv_high",
                     real_or_null(o->pv_high), "room_down", o->room_down, "room_up", o->room_up,
                     "holds_step", c->stepped.holds);
}

static json_t *gain_limits_object(const rk_check *c)
{
    json_t *object =
        json_pack("{s:o, s:b, s:f}", "on_off", real_or_null(c->gain.on_off), "on_off_by_noise",
                  c->gain.by_noise, "p_only_offset", c->gain.offset);
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(c->gain.at[i])) {
            json_object_set_new(object, rk_require_to_text((rk_require)i),
                                json_real(c->gain.at[i]));
        }
    }
    return object;
}

static json_t *cycle_object(const rk_limit_cycle *cycle)
{
    if (!cycle->exists) return json_null();
    return json_pack("{s:f, s:f}", "period_s", cycle->period, "amplitude", cycle->amplitude);
}

rk_status rk_json_check(const rk_check *check, const rk_check_plan *plan, const rk_design *loop,
                        rk_text *text, rk_diag *diag)
{
    const rk_check *c = check;
    json_t *object;

    rk_diag_clear(diag);
    if (c == NULL || plan == NULL || loop == NULL || text == NULL) return RK_ERR_ARG;
    object = margins_object(&c->margins);
    json_object_update_new(
        object,
        json_pack("{s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:s}", "requirements",
                  requirement_lines(&c->verdict, &c->requirements, c->remedies), "gain_limits",
                  gain_limits_object(c), "sampled", sampled_object(c, plan, loop->ts), "worst",
                  worst_lines(c, plan), "operating", operating_object(c), "windup",
                  windup_object(c), "limit_cycle", cycle_object(&c->cycle), "findings",
                  findings_array(&c->findings), "verdict", c->verdict.met ? "met" : "missed"));
    return finish(object, text, diag);
}

static json_t *trial_object(const rk_trial *trial)
{
    const rk_trial_metrics *m = rk_trial_results(trial);
    json_t *setpoint = json_null(), *load = json_null();

    if (m->has_setpoint) {
        setpoint = json_pack(
            "{s:b, s:o, s:o, s:o, s:o, s:o, s:o, s:o}", "cut_short", m->setpoint.cut_short,
            "rise_time", real_or_null(m->setpoint.rise_time), "overshoot_percent",
            real_or_null(m->setpoint.overshoot_percent), "settling_time",
            real_or_null(m->setpoint.settling_time), "steady_error",
            real_or_null(m->setpoint.steady_error), "iae", real_or_null(m->setpoint.iae), "ise",
            real_or_null(m->setpoint.ise), "itae", real_or_null(m->setpoint.itae));
    }
    if (m->has_load) {
        load =
            json_pack("{s:b, s:o, s:o, s:o}", "cut_short", m->load.cut_short, "peak_deviation",
                      real_or_null(m->load.peak_deviation), "recovery_time",
                      real_or_null(m->load.recovery_time), "iae", real_or_null(m->load.iae));
    }
    return json_pack("{s:o, s:o, s:o, s:o, s:o, s:I, s:o}", "name", words(rk_trial_name(trial)),
                     "setpoint", setpoint, "load", load, "travel", real_or_null(m->travel),
                     "largest_move", real_or_null(m->largest_move), "reversals",
                     (json_int_t)m->reversals, "saturated_time",
                     real_or_null(m->saturated_time));
}

rk_status rk_json_trial(const rk_trial *const *trials, size_t count, rk_text *text,
                        rk_diag *diag)
{
    json_t *array;
    size_t i;

    rk_diag_clear(diag);
    if (trials == NULL || text == NULL) return RK_ERR_ARG;
    array = json_array();
    for (i = 0; i < count; i++) {
        json_array_append_new(array, trial_object(trials[i]));
    }
    return finish(json_pack("{s:o}", "cases", array), text, diag);
}

rk_status rk_json_open_step(const rk_open_step *open, const rk_model *model, rk_text *text,
                            rk_diag *diag)
{
    rk_diag_clear(diag);
    if (open == NULL || model == NULL || text == NULL) return RK_ERR_ARG;
    return finish(json_pack("{s:o, s:f, s:f, s:o, s:o, s:o, s:o, s:f}", "model",
                            model_object(model), "out_step", open->out_step, "dead_time",
                            open->dead_time, "time_63", real_or_null(open->at_63), "rise_time",
                            real_or_null(open->rise), "settling_time",
                            real_or_null(open->settling), "pv_end", real_or_null(open->pv_end),
                            "slope", open->slope),
                  text, diag);
}

rk_status rk_json_emit(const char *const *files, size_t count, rk_text *text, rk_diag *diag)
{
    json_t *array;
    size_t i;

    rk_diag_clear(diag);
    if (files == NULL || text == NULL) return RK_ERR_ARG;
    array = json_array();
    for (i = 0; i < count; i++) {
        json_array_append_new(array, words(files[i]));
    }
    return finish(json_pack("{s:o}", "files", array), text, diag);
}

rk_status rk_json_proof(const rk_proof *proof, rk_text *text, rk_diag *diag)
{
    json_t *parts;
    int i;

    rk_diag_clear(diag);
    if (proof == NULL || text == NULL) return RK_ERR_ARG;
    parts = json_array();
    for (i = 0; i < proof->parts; i++) {
        const rk_proof_part *part = &proof->part[i];

        json_array_append_new(
            parts,
            json_pack(
                "{s:s, s:b, s:o, s:I, s:I, s:o, s:o}", "what", part->what, "ran", part->ran,
                "refused", part->refused[0] != '\0' ? words(part->refused) : json_null(),
                "scans", (json_int_t)part->scans, "mismatches", (json_int_t)part->mismatches,
                "worst_difference", real_or_null(part->worst), "first_mismatch",
                part->mismatches > 0 ? json_integer((json_int_t)part->first) : json_null()));
    }
    return finish(json_pack("{s:I, s:I, s:o, s:s, s:o}", "scans", (json_int_t)proof->scans,
                            "mismatches", (json_int_t)proof->mismatches, "worst_difference",
                            real_or_null(proof->worst_difference), "verdict",
                            proof->proven ? "proven" : "not proven", "parts", parts),
                  text, diag);
}
