/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "clock.h"
#include "cmd_bump.h"
#include "terminal.h"

static void make(job *j)
{
    bump_job *b = (bump_job *)j;

    b->gain_within = b->dead_time_within = nan("");
}

/* "3%", "3". */
static void take_percent(job *j, struct argp_state *state, const command_option *o,
                         const char *arg)
{
    const size_t length = strlen(arg);
    const size_t digits = length > 0 && arg[length - 1] == '%' ? length - 1 : length;
    double *to = (double *)(void *)((char *)j + o->to);

    if (!rk_number_parse(arg, digits, to) || !(*to > 0 && *to <= 100)) {
        refuse_option(state, o->name, ": '%s' is not a percentage above 0, such as 3%%", arg);
    }
}

static void take_moves(job *j, struct argp_state *state, const command_option *o,
                       const char *arg)
{
    rk_bump_plan *plan = &((bump_job *)j)->plan;

    plan->moves = rk_numbers_parse(arg, ',', false, plan->move, RK_BUMP_MOVES_MAX);
    if (plan->moves == 0) {
        refuse_option(state, o->name,
                      ": '%s' is not a list of up to %d numbers such as 5,-10,5", arg,
                      RK_BUMP_MOVES_MAX);
    }
}

static int plan_moves(bump_job *b)
{
    rk_bump_plan *p = &b->plan;

    if (p->moves > 0 && (!isnan(b->move) || b->back || b->doublet)) {
        return fail(&b->j, EXIT_USAGE,
                    "--moves says it all: leave --move, --back, --doublet out");
    }
    if (p->moves > 0) return EXIT_DONE;
    if (isnan(b->move)) {
        return fail(&b->j, EXIT_USAGE,
                    "how far? give --move SIZE, or --moves SIZE,SIZE,...; redkettle inspect on "
                    "an earlier record says how far");
    }
    if (b->back && b->doublet) {
        return fail(&b->j, EXIT_USAGE, "give --back or --doublet, not both");
    }
    p->moves = b->doublet ? 3 : b->back ? 2 : 1;
    p->move[0] = b->move;
    p->move[1] = b->doublet ? -2 * b->move : -b->move;
    p->move[2] = b->move;
    return EXIT_DONE;
}

static int plan_test(job *j)
{
    bump_job *b = (bump_job *)j;
    rk_diag diag = {RK_OK, ""};
    const int status = plan_moves(b);

    if (status != EXIT_DONE) return status;
    if (rk_bump_plan_complete(&b->plan, &b->j.loop, &diag) != RK_OK) {
        return fail(&b->j, EXIT_USAGE, "%s", diag.text);
    }
    if (b->record == NULL && b->j.loop.record_path[0] == '\0') {
        return fail(&b->j, EXIT_USAGE, "where to? give --record FILE, or [record] file");
    }
    b->record = b->record != NULL ? b->record : b->j.loop.record_path;
    return EXIT_DONE;
}

int open_port(bump_job *b)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    catch_signals();
    if (b->j.loop.port.kind != RK_PORT_SIM) {
        b->real_time = true;
    }
    status = rk_live_port_open(&b->j.loop, &b->port, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(&b->j, status, &diag);
}

int check_enabled(const bump_job *b)
{
    if (!rk_live_port_holds(&b->port)) return EXIT_DONE;
    return fail(&b->j, EXIT_NO_ACCESS,
                "the device does not enable OUT ([port] enable reads 0): nothing was moved");
}

/* Everything that can fail before OUT moves. */
static int set_up(job *j)
{
    bump_job *b = (bump_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    const int opened = open_port(b);

    if (opened != EXIT_DONE) return opened;
    status = rk_bump_create(&b->plan, &b->port.seam, &b->bump, &diag);
    if (check_enabled(b) != EXIT_DONE) return EXIT_NO_ACCESS;
    if (status == RK_OK) {
        status = rk_record_create(&b->j.record, &diag);
    } else if (status == RK_ERR_RANGE) {
        return fail(&b->j, EXIT_USAGE, "%s", diag.text);
    } else if (status == RK_ERR_IO) {
        const char *why = rk_live_port_why(&b->port);

        return fail(&b->j, EXIT_NO_ACCESS, "%s%s%s%s", diag.text, why[0] != '\0' ? " (" : "",
                    why, why[0] != '\0' ? ")" : "");
    }
    if (status == RK_OK && (!isnan(b->gain_within) || !isnan(b->dead_time_within))) {
        status = rk_enough_create(b->gain_within, b->dead_time_within, b->real_time, &b->enough,
                                  &diag);
    }
    if (status == RK_OK) {
        status =
            rk_record_log_create(b->record, &b->j.loop, b->force, b->real_time, &b->log, &diag);
    }
    return fail_range(&b->j, status, &diag);
}

/* The terminal is written to at most so often, s. */
#define SHOW_EVERY 0.1
/* The disk may take so long at the end, s; so may what is told after a signal. */
#define DISK_FOR 2.0
enum { TELL_FOR = 2 };

bool is_time_to_show(bump_job *b)
{
    const double now = rk_clock_now();

    if (now - b->shown < SHOW_EVERY) return false;
    b->shown = now;
    return true;
}

static bool watch(void *user, double time, double pv, double out)
{
    static const char *const states[] = {"waiting for PV to be steady", "testing", "done",
                                         "stopped", "OUT is not back yet"};
    bump_job *b = user;
    const double left = rk_bump_time_left(b->bump);
    const char *enough;

    if (b->enough != NULL && !isnan(pv)) {
        rk_enough_add(b->enough, time, out, pv);
        enough = rk_enough_why(b->enough);
        if (enough != NULL) {
            rk_bump_finish(b->bump, enough);
        }
    }
    if (is_time_to_show(b)) {
        terminal_progress("  %s: %.4g %s left, PV %.5g %s, OUT %.4g %s",
                          states[rk_bump_get_state(b->bump)], b->j.minutes ? left / 60.0 : left,
                          b->j.minutes ? "min" : "s", pv, b->j.loop.pv_units, out,
                          b->j.loop.out_units);
    }
    return true;
}

int begin_test(bump_job *b)
{
    rk_diag diag = {RK_OK, ""};

    if (!terminal_start(NULL)) {
        return fail(&b->j, EXIT_NO_ACCESS, "no thread to write to the terminal with");
    }
    if (b->priority) {
        prioritise("bump", &b->port, &diag);
    }
    return EXIT_DONE;
}

int end_test(bump_job *b, int status)
{
    rk_diag diag = {RK_OK, ""};
    const bool recorded = rk_record_log_finish(b->log, DISK_FOR, &diag) == RK_OK;

    release_signals(status, TELL_FOR);
    terminal_end();
    if (recorded) return EXIT_DONE;
    /* What has stopped a step test is told with how it ended. */
    return b->bump != NULL && rk_bump_get_state(b->bump) == RK_BUMP_STOPPED
               ? EXIT_NO_ACCESS
               : fail_diag(&b->j, RK_ERR_IO, &diag);
}

static int status_of(rk_bump_state state)
{
    return state == RK_BUMP_STRANDED ? EXIT_NO_ACCESS
           : state == RK_BUMP_DONE   ? EXIT_DONE
                                     : EXIT_VERDICT_NO;
}

static int run_test(job *j)
{
    bump_job *b = (bump_job *)j;
    rk_pace pace = real_pace(b->real_time ? 1.0 : nan(""), b);
    const int begun = begin_test(b);

    if (begun != EXIT_DONE) return begun;
    pace.seen = watch;
    rk_bump_run(b->bump, b->plan.ts, b->j.loop.out_units, &b->port, b->j.record, b->log, &pace,
                &b->made);
    b->recorded = end_test(b, status_of(rk_bump_get_state(b->bump)));
    return EXIT_DONE;
}

static int bump(job *j)
{
    static step_function *const test[] = {plan_test, need_port, set_up,
                                          run_test,  tell_test, NULL};
    bump_job *b = (bump_job *)j;

    if (!isnan(b->relay.amplitude)) return run_relay(j);
    if (j->save) {
        return fail(j, EXIT_USAGE, "--save keeps what a relay test found: give --relay SIZE");
    }
    return take_steps(j, test);
}

static void free_test(job *j)
{
    bump_job *b = (bump_job *)j;

    rk_record_log_free(b->log);
    rk_bump_free(b->bump);
    rk_relay_test_free(b->test);
    rk_enough_free(b->enough);
    rk_live_port_close(&b->port);
}

#define TO(field) offsetof(bump_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The step test, or with --relay the relay test:", TAKE_HEADING},
    {"move", "SIZE", 1, "move OUT by this much, out units with their sign", TAKE_NUMBER,
     TO(move)},
    {"back", NULL, 1, "record the way back of --move too", TAKE_FLAG, TO(back)},
    {"doublet", NULL, 1, "after --move to the other side as far, and back", TAKE_FLAG,
     TO(doublet)},
    {"moves", "SIZE,SIZE,...", 1, "a list of moves of OUT, each from the one before", TAKE_OWN,
     0, take_moves},
    {"relay", "SIZE", 1,
     "a relay test: OUT switched by this much to both sides until PV swings evenly, which "
     "gives the ultimate gain and period",
     TAKE_NUMBER, TO(relay.amplitude)},
    {"hysteresis", "PV", 1,
     "relay test: switch this far beyond PV's start (default: 3 deviations of its noise)",
     TAKE_NUMBER, TO(relay.hysteresis)},
    {"cycles", "N", 1, "relay test: average so many even cycles (default: 3)", TAKE_NUMBER,
     TO(relay.cycles)},
    {"hold", "TIME", 1,
     "hold OUT so long after each move (default: dead time + 5 time constants of the model)",
     TAKE_TIME, TO(plan.hold)},
    {"before", "TIME", 1, "PV must be steady so long before the first move (default: 30 scans)",
     TAKE_TIME, TO(plan.before)},
    {"patience", "TIME", 1,
     "wait at most so long for PV to be steady; 0: move in any case (default: 20 times "
     "--before)",
     TAKE_TIME, TO(plan.patience)},
    {"pv-low", "PV", 1, "stop if PV falls below (default: PV's range)", TAKE_NUMBER,
     TO(plan.pv_low)},
    {"pv-high", "PV", 1, "stop if PV rises above (default: PV's range)", TAKE_NUMBER,
     TO(plan.pv_high)},
    {"until-gain-within", "PERCENT", 1,
     "end as soon as the gain of a model of the record so far is known within this, 95 %",
     TAKE_OWN, TO(gain_within), take_percent},
    {"until-dead-time-within", "PERCENT", 1, "the same of the dead time", TAKE_OWN,
     TO(dead_time_within), take_percent},
    {"record", "FILE", 1, "write the record here (default: the loop's [record] file)",
     TAKE_TEXT, TO(record)},
    {"force", NULL, 1, "write over a record that is there", TAKE_FLAG, TO(force)},
    {"real-time", NULL, 1,
     "run by the wall clock; without, the simulated plant's clock runs ahead", TAKE_FLAG,
     TO(real_time)},
    {"priority", NULL, 1, "ask the system for real-time scheduling and locked memory",
     TAKE_FLAG, TO(priority)},
    {0},
};
static const struct argp_child groups[] = {
    {&scan_options, 0, "The loop:", 2},
    {&limit_options, 0, NULL, 2},
    {&output_options, 0, "Output:", 4},
    {&save_option, 0, "Saving what a relay test found:", 5},
    {0},
};

const command command_bump = {
    .name = "bump",
    .what = "a step test, made and recorded through a port",
    .input = "LOOP.loop",
    .help = "Make a step test through a port and record it: wait until PV is steady, move OUT, "
            "hold, put OUT back. Whatever ends the test, OUT goes back to where it was. The "
            "port is what the loop file's [port] says: a device over Modbus, or the simulated "
            "plant of [plant].\v"
            "Example: redkettle bump blend-brix.loop --move 5 --back --hold 5min --record "
            "test.csv",
    .options = options,
    .groups = groups,
    .size = sizeof(bump_job),
    .make = make,
    .steps = (step_function *const[]){bump, NULL},
    .free = free_test,
};
