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
    status = rk_plant_params_from_model(&loop->model, loop->ts, &made->params, diag);
    if (status != RK_OK) return status;
    if (made->params.delay > DELAY_MOST) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "the twin's dead time is %zu scans, and a PLC's memory holds %d: scan "
            "more slowly",
            made->params.delay, DELAY_MOST);
    }
    made->second = rki_has_second_state(loop->model.kind);
    rk_emit_plant_name(loop, made->name);
    rki_upper(made->name, made->upper_name);
    return RK_OK;
}

int rki_twin_constants(const rki_twin *t, rki_constant list[RKI_TWIN_CONSTANTS_MAX])
{
    const rk_plant_params *p = &t->params;
    const struct {
        bool used;
        rki_constant constant;
    } all[RKI_TWIN_CONSTANTS_MAX] = {
        {true, {"a00", p->a[0][0], "what stays of the first state in a scan"}},
        {t->second, {"a01", p->a[0][1], "what the second state adds to it"}},
        {t->second, {"a10", p->a[1][0], "what the first state adds to the second"}},
        {t->second, {"a11", p->a[1][1], "what stays of the second"}},
        {true, {"b00", p->b0[0], "what OUT a dead time ago adds"}},
        {true, {"b10", p->b1[0], "what OUT a scan before that adds"}},
        {t->second, {"b01", p->b0[1], "the same, to the second state"}},
        {t->second, {"b11", p->b1[1], "and this"}},
        {true, {"out0", p->out0, "operating point: OUT"}},
        {true, {"pv0", p->pv0, "operating point: the PV that out0 holds"}},
    };
    int count = 0, i;

    for (i = 0; i < RKI_TWIN_CONSTANTS_MAX; i++) {
        if (all[i].used) {
            list[count] = all[i].constant;
            if (t->number == RK_NUMBER_REAL) {
                list[count].value = (double)(float)list[count].value;
            }
            count++;
        }
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

    rki_block_constants(b, list, rki_twin_constants(t, list));
    (void)snprintf(chars, sizeof chars, "%zu", t->params.delay);
    rki_block_pin(b, RKI_CONSTANTS, "delay   ", "DINT", chars, "whole scans of dead time");
    (void)snprintf(chars, sizeof chars, "ARRAY[0..%zu] OF LREAL", t->params.delay);
    rki_block_pin(b, RKI_LOCALS, "ring", chars, NULL, "what OUT was, less out0");
    rki_block_pin(b, RKI_LOCALS, "oldest", "DINT", "0", "where the ring's oldest entry stands");
    rki_block_number(b, RKI_LOCALS, "u", 0.0, "", "");
    rki_block_number(b, RKI_LOCALS, "late", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "later", nan(""), "", "");
    rki_block_number(b, RKI_LOCALS, "x0", 0.0, "PV less pv0", "");
    if (t->second) {
        rki_block_number(b, RKI_LOCALS, "x1", 0.0, "what feeds it", "");
        rki_block_number(b, RKI_LOCALS, "x0_next", nan(""), "", "");
    }
}

rki_block rki_twin_block(const rki_twin *t)
{
    rki_block b = rki_block_make(t->upper_name, false, t->number);

    rki_block_number(&b, RKI_INPUTS, "out", t->params.out0, "what the controller wrote",
                     t->loop->out_units);
    rki_block_number(&b, RKI_INPUTS, "load", 0.0, "a disturbance at the input",
                     t->loop->out_units);
    rki_block_number(&b, RKI_OUTPUTS, "pv", t->params.pv0, "at the end of the scan",
                     t->loop->pv_units);
    add_st_variables(&b, t);
    rk_text_add(b.body, "(* An out that is NaN or infinite repeats the last. *)\n"
                        "late := out + load;\n"
                        "IF (late - late) = LREAL#0.0 THEN u := late - out0; END_IF;\n"
                        "later := ring[oldest];\n"
                        "ring[oldest] := u;\n"
                        "IF oldest = delay THEN oldest := 0; ELSE oldest := oldest + 1; "
                        "END_IF;\n"
                        "late := ring[oldest];\n");
    if (t->second) {
        rk_text_add(b.body,
                    "x0_next := (((b00 * late) + (b10 * later)) + (a01 * x1)) + (a00 * x0);\n"
                    "x1 := (((b01 * late) + (b11 * later)) + (a10 * x0)) + (a11 * x1);\n"
                    "x0 := x0_next;\n");
    } else {
        rk_text_add(b.body, "x0 := ((b00 * late) + (b10 * later)) + (a00 * x0);\n");
    }
    rk_text_add(b.body, "pv := pv0 + x0;\n");
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
    rki_twin t;
    rk_text *code;
    const rk_status status = rki_twin_make(loop, number, &t, diag);

    if (status != RK_OK) return status;
    add_c_head(text, &t);
    code = rk_text_create();
    rk_text_add(code,
                "#ifndef %s_H\n#define %s_H\n\n"
                "typedef struct %s {\n"
                "    double load;       /* set it: a disturbance at the input */\n"
                "    double pv;         /* at the end of the last scan */\n"
                "    double x0%s, u;     /* state from here on */\n"
                "    double ring[%zu];\n"
                "    unsigned oldest;\n"
                "} %s;\n\n"
                "/* At rest at the operating point. */\n"
                "void %s_init(%s *p);\n\n"
                "/* One scan after OUT was written; returns the PV at its end. */\n"
                "double %s_scan(%s *p, double out);\n\n#endif\n",
                t.upper_name, t.upper_name, t.name, t.second ? ", x1" : "", t.params.delay + 1,
                t.name, t.name, t.name, t.name, t.name);
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
    const rk_status status = rki_twin_make(loop, number, &t, diag);

    if (status != RK_OK) return status;
    add_c_head(text, &t);
    code = rk_text_create();
    rk_text_add(code, "#include \"%s.h\"\n\n", t.name);
    rki_add_c_constants(code, list, rki_twin_constants(&t, list), number);
    rk_text_add(code,
                "enum { DELAY = %zu }; /* whole scans of dead time */\n\n"
                "void %s_init(%s *p)\n{\n    unsigned i;\n\n"
                "    p->load = 0.0;\n    p->pv = PV0;\n    p->x0 = %sp->u = 0.0;\n"
                "    p->oldest = 0;\n"
                "    for (i = 0; i <= DELAY; i++) p->ring[i] = 0.0;\n}\n\n",
                t.params.delay, t.name, t.name, t.second ? "p->x1 = " : "");
    rk_text_add(code,
                "double %s_scan(%s *p, double out)\n{\n"
                "    const double in = out + p->load;\n"
                "    double late, later%s;\n\n"
                "    /* An out that is NaN or infinite repeats the last. */\n"
                "    if ((in - in) == 0.0) p->u = in - OUT0;\n"
                "    later = p->ring[p->oldest];\n"
                "    p->ring[p->oldest] = p->u;\n"
                "    p->oldest = p->oldest == DELAY ? 0 : p->oldest + 1;\n"
                "    late = p->ring[p->oldest];\n",
                t.name, t.name, t.second ? ", x0" : "");
    if (t.second) {
        rk_text_add(code,
                    "    x0 = (((B00 * late) + (B10 * later)) + (A01 * p->x1)) + (A00 * "
                    "p->x0);\n"
                    "    p->x1 = (((B01 * late) + (B11 * later)) + (A10 * p->x0)) + (A11 * "
                    "p->x1);\n"
                    "    p->x0 = x0;\n");
    } else {
        rk_text_add(code, "    p->x0 = ((B00 * late) + (B10 * later)) + (A00 * p->x0);\n");
    }
    rk_text_add(code, "    p->pv = PV0 + p->x0;\n    return p->pv;\n}\n");
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}
