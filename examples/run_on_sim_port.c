/* SPDX-License-Identifier: MIT */
/*
 * A control loop on the sim port, in virtual time: the blend Brix valve holds 11.8 degBx; after
 * a minute the syrup gets stronger, as if the water valve had closed by 4 %, and the loop
 * brings the Brix back. Everything the loop needs stands in this function's variables: the scan
 * path uses no heap.
 */
#include <math.h>
#include <stdio.h>

#include <ports/sim/sim.h>
#include <redkettle/redkettle.h>

enum { MEMORY = 64, SCANS = 900, LOAD_AT = 60 };

static rk_status set_up(rk_sim *sim, rk_loop *loop, rk_real *memory)
{
    const rk_model model = {.gain = -0.118,
                            .time_constant = {46.5, 0},
                            .dead_time = 17.4,
                            .out0 = 42.0,
                            .pv0 = 11.8};
    const rk_limits limits = {0.0, 100.0, HUGE_VAL};
    const rk_settings settings = rk_settings_make(-11.3, 46.5, 0.0, 0.0);
    rk_plant_params plant;
    rk_loop_params params = rk_loop_params_make();
    rk_port port;
    rk_status status = rk_plant_params_from_model(&model, 1.0, &plant, NULL);

    if (status == RK_OK) {
        status = rk_settings_pid_params(&settings, &limits, &model, 1.0, &params.pid, NULL);
    }
    if (status == RK_OK) {
        status = rk_sim_init(sim, &plant, memory, MEMORY, model.out0);
    }
    if (status != RK_OK) return status;
    port = rk_sim_port(sim);
    return rk_loop_init(loop, &port, &params, model.pv0, model.out0);
}

int main(void)
{
    rk_real memory[MEMORY];
    rk_sim sim;
    rk_loop loop;
    double largest = 0;
    int scan;

    if (set_up(&sim, &loop, memory) != RK_OK) {
        fprintf(stderr, "run_on_sim_port: the loop could not be set up\n");
        return 1;
    }
    for (scan = 0; scan < SCANS; scan++) {
        if (scan == LOAD_AT) {
            sim.load = -4.0;
        }
        rk_loop_scan(&loop, 1.0);
        rk_sim_advance(&sim);
        largest = fmax(largest, fabs(loop.pv - loop.sp));
        if (scan % 60 == 0) {
            printf("%4d s  PV %7.3f degBx  OUT %6.2f %%\n", scan, loop.pv, loop.out);
        }
    }
    printf("largest deviation %.3f degBx, at the end %.4f degBx\n", largest,
           fabs(loop.pv - loop.sp));
    return fabs(loop.pv - loop.sp) < 0.001 ? 0 : 1;
}
