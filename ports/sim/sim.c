/* SPDX-License-Identifier: MIT */
#include "sim.h"

#include <limits.h>

static bool within(const rk_sim *sim, const rk_sim_stretch *stretch)
{
    return sim->advances >= stretch->from && sim->advances < stretch->until;
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

    const rk_real noise = rk_noise_scan(&sim->noise);

    if (!within(sim, &f->sticks)) {
        sim->reading = convert(f, rk_plant_pv(&sim->plant) + noise);
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
    const rk_valve_params ideal = {0};
    rk_sim made = {0};
    rk_status status;

    if (sim == NULL) return RK_ERR_ARG;
    status = rk_plant_init(&made.plant, params, memory, len, out_now);
    if (status != RK_OK) return status;

    (void)rk_valve_init(&made.valve, &ideal, out_now);
    (void)rk_noise_init(&made.noise, 0, 0, 0, 1);
    made.out = out_now;
    made.reading = rk_plant_pv(&made.plant);
    made.read_at = ULONG_MAX; /* not read yet */
    *sim = made;
    return RK_OK;
}

rk_status rk_sim_set_faults(rk_sim *sim, const rk_sim_faults *faults)
{
    const rk_sim_faults *f = faults;
    rk_noise noise;
    rk_valve valve;

    if (sim == NULL || f == NULL) return RK_ERR_ARG;
    if (!(f->converter_step >= 0)) return RK_ERR_RANGE;
    if (f->converter_step > 0 && !(f->pv_low < f->pv_high)) return RK_ERR_RANGE;
    if (!rk_is_finite(f->load_step)) return RK_ERR_RANGE;
    if (rk_noise_init(&noise, f->noise, f->noise_correlation, f->noise_innovation, f->seed) !=
            RK_OK ||
        rk_valve_init(&valve, &f->valve, sim->out) != RK_OK) {
        return RK_ERR_RANGE;
    }
    sim->faults = *f;
    sim->noise = noise;
    sim->valve = valve;
    return RK_OK;
}

rk_port rk_sim_port(rk_sim *sim)
{
    const rk_port port = {sim, read_pv, write_out, read_out};

    return port;
}

void rk_sim_advance(rk_sim *sim)
{
    if (sim->faults.load_step != 0 && sim->advances == sim->faults.load_at) {
        sim->load += sim->faults.load_step;
    }
    rk_plant_scan(&sim->plant, rk_valve_scan(&sim->valve, sim->out) + sim->load);
    sim->advances++;
}
