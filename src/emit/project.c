/* SPDX-License-Identifier: MIT */
/* A loop's program as a file: its blocks, the program, the variables, the task. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "program.h"

/* " (* meaning, units, low to high; AT %IW..: its address *)" */
static void add_meaning(rk_text *code, const rk_variable *g)
{
    rk_text_add(code, " (* %s", g->meaning);
    if (g->units[0] != '\0') {
        rk_text_add(code, ", ");
        rki_add_plain(code, g->units);
    }
    if (isfinite(g->low) && isfinite(g->high)) {
        rk_text_add(code, ", %.6g to %.6g", g->low, g->high);
    }
    if (g->note[0] != '\0') {
        rk_text_add(code, "; map it to %s", g->note);
    }
    if (g->at == NULL) {
        rk_text_add(code, "; put the channel's address here: AT %%..");
    }
    rk_text_add(code, " *)\n");
}

static void add_globals(rk_text *code, const rki_project *p, bool retain)
{
    char initial[RK_REAL_CHARS + 8];
    int i;

    rk_text_add(code, "VAR_GLOBAL%s\n", retain ? " RETAIN" : "");
    for (i = 0; i < p->globals; i++) {
        const rk_variable *g = &p->global[i];

        if (g->retain != retain) continue;
        rki_global_initial(g, p->number, initial);
        rk_text_add(code, "    %s", g->name);
        if (g->at != NULL && g->at[0] != '\0') {
            rk_text_add(code, " AT %s", g->at);
        }
        rk_text_add(code, " : %s := %s;", g->type, initial);
        add_meaning(code, g);
    }
    rk_text_add(code, "END_VAR\n");
}

static void add_configuration(rk_text *code, const rki_project *p, const char *program)
{
    char configuration[RK_BLOCK_NAME_CHARS], resource[RK_BLOCK_NAME_CHARS],
        task[RK_BLOCK_NAME_CHARS];

    rki_name(p->loop, "_CONFIG", configuration);
    rki_name(p->loop, "_RESOURCE", resource);
    rki_name(p->loop, "_TASK", task);
    rk_text_add(code, "\nCONFIGURATION %s\n", configuration);
    add_globals(code, p, true);
    add_globals(code, p, false);
    rk_text_add(code,
                "RESOURCE %s ON PLC\n"
                "    (* The interval is the scan that the controller was made for: %g s. *)\n"
                "    TASK %s(INTERVAL := %s, PRIORITY := 1);\n",
                resource, p->loop->ts, task, p->interval);
    if (rki_has_port(p->loop)) {
        char port[RK_BLOCK_NAME_CHARS];

        rki_name(p->loop, "_PORT", port);
        rk_text_add(code, "    PROGRAM %s_side WITH %s : %s;\n", p->prefix, task, port);
    }
    rk_text_add(code,
                "    PROGRAM %s_loop WITH %s : %s;\n"
                "END_RESOURCE\nEND_CONFIGURATION\n",
                p->prefix, task, program);
}

/* For a project that has its own. */
static void add_lists(rk_text *code, const rki_project *p, const char *program)
{
    rk_text_add(code,
                "\n(* Put these into the project's global variables, and %s into a cyclic\n"
                "   task whose interval is %s, no other%s. *)\n",
                program, p->interval,
                rki_has_port(p->loop) ? ", with the program of the port before it" : "");
    add_globals(code, p, true);
    add_globals(code, p, false);
}

static void add_range(rk_text *text, const rki_project *p, const char *lead)
{
    const rk_rig_settings *s = &p->settings;
    char line[192];

    if (!(s->kc_low < s->kc_high)) return;
    (void)snprintf(line, sizeof line, "Stable        for kc from %.6g to %.6g %s per %s, %s",
                   s->kc_low, s->kc_high, p->loop->out_units, p->loop->pv_units,
                   p->over_region ? "over the model's 95 % region" : "on this model");
    rki_add_line(text, lead, line);
}

/* What an error loses in single precision: I does not take an increment below half the last
   place of OUT's largest value. Source  IEC 60559: 24 bits. */
static void add_precision(rk_text *text, const rki_project *p, const char *lead)
{
    const rk_rig_settings *s = &p->settings;
    const double most = fmax(fabs(s->out_low), fabs(s->out_high));
    const double lost = ldexp(most, -25) * s->ti / (fabs(s->kc) * s->scan);
    char line[192];

    if (p->number != RK_NUMBER_REAL || !(s->ti > 0)) return;
    (void)snprintf(line, sizeof line,
                   "              an error below about %.2g %s no longer moves the integral",
                   lost, p->loop->pv_units);
    rki_add_line(text, lead, line);
}

/* Step by step, from the first start to automatic; @ stands for the loop's prefix. */
static void add_commissioning(rk_text *text, const rki_project *p, const char *lead)
{
    const rk_program_design *d = &p->loop->program;
    const struct {
        bool used;
        const char *line;
    } lines[] = {
        {true, ""},
        {true, "To put it to work:"},
        {isnan(d->pv_raw[0]), "1. Connect @pv to the transmitter"},
        {!isnan(d->pv_raw[0]), "1. Connect @pv_raw to the transmitter's channel"},
        {isnan(d->out_raw[0]), "   and @out to the valve."},
        {!isnan(d->out_raw[0]), "   and @out_raw to the valve's channel."},
        {true, "   Where the valve is read back: @valve_out, and @valve_known := TRUE."},
        {true, "2. Start it. It is in manual, where the valve stands, or else at @out_safe."},
        {p->settings.kc < 0, "3. Raise @manual_out a little: PV must fall."},
        {p->settings.kc > 0, "3. Raise @manual_out a little: PV must rise."},
        {true,
         "4. Set @sp to where PV is, and @automatic := TRUE: OUT goes on from where it is."},
        {!p->settings.two_position,
         "5. Change settings in small steps; in automatic, too, OUT does not bump."},
        {p->settings.two_position, "5. Settings may be changed in automatic."},
        {true, "   @refused is TRUE: they make no sense, and the last good ones are at work."},
        {rki_has_port(p->loop),
         "6. Map the variables @port_.. to the registers that stand beside them. @remote := TRUE"},
        {rki_has_port(p->loop) && !p->loop->port.heartbeat.given,
         "   lets OUT be written over the port."},
        {rki_has_port(p->loop) && p->loop->port.heartbeat.given,
         "   lets OUT be written over the port; without a heartbeat the PLC takes it back,"},
        {rki_has_port(p->loop) && p->loop->port.heartbeat.given &&
             d->fallback == RK_FALLBACK_MANUAL,
         "   in manual."},
        {rki_has_port(p->loop) && p->loop->port.heartbeat.given &&
             d->fallback == RK_FALLBACK_AUTOMATIC,
         "   in automatic."},
        {p->has_twin,
         "To try it without the plant: @simulate := TRUE. OUT to the valve is frozen"},
        {p->has_twin,
         "meanwhile, and behind it the loop is in manual, where the valve stands."},
    };
    size_t i;

    for (i = 0; i < sizeof lines / sizeof lines[0]; i++) {
        rk_text *line = rk_text_create();

        if (lines[i].used) {
            rki_add_wired(line, p, lines[i].line);
            if (rk_text_check(line, NULL) == RK_OK) {
                rki_add_line(text, lead, rk_text_chars(line));
            } else {
                rk_text_fail(text);
            }
        }
        rk_text_free(line);
    }
}

rk_status rki_add_program_head(rk_text *text, const rki_project *p, const char *lead,
                               rk_diag *diag)
{
    rk_status status;

    rki_add_line(text, lead, "The program of the loop, its variables and its task.");
    status = rki_add_provenance(text, &p->controller, lead, diag);
    if (status != RK_OK) return status;
    add_range(text, p, lead);
    add_precision(text, p, lead);
    add_commissioning(text, p, lead);
    return RK_OK;
}

rk_status rk_emit_program_st(const rk_design *loop, rk_number number, rk_text *text,
                             rk_diag *diag)
{
    rki_project p;
    rki_block program;
    rk_text *code;
    rk_status status = rki_project_make(loop, number, &p, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    status = rki_add_program_head(text, &p, "  ", diag);
    if (status != RK_OK) return status;
    rk_text_add(text, "\n  IEC 61131-3 Structured Text.\n*)\n");
    if (p.controller.predictor) {
        rki_block predictor = rki_predictor_block(&p.controller);

        rk_text_add(text, "(*\n");
        rki_predictor_head(text, &p.controller, "  ");
        rk_text_add(text, "*)\n");
        rki_block_add_st(text, &predictor);
        rk_text_add(text, "\n");
        rki_block_free(&predictor);
    }
    program = rki_program_block(&p);
    rki_block_add_st(text, &program);
    if (rki_has_port(loop)) {
        rki_block side = rki_port_block(&p);

        rk_text_add(text, "\n");
        rki_block_add_st(text, &side);
        rki_block_free(&side);
    }
    code = rk_text_create();
    (loop->program.configuration == RK_YES ? add_configuration : add_lists)(code, &p,
                                                                            program.name);
    rki_block_free(&program);
    rki_add_st_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}

rk_status rk_emit_variable_list(const rk_design *loop, rk_number number,
                                rk_variable list[RK_VARIABLES_MAX], int *count, rk_diag *diag)
{
    rki_project p;
    const rk_status status = rki_project_make(loop, number, &p, diag);

    if (status != RK_OK) return status;
    memcpy(list, p.global, sizeof p.global);
    *count = p.globals;
    return RK_OK;
}

static void add_note_csv(rk_text *text, const rk_variable *g)
{
    char words[200];

    (void)snprintf(words, sizeof words, "%s%s%s", g->meaning,
                   g->note[0] != '\0' ? "; map it to " : "", g->note);
    rk_text_add_csv(text, words);
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
    rk_text_add(text, "name,type,unit,low,high,initial,retain,address,meaning\r\n");
    for (i = 0; i < p.globals; i++) {
        const rk_variable *g = &p.global[i];
        char initial[RK_REAL_CHARS + 8];
        const char *digits;

        rk_text_add(text, "%s,%s,", g->name,
                    strcmp(g->type, "LREAL") == 0 && number == RK_NUMBER_REAL ? "REAL"
                                                                              : g->type);
        rk_text_add_csv(text, g->units);
        add_cell(text, g->low);
        add_cell(text, g->high);
        rki_global_initial(g, number, initial);
        digits = strchr(initial, '#');
        rk_text_add(text, ",%s,%s,%s,", digits != NULL ? digits + 1 : initial,
                    g->retain ? "yes" : "no", g->at == NULL ? "to be given" : g->at);
        add_note_csv(text, g);
        rk_text_add(text, "\r\n");
    }
    return rk_text_check(text, diag);
}

void rk_emit_prefix(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    rki_block_name(loop, "", name);
}
