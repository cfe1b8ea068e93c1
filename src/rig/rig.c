/* SPDX-License-Identifier: MIT */
/* The loop's blocks on a port that is moved by hand. Compiled twice: in double, and with
   RK_CFG_FLOAT 1 and the names of names.h in single precision. */
#include <redkettle/design/base/memory.h>
#include <redkettle/device/loop.h>
#include <redkettle/device/plant.h>

#include "calls.h"

#if RK_PLANT_STATES != 9
#error "RK_RIG_STATES is RK_PLANT_STATES."
#endif

typedef struct rig {
    rk_loop loop;
    rk_loop_params params; /* the last good ones */
    bool started;          /* the loop has begun */
    rk_real pv, out;       /* at the port */
    bool pv_there;

    rk_on_off on_off;
    bool two_position;

    rk_plant_params whole, quick, plant_params;
    rk_predictor predictor;
    rk_plant plant;
    rk_real *predicted, *memory; /* NULL: there is none */
    rk_predictor told;           /* models at rest, where the caller says */
    rk_real told_memory[2];
} rig;

static rk_real number(double x)
{
    return (rk_real)x;
}

/* 0 stands for none. */
static rk_real or_none(double x, rk_real none)
{
    return x == 0 ? none : number(x);
}

static rk_status read_pv(void *user, rk_real *pv)
{
    const rig *r = user;

    *pv = r->pv;
    return r->pv_there ? RK_OK : RK_ERR_IO;
}

static rk_status read_out(void *user, rk_real *out)
{
    *out = ((const rig *)user)->out;
    return RK_OK;
}

static rk_status write_out(void *user, rk_real out)
{
    ((rig *)user)->out = out;
    return RK_OK;
}

static rk_pid_params pid_of(const rk_rig_settings *s)
{
    rk_pid_params p = rk_pid_params_make();

    p.ts = number(s->scan);
    p.kc = number(s->kc);
    p.ti = or_none(s->ti, RK_INFINITY);
    p.td = number(s->td);
    p.tf = number(s->tf);
    p.sp_weight = number(s->sp_weight);
    p.d_sp_weight = number(s->d_sp_weight);
    p.deadband = number(s->deadband);
    p.tt = number(s->tracking_time);
    p.anti_windup = (rk_anti_windup)s->anti_windup;
    p.integral = (rk_scheme)s->integral_by;
    p.derivative = (rk_scheme)s->derivative_by;
    p.algorithm = s->velocity ? RK_ALGORITHM_VELOCITY : RK_ALGORITHM_POSITION;
    p.biased = s->biased;
    p.bias = number(s->bias);
    p.out_lo = number(s->out_low);
    p.out_hi = number(s->out_high);
    p.out_rate = or_none(s->out_rate, RK_INFINITY);
    p.out_safe = number(s->out_safe);
    p.sp_lo = number(s->sp_low);
    p.sp_hi = number(s->sp_high);
    p.sp_rate = or_none(s->sp_rate, RK_INFINITY);
    p.pv_lo = number(s->pv_low);
    p.pv_hi = number(s->pv_high);
    return p;
}

static rk_loop_params params_of(const rk_rig_settings *s)
{
    rk_loop_params p = rk_loop_params_make();

    p.pid = pid_of(s);
    p.pv_filter = number(s->pv_filter);
    p.hold_time = s->hold_time < 0 ? RK_REAL_MAX : number(s->hold_time);
    p.stale_time = or_none(s->stale_time, RK_REAL_MAX);
    p.pv_low = number(s->alarm_low);
    p.pv_high = number(s->alarm_high);
    p.deviation = or_none(s->alarm_deviation, RK_INFINITY);
    p.alarm_gap = number(s->alarm_gap);
    return p;
}

static rk_on_off_params switching_of(const rk_rig_settings *s)
{
    return (rk_on_off_params){
        .ts = number(s->scan), .hysteresis = number(s->hysteresis), .direct = s->kc < 0};
}

/* A plant's numbers. */
static rk_plant_params numbers_of(const rk_rig_plant *p)
{
    rk_plant_params made;
    int i, k;

    for (i = 0; i < RK_PLANT_STATES; i++) {
        for (k = 0; k < RK_PLANT_STATES; k++) {
            made.a[i][k] = number(p->a[i][k]);
        }
        made.b0[i] = number(p->b0[i]);
        made.b1[i] = number(p->b1[i]);
    }
    made.states = p->states;
    made.delay = p->delay;
    made.out0 = number(p->out0);
    made.pv0 = number(p->pv0);
    return made;
}

static rk_status take_plant(rig *r, const rk_rig_params *p)
{
    if (!p->twin) return RK_OK;
    r->plant_params = numbers_of(&p->plant);
    r->memory = rk_memory_create(p->plant.delay + 1, sizeof *r->memory);
    if (r->memory == NULL) return RK_ERR_MEMORY;
    return rk_plant_init(&r->plant, &r->plant_params, r->memory, p->plant.delay + 1,
                         r->plant_params.out0);
}

static rk_status start_predictor(rig *r, rk_real out)
{
    return rk_predictor_init(&r->predictor, &r->whole, &r->quick, r->predicted,
                             r->whole.delay + 2, out);
}

static rk_status take_predictor(rig *r, const rk_rig_params *p)
{
    if (!p->predictor) return RK_OK;
    r->whole = numbers_of(&p->whole);
    r->quick = numbers_of(&p->quick);
    r->predicted = rk_memory_create(p->whole.delay + 2, sizeof *r->predicted);
    if (r->predicted == NULL) return RK_ERR_MEMORY;
    return start_predictor(r, r->whole.out0);
}

static void free_rig(void *of)
{
    rig *r = of;

    rk_memory_free(r->predicted);
    rk_memory_free(r->memory);
    rk_memory_free(r);
}

static rk_status create(const rk_rig_params *params, void **made)
{
    rig *r = rk_memory_create(1, sizeof *r);
    rk_status status;

    if (r == NULL) return RK_ERR_MEMORY;
    status = take_plant(r, params);
    if (status == RK_OK) {
        status = take_predictor(r, params);
    }
    if (status != RK_OK) {
        free_rig(r);
        return status;
    }
    *made = r;
    return RK_OK;
}

static rk_status coefficients(const rk_rig_settings *settings, rk_rig_coefficients *c)
{
    const rk_pid_params p = pid_of(settings);
    rk_filter filter;
    rk_pid pid;
    rk_status status = rk_pid_init(&pid, &p, p.out_lo);

    if (status == RK_OK) {
        status = rk_filter_init(&filter, number(settings->pv_filter), p.ts);
    }
    if (status != RK_OK) return status;
    *c = (rk_rig_coefficients){
        .kc = (double)pid.params.kc,
        .ki_ts = (double)pid.ki_ts,
        .ki_last = (double)pid.ki_last,
        .kt_ts = (double)pid.kt_ts,
        .ad = (double)pid.ad,
        .kd = (double)pid.kd,
        .d_weight = (double)pid.params.d_sp_weight,
        .p_weight = (double)pid.params.sp_weight,
        .out_lo = (double)pid.params.out_lo,
        .out_hi = (double)pid.params.out_hi,
        .out_step = (double)pid.out_step,
        .sp_step = (double)pid.sp_step,
        .deadband = (double)pid.params.deadband,
        .bias = (double)pid.params.bias,
        .fade = (double)pid.fade,
        .pv_part = (double)filter.part,
    };
    return RK_OK;
}

/* Where the valve stands, or where it is to stand when nobody knows. */
static rk_real first_out(const rig *r, const rk_rig_input *in)
{
    const rk_pid_params *p = &r->params.pid;
    const rk_real valve = number(in->valve_out);

    return rk_clamp(in->valve_known && rk_is_finite(valve) ? valve : p->out_safe, p->out_lo,
                    p->out_hi);
}

/* Models that do nothing but stand where they are told to. */
static void tell(rig *r, const rk_rig_input *in)
{
    r->told.quick.params.pv0 = number(in->pv_undelayed);
    r->told.whole.params.pv0 = number(in->pv_delayed);
}

static void start_told(rig *r, const rk_rig_input *in)
{
    static const rk_plant_params nothing = {.states = 1};

    if (!in->predicting) return;
    (void)rk_predictor_init(&r->told, &nothing, &nothing, r->told_memory, 2, RK_C(0.0));
    rk_loop_set_predictor(&r->loop, &r->told);
}

/* What was taken once is taken again: no status is left to look at. */
static void start(rig *r, const rk_rig_input *in)
{
    const rk_port port = {r, read_pv, write_out, read_out};
    const rk_pid_params *p = &r->params.pid;
    const rk_real out = first_out(r, in), sp = number(in->sp);

    (void)rk_loop_init(&r->loop, &port, &r->params, rk_is_finite(sp) ? sp : RK_C(0.0), out);
    r->loop.pv = sp;
    if (r->predicted != NULL) {
        (void)start_predictor(r, out);
        rk_loop_set_predictor(&r->loop, &r->predictor);
    } else {
        start_told(r, in);
    }
    r->on_off.on = out - p->out_lo > p->out_hi - out;
    r->started = true;
}

/* True: they are refused. */
static bool take_settings(rig *r, const rk_rig_settings *s)
{
    const rk_loop_params params = params_of(s);
    const rk_on_off_params switching = switching_of(s);
    const bool on = r->on_off.on;

    if (rk_loop_param_error(&params, 0, params.pid.out_lo) != RK_PARAM_ERROR_NONE ||
        rk_on_off_param_error(&switching) != RK_PARAM_ERROR_NONE) {
        return true;
    }
    if (r->started) {
        r->loop.sp = 0; /* it is not a setting, and may be NaN */
        (void)rk_loop_set_params(&r->loop, &params);
    }
    (void)rk_on_off_init(&r->on_off, &switching, on);
    r->params = params;
    r->two_position = s->two_position;
    return false;
}

static void set_mode(rk_pid *pid, const rk_rig_input *in)
{
    if (in->tracking) {
        rk_pid_set_tracking(pid, number(in->track_out));
    } else if (in->automatic) {
        rk_pid_set_auto(pid);
    } else {
        rk_pid_set_manual(pid, number(in->manual_out));
    }
}

/* Where OUT is kept while a start waits for good settings. */
static rk_real without_settings(rig *r, const rk_rig_settings *s, const rk_rig_input *in)
{
    const rk_real valve = number(in->valve_out), safe = number(s->out_safe);

    if (in->valve_known && rk_is_finite(valve)) {
        r->out = valve;
    } else if (rk_is_finite(safe)) {
        r->out = safe;
    }
    if (number(s->out_low) < number(s->out_high)) {
        r->out = rk_clamp(r->out, number(s->out_low), number(s->out_high));
    }
    return r->out;
}

static void answer(const rig *r, const rk_rig_input *in, rk_rig_output *out)
{
    const rk_pid *pid = &r->loop.pid;

    out->out = (double)pid->out;
    out->wanted = (double)pid->wanted;
    out->sp_now = (double)pid->sp_now;
    out->at_low = pid->out <= pid->params.out_lo;
    out->at_high = pid->out >= pid->params.out_hi;
    out->held = pid->bad;
    out->started = true;
    out->failed = r->loop.without_pv > r->loop.hold_time;
    out->pv_bad = (r->loop.alarms & RK_ALARM_PV_BAD) != 0;
    out->pv_stale = (r->loop.alarms & RK_ALARM_PV_STALE) != 0;
    out->pv_is_low = (r->loop.alarms & RK_ALARM_PV_LOW) != 0;
    out->pv_is_high = (r->loop.alarms & RK_ALARM_PV_HIGH) != 0;
    out->pv_deviates = (r->loop.alarms & RK_ALARM_DEVIATION) != 0;
    out->scan_late = (r->loop.alarms & RK_ALARM_SCAN_LATE) != 0;
    out->mode = in->tracking ? 2 : in->automatic ? 1 : 0;
}

static void scan(void *of, const rk_rig_settings *settings, const rk_rig_input *in,
                 rk_rig_output *out)
{
    rig *r = of;
    rk_loop *loop = &r->loop;
    bool starts;

    *out = (rk_rig_output){.out = 0};
    if (in->restart) {
        r->started = false;
    }
    starts = !r->started;
    if (r->started && in->applied_known) {
        rk_pid_applied(&loop->pid, number(in->applied));
    }
    out->refused = take_settings(r, settings);
    out->kc_unsafe = number(settings->kc_low) < number(settings->kc_high) &&
                     !(number(settings->kc) >= number(settings->kc_low) &&
                       number(settings->kc) <= number(settings->kc_high));
    if (!r->started && out->refused) {
        out->out = out->wanted = (double)without_settings(r, settings, in);
        return;
    }
    if (starts) {
        start(r, in);
    }
    if ((loop->on_off != NULL) != r->two_position) {
        rk_loop_set_on_off(loop, r->two_position ? &r->on_off : NULL);
    }
    if (in->valve_known && !starts) { /* a start has taken it, within the limits */
        rk_pid_take_out(&loop->pid, number(in->valve_out));
        if (rk_is_finite(number(in->valve_out))) {
            loop->out = number(in->valve_out); /* the predictor follows the valve itself */
        }
    }
    tell(r, in);
    set_mode(&loop->pid, in);
    rk_pid_set_feedforward(&loop->pid, number(in->feedforward));
    loop->sp = number(in->sp);
    r->pv = number(in->pv);
    r->pv_there = in->pv_good;
    rk_loop_scan(loop, number(in->elapsed));
    answer(r, in, out);
}

static void plant_restart(void *of)
{
    rig *r = of;

    (void)rk_plant_init(&r->plant, &r->plant_params, r->memory, r->plant_params.delay + 1,
                        r->plant_params.out0);
}

static double plant_pv(const void *of)
{
    return (double)rk_plant_pv(&((const rig *)of)->plant);
}

static double plant_scan(void *of, double out, double load)
{
    return (double)rk_plant_scan(&((rig *)of)->plant, number(out) + number(load));
}

static double sum(double a, double b)
{
    return (double)(number(a) + number(b));
}

const rki_rig_calls rki_rig_calls_double = {create,        free_rig, coefficients, scan,
                                            plant_restart, plant_pv, plant_scan,   sum};
