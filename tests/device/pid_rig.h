/* SPDX-License-Identifier: MIT */
#ifndef PID_RIG_H
#define PID_RIG_H

#include "../support/support.h"

/** PI, kc 2, ti 10 s, scan 1 s, 0 to 100, no rate limit, no anti-windup. */
static inline rk_pid_params plain(void)
{
    rk_pid_params made = rk_pid_params_make();

    made.ts = 1;
    made.kc = 2;
    made.ti = 10;
    made.tt = 10;
    made.anti_windup = RK_ANTI_WINDUP_NONE;
    return made;
}

/** A controller in automatic that has stood there for ever. */
static inline rk_pid at_rest(const rk_pid_params *params, double sp, double pv, double out)
{
    rk_pid pid;

    ck_assert_int_eq(rk_pid_init(&pid, params, out), RK_OK);
    ck_assert_int_eq(rk_pid_reset(&pid, sp, pv, out), RK_OK);
    return pid;
}

#endif
