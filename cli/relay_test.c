/* SPDX-License-Identifier: MIT */
#include "relay_test.h"

#include <math.h>

#include "clock.h"
#include "show.h"

/* A test under way. */
typedef struct relay_run {
    job *j;
    const relay_plan *plan;
    rk_sim_plant *plant;
    rk_relay_test *test;
    rk_record_log *log;
    double start; /* of the wall clock */
    size_t rows;
    bool unwritten; /* a row could not be written */
} relay_run;

static const char *why(const relay_run *r)
{
    if (r->unwritten) return "a row could not be written";
    switch (rk_relay_test_stage(r->test)) {
    case RK_RELAY_TEST_STOPPED:
        return "stopped from outside";
    case RK_RELAY_TEST_TIMED_OUT:
        return "PV did not swing evenly in time: give a larger --relay, or more --patience";
    case RK_RELAY_TEST_PV_BAD:
        return "PV was bad";
    case RK_RELAY_TEST_PV_OUT:
        return "PV left its bounds: give a smaller --relay, or wider --pv-low and --pv-high";
    case RK_RELAY_TEST_NO_WRITE:
        return "OUT could not be written";
    default:
        return "PV swung no further than the hysteresis: give a larger --relay";
    }
}

static int save_result(relay_run *r, const rk_relay_result *found)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (!r->j->save) return EXIT_DONE;
    r->j->loop.ultimate_gain = found->ultimate_gain;
    r->j->loop.ultimate_period = found->ultimate_period;
    status = rk_design_save_relay(r->j->input, &r->j->loop, &diag);
    if (status != RK_OK) return fail_diag(r->j, status, &diag);
    if (!r->j->json) {
        (void)printf("Saved as [relay] in %s.\n", r->j->input);
    }
    return EXIT_DONE;
}

/* The ends that have no result. */
static int tell_end(const relay_run *r)
{
    const rk_design *d = &r->j->loop;

    if (rk_relay_test_stage(r->test) == RK_RELAY_TEST_STRANDED) {
        return fail(r->j, EXIT_NO_ACCESS,
                    "OUT COULD NOT BE PUT BACK: set it to %.6g %s by hand, now",
                    rk_relay_test_out_start(r->test), d->out_units);
    }
    if (rk_relay_test_stage(r->test) == RK_RELAY_TEST_NO_PV) {
        return fail(r->j, EXIT_NO_ACCESS, "the port has no PV; OUT was not moved");
    }
    if (rk_relay_test_stage(r->test) == RK_RELAY_TEST_STOPPED &&
        isnan(rk_relay_test_hysteresis(r->test))) {
        return fail(r->j, EXIT_VERDICT_NO, "stopped by %s; OUT was not moved", caught_name());
    }
    return fail(r->j, EXIT_VERDICT_NO, "%s; OUT is back at %.6g %s", why(r),
                rk_relay_test_out(r->test), d->out_units);
}

static int tell(relay_run *r)
{
    const rk_design *d = &r->j->loop;
    const double out = rk_relay_test_out(r->test);
    const double hysteresis = rk_relay_test_hysteresis(r->test);
    rk_diag diag = {RK_OK, ""};
    rk_relay_result found;
    char period[SHOWN_CHARS], length[SHOWN_CHARS], unit[64];

    if (r->unwritten || rk_relay_test_result(r->test, &found, &diag) != RK_OK)
        return tell_end(r);
    if (r->j->json) {
        rk_text *text = rk_text_create();
        const int status =
            print_json(r->j, text, rk_json_relay(&found, r->rows, out, text, &diag), &diag);

        return status == EXIT_DONE ? save_result(r, &found) : status;
    }
    show_time(period, found.ultimate_period, r->j->minutes);
    show_time(length, (double)r->rows * d->ts, r->j->minutes);
    (void)snprintf(unit, sizeof unit, "%s per %s", d->out_units, d->pv_units);
    show_verdict("DONE", true);
    (void)printf(": %zu rows in %s; OUT is back at %.6g %s.\n\n", r->rows, length, out,
                 d->out_units);
    (void)printf("  ultimate gain    %.5g %s\n  ultimate period  %s\n", found.ultimate_gain,
                 unit, period);
    (void)printf(
        "  PV swung by      +-%.4g %s, over %d even cycles, with a hysteresis of %.3g %s\n\n",
        found.amplitude, d->pv_units, found.cycles, hysteresis, d->pv_units);
    show_paragraph(
        "A relay finds the ultimate gain to some 5 to 30 %, and a swing shows about half "
        "a scan more dead time than the process has. A step test and fit know more.");
    if (found.amplitude < 2.0 * hysteresis) {
        show_paragraph(
            "CAUTION: PV swings little beyond the hysteresis: give a larger --relay.");
    }
    if (r->plan->record != NULL) {
        (void)printf("The record is in %s.\n", r->plan->record);
    }
    return save_result(r, &found);
}

/* A plan that cannot be is wrong usage; a port that does not answer is not. */
static int refuse(const relay_run *r, rk_status status, const rk_diag *diag)
{
    return status == RK_ERR_RANGE ? fail(r->j, EXIT_USAGE, "%s", diag->text)
                                  : fail_diag(r->j, status, diag);
}

static int set_up(relay_run *r)
{
    const rk_design *d = &r->j->loop;
    rk_diag diag = {RK_OK, ""};
    const int plant = need_plant(r->j);
    rk_port port;
    rk_status status;

    if (plant != EXIT_DONE) return plant;
    status = rk_sim_plant_create(d, &r->plant, &diag);
    if (status != RK_OK) return fail_diag(r->j, status, &diag);
    port = rk_sim_plant_port(r->plant);
    status = rk_relay_test_create(d, &port, &r->plan->relay, &r->test, &diag);
    if (status != RK_OK) return refuse(r, status, &diag);
    if (r->plan->record == NULL) return EXIT_DONE;
    status = rk_record_log_create(r->plan->record, d, r->plan->force, r->plan->real_time,
                                  &r->log, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(r->j, status, &diag);
}

static int run_scans(relay_run *r)
{
    const double ts = r->j->loop.ts;
    rk_diag diag = {RK_OK, ""}, ignored;
    bool more = true;

    while (more) {
        double pv = nan("");

        if (is_caught()) {
            rk_relay_test_stop(r->test);
        }
        more = rk_relay_test_scan(r->test, &pv, &diag);
        if (r->log != NULL && !r->unwritten &&
            rk_record_log_row(r->log, (double)r->rows * ts, rk_relay_test_out(r->test), pv,
                              &ignored) != RK_OK) {
            r->unwritten = true;
            rk_relay_test_stop(r->test);
        }
        r->rows++;
        rk_sim_plant_advance(r->plant);
        if (r->plan->real_time) {
            sleep_until(r->start + ((double)r->rows * ts));
        }
    }
    if (rk_relay_test_stage(r->test) == RK_RELAY_TEST_REFUSED) {
        return fail(r->j, EXIT_USAGE, "%s", diag.text);
    }
    return EXIT_DONE;
}

int run_relay_test(job *j, const relay_plan *plan)
{
    relay_run r = {.j = j, .plan = plan, .start = wall_clock()};
    int status = set_up(&r);

    if (status == EXIT_DONE) {
        status = run_scans(&r);
    }
    if (status == EXIT_DONE) {
        status = tell(&r);
    }
    rk_record_log_free(r.log);
    rk_relay_test_free(r.test);
    rk_sim_plant_free(r.plant);
    return status;
}
