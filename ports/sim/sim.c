/* SPDX-License-Identifier: MIT */
#include "sim.h"

#include <limits.h>

static bool within(const rk_sim *sim, const rk_sim_stretch *stretch)
{
    return sim->advances >= stretch->from && sim->advances < stretch->until;
}

/* G. Marsaglia, Xorshift RNGs, 2003, Journal of Statistical Software 8(14). */
static uint32_t next_random(rk_sim *sim)
{
    uint32_t x = sim->random;

    x ^= x << 13;
    x ^= x >> 17;
    x ^= x << 5;
    sim->random = x;
    return x;
}

/* Nearly normal, mean 0, deviation 1: the sum of twelve uniform numbers, less six. No libm, so
   that a run is the same on every machine. */
static rk_real normal(rk_sim *sim)
{
    rk_real sum = RK_C(-6.0);
    int i;

    for (i = 0; i < 12; i++) {
        sum += (rk_real)(next_random(sim) >> 8) / RK_C(16777216.0);
    }
    return sum;
}

/* To the nearest step of the converter, within its range. */
static rk_real convert(const rk_sim_faults *f, rk_real pv)
{
    rk_real steps;

    if (!(f->converter_step > 0)) return pv;
    if (!(pv > f->pv_low)) return f->pv_low;
    if (!(pv < f->pv_high)) return f->pv_high;
    steps = (pv - f->pv_low) / f->converter_step;
    return f->pv_low + (f->converter_step * (rk_real)(uint32_t)(steps + RK_C(0.5)));
}

static void sense(rk_sim *sim)
{
    const rk_sim_faults *f = &sim->faults;

    sim->disturbance = (f->noise_correlation * sim->disturbance) +
                       (f->noise * f->noise_innovation * normal(sim));
    if (!within(sim, &f->sticks)) {
        sim->reading = convert(f, rk_plant_pv(&sim->plant) + sim->disturbance);
    }
    sim->read_at = sim->advances;
}

static rk_real not_a_number(void)
{
    const rk_real zero = RK_C(0.0);

    return zero / zero;
}

static rk_status read_pv(void *user, rk_real *pv)
{
    rk_sim *sim = user;

    if (sim->fault != RK_OK) return sim->fault;
    if (within(sim, &sim->faults.drops)) return RK_ERR_IO;
    if (sim->read_at != sim->advances) {
        sense(sim);
    }
    *pv = within(sim, &sim->faults.bad) ? not_a_number() : sim->reading;
    return RK_OK;
}

static rk_status write_out(void *user, rk_real out)
{
    rk_sim *sim = user;

    if (sim->fault != RK_OK) return sim->fault;
    if (within(sim, &sim->faults.drops)) return RK_ERR_IO;
    sim->out = out;
    return RK_OK;
}

static rk_status read_out(void *user, rk_real *out)
{
    const rk_sim *sim = user;

    if (sim->fault != RK_OK) return sim->fault;
    if (within(sim, &sim->faults.drops)) return RK_ERR_IO;
    *out = sim->out;
    return RK_OK;
}

rk_status rk_sim_init(rk_sim *sim, const rk_plant_params *params, rk_real *memory, size_t len,
                      rk_real out_now)
{
    rk_sim made = {0};
    rk_status status;

    if (sim == NULL) return RK_ERR_ARG;
    status = rk_plant_init(&made.plant, params, memory, len, out_now);
    if (status != RK_OK) return status;

    made.out = made.stem = made.valve = out_now;
    made.reading = rk_plant_pv(&made.plant);
    made.read_at = ULONG_MAX; /* not read yet */
    *sim = made;
    return RK_OK;
}

rk_status rk_sim_set_faults(rk_sim *sim, const rk_sim_faults *faults)
{
    const rk_sim_faults *f = faults;

    if (sim == NULL || f == NULL) return RK_ERR_ARG;
    if (!(f->noise >= 0) || !(f->converter_step >= 0)) return RK_ERR_RANGE;
    if (!(f->noise_correlation >= 0) || !(f->noise_correlation < 1)) return RK_ERR_RANGE;
    if (!(f->noise_innovation >= 0) || !(f->noise_innovation <= 1)) return RK_ERR_RANGE;
    if (!(f->valve_step >= 0) || !(f->backlash >= 0) || !(f->stiction >= 0))
        return RK_ERR_RANGE;
    if (f->converter_step > 0 && !(f->pv_low < f->pv_high)) return RK_ERR_RANGE;
    if (!rk_is_finite(f->load_step)) return RK_ERR_RANGE;
    sim->faults = *f;
    sim->random = (f->seed * 2654435761U) ^ 0x9E3779B9U;
    if (sim->random == 0) {
        sim->random = 1; /* the one state that xorshift cannot leave */
    }
    return RK_OK;
}

rk_port rk_sim_port(rk_sim *sim)
{
    const rk_port port = {sim, read_pv, write_out, read_out};

    return port;
}

/* The drive goes to what was written, at its rate, once the distance overcomes stiction; the
   plug follows when the play is used up. */
static void stroke(rk_sim *sim)
{
    const rk_sim_faults *f = &sim->faults;
    const rk_real half = f->backlash / RK_C(2.0);
    rk_real way = sim->out - sim->stem;

    if (!sim->stroking && way < f->stiction && -way < f->stiction) return;
    sim->stroking = true;
    if (f->valve_step > 0 && way > f->valve_step) {
        way = f->valve_step;
    }
    if (f->valve_step > 0 && way < -f->valve_step) {
        way = -f->valve_step;
    }
    if (way == sim->out - sim->stem) {
        sim->stem = sim->out;
        sim->stroking = false;
    } else {
        sim->stem += way;
    }
    if (sim->stem - half > sim->valve) {
        sim->valve = sim->stem - half;
    }
    if (sim->stem + half < sim->valve) {
        sim->valve = sim->stem + half;
    }
}

void rk_sim_advance(rk_sim *sim)
{
    if (sim->faults.load_step != 0 && sim->advances == sim->faults.load_at) {
        sim->load += sim->faults.load_step;
    }
    stroke(sim);
    rk_plant_scan(&sim->plant, sim->valve + sim->load);
    sim->advances++;
}
