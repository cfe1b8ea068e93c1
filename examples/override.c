/* SPDX-License-Identifier: MIT */
/*
 * Two controllers for one valve. The steam valve of the syrup heater holds the syrup's temperature;
 * a second controller keeps the wall of the heater below 95 degC, where syrup burns on. A low
 * selector takes the smaller output, and each controller is told afterwards what was applied, so
 * that the one left out does not wind up: it stands at applied + kc * error and takes over as its
 * error changes sign, without a bump.
 */
#include <math.h>
#include <stdio.h>

#include <redkettle/redkettle.h>

enum { MEMORY = 64, SCANS = 1500 };

/* One PV, its process as the valve sees it, its controller. */
typedef struct side {
    double memory[MEMORY];
    rk_plant plant;
    rk_pid pid;
    double sp;
} side;

/* SIMC with lambda of the dead time, from rest at the process's operating point. */
static rk_status side_make(side *s, double gain, double tau, double theta, double pv, double sp)
{
    const rk_model model = {RK_MODEL_FOPDT, gain, {tau, 0}, 0, theta, 40.0, pv};
    const rk_limits limits = {0.0, 100.0, HUGE_VAL};
    const rk_settings settings =
        rk_settings_make(tau / (gain * 2.0 * theta), fmin(tau, 8.0 * theta), 0.0, 0.0);
    rk_plant_params plant;
    rk_pid_params params;
    rk_status status = rk_plant_params_from_model(&model, 1.0, &plant, NULL);

    if (status == RK_OK) {
        status = rk_settings_pid_params(&settings, &limits, &model, 1.0, &params, NULL);
    }
    if (status == RK_OK) {
        status = rk_plant_init(&s->plant, &plant, s->memory, MEMORY, model.out0);
    }
    if (status == RK_OK) {
        status = rk_pid_init(&s->pid, &params, model.out0);
    }
    s->sp = sp;
    return status;
}

int main(void)
{
    side syrup, wall;
    double largest = 0, hottest = 0, last = 40.0;
    const char *leads = "";
    int scan;

    if (side_make(&syrup, 0.6, 60.0, 8.0, 70.0, 70.0) != RK_OK ||
        side_make(&wall, 0.5, 25.0, 4.0, 85.0, 95.0) != RK_OK) {
        fprintf(stderr, "override: the controllers could not be set up\n");
        return 1;
    }
    for (scan = 0; scan < SCANS; scan++) {
        /* From 200 s to 900 s less and less syrup flows, and the wall gets hotter by 12 degC. */
        const double hotter = 12.0 * fmin(fmax(scan - 200, 0), 200) / 200.0 -
                              12.0 * fmin(fmax(scan - 900, 0), 200) / 200.0;
        const double wall_pv = rk_plant_pv(&wall.plant) + hotter;
        const double a = rk_pid_scan(&syrup.pid, syrup.sp, rk_plant_pv(&syrup.plant));
        const double b = rk_pid_scan(&wall.pid, wall.sp, wall_pv);
        const double out = a < b ? a : b; /* the low selector */

        rk_pid_applied(&syrup.pid, out);
        rk_pid_applied(&wall.pid, out);
        if (leads != (a < b ? "syrup" : "wall")) {
            leads = a < b ? "syrup" : "wall";
            printf("%4d s  the %s leads: syrup %6.2f, wall %6.2f degC, OUT %5.1f %%\n", scan,
                   leads, rk_plant_pv(&syrup.plant), wall_pv, out);
        }
        largest = fmax(largest, fabs(out - last));
        hottest = fmax(hottest, wall_pv);
        last = out;
        (void)rk_plant_scan(&syrup.plant, out);
        (void)rk_plant_scan(&wall.plant, out);
    }
    printf(
        "largest move of OUT in a scan %.2f %%, hottest wall %.2f degC, syrup at the end %.2f "
        "degC\n",
        largest, hottest, rk_plant_pv(&syrup.plant));
    return hottest < 95.5 && largest < 1.5 && fabs(rk_plant_pv(&syrup.plant) - 70.0) < 0.05 ? 0
                                                                                            : 1;
}
