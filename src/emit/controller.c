/* SPDX-License-Identifier: MIT */
#include "controller.h"

#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/margins/margins.h>
#include <redkettle/version.h>

static bool is_letter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

static bool is_digit(char c)
{
    return c >= '0' && c <= '9';
}

static char lower(char c)
{
    return (char)((c >= 'A' && c <= 'Z') ? c - 'A' + 'a' : c);
}

void rki_upper(const char *name, char *upper_name)
{
    do {
        *upper_name++ = (char)((*name >= 'a' && *name <= 'z') ? *name - 'a' + 'A' : *name);
    } while (*name++ != '\0');
}

/* The longest name of a loop as a word of a file's name and of C. */
enum { NAME_MOST = 41 };

/* With fewer characters than these a mark of four has to do. */
enum { SHORT_NAME = 20, MARK = 8, SHORT_MARK = 4 };

/* 32 bits of a name. Source  G. Fowler, L. C. Noll, K.-P. Vo, FNV-1a. */
static unsigned long mark_of(const char *name)
{
    uint32_t mark = 2166136261U;

    for (; *name != '\0'; name++) {
        mark = (mark ^ (unsigned char)*name) * 16777619U;
    }
    return mark;
}

/* The loop's name as a word of at most so many characters. */
static void word_of(const rk_design *loop, size_t most, char name[RK_BLOCK_NAME_CHARS])
{
    /* IEC 61131-3 forbids two underscores in a row and one at the end; C a leading digit. */
    const int mark = most < SHORT_NAME ? SHORT_MARK : MARK;
    size_t length = 0;
    const char *from;

    if (!is_letter(loop->name[0])) {
        length += (size_t)sprintf(name, "loop_");
    }
    for (from = loop->name; *from != '\0'; from++) {
        if (is_letter(*from) || is_digit(*from)) {
            name[length++] = lower(*from);
        } else if (length > 0 && name[length - 1] != '_') {
            name[length++] = '_';
        }
    }
    if (length > 0 && name[length - 1] == '_') {
        length--;
    }
    if (length > most) { /* cut, and still apart from others that begin alike */
        length = most - (size_t)mark - 1;
        length -= name[length - 1] == '_';
        length += (size_t)sprintf(name + length, "_%0*lx", mark,
                                  mark_of(loop->name) >> (4 * (MARK - mark)));
    }
    name[length] = '\0';
}

void rki_block_name(const rk_design *loop, const char *ending, char name[RK_BLOCK_NAME_CHARS])
{
    word_of(loop, NAME_MOST, name);
    (void)strcat(name, ending);
}

void rki_name(const rk_design *loop, const char *ending, char name[RK_BLOCK_NAME_CHARS])
{
    word_of(loop, (size_t)loop->program.name_length - RKI_ENDING_MOST, name);
    if (ending[0] == '_' && ending[1] >= 'A' && ending[1] <= 'Z') {
        rki_upper(name, name);
    }
    (void)strcat(name, ending);
}

void rk_emit_block_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    rki_block_name(loop, "_controller", name);
}

void rk_emit_plant_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    rki_block_name(loop, "_plant", name);
}

static rk_status take_coefficients(rki_controller *c, rk_diag *diag)
{
    rk_rig_settings settings;
    rk_rig *rig = NULL;
    rk_status status = rk_emit_rig_settings(c->loop, c->number, true, &settings, diag);

    if (status == RK_OK) {
        status = rk_emit_rig_create(c->loop, c->number, false, &rig, diag);
    }
    if (status != RK_OK) return status;
    status = rk_rig_coefficients_get(rig, &settings, &c->k);
    rk_rig_free(rig);
    if (status != RK_OK) {
        return rk_diag_set(
            diag, status,
            "single precision cannot hold this loop at a scan of %g s: take lreal",
            c->loop->ts);
    }
    if (c->number == RK_NUMBER_REAL) {
        c->out_start = rk_clamp((double)(float)c->out_start, c->k.out_lo, c->k.out_hi);
    }
    return RK_OK;
}

/* Scans of dead time that a controller has memory for: half a megabyte. */
enum { DELAY_MOST = 65535 };

static rk_status take_predictor(rki_controller *c, rk_diag *diag)
{
    const rk_model *m = &c->loop->model;
    const rk_status status =
        rk_predictor_params_from_model(m, c->loop->ts, &c->whole, &c->quick, diag);

    if (status != RK_OK) return status;
    if (c->whole.delay > DELAY_MOST) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "the predictor's dead time is %zu scans, and a PLC's memory holds "
                           "%d: scan more slowly",
                           c->whole.delay, DELAY_MOST);
    }
    c->second = rki_has_second_state(m->kind);
    return RK_OK;
}

static rk_status check_complete(const rk_design *loop, rk_diag *diag)
{
    rk_status status;

    if (loop == NULL) return RK_ERR_ARG;
    status = rk_design_check(loop, diag);
    if (status != RK_OK) return status;
    if (isnan(loop->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "no scan interval: give [loop] scan, the interval of the PLC task");
    }
    if (!loop->has_settings) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "no settings: give [settings], for instance by tune --rule NAME --save");
    }
    if (!rk_design_has_out_range(loop)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "no output range: give [out] low and high, the limits the block keeps");
    }
    return RK_OK;
}

rk_status rki_controller_make(const rk_design *loop, rk_number number, rki_controller *made,
                              rk_diag *diag)
{
    rk_status status = check_complete(loop, diag);
    rk_limits limits;

    if (status != RK_OK) return status;
    memset(made, 0, sizeof *made);
    limits = rk_design_limits(loop);
    status =
        rk_settings_pid_params(&loop->settings, &limits, loop->has_model ? &loop->model : NULL,
                               loop->ts, &made->params, diag);
    if (status != RK_OK) return status;

    made->loop = loop;
    made->number = number;
    made->out_start =
        isnan(loop->out_safe) ? limits.low : rk_clamp(loop->out_safe, limits.low, limits.high);
    status = rk_pid_init(&made->block, &made->params, made->out_start);
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "the controller refuses its settings");
    }
    made->last = loop->settings.integral != RK_SCHEME_BACKWARD;
    made->velocity = loop->settings.algorithm == RK_ALGORITHM_VELOCITY;
    made->conditional =
        made->params.anti_windup == RK_ANTI_WINDUP_CONDITIONAL && !made->velocity;
    made->rate = isfinite(made->block.out_step);
    made->filter = loop->settings.pv_filter > 0;
    made->ramp = isfinite(made->block.sp_step);
    made->deadband = made->params.deadband > 0;
    made->biased = made->block.fade > 0;
    made->on_off = rk_settings_is_on_off(&loop->settings);
    made->predictor = loop->settings.predictor == RK_YES;
    made->seen = made->filter || made->predictor ? "seen" : "pv";
    made->sp = made->ramp ? "sp_now" : "sp";
    made->pv = made->deadband ? "nearer" : made->seen;
    rk_emit_block_name(loop, made->name);
    rki_name(loop, "_CONTROLLER", made->upper_name);
    status = take_coefficients(made, diag);
    made->derivative = made->k.kd != 0;
    return status == RK_OK && made->predictor ? take_predictor(made, diag) : status;
}

rk_status rk_emit_out_start(const rk_design *loop, double *out_start, rk_diag *diag)
{
    rki_controller c;
    const rk_status status = rki_controller_make(loop, RK_NUMBER_LREAL, &c, diag);

    if (status == RK_OK) {
        *out_start = c.out_start;
    }
    return status;
}

int rki_controller_constants(const rki_controller *c, rki_constant list[RKI_CONSTANTS_MAX])
{
    static const char *const ki_words[][2] = {
        {"kc * (scan / ti)", ""},
        {"of this error: half of kc * (scan / ti)", "of the last error: the other half"},
        {"of this error: by forward sums none", "of the last error: kc * (scan / ti)"},
    };
    static const char *const d_words[][2] = {
        {"kc * (td / (tf + scan))", "tf / (tf + scan)"},
        {"kc * (td / (tf + scan / 2))", "(tf - scan / 2) / (tf + scan / 2)"},
    };
    const rk_settings *s = &c->loop->settings;
    const int trapezoid = s->derivative == RK_SCHEME_TRAPEZOID;
    const rk_rig_coefficients *k = &c->k;
    const rk_plant_params *w = &c->whole;
    const bool pid = !c->on_off, model = c->predictor, second = model && c->second;
    const struct {
        bool used;
        rki_constant constant;
    } all[RKI_CONSTANTS_MAX] = {
        {c->on_off,
         {"hysteresis", s->on_off, "it switches so far to each side of the setpoint"}},
        {pid, {"kc", k->kc, "controller gain, ideal form, out units per pv unit"}},
        {pid && !c->biased, {"ki_ts", k->ki_ts, ki_words[s->integral][0]}},
        {c->biased, {"bias", k->bias, "where the output stands without an error"}},
        {c->biased, {"fade", k->fade, "scan / tracking time, of the way to the bias"}},
        {c->last, {"ki_last", k->ki_last, ki_words[s->integral][1]}},
        {c->derivative, {"kd", k->kd, d_words[trapezoid][0]}},
        {c->derivative, {"ad", k->ad, d_words[trapezoid][1]}},
        {c->derivative, {"d_weight", k->d_weight, "setpoint weight of the derivative"}},
        {pid, {"p_weight", k->p_weight, "setpoint weight of the proportional part"}},
        {pid && !c->velocity,
         {"kt_ts", k->kt_ts, "scan / tracking time; 0: no back-calculation"}},
        {true, {"out_lo", k->out_lo, "lowest output"}},
        {true, {"out_hi", k->out_hi, "highest output"}},
        {c->rate, {"out_step", k->out_step, "output rate * scan"}},
        {c->ramp, {"sp_step", k->sp_step, "setpoint's rate * scan"}},
        {c->deadband, {"deadband", k->deadband, "errors within it count as none"}},
        {c->filter, {"pv_part", k->pv_part, "scan / (PV filter time + scan)"}},
        {model, {"m_a_0_0", w->a[0][0], "the model: what stays of the first state in a scan"}},
        {second, {"m_a_0_1", w->a[0][1], "what the second state adds to it"}},
        {second, {"m_a_1_0", w->a[1][0], "what the first state adds to the second"}},
        {second, {"m_a_1_1", w->a[1][1], "what stays of the second"}},
        {model, {"m_late_0", w->b0[0], "what OUT a dead time ago adds"}},
        {model, {"m_later_0", w->b1[0], "what OUT a scan before that adds"}},
        {second, {"m_late_1", w->b0[1], "the same, to the second state"}},
        {second, {"m_later_1", w->b1[1], "and this"}},
        {model, {"q_in_0", c->quick.b0[0], "without the dead time: what OUT adds"}},
        {second, {"q_in_1", c->quick.b0[1], "the same, to the second state"}},
        {model, {"m_out0", w->out0, "operating point: OUT"}},
        {model, {"m_pv0", w->pv0, "operating point: the PV that it holds"}},
    };
    int count = 0, i;

    for (i = 0; i < RKI_CONSTANTS_MAX; i++) {
        if (all[i].used) {
            list[count] = all[i].constant;
            if (c->number == RK_NUMBER_REAL) {
                list[count].value = (double)(float)list[count].value;
            }
            count++;
        }
    }
    return count;
}

/* A comment must not end early, whatever a name or a unit in the loop file says. */
void rki_add_plain(rk_text *text, const char *words)
{
    for (; *words != '\0'; words++) {
        const bool ends_comment = (words[0] == '*' && (words[1] == '/' || words[1] == ')')) ||
                                  (words[0] == '/' && words[1] == '*') ||
                                  (words[0] == '(' && words[1] == '*');

        rk_text_add(text, "%c", ends_comment ? ' ' : *words);
    }
}

void rki_add_line(rk_text *text, const char *lead, const char *words)
{
    if (words[0] == '\0') { /* no blanks at the end of a line */
        size_t length = strlen(lead);

        while (length > 0 && lead[length - 1] == ' ') {
            length--;
        }
        rk_text_add_bytes(text, lead, length);
    } else {
        rk_text_add(text, "%s", lead);
    }
    rki_add_plain(text, words);
    rk_text_add(text, "\n");
}

static void add_number_95(rk_text *text, const char *lead, const char *what, double value,
                          const double *interval, const char *unit)
{
    char line[256];

    if (isfinite(interval[0]) && isfinite(interval[1])) {
        (void)snprintf(line, sizeof line, "%s%.6g %s (95 %%: %.6g to %.6g)", what, value, unit,
                       interval[0], interval[1]);
    } else {
        (void)snprintf(line, sizeof line, "%s%.6g %s", what, value, unit);
    }
    rki_add_line(text, lead, line);
}

/* The parts that the model stands for. */
static void add_process(rk_text *text, const rk_design *loop, const char *lead)
{
    const rk_model *p = &loop->process;
    char line[256];
    size_t used;
    int i;

    if (!loop->has_process) return;
    used = (size_t)snprintf(line, sizeof line, "Process       %slags",
                            rk_model_kind_integrates(p->kind) ? "an integrator, " : "");
    for (i = 0; i < p->lags; i++) {
        used += (size_t)snprintf(line + used, sizeof line - used, "%s %.6g s", i > 0 ? "," : "",
                                 p->lag[i]);
    }
    if (p->inverse > 0) {
        used += (size_t)snprintf(line + used, sizeof line - used, "; inverse response %.6g s",
                                 p->inverse);
    }
    (void)snprintf(line + used, sizeof line - used, "; dead time %.6g s", p->dead_time);
    rki_add_line(text, lead, line);
}

void rki_add_model(rk_text *text, const rk_design *loop, const char *lead)
{
    const rk_model *m = &loop->model;
    char line[RK_PATH_CHARS + 128], unit[(2 * RK_UNITS_CHARS) + 16];
    int i;

    (void)snprintf(line, sizeof line, "Record        %s",
                   loop->record_file[0] != '\0' ? loop->record_file : "none given");
    rki_add_line(text, lead, line);
    if (!loop->has_model) {
        rki_add_line(text, lead, "Model         none given");
        return;
    }
    (void)snprintf(line, sizeof line, "Model         %s", rk_model_kind_words(m->kind));
    rki_add_line(text, lead, line);
    (void)snprintf(unit, sizeof unit, "%s per %s%s", loop->pv_units, loop->out_units,
                   rk_model_kind_integrates(m->kind) ? " and s" : "");
    add_number_95(text, lead, "  gain          ", m->gain, loop->gain95, unit);
    for (i = 0; i < rk_model_kind_times(m->kind); i++) {
        add_number_95(text, lead, "  time constant ", m->time_constant[i], loop->tau95[i], "s");
    }
    if (m->kind == RK_MODEL_SOPDT_OSC) {
        (void)snprintf(line, sizeof line, "  damping       %.6g", m->damping);
        rki_add_line(text, lead, line);
    }
    add_number_95(text, lead, "  dead time     ", m->dead_time, loop->dead_time95, "s");
    add_process(text, loop, lead);
}

static rk_status add_margins(rk_text *text, const rk_design *loop, const char *lead,
                             rk_diag *diag)
{
    char line[160];
    char as[64] = "continuous";
    rk_sampling room;
    const rk_sampling *sampling = rk_design_sampling(loop, &room);
    rk_margins margins;
    rk_status status;

    if (!loop->has_model || rk_settings_is_on_off(&loop->settings)) return RK_OK;
    status = rk_loop_margins_compute(rk_design_process(loop), &loop->model, &loop->settings,
                                     sampling, &margins, diag);
    if (status == RK_ERR_RANGE && loop->settings.predictor) {
        (void)snprintf(line, sizeof line, "Margins       NOT KNOWN: %.120s",
                       diag != NULL ? diag->text : "");
        rk_diag_clear(diag);
        rki_add_line(text, lead, line);
        return RK_OK;
    }
    if (status != RK_OK) return status;
    if (!margins.stable) {
        rki_add_line(text, lead, "Margins       NONE: THE LOOP IS UNSTABLE ON THIS MODEL");
        return RK_OK;
    }
    if (sampling != NULL) {
        (void)snprintf(as, sizeof as, "as scanned%s",
                       loop->delay_scans > 0 ? ", with its delay" : "");
    }
    (void)snprintf(line, sizeof line,
                   "Margins       gain %.4g, phase %.4g deg, delay %.4g s, Ms %.4g (%s)",
                   margins.gain_margin, margins.phase_margin, margins.delay_margin, margins.ms,
                   as);
    rki_add_line(text, lead, line);
    if (sampling == NULL) return RK_OK;
    status = rk_loop_margins_compute(rk_design_process(loop), &loop->model, &loop->settings,
                                     NULL, &margins, diag);
    if (status == RK_OK && margins.stable) {
        (void)snprintf(line, sizeof line,
                       "  continuous    gain %.4g, phase %.4g deg, delay %.4g s, Ms %.4g",
                       margins.gain_margin, margins.phase_margin, margins.delay_margin,
                       margins.ms);
        rki_add_line(text, lead, line);
    }
    return status;
}

/* What is set beside the numbers of the ideal form. */
static void add_features(rk_text *text, const rki_controller *c, const char *lead)
{
    const rk_design *loop = c->loop;
    const rk_settings *s = &loop->settings;
    const struct {
        bool used;
        const char *what;
        double value;
        const char *unit, *after;
    } list[] = {
        {c->filter, "PV filter", s->pv_filter, "s", ""},
        {c->on_off, "hysteresis", s->on_off, loop->pv_units, " to each side"},
        {c->biased, "bias", c->params.bias, loop->out_units, ", OUT without an error"},
        {c->deadband, "deadband", s->deadband, loop->pv_units, ""},
        {c->ramp, "setpoint rate", s->sp_rate, loop->pv_units, " per s"},
        {s->sp_weight != 1, "setpoint weight", s->sp_weight, "", " of P"},
        {c->derivative && s->d_sp_weight != 0, "setpoint weight", s->d_sp_weight, "", " of D"},
    };
    char line[160];
    size_t i;

    for (i = 0; i < sizeof list / sizeof list[0]; i++) {
        if (!list[i].used) continue;
        (void)snprintf(line, sizeof line, "  %-15s %.6g %s%s", list[i].what, list[i].value,
                       list[i].unit, list[i].after);
        rki_add_line(text, lead, line);
    }
    if (c->predictor) {
        rki_add_line(text, lead,
                     "  predictor       a dead-time compensator with the model above");
    }
}

static void add_settings(rk_text *text, const rki_controller *c, const char *lead)
{
    const rk_design *loop = c->loop;
    const rk_settings *s = &loop->settings;
    char line[256];
    size_t used;

    if (loop->rule[0] == '\0') {
        (void)snprintf(line, sizeof line, "Settings      by hand");
    } else if (isfinite(loop->lambda)) {
        (void)snprintf(line, sizeof line, "Settings      rule %s, lambda %.6g s", loop->rule,
                       loop->lambda);
    } else {
        (void)snprintf(line, sizeof line, "Settings      rule %s", loop->rule);
    }
    rki_add_line(text, lead, line);
    if (c->on_off) {
        rki_add_line(text, lead, "  two-position control: OUT is at one limit or the other");
        add_features(text, c, lead);
        return;
    }
    used = (size_t)snprintf(line, sizeof line, "  ideal form      kc %.6g %s per %s", s->kc,
                            loop->out_units, loop->pv_units);
    if (isfinite(s->ti)) {
        used += (size_t)snprintf(line + used, sizeof line - used, ", ti %.6g s", s->ti);
    }
    if (c->derivative) {
        (void)snprintf(line + used, sizeof line - used, ", td %.6g s, tf %.6g s", s->td, s->tf);
    }
    rki_add_line(text, lead, line);
    add_features(text, c, lead);
    if (c->last || s->derivative != RK_SCHEME_BACKWARD) {
        (void)snprintf(line, sizeof line, "  sums            integral %s, derivative %s",
                       rk_scheme_to_text(s->integral), rk_scheme_to_text(s->derivative));
        rki_add_line(text, lead, line);
    }
    if (c->biased) return; /* there is nothing to wind up */
    if (c->velocity) {
        rki_add_line(text, lead, "  algorithm       velocity: nothing in it can wind up");
        return;
    }
    (void)snprintf(line, sizeof line, "  anti-windup     %s",
                   rk_anti_windup_to_text(s->anti_windup));
    if (s->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && isfinite(s->ti)) {
        (void)snprintf(line, sizeof line,
                       "  anti-windup     back-calculation, tracking time %.6g s",
                       c->params.tt);
    }
    rki_add_line(text, lead, line);
}

rk_status rki_add_provenance(rk_text *text, const rki_controller *c, const char *lead,
                             rk_diag *diag)
{
    const rk_design *loop = c->loop;
    char line[256];

    (void)snprintf(line, sizeof line, "%s controller for the loop \"%s\"",
                   rk_settings_mode(&loop->settings), loop->name);
    rki_add_line(text, lead, line);
    rki_add_line(text, lead,
                 "Made by Red Kettle " RK_VERSION "; change the loop file and emit again.");
    rki_add_line(text, lead, "");
    (void)snprintf(line, sizeof line,
                   "Scan          %.6g s: call it once every scan, no other way", loop->ts);
    rki_add_line(text, lead, line);
    if (c->number == RK_NUMBER_REAL) {
        rki_add_line(text, lead, "Numbers       single precision (REAL, float)");
    }
    (void)snprintf(line, sizeof line, "Action        %s%s",
                   loop->settings.kc < 0 ? "direct: OUT rises with PV"
                                         : "reverse: OUT falls as PV rises",
                   c->on_off               ? ""
                   : loop->settings.kc < 0 ? " (kc is negative)"
                                           : " (kc is positive)");
    rki_add_line(text, lead, line);
    (void)snprintf(line, sizeof line, "OUT           %.6g to %.6g %s", loop->out_low,
                   loop->out_high, loop->out_units);
    rki_add_line(text, lead, line);
    rki_add_model(text, loop, lead);
    add_settings(text, c, lead);
    return add_margins(text, loop, lead, diag);
}

rk_status rk_emit_provenance(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    rki_controller c;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL) return RK_ERR_ARG;
    status = rki_controller_make(loop, RK_NUMBER_LREAL, &c, diag);
    return status == RK_OK ? rki_add_provenance(text, &c, "", diag) : status;
}
