/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"
#include "clock.h"
#include "run_view.h"
#include "show.h"

enum { EVENTS_MAX = 64 };

enum {
    OPT_FOR = 0x7000,
    OPT_AT,
    OPT_RECORD,
    OPT_FORCE,
    OPT_REAL_TIME,
    OPT_TIMES,
    OPT_SOFT_START,
    OPT_PLAIN
};

/* The job is first, as run_command wants it. */
typedef struct run_job {
    job j;
    double duration, times, soft_start;
    rk_event events[EVENTS_MAX];
    size_t count, done; /* events; done so far */
    bool at_open;       /* the last --at still wants its key=value */
    bool force, plain;
    const char *record;

    rk_sim_plant *plant[2];
    rk_live *live, *stepped; /* stepped: the same without the soft start */
    rk_record_log *log;
    double sp_rate;
    uint32_t alarms; /* at the last scan */
    bool ended_by_key;
} run_job;

static const struct argp_option options[] = {
    {"for", OPT_FOR, "TIME", 0, "run so long (default: 10 minutes)", 1},
    {"at", OPT_AT, "TIME KEY=VALUE", 0,
     "at that time: sp=VALUE, manual=OUT, manual, auto, load=OUT at the simulated plant's "
     "input, "
     "or settings such as \"kc=-9 ti=60s\"; give it as often as needed",
     1},
    {"soft-start", OPT_SOFT_START, "TIME", 0,
     "ramp the setpoint: its largest change takes so long. The same run with setpoint steps is "
     "shown beside it",
     1},
    {"record", OPT_RECORD, "FILE", 0, "write every scan here, CSV", 1},
    {"force", OPT_FORCE, NULL, 0, "write over a record that is there", 1},
    {"real-time", OPT_REAL_TIME, NULL, 0,
     "run by the wall clock, in a live view on a terminal; without, the simulated plant's "
     "clock runs "
     "ahead",
     1},
    {"times", OPT_TIMES, "N", 0, "the same, N times as fast as the wall clock", 1},
    {"plain", OPT_PLAIN, NULL, 0, "no live view", 1},
    {0},
};

static void take_event(struct argp_state *state, const char *words, rk_event *e)
{
    rk_diag diag;
    const double at = e->at;

    if (rk_event_parse(words, e, &diag) == RK_OK) {
        e->at = at;
        return;
    }
    argp_failure(state, EXIT_USAGE, 0, "--at: %s", diag.text);
}

/* "60s sp=12.5" in one argument, or "60s" with "sp=12.5" as the next. */
static void take_at(struct argp_state *state, const char *arg, run_job *r)
{
    const size_t width = strcspn(arg, " ");
    rk_event *e = &r->events[r->count];

    if (r->count == EVENTS_MAX) {
        argp_failure(state, EXIT_USAGE, 0, "--at: %d of them at most", EVENTS_MAX);
    }
    if (!rk_time_parse(arg, width, &e->at) || !(e->at >= 0)) {
        argp_failure(state, EXIT_USAGE, 0,
                     "--at: '%.*s' is not a time; for example --at 60s sp=12.5", (int)width,
                     arg);
    }
    r->at_open = true;
    if (arg[width] != '\0') {
        take_event(state, arg + width + strspn(arg + width, " "), e);
        r->at_open = false;
        r->count++;
    }
}

/* "ti=60s" behind --at 5min kc=-9: the settings of one moment as several arguments. */
static bool joins_last(run_job *r, const char *arg)
{
    rk_event *last = r->count > 0 && !r->at_open ? &r->events[r->count - 1] : NULL;
    char words[RK_EVENT_KEYS_CHARS];

    if (last == NULL || last->kind != RK_EVENT_SETTINGS) return false;
    if (snprintf(words, sizeof words, "%s %s", last->keys, arg) >= (int)sizeof words)
        return false;
    return rk_event_parse(words, last, NULL) == RK_OK;
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    run_job *r = state->input;

    switch (key) {
    case OPT_FOR:
        take_time(state, "for", arg, &r->duration);
        return 0;
    case OPT_AT:
        take_at(state, arg, r);
        return 0;
    case OPT_SOFT_START:
        take_time(state, "soft-start", arg, &r->soft_start);
        return 0;
    case OPT_RECORD:
        r->record = arg;
        return 0;
    case OPT_FORCE:
        r->force = true;
        return 0;
    case OPT_REAL_TIME:
        r->times = 1.0;
        return 0;
    case OPT_TIMES:
        take_number(state, "times", arg, &r->times);
        return 0;
    case OPT_PLAIN:
        r->plain = true;
        return 0;
    case ARGP_KEY_ARG:
        if (r->at_open && rk_event_parse(arg, &r->events[r->count], NULL) == RK_OK) {
            r->at_open = false;
            r->count++;
            return 0;
        }
        return joins_last(r, arg) ? 0 : parse_common(key, arg, state);
    case ARGP_KEY_END:
        if (r->at_open) {
            argp_failure(state, EXIT_USAGE, 0, "--at: what then? for example --at 60s sp=12.5");
        }
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&settings_options, 0, "The controller, if not the loop file's:", 2},
    {&windup_options, 0, NULL, 2},
    {&scan_options, 0, NULL, 2},
    {&limit_options, 0, NULL, 2},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, NULL, 4},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "LOOP.loop",
    "Run the loop live through a port: scan by scan with the controller block that the program "
    "text "
    "is proven against, manual and automatic, with its alarms. Ctrl-C puts the safe output "
    "([out] "
    "safe, or OUT as it stood at the start) on the valve. The port is the simulated plant of "
    "the loop "
    "file's [plant].\v"
    "Example: redkettle run blend-brix.loop --for 30min --at 60s sp=12 --at 15min manual=40",
    children,
    NULL,
    NULL};

static int by_time(const void *left, const void *right)
{
    const rk_event *a = left, *b = right;

    return (a->at > b->at) - (a->at < b->at);
}

static int check(run_job *r)
{
    const rk_design *d = &r->j.loop;
    const int plant = need_plant(&r->j);
    size_t i;

    if (plant != EXIT_DONE) return plant;
    if (!(r->duration > 0) || !(r->duration / d->ts <= 1e8)) {
        return fail(&r->j, EXIT_USAGE, "--for: give a time above 0, at most 100 million scans");
    }
    if (!isnan(r->times) && !(r->times > 0 && r->times <= 1e6)) {
        return fail(&r->j, EXIT_USAGE, "--times: give 0.001 to 1000000");
    }
    if (!isnan(r->soft_start) && (!(r->soft_start > 0) || !isnan(r->times))) {
        return fail(
            &r->j, EXIT_USAGE,
            "--soft-start: give a time above 0, and no --real-time or --times: two runs "
            "cannot share a clock");
    }
    for (i = 0; i < r->count; i++) {
        const rk_event *e = &r->events[i];
        rk_diag diag;

        if (e->at >= r->duration) {
            return fail(&r->j, EXIT_USAGE, "--at %gs is not within the run of %g s", e->at,
                        r->duration);
        }
        if (rk_event_check(d, e, &diag) != RK_OK) {
            return fail(&r->j, EXIT_USAGE, "--at %gs: %s", e->at, diag.text);
        }
    }
    qsort(r->events, r->count, sizeof r->events[0], by_time);
    return EXIT_DONE;
}

/* The ramp that makes the largest change of the setpoint take as long as was asked for. */
static double ramp_rate(const run_job *r)
{
    double largest = 0, sp = r->j.loop.plant.model.pv0;
    size_t i;

    for (i = 0; i < r->count; i++) {
        if (r->events[i].kind != RK_EVENT_SETPOINT) continue;
        largest = fmax(largest, fabs(r->events[i].value - sp));
        sp = r->events[i].value;
    }
    return largest > 0 ? largest / r->soft_start : HUGE_VAL;
}

/* The loop on a simulated plant of its own. */
static rk_status start(run_job *r, int which, double sp_rate, rk_live **live, rk_diag *diag)
{
    rk_status status = rk_sim_plant_create(&r->j.loop, &r->plant[which], diag);
    rk_port port;

    if (status != RK_OK) return status;
    port = rk_sim_plant_port(r->plant[which]);
    return rk_live_create(&r->j.loop, &port, r->plant[which], sp_rate, live, diag);
}

static int set_up(run_job *r)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    r->sp_rate = isnan(r->soft_start) ? HUGE_VAL : ramp_rate(r);
    if (!isnan(r->soft_start) && isinf(r->sp_rate)) {
        return fail(&r->j, EXIT_USAGE, "--soft-start: no --at changes the setpoint");
    }
    status = start(r, 0, r->sp_rate, &r->live, &diag);
    if (status == RK_OK && isfinite(r->sp_rate)) {
        status = start(r, 1, HUGE_VAL, &r->stepped, &diag);
    }
    if (status == RK_OK && r->record != NULL) {
        status = rk_record_log_create_run(r->record, &r->j.loop, r->force, !isnan(r->times),
                                          &r->log, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&r->j, status, &diag);
}

static void do_events(run_job *r, rk_live *live, size_t *done)
{
    for (; *done < r->count && r->events[*done].at <= rk_live_time(live) + 1e-9; ++*done) {
        (void)rk_live_do(live, &r->events[*done], NULL); /* each was checked alone */
    }
}

static rk_status log_row(run_job *r, rk_diag *diag)
{
    const rk_live_row row = rk_live_last(r->live);
    char alarms[200];

    if (r->log == NULL) return RK_OK;
    rk_alarm_words(rk_live_block(r->live)->alarms, " + ", alarms, sizeof alarms);
    return rk_record_log_run_row(r->log, row.time, row.out, row.pv, row.sp,
                                 rk_live_mode(r->live), alarms, diag);
}

/* What changed, one line each, when there is no view: modes are the user's own doing, alarms
 * not. */
static void tell_alarms(run_job *r)
{
    const uint32_t now = rk_live_block(r->live)->alarms;
    char came[200], went[200];

    if (now == r->alarms) return;
    rk_alarm_words(now & ~r->alarms, ", ", came, sizeof came);
    rk_alarm_words(r->alarms & ~now, ", ", went, sizeof went);
    (void)fprintf(stderr, "redkettle run: at %.6g s %s%s%s%s%s\n",
                  rk_live_time(r->live) - r->j.loop.ts, came[0] != '\0' ? "ALARM: " : "", came,
                  came[0] != '\0' && went[0] != '\0' ? "; " : "",
                  went[0] != '\0' ? "over: " : "", went);
    r->alarms = now;
}

static bool wants_view(const run_job *r)
{
    return !isnan(r->times) && !r->plain && !r->j.json && isatty(STDOUT_FILENO) &&
           isatty(STDIN_FILENO);
}

/* Lines of the table at the end. */
enum { FIGURES = 5 };
/* Alarms are told as they come, so many of them at most. */
enum { TOLD_MOST = 50 };

static int run_scans(run_job *r, bool view)
{
    const rk_design *d = &r->j.loop;
    const double start = wall_clock();
    rk_diag diag = {RK_OK, ""};
    rk_status status = RK_OK;
    double last = start;
    int told = 0;

    while (status == RK_OK && !is_caught() && !r->ended_by_key &&
           rk_live_time(r->live) < r->duration - (0.5 * d->ts)) {
        double elapsed = d->ts;

        /* A clock that runs faster than the wall's says nothing about lateness. */
        if (r->times == 1.0) {
            const double now = wall_clock();

            elapsed = rk_live_time(r->live) > 0 ? now - last : d->ts;
            last = now;
        }
        do_events(r, r->live, &r->done);
        rk_live_scan(r->live, elapsed);
        status = log_row(r, &diag);
        if (view) {
            run_view_show(d, r->live, r->duration);
            r->ended_by_key = !run_view_keys(d, r->live);
        } else if (rk_live_block(r->live)->alarms != r->alarms && told++ < TOLD_MOST) {
            tell_alarms(r);
        }
        if (!isnan(r->times)) {
            sleep_until(start + (rk_live_time(r->live) / r->times));
        }
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&r->j, status, &diag);
}

static void run_beside(run_job *r)
{
    size_t done = 0;

    while (r->stepped != NULL && !is_caught() &&
           rk_live_time(r->stepped) < r->duration - (0.5 * r->j.loop.ts)) {
        do_events(r, r->stepped, &done);
        rk_live_scan(r->stepped, r->j.loop.ts);
    }
}

static void print_figures(const run_job *r)
{
    static const struct {
        const char *name;
        bool of_pv;
    } lines[FIGURES] = {{"PV beyond SP at most", true},
                        {"OUT lowest", false},
                        {"OUT highest", false},
                        {"OUT largest move in a scan", false},
                        {"OUT travel", false}};
    const rk_live *lives[2] = {r->live, r->stepped};
    const size_t columns = r->stepped != NULL ? 3 : 2;
    char cells[(FIGURES + 1) * 3][SHOWN_CHARS];
    size_t i, k;

    cells[0][0] = '\0';
    for (k = 0; k < FIGURES; k++) {
        (void)snprintf(cells[(k + 1) * columns], SHOWN_CHARS, "%s, %.16s", lines[k].name,
                       lines[k].of_pv ? r->j.loop.pv_units : r->j.loop.out_units);
    }
    for (i = 0; i + 1 < columns; i++) {
        const rk_run_figures f = rk_live_figures(lives[i]);
        const double values[FIGURES] = {f.overshoot, f.out_lowest, f.out_highest,
                                        f.largest_move, f.travel};

        (void)snprintf(cells[i + 1], SHOWN_CHARS, "%s",
                       r->stepped == NULL ? "run"
                       : i == 0           ? "soft start"
                                          : "setpoint step");
        for (k = 0; k < FIGURES; k++) {
            show_number(cells[((k + 1) * columns) + i + 1], values[k], 5);
        }
    }
    show_table(cells, FIGURES + 1, columns, 1);
}

static int tell_json(const run_job *r, bool safe)
{
    const rk_loop *block = rk_live_block(r->live);
    char alarms[200];
    const rk_run_result result = {
        .rows = rk_live_scans(r->live),
        .file = r->record,
        .mode = rk_live_mode(r->live),
        .alarms = alarms,
        .sp = block->sp,
        .pv = block->pv,
        .out = block->out,
        .stopped = is_caught(),
        .made_safe = safe,
        .figures = rk_live_figures(r->live),
    };
    rk_diag diag = {RK_OK, ""};
    rk_text *text = rk_text_create();

    rk_alarm_words(block->alarms_seen, ", ", alarms, sizeof alarms);
    return print_json(&r->j, text, rk_json_run(&result, text, &diag), &diag);
}

static int tell(const run_job *r, bool stopped, bool safe)
{
    const rk_design *d = &r->j.loop;
    const rk_loop *block = rk_live_block(r->live);
    char length[SHOWN_CHARS], alarms[200];

    if (r->j.json) return tell_json(r, safe);
    show_time(length, rk_live_time(r->live), r->j.minutes);
    show_verdict(stopped ? "STOPPED" : "DONE", !stopped);
    (void)printf(": %s, %zu scans of %g s, %s; SP %.5g, PV %.5g %s, OUT %.5g %s, %s.\n", length,
                 rk_live_scans(r->live), d->ts,
                 isnan(r->times)   ? "the plant's own time"
                 : r->times == 1.0 ? "real time"
                                   : "faster than real time",
                 block->sp, block->pv, d->pv_units, block->out, d->out_units,
                 rk_live_mode(r->live));
    if (stopped) {
        (void)printf("%s: OUT %s %.5g %s.\n", caught_name(),
                     safe ? "is at the safe output,"
                          : "COULD NOT BE PUT TO THE SAFE OUTPUT; it stands at",
                     block->out, d->out_units);
    }
    rk_alarm_words(block->alarms_seen, ", ", alarms, sizeof alarms);
    (void)printf("Alarms: %s.\n", alarms[0] != '\0' ? alarms : "none");
    if (r->record != NULL) {
        (void)printf("Every scan is in %s.\n", r->record);
    }
    (void)printf("\n");
    print_figures(r);
    return EXIT_DONE;
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    const run_job *r = what;
    const rk_live *lives[2] = {r->live, r->stepped};
    const size_t count = r->stepped != NULL ? 2 : 1;
    rk_run_curves curves[2];
    size_t i;

    for (i = 0; i < count; i++) {
        curves[i] = rk_live_curves(lives[i]);
        curves[i].name = count == 1 ? "PV" : i == 0 ? "soft start" : "setpoint step";
    }
    return rk_figure_run(&j->loop, curves, count, style, image, diag);
}

static int run_live(run_job *r)
{
    const bool view = wants_view(r) && run_view_open();
    int status = run_scans(r, view);
    bool stopped, safe = true;

    if (view) {
        run_view_close();
    }
    stopped = is_caught();
    if (stopped || status != EXIT_DONE) {
        safe = rk_live_make_safe(r->live);
    }
    if (r->log != NULL && stopped) {
        char why[80];

        (void)snprintf(why, sizeof why, "stopped by %s; OUT at %.6g", caught_name(),
                       rk_live_block(r->live)->out);
        (void)rk_record_log_comment(r->log, why, NULL);
    }
    if (status == EXIT_DONE) {
        run_beside(r);
    }
    if (status == EXIT_DONE) {
        status = tell(r, stopped, safe);
    }
    if (status == EXIT_DONE && rk_live_scans(r->live) > 1) {
        status = write_figure(&r->j, draw, r);
    }
    if (status != EXIT_DONE || !stopped) return status;
    return safe ? EXIT_VERDICT_NO : EXIT_NO_ACCESS;
}

static int run(job *j)
{
    run_job *r = (run_job *)j; /* the job is its first member */
    int status = load(j);

    if (status == EXIT_DONE && isnan(j->loop.ts)) {
        status = fail(j, EXIT_USAGE, "how often? give [loop] scan, or --scan");
    }
    if (status == EXIT_DONE) {
        status = need_settings(j);
    }
    if (status == EXIT_DONE) {
        status = check(r);
    }
    if (status == EXIT_DONE) {
        catch_signals();
        status = set_up(r);
    }
    if (status == EXIT_DONE) {
        status = run_live(r);
    }
    rk_record_log_free(r->log);
    rk_live_free(r->live);
    rk_live_free(r->stepped);
    rk_sim_plant_free(r->plant[0]);
    rk_sim_plant_free(r->plant[1]);
    return status;
}

int cmd_run(int argc, char **argv)
{
    const double none = nan("");
    run_job r = {.j = job_make("run"), .duration = 600.0, .times = none, .soft_start = none};

    r.j.in_order = true;
    return run_command(&argp, argc, argv, &r.j, run);
}
