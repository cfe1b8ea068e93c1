/* SPDX-License-Identifier: MIT */
#include <redkettle/single/single.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/device/filter.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>

#if !RK_CFG_FLOAT
#error "This file and the blocks behind it are built with RK_CFG_FLOAT 1."
#endif

struct rk_single {
    rk_pid_params pid_params;
    rk_pid pid;
    rk_filter filter;
    rk_real pv_filter;
    rk_plant_params plant_params;
    rk_plant plant;
    rk_real *memory;
    bool twin;
};

static rk_real single(double x)
{
    return (rk_real)x;
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
    /* A rate beyond all numbers is none. */
    s->pid_params.out_rate =
        p->out_rate > (double)RK_REAL_MAX ? RK_REAL_MAX : single(p->out_rate);
    s->pid_params.anti_windup = (rk_anti_windup)p->anti_windup;
    s->pid_params.integral = (rk_scheme)p->integral;
    s->pid_params.derivative = (rk_scheme)p->derivative;
    s->pid_params.algorithm = (rk_algorithm)p->algorithm;
    s->pid_params.tt = single(p->tt);
    s->pv_filter = single(p->pv_filter);
}

static rk_status take_plant(rk_single *s, const rk_single_params *p)
{
    int i, k;

    s->twin = p->twin;
    if (!p->twin) return RK_OK;
    for (i = 0; i < 2; i++) {
        for (k = 0; k < 2; k++) {
            s->plant_params.a[i][k] = single(p->a[i][k]);
        }
        s->plant_params.b0[i] = single(p->b0[i]);
        s->plant_params.b1[i] = single(p->b1[i]);
    }
    s->plant_params.delay = p->delay;
    s->plant_params.out0 = single(p->out0);
    s->plant_params.pv0 = single(p->pv0);
    s->memory = rk_memory_create(p->delay + 1, sizeof *s->memory);
    if (s->memory == NULL) return RK_ERR_MEMORY;
    return rk_plant_init(&s->plant, &s->plant_params, s->memory, p->delay + 1,
                         s->plant_params.out0);
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
    if (status == RK_OK) {
        status = take_plant(s, params);
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
        .pv_part = (double)s->filter.part,
    };
}

/* What was taken once is taken again: no status is left to look at. */
void rk_single_start(rk_single *s, double out_start)
{
    const rk_real wanted =
        rk_is_finite(single(out_start)) ? single(out_start) : s->pid_params.out_lo;

    (void)rk_pid_init(&s->pid, &s->pid_params,
                      rk_clamp(wanted, s->pid_params.out_lo, s->pid_params.out_hi));
    (void)rk_filter_init(&s->filter, s->pv_filter, s->pid_params.ts);
    if (s->twin) {
        (void)rk_plant_init(&s->plant, &s->plant_params, s->memory, s->plant_params.delay + 1,
                            s->plant_params.out0);
    }
}

double rk_single_scan(rk_single *s, double sp, double pv, bool automatic, double manual_out)
{
    const rk_real seen = single(pv);

    if (automatic) {
        rk_pid_set_auto(&s->pid);
    } else {
        rk_pid_set_manual(&s->pid, single(manual_out));
    }
    return (double)rk_pid_scan(&s->pid, single(sp),
                               rk_is_finite(seen) ? rk_filter_scan(&s->filter, seen) : seen);
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
