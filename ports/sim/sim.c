/* SPDX-License-Identifier: MIT */
#include "sim.h"

static rk_status read_pv(void *user, rk_real *pv)
{
    const rk_sim *sim = user;

    if (sim->fault != RK_OK) return sim->fault;
    *pv = rk_plant_pv(&sim->plant);
    return RK_OK;
}

static rk_status write_out(void *user, rk_real out)
{
    rk_sim *sim = user;

    if (sim->fault != RK_OK) return sim->fault;
    sim->out = out;
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

    made.out = out_now;
    *sim = made;
    return RK_OK;
}

rk_port rk_sim_port(rk_sim *sim)
{
    const rk_port port = {sim, read_pv, write_out};

    return port;
}

void rk_sim_advance(rk_sim *sim)
{
    rk_plant_scan(&sim->plant, sim->out + sim->load);
    sim->scans++;
}
