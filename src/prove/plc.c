/* SPDX-License-Identifier: MIT */
/* The whole of a loop's Structured Text in the stand-in PLC, block, twin, program, variables and
   task, beside what it must do. */
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/softplc/softplc.h>

#include "parts.h"
#include "port_side.h"
#include "reference.h"
#include "same.h"
#include "scene.h"

typedef struct bench {
    rk_plc *plc;
    rk_plc_instance *program, *side; /* of the loop; and its port's, or NULL */
    rk_plc_variable variable[RK_VARIABLES_MAX];
    rki_reference reference;
    rki_port_side port;
    rki_scene scene;
    char prefix[RK_BLOCK_NAME_CHARS], type[RK_BLOCK_NAME_CHARS];
    double interval;                /* of the task, s */
    double clock;                   /* s */
    double given[RK_VARIABLES_MAX]; /* what the scene gave last */
    int input[RKI_PINS_MOST];       /* places of the inputs' variables */
} bench;

/* The program's name in the text, and the loop's prefix by it. */
static bool find_program(const char *text, bench *b)
{
    static const char word[] = "\nPROGRAM ", ending[] = "_PROGRAM";
    const char *at = strstr(text, word);
    size_t length = 0;

    if (at == NULL) return false;
    at += sizeof word - 1;
    while ((isalnum((unsigned char)at[length]) || at[length] == '_') &&
           length < sizeof b->type - 1) {
        b->type[length] = at[length];
        length++;
    }
    if (length < sizeof ending) return false;
    memcpy(b->prefix, b->type, length - (sizeof ending - 1));
    return strcmp(b->type + length - (sizeof ending - 1), ending) == 0;
}

static rk_status refuse(rk_diag *why, const char *what)
{
    return rk_diag_set(why, RK_ERR_FORMAT, "%s", what);
}

static rk_status load(bench *b, const rk_program *program, rk_diag *why)
{
    static const struct {
        rk_program_file file;
        const char *name;
    } texts[] = {{RK_PROGRAM_GENERAL_ST, "loop_controller.st"},
                 {RK_PROGRAM_PLANT_ST, "the plant"},
                 {RK_PROGRAM_PROGRAM, "the program"}};
    rk_status status = RK_OK;
    size_t i;

    if (!find_program(program->text[RK_PROGRAM_PROGRAM], b)) {
        return refuse(why, "no PROGRAM NAME_PROGRAM in it");
    }
    b->plc = rk_plc_create();
    if (b->plc == NULL) return rk_diag_set(why, RK_ERR_MEMORY, "out of memory");
    for (i = 0; i < sizeof texts / sizeof texts[0] && status == RK_OK; i++) {
        const char *text = program->text[texts[i].file];

        if (text == NULL && texts[i].file == RK_PROGRAM_PLANT_ST && !b->reference.has_twin) {
            continue;
        }
        status = text != NULL
                     ? rk_plc_load(b->plc, texts[i].name, text, strlen(text), why)
                     : rk_diag_set(why, RK_ERR_FORMAT, "%s is not there", texts[i].name);
    }
    if (status == RK_OK) {
        status = rk_plc_instance_create(b->plc, b->type, &b->program, why);
    }
    if (status == RK_OK && b->port.there) {
        char side[RK_BLOCK_NAME_CHARS + 8];

        (void)snprintf(side, sizeof side, "%s_PORT", b->prefix);
        status = rk_plc_instance_create(b->plc, side, &b->side, why);
    }
    return status;
}

static rk_plc_kind kind_of(const rk_variable *v, rk_number number)
{
    return strcmp(v->type, "BOOL") == 0    ? RK_PLC_BOOL
           : strcmp(v->type, "INT") == 0   ? RK_PLC_INT
           : strcmp(v->type, "DINT") == 0  ? RK_PLC_DINT
           : strcmp(v->type, "UINT") == 0  ? RK_PLC_UINT
           : strcmp(v->type, "UDINT") == 0 ? RK_PLC_UDINT
           : strcmp(v->type, "REAL") == 0  ? RK_PLC_REAL
           : number == RK_NUMBER_REAL      ? RK_PLC_REAL
                                           : RK_PLC_LREAL;
}

static rk_status find_variables(bench *b, rk_diag *why)
{
    const rki_reference *r = &b->reference;
    int i;

    for (i = 0; i < r->variables; i++) {
        char path[RK_VARIABLE_CHARS + RK_BLOCK_NAME_CHARS];

        (void)snprintf(path, sizeof path, "%s_%s", b->prefix, r->list[i].word);
        if (rk_plc_find(b->plc, NULL, path, &b->variable[i], NULL) != RK_OK) {
            return rk_diag_set(why, RK_ERR_FORMAT, "no global variable %s", path);
        }
        if (b->variable[i].kind != kind_of(&r->list[i], r->number)) {
            return rk_diag_set(why, RK_ERR_FORMAT, "%s is of another type", path);
        }
    }
    return RK_OK;
}

/* To the microsecond, as the text writes it. */
static double written(double seconds)
{
    return floor((seconds * 1e6) + 0.5) / 1e6;
}

/* A task that is there has the scan as its interval. */
static rk_status check_task(bench *b, rk_diag *why)
{
    const double wanted = written(b->reference.loop->ts);

    b->interval = wanted;
    if (rk_plc_interval(b->plc, b->type, &b->interval) != RK_OK) {
        if (b->reference.loop->program.configuration == RK_NO) return RK_OK;
        return refuse(why, "no task runs the program");
    }
    if (b->interval == wanted) return RK_OK;
    return rk_diag_set(why, RK_ERR_FORMAT,
                       "the task's interval is %.9g s, the loop's scan %.9g s", b->interval,
                       wanted);
}

static double now(const rk_plc_variable *v)
{
    return v->kind == RK_PLC_REAL || v->kind == RK_PLC_LREAL ? v->at->real
                                                             : (double)v->at->whole;
}

static void set(bench *b, int i, double value)
{
    rk_plc_variable *v = &b->variable[i];

    if (v->kind == RK_PLC_REAL) {
        value = (double)(float)value;
    }
    b->reference.variable[i] = value;
    if (v->kind == RK_PLC_REAL || v->kind == RK_PLC_LREAL) {
        v->at->real = value;
    } else {
        v->at->whole = (int64_t)value;
    }
}

/* A hand sets a variable when what it wants changes; the program has some of them too. */
static void give_at(bench *b, int at, double value)
{
    const bool same =
        at >= 0 && (b->given[at] == value || (isnan(value) && isnan(b->given[at])));

    if (at < 0 || same) return;
    b->given[at] = value;
    set(b, at, value);
}

static void give(bench *b, rki_word word, double value)
{
    give_at(b, b->reference.place[word], value);
}

static void give_pins(bench *b, const rk_rig_pin *pin, const int *place, const void *of)
{
    for (; pin->name != NULL; pin++, place++) {
        give_at(b, *place, rk_rig_pin_get(pin, of));
    }
}

/* A channel counts what it can. */
static double counts_of(const rk_design *loop, double pv)
{
    const double *raw = loop->program.pv_raw;
    const double part = (raw[1] - raw[0]) / (loop->pv_high - loop->pv_low);
    const double counts = raw[0] + ((pv - loop->pv_low) * part);
    const bool small = raw[0] >= -32768.0 && raw[1] <= 32767.0;
    const double most = small ? 32767.0 : RK_RAW_MOST;

    return isfinite(counts) ? nearbyint(fmax(fmin(counts, most), -most)) : most;
}

static void give_all(bench *b)
{
    const rki_scene *s = &b->scene;
    double value = 0;
    int turn, at;

    give_pins(b, rk_rig_setting_pins, b->reference.setting, &s->settings);
    give_pins(b, rk_rig_input_pins, b->input, &s->in);
    give(b, RKI_SIMULATE, s->simulate);
    give(b, RKI_LOAD, s->load);
    if (!isnan(s->loop->program.pv_raw[0])) {
        give(b, RKI_PV_RAW, counts_of(s->loop, s->in.pv));
    }
    for (turn = 0; (at = rki_port_side_hand(&b->port, &b->reference, turn, &value)) >= 0;
         turn++) {
        set(b, at, value);
    }
}

static rk_status restart(bench *b, bool warm, rk_diag *diag)
{
    int i;

    rk_plc_restart(b->plc, warm);
    rk_plc_instance_restart(b->program, warm);
    if (b->side != NULL) {
        rk_plc_instance_restart(b->side, warm);
    }
    rki_port_side_restart(&b->port, &b->reference);
    for (i = 0; i < b->reference.variables; i++) {
        b->given[i] = nan(""); /* hands begin anew */
    }
    return rki_reference_restart(&b->reference, warm, diag);
}

/* Every variable, after a scan, a start or nothing yet. */
static void compare(bench *b, rk_proof_part *part)
{
    const rki_reference *r = &b->reference;
    bool differs = false;
    int i;

    for (i = 0; i < r->variables; i++) {
        const double wanted = r->variable[i], got = now(&b->variable[i]);

        if (rki_same(wanted, got)) continue;
        if (i == r->place[RKI_OUT]) {
            const double apart = fabs(wanted - got);

            part->worst = fmax(part->worst, isnan(apart) ? HUGE_VAL : apart);
        }
        if (!differs && part->mismatches == 0) {
            part->first = part->scans;
            (void)snprintf(part->pin, sizeof part->pin, "%s", r->list[i].name);
            part->wanted = wanted;
            part->got = got;
            part->sp = rki_reference_get(r, RKI_SP);
            part->pv = rki_reference_get(r, RKI_PV);
            part->automatic = rki_reference_get(r, RKI_AUTOMATIC) != 0;
        }
        differs = true;
    }
    part->mismatches += differs;
    part->scans++;
}

/* So many scans of the configuration's own task, before anybody touches anything. */
enum { TASK_SCANS = 40 };

static rk_status run_task(bench *b, rk_proof_part *part, rk_diag *why)
{
    rk_status status = RK_OK;
    double interval;
    int i;

    compare(b, part); /* the initial values */
    if (rk_plc_interval(b->plc, b->type, &interval) != RK_OK) return RK_OK;
    for (i = 0; i < TASK_SCANS && status == RK_OK; i++) {
        status = rk_plc_run(b->plc, b->interval, why);
        rki_port_side_scan(&b->port, &b->reference);
        rki_reference_scan(&b->reference, i * b->interval);
        compare(b, part);
    }
    return status;
}

static rk_status run_scans(bench *b, const rk_prove_plan *plan, rk_proof_part *part,
                           rk_diag *why)
{
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < plan->scans && status == RK_OK; i++) {
        if (plan->brief && part->mismatches > 0) return RK_OK;
        if (i == 0 || b->scene.start != RKI_RUNS) {
            status = restart(b, i > 0 && b->scene.start == RKI_WARM, why);
            if (status != RK_OK) return status;
            compare(b, part);
        }
        give_all(b);
        b->clock += b->interval * (b->scene.late ? 3.0 : 1.0);
        rk_plc_set_clock(b->plc, b->clock);
        if (b->side != NULL) {
            status = rk_plc_scan(b->plc, b->side, why);
        }
        if (status == RK_OK) {
            status = rk_plc_scan(b->plc, b->program, why);
        }
        rki_port_side_scan(&b->port, &b->reference);
        rki_reference_scan(&b->reference, b->clock);
        compare(b, part);
        rki_scene_next(&b->scene, rki_reference_get(&b->reference, RKI_OUT));
    }
    return status;
}

rk_number rki_number_of_program(const char *text)
{
    return strstr(text, "LOOP_CONTROLLER_REAL") != NULL ? RK_NUMBER_REAL : RK_NUMBER_LREAL;
}

rk_status rki_run_program(const rk_design *loop, const rk_program *program,
                          const rk_prove_plan *plan, rk_proof_part *part, rk_diag *diag)
{
    bench b = {.clock = 0};
    rk_diag why = {RK_OK, ""};
    rk_status status;

    part->number = rki_number_of_program(program->text[RK_PROGRAM_PROGRAM]);
    status = rki_reference_make(loop, part->number, &b.reference, diag);
    rki_reference_places(&b.reference, rk_rig_input_pins, b.input);
    b.port = rki_port_side_make(&b.reference);
    if (status == RK_OK) {
        status = rki_scene_make(loop, part->number, 2026, &b.scene, diag);
    }
    if (status == RK_OK) {
        status = load(&b, program, &why);
        if (status == RK_OK) {
            status = find_variables(&b, &why);
        }
        if (status == RK_OK) {
            status = check_task(&b, &why);
        }
        if (status == RK_OK) {
            status = run_task(&b, part, &why);
        }
        if (status == RK_OK) {
            status = run_scans(&b, plan, part, &why);
        }
        part->ran = status == RK_OK;
        if (status != RK_OK && status != RK_ERR_MEMORY) {
            (void)snprintf(part->refused, sizeof part->refused, "%s", why.text);
            status = RK_OK;
        }
    }
    rki_scene_free(&b.scene);
    rki_reference_free(&b.reference);
    rk_plc_free(b.plc);
    return status == RK_ERR_MEMORY ? rk_diag_set(diag, status, "out of memory") : status;
}
