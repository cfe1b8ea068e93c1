/* SPDX-License-Identifier: MIT */
#include "loops.h"

#include <string.h>

#include "support.h"

rk_loop_design brix_loop(void)
{
    rk_loop_design loop = rk_loop_design_make();

    strcpy(loop.name, "Blend Brix");
    strcpy(loop.pv_units, "degBx");
    strcpy(loop.out_units, "%");
    strcpy(loop.record_file, "blend-brix.csv");
    loop.ts = 1;
    loop.action = RK_ACTION_DIRECT;
    loop.out_low = 0;
    loop.out_high = 100;
    loop.has_model = loop.has_settings = true;
    loop.model = (rk_model){RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8};
    loop.gain95[0] = -0.119;
    loop.gain95[1] = -0.117;
    loop.settings = rk_settings_make(-11.3, 46.5, 0, 0);
    strcpy(loop.rule, "simc");
    loop.lambda = 17.4;
    return loop;
}

const loop_variant variants[VARIANTS] = {
    {"PI, back-calculation", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION,
     0},
    {"PI, conditional", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_CONDITIONAL, 0},
    {"PI, no anti-windup", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PI, weight and rate", -11.3, 46.5, 0, 0, 0.6, 2.5, RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"P", -7, HUGE_VAL, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"PD", -7, HUGE_VAL, 5, 0.5, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PID, back-calculation", -9.1, 40.7, 7.3, 0.73, 1, HUGE_VAL,
     RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"PID, conditional, weight, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0},
    {"PID, unfiltered, none", -3.3, 40.7, 7.3, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PI, PV filter", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 3.7},
    {"PID, conditional, PV filter, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0.4},
};

rk_loop_design variant(int row)
{
    rk_loop_design loop = brix_loop();

    loop.settings = rk_settings_make(variants[row].kc, variants[row].ti, variants[row].td,
                                     variants[row].tf);
    loop.settings.sp_weight = variants[row].b;
    loop.settings.anti_windup = variants[row].way;
    loop.settings.pv_filter = variants[row].pv_filter;
    loop.out_rate = variants[row].rate;
    return loop;
}
