/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"
#include "clock.h"
#include "relay_test.h"
#include "show.h"

enum {
    OPT_MOVE = 0x6000,
    OPT_MOVES,
    OPT_BACK,
    OPT_DOUBLET,
    OPT_HOLD,
    OPT_BEFORE,
    OPT_PATIENCE,
    OPT_PV_LOW,
    OPT_PV_HIGH,
    OPT_RECORD,
    OPT_FORCE,
    OPT_REAL_TIME,
    OPT_RELAY,
    OPT_HYSTERESIS,
    OPT_CYCLES
};

/* The job is first, as run_command wants it. */
typedef struct bump_job {
    job j;
    rk_bump_plan plan;
    double move;
    double amplitude, hysteresis, cycles; /* of a relay test */
    bool back, doublet, force, real_time;
    const char *record;

    rk_sim_plant *port;
    rk_bump *bump;
    rk_record_log *log;
    size_t rows;
    bool without_pv; /* the row before had none */
    double out;      /* in the row before */
} bump_job;

static const struct argp_option options[] = {
    {"move", OPT_MOVE, "SIZE", 0, "move OUT by this much, out units with their sign", 1},
    {"back", OPT_BACK, NULL, 0, ".. and record the way back too", 1},
    {"doublet", OPT_DOUBLET, NULL, 0, ".. to the other side as far, and back", 1},
    {"moves", OPT_MOVES, "SIZE,SIZE,...", 0, "or this list of moves, each from the one before",
     1},
    {"relay", OPT_RELAY, "SIZE", 0,
     "or a relay test: OUT switched by this much to both sides until PV swings evenly, which "
     "gives "
     "the ultimate gain and period",
     1},
    {"hysteresis", OPT_HYSTERESIS, "PV", 0,
     ".. switching this far beyond PV's start (default: 3 deviations of its noise)", 1},
    {"cycles", OPT_CYCLES, "N", 0, ".. over so many even cycles (default: 3)", 1},
    {"hold", OPT_HOLD, "TIME", 0,
     "hold OUT so long after each move (default: dead time + 5 time constants of the model)",
     1},
    {"before", OPT_BEFORE, "TIME", 0,
     "PV must be steady so long before the first move (default: 30 scans)", 1},
    {"patience", OPT_PATIENCE, "TIME", 0,
     "wait so long for that at most; 0: move in any case (default: 20 times --before)", 1},
    {"pv-low", OPT_PV_LOW, "PV", 0, "stop if PV falls below (default: PV's range)", 1},
    {"pv-high", OPT_PV_HIGH, "PV", 0, "stop if PV rises above", 1},
    {"record", OPT_RECORD, "FILE", 0,
     "write the record here (default: the loop's [record] file)", 1},
    {"force", OPT_FORCE, NULL, 0, "write over a record that is there", 1},
    {"real-time", OPT_REAL_TIME, NULL, 0,
     "run by the wall clock; without, the simulated plant's clock runs ahead", 1},
    {0},
};

/* "5,-10,5" */
static void take_moves(struct argp_state *state, const char *arg, rk_bump_plan *plan)
{
    const char *at = arg;

    for (plan->moves = 0;; at++) {
        const size_t width = strcspn(at, ",");

        if (plan->moves == RK_BUMP_MOVES_MAX ||
            !rk_number_parse(at, width, &plan->move[plan->moves])) {
            argp_failure(state, EXIT_USAGE, 0,
                         "--moves: '%s' is not a list of up to %d numbers such as 5,-10,5", arg,
                         RK_BUMP_MOVES_MAX);
        }
        plan->moves++;
        at += width;
        if (*at == '\0') return;
    }
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    bump_job *b = state->input;

    switch (key) {
    case OPT_MOVE:
        take_number(state, "move", arg, &b->move);
        return 0;
    case OPT_MOVES:
        take_moves(state, arg, &b->plan);
        return 0;
    case OPT_RELAY:
        take_number(state, "relay", arg, &b->amplitude);
        return 0;
    case OPT_HYSTERESIS:
        take_number(state, "hysteresis", arg, &b->hysteresis);
        return 0;
    case OPT_CYCLES:
        take_number(state, "cycles", arg, &b->cycles);
        return 0;
    case OPT_BACK:
        b->back = true;
        return 0;
    case OPT_DOUBLET:
        b->doublet = true;
        return 0;
    case OPT_HOLD:
        take_time(state, "hold", arg, &b->plan.hold);
        return 0;
    case OPT_BEFORE:
        take_time(state, "before", arg, &b->plan.before);
        return 0;
    case OPT_PATIENCE:
        take_time(state, "patience", arg, &b->plan.patience);
        return 0;
    case OPT_PV_LOW:
        take_number(state, "pv-low", arg, &b->plan.pv_low);
        return 0;
    case OPT_PV_HIGH:
        take_number(state, "pv-high", arg, &b->plan.pv_high);
        return 0;
    case OPT_RECORD:
        b->record = arg;
        return 0;
    case OPT_FORCE:
        b->force = true;
        return 0;
    case OPT_REAL_TIME:
        b->real_time = true;
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&scan_options, 0, "The loop:", 2},
    {&limit_options, 0, NULL, 2},
    {&output_options, 0, "Output:", 4},
    {&save_option, 0, NULL, 4},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "LOOP.loop",
    "Make a step test through a port and record it: wait until PV is steady, move OUT, hold, "
    "put "
    "OUT back. Whatever ends the test, OUT goes back to where it was. The port is the "
    "simulated "
    "plant of the loop file's [plant].\v"
    "Example: redkettle bump blend-brix.loop --move 5 --back --hold 5min --record test.csv",
    children,
    NULL,
    NULL};

static int plan_moves(bump_job *b)
{
    rk_bump_plan *p = &b->plan;

    if (p->moves > 0 && (!isnan(b->move) || b->back || b->doublet)) {
        return fail(&b->j, EXIT_USAGE,
                    "--moves says it all: leave --move, --back, --doublet out");
    }
    if (p->moves > 0) return EXIT_DONE;
    if (isnan(b->move)) {
        return fail(
            &b->j, EXIT_USAGE,
            "how far? give --move SIZE, or --moves SIZE,SIZE,...; redkettle inspect on an "
            "earlier record says how far");
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

static int plan_times(bump_job *b)
{
    const rk_design *loop = &b->j.loop;
    const rk_model *m = &loop->model;
    rk_bump_plan *p = &b->plan;

    p->ts = loop->ts;
    if (isnan(p->ts)) {
        return fail(&b->j, EXIT_USAGE, "how often? give [loop] scan, or --scan");
    }
    if (isnan(p->hold) && loop->has_model && !rk_model_kind_integrates(m->kind)) {
        p->hold = m->dead_time + (5.0 * (m->time_constant[0] + m->time_constant[1]));
    }
    if (isnan(p->hold)) {
        return fail(&b->j, EXIT_USAGE, "how long? give --hold TIME: until PV has settled");
    }
    if (isnan(p->before)) {
        p->before = 30.0 * p->ts;
    }
    if (isnan(p->patience)) {
        p->patience = 20.0 * p->before;
    }
    return EXIT_DONE;
}

static int plan_test(bump_job *b)
{
    const rk_design *loop = &b->j.loop;
    rk_bump_plan *p = &b->plan;
    int status = plan_moves(b);

    if (status == EXIT_DONE) {
        status = plan_times(b);
    }
    if (status != EXIT_DONE) return status;
    if (!rk_design_has_out_range(loop)) {
        return fail(&b->j, EXIT_USAGE,
                    "OUT's limits are not known: give [out] low and high, or --out-low and "
                    "--out-high");
    }
    p->out_low = loop->out_low;
    p->out_high = loop->out_high;
    if (isnan(p->pv_low)) {
        p->pv_low = loop->pv_low;
    }
    if (isnan(p->pv_high)) {
        p->pv_high = loop->pv_high;
    }
    if (b->record == NULL && loop->record_path[0] == '\0') {
        return fail(&b->j, EXIT_USAGE, "where to? give --record FILE, or [record] file");
    }
    return EXIT_DONE;
}

static const char *record_path(const bump_job *b)
{
    return b->record != NULL ? b->record : b->j.loop.record_path;
}

/* Everything that can fail before OUT moves. */
static int set_up(bump_job *b)
{
    rk_diag diag = {RK_OK, ""};
    const int plant = need_plant(&b->j);
    rk_port seam;
    rk_status status;

    if (plant != EXIT_DONE) return plant;
    status = rk_sim_plant_create(&b->j.loop, &b->port, &diag);
    if (status != RK_OK) return fail_diag(&b->j, status, &diag);
    seam = rk_sim_plant_port(b->port);
    status = rk_bump_create(&b->plan, &seam, &b->bump, &diag);
    if (status == RK_ERR_RANGE) return fail(&b->j, EXIT_USAGE, "%s", diag.text);
    if (status == RK_OK) {
        status = rk_record_create(&b->j.record, &diag);
    }
    if (status == RK_OK) {
        status = rk_record_log_create(record_path(b), &b->j.loop, b->force, b->real_time,
                                      &b->log, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&b->j, status, &diag);
}

/* On a terminal one line that is written over and over. */
static void show_progress(const bump_job *b, const rk_bump_row *row, bool last)
{
    static const char *const states[] = {"waiting for PV to be steady", "testing", "done",
                                         "stopped", "OUT is not back yet"};
    char left[SHOWN_CHARS], line[240];

    if (!isatty(STDERR_FILENO)) return;
    if (last) {
        (void)fprintf(stderr, "\r%79s\r", "");
        return;
    }
    show_time(left, rk_bump_time_left(b->bump), b->j.minutes);
    (void)snprintf(line, sizeof line, "  %s: %s left, PV %.5g %s, OUT %.4g %s",
                   states[rk_bump_get_state(b->bump)], left, row->pv, b->j.loop.pv_units,
                   row->out, b->j.loop.out_units);
    (void)fprintf(stderr, "\r%-79.79s", line);
}

/* OUT that cannot be put back is tried for so long. */
#define TRY_FOR 60.0
/* The terminal is written to at most so often. */
#define SHOW_EVERY 0.1

static void put_row(bump_job *b, const rk_bump_row *row)
{
    rk_diag diag = {RK_OK, ""};
    const bool again = isnan(row->pv) && b->without_pv && row->out == b->out;

    b->without_pv = isnan(row->pv);
    b->out = row->out;
    if (again) return; /* a port that stays away says nothing new */
    if (rk_record_log_row(b->log, row->time, row->out, row->pv, &diag) != RK_OK) {
        rk_bump_stop(b->bump, diag.text);
    }
    if (!isnan(row->pv)) {
        (void)rk_record_add(b->j.record, row->time, row->out, row->pv, NULL);
    }
    b->rows++;
}

static bool is_over(const bump_job *b, double stranded)
{
    const rk_bump_state state = rk_bump_get_state(b->bump);

    if (state == RK_BUMP_DONE || state == RK_BUMP_STOPPED) return true;
    return state == RK_BUMP_STRANDED && stranded > TRY_FOR;
}

static void stop_by_signal(bump_job *b)
{
    char why[80];

    (void)snprintf(why, sizeof why, "stopped by %s", caught_name());
    rk_bump_stop(b->bump, why);
}

static void run_test(bump_job *b)
{
    const double ts = b->plan.ts, start = wall_clock();
    double shown = 0, stranded = 0, scans = 0;
    rk_bump_row row;

    do {
        if (is_caught()) {
            stop_by_signal(b);
        }
        row = rk_bump_scan(b->bump);
        put_row(b, &row);
        if (wall_clock() - shown > SHOW_EVERY) {
            show_progress(b, &row, false);
            shown = wall_clock();
        }
        stranded += rk_bump_get_state(b->bump) == RK_BUMP_STRANDED ? ts : 0.0;
        scans++;
        rk_sim_plant_advance(b->port);
        if (b->real_time && !is_over(b, stranded)) {
            sleep_until(start + (scans * ts));
        }
    } while (!is_over(b, stranded));
    show_progress(b, &row, true);
}

/* The last row shows OUT back; the last comment says why, if the test ended early. */
static void end_record(bump_job *b)
{
    const rk_bump_state state = rk_bump_get_state(b->bump);
    char text[300] = "done: OUT is back where it was";

    if (state != RK_BUMP_DONE) {
        (void)snprintf(text, sizeof text, "stopped: %s; OUT %s %.6g %s", rk_bump_why(b->bump),
                       state == RK_BUMP_STOPPED ? "is back at" : "COULD NOT BE PUT BACK to",
                       rk_bump_out_start(b->bump), b->j.loop.out_units);
    }
    (void)rk_record_log_comment(b->log, text, NULL);
}

static int tell_json(const bump_job *b)
{
    const rk_bump_result result = {record_path(b), b->rows, rk_bump_get_state(b->bump),
                                   rk_bump_why(b->bump), rk_bump_out_start(b->bump)};
    rk_diag diag = {RK_OK, ""};
    rk_text *text = rk_text_create();
    const rk_status status = rk_json_bump(&result, text, &diag);

    return print_json(&b->j, text, status, &diag);
}

static int tell(bump_job *b)
{
    const rk_bump_state state = rk_bump_get_state(b->bump);
    const char *units = b->j.loop.out_units;
    const double back = rk_bump_out_start(b->bump);
    char length[SHOWN_CHARS];
    rk_inspection made;
    rk_diag diag = {RK_OK, ""};

    if (state == RK_BUMP_STRANDED) {
        return fail(&b->j, EXIT_NO_ACCESS,
                    "%s, and OUT COULD NOT BE PUT BACK: set it to %.6g %s by hand, now",
                    rk_bump_why(b->bump), back, units);
    }
    if (state == RK_BUMP_STOPPED) {
        (void)fail(&b->j, EXIT_VERDICT_NO,
                   "%s; OUT is back at %.6g %s; the record up to there: %s",
                   rk_bump_why(b->bump), back, units, record_path(b));
    }
    if (b->j.json) {
        const int status = tell_json(b);

        if (status != EXIT_DONE) return status;
    }
    if (state == RK_BUMP_STOPPED) return EXIT_VERDICT_NO;
    if (b->j.json) return EXIT_DONE;
    show_time(length, (double)b->rows * b->plan.ts, b->j.minutes);
    show_verdict("DONE", true);
    (void)printf(": %zu rows in %s, %s in %s; OUT is back at %.6g %s.\n\nThe record is ",
                 b->rows, record_path(b), length,
                 b->real_time ? "real time" : "the plant's own time", back, units);
    (void)snprintf(b->j.loop.record_file, sizeof b->j.loop.record_file, "%s", record_path(b));
    if (inspect_record(&b->j, &made, 5, 10, &diag) == RK_OK) {
        print_inspection(&b->j, &made);
    }
    return EXIT_DONE;
}

static int run_relay(bump_job *b)
{
    const rk_bump_plan *p = &b->plan;
    const double before = isnan(p->before) ? 30.0 * b->j.loop.ts : p->before;
    const relay_plan plan = {
        {b->amplitude, b->hysteresis, b->cycles, before, p->patience, p->pv_low, p->pv_high},
        b->record,
        b->force,
        b->real_time};

    if (p->moves > 0 || !isnan(b->move) || b->back || b->doublet) {
        return fail(
            &b->j, EXIT_USAGE,
            "--relay makes its own moves: leave --move, --moves, --back, --doublet out");
    }
    catch_signals();
    return run_relay_test(&b->j, &plan);
}

static int run(job *j)
{
    bump_job *b = (bump_job *)j; /* the job is its first member */
    int status = load(j);

    if (status == EXIT_DONE && !isnan(b->amplitude)) return run_relay(b);
    if (status == EXIT_DONE && j->save) {
        status = fail(j, EXIT_USAGE, "--save keeps what a relay test found: give --relay SIZE");
    }
    if (status == EXIT_DONE) {
        status = plan_test(b);
    }
    if (status == EXIT_DONE) {
        catch_signals();
        status = set_up(b);
    }
    if (status == EXIT_DONE) {
        run_test(b);
        end_record(b);
        status = tell(b);
    }
    rk_record_log_free(b->log);
    rk_bump_free(b->bump);
    rk_sim_plant_free(b->port);
    return status;
}

int cmd_bump(int argc, char **argv)
{
    const double none = nan("");
    bump_job b = {.j = job_make("bump"),
                  .move = none,
                  .amplitude = none,
                  .hysteresis = none,
                  .cycles = none};

    b.plan = (rk_bump_plan){.hold = none,
                            .before = none,
                            .patience = none,
                            .pv_low = none,
                            .pv_high = none,
                            .out_low = none,
                            .out_high = none};
    return run_command(&argp, argc, argv, &b.j, run);
}
