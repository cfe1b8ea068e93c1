/* SPDX-License-Identifier: MIT */
/*
 * A dead-time compensator: the model with its dead time, w, and without, q, follow OUT as it stood
 * since the last scan. What the one with the dead time does not explain of pv is added to the
 * other: q + (pv - w). As a block of its own, for the controller that is the same for all loops,
 * and as lines of a controller that has it built in.
 *
 * Source  O. J. M. Smith, Closer control of loops with dead time, 1957, Chemical Engineering
 *         Progress 53(5), 217-219.
 */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "block.h"

/* The model with its dead time, w, and without, q. */
void rki_predictor_variables(rki_block *b, const rki_controller *c)
{
    char chars[48];

    (void)snprintf(chars, sizeof chars, "%zu", c->whole.delay);
    rki_block_pin(b, RKI_CONSTANTS, "delay", "DINT", chars, "whole scans of dead time");
    (void)snprintf(chars, sizeof chars, "ARRAY[0..%zu] OF LREAL", c->whole.delay);
    rki_block_pin(b, RKI_LOCALS, "ring", chars, NULL, "what OUT was, less m_out0");
    rki_block_pin(b, RKI_LOCALS, "oldest", "DINT", "0", "where the ring's oldest entry stands");
    rki_block_pin(b, RKI_LOCALS, "place", "DINT", "0", NULL);
    rki_block_number(b, RKI_LOCALS, "u", 0.0, "", "");
    rki_block_number(b, RKI_LOCALS, "late", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "later", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "w_0", 0.0, "the model's PV less m_pv0", "");
    rki_block_number(b, RKI_LOCALS, "q_0", 0.0, "the same without the dead time", "");
    if (c->second) {
        rki_block_number(b, RKI_LOCALS, "w_1", 0.0, "what feeds them", "");
        rki_block_number(b, RKI_LOCALS, "q_1", 0.0, "", "");
        rki_block_number(b, RKI_LOCALS, "next", nan(""), "", "");
    }
}

/* Both models at rest at the output that stands. */
void rki_predictor_start(rk_text *text, const rki_controller *c, const char *out)
{
    rk_text_add(text,
                "    u := %s - m_out0;\n"
                "    FOR place := 0 TO delay DO ring[place] := u; END_FOR;\n"
                "    oldest := 0;\n",
                out);
    if (!c->second) {
        rk_text_add(text, "    w_0 := ((m_late_0 + m_later_0) * u) / (LREAL#1.0 - m_a_0_0);\n"
                          "    q_0 := (q_in_0 * u) / (LREAL#1.0 - m_a_0_0);\n");
        return;
    }
    rk_text_add(
        text,
        "    next := ((LREAL#1.0 - m_a_0_0) * (LREAL#1.0 - m_a_1_1)) - (m_a_0_1 * m_a_1_0);\n"
        "    w_0 := ((((m_late_0 + m_later_0) * u) * (LREAL#1.0 - m_a_1_1)) + (m_a_0_1 * ((m_late_1 + "
        "m_later_1) * u))) / next;\n"
        "    w_1 := ((((m_late_1 + m_later_1) * u) * (LREAL#1.0 - m_a_0_0)) + (m_a_1_0 * ((m_late_0 + "
        "m_later_0) * u))) / next;\n"
        "    q_0 := (((q_in_0 * u) * (LREAL#1.0 - m_a_1_1)) + (m_a_0_1 * (q_in_1 * u))) / next;\n"
        "    q_1 := (((q_in_1 * u) * (LREAL#1.0 - m_a_0_0)) + (m_a_1_0 * (q_in_0 * u))) / next;\n");
}

/* The models follow OUT as it stood since the last scan; what the one with the dead time does
   not explain of pv is added to the other. */
void rki_predictor_scan(rk_text *text, const rki_controller *c, const char *out)
{
    rk_text_add(text,
                "u := %s - m_out0;\n"
                "later := ring[oldest];\n"
                "ring[oldest] := u;\n"
                "IF oldest = delay THEN oldest := 0; ELSE oldest := oldest + 1; END_IF;\n"
                "late := ring[oldest];\n",
                out);
    if (c->second) {
        rk_text_add(
            text,
            "next := ((q_in_0 * u) + (m_a_0_1 * q_1)) + (m_a_0_0 * q_0);\n"
            "q_1 := ((q_in_1 * u) + (m_a_1_0 * q_0)) + (m_a_1_1 * q_1);\n"
            "q_0 := next;\n"
            "next := (((m_late_0 * late) + (m_later_0 * later)) + (m_a_0_1 * w_1)) + (m_a_0_0 * w_0);\n"
            "w_1 := (((m_late_1 * late) + (m_later_1 * later)) + (m_a_1_0 * w_0)) + (m_a_1_1 * w_1);\n"
            "w_0 := next;\n");
    } else {
        rk_text_add(text,
                    "q_0 := (q_in_0 * u) + (m_a_0_0 * q_0);\n"
                    "w_0 := ((m_late_0 * late) + (m_later_0 * later)) + (m_a_0_0 * w_0);\n");
    }
}

void rki_predictor_head(rk_text *text, const rki_controller *c, const char *lead)
{
    char line[160];

    (void)snprintf(line, sizeof line,
                   "The loop \"%.80s\": its model with and without dead time.", c->loop->name);
    rki_add_line(text, lead, line);
    rki_add_line(
        text, lead,
        "The controller takes the difference of both from pv: what pv would be without it.");
}

rki_block rki_predictor_block(const rki_controller *c)
{
    rki_constant list[RKI_CONSTANTS_MAX];
    const int count = rki_controller_constants(c, list);
    const char *units = c->loop->pv_units;
    char name[RK_BLOCK_NAME_CHARS];
    rki_block b;
    int i;

    rki_name(c->loop, "_PREDICTOR", name);
    b = rki_block_make(name, false, c->number);
    rki_block_number(&b, RKI_INPUTS, "out", nan(""), "where OUT stands", c->loop->out_units);
    rki_block_pin(&b, RKI_INPUTS, "restart", "BOOL", "FALSE",
                  "TRUE: start anew, both models at rest at out");
    rki_block_number(&b, RKI_OUTPUTS, "pv_undelayed", nan(""),
                     "what pv is by the model without its dead time", units);
    rki_block_number(&b, RKI_OUTPUTS, "pv_delayed", nan(""), "and with it", units);
    for (i = 0; i < count; i++) {
        if (strncmp(list[i].name, "m_", 2) == 0 || strncmp(list[i].name, "q_", 2) == 0) {
            rki_block_constants(&b, &list[i], 1);
        }
    }
    rki_predictor_variables(&b, c);
    rk_text_add(b.body, "IF restart THEN\n");
    rki_predictor_start(b.body, c, "out");
    rk_text_add(b.body, "END_IF;\n");
    rki_predictor_scan(b.body, c, "out");
    rk_text_add(b.body, "pv_undelayed := m_pv0 + q_0;\npv_delayed := m_pv0 + w_0;\n");
    return b;
}
