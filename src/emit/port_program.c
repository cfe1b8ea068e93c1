/* SPDX-License-Identifier: MIT */
/*
 * The PLC's side of [port]: a program that runs before the loop's own, each scan. It fills the registers
 * that are read over the port, and while an operator lets it (remote) it makes the loop follow the output
 * that is written there. Who writes it counts the scans in a register of its own; a count that stands
 * still for heartbeat-time is nobody, and then the loop is the PLC's again, in manual or automatic. The
 * way back is the operator's.
 *
 * Until then the written register follows OUT, so that neither way bumps.
 */
#include "program.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

bool rki_has_port(const rk_design *loop)
{
    return loop->port.kind != RK_PORT_SIM && loop->port.pv.given && loop->port.out.given;
}

double rki_port_quiet_scans(const rk_design *loop)
{
    return fmax(ceil((loop->program.heartbeat_time / loop->ts) - 1e-9), 1.0);
}

const char *rki_register_type(const rk_register *r)
{
    static const char *const types[] = {[RK_REGISTER_INT16] = "INT",
                                        [RK_REGISTER_UINT16] = "UINT",
                                        [RK_REGISTER_INT32] = "DINT",
                                        [RK_REGISTER_UINT32] = "UDINT",
                                        [RK_REGISTER_FLOAT32] = "REAL"};
    const bool is_bit = r->table == RK_TABLE_COIL || r->table == RK_TABLE_DISCRETE;

    return is_bit ? "BOOL" : types[r->type];
}

void rki_port_scale(const rk_register *r, double low, double high, rki_port_scaling *made)
{
    const bool scaled = !isnan(r->raw[0]);

    made->raw_0 = scaled ? r->raw[0] : 0.0;
    made->value_0 = scaled ? low : 0.0;
    made->per_value = scaled ? (r->raw[1] - r->raw[0]) / (high - low) : 1.0;
    made->per_count = scaled ? (high - low) / (r->raw[1] - r->raw[0]) : 1.0;
    made->clamped = scaled;
    made->low = scaled ? fmin(r->raw[0], r->raw[1]) : 0.0;
    made->high = scaled ? fmax(r->raw[0], r->raw[1]) : 0.0;
    if (!scaled) {
        made->clamped = rk_register_type_range(r->type, &made->low, &made->high);
    }
    made->is_float = r->type == RK_REGISTER_FLOAT32;
}

static void add_number(rk_text *text, const rki_project *p, double value)
{
    rki_add_literal(text, value, p->number);
}

/* "counts" from "value", clamped, and into a register. */
static void add_write(rk_text *text, const rki_project *p, const rk_register *r, double low,
                      double high, const char *to, const char *lead)
{
    rki_port_scaling s;

    rki_port_scale(r, low, high, &s);
    rk_text_add(text, "%scounts := ", lead);
    if (isnan(r->raw[0])) {
        rk_text_add(text, "value;\n");
    } else {
        add_number(text, p, s.raw_0);
        rk_text_add(text, " + ((value - ");
        add_number(text, p, s.value_0);
        rk_text_add(text, ") * ");
        add_number(text, p, s.per_value);
        rk_text_add(text, ");\n");
    }
    if (s.clamped) {
        rk_text_add(text, "%sIF counts < ", lead);
        add_number(text, p, s.low);
        rk_text_add(text, " THEN counts := ");
        add_number(text, p, s.low);
        rk_text_add(text, "; END_IF;\n%sIF counts > ", lead);
        add_number(text, p, s.high);
        rk_text_add(text, " THEN counts := ");
        add_number(text, p, s.high);
        rk_text_add(text, "; END_IF;\n");
    }
    rk_text_add(text, "%s%s_%s := ", lead, p->prefix, to);
    if (!s.is_float) {
        rk_text_add(text, "LREAL_TO_%s(counts);\n", rki_register_type(r));
    } else if (p->number == RK_NUMBER_LREAL) {
        rk_text_add(text, "LREAL_TO_REAL(counts);\n");
    } else {
        rk_text_add(text, "counts;\n");
    }
}

/* "value" from OUT's register. */
static void add_read(rk_text *text, const rki_project *p)
{
    const rk_design *d = p->loop;
    const rk_register *r = &d->port.out;
    char raw[RK_BLOCK_NAME_CHARS + 40];
    rki_port_scaling s;

    rki_port_scale(r, d->out_low, d->out_high, &s);
    if (!s.is_float) {
        (void)snprintf(raw, sizeof raw, "%s_TO_LREAL(%s_port_out)", rki_register_type(r),
                       p->prefix);
    } else {
        (void)snprintf(raw, sizeof raw,
                       p->number == RK_NUMBER_LREAL ? "REAL_TO_LREAL(%s_port_out)"
                                                    : "%s_port_out",
                       p->prefix);
    }
    if (isnan(r->raw[0])) {
        rk_text_add(text, "    value := %s;\n", raw);
    } else {
        rk_text_add(text, "    value := ");
        add_number(text, p, s.value_0);
        rk_text_add(text, " + ((%s - ", raw);
        add_number(text, p, s.raw_0);
        rk_text_add(text, ") * ");
        add_number(text, p, s.per_count);
        rk_text_add(text, ");\n");
    }
    rki_add_wired(text, p,
                  s.is_float
                      ? "    IF (value - value) = LREAL#0.0 THEN @track_out := value; END_IF;\n"
                      : "    @track_out := value;\n");
}

static void add_watch(rk_text *text, const rki_project *p)
{
    const double quiet = rki_port_quiet_scans(p->loop);

    if (!p->loop->port.heartbeat.given) return;
    rki_add_wired(
        text, p,
        "(* Who writes OUT over the port counts the scans. A count that stands still is "
        "nobody: *)\n"
        "IF NOT begun THEN beat := @port_beat; END_IF;\n"
        "begun := TRUE;\n"
        "IF @port_beat <> beat THEN\n"
        "    quiet := 0;\n");
    rk_text_add(text, "ELSIF quiet < %.0f THEN\n    quiet := quiet + 1;\nEND_IF;\n", quiet);
    rki_add_wired(text, p,
                  "beat := @port_beat;\n"
                  "(* then the loop is the PLC's again, until an operator says otherwise. *)\n"
                  "IF @remote THEN\n");
    rk_text_add(text, "    %s_remote_lost := quiet >= %.0f;\n", p->prefix, quiet);
    rki_add_wired(text, p, "    IF @remote_lost THEN @remote := FALSE; END_IF;\nEND_IF;\n");
}

static void add_body(rk_text *text, const rki_project *p)
{
    const rk_design *d = p->loop;
    const rk_port_design *port = &d->port;

    add_watch(text, p);
    rki_add_wired(
        text, p,
        "(* The loop follows what is written there; else that follows OUT: no bump. *)\n"
        "IF @remote THEN\n");
    add_read(text, p);
    rki_add_wired(text, p,
                  "    @tracking := TRUE;\n"
                  "ELSE\n"
                  "    IF was_remote THEN\n"
                  "        @tracking := FALSE;\n"
                  "        @automatic := ");
    rk_text_add(text, d->program.fallback == RK_FALLBACK_AUTOMATIC ? "TRUE;\n" : "FALSE;\n");
    rki_add_wired(text, p, "    END_IF;\n    value := @out;\n");
    add_write(text, p, &port->out, d->out_low, d->out_high, "port_out", "    ");
    rki_add_wired(text, p,
                  "END_IF;\n"
                  "was_remote := @remote;\n"
                  "(* What is read there; a PV that is no number leaves the last one. *)\n"
                  "value := @pv;\n"
                  "IF (value - value) = LREAL#0.0 THEN\n");
    add_write(text, p, &port->pv, d->pv_low, d->pv_high, "port_pv", "    ");
    rk_text_add(text, "END_IF;\n");
    if (port->out_now.given) {
        rki_add_wired(text, p, "value := @out;\n");
        add_write(text, p, &port->out_now, d->out_low, d->out_high, "port_stands", "");
    }
    if (port->pv_good.given) {
        const bool is_bit = strcmp(rki_register_type(&port->pv_good), "BOOL") == 0;

        rki_add_wired(text, p,
                      is_bit ? "@port_good := NOT @pv_bad;\n"
                             : "@port_good := 1;\nIF @pv_bad THEN @port_good := 0; END_IF;\n");
    }
    if (port->enable.given) {
        const bool is_bit = strcmp(rki_register_type(&port->enable), "BOOL") == 0;

        rki_add_wired(text, p,
                      is_bit
                          ? "@port_enable := @remote;\n"
                          : "@port_enable := 0;\nIF @remote THEN @port_enable := 1; END_IF;\n");
    }
}

/* The globals that it shares with the loop's program, and its own. */
static bool is_used(const char *word)
{
    static const char *const shared[] = {"pv",        "pv_bad",   "out",
                                         "automatic", "tracking", "track_out"};
    size_t i;

    for (i = 0; i < sizeof shared / sizeof shared[0]; i++) {
        if (strcmp(word, shared[i]) == 0) return true;
    }
    return strncmp(word, "port_", 5) == 0 || strncmp(word, "remote", 6) == 0;
}

rki_block rki_port_block(const rki_project *p)
{
    char name[RK_BLOCK_NAME_CHARS], initial[32];
    rki_block b;
    int i;

    rki_name(p->loop, "_PORT", name);
    b = rki_block_make(name, true, p->number);
    for (i = 0; i < p->globals; i++) {
        if (is_used(p->global[i].word)) {
            rki_block_pin(&b, RKI_EXTERNALS, p->global[i].name, p->global[i].type, NULL, NULL);
        }
    }
    if (p->loop->port.heartbeat.given) {
        (void)snprintf(initial, sizeof initial, "%.0f", rki_port_quiet_scans(p->loop));
        rki_block_pin(&b, RKI_LOCALS, "begun", "BOOL", "FALSE", "the first scan is behind us");
        rki_block_pin(&b, RKI_LOCALS, "beat", "UINT", "0", "the last count");
        rki_block_pin(&b, RKI_LOCALS, "quiet", "DINT", initial,
                      "scans that it has stood still");
    }
    rki_block_pin(&b, RKI_LOCALS, "was_remote", "BOOL", "FALSE", "in the last scan");
    rki_block_number(&b, RKI_LOCALS, "value", nan(""), "of a signal", "");
    rki_block_number(&b, RKI_LOCALS, "counts", nan(""), "of its register", "");
    add_body(b.body, p);
    return b;
}
