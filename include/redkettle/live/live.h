/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_LIVE_H
#define REDKETTLE_LIVE_LIVE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <redkettle/design/loop/design.h>
#include <redkettle/design/trial/trial.h>
#include <redkettle/device/loop.h>
#include <redkettle/live/live_port.h>
#include <redkettle/live/run_rows.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What changes at a given time of a run. */
typedef enum rk_event_kind {
    RK_EVENT_SETPOINT = 0,
    RK_EVENT_AUTO,
    RK_EVENT_MANUAL, /* value NaN: the output as it stands */
    RK_EVENT_LOAD,   /* of a simulated plant */
    RK_EVENT_SETTINGS,
    RK_EVENT_ACKNOWLEDGE, /* alarms that are over are forgotten */
} rk_event_kind;

enum { RK_EVENT_KEYS_CHARS = 160 };

typedef struct rk_event {
    double at; /* s from the start of the run */
    rk_event_kind kind;
    double value;                   /* pv-EU or out-EU */
    char keys[RK_EVENT_KEYS_CHARS]; /* of settings: "kc=-9 ti=60s" */
} rk_event;

/**
 * "sp=12.5", "manual=40", "manual", "auto", "load=-3", or keys of [settings] in a loop file
 * with blanks between: "kc=-9 ti=60s". Writes all of *event but its time.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for anything else; RK_ERR_RANGE for a setting
 *         out of its range.
 */
rk_status rk_event_parse(const char *words, rk_event *event, rk_diag *diag);

/**
 * Would this loop take it? A setpoint within PV's range, an output within its limits, settings
 * that make a controller together with those that stand.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE, and diag says why not.
 */
rk_status rk_event_check(const rk_design *design, const rk_event *event, rk_diag *diag);

/** The loop with the settings of such an event over those that stand. Errors  as rk_event_check. */
rk_status rk_event_settings(const rk_design *design, const rk_event *event, rk_design *after,
                            rk_diag *diag);

/** Put events in the order of their times; those of one time stay in theirs. */
void rk_events_sort(rk_event *events, size_t count);

/** The setpoint's largest change by events in order, from where it stands at first, pv-EU. */
double rk_events_largest_change(const rk_event *events, size_t count, double sp);

/** A loop that runs on a port, scan by scan. */
typedef struct rk_live rk_live;

/**
 * Set everything up at rest where the plant stands: automatic, sp at the PV there is. Nothing
 * is written to the port. design is copied; the port must outlive the loop. sp_rate: the setpoint's
 * ramp, pv-EU per s; infinite: it steps.
 *
 * While the device behind the port does not enable OUT, nothing is written and the loop tracks what
 * stands there; it goes on from that without a bump, and so it does after OUT could not be written.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a loop that cannot run or a valve beyond its
 *         limits; RK_ERR_IO for a port that does not answer; RK_ERR_MEMORY.
 */
rk_status rk_live_create(const rk_design *design, rk_live_port *port, double sp_rate,
                         rk_live **live, rk_diag *diag);

/**
 * What scans the loop in the place of its own blocks, such as its program text in a PLC. A scan is
 * given what the port read and what the loop is told (setpoint, mode and output of the block), and
 * writes into the block what came of it: out, alarms, mode; false: it has failed, and why says so.
 * Settings are what events make of them; what it cannot take is refused.
 */
typedef struct rk_live_engine {
    void *user;
    bool (*scan)(void *user, rk_loop *block, double pv, bool pv_there, double elapsed,
                 char why[200]);
    rk_status (*take_settings)(void *user, const rk_design *after, rk_diag *diag);
} rk_live_engine;

/** Before the first scan. */
void rk_live_set_engine(rk_live *live, const rk_live_engine *engine);

/** Why the engine stopped the run; "": it did not. */
const char *rk_live_failure(const rk_live *live);

/**
 * Do what an event says; new settings come without a bump. Nothing changes on an error.
 *
 * Errors  as rk_event_check; RK_ERR_RANGE for a load without a simulated plant.
 */
rk_status rk_live_do(rk_live *live, const rk_event *event, rk_diag *diag);

/** A scan comes `elapsed` s after the one before, which need not be the interval: the clock goes there,
 * and a simulated plant lives through what was missed. Without it the clock goes on by the interval. */
void rk_live_pass(rk_live *live, double elapsed);

/** One scan, `elapsed` s after the one before, and what follows until the next. Its memory is
 * bounded whatever it runs for. */
void rk_live_scan(rk_live *live, double elapsed);

/**
 * Put the safe output on the valve, at once and whatever the rate, trying for so long, s, where it can be
 * lost; false if the port does not take it. A device that does not enable OUT keeps what it has.
 */
bool rk_live_make_safe(rk_live *live, double seconds);

/** Has the device taken OUT: does it not enable it? */
bool rk_live_is_held(const rk_live *live);

/** The block, to look at; its clock, s; how many scans there were. */
const rk_loop *rk_live_block(const rk_live *live);
double rk_live_time(const rk_live *live);          /* of the scan that comes */
double rk_live_scan_interval(const rk_live *live); /* s */
size_t rk_live_scans(const rk_live *live);

/** The last scan's. */
rk_live_row rk_live_last(const rk_live *live);

/**
 * The run so far, for a picture: every scan, or, of a long run, every second, fourth, .. one;
 * without a name, until the next scan.
 */
rk_run_curves rk_live_curves(const rk_live *live);

/** The run's figures, of all its scans. */
rk_run_figures rk_live_figures(const rk_live *live);

/** "auto", "manual", and "tracking" while the device does not enable OUT. */
const char *rk_live_mode(const rk_live *live);

/** The alarms that hold, in words, joined by `between`, with what the port says of why: "PV is bad
 * (input 0 reads NaN)"; "" for none. */
void rk_live_alarms(const rk_live *live, const char *between, char *words, size_t room);

/** The alarms of a set in words, joined by `between`; "" for none. */
void rk_alarm_words(uint32_t alarms, const char *between, char *words, size_t room);

/** NULL does nothing. */
void rk_live_free(rk_live *live);

#ifdef __cplusplus
}
#endif

#endif
