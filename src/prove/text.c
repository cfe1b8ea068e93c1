/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>

#include <redkettle/softplc/softplc.h>

#include "parts.h"

/* The pins of a block in the stand-in PLC. */
typedef struct pins {
    rk_plc *plc;
    rk_plc_instance *controller, *plant;
    rk_plc_variable sp, pv, out;
    rk_plc_variable automatic, manual_out, out_start, held; /* at NULL: it has none */
    rk_plc_variable plant_out, plant_load, plant_pv;
} pins;

rk_status rki_load_block(rk_plc *plc, const char *name, const char *text,
                         rk_plc_instance **instance, rk_diag *diag)
{
    rk_status status = rk_plc_load(plc, name, text, strlen(text), diag);

    if (status == RK_OK && rk_plc_last_block(plc)[0] == '\0') {
        return rk_diag_set(diag, RK_ERR_FORMAT, "%s: no FUNCTION_BLOCK in it", name);
    }
    return status == RK_OK ? rk_plc_instance_create(plc, rk_plc_last_block(plc), instance, diag)
                           : status;
}

/* A pin of the right sort; one that need not be is left out. */
static rk_status take_pin(const pins *p, rk_plc_instance *instance, const char *name,
                          bool number, bool needed, rk_plc_variable *pin, rk_diag *diag)
{
    if (rk_plc_find(p->plc, instance, name, pin, NULL) != RK_OK) {
        pin->at = NULL;
        if (!needed) return RK_OK;
        return rk_diag_set(diag, RK_ERR_FORMAT, "the block has no pin '%s'", name);
    }
    if (number ? pin->kind != RK_PLC_LREAL && pin->kind != RK_PLC_REAL
               : pin->kind != RK_PLC_BOOL) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "the block's pin '%s' should be %s", name,
                           number ? "LREAL or REAL" : "BOOL");
    }
    return RK_OK;
}

/* A pin's name in the block. */
static const char *name_of(const char *given, const char *own)
{
    return given != NULL ? given : own;
}

static rk_status take_pins(pins *p, const rk_block_pins *given, rk_diag *diag)
{
    static const rk_block_pins own = {NULL};
    const rk_block_pins *n = given != NULL ? given : &own;
    struct {
        rk_plc_instance *of;
        const char *name;
        bool number, needed;
        rk_plc_variable *pin;
    } all[] = {
        {p->controller, name_of(n->sp, "sp"), true, true, &p->sp},
        {p->controller, name_of(n->pv, "pv"), true, true, &p->pv},
        {p->controller, name_of(n->out, "out"), true, true, &p->out},
        {p->controller, name_of(n->automatic, "automatic"), false, false, &p->automatic},
        {p->controller, name_of(n->manual_out, "manual_out"), true, false, &p->manual_out},
        {p->controller, name_of(n->out_start, "out_start"), true, false, &p->out_start},
        {p->controller, "held", false, false, &p->held},
        {p->plant, "out", true, true, &p->plant_out},
        {p->plant, "load", true, true, &p->plant_load},
        {p->plant, "pv", true, true, &p->plant_pv},
    };
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < sizeof all / sizeof all[0] && status == RK_OK; i++) {
        if (all[i].of == NULL) continue;
        status =
            take_pin(p, all[i].of, all[i].name, all[i].number, all[i].needed, all[i].pin, diag);
    }
    return status;
}

static double as_kind(const rk_plc_variable *pin, double value)
{
    return pin->kind == RK_PLC_REAL ? (double)(float)value : value;
}

static void put(const rk_plc_variable *pin, double value)
{
    if (pin->at == NULL) return;
    if (pin->kind == RK_PLC_BOOL) {
        pin->at->whole = value != 0;
    } else {
        pin->at->real = as_kind(pin, value);
    }
}

/* What stands at the inputs before anybody sets them: manual, at the output that it starts from. */
static rk_status check_defaults(const rki_rig *rig, const pins *p, rk_diag *diag)
{
    const double start = as_kind(&p->out_start, rig->out_start);

    if (!rig->emitted) return RK_OK;
    if (p->automatic.at != NULL && p->automatic.at->whole != 0) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "the block is in automatic at first");
    }
    if (p->manual_out.at != NULL && p->manual_out.at->real != start) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "manual_out is not %.9g at first", start);
    }
    if (p->out_start.at != NULL && p->out_start.at->real != start) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "out_start is not %.9g at first", start);
    }
    return RK_OK;
}

static rk_status scan(const rki_rig *rig, const pins *p, const rki_input *in, rki_output *made,
                      rk_diag *diag)
{
    rk_status status;

    if (in->start != 0) {
        rk_plc_instance_restart(p->controller, false);
        rk_plc_instance_restart(p->plant, false);
        put(&p->out_start, in->out_start);
    }
    put(&p->sp, in->sp);
    /* Their sum, rounded once more for REAL, is that of single precision. */
    put(&p->pv, in->closed != 0 ? p->plant_pv.at->real + as_kind(&p->pv, in->pv) : in->pv);
    put(&p->automatic, in->automatic);
    put(&p->manual_out, in->manual_out);
    status = rk_plc_scan(p->plc, p->controller, diag);
    made->out = p->out.at->real;
    made->held = p->held.at != NULL ? (double)p->held.at->whole : 0.0;
    if (status == RK_OK && rig->twin) {
        put(&p->plant_out, made->out);
        put(&p->plant_load, in->load);
        status = rk_plc_scan(p->plc, p->plant, diag);
        made->pv = p->plant_pv.at->real;
    }
    return status;
}

rk_number rki_number_of_block(const char *text, const rk_block_pins *names)
{
    rk_plc *plc = rk_plc_create();
    rk_plc_instance *instance = NULL;
    rk_plc_variable out = {RK_PLC_LREAL, NULL};
    bool single = false;

    if (plc != NULL && rki_load_block(plc, "the controller", text, &instance, NULL) == RK_OK &&
        rk_plc_find(plc, instance, name_of(names != NULL ? names->out : NULL, "out"), &out,
                    NULL) == RK_OK) {
        single = out.kind == RK_PLC_REAL;
    }
    rk_plc_free(plc);
    return single ? RK_NUMBER_REAL : RK_NUMBER_LREAL;
}

rk_number rki_number_of_st(const char *text)
{
    return rki_number_of_block(text, NULL);
}

rk_status rki_run_text(const rki_rig *rig, const rk_program *program, rki_output *outputs,
                       size_t *done, char refused[256], rk_diag *diag)
{
    pins p = {.plc = rk_plc_create()};
    rk_diag why = {RK_OK, ""};
    rk_status status;

    *done = 0;
    refused[0] = '\0';
    if (p.plc == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    status = rki_load_block(p.plc, "the controller", program->text[RK_PROGRAM_SLIM_ST],
                            &p.controller, &why);
    if (status == RK_OK && rig->twin) {
        status = rki_load_block(p.plc, "the plant", program->text[RK_PROGRAM_PLANT_ST],
                                &p.plant, &why);
    }
    if (status == RK_OK) {
        status = take_pins(&p, rig->pins, &why);
    }
    if (status == RK_OK) {
        status = check_defaults(rig, &p, &why);
    }
    for (; *done < rig->count && status == RK_OK; (*done)++) {
        status = scan(rig, &p, &rig->inputs[*done], &outputs[*done], &why);
        if (status != RK_OK) break;
    }
    rk_plc_free(p.plc);
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory");
    if (status != RK_OK) {
        (void)snprintf(refused, 256, "%s", why.text);
    }
    return RK_OK;
}
