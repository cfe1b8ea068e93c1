/* SPDX-License-Identifier: MIT */
#include <ctype.h>
#include <math.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

enum { OPTION_CHARS = 32, HELP_CHARS = 320 };

/* Keys of the groups' options: these and their places in the lists below; an option that is a
   key of the loop file has OPT_KEYS and the key's place. */
enum { OPT_TUNING = 0x1000, OPT_OTHER_WAYS = 0x1100, OPT_OUTPUT = 0x1200, OPT_KEYS = 0x2000 };

#define TO(field) offsetof(job, field)

static const command_option tuning_list[] = {
    {"rule", "NAME", 3,
     "settings by a rule: all, simple, lambda, lambda-improved, simc, pole-placement, amigo, "
     "zn-reaction, zn-ultimate, tyreus-luyben, cohen-coon, chr-setpoint-0, chr-setpoint-20, "
     "chr-load-0, chr-load-20, rovira-iae, rovira-itae, lopez-iae, lopez-ise, lopez-itae, "
     "averaging-level",
     TAKE_TEXT, TO(rule)},
    {"mode", "MODE", 3, "P, PI, PD or PID, where a rule has several", TAKE_TEXT, TO(mode)},
    {"omega", "RAD/S", 3, "pole placement: natural frequency (default: 1 / time constant)",
     TAKE_NUMBER, TO(knobs.omega)},
    {"zeta", "Z", 3, "pole placement: damping (default: 0.8)", TAKE_NUMBER, TO(knobs.zeta)},
    {"ultimate-gain", "KU", 3,
     "ultimate gain of a relay test, out units per pv unit, for zn-ultimate and tyreus-luyben "
     "(default: the loop file's [relay], or the model's)",
     TAKE_NUMBER, TO(knobs.ultimate_gain)},
    {"ultimate-period", "TIME", 3, "ultimate period of a relay test, for the same rules",
     TAKE_TIME, TO(knobs.ultimate_period)},
    {"lambda", "TIME", 3,
     "closed-loop time constant for the rule (default: the dead time, at least a tenth of the "
     "time constant)",
     TAKE_TIME, TO(knobs.lambda)},
    {"allow-deviation", "PV", 3,
     "averaging-level: how far PV may move from its setpoint for the load of --for-load",
     TAKE_NUMBER, TO(knobs.deviation)},
    {"for-load", "OUT", 3,
     "averaging-level: a load step at the process's input, OUT units, that it must stand",
     TAKE_NUMBER, TO(knobs.load)},
    {0},
};
static const command_option other_ways_list[] = {
    {"band", "PERCENT", 3,
     "controller gain as proportional band: percent of PV's range for OUT's whole range",
     TAKE_NUMBER, TO(other.band)},
    {"kc-percent", "NUMBER", 3, "controller gain in percent of span on both sides", TAKE_NUMBER,
     TO(other.kc_percent)},
    {"repeats", "NUMBER", 3, "integral action as repeats per minute", TAKE_NUMBER,
     TO(other.repeats)},
    {"tf-ratio", "NUMBER", 3, "derivative filter time as td / NUMBER", TAKE_NUMBER,
     TO(other.filter_ratio)},
    {0},
};
static const command_option output_list[] = {
    {"json", NULL, 6, "print one JSON object", TAKE_FLAG, TO(json)},
    {"minutes", NULL, 6, "show times in minutes", TAKE_FLAG, TO(minutes)},
    {"figure", "FILE", 6, "draw: .png, .svg, .pdf by name, - in the terminal", TAKE_TEXT,
     TO(figure)},
    {"save", NULL, 6, "write the result into the loop file", TAKE_FLAG, TO(save)},
    {0},
};
enum { FIGURE = 2, SAVE, LAMBDA = 6 }; /* places in the lists */

/* The same for argp: a list each, made from those above; two of them a single option's. */
enum { TUNING_MOST = 12 };
static struct argp_option tuning_argp[TUNING_MOST], other_ways_argp[TUNING_MOST],
    output_argp[3], figure_argp[2], save_argp[2];

/* The job is the input of a group's own groups too. */
static void hand_on(struct argp_state *state)
{
    if (state->child_inputs != NULL) {
        state->child_inputs[0] = state->input;
    }
}

static error_t parse_listed(int key, char *arg, struct argp_state *state)
{
    const job *j = state->input;
    error_t taken = parse_options(tuning_list, OPT_TUNING, key, arg, state);

    if (key == ARGP_KEY_INIT) {
        hand_on(state);
        return 0;
    }
    if (key == OPT_TUNING + LAMBDA && !(j->knobs.lambda > 0)) {
        refuse_option(state, "lambda", " %s: give a time above 0", arg);
    }
    if (taken != 0) {
        taken = parse_options(other_ways_list, OPT_OTHER_WAYS, key, arg, state);
    }
    return taken != 0 ? parse_options(output_list, OPT_OUTPUT, key, arg, state) : 0;
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
static error_t parse_key(int opt, char *arg, struct argp_state *state)
{
    job *j = state->input;
    const rk_key *key = opt >= OPT_KEYS ? rk_key_at((size_t)(opt - OPT_KEYS)) : NULL;
    char name[OPTION_CHARS];
    rk_diag diag;
    size_t own;

    if (opt == ARGP_KEY_INIT) {
        hand_on(state);
        return 0;
    }
    if (key == NULL) return ARGP_ERR_UNKNOWN;
    if (strcmp(key->name, "kind") == 0 && strcasecmp(arg, "auto") == 0) return 0;
    if (rk_design_set(&j->typed, key->section, key->name, arg, &diag) == RK_OK) {
        j->option[opt - OPT_KEYS] = arg;
        return 0;
    }
    /* "gain 'x' is not a number" becomes "--gain 'x' is not a number". */
    own = strlen(key->name);
    own = strncmp(diag.text, key->name, own) == 0 ? own : 0;
    refuse_option(state, option_name(key, name), "%s%s", own > 0 ? "" : ": ", diag.text + own);
    return 0;
}

/* The options that are keys, in groups: a section, and the keys of it, or all but some of them.
 */
enum { GROUP_MOST = 24 };

static const struct group {
    const char *section;
    const char *names[GROUP_MOST]; /* none: all of the section */
    const char *but[GROUP_MOST];
} groups[] = {
    {"record",
     {"time", "out", "pv", "quality", "time-unit", "date-order", "moved-at", "move",
      "out-start"},
     {NULL}},
    {"model", {"kind"}, {NULL}},
    {"model", {"kind", "gain", "time-constant", "damping", "dead-time", "out0", "pv0"}, {NULL}},
    {"settings", {"form"}, {NULL}},
    {"settings", {NULL}, {"rule", "lambda", "form", "anti-windup", "tracking-time"}},
    {"settings", {"anti-windup", "tracking-time"}, {NULL}},
    {"loop", {"scan", "delay-scans"}, {NULL}},
    {"out", {"low", "high", "rate"}, {NULL}},
    {"require", {NULL}, {NULL}},
    {"model", {"noise"}, {NULL}},
    {"program", {NULL}, {NULL}},
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
    REQUIRE,
    NOISE,
    PROGRAM,
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
    static const char *const nothing[] = {"none",      "needed",    "needed, but for ipdt",
                                          "not known", "not asked", NULL};

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
    static const char *const names[] = {
        [RK_KEY_TEXT] = "TEXT",         [RK_KEY_WORD] = "WORD",
        [RK_KEY_NUMBER] = "NUMBER",     [RK_KEY_TIME] = "TIME",
        [RK_KEY_TIMES] = "TIME[,TIME]", [RK_KEY_LAGS] = "TIME[,TIME..]",
        [RK_KEY_INTERVAL] = "LOW,HIGH", [RK_KEY_TIME_INTERVAL] = "LOW,HIGH",
        [RK_KEY_STRETCH] = "AT,LENGTH", [RK_KEY_TRIANGLE] = "LIST",
        [RK_KEY_TIME_UNIT] = "UNIT"};

    return strcmp(key->section, "record") == 0 && key->type == RK_KEY_TEXT ? "COLUMN"
                                                                           : names[key->type];
}

static void make_key_list(const struct group *group, struct argp_option *list)
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

/* Options from one to another of a list, for argp. */
static void make_list(const command_option *from, const command_option *list, int first,
                      size_t count, struct argp_option *made)
{
    size_t i;

    for (i = 0; i < count && from[i].help != NULL; i++) {
        made[i] = (struct argp_option){from[i].name, first + (int)(from + i - list),
                                       from[i].arg,  0,
                                       from[i].help, from[i].group};
    }
}

void make_key_options(void)
{
    size_t i;

    for (i = 0; i < GROUPS; i++) {
        make_key_list(&groups[i], key_lists[i]);
    }
    make_list(tuning_list, tuning_list, OPT_TUNING, TUNING_MOST, tuning_argp);
    make_list(other_ways_list, other_ways_list, OPT_OTHER_WAYS, TUNING_MOST, other_ways_argp);
    make_list(output_list, output_list, OPT_OUTPUT, 2, output_argp);
    make_list(output_list + FIGURE, output_list, OPT_OUTPUT, 1, figure_argp);
    make_list(output_list + SAVE, output_list, OPT_OUTPUT, 1, save_argp);
}

static const struct argp form_option = {.options = key_lists[FORM], .parser = parse_key};
static const struct argp other_ways = {.options = other_ways_argp, .parser = parse_listed};
static const struct argp_child form_child[] = {{&form_option, 0, NULL, 0}, {0}};
static const struct argp_child other_ways_child[] = {{&other_ways, 0, NULL, 0}, {0}};

const struct argp column_options = {.options = key_lists[COLUMNS], .parser = parse_key};
const struct argp kind_option = {.options = key_lists[KIND], .parser = parse_key};
const struct argp model_options = {.options = key_lists[MODEL], .parser = parse_key};
const struct argp tuning_options = {
    .options = tuning_argp, .parser = parse_listed, .children = form_child};
const struct argp settings_options = {
    .options = key_lists[SETTINGS], .parser = parse_key, .children = other_ways_child};
const struct argp windup_options = {.options = key_lists[WINDUP], .parser = parse_key};
const struct argp scan_options = {.options = key_lists[SCAN], .parser = parse_key};
const struct argp limit_options = {.options = key_lists[LIMITS], .parser = parse_key};
const struct argp require_options = {.options = key_lists[REQUIRE], .parser = parse_key};
const struct argp noise_option = {.options = key_lists[NOISE], .parser = parse_key};
const struct argp program_options = {.options = key_lists[PROGRAM], .parser = parse_key};
const struct argp output_options = {.options = output_argp, .parser = parse_listed};
const struct argp figure_option = {.options = figure_argp, .parser = parse_listed};
const struct argp save_option = {.options = save_argp, .parser = parse_listed};
