/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cmd_run.h"

void take_at(job *j, struct argp_state *state, const command_option *o, const char *arg)
{
    run_job *r = (run_job *)j;
    const size_t width = strcspn(arg, " ");
    rk_event *e = &r->events[r->count];
    rk_diag diag;
    double at = 0;

    if (r->count == EVENTS_MAX) {
        refuse_option(state, o->name, ": %d of them at most", EVENTS_MAX);
        return;
    }
    if (!rk_time_parse(arg, width, &at) || !(at >= 0)) {
        refuse_option(state, o->name, ": '%.*s' is not a time; for example --at 60s sp=12.5",
                      (int)width, arg);
    }
    r->at_open = arg[width] == '\0';
    if (!r->at_open) {
        if (rk_event_parse(arg + width + strspn(arg + width, " "), e, &diag) != RK_OK) {
            refuse_option(state, o->name, ": %s", diag.text);
        }
        r->count++;
    }
    e->at = at;
}

bool take_event_argument(job *j, const char *arg)
{
    run_job *r = (run_job *)j;
    rk_event *last = &r->events[r->count > 0 ? r->count - 1 : 0];
    char words[RK_EVENT_KEYS_CHARS];

    if (r->at_open) {
        if (rk_event_parse(arg, &r->events[r->count], NULL) != RK_OK) return false;
        r->at_open = false;
        r->count++;
        return true;
    }
    if (r->count == 0 || last->kind != RK_EVENT_SETTINGS ||
        snprintf(words, sizeof words, "%s %s", last->keys, arg) >= (int)sizeof words) {
        return false;
    }
    return rk_event_parse(words, last, NULL) == RK_OK;
}

int check_at(job *j)
{
    if (!((run_job *)j)->at_open) return EXIT_DONE;
    return fail(j, EXIT_USAGE, "--at: what then? for example --at 60s sp=12.5");
}

int check_events(run_job *r)
{
    rk_diag diag;
    size_t i;

    for (i = 0; i < r->count; i++) {
        const rk_event *e = &r->events[i];

        if (e->at >= r->duration) {
            return fail(&r->j, EXIT_USAGE, "--at %gs is not within the run of %g s", e->at,
                        r->duration);
        }
        if (rk_event_check(&r->j.loop, e, &diag) != RK_OK) {
            return fail(&r->j, EXIT_USAGE, "--at %gs: %s", e->at, diag.text);
        }
    }
    rk_events_sort(r->events, r->count);
    return EXIT_DONE;
}
