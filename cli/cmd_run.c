/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <unistd.h>

#include "clock.h"
#include "cmd_run.h"
#include "run_view.h"
#include "terminal.h"

static void make(job *j)
{
    run_job *r = (run_job *)j;

    r->duration = 600.0;
    r->with = "blocks";
    r->dir = ".";
}

/* What does not go with a device, whose time is real and of which there is one. */
static int check_device(run_job *r)
{
    const char *kind = rk_port_kind_to_text(r->j.loop.port.kind);

    if (!isnan(r->times) && r->times != 1.0) {
        return fail(&r->j, EXIT_USAGE, "--times: the time of [port] kind %s is real", kind);
    }
    if (strcmp(r->with, "plc") == 0 || !isnan(r->soft_start)) {
        return fail(&r->j, EXIT_USAGE,
                    "%s goes with the simulated plant, and [port] kind is %s",
                    isnan(r->soft_start) ? "--with plc" : "--soft-start", kind);
    }
    r->times = 1.0;
    return EXIT_DONE;
}

static int check_options(job *j)
{
    run_job *r = (run_job *)j;

    if (r->real_time && isnan(r->times)) {
        r->times = 1.0;
    }
    if (!(r->duration > 0) || !(r->duration / r->j.loop.ts <= 1e8)) {
        return fail(&r->j, EXIT_USAGE, "--for: give a time above 0, at most 100 million scans");
    }
    if (!isnan(r->times) && !(r->times > 0 && r->times <= 1e6)) {
        return fail(&r->j, EXIT_USAGE, "--times: give 0.001 to 1000000");
    }
    if (r->j.loop.port.kind != RK_PORT_SIM) {
        const int status = check_device(r);

        if (status != EXIT_DONE) return status;
    }
    if (strcmp(r->with, "blocks") != 0 && strcmp(r->with, "plc") != 0) {
        return fail(&r->j, EXIT_USAGE, "--with '%s' is none of blocks, plc", r->with);
    }
    if (strcmp(r->with, "plc") == 0 && !isnan(r->soft_start)) {
        return fail(&r->j, EXIT_USAGE,
                    "--soft-start goes with the blocks: the program has a ramp of its own, "
                    "[settings] sp-rate");
    }
    if (!isnan(r->soft_start) && (!(r->soft_start > 0) || !isnan(r->times))) {
        return fail(
            &r->j, EXIT_USAGE,
            "--soft-start: give a time above 0, and no --real-time or --times: two runs "
            "cannot share a clock");
    }
    return check_events(r);
}

/* The loop on a port of its own. */
static rk_status start(run_job *r, int which, double sp_rate, rk_live **live, rk_diag *diag)
{
    rk_design *seen = &r->seen[which];
    rk_status status;

    *seen = r->j.loop;
    if (seen->port.kind == RK_PORT_SIM) {
        seen->plant.model = rk_model_delayed(&seen->plant.model, rk_design_delay(seen));
    }
    status = rk_live_port_open(seen, &r->port[which], diag);
    if (status != RK_OK) return status;
    return rk_live_create(&r->j.loop, &r->port[which], sp_rate, live, diag);
}

/* Each change of settings must be one that the program has a variable for. */
static rk_status check_with_program(run_job *r, rk_diag *diag)
{
    rk_design after;
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < r->count && status == RK_OK; i++) {
        if (r->events[i].kind != RK_EVENT_SETTINGS) continue;
        status = rk_event_settings(&r->j.loop, &r->events[i], &after, diag);
        if (status == RK_OK) {
            status = run_plc_can(r->plc, &after, diag);
        }
    }
    return status;
}

/* With a soft start the setpoint's largest change takes as long as was asked for. */
static int set_up(job *j)
{
    run_job *r = (run_job *)j;
    const bool soft = !isnan(r->soft_start);
    const double largest =
        rk_events_largest_change(r->events, r->count, r->j.loop.plant.model.pv0);
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    catch_signals();
    if (soft && largest == 0) {
        return fail(&r->j, EXIT_USAGE, "--soft-start: no --at changes the setpoint");
    }
    status = start(r, 0, soft ? largest / r->soft_start : HUGE_VAL, &r->live, &diag);
    if (status == RK_OK && strcmp(r->with, "plc") == 0) {
        rk_live_engine engine;
        const int loaded = run_plc_load(&r->j, r->dir, &r->plc);

        if (loaded != EXIT_DONE) return loaded;
        engine = run_plc_engine(r->plc, rk_live_block(r->live)->out);
        rk_live_set_engine(r->live, &engine);
        status = check_with_program(r, &diag);
    }
    if (status == RK_OK && soft) {
        status = start(r, 1, HUGE_VAL, &r->stepped, &diag);
    }
    if (status == RK_OK && r->record != NULL) {
        status = rk_record_log_create_run(r->record, &r->j.loop, r->force, !isnan(r->times),
                                          &r->log, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&r->j, status, &diag);
}

/* What changed, one line each, when there is no view: modes are the user's own doing, alarms
 * not. */
static void tell_alarms(run_job *r)
{
    const uint32_t now = rk_live_block(r->live)->alarms;
    const uint32_t of_port = RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED;
    const char *why = rk_live_port_why(&r->port[0]);
    const bool with_why = (now & ~r->alarms & of_port) != 0 && why[0] != '\0';
    char came[200], went[200];

    rk_alarm_words(now & ~r->alarms, ", ", came, sizeof came);
    rk_alarm_words(r->alarms & ~now, ", ", went, sizeof went);
    terminal_say("redkettle run: at %.6g s %s%s%s%s%s%s%s%s", rk_live_last(r->live).time,
                 came[0] != '\0' ? "ALARM: " : "", came, with_why ? " (" : "",
                 with_why ? why : "", with_why ? ")" : "",
                 came[0] != '\0' && went[0] != '\0' ? "; " : "",
                 went[0] != '\0' ? "over: " : "", went);
    r->alarms = now;
}

/* Alarms are told as they come, so many of them at most. */
enum { TOLD_MOST = 50 };
/* The disk may take so long at the end, s; so may what is told after a signal, and with a figure. */
#define DISK_FOR 2.0
enum { TELL_FOR = 2, DRAW_FOR = 15 };

/* The device takes OUT, or gives it back. */
static void tell_device(run_job *r)
{
    const bool held = rk_live_is_held(r->live);

    if (held == r->held) return;
    r->held = held;
    terminal_say("redkettle run: at %.6g s %s", rk_live_last(r->live).time,
                 held ? "the device does not enable OUT: nothing is written, the loop tracks it"
                      : "the device enables OUT: the loop goes on from where it stands");
}

static bool watch(void *user, double time, double pv, double out)
{
    run_job *r = user;

    (void)time, (void)pv, (void)out;
    if (r->view) {
        run_view_post(r->live);
        return !run_view_is_left();
    }
    if (rk_live_block(r->live)->alarms != r->alarms && r->told++ < TOLD_MOST) {
        tell_alarms(r);
    }
    tell_device(r);
    return true;
}

static bool next_command(void *user, rk_event *event)
{
    return ((const run_job *)user)->view && run_view_command(event);
}

static void refuse_command(void *user, const char *why)
{
    (void)user;
    run_view_refuse(why);
}

/* The run, and the same with setpoint steps beside it. What is wrong with it is told when OUT is safe. */
static rk_status run_scans(run_job *r, rk_diag *diag)
{
    rk_pace pace = real_pace(r->times, r);
    rk_status status;

    pace.seen = watch;
    pace.command = next_command;
    pace.refused = refuse_command;
    status =
        rk_live_run(r->live, r->events, r->count, r->duration, r->log, &pace, &r->timing, diag);
    if (status == RK_OK && r->stepped != NULL) {
        pace.seen = NULL;
        status =
            rk_live_run(r->stepped, r->events, r->count, r->duration, NULL, &pace, NULL, diag);
    }
    return status;
}

/* What was put where, behind the last row; every row is on the disk then, or that is told. */
static int end_record(run_job *r, const run_end *end, bool ended_by_it)
{
    rk_diag diag = {RK_OK, ""};
    char why[120];

    if (end->stopped) {
        (void)snprintf(why, sizeof why, "stopped by %s; OUT %s %.6g", caught_name(),
                       rk_live_is_held(r->live) ? "was left to the device at" : "at",
                       rk_live_block(r->live)->out);
        (void)rk_record_log_comment(r->log, why, NULL);
    }
    if (rk_record_log_finish(r->log, DISK_FOR, &diag) == RK_OK) return EXIT_DONE;
    return ended_by_it ? EXIT_NO_ACCESS : fail_diag(&r->j, RK_ERR_IO, &diag);
}

static int run_live(job *j)
{
    static const terminal_view view = {run_view_show, run_view_close, NULL};
    run_job *r = (run_job *)j;
    const bool wanted = !isnan(r->times) && !r->plain && !r->j.json && isatty(STDOUT_FILENO) &&
                        isatty(STDIN_FILENO);
    run_end end = {false, false, true};
    rk_diag diag = {RK_OK, ""};
    rk_status ended;
    int status = EXIT_DONE, recorded;

    r->view = wanted && run_view_open(&r->j.loop, r->duration);
    if (!terminal_start(r->view ? &view : NULL)) {
        if (r->view) {
            run_view_close(NULL);
        }
        return fail(j, EXIT_NO_ACCESS, "no thread to write to the terminal with");
    }
    if (r->priority) {
        prioritise("run", &r->port[0], &r->refusal);
        r->refused = r->refusal.text;
    }
    ended = run_scans(r, &diag);
    end.stopped = is_caught();
    end.wanted = end.stopped || ended != RK_OK || r->safe_at_end;
    if (end.wanted) {
        end.safe = rk_live_make_safe(r->live, RK_SAFE_TRY_FOR);
    }
    release_signals(!end.safe || ended != RK_OK ? EXIT_NO_ACCESS
                    : end.stopped               ? EXIT_VERDICT_NO
                                                : EXIT_DONE,
                    j->figure != NULL ? DRAW_FOR : TELL_FOR);
    recorded = r->log != NULL ? end_record(r, &end, ended != RK_OK) : EXIT_DONE;
    terminal_end();
    status = ended == RK_OK ? tell_run(r, &end) : fail_diag(j, ended, &diag);
    if (!end.safe) return EXIT_NO_ACCESS;
    if (status == EXIT_DONE) {
        status = recorded;
    }
    return status == EXIT_DONE && end.stopped ? EXIT_VERDICT_NO : status;
}

static void free_run(job *j)
{
    run_job *r = (run_job *)j;
    int i;

    rk_record_log_free(r->log);
    rk_live_free(r->live);
    rk_live_free(r->stepped);
    for (i = 0; i < 2; i++) {
        rk_live_port_close(&r->port[i]);
    }
    run_plc_free(r->plc);
}

#define TO(field) offsetof(run_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The run:", TAKE_HEADING},
    {"for", "TIME", 1, "run so long (default: 10 minutes)", TAKE_TIME, TO(duration)},
    {"at", "TIME KEY=VALUE", 1,
     "at that time: sp=VALUE, manual=OUT, manual, auto, load=OUT at the simulated plant's "
     "input, or settings such as \"kc=-9 ti=60s\"; give it as often as needed",
     TAKE_OWN, 0, take_at},
    {"with", "WHAT", 1,
     "blocks (default), or plc: the program that emit wrote, in a stand-in PLC in their place",
     TAKE_TEXT, TO(with)},
    {"dir", "DIR", 1, "--with plc: the directory of that program (default: here)", TAKE_TEXT,
     TO(dir)},
    {"soft-start", "TIME", 1,
     "ramp the setpoint: its largest change takes so long. The same run with setpoint steps is "
     "shown beside it",
     TAKE_TIME, TO(soft_start)},
    {"record", "FILE", 1, "write every scan here, CSV", TAKE_TEXT, TO(record)},
    {"force", NULL, 1, "write over a record that is there", TAKE_FLAG, TO(force)},
    {"real-time", NULL, 1,
     "run by the wall clock, in a live view on a terminal; without, the simulated plant's "
     "clock runs ahead",
     TAKE_FLAG, TO(real_time)},
    {"times", "N", 1, "run N times as fast as the wall clock, in the same view", TAKE_NUMBER,
     TO(times)},
    {"plain", NULL, 1, "no live view", TAKE_FLAG, TO(plain)},
    {"safe-at-end", NULL, 1,
     "go to the safe output when the time is over too; without, OUT stays where it is",
     TAKE_FLAG, TO(safe_at_end)},
    {"priority", NULL, 1, "ask the system for real-time scheduling and locked memory",
     TAKE_FLAG, TO(priority)},
    {0},
};
static const struct argp_child groups[] = {
    {&settings_options, 0, "The controller, if not the loop file's:", 2},
    {&windup_options, 0, NULL, 2},
    {&scan_options, 0, NULL, 2},
    {&limit_options, 0, NULL, 2},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing:", 5},
    {0},
};

const command command_run = {
    .name = "run",
    .what = "the loop live through a port, manual and automatic",
    .input = "LOOP.loop",
    .help =
        "Run the loop live through a port: scan by scan with the controller block that the "
        "program text is proven against, manual and automatic, with its alarms. Ctrl-C puts "
        "the safe output ([out] safe, or OUT as it stood at the start) on the valve. The "
        "port is what the loop file's [port] says: a device over Modbus, or the simulated plant "
        "of [plant].\v"
        "Example: redkettle run blend-brix.loop --for 30min --at 60s sp=12 --at 15min "
        "manual=40",
    .options = options,
    .groups = groups,
    .size = sizeof(run_job),
    .make = make,
    .in_order = true,
    .take_argument = take_event_argument,
    .steps = (step_function *const[]){check_at, need_scan, need_settings, need_port,
                                      check_options, set_up, run_live, NULL},
    .free = free_run,
};
