/* SPDX-License-Identifier: MIT */
/* A file of its own: who has no selector and no cascade does not link it. */
#include "pid_track.h"

void rk_pid_applied(rk_pid *pid, rk_real applied)
{
    const rk_pid_params *p = &pid->params;
    const rk_real u = rk_clamp(applied, p->out_lo, p->out_hi);

    if (!rk_is_finite(applied) || pid->mode != RK_PID_AUTO || pid->fresh) return;
    if (p->algorithm == RK_ALGORITHM_VELOCITY) {
        pid->out = u;
    } else if (p->ti <= RK_REAL_MAX) {
        pid->i += rki_pid_track(p) * (u - pid->out);
    }
}
