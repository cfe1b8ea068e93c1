/* SPDX-License-Identifier: MIT */
/*
 * A master and its slave. The blend's Brix is held by the setpoint of the syrup's flow, which a
 * quick loop of its own holds by a valve. While the slave cannot follow, by hand, on its valve's
 * limit or on its rate, the master is told the flow that there is (external reset): it stands
 * still instead of winding up, and goes on from there.
 */
#include <math.h>
#include <stdbool.h>
#include <stdio.h>

#include <redkettle/redkettle.h>

enum { MEMORY = 64, SCANS = 1800 };

typedef struct loop {
    double memory[MEMORY];
    rk_plant plant;
    rk_pid pid;
} loop;

static rk_status loop_make(loop *l, const rk_model *model, const rk_settings *settings,
                           const rk_limits *limits)
{
    rk_plant_params plant;
    rk_pid_params params;
    rk_status status = rk_plant_params_from_model(model, 1.0, &plant, NULL);

    if (status == RK_OK) {
        status = rk_settings_pid_params(settings, limits, model, 1.0, &params, NULL);
    }
    if (status == RK_OK) {
        status = rk_plant_init(&l->plant, &plant, l->memory, MEMORY, model->out0);
    }
    return status == RK_OK ? rk_pid_init(&l->pid, &params, model->out0) : status;
}

/* A slave that is by hand, on a limit or on its rate does not do what it is asked. */
static bool follows(const rk_pid *slave)
{
    return slave->mode == RK_PID_AUTO && slave->wanted == slave->out;
}

int main(void)
{
    const rk_model brix = {RK_MODEL_FOPDT, 0.9, {30, 0}, 0, 8, 12, 11.8}; /* degBx per m3/h */
    const rk_model flow = {RK_MODEL_FOPDT, 0.25, {3, 0}, 0, 1, 48, 12};   /* m3/h per % */
    const rk_settings slow = rk_settings_make(2.0, 30.0, 0.0, 0.0);
    const rk_settings quick = rk_settings_make(4.0, 3.0, 0.0, 0.0);
    const rk_limits flows = {0.0, 20.0, HUGE_VAL}, valve = {0.0, 60.0, HUGE_VAL};
    double asked = 12, highest = 0, most = 0;
    loop master, slave;
    int scan;

    if (loop_make(&master, &brix, &slow, &flows) != RK_OK ||
        loop_make(&slave, &flow, &quick, &valve) != RK_OK) {
        fprintf(stderr, "cascade: the loops could not be set up\n");
        return 1;
    }
    for (scan = 0; scan < SCANS; scan++) {
        /* 15 m3/h is all that the valve lets through: 16 degBx cannot be had, from 100 to 900 s. */
        const double sp = scan >= 100 && scan < 900 ? 16.0 : 12.5;
        const double pv = rk_plant_pv(&master.plant), there = rk_plant_pv(&slave.plant);
        double out;

        asked = rk_pid_scan(&master.pid, sp, pv);
        out = rk_pid_scan(&slave.pid, asked, there);
        if (!follows(&slave.pid)) {
            rk_pid_applied(&master.pid, there);
        }
        highest = fmax(highest, asked);
        if (scan > 1000) { /* after the step back: how far Brix stays above */
            most = fmax(most, pv - sp);
        }
        if (scan % 150 == 0) {
            printf(
                "%4d s  SP %5.2f  PV %6.3f degBx  flow asked %6.2f, there %6.2f m3/h  OUT %5.1f "
                "%%\n",
                scan, sp, pv, asked, there, out);
        }
        (void)rk_plant_scan(&slave.plant, out);
        (void)rk_plant_scan(&master.plant, there);
    }
    printf(
        "flow asked for at most %.2f m3/h; 100 s after the step back PV is at most %.3f degBx "
        "above\n",
        highest, most);
    return most < 0.1 && fabs(rk_plant_pv(&master.plant) - 12.5) < 0.01 ? 0 : 1;
}
