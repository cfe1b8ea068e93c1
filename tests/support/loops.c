/* SPDX-License-Identifier: MIT */
#include "loops.h"

#include <string.h>

#include "support.h"

rk_design brix_loop(void)
{
    rk_design loop = rk_design_make();

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

#define PLAIN RK_SCHEME_BACKWARD, RK_SCHEME_BACKWARD, RK_ALGORITHM_POSITION
const loop_variant variants[VARIANTS] = {
    {"PI, back-calculation", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 0,
     PLAIN},
    {"PI, conditional", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_CONDITIONAL, 0, PLAIN},
    {"PI, no anti-windup", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0, PLAIN},
    {"PI, weight and rate", -11.3, 46.5, 0, 0, 0.6, 2.5, RK_ANTI_WINDUP_BACK_CALCULATION, 0,
     PLAIN},
    {"P", -7, HUGE_VAL, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 0, PLAIN},
    {"PD", -7, HUGE_VAL, 5, 0.5, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0, PLAIN},
    {"PID, back-calculation", -9.1, 40.7, 7.3, 0.73, 1, HUGE_VAL,
     RK_ANTI_WINDUP_BACK_CALCULATION, 0, PLAIN},
    {"PID, conditional, weight, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0, PLAIN},
    {"PID, unfiltered, none", -3.3, 40.7, 7.3, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0, PLAIN},
    {"PI, PV filter", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 3.7,
     PLAIN},
    {"PID, conditional, PV filter, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0.4, PLAIN},
    {"PI, forward", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 0,
     .integral = RK_SCHEME_FORWARD},
    {"PI, trapezoid, conditional", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_CONDITIONAL,
     0, .integral = RK_SCHEME_TRAPEZOID},
    {"PID, both by the trapezoid", -9.1, 40.7, 7.3, 0.73, 1, HUGE_VAL,
     RK_ANTI_WINDUP_BACK_CALCULATION, 0, .integral = RK_SCHEME_TRAPEZOID,
     .derivative = RK_SCHEME_TRAPEZOID},
    {"PI, velocity", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0,
     .algorithm = RK_ALGORITHM_VELOCITY},
    {"PI, velocity, weight, rate, PV filter", -11.3, 46.5, 0, 0, 0.6, 2.5,
     RK_ANTI_WINDUP_CONDITIONAL, 3.7, .algorithm = RK_ALGORITHM_VELOCITY},
    {"PID, velocity", -9.1, 40.7, 7.3, 0.73, 0.35, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0,
     .algorithm = RK_ALGORITHM_VELOCITY},
    {"PID, velocity, all by the trapezoid", -9.1, 40.7, 7.3, 0.73, 1, 1.7, RK_ANTI_WINDUP_NONE,
     0.4, .integral = RK_SCHEME_TRAPEZOID, .derivative = RK_SCHEME_TRAPEZOID,
     .algorithm = RK_ALGORITHM_VELOCITY},
};

rk_design variant(int row)
{
    rk_design loop = brix_loop();

    loop.settings = rk_settings_make(variants[row].kc, variants[row].ti, variants[row].td,
                                     variants[row].tf);
    loop.settings.sp_weight = variants[row].b;
    loop.settings.anti_windup = variants[row].way;
    loop.settings.pv_filter = variants[row].pv_filter;
    loop.settings.integral = variants[row].integral;
    loop.settings.derivative = variants[row].derivative;
    loop.settings.algorithm = variants[row].algorithm;
    loop.out_rate = variants[row].rate;
    return loop;
}
