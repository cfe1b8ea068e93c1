/* SPDX-License-Identifier: MIT */
#include <redkettle/device/loop.h>

#include <stddef.h>

/* A scan this many intervals after the one before is late. */
#define LATE RK_C(1.5)

const char *rk_alarm_text(rk_alarm alarm)
{
    switch (alarm) {
    case RK_ALARM_PV_BAD:
        return "PV is bad";
    case RK_ALARM_PV_STALE:
        return "PV does not change";
    case RK_ALARM_PV_LOW:
        return "PV is low";
    case RK_ALARM_PV_HIGH:
        return "PV is high";
    case RK_ALARM_DEVIATION:
        return "PV is far from SP";
    case RK_ALARM_WRITE_FAILED:
        return "OUT was not written";
    case RK_ALARM_SCAN_LATE:
        return "scan is late";
    case RK_ALARM_WATCHDOG:
        return "watchdog was not fed";
    default:
        return "no such alarm";
    }
}

rk_loop_params rk_loop_params_make(void)
{
    const rk_loop_params made = {
        .pid = rk_pid_params_make(),
        .hold_time = RK_REAL_MAX,
        .stale_time = RK_REAL_MAX,
        .watchdog_time = RK_REAL_MAX,
        .pv_low = -RK_REAL_MAX,
        .pv_high = RK_REAL_MAX,
        .deviation = RK_INFINITY,
    };

    return made;
}

rk_param_error rk_loop_param_error(const rk_loop_params *p, rk_real sp, rk_real out_now)
{
    const rk_param_error error = rk_pid_param_error(&p->pid, out_now);

    if (error != RK_PARAM_ERROR_NONE) return error;
    if (rk_filter_param_error(p->pv_filter, p->pid.ts) != RK_PARAM_ERROR_NONE)
        return RK_PARAM_ERROR_TF;
    if (!(p->hold_time >= 0) || !(p->stale_time > 0) || !(p->watchdog_time > 0) ||
        !(p->pv_low < p->pv_high) || !(p->deviation > 0) || !(p->alarm_gap >= 0) ||
        !rk_is_finite(p->alarm_gap)) {
        return RK_PARAM_ERROR_ALARM;
    }
    return rk_is_finite(sp) ? RK_PARAM_ERROR_NONE : RK_PARAM_ERROR_SETPOINT;
}

/* The fields that the parameters determine. */
static void take_params(rk_loop *loop, const rk_loop_params *p)
{
    loop->ts = p->pid.ts;
    loop->hold_time = p->hold_time;
    loop->stale_time = p->stale_time;
    loop->watchdog_time = p->watchdog_time;
    loop->pv_low = p->pv_low;
    loop->pv_high = p->pv_high;
    loop->deviation = p->deviation;
    loop->alarm_gap = p->alarm_gap;
}

rk_status rk_loop_init(rk_loop *loop, const rk_port *port, const rk_loop_params *params,
                       rk_real sp, rk_real out_now)
{
    rk_status status;

    if (loop == NULL || port == NULL || params == NULL) return RK_ERR_ARG;
    if (port->read_pv == NULL || port->write_out == NULL || port->read_out == NULL) {
        return RK_ERR_ARG;
    }
    if (rk_loop_param_error(params, sp, out_now) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    status = rk_pid_init(&loop->pid, &params->pid, out_now);
    if (status != RK_OK) return status;

    (void)rk_filter_init(&loop->filter, params->pv_filter, params->pid.ts);
    take_params(loop, params);
    loop->port = *port;
    loop->predictor = NULL;
    loop->on_off = NULL;
    loop->sp = sp;
    loop->pv = sp;
    loop->out = out_now;
    loop->alarms = 0;
    loop->alarms_seen = 0;
    loop->without_pv = RK_C(0.0);
    loop->unchanged = RK_C(0.0);
    loop->unfed = RK_C(0.0);
    return RK_OK;
}

rk_status rk_loop_set_params(rk_loop *loop, const rk_loop_params *params)
{
    rk_filter filter;
    rk_status status;

    if (loop == NULL || params == NULL) return RK_ERR_ARG;
    if (rk_loop_param_error(params, loop->sp, params->pid.out_lo) != RK_PARAM_ERROR_NONE)
        return RK_ERR_RANGE;
    status = rk_pid_set_params(&loop->pid, &params->pid);
    if (status != RK_OK) return status;
    (void)rk_filter_init(&filter, params->pv_filter, params->pid.ts);
    loop->filter.part = filter.part;
    take_params(loop, params);
    return RK_OK;
}

void rk_loop_set_predictor(rk_loop *loop, rk_predictor *predictor)
{
    loop->predictor = predictor;
    loop->pid.fresh = true;
}

void rk_loop_set_on_off(rk_loop *loop, rk_on_off *on_off)
{
    loop->on_off = on_off;
    loop->pid.fresh = true;
}

void rk_loop_feed(rk_loop *loop)
{
    loop->unfed = RK_C(0.0);
}

void rk_loop_acknowledge(rk_loop *loop)
{
    loop->alarms_seen = loop->alarms;
}

static void set_alarm(rk_loop *loop, rk_alarm alarm, bool on)
{
    if (on) {
        loop->alarms |= (uint32_t)alarm;
        loop->alarms_seen |= (uint32_t)alarm;
    } else {
        loop->alarms &= ~(uint32_t)alarm;
    }
}

static bool holds(const rk_loop *loop, rk_alarm alarm)
{
    return (loop->alarms & (uint32_t)alarm) != 0;
}

/* The gap by which an alarm that holds must be left. */
static rk_real gap(const rk_loop *loop, rk_alarm alarm)
{
    return holds(loop, alarm) ? loop->alarm_gap : RK_C(0.0);
}

static rk_real add_time(rk_real time, rk_real elapsed)
{
    const rk_real sum = time + elapsed;

    return sum < RK_REAL_MAX ? sum : RK_REAL_MAX;
}

/* The PV of this scan, if it is good: there, a number, in its range, alive. */
static bool read_pv(rk_loop *loop, rk_real elapsed, rk_real *pv)
{
    const bool there = loop->port.read_pv(loop->port.user, pv) == RK_OK;
    const bool good = there && rk_is_finite(*pv) && *pv >= loop->pid.params.pv_lo &&
                      *pv <= loop->pid.params.pv_hi;

    loop->unchanged = good && *pv == loop->pv ? add_time(loop->unchanged, elapsed) : RK_C(0.0);
    set_alarm(loop, RK_ALARM_PV_BAD, !good);
    set_alarm(loop, RK_ALARM_PV_STALE, good && loop->unchanged >= loop->stale_time);
    if (good) {
        loop->pv = *pv;
    }
    return good && !holds(loop, RK_ALARM_PV_STALE);
}

static void watch_limits(rk_loop *loop)
{
    const rk_real off = loop->sp > loop->pv ? loop->sp - loop->pv : loop->pv - loop->sp;

    set_alarm(loop, RK_ALARM_PV_LOW, loop->pv < loop->pv_low + gap(loop, RK_ALARM_PV_LOW));
    set_alarm(loop, RK_ALARM_PV_HIGH, loop->pv > loop->pv_high - gap(loop, RK_ALARM_PV_HIGH));
    set_alarm(loop, RK_ALARM_DEVIATION, off > loop->deviation - gap(loop, RK_ALARM_DEVIATION));
}

/* A setpoint and a measured value to switch by; without, OUT is held as everywhere. */
static bool may_switch(const rk_loop *loop, rk_real pv)
{
    const rk_pid_params *p = &loop->pid.params;

    return loop->on_off != NULL && loop->pid.mode == RK_PID_AUTO && rk_is_finite(loop->sp) &&
           pv >= p->pv_lo && pv <= p->pv_hi;
}

/* In automatic the switch leads the block. */
static rk_real switched(rk_loop *loop, rk_real pv)
{
    const rk_pid_params *p = &loop->pid.params;
    rk_real out;

    rk_pid_set_tracking(&loop->pid,
                        rk_on_off_scan(loop->on_off, loop->sp, pv) ? p->out_hi : p->out_lo);
    out = rk_pid_scan(&loop->pid, loop->sp, pv);
    rk_pid_set_auto(&loop->pid);
    return out;
}

static rk_real control(rk_loop *loop, bool good, rk_real pv, rk_real elapsed)
{
    rk_real seen = pv;

    if (holds(loop, RK_ALARM_SCAN_LATE)) {
        rk_pid_restart_derivative(&loop->pid);
    }
    if (good) {
        seen = rk_filter_scan(&loop->filter, pv);
    }
    if (loop->predictor != NULL) {
        seen = rk_predictor_scan(loop->predictor, seen, loop->out);
    }
    loop->without_pv = good ? RK_C(0.0) : add_time(loop->without_pv, elapsed);
    if (holds(loop, RK_ALARM_WATCHDOG)) return rk_pid_fail(&loop->pid);
    if (good && may_switch(loop, seen)) return switched(loop, seen);
    if (good) return rk_pid_scan(&loop->pid, loop->sp, seen);
    if (loop->pid.params.bad_to_safe || loop->without_pv > loop->hold_time) {
        return rk_pid_fail(&loop->pid);
    }
    return rk_pid_hold(&loop->pid);
}

void rk_loop_scan(rk_loop *loop, rk_real elapsed)
{
    rk_real pv = loop->pv, out;
    bool good;

    if (!(elapsed > 0)) {
        elapsed = loop->ts;
    }
    loop->unfed = add_time(loop->unfed, elapsed);
    set_alarm(loop, RK_ALARM_SCAN_LATE, elapsed > LATE * loop->ts);
    set_alarm(loop, RK_ALARM_WATCHDOG, loop->unfed > loop->watchdog_time);
    good = read_pv(loop, elapsed, &pv);
    if (good) {
        watch_limits(loop);
    }
    out = control(loop, good, pv, elapsed);
    set_alarm(loop, RK_ALARM_WRITE_FAILED, loop->port.write_out(loop->port.user, out) != RK_OK);
    if (holds(loop, RK_ALARM_WRITE_FAILED)) {
        rk_pid_take_out(&loop->pid, loop->out); /* that is what still stands there */
    } else {
        loop->out = out;
    }
}
