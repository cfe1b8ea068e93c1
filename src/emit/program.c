/* SPDX-License-Identifier: MIT */
/* The program around the function block that is the same for all loops. */
#include "program.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

/* The task's interval is measured over so many scans, and is right within this part. */
enum { WATCHED_SCANS = 16 };
#define WATCHED_TOLERANCE 0.1

/* A scan this many intervals after the one before is late, and then counts as two. */
#define LATE 1.5
#define COUNTED 2.0

void rki_time(double seconds, char chars[32])
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
    status = rki_settings_make(loop, number, false, &made->settings, &made->over_region, diag);
    if (status == RK_OK) {
        status = rki_general_defaults(&made->defaults, diag);
    }
    if (status == RK_OK && made->has_twin) {
        status = rki_twin_make(loop, number, &made->twin, diag);
    }
    if (status != RK_OK) return status;
    rki_name(loop, "", made->prefix);
    rki_time(loop->ts, made->interval);
    rki_list_globals(made);
    return RK_OK;
}

void rki_add_wired(rk_text *text, const rki_project *p, const char *lines)
{
    for (; *lines != '\0'; lines++) {
        if (*lines == '@') {
            rk_text_add(text, "%s_", p->prefix);
        } else {
            rk_text_add_bytes(text, lines, 1);
        }
    }
}

static bool has_global(const rki_project *p, const char *word)
{
    int i;

    for (i = 0; i < p->globals; i++) {
        if (strcmp(p->global[i].word, word) == 0) return true;
    }
    return false;
}

static void add_interval_check(rk_text *text, const rki_project *p)
{
    char low[32], high[32], most[32], late[32], twice[32];
    const double expected = WATCHED_SCANS * p->loop->ts;

    rki_time((1.0 - WATCHED_TOLERANCE) * expected, low);
    rki_time((1.0 + WATCHED_TOLERANCE) * expected, high);
    rki_time(4.0 * expected, most);
    rki_time(LATE * p->loop->ts, late);
    rki_time(4.0 * p->loop->ts, twice);
    rk_text_add(text,
                "(* Is the task's interval the scan of %g s? Measured over %d scans, *)\n",
                p->loop->ts, (int)WATCHED_SCANS);
    rk_text_add(text, "IF scans = 0 THEN watch(IN := FALSE, PT := %s); END_IF;\n", most);
    rk_text_add(text, "watch(IN := TRUE, PT := %s);\n", most);
    rk_text_add(text, "IF scans < %d THEN\n    scans := scans + 1;\nELSE\n",
                (int)WATCHED_SCANS);
    rk_text_add(text, "    %s_scan_wrong := (watch.ET < %s) OR (watch.ET > %s);\n", p->prefix,
                low, high);
    rk_text_add(text, "    scans := 0;\nEND_IF;\n"
                      "(* and in each: a late one counts as two. *)\n");
    rk_text_add(text, "since(IN := TRUE, PT := %s);\nelapsed := LREAL#0.0;\n", twice);
    rk_text_add(text, "IF since.ET > %s THEN elapsed := ", late);
    rki_add_literal(text, COUNTED * p->loop->ts, p->number);
    rk_text_add(text,
                "; END_IF;\nsince(IN := FALSE, PT := %s);\nsince(IN := TRUE, PT := %s);\n\n",
                twice, twice);
}

static void add_number(rk_text *text, const rki_project *p, double value)
{
    rki_add_literal(text, value, p->number);
}

/* The measured value from the channel's counts. */
static void add_pv(rk_text *text, const rki_project *p)
{
    const rk_design *loop = p->loop;
    const double *raw = loop->program.pv_raw;

    if (!has_global(p, "pv_raw")) return;
    rki_add_wired(text, p, "(* From the channel's counts. *)\n@pv := ");
    add_number(text, p, loop->pv_low);
    rk_text_add(text, " + ((%s_TO_LREAL(%s_pv_raw) - ", rki_raw_type(raw), p->prefix);
    add_number(text, p, raw[0]);
    rk_text_add(text, ") * ");
    add_number(text, p, (loop->pv_high - loop->pv_low) / (raw[1] - raw[0]));
    rk_text_add(text, ");\n");
}

/* Within the channel's range, whatever OUT's limits are set to. */
static void add_out(rk_text *text, const rki_project *p, const char *lead)
{
    const rk_design *loop = p->loop;
    const double *raw = loop->program.out_raw;

    if (!has_global(p, "out_raw")) return;
    rk_text_add(text, "%scounts := ", lead);
    add_number(text, p, raw[0]);
    rk_text_add(text, " + ((%s_out - ", p->prefix);
    add_number(text, p, loop->out_low);
    rk_text_add(text, ") * ");
    add_number(text, p, (raw[1] - raw[0]) / (loop->out_high - loop->out_low));
    rk_text_add(text, ");\n%sIF counts < ", lead);
    add_number(text, p, raw[0]);
    rk_text_add(text, " THEN counts := ");
    add_number(text, p, raw[0]);
    rk_text_add(text, "; END_IF;\n%sIF counts > ", lead);
    add_number(text, p, raw[1]);
    rk_text_add(text, " THEN counts := ");
    add_number(text, p, raw[1]);
    rk_text_add(text, "; END_IF;\n%s%s_out_raw := LREAL_TO_%s(counts);\n", lead, p->prefix,
                rki_raw_type(raw));
}

/* A start, and what simulation changes: the controller begins anew, where OUT stands. */
static void add_start(rk_text *text, const rki_project *p)
{
    const rk_warm_start warm = p->loop->program.warm_start;

    rki_add_wired(
        text, p,
        "(* A cold start is in manual at the safe output; a warm one stands where OUT "
        "stood. *)\n"
        "IF NOT begun THEN\n"
        "    IF NOT @ran THEN\n"
        "        @out := @out_safe;\n"
        "        @automatic := FALSE;\n");
    if (warm != RK_WARM_START_AS_IT_WAS) {
        rki_add_wired(text, p, "    ELSE\n        @automatic := ");
        rk_text_add(text, warm == RK_WARM_START_AUTOMATIC ? "TRUE;\n" : "FALSE;\n");
    }
    rki_add_wired(text, p, "    END_IF;\n    @ran := TRUE;\nEND_IF;\n");
    rki_add_wired(text, p,
                  "known := @valve_known AND ((@valve_out - @valve_out) = LREAL#0.0);\n"
                  "stands := @out;\n"
                  "IF known THEN stands := @valve_out; END_IF;\n");
    if (p->has_twin) {
        rki_add_wired(
            text, p,
            "(* Simulation freezes OUT. Behind it the loop is in manual where the valve "
            "stands. *)\n"
            "turned := @simulate XOR simulated;\n"
            "simulated := @simulate;\n"
            "IF turned AND NOT simulated THEN @automatic := FALSE; END_IF;\n"
            "anew := turned OR NOT begun OR NOT controller.started;\n");
    } else {
        rk_text_add(text, "anew := NOT begun OR NOT controller.started;\n");
    }
    rk_text_add(text, "begun := TRUE;\n");
    rki_add_wired(text, p,
                  "measured := @pv;\n"
                  "measured_good := @pv_good;\n");
    if (p->has_twin) {
        rk_text_add(text, "IF simulated THEN\n"
                          "    IF turned THEN plant(restart := TRUE); END_IF;\n"
                          "    measured := plant.pv;\n"
                          "    measured_good := TRUE;\n"
                          "    known := FALSE;\n"
                          "    IF anew THEN stands := ");
        add_number(text, p, p->twin.params.out0);
        rk_text_add(text, "; END_IF;\nEND_IF;\n");
    }
    rki_add_wired(text, p,
                  "IF anew THEN\n"
                  "    IF @out_low < @out_high THEN\n"
                  "        IF stands < @out_low THEN stands := @out_low; END_IF;\n"
                  "        IF stands > @out_high THEN stands := @out_high; END_IF;\n"
                  "    END_IF;\n"
                  "    @manual_out := stands;\n"
                  "END_IF;\n");
}

static void add_predictor_call(rk_text *text, const rki_project *p)
{
    if (!p->controller.predictor) return;
    rk_text_add(text, "(* The predictor follows OUT where it stands. *)\n"
                      "followed := controller.out;\n"
                      "IF anew OR known THEN followed := stands; END_IF;\n"
                      "predictor(out := followed, restart := anew);\n");
}

/* The settings: from a global, or as a number where the block's own default is another. */
static void add_settings(rk_text *text, const rki_project *p)
{
    const rk_rig_pin *pin;
    int i;

    for (pin = rk_rig_setting_pins; pin->name != NULL; pin++) {
        const double value = rk_rig_pin_get(pin, &p->settings);
        const char *global = NULL;

        for (i = 0; i < p->globals; i++) {
            if (strcmp(rk_emit_pin_of(p->global[i].word), pin->name) == 0) {
                global = p->global[i].name;
            }
        }
        if (global != NULL) {
            rk_text_add(text, ",\n    %s := %s", pin->name, global);
        } else if (value != rk_rig_pin_get(pin, &p->defaults)) {
            rk_text_add(text, ",\n    %s := ", pin->name);
            if (pin->kind == RK_RIG_REAL) {
                add_number(text, p, value);
            } else if (pin->kind == RK_RIG_INT) {
                rk_text_add(text, "%.0f", value);
            } else {
                rk_text_add(text, value != 0 ? "TRUE" : "FALSE");
            }
        }
    }
}

static void add_call(rk_text *text, const rki_project *p)
{
    rki_add_wired(text, p,
                  "controller(\n"
                  "    sp := @sp,\n"
                  "    pv := measured,\n"
                  "    pv_good := measured_good,\n"
                  "    automatic := @automatic,\n"
                  "    manual_out := @manual_out,\n"
                  "    tracking := @tracking,\n"
                  "    track_out := @track_out,\n"
                  "    valve_known := known OR anew,\n"
                  "    valve_out := stands,\n"
                  "    applied_known := @applied_on,\n"
                  "    applied := @applied,\n"
                  "    feedforward := @feedforward,\n"
                  "    elapsed := elapsed,\n");
    if (p->controller.predictor) {
        rk_text_add(text, "    predicting := TRUE,\n"
                          "    pv_undelayed := predictor.pv_undelayed,\n"
                          "    pv_delayed := predictor.pv_delayed,\n");
    }
    rk_text_add(text, "    restart := anew");
    add_settings(text, p);
    rk_text_add(text, ");\n");
}

static void add_answers(rk_text *text, const rki_project *p)
{
    const rk_rig_pin *pin;

    rki_add_wired(text, p,
                  "(* Manual starts from the output that stands. *)\n"
                  "IF controller.mode <> 0 THEN @manual_out := controller.out; END_IF;\n");
    if (p->has_twin) {
        rki_add_wired(text, p,
                      "IF simulated THEN\n"
                      "    plant(out := controller.out, load := @load, restart := FALSE);\n"
                      "    @sim_out := controller.out;\n"
                      "    @sim_pv := plant.pv;\n"
                      "ELSE\n"
                      "    @out := controller.out;\n"
                      "END_IF;\n");
    } else {
        rki_add_wired(text, p, "@out := controller.out;\n");
    }
    add_out(text, p, "");
    for (pin = rk_rig_output_pins; pin->name != NULL; pin++) {
        if (has_global(p, pin->name) && strcmp(pin->name, "out") != 0) {
            rk_text_add(text, "%s_%s := controller.%s;\n", p->prefix, pin->name, pin->name);
        }
    }
}

static void add_locals(rki_block *b, const rki_project *p)
{
    const char *pv = p->loop->pv_units, *out = p->loop->out_units;

    rki_block_pin(b, RKI_LOCALS, "controller", rki_general_name(p->number), NULL, NULL);
    if (p->controller.predictor) {
        char type[RK_BLOCK_NAME_CHARS];

        rki_name(p->loop, "_PREDICTOR", type);
        rki_block_pin(b, RKI_LOCALS, "predictor", type, NULL, "of the dead time");
        rki_block_number(b, RKI_LOCALS, "followed", nan(""), "what it follows", out);
    }
    if (p->has_twin) {
        rki_block_pin(b, RKI_LOCALS, "plant", p->twin.upper_name, NULL, "the twin");
        rki_block_pin(b, RKI_LOCALS, "simulated", "BOOL", "FALSE", "the last scan was");
        rki_block_pin(b, RKI_LOCALS, "turned", "BOOL", NULL, "simulation goes on or off");
    }
    rki_block_pin(b, RKI_LOCALS, "begun", "BOOL", "FALSE", "the first scan is behind us");
    rki_block_pin(b, RKI_LOCALS, "anew", "BOOL", NULL, "the controller begins anew");
    rki_block_pin(b, RKI_LOCALS, "known", "BOOL", NULL, "the valve is read back");
    rki_block_number(b, RKI_LOCALS, "stands", nan(""), "where OUT stands", out);
    rki_block_number(b, RKI_LOCALS, "measured", nan(""), "the PV that is controlled", pv);
    rki_block_pin(b, RKI_LOCALS, "measured_good", "BOOL", NULL, "it is good");
    if (has_global(p, "out_raw")) {
        rki_block_number(b, RKI_LOCALS, "counts", nan(""), "of the output channel", "");
    }
    rki_block_pin(b, RKI_LOCALS, "watch", "TON", NULL, "of the task's interval");
    rki_block_pin(b, RKI_LOCALS, "scans", "DINT", "0", "since it began");
    rki_block_pin(b, RKI_LOCALS, "since", "TON", NULL, "the last scan");
    rki_block_number(b, RKI_LOCALS, "elapsed", nan(""), "0: as long as a scan", "s");
}

rki_block rki_program_block(const rki_project *p)
{
    char name[RK_BLOCK_NAME_CHARS];
    rki_block b;
    int i;

    rki_name(p->loop, "_PROGRAM", name);
    b = rki_block_make(name, true, p->number);
    for (i = 0; i < p->globals; i++) {
        rki_block_pin(&b, RKI_EXTERNALS, p->global[i].name, p->global[i].type, NULL, NULL);
    }
    add_locals(&b, p);
    add_interval_check(b.body, p);
    add_pv(b.body, p);
    add_start(b.body, p);
    add_predictor_call(b.body, p);
    add_call(b.body, p);
    add_answers(b.body, p);
    return b;
}
