/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"

/* Keys of the options that have no letter. */
enum {
    OPT_TIME = 0x1000,
    OPT_OUT,
    OPT_PV,
    OPT_QUALITY,
    OPT_TIME_UNIT,
    OPT_KIND,
    OPT_GAIN,
    OPT_TAU,
    OPT_DAMPING,
    OPT_DEAD_TIME,
    OPT_OUT0,
    OPT_PV0,
    OPT_FORM,
    OPT_KC,
    OPT_TI,
    OPT_TD,
    OPT_TF,
    OPT_KP,
    OPT_KI,
    OPT_KD,
    OPT_RULE,
    OPT_LAMBDA,
    OPT_MODE,
    OPT_OMEGA,
    OPT_ZETA,
    OPT_ULTIMATE_GAIN,
    OPT_ULTIMATE_PERIOD,
    OPT_BAND,
    OPT_KC_PERCENT,
    OPT_REPEATS,
    OPT_FILTER_RATIO,
    OPT_SP_WEIGHT,
    OPT_ANTI_WINDUP,
    OPT_TRACKING_TIME,
    OPT_PV_FILTER,
    OPT_SCAN,
    OPT_OUT_LOW,
    OPT_OUT_HIGH,
    OPT_OUT_RATE,
    OPT_JSON,
    OPT_MINUTES,
    OPT_FIGURE,
    OPT_SAVE,
};

void take_number(struct argp_state *state, const char *option, const char *arg, double *value)
{
    if (rk_number_parse(arg, strlen(arg), value)) return;
    argp_failure(state, EXIT_USAGE, 0, "--%s: '%s' is not a number; use a decimal point",
                 option, arg);
}

void take_time(struct argp_state *state, const char *option, const char *arg, double *seconds)
{
    if (rk_time_parse(arg, strlen(arg), seconds)) return;
    argp_failure(state, EXIT_USAGE, 0,
                 "--%s: '%s' is not a time; give seconds, or 200ms, 2s, 5min, 1h", option, arg);
}

/* One time, or two with a comma between. */
static void take_times(struct argp_state *state, const char *option, const char *arg,
                       double *seconds)
{
    const char *comma = strchr(arg, ',');

    if (comma == NULL) {
        take_time(state, option, arg, &seconds[0]);
    } else if (!rk_time_parse(arg, (size_t)(comma - arg), &seconds[0]) ||
               !rk_time_parse(comma + 1, strlen(comma + 1), &seconds[1])) {
        argp_failure(state, EXIT_USAGE, 0,
                     "--%s: '%s' is not one time, nor two such as 160s,62s", option, arg);
    }
}

error_t parse_common(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;
    int i;

    switch (key) {
    case ARGP_KEY_INIT:
        for (i = 0; j->argp->children != NULL && j->argp->children[i].argp != NULL; i++) {
            state->child_inputs[i] = j;
        }
        return 0;
    case ARGP_KEY_ARG:
        if (j->input != NULL) {
            argp_failure(state, EXIT_USAGE, 0, "one file at a time: '%s' and '%s'", j->input,
                         arg);
        }
        j->input = arg;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int run_command(const struct argp *argp, int argc, char **argv, job *j, int (*run)(job *j))
{
    static char name[64];
    int status = EXIT_USAGE;

    (void)snprintf(name, sizeof name, "redkettle %s", argv[0]);
    argv[0] = name;
    argp_err_exit_status = EXIT_USAGE;
    j->argp = argp;
    if (argp_parse(argp, argc, argv, j->in_order ? ARGP_IN_ORDER : 0, NULL, j) == 0) {
        status = run(j);
    }
    job_free(j);
    return status;
}

static error_t parse_column(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
    case OPT_TIME:
        j->time_column = arg;
        return 0;
    case OPT_OUT:
        j->out_column = arg;
        return 0;
    case OPT_PV:
        j->pv_column = arg;
        return 0;
    case OPT_QUALITY:
        j->quality_column = arg;
        return 0;
    case OPT_TIME_UNIT:
        if (rk_time_unit_parse(arg, &j->time_unit)) return 0;
        argp_failure(state, EXIT_USAGE, 0, "--time-unit: '%s': give ms, s, min or h", arg);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static error_t parse_model(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
    case OPT_KIND:
        j->kind = arg;
        return 0;
    case OPT_GAIN:
        take_number(state, "gain", arg, &j->gain);
        return 0;
    case OPT_TAU:
        take_times(state, "time-constant", arg, j->tau);
        return 0;
    case OPT_DAMPING:
        take_number(state, "damping", arg, &j->damping);
        return 0;
    case OPT_DEAD_TIME:
        take_time(state, "dead-time", arg, &j->dead_time);
        return 0;
    case OPT_OUT0:
        take_number(state, "out0", arg, &j->out0);
        return 0;
    case OPT_PV0:
        take_number(state, "pv0", arg, &j->pv0);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static void take_form(struct argp_state *state, const char *arg, job *j)
{
    rk_diag diag = {RK_OK, ""};

    if (rk_form_from_text(arg, &j->given.form, &diag) == RK_OK) return;
    argp_failure(state, EXIT_USAGE, 0, "--form: %s", diag.text);
}

static error_t parse_settings(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
    case OPT_FORM:
        take_form(state, arg, j);
        return 0;
    case OPT_KC:
        take_number(state, "kc", arg, &j->given.kc);
        return 0;
    case OPT_TI:
        take_time(state, "ti", arg, &j->given.ti);
        return 0;
    case OPT_TD:
        take_time(state, "td", arg, &j->given.td);
        return 0;
    case OPT_TF:
        take_time(state, "tf", arg, &j->given.tf);
        return 0;
    case OPT_KP:
        take_number(state, "kp", arg, &j->given.kp);
        return 0;
    case OPT_KI:
        take_number(state, "ki", arg, &j->given.ki);
        return 0;
    case OPT_KD:
        take_number(state, "kd", arg, &j->given.kd);
        return 0;
    case OPT_RULE:
        j->rule = arg;
        return 0;
    case OPT_LAMBDA:
        take_time(state, "lambda", arg, &j->knobs.lambda);
        if (j->knobs.lambda > 0) return 0;
        argp_failure(state, EXIT_USAGE, 0, "--lambda %s: give a time above 0", arg);
        return 0;
    case OPT_MODE:
        j->mode = arg;
        return 0;
    case OPT_OMEGA:
        take_number(state, "omega", arg, &j->knobs.omega);
        return 0;
    case OPT_ZETA:
        take_number(state, "zeta", arg, &j->knobs.zeta);
        return 0;
    case OPT_ULTIMATE_GAIN:
        take_number(state, "ultimate-gain", arg, &j->knobs.ultimate_gain);
        return 0;
    case OPT_ULTIMATE_PERIOD:
        take_time(state, "ultimate-period", arg, &j->knobs.ultimate_period);
        return 0;
    case OPT_BAND:
        take_number(state, "band", arg, &j->band);
        return 0;
    case OPT_KC_PERCENT:
        take_number(state, "kc-percent", arg, &j->kc_percent);
        return 0;
    case OPT_REPEATS:
        take_number(state, "repeats", arg, &j->repeats);
        return 0;
    case OPT_FILTER_RATIO:
        take_number(state, "tf-ratio", arg, &j->filter_ratio);
        return 0;
    case OPT_SP_WEIGHT:
        take_number(state, "sp-weight", arg, &j->sp_weight);
        return 0;
    case OPT_ANTI_WINDUP:
        j->anti_windup = arg;
        return 0;
    case OPT_PV_FILTER:
        take_time(state, "pv-filter", arg, &j->pv_filter);
        return 0;
    case OPT_TRACKING_TIME:
        take_time(state, "tracking-time", arg, &j->tracking_time);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static error_t parse_other(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
    case OPT_SCAN:
        take_time(state, "scan", arg, &j->scan);
        return 0;
    case OPT_OUT_LOW:
        take_number(state, "out-low", arg, &j->out_low);
        return 0;
    case OPT_OUT_HIGH:
        take_number(state, "out-high", arg, &j->out_high);
        return 0;
    case OPT_OUT_RATE:
        take_number(state, "out-rate", arg, &j->out_rate);
        return 0;
    case OPT_JSON:
        j->json = true;
        return 0;
    case OPT_MINUTES:
        j->minutes = true;
        return 0;
    case OPT_FIGURE:
        j->figure = arg;
        return 0;
    case OPT_SAVE:
        j->save = true;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static const struct argp_option column_list[] = {
    {"time", OPT_TIME, "COLUMN", 0,
     "the record's time column, by name or number (default: by the usual names)", 1},
    {"out", OPT_OUT, "COLUMN", 0, "its OUT column", 1},
    {"pv", OPT_PV, "COLUMN", 0, "its PV column", 1},
    {"quality", OPT_QUALITY, "COLUMN", 0,
     "its quality column, whose bad rows are dropped; none: ignore it", 1},
    {"time-unit", OPT_TIME_UNIT, "UNIT", 0,
     "what a number in the time column counts: ms, s, min, h (default: as its header says)", 1},
    {0},
};
static const struct argp_option kind_list[] = {
    {"kind", OPT_KIND, "KIND", 0, "model kind: fopdt, sopdt, sopdt-osc, ipdt, ipdt-lag", 2},
    {0},
};
static const struct argp_option model_list[] = {
    {"kind", OPT_KIND, "KIND", 0, "model kind: fopdt, sopdt, sopdt-osc, ipdt, ipdt-lag", 2},
    {"gain", OPT_GAIN, "K", 0,
     "process gain, pv units per out unit; an integrator's per second too", 2},
    {"time-constant", OPT_TAU, "TIME[,TIME]", 0, "time constant, or two", 2},
    {"damping", OPT_DAMPING, "Z", 0, "damping of sopdt-osc, 0 to 1", 2},
    {"dead-time", OPT_DEAD_TIME, "TIME", 0, "dead time", 2},
    {"out0", OPT_OUT0, "OUT", 0, "operating point: OUT", 2},
    {"pv0", OPT_PV0, "PV", 0, "operating point: the PV that OUT holds", 2},
    {0},
};
static const struct argp_option tuning_list[] = {
    {"form", OPT_FORM, "FORM", 0, "controller form: ideal (default), series or parallel", 3},
    {"rule", OPT_RULE, "NAME", 0,
     "settings by a rule: all, simple, lambda, lambda-improved, simc, pole-placement, amigo, "
     "zn-reaction, zn-ultimate, tyreus-luyben, cohen-coon, chr-setpoint-0, chr-setpoint-20, "
     "chr-load-0, chr-load-20, rovira-iae, rovira-itae, lopez-iae, lopez-ise, lopez-itae",
     3},
    {"mode", OPT_MODE, "MODE", 0, "P, PI, PD or PID, where a rule has several", 3},
    {"omega", OPT_OMEGA, "RAD/S", 0,
     "pole placement: natural frequency (default: 1 / time constant)", 3},
    {"zeta", OPT_ZETA, "Z", 0, "pole placement: damping (default: 0.8)", 3},
    {"ultimate-gain", OPT_ULTIMATE_GAIN, "KU", 0,
     "of a relay test, out units per pv unit, for zn-ultimate and tyreus-luyben (default: the "
     "loop "
     "file's [relay], or the model's)",
     3},
    {"ultimate-period", OPT_ULTIMATE_PERIOD, "TIME", 0, "and its period", 3},
    {"lambda", OPT_LAMBDA, "TIME", 0,
     "closed-loop time constant for the rule (default: the dead time, at least a tenth of the "
     "time "
     "constant)",
     3},
    {0},
};
static const struct argp_option settings_list[] = {
    {"kc", OPT_KC, "KC", 0, "controller gain, out units per pv unit", 3},
    {"band", OPT_BAND, "PERCENT", 0,
     "or as proportional band, percent of PV's range for OUT's whole range", 3},
    {"kc-percent", OPT_KC_PERCENT, "KC", 0, "or as gain in percent of span on both sides", 3},
    {"repeats", OPT_REPEATS, "PER MINUTE", 0, "integral action as repeats per minute", 3},
    {"tf-ratio", OPT_FILTER_RATIO, "N", 0, "derivative filter time as td / N", 3},
    {"ti", OPT_TI, "TIME", 0, "integral time; left out: no integral action", 3},
    {"td", OPT_TD, "TIME", 0, "derivative time", 3},
    {"tf", OPT_TF, "TIME", 0, "derivative filter time", 3},
    {"kp", OPT_KP, "KP", 0, "parallel form: proportional gain", 3},
    {"ki", OPT_KI, "KI", 0, "parallel form: integral gain, per second", 3},
    {"kd", OPT_KD, "KD", 0, "parallel form: derivative gain, seconds", 3},
    {"sp-weight", OPT_SP_WEIGHT, "B", 0, "setpoint weight, 0 to 1 (default 1)", 3},
    {"pv-filter", OPT_PV_FILTER, "TIME", 0, "first-order filter on PV before the controller",
     3},
    {0},
};
static const struct argp_option windup_list[] = {
    {"anti-windup", OPT_ANTI_WINDUP, "WAY", 0,
     "none, conditional or back-calculation (default)", 3},
    {"tracking-time", OPT_TRACKING_TIME, "TIME", 0,
     "of back-calculation (default: ti; with derivative sqrt(ti td))", 3},
    {0},
};
static const struct argp_option scan_list[] = {
    {"scan", OPT_SCAN, "TIME", 0, "scan interval", 4},
    {0},
};
static const struct argp_option limit_list[] = {
    {"out-low", OPT_OUT_LOW, "OUT", 0, "lowest output", 4},
    {"out-high", OPT_OUT_HIGH, "OUT", 0, "highest output", 4},
    {"out-rate", OPT_OUT_RATE, "RATE", 0, "fastest change of the output, out units per second",
     4},
    {0},
};
static const struct argp_option output_list[] = {
    {"json", OPT_JSON, NULL, 0, "print one JSON object", 6},
    {"minutes", OPT_MINUTES, NULL, 0, "show times in minutes", 6},
    {0},
};
static const struct argp_option figure_list[] = {
    {"figure", OPT_FIGURE, "FILE", 0, "draw: .png, .svg, .pdf by name, - in the terminal", 6},
    {0},
};
static const struct argp_option save_list[] = {
    {"save", OPT_SAVE, NULL, 0, "write the result into the loop file", 6},
    {0},
};

const struct argp column_options = {.options = column_list, .parser = parse_column};
const struct argp kind_option = {.options = kind_list, .parser = parse_model};
const struct argp model_options = {.options = model_list, .parser = parse_model};
const struct argp tuning_options = {.options = tuning_list, .parser = parse_settings};
const struct argp settings_options = {.options = settings_list, .parser = parse_settings};
const struct argp windup_options = {.options = windup_list, .parser = parse_settings};
const struct argp scan_options = {.options = scan_list, .parser = parse_other};
const struct argp limit_options = {.options = limit_list, .parser = parse_other};
const struct argp output_options = {.options = output_list, .parser = parse_other};
const struct argp figure_option = {.options = figure_list, .parser = parse_other};
const struct argp save_option = {.options = save_list, .parser = parse_other};
