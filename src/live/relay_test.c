/* SPDX-License-Identifier: MIT */
/*
 * A relay test through a port. PV is watched first, for its mean and its noise: the mean is
 * what the relay swings PV about, the noise its hysteresis. Then the relay block swings OUT.
 * Whatever ends the test, OUT is put back to where it stood; a port that does not take it is
 * tried again scan by scan.
 */
#include <redkettle/live/relay_test.h>

#include <math.h>

#include <redkettle/design/base/first_reading.h>
#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/scan_clock.h>
#include <redkettle/device/param_error.h>

/* OUT that cannot be put back is tried so many scans. */
enum { TRY_SCANS = 60, CYCLES = 3, CYCLES_MOST = 100 };
/* The hysteresis is so many deviations of the noise. */
#define DEVIATIONS 3.0
/* A test may take so many scans, or so long, s, if that is more. */
#define PATIENCE_SCANS 1000.0
#define PATIENCE 3600.0

struct rk_relay_test {
    rk_design design;
    rk_relay_plan plan;
    rk_port port;
    rk_relay relay;
    rk_relay_stage stage;
    double out, out_start, hysteresis;
    rk_scan_clock clock;
    size_t watch; /* so many scans PV is watched */
    double first, sum, squares;
    bool stop;         /* from outside */
    rk_record *record; /* OUT as it stood behind each scan, and its PV */
    int tries;         /* scans in which OUT could not be put back */
};

static rk_status check(const rk_design *d, const rk_relay_plan *p, rk_diag *diag)
{
    if (!(d->ts > 0) || !rk_design_has_out_range(d)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "give [loop] scan, and [out] low and high");
    }
    if (!isnan(p->cycles) && !(p->cycles >= 1 && p->cycles <= CYCLES_MOST)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "--cycles: give 1 to %d", CYCLES_MOST);
    }
    if (!(p->before > 0) || !isfinite(p->before / d->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "give a time above 0 to watch PV first");
    }
    return RK_OK;
}

static rk_status check_amplitude(const rk_relay_test *t, rk_diag *diag)
{
    const rk_design *d = &t->design;
    const double a = t->plan.amplitude;

    if (a > 0 && t->out - a >= d->out_low && t->out + a <= d->out_high) return RK_OK;
    return rk_diag_set(
        diag, RK_ERR_RANGE,
        "--relay %g: OUT stands at %.6g %s, and %g to each side must stay above 0 "
        "and within %g to %g",
        a, t->out, d->out_units, a, d->out_low, d->out_high);
}

rk_status rk_relay_test_create(const rk_design *design, const rk_port *port,
                               const rk_relay_plan *plan, rk_relay_test **test, rk_diag *diag)
{
    rk_relay_test *made;
    rk_status status;

    rk_diag_clear(diag);
    if (design == NULL || port == NULL || plan == NULL || test == NULL) return RK_ERR_ARG;
    status = check(design, plan, diag);
    if (status != RK_OK) return status;
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a relay test");
    status = rk_record_create(&made->record, diag);
    if (status != RK_OK) {
        rk_relay_test_free(made);
        return status;
    }
    rk_record_set_on_rows(made->record, true);
    made->design = *design;
    made->plan = *plan;
    made->port = *port;
    made->clock.ts = design->ts;
    made->watch = (size_t)ceil(plan->before / design->ts);
    if (!rk_first_reading(port, port->read_out, &made->out)) {
        status = rk_diag_set(diag, RK_ERR_IO, "the port does not tell OUT's present value");
    } else {
        status = check_amplitude(made, diag);
    }
    if (status != RK_OK) {
        rk_relay_test_free(made);
        return status;
    }
    made->out_start = made->out;
    made->hysteresis = nan("");
    *test = made;
    return RK_OK;
}

static bool is_over(const rk_relay_test *t)
{
    return t->stage > RK_RELAY_TEST_PUTTING_BACK;
}

/* Which way OUT moves PV: as the sheet says, or the model, or the settings. */
static bool is_direct(const rk_design *d)
{
    if (d->action != RK_ACTION_NOT_SAID) return d->action == RK_ACTION_DIRECT;
    if (d->has_model) return d->model.gain < 0;
    return d->has_settings && d->settings.kc < 0;
}

static rk_status start_relay(rk_relay_test *t, rk_diag *diag)
{
    const rk_design *d = &t->design;
    const rk_relay_plan *p = &t->plan;
    const double mean = t->sum / (double)t->watch;
    const double deviation = sqrt(fmax((t->squares / (double)t->watch) - (mean * mean), 0.0));
    const rk_relay_params params = {
        .ts = d->ts,
        .sp = t->first + mean,
        .amplitude = p->amplitude,
        .hysteresis = isnan(p->hysteresis) ? DEVIATIONS * deviation : p->hysteresis,
        .direct = is_direct(d),
        .cycles = isnan(p->cycles) ? CYCLES : (int)p->cycles,
        .patience = isnan(p->patience) ? fmax(PATIENCE_SCANS * d->ts, PATIENCE) : p->patience,
        .out_lo = d->out_low,
        .out_hi = d->out_high,
        .pv_lo = isnan(p->pv_low) ? -HUGE_VAL : p->pv_low,
        .pv_hi = isnan(p->pv_high) ? HUGE_VAL : p->pv_high,
    };

    t->hysteresis = params.hysteresis;
    if (rk_relay_init(&t->relay, &params, t->out) == RK_OK) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "the relay test cannot be made: %s",
                       rk_param_error_text(rk_relay_param_error(&params, t->out)));
}

static void watch(rk_relay_test *t, double pv, rk_diag *diag)
{
    if (t->stop || !isfinite(pv)) {
        t->stage = t->stop ? RK_RELAY_TEST_STOPPED : RK_RELAY_TEST_NO_PV;
        return;
    }
    t->first = t->clock.scans == 1 ? pv : t->first;
    t->sum += pv - t->first;
    t->squares += (pv - t->first) * (pv - t->first);
    if (t->clock.scans < t->watch) return;
    t->stage = start_relay(t, diag) == RK_OK ? RK_RELAY_TEST_SWINGING : RK_RELAY_TEST_REFUSED;
}

/* How it ended, OUT being back. */
static rk_relay_stage end_of(const rk_relay_test *t)
{
    rk_relay_result found;

    if (t->stop) return RK_RELAY_TEST_STOPPED;
    switch (t->relay.state) {
    case RK_RELAY_TIMED_OUT:
        return RK_RELAY_TEST_TIMED_OUT;
    case RK_RELAY_PV_BAD:
        return RK_RELAY_TEST_PV_BAD;
    case RK_RELAY_PV_OUT:
        return RK_RELAY_TEST_PV_OUT;
    case RK_RELAY_STOPPED:
        return RK_RELAY_TEST_NO_WRITE;
    default:
        return rk_relay_get_result(&t->relay, &found) == RK_OK ? RK_RELAY_TEST_DONE
                                                               : RK_RELAY_TEST_NO_SWING;
    }
}

static void swing(rk_relay_test *t, double pv)
{
    double out;

    if (t->stop && t->relay.state == RK_RELAY_SWINGING) {
        rk_relay_stop(&t->relay);
    }
    out = rk_relay_scan(&t->relay, pv);
    if (t->port.write_out(t->port.user, out) == RK_OK) {
        t->out = out;
        t->tries = 0;
    } else {
        rk_relay_stop(&t->relay);
        t->tries++;
    }
    if (t->relay.state == RK_RELAY_SWINGING) return;
    t->stage = RK_RELAY_TEST_PUTTING_BACK;
    if (t->tries == 0 && t->out == t->relay.out_start) {
        t->stage = end_of(t);
    } else if (t->tries > TRY_SCANS) {
        t->stage = RK_RELAY_TEST_STRANDED;
    }
}

/* The clock, to this scan; the relay counts its cycles in scans, so it is told of those left out. */
static void pass(rk_relay_test *t, double elapsed, double pv)
{
    double left;

    if (rk_scan_clock_pass(&t->clock, elapsed)) {
        for (left = round(elapsed / t->clock.ts);
             left > 1.0 && t->stage == RK_RELAY_TEST_SWINGING; left -= 1.0) {
            (void)rk_relay_scan(&t->relay, pv);
        }
    }
    (void)rk_scan_clock_scan(&t->clock);
}

bool rk_relay_test_scan(rk_relay_test *t, double elapsed, double *pv, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (t->port.read_pv(t->port.user, pv) != RK_OK) {
        *pv = nan("");
    }
    if (is_over(t)) return false;
    pass(t, elapsed, *pv);
    if (t->stage == RK_RELAY_TEST_WATCHING) {
        watch(t, *pv, diag);
    } else {
        swing(t, *pv);
    }
    /* A record that memory fails is shorter: the test goes on. */
    (void)rk_record_add(t->record, t->clock.last, t->out, isfinite(*pv) ? *pv : nan(""), NULL);
    return !is_over(t);
}

void rk_relay_test_stop(rk_relay_test *t)
{
    t->stop = t->stop || t->stage <= RK_RELAY_TEST_SWINGING;
}

rk_relay_stage rk_relay_test_stage(const rk_relay_test *t)
{
    return t->stage;
}

double rk_relay_test_time(const rk_relay_test *t)
{
    return t->clock.last;
}

double rk_relay_test_out(const rk_relay_test *t)
{
    return t->out;
}

double rk_relay_test_out_start(const rk_relay_test *t)
{
    return t->out_start;
}

double rk_relay_test_hysteresis(const rk_relay_test *t)
{
    return t->hysteresis;
}

rk_status rk_relay_test_result(const rk_relay_test *t, rk_relay_result *result, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (t == NULL || result == NULL) return RK_ERR_ARG;
    if (t->stage == RK_RELAY_TEST_DONE && rk_relay_get_result(&t->relay, result) == RK_OK) {
        return RK_OK;
    }
    return rk_diag_set(diag, RK_ERR_DATA, "the relay test found no ultimate point");
}

const rk_record *rk_relay_test_record(const rk_relay_test *t)
{
    return t->record;
}

void rk_relay_test_free(rk_relay_test *t)
{
    if (t == NULL) return;
    rk_record_free(t->record);
    rk_memory_free(t);
}
