/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/bump.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/first_reading.h>
#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/scan_clock.h>

#include "design/record/trend.h"

struct rk_bump {
    rk_bump_plan plan;
    rk_port port;
    rk_bump_state state;
    char why[160];
    double out_start, out;
    rk_scan_clock clock;
    double next_at; /* s: the time of the next move, or of the end */
    size_t moved;
    size_t window;      /* scans that PV is watched before the first move */
    double *times, *pv; /* of the last scans, window long */
    size_t watched;
    bool put_back; /* OUT has to be put back */
    bool finish;   /* the next scan is the last */
    int missed;    /* scans in a row without a reply */
};

/* Fewer rows than this before a move are no baseline. */
#define WINDOW_LEAST 5.0
/* A drift below this part of PV's bounds over the window is none. */
#define STILL 0.0005
/* A test of more scans than this is a mistake in its units. */
#define SCANS_MOST 1e8
/* Parts of a scan that a clock may be early by. */
#define EARLY 0.1
/* So many scans in a row may be without a reply of the port: a network loses one now and then. */
enum { MISSED_MOST = 2 };

static rk_status check_time(const char *what, double seconds, double least, rk_diag *diag)
{
    if (seconds >= least && isfinite(seconds)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "%s %g s: give %g s or more", what, seconds, least);
}

static rk_status check_plan(const rk_bump_plan *p, rk_diag *diag)
{
    rk_status status;
    size_t i;

    if (!(p->ts > 0) || !isfinite(p->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "scan %g s: give a scan interval above 0",
                           p->ts);
    }
    if (p->moves < 1 || p->moves > RK_BUMP_MOVES_MAX) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%zu moves of OUT: give 1 to %d", p->moves,
                           RK_BUMP_MOVES_MAX);
    }
    for (i = 0; i < p->moves; i++) {
        if (isfinite(p->move[i]) && p->move[i] != 0) continue;
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "move %zu of OUT is %g: give a size that is not 0", i + 1,
                           p->move[i]);
    }
    status = check_time("hold", p->hold, p->ts, diag);
    if (status == RK_OK) {
        status = check_time("before", p->before, WINDOW_LEAST * p->ts, diag);
    }
    if (status == RK_OK) {
        status = check_time("patience", p->patience, 0.0, diag);
    }
    if (status == RK_OK &&
        !((p->before + p->patience + (p->hold * (double)p->moves)) / p->ts <= SCANS_MOST)) {
        status = rk_diag_set(diag, RK_ERR_RANGE,
                             "the test would take over %g scans: check units", SCANS_MOST);
    }
    return status;
}

/* Every level that OUT will stand at. */
static rk_status check_moves(const rk_bump_plan *p, double out, rk_diag *diag)
{
    size_t i;

    for (i = 0; i <= p->moves; i++) {
        if (out < p->out_low || out > p->out_high) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               i == 0 ? "OUT is at %g, outside its limits %g to %g"
                                      : "OUT would go to %g, beyond its limits %g to %g: make "
                                        "the move smaller or the other way",
                               out, p->out_low, p->out_high);
        }
        if (i < p->moves) {
            out += p->move[i];
        }
    }
    return RK_OK;
}

/* Where PV would go at each level, by what is known of the process. */
static rk_status check_response(const rk_bump_plan *p, double pv, rk_diag *diag)
{
    double out = 0, at = pv;
    size_t i;

    for (i = 0; i < p->moves && !isnan(p->gain); i++) {
        out += p->move[i];
        if (p->integrates) { /* the last move need not be waited for */
            at += p->gain * out * fmax(p->hold - (i == 0 ? p->dead_time : 0.0), 0.0);
        } else {
            at = pv + (p->gain * out);
        }
        if (at < p->pv_low || at > p->pv_high) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               "move %zu of OUT would take PV from %.5g to %.5g, beyond the "
                               "bounds %g to %g: make it smaller%s",
                               i + 1, pv, at, p->pv_low, p->pv_high,
                               p->integrates ? ", or hold it for less long" : "");
        }
    }
    return RK_OK;
}

static bool beyond(const rk_bump_plan *p, double pv)
{
    return pv < p->pv_low || pv > p->pv_high;
}

static rk_status first_look(rk_bump *b, rk_diag *diag)
{
    rk_real out = 0, pv = 0;

    if (!rk_first_reading(&b->port, b->port.read_out, &out)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port does not tell OUT's present value");
    }
    if (!rk_first_reading(&b->port, b->port.read_pv, &pv)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port gives no PV");
    }
    if (beyond(&b->plan, pv)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "PV is %.6g, outside the bounds %g to %g", pv,
                           b->plan.pv_low, b->plan.pv_high);
    }
    b->out_start = b->out = out;
    if (check_moves(&b->plan, out, diag) != RK_OK) return RK_ERR_RANGE;
    return check_response(&b->plan, pv, diag);
}

rk_status rk_bump_plan_complete(rk_bump_plan *plan, const rk_design *loop, rk_diag *diag)
{
    const rk_model *m;

    rk_diag_clear(diag);
    if (plan == NULL || loop == NULL) return RK_ERR_ARG;
    m = &loop->model;
    plan->ts = loop->ts;
    plan->out_low = loop->out_low;
    plan->out_high = loop->out_high;
    if (isnan(plan->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "how often? give [loop] scan");
    }
    if (!rk_design_has_out_range(loop)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT's limits are not known: give [out] low and high, or --out-low "
                           "and --out-high");
    }
    if (isnan(plan->hold) && loop->has_model && !rk_model_kind_integrates(m->kind)) {
        plan->hold = m->dead_time + (5.0 * (m->time_constant[0] + m->time_constant[1]));
    }
    if (isnan(plan->hold)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "how long shall OUT be held? give a time in which PV settles (--hold)");
    }
    if (isnan(plan->before)) {
        plan->before = 30.0 * plan->ts;
    }
    if (isnan(plan->patience)) {
        plan->patience = 20.0 * plan->before;
    }
    if (isnan(plan->pv_low)) { /* of numbers and NaN the number */
        plan->pv_low = fmax(loop->pv_low, loop->alarms.low);
    }
    if (isnan(plan->pv_high)) {
        plan->pv_high = fmin(loop->pv_high, loop->alarms.high);
    }
    plan->gain = loop->has_model ? m->gain : nan("");
    plan->integrates = loop->has_model && rk_model_kind_integrates(m->kind);
    plan->dead_time = loop->has_model ? m->dead_time : 0.0;
    return RK_OK;
}

rk_status rk_bump_create(const rk_bump_plan *plan, const rk_port *port, rk_bump **bump,
                         rk_diag *diag)
{
    rk_bump *made;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || port == NULL || bump == NULL) return RK_ERR_ARG;
    if (port->read_pv == NULL || port->write_out == NULL || port->read_out == NULL) {
        return RK_ERR_ARG;
    }
    status = check_plan(plan, diag);
    if (status != RK_OK) return status;
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a test");
    made->plan = *plan;
    made->clock.ts = plan->ts;
    made->port = *port;
    made->window = (size_t)ceil(plan->before / plan->ts);
    made->times = rk_memory_create(made->window, sizeof(double));
    made->pv = rk_memory_create(made->window, sizeof(double));
    if (made->times == NULL || made->pv == NULL) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a test");
    } else {
        status = first_look(made, diag);
    }
    if (status != RK_OK) {
        rk_bump_free(made);
        return status;
    }
    *bump = made;
    return RK_OK;
}

static void put_back(rk_bump *b)
{
    if (b->put_back && b->port.write_out(b->port.user, b->out_start) != RK_OK) {
        b->state = RK_BUMP_STRANDED;
        return;
    }
    b->out = b->out_start;
    b->put_back = false;
    b->state = RK_BUMP_STOPPED;
}

void rk_bump_stop(rk_bump *b, const char *why)
{
    if (b->state >= RK_BUMP_DONE) return;
    (void)snprintf(b->why, sizeof b->why, "%s", why);
    put_back(b);
}

void rk_bump_finish(rk_bump *b, const char *why)
{
    if (b->state >= RK_BUMP_DONE) return;
    (void)snprintf(b->why, sizeof b->why, "%s", why);
    b->finish = true;
}

static void end(rk_bump *b)
{
    put_back(b);
    if (b->state == RK_BUMP_STOPPED) {
        b->state = RK_BUMP_DONE;
    } else {
        (void)snprintf(b->why, sizeof b->why, "the port took no OUT");
    }
}

static void move_to(rk_bump *b, double out)
{
    b->put_back = true; /* even if the write is said to have failed */
    if (b->port.write_out(b->port.user, out) != RK_OK) {
        rk_bump_stop(b, "the port took no OUT");
        return;
    }
    b->out = out;
}

/* Keep PV of the last scans; full, does it stand still? */
static bool is_steady(rk_bump *b, double pv)
{
    const double span = b->plan.pv_high - b->plan.pv_low;
    rki_trend line;

    if (b->watched == b->window) {
        memmove(b->times, b->times + 1, (b->window - 1) * sizeof(double));
        memmove(b->pv, b->pv + 1, (b->window - 1) * sizeof(double));
        b->watched--;
    }
    b->times[b->watched] = b->clock.last;
    b->pv[b->watched++] = pv;
    if (b->watched < b->window) return false;
    line = rki_trend_of(b->times, b->pv, 0, b->window - 1);
    return rki_trend_is_steady(&line, isfinite(span) ? STILL * span : 0.0);
}

static void wait_or_move(rk_bump *b, double pv)
{
    const bool steady = is_steady(b, pv);
    const double waited = b->clock.last - ((double)(b->window - 1) * b->plan.ts);
    char why[120];

    if (b->watched < b->window) return;
    if (!steady && b->plan.patience > 0) {
        if (waited < b->plan.patience - (EARLY * b->plan.ts)) return;
        (void)snprintf(why, sizeof why,
                       "PV was not steady for %g s within %g s; OUT was not moved",
                       b->plan.before, b->plan.before + b->plan.patience);
        rk_bump_stop(b, why);
        return;
    }
    b->state = RK_BUMP_MOVING;
    b->next_at = b->clock.last;
}

/* Where OUT goes with the next move: exactly to the start when the moves add up to nothing. */
static double next_level(const rk_bump *b)
{
    double sum = 0, size = 0;
    size_t i;

    for (i = 0; i <= b->moved; i++) {
        sum += b->plan.move[i];
        size = fmax(size, fabs(b->plan.move[i]));
    }
    return b->out_start + (fabs(sum) > 1e-9 * size ? sum : 0.0);
}

/* Between two moves OUT is written each scan: whatever else writes there does not stay. */
static void keep_out(rk_bump *b)
{
    if (b->put_back) {
        move_to(b, b->out);
    }
}

static void move_when_due(rk_bump *b)
{
    if (b->clock.last < b->next_at - (EARLY * b->plan.ts)) {
        keep_out(b);
        return;
    }
    if (b->moved == b->plan.moves) {
        end(b);
        return;
    }
    move_to(b, next_level(b));
    b->moved++;
    b->next_at = b->clock.last + b->plan.hold;
}

/* What stops the test, or NULL. */
static const char *look(rk_bump *b, double *pv, char *room, size_t length)
{
    rk_real read = 0;

    *pv = nan("");
    if (b->port.read_pv(b->port.user, &read) != RK_OK) {
        b->missed++;
        return b->missed > MISSED_MOST ? "the port gave no PV" : NULL;
    }
    b->missed = 0;
    if (!isfinite(read)) return "PV was bad";
    *pv = read;
    if (!beyond(&b->plan, read)) return NULL;
    (void)snprintf(room, length, "PV %.6g was %s the bound %g", read,
                   read < b->plan.pv_low ? "below" : "above",
                   read < b->plan.pv_low ? b->plan.pv_low : b->plan.pv_high);
    return room;
}

rk_bump_row rk_bump_scan(rk_bump *b, double elapsed)
{
    rk_bump_row row = {0};
    char room[120];
    const char *why = look(b, &row.pv, room, sizeof room);

    (void)rk_scan_clock_pass(&b->clock, elapsed);
    row.time = rk_scan_clock_scan(&b->clock);
    if (b->state == RK_BUMP_STRANDED) {
        put_back(b);
    } else if (why != NULL) {
        rk_bump_stop(b, why);
    } else if (b->finish && b->state < RK_BUMP_DONE) {
        end(b);
    } else if (b->state == RK_BUMP_WAITING && b->missed == 0) {
        wait_or_move(b, row.pv);
    }
    if (b->state == RK_BUMP_MOVING && b->missed == 0) {
        move_when_due(b);
    }
    row.out = b->out;
    return row;
}

rk_bump_state rk_bump_get_state(const rk_bump *bump)
{
    return bump->state;
}

const char *rk_bump_why(const rk_bump *bump)
{
    return bump->why;
}

double rk_bump_out_start(const rk_bump *bump)
{
    return bump->out_start;
}

double rk_bump_time_left(const rk_bump *b)
{
    const double to_come = (double)(b->plan.moves - b->moved) * b->plan.hold;

    if (b->state == RK_BUMP_WAITING) {
        return ((double)(b->window - b->watched) * b->plan.ts) + to_come;
    }
    if (b->state != RK_BUMP_MOVING) return 0.0;
    return fmax(b->next_at - rk_scan_clock_due(&b->clock), 0.0) + to_come;
}

void rk_bump_free(rk_bump *bump)
{
    if (bump == NULL) return;
    if (bump->put_back) {
        rk_bump_stop(bump, "given up");
    }
    rk_memory_free(bump->times);
    rk_memory_free(bump->pv);
    rk_memory_free(bump);
}
