/* SPDX-License-Identifier: MIT */
#include "plant.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/version.h>

#include "block.h"

/* Scans of dead time that a controller has memory for: half a megabyte. */
enum { DELAY_MOST = 65535 };

bool rki_has_second_state(rk_model_kind kind)
{
    return rk_model_kind_times(kind) > 1 || kind == RK_MODEL_SOPDT_OSC ||
           kind == RK_MODEL_IPDT_LAG;
}

rk_status rki_twin_make(const rk_design *loop, rk_number number, rki_twin *made, rk_diag *diag)
{
    rk_status status;

    rk_diag_clear(diag);
    memset(made, 0, sizeof *made);
    if (loop == NULL) return RK_ERR_ARG;
    made->loop = loop;
    made->number = number;
    status = rk_design_check(loop, diag);
    if (status != RK_OK) return status;
    if (!loop->has_model || isnan(loop->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a plant twin needs %s",
                           loop->has_model ? "a scan interval: give [loop] scan"
                                           : "a model: fit a record and save it");
    }
    status = rk_plant_params_from_model(rk_design_process(loop), loop->ts, &made->params, diag);
    if (status != RK_OK) return status;
    if (made->params.delay > DELAY_MOST) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "the twin's dead time is %zu scans, and a PLC's memory holds %d: scan "
            "more slowly",
            made->params.delay, DELAY_MOST);
    }
    made->states = loop->has_process                        ? made->params.states
                   : rki_has_second_state(loop->model.kind) ? 2
                                                            : 1;
    rk_emit_plant_name(loop, made->name);
    rki_name(loop, "_PLANT", made->upper_name);
    return RK_OK;
}

/* Names of the coefficients: row, then column of a; place of the state in what comes in. */
#define ROW(i)                                                                                 \
    {                                                                                          \
        "a_" #i "_0", "a_" #i "_1", "a_" #i "_2", "a_" #i "_3", "a_" #i "_4", "a_" #i "_5",    \
            "a_" #i "_6", "a_" #i "_7", "a_" #i "_8"                                           \
    }
static const char *const a_name[RK_PLANT_STATES][RK_PLANT_STATES] = {
    ROW(0), ROW(1), ROW(2), ROW(3), ROW(4), ROW(5), ROW(6), ROW(7), ROW(8)};
#define EACH(of)                                                                               \
    {                                                                                          \
        of "_0", of "_1", of "_2", of "_3", of "_4", of "_5", of "_6", of "_7", of "_8"        \
    }
static const char *const late_name[RK_PLANT_STATES] = EACH("late");
static const char *const later_name[RK_PLANT_STATES] = EACH("later");
static const char *const state_name[RK_PLANT_STATES] = EACH("state");

/* Of a pair each state feeds the other, of a chain those before it alone. */
static bool feeds(const rki_twin *t, int from, int to)
{
    return from == to || from > to || t->states == 2;
}

int rki_twin_constants(const rki_twin *t, rki_constant list[RKI_TWIN_CONSTANTS_MAX])
{
    const rk_plant_params *p = &t->params;
    int count = 0, i, j;

    for (i = 0; i < t->states; i++) {
        for (j = 0; j < t->states; j++) {
            if (!feeds(t, j, i)) continue;
            list[count++] = (rki_constant){
                a_name[i][j], p->a[i][j],
                i == j ? "what stays of this state in a scan"
                       : "what the state of the second number adds to the first"};
        }
    }
    for (i = 0; i < t->states; i++) {
        list[count++] = (rki_constant){late_name[i], p->b0[i], "what OUT a dead time ago adds"};
        list[count++] =
            (rki_constant){later_name[i], p->b1[i], "what OUT a scan before that adds"};
    }
    list[count++] = (rki_constant){"out_rest", p->out0, "operating point: OUT"};
    list[count++] =
        (rki_constant){"pv_rest", p->pv0, "operating point: the PV that out_rest holds"};
    for (i = 0; i < count && t->number == RK_NUMBER_REAL; i++) {
        list[i].value = (double)(float)list[i].value;
    }
    return count;
}

void rki_add_twin_head(rk_text *text, const rki_twin *t, const char *lead)
{
    char line[256];

    (void)snprintf(line, sizeof line,
                   "Plant twin of the loop \"%s\": what PV does, to try the "
                   "PLC's program before it meets the plant",
                   t->loop->name);
    rki_add_line(text, lead, line);
    rki_add_line(text, lead,
                 "Made by Red Kettle " RK_VERSION "; change the loop file and emit again.");
    rki_add_line(text, lead, "");
    (void)snprintf(line, sizeof line,
                   "Scan          %.6g s: call it once every scan, after OUT was written",
                   t->loop->ts);
    rki_add_line(text, lead, line);
    rki_add_model(text, t->loop, lead);
    (void)snprintf(
        line, sizeof line,
        "Starts        at rest, OUT %.6g %s, PV %.6g %s; dead time %zu scans and a part",
        t->params.out0, t->loop->out_units, t->params.pv0, t->loop->pv_units, t->params.delay);
    rki_add_line(text, lead, line);
}

static void add_st_variables(rki_block *b, const rki_twin *t)
{
    rki_constant list[RKI_TWIN_CONSTANTS_MAX];
    char chars[48];
    int i;

    rki_block_constants(b, list, rki_twin_constants(t, list));
    (void)snprintf(chars, sizeof chars, "%zu", t->params.delay);
    rki_block_pin(b, RKI_CONSTANTS, "delay   ", "DINT", chars, "whole scans of dead time");
    (void)snprintf(chars, sizeof chars, "ARRAY[0..%zu] OF LREAL", t->params.delay);
    rki_block_pin(b, RKI_LOCALS, "ring", chars, NULL, "what OUT was, less out_rest");
    rki_block_pin(b, RKI_LOCALS, "oldest", "DINT", "0", "where the ring's oldest entry stands");
    rki_block_pin(b, RKI_LOCALS, "place", "DINT", "0", NULL);
    rki_block_number(b, RKI_LOCALS, "u", 0.0, "", "");
    rki_block_number(b, RKI_LOCALS, "late", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "later", nan(""), "", "");
    for (i = 0; i < t->states; i++) {
        rki_block_number(b, RKI_LOCALS, state_name[i], 0.0,
                         i == 0 ? "PV less pv_rest" : "what feeds it", "");
    }
    if (t->states == 2) {
        rki_block_number(b, RKI_LOCALS, "state_next", nan(""), "", "");
    }
}

/* The next value of a state: what comes in, the other states from the last on, its own; upper: names
   of constants in capitals, as C has them; of: what stands before a state's name. */
static void add_sum(rk_text *text, const rki_twin *t, int i, bool upper, const char *of)
{
    const char a = upper ? 'A' : 'a';
    int others = 0, j;

    for (j = 0; j < t->states; j++) {
        others += j != i && feeds(t, j, i);
    }
    for (j = 0; j < others; j++) {
        rk_text_add(text, "(");
    }
    rk_text_add(text,
                upper ? "((LATE_%d * late) + (LATER_%d * later))"
                      : "((late_%d * late) + (later_%d * later))",
                i, i);
    for (j = t->states - 1; j >= 0; j--) {
        if (j != i && feeds(t, j, i)) {
            rk_text_add(text, " + (%c_%d_%d * %sstate_%d))", a, i, j, of, j);
        }
    }
    rk_text_add(text, " + (%c_%d_%d * %sstate_%d)", a, i, i, of, i);
}

rki_block rki_twin_block(const rki_twin *t)
{
    rki_block b = rki_block_make(t->upper_name, false, t->number);
    int i;

    rki_block_number(&b, RKI_INPUTS, "out", t->params.out0, "what the controller wrote",
                     t->loop->out_units);
    rki_block_number(&b, RKI_INPUTS, "load", 0.0, "a disturbance at the input",
                     t->loop->out_units);
    rki_block_pin(&b, RKI_INPUTS, "restart", "BOOL", "FALSE",
                  "TRUE: back to rest at the operating point, and no scan");
    rki_block_number(&b, RKI_OUTPUTS, "pv", t->params.pv0, "at the end of the scan",
                     t->loop->pv_units);
    add_st_variables(&b, t);
    rk_text_add(b.body, "IF restart THEN\n"
                        "    FOR place := 0 TO delay DO ring[place] := LREAL#0.0; END_FOR;\n"
                        "    oldest := 0;\n"
                        "    u := LREAL#0.0;\n");
    for (i = 0; i < t->states; i++) {
        rk_text_add(b.body, "    state_%d := LREAL#0.0;\n", i);
    }
    rk_text_add(b.body, "    pv := pv_rest;\nELSE\n");
    rk_text_add(b.body, "(* An out that is NaN or infinite repeats the last. *)\n"
                        "late := out + load;\n"
                        "IF (late - late) = LREAL#0.0 THEN u := late - out_rest; END_IF;\n"
                        "later := ring[oldest];\n"
                        "ring[oldest] := u;\n"
                        "IF oldest = delay THEN oldest := 0; ELSE oldest := oldest + 1; "
                        "END_IF;\n"
                        "late := ring[oldest];\n");
    for (i = 0; i < t->states; i++) {
        rk_text_add(b.body, t->states == 2 && i == 0 ? "state_next := " : "state_%d := ", i);
        add_sum(b.body, t, i, false, "");
        rk_text_add(b.body, ";\n");
    }
    if (t->states == 2) {
        rk_text_add(b.body, "state_0 := state_next;\n");
    }
    rk_text_add(b.body, "pv := pv_rest + state_0;\nEND_IF;\n");
    return b;
}

rk_status rk_emit_plant_st(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag)
{
    rki_twin t;
    rki_block block;
    const rk_status status = rki_twin_make(loop, number, &t, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    rki_add_twin_head(text, &t, "  ");
    rk_text_add(text, "\n  IEC 61131-3 Structured Text.\n*)\n");
    block = rki_twin_block(&t);
    rki_block_add_st(text, &block);
    rki_block_free(&block);
    return rk_text_check(text, diag);
}

static void add_c_head(rk_text *text, const rki_twin *t)
{
    rk_text_add(text, "/*\n");
    rki_add_twin_head(text, t, " * ");
    rk_text_add(text, " */\n");
}

rk_status rk_emit_plant_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                 rk_diag *diag)
{
    char states[(9 * RK_PLANT_STATES) + 1];
    size_t used = 0;
    int i;
    rki_twin t;
    rk_text *code;
    const rk_status status = rki_twin_make(loop, number, &t, diag);

    if (status != RK_OK) return status;
    for (i = 0; i < t.states; i++) {
        used += (size_t)snprintf(states + used, sizeof states - used, "%sstate_%d",
                                 i > 0 ? ", " : "", i);
    }
    add_c_head(text, &t);
    code = rk_text_create();
    rk_text_add(code,
                "#ifndef %s_H\n#define %s_H\n\n"
                "typedef struct %s {\n"
                "    double load;       /* set it: a disturbance at the input */\n"
                "    double pv;         /* at the end of the last scan */\n"
                "    double ring[%zu], u; /* state from here on */\n"
                "    unsigned oldest;\n"
                "    double %s;\n"
                "} %s;\n\n"
                "/* At rest at the operating point. */\n"
                "void %s_init(%s *p);\n\n"
                "/* One scan after OUT was written; returns the PV at its end. */\n"
                "double %s_scan(%s *p, double out);\n\n#endif\n",
                t.upper_name, t.upper_name, t.name, t.params.delay + 1, states, t.name, t.name,
                t.name, t.name, t.name);
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}

rk_status rk_emit_plant_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                 rk_diag *diag)
{
    rki_constant list[RKI_TWIN_CONSTANTS_MAX];
    rki_twin t;
    rk_text *code;
    int i;
    const rk_status status = rki_twin_make(loop, number, &t, diag);

    if (status != RK_OK) return status;
    add_c_head(text, &t);
    code = rk_text_create();
    rk_text_add(code, "#include \"%s.h\"\n\n", t.name);
    rki_add_c_guard(code);
    rki_add_c_constants(code, list, rki_twin_constants(&t, list), number);
    rk_text_add(code,
                "enum { DELAY = %zu }; /* whole scans of dead time */\n\n"
                "void %s_init(%s *p)\n{\n    unsigned i;\n\n"
                "    p->load = 0.0;\n    p->pv = PV_REST;\n    ",
                t.params.delay, t.name, t.name);
    for (i = 0; i < t.states; i++) {
        rk_text_add(code, "p->state_%d = ", i);
    }
    rk_text_add(code, "p->u = 0.0;\n    p->oldest = 0;\n"
                      "    for (i = 0; i <= DELAY; i++) p->ring[i] = 0.0;\n}\n\n");
    rk_text_add(code,
                "double %s_scan(%s *p, double out)\n{\n"
                "    const double in = out + p->load;\n"
                "    double late, later%s;\n\n"
                "    /* An out that is NaN or infinite repeats the last. */\n"
                "    if ((in - in) == 0.0) p->u = in - OUT_REST;\n"
                "    later = p->ring[p->oldest];\n"
                "    p->ring[p->oldest] = p->u;\n"
                "    p->oldest = p->oldest == DELAY ? 0 : p->oldest + 1;\n"
                "    late = p->ring[p->oldest];\n",
                t.name, t.name, t.states == 2 ? ", state_0" : "");
    for (i = 0; i < t.states; i++) {
        rk_text_add(code, "    %sstate_%d = ", t.states == 2 && i == 0 ? "" : "p->", i);
        add_sum(code, &t, i, true, "p->");
        rk_text_add(code, ";\n");
    }
    if (t.states == 2) {
        rk_text_add(code, "    p->state_0 = state_0;\n");
    }
    rk_text_add(code, "    p->pv = PV_REST + p->state_0;\n    return p->pv;\n}\n");
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}
