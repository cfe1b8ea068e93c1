/* SPDX-License-Identifier: MIT */
#ifndef LIVE_LOOP_H
#define LIVE_LOOP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <redkettle/redkettle.h>

/** What changes at a given time of a run. */
typedef enum event_kind {
    EVENT_SP,
    EVENT_AUTO,
    EVENT_MANUAL, /* value NaN: the output as it stands */
    EVENT_LOAD
} event_kind;

typedef struct event {
    double at; /* s */
    event_kind kind;
    double value;
} event;

enum { EVENTS_MAX = 64 };

/** "sp=12.5", "manual=40", "manual", "auto" or "load=-3"; false if it is none of these. */
bool event_parse(const char *words, event *made);

/** A loop running on the simulated plant of its loop file. */
typedef struct live_loop live_loop;

/**
 * Set everything up, at rest where the plant stands: automatic, sp at the PV there is. sp_rate:
 * the setpoint's ramp, pv-EU per s; infinite: it steps.
 *
 * Errors  RK_ERR_RANGE for a loop that cannot run; RK_ERR_IO for a port that does not answer;
 *         RK_ERR_MEMORY.
 */
rk_status live_loop_create(const rk_design *design, double sp_rate, live_loop **made,
                           rk_diag *diag);

/** Do what an event says; false for a setpoint or an output out of range, which changes
 * nothing. */
bool live_loop_do(live_loop *live, const event *what);

/** One scan, `elapsed` s after the one before, and what follows until the next. */
rk_status live_loop_scan(live_loop *live, double elapsed, rk_diag *diag);

/** Put the safe output on the valve, at once; false if the port does not take it. */
bool live_loop_make_safe(live_loop *live);

/** The block, to look at; its clock, s; the scans so far, without a name, until the next. */
rk_loop *live_loop_block(live_loop *live);
double live_loop_time(const live_loop *live);
rk_run_curves live_loop_curves(const live_loop *live);

/** "auto", "manual". */
const char *live_loop_mode(const live_loop *live);

/** The alarms of a set in words, joined by `between`; "" for none. */
void alarm_words(uint32_t alarms, const char *between, char *words, size_t room);

void live_loop_free(live_loop *live);

#endif
