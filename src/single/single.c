/* SPDX-License-Identifier: MIT */
#include <redkettle/single/single.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/device/filter.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/predictor.h>

#if !RK_CFG_FLOAT
#error "This file and the blocks behind it are built with RK_CFG_FLOAT 1."
#endif

#if RK_PLANT_STATES != 9
#error "RK_SINGLE_STATES is RK_PLANT_STATES."
#endif

struct rk_single {
    rk_pid_params pid_params;
    rk_pid pid;
    rk_filter filter;
    rk_real pv_filter;
    rk_plant_params plant_params, whole_params, quick_params;
    rk_plant plant;
    rk_real *memory;
    bool twin;
    rk_predictor predictor;
    rk_real *predicted; /* NULL: there is no predictor */
    rk_on_off_params switching;
    rk_on_off on_off;
    bool two_position;
};

static rk_real single(double x)
{
    return (rk_real)x;
}

/* A rate beyond all numbers is none. */
static rk_real rate_of(double rate)
{
    return rate > (double)RK_REAL_MAX ? RK_INFINITY : single(rate);
}

static void take_pid(rk_single *s, const rk_single_params *p)
{
    s->pid_params = rk_pid_params_make();
    s->pid_params.ts = single(p->ts);
    s->pid_params.kc = single(p->kc);
    s->pid_params.ti = single(p->ti);
    s->pid_params.td = single(p->td);
    s->pid_params.tf = single(p->tf);
    s->pid_params.sp_weight = single(p->sp_weight);
    s->pid_params.d_sp_weight = single(p->d_sp_weight);
    s->pid_params.out_lo = single(p->out_lo);
    s->pid_params.out_hi = single(p->out_hi);
    s->pid_params.out_safe = s->pid_params.out_lo;
    s->pid_params.out_rate = rate_of(p->out_rate);
    s->pid_params.sp_rate = rate_of(p->sp_rate);
    s->pid_params.deadband = single(p->deadband);
    s->pid_params.biased = p->biased;
    s->pid_params.bias = single(p->bias);
    s->pid_params.anti_windup = (rk_anti_windup)p->anti_windup;
    s->pid_params.integral = (rk_scheme)p->integral;
    s->pid_params.derivative = (rk_scheme)p->derivative;
    s->pid_params.algorithm = (rk_algorithm)p->algorithm;
    s->pid_params.tt = single(p->tt);
    s->pv_filter = single(p->pv_filter);
}

/* A plant's numbers. */
static rk_plant_params take_numbers(const rk_single_plant *p)
{
    rk_plant_params made;
    int i, k;

    for (i = 0; i < RK_PLANT_STATES; i++) {
        for (k = 0; k < RK_PLANT_STATES; k++) {
            made.a[i][k] = single(p->a[i][k]);
        }
        made.b0[i] = single(p->b0[i]);
        made.b1[i] = single(p->b1[i]);
    }
    made.states = p->states;
    made.delay = p->delay;
    made.out0 = single(p->out0);
    made.pv0 = single(p->pv0);
    return made;
}

static rk_status take_plant(rk_single *s, const rk_single_params *p)
{
    s->twin = p->twin;
    if (!p->twin) return RK_OK;
    s->plant_params = take_numbers(&p->plant);
    s->memory = rk_memory_create(p->plant.delay + 1, sizeof *s->memory);
    if (s->memory == NULL) return RK_ERR_MEMORY;
    return rk_plant_init(&s->plant, &s->plant_params, s->memory, p->plant.delay + 1,
                         s->plant_params.out0);
}

static rk_status take_predictor(rk_single *s, const rk_single_params *p)
{
    if (!p->predictor) return RK_OK;
    s->whole_params = take_numbers(&p->whole);
    s->quick_params = take_numbers(&p->quick);
    s->predicted = rk_memory_create(p->whole.delay + 2, sizeof *s->predicted);
    if (s->predicted == NULL) return RK_ERR_MEMORY;
    return rk_predictor_init(&s->predictor, &s->whole_params, &s->quick_params, s->predicted,
                             p->whole.delay + 2, s->whole_params.out0);
}

static void take_switch(rk_single *s, const rk_single_params *p)
{
    s->two_position = p->two_position;
    s->switching = (rk_on_off_params){
        .ts = single(p->ts), .hysteresis = single(p->hysteresis), .direct = p->direct};
}

rk_status rk_single_create(const rk_single_params *params, rk_single **made)
{
    rk_single *s;
    rk_status status;

    if (params == NULL || made == NULL) return RK_ERR_ARG;
    s = rk_memory_create(1, sizeof *s);
    if (s == NULL) return RK_ERR_MEMORY;
    take_pid(s, params);
    status = rk_pid_init(&s->pid, &s->pid_params, s->pid_params.out_lo);
    if (status == RK_OK) {
        status = rk_filter_init(&s->filter, s->pv_filter, s->pid_params.ts);
    }
    take_switch(s, params);
    if (status == RK_OK) {
        status = take_plant(s, params);
    }
    if (status == RK_OK) {
        status = take_predictor(s, params);
    }
    if (status != RK_OK) {
        rk_single_free(s);
        return status;
    }
    *made = s;
    return RK_OK;
}

void rk_single_free(rk_single *s)
{
    if (s == NULL) return;
    rk_memory_free(s->memory);
    rk_memory_free(s->predicted);
    rk_memory_free(s);
}

void rk_single_coefficients_get(const rk_single *s, rk_single_coefficients *c)
{
    *c = (rk_single_coefficients){
        .kc = (double)s->pid.params.kc,
        .ki_ts = (double)s->pid.ki_ts,
        .ki_last = (double)s->pid.ki_last,
        .kt_ts = (double)s->pid.kt_ts,
        .ad = (double)s->pid.ad,
        .kd = (double)s->pid.kd,
        .d_weight = (double)s->pid.params.d_sp_weight,
        .p_weight = (double)s->pid.params.sp_weight,
        .out_lo = (double)s->pid.params.out_lo,
        .out_hi = (double)s->pid.params.out_hi,
        .out_step = (double)s->pid.out_step,
        .sp_step = (double)s->pid.sp_step,
        .deadband = (double)s->pid.params.deadband,
        .bias = (double)s->pid.params.bias,
        .fade = (double)s->pid.fade,
        .pv_part = (double)s->filter.part,
    };
}

/* What was taken once is taken again: no status is left to look at. */
void rk_single_start(rk_single *s, double out_start)
{
    const rk_real wanted =
        rk_is_finite(single(out_start)) ? single(out_start) : s->pid_params.out_lo;

    const rk_real out = rk_clamp(wanted, s->pid_params.out_lo, s->pid_params.out_hi);

    (void)rk_pid_init(&s->pid, &s->pid_params, out);
    (void)rk_filter_init(&s->filter, s->pv_filter, s->pid_params.ts);
    if (s->predicted != NULL) {
        (void)rk_predictor_init(&s->predictor, &s->whole_params, &s->quick_params, s->predicted,
                                s->whole_params.delay + 2, out);
    }
    if (s->two_position) {
        (void)rk_on_off_init(&s->on_off, &s->switching,
                             out - s->pid_params.out_lo > s->pid_params.out_hi - out);
    }
    if (s->twin) {
        (void)rk_plant_init(&s->plant, &s->plant_params, s->memory, s->plant_params.delay + 1,
                            s->plant_params.out0);
    }
}

/* In automatic the switch leads the block. */
static rk_real switched(rk_single *s, rk_real sp, rk_real pv)
{
    const rk_pid_params *p = &s->pid_params;
    rk_real out;

    rk_pid_set_tracking(&s->pid, rk_on_off_scan(&s->on_off, sp, pv) ? p->out_hi : p->out_lo);
    out = rk_pid_scan(&s->pid, sp, pv);
    rk_pid_set_auto(&s->pid);
    return out;
}

double rk_single_scan(rk_single *s, double sp, double pv, bool automatic, double manual_out)
{
    const rk_real to = single(sp);
    rk_real seen = single(pv);

    if (automatic) {
        rk_pid_set_auto(&s->pid);
    } else {
        rk_pid_set_manual(&s->pid, single(manual_out));
    }
    if (rk_is_finite(seen)) {
        seen = rk_filter_scan(&s->filter, seen);
    }
    if (s->predicted != NULL) {
        seen = rk_predictor_scan(&s->predictor, seen, s->pid.out);
    }
    if (s->two_position && automatic && rk_is_finite(to) && rk_is_finite(seen)) {
        return (double)switched(s, to, seen);
    }
    return (double)rk_pid_scan(&s->pid, to, seen);
}

bool rk_single_held(const rk_single *s)
{
    return s->pid.bad;
}

double rk_single_pv(const rk_single *s)
{
    return (double)rk_plant_pv(&s->plant);
}

double rk_single_plant_scan(rk_single *s, double load)
{
    return (double)rk_plant_scan(&s->plant, s->pid.out + single(load));
}

double rk_single_sum(double a, double b)
{
    return (double)(single(a) + single(b));
}
