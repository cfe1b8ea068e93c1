/* SPDX-License-Identifier: MIT */
/* The variables that a loop's program shares with the rest of the PLC: what an operator and an
   engineer set and read, each in one row. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "program.h"

typedef enum unit { NONE, PV, OUT, SECONDS, KC, PV_RATE, OUT_RATE } unit;

/* Which loops have it. */
typedef enum when {
    ALWAYS,
    OF_THE_LAW,      /* all but two-position control */
    OF_TWO_POSITION, /* that alone */
    WHERE_GIVEN,     /* where it is not the block's own default */
    WITH_BIAS,
    WITH_TWIN,
    WITH_RANGE, /* of kc, in which the loop is stable */
    WITH_PV_RAW,
    WITH_OUT_RAW,
    WITH_PORT, /* and with that register of it */
    WITH_HEARTBEAT
} when;

/* R: a warm restart goes on with it. */
#define R true

static const struct {
    const char *name;
    char type; /* n: number, b: BOOL, i: INT */
    bool retain;
    unit unit;
    when when;
    const char *meaning;
} rows[] = {
    {"sp", 'n', R, PV, ALWAYS, "setpoint"},
    {"automatic", 'b', R, NONE, ALWAYS, "TRUE automatic, FALSE manual"},
    {"manual_out", 'n', R, OUT, ALWAYS, "output in manual; follows OUT in automatic"},
    {"pv_raw", 'w', 0, NONE, WITH_PV_RAW, "measured value as the channel counts it"},
    {"pv", 'n', 0, PV, ALWAYS, "measured value"},
    {"pv_good", 'b', 0, NONE, ALWAYS, "FALSE: the transmitter or its channel has failed"},
    {"valve_known", 'b', 0, NONE, ALWAYS, "valve_out is read back from the valve"},
    {"valve_out", 'n', 0, OUT, ALWAYS, "where the valve stands"},
    {"tracking", 'b', 0, NONE, ALWAYS, "TRUE: OUT follows track_out"},
    {"track_out", 'n', 0, OUT, ALWAYS, "another source's output"},
    {"applied_on", 'b', 0, NONE, ALWAYS, "applied was taken in the place of OUT"},
    {"applied", 'n', 0, OUT, ALWAYS, "by a selector, or by a slave that could not follow"},
    {"feedforward", 'n', 0, OUT, ALWAYS, "added to OUT"},
    {"kc", 'n', R, KC, OF_THE_LAW, "controller gain, ideal form"},
    {"ti", 'n', R, SECONDS, OF_THE_LAW, "integral time; 0: no integral action"},
    {"td", 'n', R, SECONDS, OF_THE_LAW, "derivative time; 0: no derivative action"},
    {"tf", 'n', R, SECONDS, OF_THE_LAW, "derivative filter time"},
    {"sp_weight", 'n', R, NONE, OF_THE_LAW, "setpoint weight of P, 0 to 1"},
    {"d_sp_weight", 'n', R, NONE, WHERE_GIVEN, "setpoint weight of D, 0 to 1"},
    {"deadband", 'n', R, PV, WHERE_GIVEN, "errors within it count as none"},
    {"track_time", 'n', R, SECONDS, WHERE_GIVEN, "tracking time of back-calculation and bias"},
    {"bias", 'n', R, OUT, WITH_BIAS, "OUT where there is no error"},
    {"hysteresis", 'n', R, PV, OF_TWO_POSITION, "it switches so far to each side of sp"},
    {"pv_filter", 'n', R, SECONDS, ALWAYS, "PV filter time; 0: none"},
    {"sp_rate", 'n', R, PV_RATE, OF_THE_LAW, "fastest ramp of the setpoint; 0: it steps"},
    {"out_low", 'n', R, OUT, ALWAYS, "lowest output"},
    {"out_high", 'n', R, OUT, ALWAYS, "highest output"},
    {"out_rate", 'n', R, OUT_RATE, ALWAYS, "fastest change of OUT; 0: no limit"},
    {"out_safe", 'n', R, OUT, ALWAYS, "OUT without a good PV, and at a cold start"},
    {"hold_time", 'n', R, SECONDS, ALWAYS,
     "without a good PV OUT is held so long; < 0: for ever"},
    {"stale_time", 'n', R, SECONDS, ALWAYS, "a PV that stands still so long is bad; 0: never"},
    {"alarm_low", 'n', R, PV, ALWAYS, "alarm when PV is below; -1E30: none"},
    {"alarm_high", 'n', R, PV, ALWAYS, "alarm when PV is above; 1E30: none"},
    {"alarm_far", 'n', R, PV, ALWAYS, "alarm when PV is further from the setpoint; 0: none"},
    {"alarm_gap", 'n', R, PV, ALWAYS, "an alarm goes when PV is back by this"},
    {"simulate", 'b', 0, NONE, WITH_TWIN, "TRUE: control the twin; OUT to the valve is frozen"},
    {"load", 'n', 0, OUT, WITH_TWIN, "a disturbance of the twin, at its input"},
    {"sim_pv", 'n', 0, PV, WITH_TWIN, "the twin's PV"},
    {"sim_out", 'n', 0, OUT, WITH_TWIN, "output to the twin"},
    {"out_raw", 'W', 0, NONE, WITH_OUT_RAW, "output as the channel counts it"},
    {"out", 'n', R, OUT, ALWAYS, "output, to the valve"},
    {"wanted", 'n', 0, OUT, ALWAYS, "what the law wants before the limits"},
    {"sp_now", 'n', 0, PV, ALWAYS, "setpoint behind its limits and rate"},
    {"mode", 'i', 0, NONE, ALWAYS, "0 manual, 1 automatic, 2 tracking"},
    {"at_low", 'b', 0, NONE, ALWAYS, "OUT is at its low limit"},
    {"at_high", 'b', 0, NONE, ALWAYS, "OUT is at its high limit"},
    {"held", 'b', 0, NONE, ALWAYS, "this scan had no good sp and pv"},
    {"failed", 'b', 0, NONE, ALWAYS, "OUT goes to out_safe, or is there"},
    {"refused", 'b', 0, NONE, ALWAYS, "settings make no sense: the last good ones are at work"},
    {"kc_unsafe", 'b', 0, NONE, WITH_RANGE, "kc is beyond what the loop stands"},
    {"pv_bad", 'b', 0, NONE, ALWAYS, "alarm: PV has failed"},
    {"pv_stale", 'b', 0, NONE, ALWAYS, "alarm: PV stands still"},
    {"pv_is_low", 'b', 0, NONE, ALWAYS, "alarm: PV is low"},
    {"pv_is_high", 'b', 0, NONE, ALWAYS, "alarm: PV is high"},
    {"pv_deviates", 'b', 0, NONE, ALWAYS, "alarm: PV is far from the setpoint"},
    {"scan_late", 'b', 0, NONE, ALWAYS, "alarm: more than 1.5 scans since the last"},
    {"scan_wrong", 'b', 0, NONE, ALWAYS, "alarm: the task's interval is not the scan"},
    {"remote", 'b', 0, NONE, WITH_PORT, "TRUE: OUT follows what is written over the port"},
    {"remote_lost", 'b', 0, NONE, WITH_HEARTBEAT,
     "alarm: the heartbeat over the port stood still; OUT is the PLC's again"},
    {"port_pv", 'p', 0, NONE, WITH_PORT, "register of PV"},
    {"port_out", 'p', 0, NONE, WITH_PORT, "register of OUT as it is written"},
    {"port_stands", 'p', 0, NONE, WITH_PORT, "register of OUT as it stands"},
    {"port_good", 'p', 0, NONE, WITH_PORT, "register that tells whether PV is good"},
    {"port_enable", 'p', 0, NONE, WITH_PORT, "register that lets OUT be written"},
    {"port_beat", 'p', 0, NONE, WITH_HEARTBEAT, "register that counts the scans of who writes"},
    {"ran", 'b', R, NONE, ALWAYS, "the program ran before: its next start is a warm one"},
};

enum { ROWS = sizeof rows / sizeof rows[0] };
_Static_assert((int)ROWS <= (int)RK_VARIABLES_MAX, "there is room for all");

const char *rki_raw_type(const double raw[2])
{
    if (isnan(raw[0])) return NULL;
    return raw[0] >= -32768.0 && raw[1] <= 32767.0 ? "INT" : "DINT";
}

/* The setting of this name; NULL: it is none. */
static const rk_rig_pin *setting(const char *name)
{
    const char *pin_name = rk_emit_pin_of(name);
    const rk_rig_pin *pin = rk_rig_setting_pins;

    while (pin->name != NULL && strcmp(pin->name, pin_name) != 0) {
        pin++;
    }
    return pin->name != NULL ? pin : NULL;
}

/* The register of that name; NULL: it is none. */
static const rk_register *register_of(const rki_project *p, const char *name)
{
    const rk_port_design *d = &p->loop->port;
    const struct {
        const char *name;
        const rk_register *at;
    } all[] = {{"port_pv", &d->pv},          {"port_out", &d->out},
               {"port_stands", &d->out_now}, {"port_good", &d->pv_good},
               {"port_enable", &d->enable},  {"port_beat", &d->heartbeat}};
    size_t i;

    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (strcmp(all[i].name, name) == 0) return all[i].at;
    }
    return NULL;
}

static bool is_there(const rki_project *p, int row)
{
    const rk_rig_settings *s = &p->settings;
    const rk_rig_pin *pin = setting(rows[row].name);
    const rk_register *r = register_of(p, rows[row].name);

    switch (rows[row].when) {
    case OF_THE_LAW:
        return !s->two_position;
    case OF_TWO_POSITION:
        return s->two_position;
    case WHERE_GIVEN:
        return rk_rig_pin_get(pin, s) != rk_rig_pin_get(pin, &p->defaults);
    case WITH_BIAS:
        return s->biased && !s->two_position;
    case WITH_TWIN:
        return p->has_twin;
    case WITH_RANGE:
        return s->kc_low < s->kc_high;
    case WITH_PV_RAW:
        return rki_raw_type(p->loop->program.pv_raw) != NULL;
    case WITH_OUT_RAW:
        return rki_raw_type(p->loop->program.out_raw) != NULL;
    case WITH_PORT:
        return rki_has_port(p->loop) && (r == NULL || r->given);
    case WITH_HEARTBEAT:
        return rki_has_port(p->loop) && p->loop->port.heartbeat.given;
    default:
        return true;
    }
}

static void name_unit(const rki_project *p, unit of, char chars[RK_GAIN_UNIT_CHARS])
{
    const char *pv = p->loop->pv_units, *out = p->loop->out_units;
    const bool fraction = strchr(out, '/') != NULL, below = strchr(pv, '/') != NULL;

    switch (of) {
    case PV:
        (void)snprintf(chars, RK_GAIN_UNIT_CHARS, "%s", pv);
        break;
    case OUT:
        (void)snprintf(chars, RK_GAIN_UNIT_CHARS, "%s", out);
        break;
    case SECONDS:
        (void)strcpy(chars, "s");
        break;
    case KC:
        (void)snprintf(chars, RK_GAIN_UNIT_CHARS, "%s%s%s/%s%s%s", fraction ? "(" : "", out,
                       fraction ? ")" : "", below ? "(" : "", pv, below ? ")" : "");
        break;
    case PV_RATE:
        (void)snprintf(chars, RK_GAIN_UNIT_CHARS, "%s%s%s/s", below ? "(" : "", pv,
                       below ? ")" : "");
        break;
    case OUT_RATE:
        (void)snprintf(chars, RK_GAIN_UNIT_CHARS, "%s%s%s/s", fraction ? "(" : "", out,
                       fraction ? ")" : "");
        break;
    default:
        chars[0] = '\0';
    }
}

/* Where the setpoint and PV stand before anybody sets them. */
static double rest_pv(const rk_design *loop)
{
    if (loop->has_model) return loop->model.pv0;
    return isnan(loop->pv_low) ? 0.0 : 0.5 * (loop->pv_low + loop->pv_high);
}

static double first_value(const rki_project *p, const char *name)
{
    const rk_rig_pin *pin = setting(name);
    const double rest = rest_pv(p->loop);

    if (pin != NULL) return rk_rig_pin_get(pin, &p->settings);
    if (strcmp(name, "sp") == 0 || strcmp(name, "pv") == 0 || strcmp(name, "sim_pv") == 0) {
        return rest;
    }
    if (strcmp(name, "manual_out") == 0 || strcmp(name, "out") == 0 ||
        strcmp(name, "track_out") == 0) {
        return p->settings.out_safe;
    }
    if (strcmp(name, "pv_raw") == 0) return p->loop->program.pv_raw[0];
    if (strcmp(name, "out_raw") == 0) return p->loop->program.out_raw[0];
    return strcmp(name, "pv_good") == 0 ? 1.0 : 0.0;
}

static void give_range(const rki_project *p, const char *name, unit of, rk_variable *g)
{
    const rk_design *loop = p->loop;
    const rk_program_design *d = &loop->program;

    g->low = g->high = nan("");
    if (strcmp(name, "sp") == 0 || strcmp(name, "pv") == 0) {
        g->low = loop->pv_low;
        g->high = loop->pv_high;
    } else if (of == OUT && strcmp(name, "load") != 0 && strcmp(name, "feedforward") != 0 &&
               strcmp(name, "wanted") != 0) {
        g->low = loop->out_low;
        g->high = loop->out_high;
    } else if (strcmp(name, "kc") == 0) {
        g->low = p->settings.kc_low < p->settings.kc_high ? p->settings.kc_low : nan("");
        g->high = p->settings.kc_high;
    } else if (strcmp(name, "pv_raw") == 0) {
        g->low = d->pv_raw[0];
        g->high = d->pv_raw[1];
    } else if (strcmp(name, "out_raw") == 0) {
        g->low = d->out_raw[0];
        g->high = d->out_raw[1];
    }
}

/* The channel's address stands at what the channel counts, or at the signal itself. */
static const char *address(const rki_project *p, const char *name)
{
    const rk_program_design *d = &p->loop->program;
    const bool pv = strcmp(name, isnan(d->pv_raw[0]) ? "pv" : "pv_raw") == 0;
    const bool out = strcmp(name, isnan(d->out_raw[0]) ? "out" : "out_raw") == 0;

    if (!pv && !out) return "";
    if ((pv ? d->pv_at : d->out_at)[0] == '\0') return NULL;
    return pv ? d->pv_at : d->out_at;
}

/* Where the device has it: that is what its variable is to be mapped to. */
static void say_register(const rk_register *r, rk_variable *g)
{
    if (r == NULL) return;
    (void)snprintf(g->note, sizeof g->note, "Modbus %s %d", rk_table_to_text(r->table),
                   r->address);
}

void rki_list_globals(rki_project *p)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        rk_variable *g = &p->global[p->globals];

        if (!is_there(p, i)) continue;
        p->globals++;
        (void)snprintf(g->name, sizeof g->name, "%s_%s", p->prefix, rows[i].name);
        g->word = rows[i].name;
        g->type = rows[i].type == 'n'   ? "LREAL"
                  : rows[i].type == 'b' ? "BOOL"
                  : rows[i].type == 'i' ? "INT"
                  : rows[i].type == 'p' ? rki_register_type(register_of(p, rows[i].name))
                  : rows[i].type == 'w' ? rki_raw_type(p->loop->program.pv_raw)
                                        : rki_raw_type(p->loop->program.out_raw);
        g->retain = rows[i].retain;
        g->initial = first_value(p, rows[i].name);
        give_range(p, rows[i].name, rows[i].unit, g);
        g->meaning = rows[i].meaning;
        say_register(register_of(p, rows[i].name), g);
        name_unit(p, rows[i].unit, g->units);
        g->at = address(p, rows[i].name);
    }
}

void rki_global_initial(const rk_variable *g, rk_number number, char chars[RK_REAL_CHARS + 8])
{
    char value[RK_REAL_CHARS], *exponent;

    if (strcmp(g->type, "BOOL") == 0) {
        (void)strcpy(chars, g->initial != 0 ? "TRUE" : "FALSE");
        return;
    }
    if (strcmp(g->type, "REAL") == 0) {
        (void)strcpy(chars, "REAL#0.0");
        return;
    }
    if (strcmp(g->type, "LREAL") != 0) {
        (void)snprintf(chars, RK_REAL_CHARS + 8, "%.0f", g->initial);
        return;
    }
    rki_format(number == RK_NUMBER_REAL ? (double)(float)g->initial : g->initial, number,
               value);
    exponent = strchr(value, 'e');
    if (exponent != NULL) {
        *exponent = 'E';
    }
    (void)snprintf(chars, RK_REAL_CHARS + 8, "LREAL#%s", value);
}
