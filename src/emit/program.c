/* SPDX-License-Identifier: MIT */
#include "program.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/version.h>

/* The task's interval is measured over so many scans, and is right within this part. */
enum { WATCHED_SCANS = 16 };
#define WATCHED_TOLERANCE 0.1

static void add_global(rki_project *p, const char *name, const char *type, bool retain,
                       double initial, const char *meaning, const char *units)
{
    rki_global *g = &p->global[p->globals++];

    (void)snprintf(g->name, sizeof g->name, "%s_%s", p->prefix, name);
    g->type = type;
    g->retain = retain;
    g->initial = initial;
    g->low = g->high = nan("");
    g->meaning = meaning;
    g->units = units;
}

static void give_range(rki_project *p, double low, double high)
{
    p->global[p->globals - 1].low = low;
    p->global[p->globals - 1].high = high;
}

/* Where the setpoint stands before anybody sets it. */
static double first_setpoint(const rk_design *loop)
{
    if (loop->has_model) return loop->model.pv0;
    return isnan(loop->pv_low) ? 0.0 : 0.5 * (loop->pv_low + loop->pv_high);
}

static void list_globals(rki_project *p)
{
    const rk_design *loop = p->loop;
    const char *pv_units = loop->pv_units, *out_units = loop->out_units;
    const double sp = first_setpoint(loop);

    add_global(p, "sp", "LREAL", true, sp, "setpoint", pv_units);
    give_range(p, loop->pv_low, loop->pv_high);
    add_global(p, "sp_rate", "LREAL", true, 0.0, "fastest ramp of the setpoint per s; 0: steps",
               pv_units);
    add_global(p, "pv", "LREAL", false, sp, "measured value, from the transmitter", pv_units);
    give_range(p, loop->pv_low, loop->pv_high);
    add_global(p, "automatic", "BOOL", true, 0, "TRUE automatic, FALSE manual", "");
    add_global(p, "manual_out", "LREAL", true, p->controller.out_start, "output in manual",
               out_units);
    give_range(p, loop->out_low, loop->out_high);
    add_global(p, "out", "LREAL", true, p->controller.out_start, "output, to the valve",
               out_units);
    give_range(p, loop->out_low, loop->out_high);
    add_global(p, "held", "BOOL", false, 0,
               "sp or pv is NaN or infinite: automatic holds the output", "");
    add_global(p, "interval_wrong", "BOOL", false, 0,
               "the task does not run at the scan that the controller was made for", "");
    if (p->has_twin) {
        add_global(p, "simulate", "BOOL", false, 0,
                   "TRUE: control the plant twin instead of the plant", "");
        add_global(p, "load", "LREAL", false, 0.0, "a disturbance of the twin, at its input",
                   out_units);
    }
}

/* A time to the microsecond: T#1500.5ms. */
static void write_time(double seconds, char chars[32])
{
    const double us = floor((seconds * 1e6) + 0.5);
    const long long whole = (long long)(us / 1e3),
                    part = (long long)(us - (1e3 * (double)whole));

    if (part > 0) {
        (void)snprintf(chars, 32, "T#%lld.%03lldms", whole, part);
    } else {
        (void)snprintf(chars, 32, "T#%lldms", whole);
    }
}

/* A PLC's TIME resolves microseconds at best, and often milliseconds. */
#define INTERVAL_LEAST 1e-4

rk_status rki_project_make(const rk_design *loop, rk_number number, rki_project *made,
                           rk_diag *diag)
{
    rk_status status;

    rk_diag_clear(diag);
    memset(made, 0, sizeof *made);
    status = rki_controller_make(loop, number, &made->controller, diag);
    if (status != RK_OK) return status;
    if (!(loop->ts >= INTERVAL_LEAST)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a scan of %g s is shorter than a PLC task's interval can be",
                           loop->ts);
    }
    made->loop = loop;
    made->number = number;
    made->has_twin = loop->has_model;
    made->fails_safe = isfinite(loop->alarms.hold) && isfinite(loop->out_safe);
    if (made->has_twin) {
        status = rki_twin_make(loop, number, &made->twin, diag);
        if (status != RK_OK) return status;
    }
    rki_block_name(loop, "", made->prefix);
    rki_upper(made->prefix, made->upper_prefix);
    write_time(loop->ts, made->interval);
    list_globals(made);
    return RK_OK;
}

void rki_global_initial(const rki_global *g, rk_number number, char chars[RK_REAL_CHARS + 8])
{
    char value[RK_REAL_CHARS];

    if (strcmp(g->type, "BOOL") == 0) {
        (void)strcpy(chars, g->initial != 0 ? "TRUE" : "FALSE");
        return;
    }
    rki_format(number == RK_NUMBER_REAL ? (double)(float)g->initial : g->initial, number,
               value);
    (void)snprintf(chars, RK_REAL_CHARS + 8, "LREAL#%s", value);
}

static rki_block named_block(const rki_project *p, const char *ending, bool program)
{
    char name[RK_BLOCK_NAME_CHARS];

    (void)snprintf(name, sizeof name, "%.60s%s", p->upper_prefix, ending);
    return rki_block_make(name, program, p->number);
}

rki_block rki_ramp_block(const rki_project *p)
{
    rki_block b = named_block(p, "_RAMP", false);
    const char *units = p->loop->pv_units;

    rki_block_number(&b, RKI_INPUTS, "target", nan(""), "where it goes", units);
    rki_block_number(&b, RKI_INPUTS, "rate", 0.0, "how fast per s; 0: at once", units);
    rki_block_number(&b, RKI_INPUTS, "start", nan(""), "the output while it follows", units);
    rki_block_pin(&b, RKI_INPUTS, "follow", "BOOL", "FALSE", "stand at start");
    rki_block_number(&b, RKI_OUTPUTS, "ramped", nan(""), "where it is", units);
    rki_block_number(&b, RKI_CONSTANTS, "scan", p->loop->ts, "the task's interval", "s");
    rki_block_number(&b, RKI_LOCALS, "most", nan(""), "what it moves in a scan", units);
    rki_block_pin(&b, RKI_LOCALS, "begun", "BOOL", "FALSE", "the output is known");
    rk_text_add(b.body, "(* A start or target that is NaN or infinite: it stays. *)\n"
                        "IF (follow OR NOT begun) AND ((start - start) = LREAL#0.0) THEN\n"
                        "    ramped := start;\n"
                        "    begun := TRUE;\n"
                        "END_IF;\n"
                        "IF NOT follow AND ((target - target) = LREAL#0.0) THEN\n"
                        "    most := rate * scan;\n"
                        "    IF NOT (most > LREAL#0.0) THEN ramped := target;\n"
                        "    ELSIF target < (ramped - most) THEN ramped := ramped - most;\n"
                        "    ELSIF target > (ramped + most) THEN ramped := ramped + most;\n"
                        "    ELSE ramped := target;\n"
                        "    END_IF;\n"
                        "END_IF;\n");
    return b;
}

/* @ stands for the loop's prefix. */
static void add_wired(rk_text *text, const rki_project *p, const char *lines)
{
    for (; *lines != '\0'; lines++) {
        if (*lines == '@') {
            rk_text_add(text, "%s_", p->prefix);
        } else {
            rk_text_add_bytes(text, lines, 1);
        }
    }
}

static void add_interval_check(rk_text *text, const rki_project *p)
{
    char low[32], high[32], most[32];
    const double expected = WATCHED_SCANS * p->loop->ts;

    write_time((1.0 - WATCHED_TOLERANCE) * expected, low);
    write_time((1.0 + WATCHED_TOLERANCE) * expected, high);
    write_time(4.0 * expected, most);
    rk_text_add(text,
                "(* Is the task's interval the scan of %g s? Measured over %d scans. *)\n",
                p->loop->ts, (int)WATCHED_SCANS);
    rk_text_add(text, "IF scans = 0 THEN watch(IN := FALSE, PT := %s); END_IF;\n", most);
    rk_text_add(text, "watch(IN := TRUE, PT := %s);\n", most);
    rk_text_add(text, "IF scans < %d THEN\n    scans := scans + 1;\nELSE\n",
                (int)WATCHED_SCANS);
    rk_text_add(text, "    %s_interval_wrong := (watch.ET < %s) OR (watch.ET > %s);\n",
                p->prefix, low, high);
    rk_text_add(text, "    scans := 0;\nEND_IF;\n\n");
}

/* More scans than these are as good as for ever, and a DINT counts them. */
#define SCANS_MOST 2e9

static void add_safety(rki_block *b, const rki_project *p)
{
    const rk_design *loop = p->loop;
    char scans[32], comment[96];

    rki_block_number(b, RKI_CONSTANTS, "out_safe", loop->out_safe,
                     "where OUT goes when control fails", loop->out_units);
    (void)snprintf(scans, sizeof scans, "%.0f",
                   fmin(floor((loop->alarms.hold / loop->ts) + 1e-9), SCANS_MOST));
    (void)snprintf(comment, sizeof comment, "OUT is held so long first: %.9g s",
                   loop->alarms.hold);
    rki_block_pin(b, RKI_CONSTANTS, "hold_scans", "DINT", scans, comment);
    rki_block_pin(b, RKI_LOCALS, "without", "DINT", "0", "scans without a good PV");
    rki_block_pin(b, RKI_LOCALS, "failed", "BOOL", "FALSE", NULL);
}

rki_block rki_program_block(const rki_project *p)
{
    rki_block b = named_block(p, "_PROGRAM", true);
    char type[RK_BLOCK_NAME_CHARS + 16];
    int i;

    for (i = 0; i < p->globals; i++) {
        const rki_global *g = &p->global[i];

        rki_block_pin(&b, RKI_EXTERNALS, g->name, g->type, NULL, NULL);
    }
    (void)snprintf(type, sizeof type, "%s_RAMP", p->upper_prefix);
    rki_block_pin(&b, RKI_LOCALS, "ramp", type, NULL, "of the setpoint");
    rki_block_pin(&b, RKI_LOCALS, "controller", p->controller.upper_name, NULL, NULL);
    if (p->has_twin) {
        rki_block_pin(&b, RKI_LOCALS, "plant", p->twin.upper_name, NULL, "the twin");
    }
    rki_block_pin(&b, RKI_LOCALS, "watch", "TON", NULL, "of the task's interval");
    rki_block_pin(&b, RKI_LOCALS, "scans", "DINT", "0", NULL);
    if (p->fails_safe) {
        add_safety(&b, p);
    }
    rki_block_number(&b, RKI_LOCALS, "seen", nan(""), "the PV that is controlled",
                     p->loop->pv_units);
    add_interval_check(b.body, p);
    add_wired(b.body, p, "seen := @pv;\n");
    if (p->has_twin) {
        add_wired(b.body, p, "IF @simulate THEN seen := plant.pv; END_IF;\n");
    }
    add_wired(b.body, p,
              "(* In manual a ramp waits at the PV; without one the controller waits at the "
              "setpoint. *)\n"
              "ramp(target := @sp, rate := @sp_rate, start := seen,\n"
              "    follow := NOT @automatic AND (@sp_rate > LREAL#0.0));\n");
    if (p->fails_safe) {
        add_wired(
            b.body, p,
            "(* Held too long without a good PV: to the safe output, until PV is back. *)\n"
            "IF NOT (@held AND @automatic) THEN without := 0;\n"
            "ELSIF without <= hold_scans THEN without := without + 1;\n"
            "END_IF;\n"
            "failed := without > hold_scans;\n");
    }
    add_wired(b.body, p,
              "(* The output that was written last stands on the valve at a warm start. *)\n");
    add_wired(
        b.body, p,
        p->fails_safe
            ? "controller(sp := ramp.ramped, pv := seen, automatic := @automatic AND NOT "
              "failed,\n"
              "    manual_out := SEL(failed, @manual_out, out_safe), out_start := @out);\n"
            : "controller(sp := ramp.ramped, pv := seen, automatic := @automatic,\n"
              "    manual_out := @manual_out, out_start := @out);\n");
    add_wired(b.body, p,
              "@out := controller.out;\n"
              "@held := controller.held;\n"
              "(* Manual starts from the output that stands. *)\n"
              "IF @automatic THEN @manual_out := @out; END_IF;\n");
    if (p->has_twin) {
        add_wired(b.body, p, "IF @simulate THEN plant(out := @out, load := @load); END_IF;\n");
    }
    return b;
}

static void add_globals(rk_text *code, const rki_project *p, bool retain)
{
    char initial[RK_REAL_CHARS + 8];
    int i;

    rk_text_add(code, "VAR_GLOBAL%s\n", retain ? " RETAIN" : "");
    for (i = 0; i < p->globals; i++) {
        const rki_global *g = &p->global[i];

        if (g->retain != retain) continue;
        rki_global_initial(g, p->number, initial);
        rk_text_add(code, "    %s : %s := %s; (* %s%s", g->name, g->type, initial, g->meaning,
                    g->units[0] != '\0' ? ", " : "");
        rki_add_plain(code, g->units);
        if (isfinite(g->low) && isfinite(g->high)) {
            rk_text_add(code, ", %.9g to %.9g", g->low, g->high);
        }
        rk_text_add(code, " *)\n");
    }
    rk_text_add(code, "END_VAR\n");
}

rk_status rk_emit_program_st(const rk_design *loop, rk_number number, rk_text *text,
                             rk_diag *diag)
{
    rki_project p;
    rki_block ramp, program;
    rk_text *code;
    rk_status status = rki_project_make(loop, number, &p, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    rki_add_line(text, "  ", "The program that wires the loop's blocks, and its task.");
    status = rki_add_provenance(text, &p.controller, "  ", diag);
    if (status != RK_OK) return status;
    rk_text_add(
        text,
        "\n  IEC 61131-3 Structured Text. Connect %s_pv to the transmitter and %s_out to the "
        "valve.\n  A cold start is in manual; a warm one goes on where it was.\n*)\n",
        p.prefix, p.prefix);
    ramp = rki_ramp_block(&p);
    program = rki_program_block(&p);
    rki_block_add_st(text, &ramp);
    rk_text_add(text, "\n");
    rki_block_add_st(text, &program);
    rki_block_free(&ramp);
    rki_block_free(&program);
    code = rk_text_create();
    rk_text_add(code, "\nCONFIGURATION %s_CONFIGURATION\n", p.upper_prefix);
    add_globals(code, &p, true);
    add_globals(code, &p, false);
    rk_text_add(code,
                "RESOURCE %s_RESOURCE ON PLC\n"
                "    (* The interval is the scan that the controller was made for: %g s. *)\n"
                "    TASK %s_TASK(INTERVAL := %s, PRIORITY := 1);\n"
                "    PROGRAM %s_loop WITH %s_TASK : %s;\n"
                "END_RESOURCE\nEND_CONFIGURATION\n",
                p.upper_prefix, loop->ts, p.upper_prefix, p.interval, p.prefix, p.upper_prefix,
                program.name);
    rki_add_st_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}

static void add_cell(rk_text *text, double value)
{
    rk_text_add(text, ",");
    if (isfinite(value)) {
        rk_text_add_real(text, value);
    }
}

rk_status rk_emit_variables(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    rki_project p;
    int i;
    const rk_status status = rki_project_make(loop, number, &p, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "name,type,unit,low,high,initial,retain,meaning\r\n");
    for (i = 0; i < p.globals; i++) {
        const rki_global *g = &p.global[i];
        const bool boolean = strcmp(g->type, "BOOL") == 0;

        rk_text_add(text, "%s,%s,", g->name,
                    !boolean && number == RK_NUMBER_REAL ? "REAL" : g->type);
        rk_text_add_csv(text, g->units);
        add_cell(text, g->low);
        add_cell(text, g->high);
        if (boolean) {
            rk_text_add(text, g->initial != 0 ? ",TRUE" : ",FALSE");
        } else {
            add_cell(text, g->initial);
        }
        rk_text_add(text, ",%s,", g->retain ? "yes" : "no");
        rk_text_add_csv(text, g->meaning);
        rk_text_add(text, "\r\n");
    }
    return rk_text_check(text, diag);
}

void rk_emit_prefix(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    rki_block_name(loop, "", name);
}
