/* SPDX-License-Identifier: MIT */
#include <redkettle/device/loop.h>

#include <stddef.h>

rk_status rk_loop_init(rk_loop *loop, const rk_port *port, const rk_pid_params *params,
                       rk_real sp, rk_real out_now)
{
    rk_loop made;
    rk_status status;

    if (loop == NULL || port == NULL) return RK_ERR_ARG;
    if (port->read_pv == NULL || port->write_out == NULL || port->read_out == NULL) {
        return RK_ERR_ARG;
    }
    if (!rk_is_finite(sp)) return RK_ERR_RANGE;
    status = rk_pid_init(&made.pid, params, out_now);
    if (status != RK_OK) return status;

    made.port = *port;
    made.sp = sp;
    made.pv = sp;
    made.out = out_now;
    made.pv_bad = false;
    made.write_failed = false;
    *loop = made;
    return RK_OK;
}

void rk_loop_scan(rk_loop *loop)
{
    rk_real pv = RK_C(0.0);
    rk_real out;
    const bool got = loop->port.read_pv(loop->port.user, &pv) == RK_OK;

    loop->pv_bad = !got || !rk_is_finite(pv);
    if (!loop->pv_bad) {
        loop->pv = pv;
    }

    out = loop->pv_bad ? rk_pid_hold(&loop->pid) : rk_pid_scan(&loop->pid, loop->sp, pv);
    loop->write_failed = loop->port.write_out(loop->port.user, out) != RK_OK;
    if (!loop->write_failed) {
        loop->out = out;
    }
}
