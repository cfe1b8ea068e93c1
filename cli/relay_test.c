/* SPDX-License-Identifier: MIT */
#include "relay_test.h"

#include <math.h>

#include "clock.h"
#include "show.h"
#include "sim_port.h"

/* OUT that cannot be put back is tried so many scans. */
enum { TRY_SCANS = 60 };
/* The hysteresis is so many deviations of the noise. */
#define DEVIATIONS 3.0

/* A test under way. */
typedef struct relay_run {
    job *j;
    const relay_plan *plan;
    sim_port *port;
    rk_port seam;
    rk_record_log *log;
    rk_relay relay;
    double out, hysteresis;
    double start; /* of the wall clock */
    size_t rows;
    bool stranded, stopped;
} relay_run;

static double read_pv(const relay_run *r)
{
    double pv = nan("");

    return r->seam.read_pv(r->seam.user, &pv) == RK_OK ? pv : nan("");
}

static rk_status put_row(relay_run *r, double pv, rk_diag *diag)
{
    const double time = (double)r->rows * r->j->loop.ts;

    r->rows++;
    return r->log == NULL ? RK_OK : rk_record_log_row(r->log, time, r->out, pv, diag);
}

static void pass_scan(relay_run *r)
{
    sim_port_advance(r->port);
    if (r->plan->real_time) {
        sleep_until(r->start + ((double)r->rows * r->j->loop.ts));
    }
}

/* PV at rest: its mean, and its noise. */
static int watch(relay_run *r, double *mean, double *deviation)
{
    const long scans = (long)ceil(r->plan->before / r->j->loop.ts);
    double sum = 0, squares = 0, first = nan("");
    rk_diag diag = {RK_OK, ""};
    long i;

    for (i = 0; i < scans && !is_caught(); i++) {
        const double pv = read_pv(r);

        if (!isfinite(pv)) {
            return fail(r->j, EXIT_NO_ACCESS, "the port has no PV; OUT was not moved");
        }
        first = i == 0 ? pv : first;
        sum += pv - first;
        squares += (pv - first) * (pv - first);
        if (put_row(r, pv, &diag) != RK_OK) return fail_diag(r->j, RK_ERR_IO, &diag);
        pass_scan(r);
    }
    if (is_caught()) {
        return fail(r->j, EXIT_VERDICT_NO, "stopped by %s; OUT was not moved", caught_name());
    }
    sum /= (double)scans;
    *mean = first + sum;
    *deviation = sqrt(fmax((squares / (double)scans) - (sum * sum), 0.0));
    return EXIT_DONE;
}

static int start_relay(relay_run *r, double mean, double deviation)
{
    const rk_design *d = &r->j->loop;
    const relay_plan *p = r->plan;
    const bool direct = d->action == RK_ACTION_DIRECT || (d->has_model && d->model.gain < 0) ||
                        (!d->has_model && d->has_settings && d->settings.kc < 0);
    const rk_relay_params params = {
        .ts = d->ts,
        .sp = mean,
        .amplitude = p->amplitude,
        .hysteresis = isnan(p->hysteresis) ? DEVIATIONS * deviation : p->hysteresis,
        .direct = direct,
        .cycles = isnan(p->cycles) ? 3 : (int)p->cycles,
        .patience = isnan(p->patience) ? fmax(1000.0 * d->ts, 3600.0) : p->patience,
        .out_lo = d->out_low,
        .out_hi = d->out_high,
        .pv_lo = isnan(p->pv_low) ? -HUGE_VAL : p->pv_low,
        .pv_hi = isnan(p->pv_high) ? HUGE_VAL : p->pv_high,
    };
    const rk_param_error error = rk_relay_param_error(&params, r->out);

    r->hysteresis = params.hysteresis;
    if (error == RK_PARAM_ERROR_AMPLITUDE) {
        return fail(
            r->j, EXIT_USAGE,
            "--relay %g: OUT stands at %.6g %s, and %g to each side must stay above 0 and "
            "within %g to %g",
            p->amplitude, r->out, d->out_units, p->amplitude, d->out_low, d->out_high);
    }
    if (rk_relay_init(&r->relay, &params, r->out) != RK_OK) {
        return fail(r->j, EXIT_USAGE, "the relay test cannot be made: %s",
                    rk_param_error_text(error));
    }
    return EXIT_DONE;
}

static void swing(relay_run *r)
{
    rk_diag diag = {RK_OK, ""};
    int tries = 0;

    for (;;) {
        const double pv = read_pv(r);
        double out;

        if (is_caught()) {
            r->stopped = r->relay.state == RK_RELAY_SWINGING || r->stopped;
            rk_relay_stop(&r->relay);
        }
        out = rk_relay_scan(&r->relay, pv);
        r->stranded = r->seam.write_out(r->seam.user, out) != RK_OK;
        if (r->stranded) {
            rk_relay_stop(&r->relay);
        } else {
            r->out = out;
        }
        if (put_row(r, pv, &diag) != RK_OK) {
            rk_relay_stop(&r->relay);
        }
        pass_scan(r);
        if (r->relay.state != RK_RELAY_SWINGING && !r->stranded &&
            r->out == r->relay.out_start) {
            return;
        }
        if (r->stranded && ++tries > TRY_SCANS) return;
    }
}

static const char *why(const relay_run *r)
{
    if (r->stopped) return "stopped from outside";
    switch (r->relay.state) {
    case RK_RELAY_TIMED_OUT:
        return "PV did not swing evenly in time: give a larger --relay, or more --patience";
    case RK_RELAY_PV_BAD:
        return "PV was bad";
    case RK_RELAY_PV_OUT:
        return "PV left its bounds: give a smaller --relay, or wider --pv-low and --pv-high";
    case RK_RELAY_STOPPED:
        return "OUT or a row could not be written";
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

static int tell(relay_run *r)
{
    const rk_design *d = &r->j->loop;
    rk_diag diag = {RK_OK, ""};
    rk_relay_result found;
    char period[SHOWN_CHARS], length[SHOWN_CHARS], unit[64];

    if (r->stranded) {
        return fail(r->j, EXIT_NO_ACCESS,
                    "OUT COULD NOT BE PUT BACK: set it to %.6g %s by hand, now",
                    r->relay.out_start, d->out_units);
    }
    if (rk_relay_get_result(&r->relay, &found) != RK_OK) {
        return fail(r->j, EXIT_VERDICT_NO, "%s; OUT is back at %.6g %s", why(r), r->out,
                    d->out_units);
    }
    if (r->j->json) {
        rk_text *text = rk_text_create();
        const int status =
            print_json(r->j, text, rk_json_relay(&found, r->rows, r->out, text, &diag), &diag);

        return status == EXIT_DONE ? save_result(r, &found) : status;
    }
    show_time(period, found.ultimate_period, r->j->minutes);
    show_time(length, (double)r->rows * d->ts, r->j->minutes);
    (void)snprintf(unit, sizeof unit, "%s per %s", d->out_units, d->pv_units);
    show_verdict("DONE", true);
    (void)printf(": %zu rows in %s; OUT is back at %.6g %s.\n\n", r->rows, length, r->out,
                 d->out_units);
    (void)printf("  ultimate gain    %.5g %s\n  ultimate period  %s\n", found.ultimate_gain,
                 unit, period);
    (void)printf(
        "  PV swung by      +-%.4g %s, over %d even cycles, with a hysteresis of %.3g %s\n\n",
        found.amplitude, d->pv_units, found.cycles, r->hysteresis, d->pv_units);
    show_paragraph(
        "A relay finds the ultimate gain to some 5 to 30 %, and a swing shows about half "
        "a scan more dead time than the process has. A step test and fit know more.");
    if (found.amplitude < 2.0 * r->hysteresis) {
        show_paragraph(
            "CAUTION: PV swings little beyond the hysteresis: give a larger --relay.");
    }
    if (r->plan->record != NULL) {
        (void)printf("The record is in %s.\n", r->plan->record);
    }
    return save_result(r, &found);
}

static int set_up(relay_run *r)
{
    const rk_design *d = &r->j->loop;
    rk_diag diag = {RK_OK, ""};
    const int plant = need_plant(r->j);
    rk_status status;

    if (plant != EXIT_DONE) return plant;
    if (isnan(d->ts) || !rk_design_has_out_range(d)) {
        return fail(r->j, EXIT_USAGE, "give [loop] scan, and [out] low and high");
    }
    if (!(r->plan->cycles >= 1 && r->plan->cycles <= 100) && !isnan(r->plan->cycles)) {
        return fail(r->j, EXIT_USAGE, "--cycles: give 1 to 100");
    }
    status = sim_port_create(d, &r->port, &diag);
    if (status != RK_OK) return fail_diag(r->j, status, &diag);
    r->seam = sim_port_seam(r->port);
    if (r->seam.read_out(r->seam.user, &r->out) != RK_OK || !isfinite(r->out)) {
        return fail(r->j, EXIT_NO_ACCESS, "the port does not say where OUT stands");
    }
    if (r->plan->record == NULL) return EXIT_DONE;
    status = rk_record_log_create(r->plan->record, d, r->plan->force, r->plan->real_time,
                                  &r->log, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(r->j, status, &diag);
}

int run_relay_test(job *j, const relay_plan *plan)
{
    relay_run r = {.j = j, .plan = plan, .start = wall_clock()};
    double mean = 0, deviation = 0;
    int status = set_up(&r);

    if (status == EXIT_DONE && r.port != NULL) {
        status = watch(&r, &mean, &deviation);
    }
    if (status == EXIT_DONE) {
        status = start_relay(&r, mean, deviation);
    }
    if (status == EXIT_DONE) {
        swing(&r);
        status = tell(&r);
    }
    rk_record_log_free(r.log);
    sim_port_free(r.port);
    return status;
}
