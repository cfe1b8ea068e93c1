/* SPDX-License-Identifier: MIT */
#include <ctype.h>
#include <math.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

enum { OPTION_CHARS = 32, HELP_CHARS = 320 };

/* Keys of the options that have no letter; an option that is a key of the loop file has
   OPT_KEYS and the key's place. */
enum {
    OPT_RULE = 0x1000,
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
    OPT_JSON,
    OPT_MINUTES,
    OPT_FIGURE,
    OPT_SAVE,
    OPT_KEYS = 0x2000,
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

/* The job is the input of a group's own groups too. */
static void hand_on(struct argp_state *state)
{
    if (state->child_inputs != NULL) {
        state->child_inputs[0] = state->input;
    }
}

/* The option of a key: [out] and [pv] have names in common, so that theirs begin with the
 * section. */
static const char *option_name(const rk_key *key, char name[OPTION_CHARS])
{
    const bool shared = strcmp(key->section, "out") == 0 || strcmp(key->section, "pv") == 0;

    (void)snprintf(name, OPTION_CHARS, "%s%s%s", shared ? key->section : "", shared ? "-" : "",
                   key->name);
    return name;
}

/* A key's value is looked at here and laid over the file's when that is read. */
static error_t parse_key(int option, char *arg, struct argp_state *state)
{
    job *j = state->input;
    const rk_key *key = option >= OPT_KEYS ? rk_key_at((size_t)(option - OPT_KEYS)) : NULL;
    char name[OPTION_CHARS];
    rk_diag diag;
    size_t own;

    if (option == ARGP_KEY_INIT) {
        hand_on(state);
        return 0;
    }
    if (key == NULL) return ARGP_ERR_UNKNOWN;
    if (strcmp(key->name, "kind") == 0 && strcasecmp(arg, "auto") == 0) return 0;
    if (rk_design_set(&j->typed, key->section, key->name, arg, &diag) == RK_OK) {
        j->option[option - OPT_KEYS] = arg;
        return 0;
    }
    /* "gain 'x' is not a number" becomes "--gain 'x' is not a number". */
    own = strlen(key->name);
    own = strncmp(diag.text, key->name, own) == 0 ? own : 0;
    argp_failure(state, EXIT_USAGE, 0, "--%s%s%s", option_name(key, name), own > 0 ? "" : ": ",
                 diag.text + own);
    return 0;
}

static error_t parse_settings(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
    case ARGP_KEY_INIT:
        hand_on(state);
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
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static error_t parse_other(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;

    switch (key) {
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

static const struct argp_option tuning_list[] = {
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
static const struct argp_option other_ways_list[] = {
    {"band", OPT_BAND, "PERCENT", 0,
     "controller gain as proportional band: percent of PV's range for OUT's whole range", 3},
    {"kc-percent", OPT_KC_PERCENT, "NUMBER", 0,
     "controller gain in percent of span on both sides", 3},
    {"repeats", OPT_REPEATS, "NUMBER", 0, "integral action as repeats per minute", 3},
    {"tf-ratio", OPT_FILTER_RATIO, "NUMBER", 0, "derivative filter time as td / NUMBER", 3},
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

/* The options that are keys, in groups: a section, and the keys of it, or all but some of them.
 */
enum { GROUP_MOST = 24 };

static const struct group {
    const char *section;
    const char *names[GROUP_MOST]; /* none: all of the section */
    const char *but[GROUP_MOST];
} groups[] = {
    {"record", {"time", "out", "pv", "quality", "time-unit"}, {NULL}},
    {"model", {"kind"}, {NULL}},
    {"model", {"kind", "gain", "time-constant", "damping", "dead-time", "out0", "pv0"}, {NULL}},
    {"settings", {"form"}, {NULL}},
    {"settings", {NULL}, {"rule", "lambda", "form", "anti-windup", "tracking-time"}},
    {"settings", {"anti-windup", "tracking-time"}, {NULL}},
    {"loop", {"scan"}, {NULL}},
    {"out", {"low", "high", "rate"}, {NULL}},
};

enum {
    COLUMNS,
    KIND,
    MODEL,
    FORM,
    SETTINGS,
    WINDUP,
    SCAN,
    LIMITS,
    GROUPS = sizeof groups / sizeof groups[0]
};

/* Made from the table of keys before a command line is read. */
static struct argp_option key_lists[GROUPS][GROUP_MOST + 1];
static char option_names[RK_KEYS_MAX][OPTION_CHARS], option_helps[RK_KEYS_MAX][HELP_CHARS];

static bool is_listed(const char *const *list, const char *name)
{
    for (; *list != NULL; list++) {
        if (strcmp(*list, name) == 0) return true;
    }
    return false;
}

static bool says_something(const char *otherwise)
{
    static const char *const nothing[] = {"none", "needed", "needed, but for ipdt", "not known",
                                          NULL};

    return !is_listed(nothing, otherwise);
}

/* "Controller gain." as options are explained: "controller gain (a number that is ...)". */
static const char *option_help(const rk_key *key, char help[HELP_CHARS])
{
    rk_text *text = rk_text_create();
    const int sentence = (int)strlen(key->help) - 1;
    const bool name_first =
        strncmp(key->help, "PV", 2) == 0 || strncmp(key->help, "OUT", 3) == 0;
    const bool has_default = says_something(key->otherwise);

    if (key->type != RK_KEY_TEXT) {
        rk_key_describe(key, text);
    }
    if (has_default) {
        rk_text_add(text, "%sdefault: %s", rk_text_length(text) > 0 ? "; " : "",
                    key->otherwise);
    }
    if (rk_text_check(text, NULL) == RK_OK) {
        (void)snprintf(help, HELP_CHARS, "%.*s (%s)", sentence, key->help, rk_text_chars(text));
    }
    if (!name_first) {
        help[0] = (char)tolower((unsigned char)help[0]);
    }
    rk_text_free(text);
    return help;
}

static const char *argument_name(const rk_key *key)
{
    static const char *const names[] = {"TEXT",        "WORD",     "NUMBER",   "TIME",
                                        "TIME[,TIME]", "LOW,HIGH", "LOW,HIGH", "AT,LENGTH",
                                        "LIST",        "UNIT"};

    return strcmp(key->section, "record") == 0 && key->type == RK_KEY_TEXT ? "COLUMN"
                                                                           : names[key->type];
}

static void make_list(const struct group *group, struct argp_option *list)
{
    size_t i;

    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);

        if (strcmp(key->section, group->section) != 0) continue;
        if (group->names[0] != NULL && !is_listed(group->names, key->name)) continue;
        if (is_listed(group->but, key->name)) continue;
        *list++ = (struct argp_option){.name = option_name(key, option_names[i]),
                                       .key = OPT_KEYS + (int)i,
                                       .arg = argument_name(key),
                                       .doc = option_help(key, option_helps[i])};
    }
}

static void make_lists(void)
{
    size_t i;

    for (i = 0; i < GROUPS; i++) {
        make_list(&groups[i], key_lists[i]);
    }
}

static const struct argp form_option = {.options = key_lists[FORM], .parser = parse_key};
static const struct argp other_ways = {.options = other_ways_list, .parser = parse_settings};
static const struct argp_child form_child[] = {{&form_option, 0, NULL, 0}, {0}};
static const struct argp_child other_ways_child[] = {{&other_ways, 0, NULL, 0}, {0}};

const struct argp column_options = {.options = key_lists[COLUMNS], .parser = parse_key};
const struct argp kind_option = {.options = key_lists[KIND], .parser = parse_key};
const struct argp model_options = {.options = key_lists[MODEL], .parser = parse_key};
const struct argp tuning_options = {
    .options = tuning_list, .parser = parse_settings, .children = form_child};
const struct argp settings_options = {
    .options = key_lists[SETTINGS], .parser = parse_key, .children = other_ways_child};
const struct argp windup_options = {.options = key_lists[WINDUP], .parser = parse_key};
const struct argp scan_options = {.options = key_lists[SCAN], .parser = parse_key};
const struct argp limit_options = {.options = key_lists[LIMITS], .parser = parse_key};
const struct argp output_options = {.options = output_list, .parser = parse_other};
const struct argp figure_option = {.options = figure_list, .parser = parse_other};
const struct argp save_option = {.options = save_list, .parser = parse_other};

int run_command(const struct argp *argp, int argc, char **argv, job *j, int (*run)(job *j))
{
    static char name[64];
    int status = EXIT_USAGE;

    (void)snprintf(name, sizeof name, "redkettle %s", argv[0]);
    argv[0] = name;
    argp_err_exit_status = EXIT_USAGE;
    make_lists();
    j->argp = argp;
    if (argp_parse(argp, argc, argv, j->in_order ? ARGP_IN_ORDER : 0, NULL, j) == 0) {
        status = run(j);
    }
    job_free(j);
    return status;
}
