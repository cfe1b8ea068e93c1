/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "cli.h"

/* Keys of a command's own options: this and the option's place. */
enum { OPT_OWN = 0x4000, OPTIONS_MOST = 32, NAMES_MOST = 160 };

static size_t count_options(const command_option *options)
{
    size_t count = 0;

    while (options != NULL && options[count].help != NULL) {
        count++;
    }
    return count;
}

void refuse_option(struct argp_state *state, const char *name, const char *format, ...)
{
    char words[400];
    va_list args;

    va_start(args, format);
    (void)vsnprintf(words, sizeof words, format, args);
    va_end(args);
    argp_failure(state, EXIT_USAGE, 0, "--%s%s", name, words);
}

static void take_value(const command_option *o, job *j, char *arg, struct argp_state *state)
{
    void *to = (char *)j + o->to;

    switch (o->take) {
    case TAKE_FLAG:
        *(bool *)to = true;
        break;
    case TAKE_TEXT:
        *(const char **)to = arg;
        break;
    case TAKE_NUMBER:
        if (!rk_number_parse(arg, strlen(arg), to)) {
            refuse_option(state, o->name, ": '%s' is not a number; use a decimal point", arg);
        }
        break;
    case TAKE_TIME:
        if (!rk_time_parse(arg, strlen(arg), to)) {
            char flaw[RK_FLAW_CHARS];

            refuse_option(state, o->name, ": '%s' %s", arg, rk_time_flaw(arg, flaw));
        }
        break;
    default:
        o->own(j, state, o, arg);
        break;
    }
}

error_t parse_options(const command_option *options, int first, int key, char *arg,
                      struct argp_state *state)
{
    const int count = (int)count_options(options);

    if (key < first || key >= first + count) return ARGP_ERR_UNKNOWN;
    take_value(&options[key - first], state->input, arg, state);
    return 0;
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    job *j = state->input;
    const command *c = j->command;
    int i;

    switch (key) {
    case ARGP_KEY_INIT:
        for (i = 0; c->groups != NULL && c->groups[i].argp != NULL; i++) {
            state->child_inputs[i] = j;
        }
        return 0;
    case ARGP_KEY_ARG:
        if (c->take_argument != NULL && c->take_argument(j, arg)) return 0;
        if (c->input == NULL) {
            argp_failure(state, EXIT_USAGE, 0, "%s takes no file", c->name);
        }
        if (j->input != NULL) {
            argp_failure(state, EXIT_USAGE, 0, "one file at a time: '%s' and '%s'", j->input,
                         arg);
        }
        j->input = arg;
        return 0;
    default:
        return parse_options(c->options, OPT_OWN, key, arg, state);
    }
}

/* The names of a group of options, and of the groups within it; gives how many there are. */
static size_t list_names(const struct argp *argp, const char **names, size_t count)
{
    const struct argp_option *o;
    const struct argp_child *child;

    for (o = argp->options; o != NULL && (o->name != NULL || o->doc != NULL); o++) {
        if (o->name != NULL && count < NAMES_MOST) {
            names[count++] = o->name;
        }
    }
    for (child = argp->children; child != NULL && child->argp != NULL; child++) {
        count = list_names(child->argp, names, count);
    }
    return count;
}

/* A mistyped option is answered with the nearest one; the beginning of a name will do. */
static bool options_are_known(const struct argp *argp, int argc, char **argv)
{
    const char *names[NAMES_MOST + 4] = {"help", "usage"};
    const size_t count = list_names(argp, names, 2);
    char typed[40];
    size_t width, i;
    int at;

    for (at = 1; at < argc && strcmp(argv[at], "--") != 0; at++) {
        width = strcspn(argv[at], "=");
        if (strncmp(argv[at], "--", 2) != 0) continue;
        for (i = 0; i < count && strncmp(names[i], argv[at] + 2, width - 2) != 0; i++) {
            continue;
        }
        if (i < count) continue;
        (void)snprintf(typed, sizeof typed, "%.*s", (int)width - 2, argv[at] + 2);
        tell_unknown(argv[0], "unrecognized option", "--", typed, names, argv[0]);
        return false;
    }
    return true;
}

/* Numbers and times are NaN until they are given. */
static job *make_job(const command *c)
{
    const double none = nan("");
    job *made = calloc(1, c->size);
    size_t i;

    if (made == NULL) return NULL;
    made->command = c;
    made->typed = made->loop = rk_design_make();
    made->knobs = rk_knobs_make();
    made->other = rk_other_settings_make();
    made->fit_plan = rk_fit_plan_make();
    made->fit_plan.any_kind = false; /* fit asks for that */
    for (i = 0; i < count_options(c->options); i++) {
        if (c->options[i].take == TAKE_NUMBER || c->options[i].take == TAKE_TIME) {
            memcpy((char *)made + c->options[i].to, &none, sizeof none);
        }
    }
    if (c->make != NULL) {
        c->make(made);
    }
    return made;
}

int take_steps(job *j, step_function *const *steps)
{
    int status = EXIT_DONE;

    for (; *steps != NULL && status == EXIT_DONE; steps++) {
        status = (*steps)(j);
    }
    return status;
}

int refuse_wrong(const job *j, const wrong_option *list)
{
    for (; list->why != NULL; list++) {
        if (list->is_so) return fail(j, EXIT_USAGE, "%s", list->why);
    }
    return EXIT_DONE;
}

int run_command(const command *c, int argc, char **argv)
{
    struct argp_option list[OPTIONS_MOST + 1];
    const struct argp argp = {list, parse, c->input, c->help, c->groups, NULL, NULL};
    const size_t count = count_options(c->options);
    job *j = make_job(c);
    int status = EXIT_USAGE;
    char name[64];
    size_t i;

    if (j == NULL) {
        (void)fprintf(stderr, "redkettle %s: out of memory\n", c->name);
        return EXIT_NO_ACCESS;
    }
    memset(list, 0, sizeof list);
    for (i = 0; i < count && i < OPTIONS_MOST; i++) {
        const command_option *o = &c->options[i];
        const bool heading = o->take == TAKE_HEADING;

        list[i] = (struct argp_option){
            o->name, heading ? 0 : OPT_OWN + (int)i, o->arg, 0, o->help, o->group};
    }
    (void)snprintf(name, sizeof name, "redkettle %s", argv[0]);
    argv[0] = name;
    argp_err_exit_status = EXIT_USAGE;
    make_key_options();
    if (options_are_known(&argp, argc, argv) &&
        argp_parse(&argp, argc, argv, c->in_order ? ARGP_IN_ORDER : 0, NULL, j) == 0) {
        status = load(j);
        if (status == EXIT_DONE) {
            status = take_steps(j, c->steps);
        }
    }
    if (c->free != NULL) {
        c->free(j);
    }
    rk_record_free(j->record);
    free(j);
    return status;
}
