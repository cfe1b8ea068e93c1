/* SPDX-License-Identifier: MIT */
/*
 * A loop in a timer interrupt, as on a bare board: the interrupt scans, the main program only watches and
 * feeds the watchdog. The port is ports/template's; what a board would have instead stands in the middle:
 * the interrupt is a timer of the system, the converters lead to a simulated plant. The setpoint steps
 * after a quarter of a second.
 */
#include <math.h>
#include <signal.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <time.h>

#include <ports/template/board.h>
#include <redkettle/redkettle.h>

/* The scan, in us of the board's free-running counter. */
enum { SCAN_US = 5000, SCANS = 250, STEP_AT = 50, MEMORY = 16 };

/* ---- what a board has ---- */

static rk_plant plant;
static rk_real plant_memory[MEMORY];
static uint16_t valve_counts = 1720; /* of 4095: 42 % */

bool board_read_counts(uint16_t *counts)
{
    *counts = (uint16_t)lround(rk_plant_pv(&plant) / 20.0 * 4095.0);
    return true;
}

bool board_write_counts(uint16_t counts)
{
    valve_counts = counts;
    return true;
}

/* It counts us and wraps after an hour and more. */
static uint32_t board_counter(void)
{
    struct timespec t;

    (void)clock_gettime(CLOCK_MONOTONIC, &t);
    return (uint32_t)(((uint64_t)t.tv_sec * 1000000U) + ((uint64_t)t.tv_nsec / 1000U));
}

/* ---- the loop: all of it in static storage, nothing from a heap ---- */

static board channels = {.pv = {0, 4095, 0, 20}, .out = {0, 4095, 0, 100}, .written = 42};
static rk_loop loop;
static volatile uint32_t scans;

/* The interrupt. It is told what really passed: a difference of the counter, which is right over its
   wrap too. */
static void on_timer(int number)
{
    static uint32_t last;
    const uint32_t now = board_counter();

    (void)number;
    rk_loop_scan(&loop, scans == 0 ? RK_C(0.005) : (rk_real)(now - last) * RK_C(1e-6));
    last = now;
    scans = scans + 1;
    (void)rk_plant_scan(&plant, (rk_real)valve_counts / 4095.0 * 100.0);
}

static rk_status set_up(void)
{
    const rk_model model = {.gain = -0.118,
                            .time_constant = {0.2, 0},
                            .dead_time = 0.03,
                            .out0 = 42.0,
                            .pv0 = 11.8};
    const rk_limits limits = {0.0, 100.0, HUGE_VAL};
    const rk_settings settings = rk_settings_make(-20.0, 0.2, 0.0, 0.0);
    rk_loop_params params = rk_loop_params_make();
    const rk_port port = board_port(&channels);
    rk_plant_params of_plant;
    rk_status status =
        rk_settings_pid_params(&settings, &limits, &model, 1e-6 * SCAN_US, &params.pid, NULL);

    if (status == RK_OK) {
        status = rk_plant_params_from_model(&model, 1e-6 * SCAN_US, &of_plant, NULL);
    }
    if (status == RK_OK) {
        status = rk_plant_init(&plant, &of_plant, plant_memory, MEMORY, model.out0);
    }
    params.watchdog_time = 0.5; /* a main program that hangs leads to the safe output */
    params.pid.out_safe = 0;
    return status == RK_OK ? rk_loop_init(&loop, &port, &params, model.pv0, model.out0)
                           : status;
}

static bool start_timer(void)
{
    const struct itimerspec every = {{0, 1000L * SCAN_US}, {0, 1000L * SCAN_US}};
    struct sigevent event;
    struct sigaction action;
    timer_t timer;

    memset(&event, 0, sizeof event);
    memset(&action, 0, sizeof action);
    event.sigev_notify = SIGEV_SIGNAL;
    event.sigev_signo = SIGALRM;
    action.sa_handler = on_timer;
    action.sa_flags = SA_RESTART;
    return sigaction(SIGALRM, &action, NULL) == 0 &&
           timer_create(CLOCK_MONOTONIC, &event, &timer) == 0 &&
           timer_settime(timer, 0, &every, NULL) == 0;
}

int main(void)
{
    const struct timespec a_while = {0, 20000000};
    sigset_t timer;
    bool stepped = false;

    if (set_up() != RK_OK || !start_timer()) {
        fprintf(stderr, "timer_interrupt: the loop could not be set up\n");
        return 1;
    }
    (void)sigemptyset(&timer);
    (void)sigaddset(&timer, SIGALRM);
    while (scans < SCANS) {
        /* What the interrupt uses is touched with the interrupt off. */
        (void)sigprocmask(SIG_BLOCK, &timer, NULL);
        rk_loop_feed(&loop);
        if (scans >= STEP_AT && !stepped) {
            loop.sp = 12.3;
            stepped = true;
        }
        (void)sigprocmask(SIG_UNBLOCK, &timer, NULL);
        (void)nanosleep(&a_while, NULL);
    }
    (void)sigprocmask(SIG_BLOCK, &timer, NULL);
    printf("%u scans, PV %.2f degBx at a setpoint of %.2f, OUT %.1f %%\n", (unsigned)scans,
           loop.pv, loop.sp, loop.out);
    return fabs(loop.pv - loop.sp) < 0.02 && (loop.alarms & RK_ALARM_WATCHDOG) == 0 ? 0 : 1;
}
