/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <strings.h>

#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/device/plant.h>

#include "controller.h"

static const char *const words[RK_NUMBERS] = {"lreal", "real"};

const char *rk_number_to_text(rk_number number)
{
    return (unsigned)number < RK_NUMBERS ? words[number] : "?";
}

rk_status rk_number_from_text(const char *text, rk_number *number, rk_diag *diag)
{
    int i;

    rk_diag_clear(diag);
    for (i = 0; i < RK_NUMBERS; i++) {
        if (strcasecmp(text, words[i]) == 0) {
            *number = (rk_number)i;
            return RK_OK;
        }
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "unknown number type '%.40s'; known: lreal, real",
                       text);
}

void rki_format(double value, rk_number number, char chars[RK_REAL_CHARS])
{
    if (number == RK_NUMBER_REAL) {
        rk_real_format_single(value, chars);
    } else {
        rk_real_format(value, chars);
    }
}

void rki_add_literal(rk_text *text, double value, rk_number number)
{
    char chars[RK_REAL_CHARS];
    char *exponent;

    rki_format(value, number, chars);
    exponent = strchr(chars, 'e');
    if (exponent != NULL) {
        *exponent = 'E';
    }
    rk_text_add(text, "LREAL#%s", chars);
}

static bool is_word(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
           c == '_' || c == '.';
}

/* Each word of the code but those in comments, as `turn` has it. */
static void add_turned(rk_text *text, const rk_text *code, const char *open, const char *close,
                       void (*turn)(rk_text *text, const char *word, size_t length))
{
    const char *at = rk_text_chars(code);
    const char *end;
    size_t length;

    while (*at != '\0') {
        if (strncmp(at, open, 2) == 0 && (end = strstr(at, close)) != NULL) {
            length = (size_t)(end - at) + 2;
            rk_text_add_bytes(text, at, length);
        } else if (is_word(*at)) {
            for (length = 1; is_word(at[length]); length++) {
            }
            turn(text, at, length);
        } else {
            length = 1;
            rk_text_add_bytes(text, at, 1);
        }
        at += length;
    }
}

static void turn_st(rk_text *text, const char *word, size_t length)
{
    const bool is_type = length == 5 && memcmp(word, "LREAL", 5) == 0;

    rk_text_add_bytes(text, word + is_type, length - is_type);
}

static void turn_c(rk_text *text, const char *word, size_t length)
{
    if (length == 6 && memcmp(word, "double", 6) == 0) {
        rk_text_add(text, "float");
        return;
    }
    rk_text_add_bytes(text, word, length);
    if (length == 3 && (memcmp(word, "0.0", 3) == 0 || memcmp(word, "1.0", 3) == 0)) {
        rk_text_add(text, "f");
    }
}

static void add_code(rk_text *text, const rk_text *code, rk_number number, const char *open,
                     const char *close, void (*turn)(rk_text *, const char *, size_t))
{
    if (rk_text_check(code, NULL) != RK_OK) {
        rk_text_fail(text);
    } else if (number == RK_NUMBER_REAL) {
        add_turned(text, code, open, close, turn);
    } else {
        rk_text_add_bytes(text, rk_text_chars(code), rk_text_length(code));
    }
}

void rki_add_st_code(rk_text *text, const rk_text *code, rk_number number)
{
    add_code(text, code, number, "(*", "*)", turn_st);
}

void rki_add_c_code(rk_text *text, const rk_text *code, rk_number number)
{
    add_code(text, code, number, "/*", "*/", turn_c);
}

static rk_single_plant numbers_of(const rk_plant_params *p)
{
    rk_single_plant made;

    memcpy(made.a, p->a, sizeof made.a);
    memcpy(made.b0, p->b0, sizeof made.b0);
    memcpy(made.b1, p->b1, sizeof made.b1);
    made.states = p->states;
    made.delay = p->delay;
    made.out0 = p->out0;
    made.pv0 = p->pv0;
    return made;
}

rk_status rk_emit_single_create(const rk_design *loop, bool twin, rk_single **made,
                                rk_diag *diag)
{
    rk_single_params p = {.twin = twin};
    rk_plant_params plant, quick;
    rk_pid_params pid;
    rk_limits limits;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || made == NULL) return RK_ERR_ARG;
    limits = rk_design_limits(loop);
    status = rk_settings_pid_params(
        &loop->settings, &limits, loop->has_model ? &loop->model : NULL, loop->ts, &pid, diag);
    if (status != RK_OK) return status;
    p.ts = pid.ts;
    p.kc = pid.kc;
    p.ti = pid.ti;
    p.td = pid.td;
    p.tf = pid.tf;
    p.sp_weight = pid.sp_weight;
    p.d_sp_weight = pid.d_sp_weight;
    p.out_lo = pid.out_lo;
    p.out_hi = pid.out_hi;
    p.out_rate = pid.out_rate;
    p.anti_windup = (int)pid.anti_windup;
    p.integral = (int)pid.integral;
    p.derivative = (int)pid.derivative;
    p.algorithm = (int)pid.algorithm;
    p.tt = pid.tt;
    p.deadband = pid.deadband;
    p.sp_rate = pid.sp_rate;
    p.biased = pid.biased;
    p.bias = pid.bias;
    p.pv_filter = loop->settings.pv_filter;
    p.predictor = loop->settings.predictor == RK_YES;
    p.two_position = rk_settings_is_on_off(&loop->settings);
    p.direct = pid.kc < 0;
    p.hysteresis = loop->settings.on_off;
    if (p.predictor) {
        status = rk_predictor_params_from_model(&loop->model, loop->ts, &plant, &quick, diag);
        if (status != RK_OK) return status;
        p.whole = numbers_of(&plant);
        p.quick = numbers_of(&quick);
    }
    if (twin) {
        status = rk_plant_params_from_model(rk_design_process(loop), loop->ts, &plant, diag);
        if (status != RK_OK) return status;
        p.plant = numbers_of(&plant);
    }
    status = rk_single_create(&p, made);
    return status == RK_OK
               ? RK_OK
               : rk_diag_set(
                     diag, status,
                     "single precision cannot hold this loop at a scan of %g s: take lreal",
                     loop->ts);
}
