/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "controller.h"

void rki_add_st_constants(rk_text *text, const rki_constant *list, int count, rk_number number)
{
    int i;

    for (i = 0; i < count; i++) {
        rk_text_add(text, "    %-8s : LREAL := ", list[i].name);
        rki_add_literal(text, list[i].value, number);
        rk_text_add(text, "; (* %s *)\n", list[i].comment);
    }
}

static void add_constants(rk_text *text, const rki_controller *c)
{
    rki_constant list[RKI_CONSTANTS_MAX];
    const int count = rki_controller_constants(c, list);

    rk_text_add(text, "VAR CONSTANT\n");
    rki_add_st_constants(text, list, count, c->number);
    rk_text_add(text, "END_VAR\n");
}

/* What a pin is, and its unit. */
static void add_comment(rk_text *text, const char *what, const char *units)
{
    rk_text_add(text, " (* %s, ", what);
    rki_add_plain(text, units);
    rk_text_add(text, " *)\n");
}

static void add_interface(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "FUNCTION_BLOCK %s\nVAR_INPUT\n    sp : LREAL;", c->upper_name);
    add_comment(text, "setpoint", c->loop->pv_units);
    rk_text_add(text, "    pv : LREAL;");
    add_comment(text, "measured value", c->loop->pv_units);
    rk_text_add(text, "    automatic : BOOL := TRUE; (* TRUE automatic, FALSE manual *)\n"
                      "    manual_out : LREAL := ");
    rki_add_literal(text, c->out_start, c->number);
    rk_text_add(text, ";");
    add_comment(text, "output in manual", c->loop->out_units);
    rk_text_add(text, "    out_start : LREAL := ");
    rki_add_literal(text, c->out_start, c->number);
    rk_text_add(text, ";");
    add_comment(text, "what stands on the valve at the first scan", c->loop->out_units);
    rk_text_add(text, "END_VAR\nVAR_OUTPUT\n    out : LREAL;");
    add_comment(text, "output", c->loop->out_units);
    rk_text_add(text,
                "    held : BOOL; (* sp or pv is no number: automatic holds the output *)\n"
                "END_VAR\n");
    add_constants(text, c);
    rk_text_add(text, "VAR\n"
                      "    i_part : LREAL := LREAL#0.0; (* the integral *)\n");
    if (c->derivative) {
        rk_text_add(text, "    d_part : LREAL := LREAL#0.0; (* the filtered derivative *)\n"
                          "    g_last : LREAL := LREAL#0.0; (* what it acts on, a scan ago *)\n"
                          "    d_new : LREAL;\n"
                          "    g : LREAL;\n");
    }
    if (c->filter) {
        rk_text_add(text, "    seen : LREAL; (* pv behind its filter *)\n"
                          "    pv_last : LREAL := LREAL#0.0; (* the same, a scan ago *)\n"
                          "    pv_known : BOOL := FALSE; (* there was a good pv *)\n");
    }
    rk_text_add(text,
                "    started : BOOL := FALSE; (* the first scan is behind us *)\n"
                "    fresh : BOOL := TRUE; (* the next good scan takes pv as it finds it *)\n"
                "    p_part : LREAL;\n"
                "    i_new : LREAL;\n"
                "    increment : LREAL;\n"
                "    v : LREAL;\n"
                "    wanted : LREAL;\n"
                "END_VAR\n\n");
}

static void add_start(rk_text *text)
{
    rk_text_add(text,
                "IF NOT started THEN\n"
                "    wanted := out_start;\n"
                "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out_lo; END_IF;\n"
                "    IF wanted < out_lo THEN wanted := out_lo; END_IF;\n"
                "    IF wanted > out_hi THEN wanted := out_hi; END_IF;\n"
                "    out := wanted;\n"
                "    i_part := out;\n"
                "    fresh := TRUE;\n"
                "    started := TRUE;\n"
                "END_IF;\n\n");
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

static void add_automatic(rk_text *text, const rki_controller *c)
{
    const char *sum = c->derivative ? "(p_part + (i_part + increment)) + d_new"
                                    : "p_part + (i_part + increment)";

    rk_text_add(text, "    IF fresh THEN i_part := %s; END_IF;\n",
                c->derivative ? "(out - p_part) - d_new" : "out - p_part");
    rk_text_add(text, "    increment := ki_ts * (sp - %s);\n", c->pv);
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
    add_start(text);
    add_filter(text, c);
    add_parts(text, c);
    rk_text_add(text, "IF automatic THEN\n");
    add_automatic(text, c);
    rk_text_add(text,
                "ELSE\n"
                "    (* The integral follows, so that automatic starts from this output. *)\n"
                "    wanted := manual_out;\n"
                "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out; END_IF;\n");
    add_limits(text, c, "    ");
    rk_text_add(text, "    i_new := %s;\nEND_IF;\n\n",
                c->derivative ? "(wanted - p_part) - d_new" : "wanted - p_part");

    rk_text_add(text,
                "(* A bad value must not enter the state: hold, and start afresh after it. *)\n"
                "held := NOT ((i_new - i_new) = LREAL#0.0)%s;\n",
                c->derivative ? " OR NOT ((d_new - d_new) = LREAL#0.0)" : "");
    rk_text_add(text, "IF held THEN\n"
                      "    IF NOT automatic THEN out := wanted; END_IF;\n"
                      "    fresh := TRUE;\n"
                      "ELSE\n"
                      "    i_part := i_new;\n");
    if (c->derivative) {
        rk_text_add(text, "    d_part := d_new;\n    g_last := g;\n");
    }
    rk_text_add(text, "    out := wanted;\n"
                      "    fresh := FALSE;\n"
                      "END_IF;\n\n"
                      "END_FUNCTION_BLOCK\n");
}

rk_status rk_emit_st(const rk_loop_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    rki_controller c;
    rk_text *code;
    rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    status = rki_add_provenance(text, &c, "  ", diag);
    if (status != RK_OK) return status;
    rk_text_add(text,
                "\n  IEC 61131-3 Structured Text. Call one instance from a cyclic task whose "
                "interval is the scan.\n*)\n");
    code = rk_text_create();
    add_interface(code, &c);
    add_body(code, &c);
    rki_add_st_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}
