/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <unistd.h>

#include "clock.h"
#include "cmd_run.h"
#include "run_view.h"

static void make(job *j)
{
    run_job *r = (run_job *)j;

    r->duration = 600.0;
    r->with = "blocks";
    r->dir = ".";
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

/* The loop on a simulated plant of its own. */
static rk_status start(run_job *r, int which, double sp_rate, rk_live **live, rk_diag *diag)
{
    rk_design seen = r->j.loop; /* OUT comes late, as the loop says */
    rk_status status;
    rk_port port;

    seen.plant.model = rk_model_delayed(&seen.plant.model, rk_design_delay(&seen));
    status = rk_sim_plant_create(&seen, &r->plant[which], diag);

    if (status != RK_OK) return status;
    port = rk_sim_plant_port(r->plant[which]);
    return rk_live_create(&r->j.loop, &port, r->plant[which], sp_rate, live, diag);
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
    char came[200], went[200];

    rk_alarm_words(now & ~r->alarms, ", ", came, sizeof came);
    rk_alarm_words(r->alarms & ~now, ", ", went, sizeof went);
    (void)fprintf(stderr, "redkettle run: at %.6g s %s%s%s%s%s\n",
                  rk_live_time(r->live) - r->j.loop.ts, came[0] != '\0' ? "ALARM: " : "", came,
                  came[0] != '\0' && went[0] != '\0' ? "; " : "",
                  went[0] != '\0' ? "over: " : "", went);
    r->alarms = now;
}

/* Alarms are told as they come, so many of them at most. */
enum { TOLD_MOST = 50 };

static bool watch(void *user, double time, double pv, double out)
{
    run_job *r = user;

    (void)time, (void)pv, (void)out;
    if (r->view) {
        run_view_show(&r->j.loop, r->live, r->duration);
        return run_view_keys(&r->j.loop, r->live);
    }
    if (rk_live_block(r->live)->alarms != r->alarms && r->told++ < TOLD_MOST) {
        tell_alarms(r);
    }
    return true;
}

/* The run, and the same with setpoint steps beside it. */
static int run_scans(run_job *r)
{
    rk_pace pace = real_pace(r->times, r);
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    pace.seen = watch;
    status = rk_live_run(r->live, r->events, r->count, r->duration, r->log, &pace, &diag);
    if (status == RK_OK && r->stepped != NULL) {
        pace.seen = NULL;
        status = rk_live_run(r->stepped, r->events, r->count, r->duration, NULL, &pace, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&r->j, status, &diag);
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const run_job *r = (const run_job *)j;
    const rk_live *lives[2] = {r->live, r->stepped};
    const size_t count = r->stepped != NULL ? 2 : 1;
    rk_run_curves curves[2];
    size_t i;

    for (i = 0; i < count; i++) {
        curves[i] = rk_live_curves(lives[i]);
        curves[i].name = count == 1 ? "PV" : i == 0 ? "soft start" : "setpoint step";
    }
    return rk_figure_run(&j->loop, "run", curves, count, style, image, diag);
}

static int tell(const run_job *r, bool stopped, bool safe)
{
    const rk_loop *block = rk_live_block(r->live);
    const rk_run_figures figures = rk_live_figures(r->live);
    rk_run_figures stepped;
    char alarms[200], clock[RK_PATH_CHARS + 80];
    rk_run_result result = {
        .rows = rk_live_scans(r->live),
        .length = rk_live_time(r->live),
        .file = r->record,
        .clock = clock,
        .mode = rk_live_mode(r->live),
        .alarms = alarms,
        .sp = block->sp,
        .pv = block->pv,
        .out = block->out,
        .stopped = stopped ? caught_name() : NULL,
        .made_safe = safe,
        .figures = &figures,
    };

    rk_report *report = report_make(&r->j);

    (void)snprintf(clock, sizeof clock, "%s%s%s",
                   isnan(r->times)   ? "the plant's own time"
                   : r->times == 1.0 ? "real time"
                                     : "faster than real time",
                   r->plc != NULL ? ", by the program in " : "", r->plc != NULL ? r->dir : "");
    rk_alarm_words(block->alarms_seen, ", ", alarms, sizeof alarms);
    if (r->stepped != NULL) {
        stepped = rk_live_figures(r->stepped);
        result.stepped = &stepped;
    }
    return show_report(&r->j, report, rk_report_add_run(report, &r->j.loop, &result),
                       result.rows > 1 ? draw : NULL);
}

static int run_live(job *j)
{
    run_job *r = (run_job *)j;
    const bool wanted = !isnan(r->times) && !r->plain && !r->j.json && isatty(STDOUT_FILENO) &&
                        isatty(STDIN_FILENO);
    bool stopped, safe = true;
    char why[80];
    int status;

    r->view = wanted && run_view_open();
    status = run_scans(r);
    if (r->view) {
        run_view_close();
    }
    stopped = is_caught();
    if (stopped || status != EXIT_DONE) {
        safe = rk_live_make_safe(r->live);
    }
    if (r->log != NULL && stopped) {
        (void)snprintf(why, sizeof why, "stopped by %s; OUT at %.6g", caught_name(),
                       rk_live_block(r->live)->out);
        (void)rk_record_log_comment(r->log, why, NULL);
    }
    if (status == EXIT_DONE) {
        status = tell(r, stopped, safe);
    }
    if (status != EXIT_DONE || !stopped) return status;
    return safe ? EXIT_VERDICT_NO : EXIT_NO_ACCESS;
}

static void free_run(job *j)
{
    run_job *r = (run_job *)j;

    rk_record_log_free(r->log);
    rk_live_free(r->live);
    rk_live_free(r->stepped);
    rk_sim_plant_free(r->plant[0]);
    rk_sim_plant_free(r->plant[1]);
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
        "port is the simulated plant of the loop file's [plant].\v"
        "Example: redkettle run blend-brix.loop --for 30min --at 60s sp=12 --at 15min "
        "manual=40",
    .options = options,
    .groups = groups,
    .size = sizeof(run_job),
    .make = make,
    .in_order = true,
    .take_argument = take_event_argument,
    .steps = (step_function *const[]){check_at, need_scan, need_settings, need_plant,
                                      check_options, set_up, run_live, NULL},
    .free = free_run,
};
