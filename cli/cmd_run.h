/* SPDX-License-Identifier: MIT */
#ifndef CMD_RUN_H
#define CMD_RUN_H

#include "cli.h"
#include "run_plc.h"

enum { EVENTS_MAX = 64 };

typedef struct run_job {
    job j;
    double duration, times, soft_start;
    rk_event events[EVENTS_MAX];
    size_t count; /* events */
    bool at_open; /* the last --at still wants its key=value */
    bool force, plain, real_time, safe_at_end, priority;
    const char *record;
    const char *with, *dir; /* "blocks" or "plc", whose program stands in dir */

    rk_design seen[2]; /* the loop as the ports have it: OUT comes late to a simulated plant */
    rk_live_port port[2];
    rk_live *live, *stepped; /* stepped: the same without the soft start */
    run_plc *plc;            /* NULL: the blocks run */
    rk_record_log *log;
    uint32_t alarms; /* at the last scan */
    int told;        /* of them */
    bool view, held;
    rk_timing timing;
    const char *refused; /* why the system gave no priority; "": it did, NULL: nobody asked */
    rk_diag refusal;
} run_job;

/** How a run ended. */
typedef struct run_end {
    bool stopped; /* by a signal */
    bool wanted;  /* the safe output, */
    bool safe;    /* and it is on the valve, or the device has it */
} run_end;

/** Tell what came of it, with the figure. */
int tell_run(const run_job *r, const run_end *end);

/** --at: "60s sp=12.5" in one argument, or "60s" with "sp=12.5" as the next. */
void take_at(job *j, struct argp_state *state, const command_option *o, const char *arg);

/** The words of an --at as arguments of their own; "ti=60s" behind --at 5min kc=-9 joins it. */
bool take_event_argument(job *j, const char *arg);

/** The last --at has its words. */
int check_at(job *j);

/** Would the loop take them? In the order of their times from then on. */
int check_events(run_job *r);

#endif
