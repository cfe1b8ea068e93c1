/* SPDX-License-Identifier: MIT */
/* The rig of the precision that is asked for. */
#include <redkettle/design/base/memory.h>

#include "calls.h"

struct rk_rig {
    const rki_rig_calls *calls;
    void *rig;
};

rk_status rk_rig_create(const rk_rig_params *params, rk_rig **made)
{
    rk_rig *r;
    rk_status status;

    if (params == NULL || made == NULL) return RK_ERR_ARG;
    r = rk_memory_create(1, sizeof *r);
    if (r == NULL) return RK_ERR_MEMORY;
    r->calls = params->single ? &rki_rig_calls_single : &rki_rig_calls_double;
    status = r->calls->create(params, &r->rig);
    if (status != RK_OK) {
        rk_memory_free(r);
        return status;
    }
    *made = r;
    return RK_OK;
}

void rk_rig_free(rk_rig *r)
{
    if (r == NULL) return;
    r->calls->free(r->rig);
    rk_memory_free(r);
}

rk_status rk_rig_coefficients_get(const rk_rig *r, const rk_rig_settings *settings,
                                  rk_rig_coefficients *c)
{
    return r->calls->coefficients(settings, c);
}

void rk_rig_scan(rk_rig *r, const rk_rig_settings *settings, const rk_rig_input *in,
                 rk_rig_output *out)
{
    r->calls->scan(r->rig, settings, in, out);
}

void rk_rig_plant_restart(rk_rig *r)
{
    r->calls->plant_restart(r->rig);
}

double rk_rig_plant_pv(const rk_rig *r)
{
    return r->calls->plant_pv(r->rig);
}

double rk_rig_plant_scan(rk_rig *r, double out, double load)
{
    return r->calls->plant_scan(r->rig, out, load);
}

double rk_rig_sum(const rk_rig *r, double a, double b)
{
    return r->calls->sum(a, b);
}
