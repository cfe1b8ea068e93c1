/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "block.h"

static void add_pins(rki_block *b, const rki_controller *c)
{
    const char *pv_units = c->loop->pv_units, *out_units = c->loop->out_units;

    rki_block_number(b, RKI_INPUTS, "sp", nan(""), "setpoint", pv_units);
    rki_block_number(b, RKI_INPUTS, "pv", nan(""), "measured value", pv_units);
    rki_block_pin(b, RKI_INPUTS, "automatic", "BOOL", "TRUE", "TRUE automatic, FALSE manual");
    rki_block_number(b, RKI_INPUTS, "manual_out", c->out_start, "output in manual", out_units);
    rki_block_number(b, RKI_INPUTS, "out_start", c->out_start,
                     "what stands on the valve at the first scan", out_units);
    rki_block_number(b, RKI_OUTPUTS, "out", nan(""), "output", out_units);
    rki_block_pin(b, RKI_OUTPUTS, "held", "BOOL", NULL,
                  "sp or pv is NaN or infinite: automatic holds the output");
}

static void add_variables(rki_block *b, const rki_controller *c)
{
    rki_constant list[RKI_CONSTANTS_MAX];

    rki_block_constants(b, list, rki_controller_constants(c, list));
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
    if (c->filter) {
        rki_block_number(b, RKI_LOCALS, "seen", nan(""), "pv behind its filter", "");
        rki_block_number(b, RKI_LOCALS, "pv_last", 0.0, "the same, a scan ago", "");
        rki_block_pin(b, RKI_LOCALS, "pv_known", "BOOL", "FALSE", "there was a good pv");
    }
    rki_block_pin(b, RKI_LOCALS, "started", "BOOL", "FALSE", "the first scan is behind us");
    rki_block_pin(b, RKI_LOCALS, "fresh", "BOOL", "TRUE",
                  "the next good scan takes pv as it finds it");
    rki_block_number(b, RKI_LOCALS, "p_part", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "i_new", nan(""),
                     c->velocity ? "what is left to the integral" : "", "");
    rki_block_number(b, RKI_LOCALS, "increment", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "v", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "wanted", nan(""), "", "");
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
                "%s"
                "    fresh := TRUE;\n"
                "    started := TRUE;\n"
                "END_IF;\n\n",
                c->velocity ? "" : "    i_part := out;\n");
}

/* `wanted` within limits and rate, into `wanted`. */
static void add_limits(rk_text *text, const rki_controller *c, const char *indent)
{
    rk_text_add(text, "%sIF wanted < out_lo THEN wanted := out_lo; END_IF;\n", indent);
    rk_text_add(text, "%sIF wanted > out_hi THEN wanted := out_hi; END_IF;\n", indent);
    if (c->rate) {
        rk_text_add(text, "%sIF wanted < (out - out_step) THEN wanted := out - out_step;\n",
                    indent);
        rk_text_add(text, "%sELSIF wanted > (out + out_step) THEN wanted := out + out_step;\n",
                    indent);
        rk_text_add(text, "%sEND_IF;\n", indent);
    }
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

static void add_parts(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "p_part := kc * ((p_weight * sp) - %s);\n", c->pv);
    if (!c->derivative) return;
    rk_text_add(text, "g := (d_weight * sp) - %s;\n", c->pv);
    rk_text_add(text, "IF fresh THEN\n"
                      "    g_last := g;\n"
                      "    d_part := LREAL#0.0;\n"
                      "END_IF;\n"
                      "d_new := (ad * d_part) + (kd * (g - g_last));\n");
}

/* This scan's increment of the integral. */
static void add_increment(rk_text *text, const rki_controller *c)
{
    if (!c->last) {
        rk_text_add(text, "    increment := ki_ts * (sp - %s);\n", c->pv);
        return;
    }
    rk_text_add(text,
                "    IF fresh THEN e_last := sp - %s; END_IF;\n"
                "    increment := (ki_ts * (sp - %s)) + (ki_last * e_last);\n",
                c->pv, c->pv);
}

static const char *left_to_integral(const rki_controller *c)
{
    return c->derivative ? "(wanted - p_part) - d_new" : "wanted - p_part";
}

/* From the output that stands, by what each part has moved. */
static void add_moves(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "    IF fresh THEN p_last := p_part; END_IF;\n");
    add_increment(text, c);
    rk_text_add(text,
                c->derivative
                    ? "    v := out + (((p_part - p_last) + increment) + (d_new - d_part));\n"
                    : "    v := out + ((p_part - p_last) + increment);\n");
    rk_text_add(text, "    wanted := v;\n");
    add_limits(text, c, "    ");
    rk_text_add(text, "    i_new := %s;\n", left_to_integral(c));
}

static void add_automatic(rk_text *text, const rki_controller *c)
{
    const char *sum = c->derivative ? "(p_part + (i_part + increment)) + d_new"
                                    : "p_part + (i_part + increment)";

    rk_text_add(text, "    IF fresh THEN i_part := %s; END_IF;\n",
                c->derivative ? "(out - p_part) - d_new" : "out - p_part");
    add_increment(text, c);
    rk_text_add(text, "    v := %s;\n", sum);
    if (c->conditional) {
        rk_text_add(text,
                    "    (* Beyond a limit the integral may only come back. *)\n"
                    "    IF ((v > out_hi) AND (increment > LREAL#0.0))\n"
                    "        OR ((v < out_lo) AND (increment < LREAL#0.0)) THEN\n"
                    "        increment := LREAL#0.0;\n"
                    "        v := %s;\n"
                    "    END_IF;\n",
                    sum);
    }
    rk_text_add(text, "    wanted := v;\n");
    add_limits(text, c, "    ");
    rk_text_add(text, "    i_new := (i_part + increment) + (kt_ts * (wanted - v));\n");
}

static void add_body(rk_text *text, const rki_controller *c)
{
    add_start(text, c);
    add_filter(text, c);
    add_parts(text, c);
    rk_text_add(text, "IF automatic THEN\n");
    if (c->velocity) {
        add_moves(text, c);
    } else {
        add_automatic(text, c);
    }
    rk_text_add(text,
                "ELSE\n"
                "    (* Automatic starts from this output. *)\n"
                "    wanted := manual_out;\n"
                "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out; END_IF;\n");
    add_limits(text, c, "    ");
    rk_text_add(text, "    i_new := %s;\nEND_IF;\n\n", left_to_integral(c));

    rk_text_add(text,
                "(* A bad value must not enter the state: hold, and start afresh after it. *)\n"
                "held := NOT ((i_new - i_new) = LREAL#0.0)%s;\n",
                c->derivative ? " OR NOT ((d_new - d_new) = LREAL#0.0)" : "");
    rk_text_add(text,
                "IF held THEN\n"
                "    IF NOT automatic THEN out := wanted; END_IF;\n"
                "    fresh := TRUE;\n"
                "ELSE\n"
                "%s",
                c->velocity ? "    p_last := p_part;\n" : "    i_part := i_new;\n");
    if (c->last) {
        rk_text_add(text, "    e_last := sp - %s;\n", c->pv);
    }
    if (c->derivative) {
        rk_text_add(text, "    d_part := d_new;\n    g_last := g;\n");
    }
    rk_text_add(text, "    out := wanted;\n"
                      "    fresh := FALSE;\n"
                      "END_IF;\n");
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
