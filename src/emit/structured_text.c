/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "block.h"

static void add_pins(rki_block *b, const rki_controller *c)
{
    const char *pv_units = c->loop->pv_units, *out_units = c->loop->out_units;

    rki_block_number(b, RKI_INPUTS, "sp", nan(""), "setpoint", pv_units);
    rki_block_number(b, RKI_INPUTS, "pv", nan(""), "measured value", pv_units);
    rki_block_pin(b, RKI_INPUTS, "automatic", "BOOL", "FALSE", "TRUE automatic, FALSE manual");
    rki_block_number(b, RKI_INPUTS, "manual_out", c->out_start, "output in manual", out_units);
    rki_block_number(b, RKI_INPUTS, "out_start", c->out_start,
                     "what stands on the valve at the first scan", out_units);
    rki_block_number(b, RKI_OUTPUTS, "out", nan(""), "output", out_units);
    rki_block_pin(b, RKI_OUTPUTS, "held", "BOOL", NULL,
                  "sp or pv is NaN or infinite: automatic holds the output");
}

static void add_variables(rki_block *b, const rki_controller *c)
{
    const char *pv_units = c->loop->pv_units;
    rki_constant list[RKI_CONSTANTS_MAX];

    rki_block_constants(b, list, rki_controller_constants(c, list));
    if (c->predictor) {
        rki_predictor_variables(b, c);
    }
    if (c->filter || c->predictor) {
        rki_block_number(b, RKI_LOCALS, "seen", nan(""), "pv as the controller sees it",
                         pv_units);
    }
    if (c->filter) {
        rki_block_number(b, RKI_LOCALS, "pv_last", 0.0, "pv behind its filter, a scan ago", "");
        rki_block_pin(b, RKI_LOCALS, "pv_known", "BOOL", "FALSE", "there was a good pv");
    }
    rki_block_pin(b, RKI_LOCALS, "started", "BOOL", "FALSE", "the first scan is behind us");
    rki_block_number(b, RKI_LOCALS, "lowest", nan(""), "what limits and rate allow", "");
    rki_block_number(b, RKI_LOCALS, "highest", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "wanted", nan(""), "", "");
    if (c->on_off) {
        rki_block_pin(b, RKI_LOCALS, "is_on", "BOOL", "FALSE", "OUT is at its high limit");
        return;
    }
    if (c->velocity) {
        rki_block_number(b, RKI_LOCALS, "p_last", 0.0, "the proportional part a scan ago", "");
    } else {
        rki_block_number(b, RKI_LOCALS, "i_part", 0.0, "the integral", "");
    }
    if (c->last) {
        rki_block_number(b, RKI_LOCALS, "e_last", 0.0, "the error a scan ago", "");
    }
    if (c->derivative) {
        rki_block_number(b, RKI_LOCALS, "d_part", 0.0, "the filtered derivative", "");
        rki_block_number(b, RKI_LOCALS, "g_last", 0.0, "what it acts on, a scan ago", "");
        rki_block_number(b, RKI_LOCALS, "d_new", nan(""), "", "");
        rki_block_number(b, RKI_LOCALS, "g", nan(""), "", "");
    }
    if (c->ramp) {
        rki_block_number(b, RKI_LOCALS, "sp_now", 0.0, "where the setpoint's ramp is",
                         pv_units);
        rki_block_number(b, RKI_LOCALS, "sp_last", 0.0, "the same, a scan ago", pv_units);
        rki_block_pin(b, RKI_LOCALS, "at_pv", "BOOL", "TRUE", "the ramp starts from pv");
    }
    if (c->deadband) {
        rki_block_number(b, RKI_LOCALS, "nearer", nan(""),
                         "pv moved towards the setpoint by the deadband", pv_units);
    }
    rki_block_pin(b, RKI_LOCALS, "fresh", "BOOL", "TRUE",
                  "automatic takes sp and pv as it finds them");
    rki_block_number(b, RKI_LOCALS, "p_part", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "i_new", nan(""),
                     c->velocity ? "what the limits left unapplied" : "", "");
    rki_block_number(b, RKI_LOCALS, "increment", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "v", nan(""), "", "");
}

static void add_start(rk_text *text, const rki_controller *c)
{
    rk_text_add(text,
                "IF NOT started THEN\n"
                "    wanted := out_start;\n"
                "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out_lo; END_IF;\n"
                "    IF wanted < out_lo THEN wanted := out_lo; END_IF;\n"
                "    IF wanted > out_hi THEN wanted := out_hi; END_IF;\n"
                "    out := wanted;\n"
                "    %s;\n",
                c->on_off ? "is_on := (out - out_lo) > (out_hi - out)" : "fresh := TRUE");
    if (c->ramp) {
        rk_text_add(text, "    at_pv := TRUE;\n");
    }
    if (c->predictor) {
        rki_predictor_start(text, c, "out");
    }
    rk_text_add(text, "    started := TRUE;\nEND_IF;\n\n");
}

/* What the output may be in this scan. */
static void add_bounds(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "lowest := out_lo;\nhighest := out_hi;\n");
    if (!c->rate) return;
    rk_text_add(text,
                "IF (out - out_step) > lowest THEN lowest := out - out_step; END_IF;\n"
                "IF (out + out_step) < highest THEN highest := out + out_step; END_IF;\n");
}

static void add_limits(rk_text *text)
{
    rk_text_add(text, "    IF wanted < lowest THEN wanted := lowest;\n"
                      "    ELSIF wanted > highest THEN wanted := highest;\n"
                      "    END_IF;\n");
}

/* A bad pv is seen as it is, so that it is held; the filter waits for the next good one. */
static void add_filter(rk_text *text, const rki_controller *c)
{
    if (!c->filter) return;
    rk_text_add(text, "seen := pv;\n"
                      "IF ((pv - pv) = LREAL#0.0) AND pv_known THEN\n"
                      "    seen := pv_last + (pv_part * (pv - pv_last));\n"
                      "    IF NOT ((seen - seen) = LREAL#0.0) THEN seen := pv_last; END_IF;\n"
                      "END_IF;\n"
                      "IF (seen - seen) = LREAL#0.0 THEN\n"
                      "    pv_last := seen;\n"
                      "    pv_known := TRUE;\n"
                      "END_IF;\n");
}

/* The setpoint and the measured value that the law sees. */
static void add_signals(rk_text *text, const rki_controller *c)
{
    if (c->ramp) {
        rk_text_add(text,
                    "IF at_pv THEN sp_last := %s; END_IF;\n"
                    "sp_now := sp;\n"
                    "IF sp_now < (sp_last - sp_step) THEN sp_now := sp_last - sp_step;\n"
                    "ELSIF sp_now > (sp_last + sp_step) THEN sp_now := sp_last + sp_step;\n"
                    "END_IF;\n",
                    c->seen);
    }
    if (c->deadband) {
        const char *pv = c->seen;

        rk_text_add(text,
                    "nearer := %s;\n"
                    "IF %s < (%s - deadband) THEN nearer := %s + deadband;\n"
                    "ELSIF %s > (%s + deadband) THEN nearer := %s - deadband;\n"
                    "ELSE nearer := %s;\n"
                    "END_IF;\n",
                    c->sp, pv, c->sp, pv, pv, c->sp, pv, c->sp);
    }
}

static void add_parts(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "p_part := kc * ((p_weight * %s) - %s);\n", c->sp, c->pv);
    if (c->derivative) {
        rk_text_add(text, "g := (d_weight * %s) - %s;\n", c->sp, c->pv);
    }
}

/* Where automatic starts from the output that stands. */
static void add_fresh(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "    IF fresh THEN\n        %s;\n",
                c->velocity ? "p_last := p_part" : "i_part := out - p_part");
    if (c->last) {
        rk_text_add(text, "        e_last := %s - %s;\n", c->sp, c->pv);
    }
    if (c->derivative) {
        rk_text_add(text, "        g_last := g;\n"
                          "        d_part := LREAL#0.0;\n");
    }
    rk_text_add(text, "    END_IF;\n");
}

/* This scan's increment of the integral; without one, of the way to the bias. */
static void add_increment(rk_text *text, const rki_controller *c)
{
    if (c->biased) {
        rk_text_add(text, "    increment := fade * (bias - i_part);\n");
    } else if (c->last) {
        rk_text_add(text, "    increment := (ki_ts * (%s - %s)) + (ki_last * e_last);\n", c->sp,
                    c->pv);
    } else {
        rk_text_add(text, "    increment := ki_ts * (%s - %s);\n", c->sp, c->pv);
    }
}

/* From the output that stands, by what each part has moved. */
static void add_moves(rk_text *text, const rki_controller *c)
{
    rk_text_add(text,
                c->derivative
                    ? "    v := out + (((p_part - p_last) + increment) + (d_new - d_part));\n"
                    : "    v := out + ((p_part - p_last) + increment);\n");
    rk_text_add(text, "    wanted := v;\n");
    add_limits(text);
    rk_text_add(text, "    i_new := %s;\n",
                c->derivative ? "(wanted - p_part) - d_new" : "wanted - p_part");
}

static void add_sums(rk_text *text, const rki_controller *c)
{
    const char *sum = c->derivative ? "(p_part + (i_part + increment)) + d_new"
                                    : "p_part + (i_part + increment)";

    rk_text_add(text, "    v := %s;\n", sum);
    if (c->conditional) {
        rk_text_add(text,
                    "    (* Beyond a limit the integral may only come back. *)\n"
                    "    IF ((v > highest) AND (increment > LREAL#0.0))\n"
                    "        OR ((v < lowest) AND (increment < LREAL#0.0)) THEN\n"
                    "        increment := LREAL#0.0;\n"
                    "        v := %s;\n"
                    "    END_IF;\n",
                    sum);
    }
    rk_text_add(text, "    wanted := v;\n");
    add_limits(text);
    rk_text_add(text, "    i_new := (i_part + increment) + (kt_ts * (wanted - v));\n");
}

static void add_automatic(rk_text *text, const rki_controller *c)
{
    add_fresh(text, c);
    if (c->derivative) {
        rk_text_add(text, "    d_new := (ad * d_part) + (kd * (g - g_last));\n");
    }
    add_increment(text, c);
    if (c->velocity) {
        add_moves(text, c);
    } else {
        add_sums(text, c);
    }
    rk_text_add(text,
                "    held := held OR NOT ((i_new - i_new) = LREAL#0.0)%s;\n"
                "    (* A bad value must not enter the state. *)\n"
                "    IF NOT held THEN\n        %s;\n",
                c->derivative ? " OR NOT ((d_new - d_new) = LREAL#0.0)" : "",
                c->velocity ? "p_last := p_part" : "i_part := i_new");
    if (c->last) {
        rk_text_add(text, "        e_last := %s - %s;\n", c->sp, c->pv);
    }
    if (c->derivative) {
        rk_text_add(text, "        d_part := d_new;\n        g_last := g;\n");
    }
    rk_text_add(text, "        out := wanted;\n    END_IF;\n");
}

/* At one limit or the other, and as it is within the hysteresis. */
static void add_switch(rk_text *text, const rki_controller *c)
{
    const bool direct = c->params.kc < 0;

    rk_text_add(text,
                "    IF NOT held THEN\n"
                "        IF %s > (sp + hysteresis) THEN is_on := %s;\n"
                "        ELSIF %s < (sp - hysteresis) THEN is_on := %s;\n"
                "        END_IF;\n"
                "        IF is_on THEN out := out_hi; ELSE out := out_lo; END_IF;\n"
                "    END_IF;\n",
                c->seen, direct ? "TRUE" : "FALSE", c->seen, direct ? "FALSE" : "TRUE");
}

static void add_body(rk_text *text, const rki_controller *c)
{
    add_start(text, c);
    add_filter(text, c);
    if (c->predictor) {
        if (!c->filter) {
            rk_text_add(text, "seen := pv;\n");
        }
        rk_text_add(text, "(* What pv would be without the dead time. *)\n");
        rki_predictor_scan(text, c, "out");
        rk_text_add(text, "seen := (m_pv0 + q_0) + (seen - (m_pv0 + w_0));\n");
    }
    rk_text_add(text, "held := NOT (((sp - sp) = LREAL#0.0) AND ((%s - %s) = LREAL#0.0));\n",
                c->seen, c->seen);
    if (!c->on_off) {
        add_signals(text, c);
        add_parts(text, c);
    }
    add_bounds(text, c);
    rk_text_add(text, "IF automatic THEN\n");
    if (c->on_off) {
        add_switch(text, c);
    } else {
        add_automatic(text, c);
    }
    rk_text_add(text,
                "ELSE\n"
                "    wanted := manual_out;\n"
                "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out; END_IF;\n");
    add_limits(text);
    rk_text_add(text, "    out := wanted;\nEND_IF;\n");
    if (!c->on_off) {
        rk_text_add(
            text,
            "(* Behind manual and behind a bad value automatic starts from this output. *)\n"
            "fresh := held OR NOT automatic;\n");
    }
    if (c->ramp) {
        rk_text_add(text, "IF held THEN at_pv := at_pv OR NOT automatic;\n"
                          "ELSE\n"
                          "    at_pv := NOT automatic;\n"
                          "    sp_last := sp_now;\n"
                          "END_IF;\n");
    }
}

rki_block rki_controller_block(const rki_controller *c)
{
    rki_block b = rki_block_make(c->upper_name, false, c->number);

    add_pins(&b, c);
    add_variables(&b, c);
    add_body(b.body, c);
    return b;
}

rk_status rk_emit_st(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    rki_controller c;
    rki_block block;
    rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    status = rki_add_provenance(text, &c, "  ", diag);
    if (status != RK_OK) return status;
    rk_text_add(text,
                "\n  IEC 61131-3 Structured Text. Call one instance from a cyclic task whose "
                "interval is the scan.\n*)\n");
    block = rki_controller_block(&c);
    rki_block_add_st(text, &block);
    rki_block_free(&block);
    return rk_text_check(text, diag);
}
