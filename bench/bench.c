/* SPDX-License-Identifier: MIT */
/*
 * What the fit and a scan cost, on one core. Usage: redkettle-bench [PATH OF redkettle]
 * Each figure is the median of several runs.
 */
#include <math.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include <redkettle/redkettle.h>

enum { RUNS = 9, SCANS = 10000000 };

static double now(void)
{
    struct timespec t;

    (void)clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (1e-9 * (double)t.tv_nsec);
}

static int by_value(const void *a, const void *b)
{
    return (*(const double *)a > *(const double *)b) -
           (*(const double *)a < *(const double *)b);
}

static double median(double *values, size_t count)
{
    qsort(values, count, sizeof *values, by_value);
    return values[count / 2];
}

/* A step up and back of a process with gain -0.118, tau 46.5 s, theta 17.4 s, and noise. */
static rk_record *make_record(size_t rows)
{
    const double interval = 600.0 / (double)rows;
    uint64_t state = 42;
    rk_record *record = NULL;
    size_t i;

    if (rk_record_create(&record, NULL) != RK_OK) {
        abort();
    }
    for (i = 0; i < rows; i++) {
        const double t = interval * (double)i, out = t >= 60 && t < 330 ? 47 : 42;
        double pv = 11.8, noise = 0;
        int k;

        if (t > 77.4) {
            pv -= 0.59 * (1.0 - exp((77.4 - t) / 46.5));
        }
        if (t > 347.4) {
            pv += 0.59 * (1.0 - exp((347.4 - t) / 46.5));
        }
        for (k = 0; k < 4; k++) {
            state = (state * UINT64_C(6364136223846793005)) + UINT64_C(1442695040888963407);
            noise += ((double)(state >> 40) / 16777216.0) - 0.5;
        }
        if (rk_record_add(record, t, out, pv + (0.014 * noise), NULL) != RK_OK) {
            abort();
        }
    }
    return record;
}

static void bench_fit(size_t rows)
{
    rk_record *record = make_record(rows);
    double seconds[RUNS];
    rk_fit fit;
    int i;

    for (i = 0; i < RUNS; i++) {
        const double start = now();

        if (rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL) != RK_OK) {
            abort();
        }
        seconds[i] = now() - start;
    }
    printf("  fit of %7zu samples      %8.2f ms  %6.1f ns per sample   (dead time %.3f s, "
           "%.1f passes over all rows)\n",
           rows, 1e3 * median(seconds, RUNS), 1e9 * median(seconds, RUNS) / (double)rows,
           fit.model.dead_time, fit.passes);
    rk_record_free(record);
}

/* All kinds tried, and the best chosen. */
static void bench_kinds(size_t rows)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    rk_record *record = make_record(rows);
    double seconds[3];
    rk_fit fit;
    size_t i;

    for (i = 0; i < 3; i++) {
        const double start = now();

        if (rk_fit_compute(record, &plan, &fit, NULL) != RK_OK) {
            abort();
        }
        seconds[i] = now() - start;
    }
    printf("  all kinds, %7zu samples   %8.2f ms  %6.1f ns per sample   (%s, %.1f passes)\n",
           rows, 1e3 * median(seconds, 3), 1e9 * median(seconds, 3) / (double)rows,
           rk_model_kind_to_text(fit.model.kind), fit.passes);
    rk_record_free(record);
}

/* A record of moves there and back, evenly apart, of a lag or an integrator; noise of a colour. */
static rk_record *make_long(size_t rows, int moves, double interval, double colour,
                            bool integrates)
{
    uint64_t state = 42;
    rk_record *record = NULL;
    double noise = 0;
    size_t i;
    int k;

    if (rk_record_create(&record, NULL) != RK_OK) abort();
    for (i = 0; i < rows; i++) {
        double out = 42, pv = 11.8, fresh = 0;

        for (k = 0; k < moves; k++) {
            const double at = interval * floor((double)rows * (0.1 + (0.8 * k / moves)));
            const double size = k % 2 == 0 ? 5 : -5, since = (interval * (double)i) - at - 17.4;

            out += interval * (double)i >= at ? size : 0.0;
            if (since > 0) {
                pv += integrates ? 0.002 * size * since : 0.118 * size * expm1(-since / 46.5);
            }
        }
        for (k = 0; k < 4; k++) {
            state = (state * UINT64_C(6364136223846793005)) + UINT64_C(1442695040888963407);
            fresh += ((double)(state >> 40) / 16777216.0) - 0.5;
        }
        noise = (colour * noise) + (sqrt(1.0 - (colour * colour)) * 0.014 * fresh);
        if (rk_record_add(record, interval * (double)i, out, pv + noise, NULL) != RK_OK)
            abort();
    }
    return record;
}

/* Six moves, each on a row, one kind. */
static void bench_moves(size_t rows)
{
    rk_record *record = make_long(rows, 6, 1200.0 / (double)rows, 0.0, false);
    rk_fit_plan plan = rk_fit_plan_make();
    double seconds[RUNS];
    rk_fit fit;
    int i, on;

    plan.any_kind = false;
    for (on = 1; on >= 0; on--) {
        plan.instants = on ? RK_MOVES_ON_ROWS : RK_MOVES_WEIGHED;
        for (i = 0; i < RUNS; i++) {
            const double start = now();

            if (rk_fit_compute(record, &plan, &fit, NULL) != RK_OK) abort();
            seconds[i] = now() - start;
        }
        printf("  six moves, %7zu samples   %8.2f ms  (%.1f passes; %s)\n", rows,
               1e3 * median(seconds, RUNS), fit.passes,
               on ? "moves on rows, as said" : "their instants weighed");
    }
    rk_record_free(record);
}

/* All kinds of a day or of months; the memory is that of the process so far. */
static void bench_long(size_t rows, double colour, bool integrates)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    const rk_inspect_plan look = rk_inspect_plan_make();
    rk_record *record = make_long(rows, 2, 1.0, colour, integrates);
    static rk_inspection seen;
    struct rusage use;
    double start = now(), fitted, inspected;
    rk_fit fit;

    if (rk_fit_compute(record, &plan, &fit, NULL) != RK_OK) abort();
    fitted = now() - start;
    start = now();
    if (rk_inspection_compute(record, &look, &seen, NULL, NULL) != RK_OK) abort();
    inspected = now() - start;
    (void)getrusage(RUSAGE_SELF, &use);
    printf("  %8zu rows, %-12s %-8s all kinds %7.2f s, inspect %6.2f s, %4ld MB at most\n",
           rows, integrates ? "integrator," : "first order,",
           colour > 0 ? "AR(1) 0.8" : "white", fitted, inspected, use.ru_maxrss / 1024);
    rk_record_free(record);
}

/* What a model leaves, by the closed form of each move at each row. */
static double reference_cost(const rk_record *record, double tau, double theta)
{
    const double *time = rk_record_time(record), *out = rk_record_out(record);
    const double *pv = rk_record_pv(record);
    const size_t rows = rk_record_rows(record);
    double at[8], size[8], x, sx = 0, sy = 0, sxx = 0, sxy = 0, syy = 0, n = (double)rows;
    size_t moves = 0, i, k;

    for (i = 1; i < rows && moves < 8; i++) {
        if (out[i] != out[i - 1]) {
            at[moves] = time[i];
            size[moves++] = out[i] - out[i - 1];
        }
    }
    for (i = 0; i < rows; i++) {
        for (x = 0, k = 0; k < moves; k++) {
            const double since = time[i] - at[k] - theta;

            x += since > 0 ? size[k] * (1.0 - exp(-since / tau)) : 0.0;
        }
        sx += x;
        sy += pv[i] - pv[0];
        sxx += x * x;
        sxy += x * (pv[i] - pv[0]);
        syy += (pv[i] - pv[0]) * (pv[i] - pv[0]);
    }
    sxx -= sx * sx / n;
    sxy -= sx * sy / n;
    syy -= sy * sy / n;
    return sxx > 0 ? syy - (sxy * sxy / sxx) : syy;
}

/* The same least squares the plain way: a grid over all rows, then steps that halve. */
static void bench_reference(size_t rows)
{
    rk_record *record = make_record(rows);
    const double start = now();
    double tau = 30, theta = 30, best = HUGE_VAL, step_tau = 15, step_theta = 15, cost;
    int passes = 0, i, k;

    for (i = 0; i < 20; i++) {
        for (k = 0; k < 30; k++) {
            const double t = 2.0 * exp(0.3 * i), d = 10.0 * k;

            cost = reference_cost(record, t, d);
            passes++;
            if (cost < best) {
                best = cost;
                tau = t;
                theta = d;
            }
        }
    }
    while (step_theta > 1e-3) {
        const double moves[4][2] = {
            {step_tau, 0}, {-step_tau, 0}, {0, step_theta}, {0, -step_theta}};
        bool better = false;

        for (i = 0; i < 4; i++) {
            if (!(tau + moves[i][0] > 0) || theta + moves[i][1] < 0) continue;
            cost = reference_cost(record, tau + moves[i][0], theta + moves[i][1]);
            passes++;
            if (cost < best) {
                best = cost;
                tau += moves[i][0];
                theta += moves[i][1];
                better = true;
            }
        }
        if (!better) {
            step_tau *= 0.5;
            step_theta *= 0.5;
        }
    }
    printf("  reference, %7zu samples   %8.2f ms  %6.1f ns per sample   (dead time %.3f s, %d "
           "passes over all rows)\n",
           rows, 1e3 * (now() - start), 1e9 * (now() - start) / (double)rows, theta, passes);
    rk_record_free(record);
}

/* A file of the record's rows; the caller unlinks it. */
static void write_record(char *path, size_t rows)
{
    const int file = mkstemps(path, 4);
    FILE *stream = file >= 0 ? fdopen(file, "w") : NULL;
    rk_record *record = make_record(rows);
    size_t i;

    if (stream == NULL) {
        abort();
    }
    fprintf(stream, "time,out,pv\n");
    for (i = 0; i < rows; i++) {
        fprintf(stream, "%.4f,%.1f,%.4f\n", rk_record_time(record)[i], rk_record_out(record)[i],
                rk_record_pv(record)[i]);
    }
    fclose(stream);
    rk_record_free(record);
}

/* The same cells converted without a file around them. */
static double conversion_alone(size_t rows)
{
    static const char *const cells[] = {"123.4567", "42.0", "11.8123"};
    const size_t length[] = {8, 4, 7};
    double start = now(), sum = 0, value = 0;
    size_t i;

    for (i = 0; i < 3 * rows; i++) {
        if (!rk_number_parse(cells[i % 3], length[i % 3], &value)) {
            abort();
        }
        sum += value;
    }
    start = now() - start;
    return isfinite(sum) ? start : 0;
}

static void bench_read(size_t rows)
{
    char path[] = "/tmp/rk-bench-XXXXXX.csv";
    double seconds[RUNS], conversion[RUNS], whole;
    size_t i;

    write_record(path, rows);
    for (i = 0; i < RUNS; i++) {
        const double start = now();
        rk_record *record = NULL;

        if (rk_record_read(path, NULL, &record, NULL, NULL) != RK_OK) {
            abort();
        }
        seconds[i] = now() - start;
        conversion[i] = conversion_alone(rows);
        rk_record_free(record);
    }
    unlink(path);
    whole = median(seconds, RUNS);
    printf("  CSV of %7zu rows          %8.2f ms  %6.1f ns per row; converting its numbers is "
           "%.0f %% of it\n",
           rows, 1e3 * whole, 1e9 * whole / (double)rows,
           100 * median(conversion, RUNS) / whole);
}

/* The whole process: start, read the CSV, fit, print. */
static void bench_process(const char *tool, size_t rows)
{
    char path[] = "/tmp/rk-bench-XXXXXX.csv";
    double seconds[RUNS];
    size_t i;

    write_record(path, rows);
    for (i = 0; i < RUNS; i++) {
        const double start = now();
        pid_t child;
        int status = 0;

        fflush(stdout);
        child = fork();
        if (child == 0) {
            if (freopen("/dev/null", "w", stdout) == NULL) {
                _exit(1);
            }
            execl(tool, tool, "fit", path, (char *)NULL);
            _exit(127);
        }
        if (waitpid(child, &status, 0) != child || status != 0) {
            abort();
        }
        seconds[i] = now() - start;
    }
    unlink(path);
    printf("  redkettle fit, %zu rows   %8.2f ms  whole process\n", rows,
           1e3 * median(seconds, RUNS));
}

/* A closed-loop scan: controller, plant with 17 scans of dead time, a setpoint that changes. */
/* Everything that a controller can do, at once. */
static void use_every_feature(rk_pid_params *p)
{
    p->sp_weight = 0.7;
    p->d_sp_weight = 0.2;
    p->deadband = 0.01;
    p->i_lo = -500;
    p->i_hi = 500;
    p->anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    p->tt = 20;
    p->sp_lo = 5;
    p->sp_hi = 15;
    p->sp_rate = 0.01;
    p->pv_lo = 0;
    p->pv_hi = 20;
    p->bad_to_safe = true;
    p->out_safe = 30;
}

static void bench_scan(const char *what, double td, bool every_feature, bool with_pid,
                       bool with_plant, int scans, int runs)
{
    const rk_model model = {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8};
    const rk_settings settings = rk_settings_make(-11.3, 46.5, td, 0.1 * td);
    const rk_limits limits = {0, 100, td > 0 ? 5.0 : HUGE_VAL};
    rk_real memory[32];
    rk_plant_params plant_params;
    rk_pid_params pid_params;
    double seconds[RUNS];
    rk_plant plant;
    rk_pid pid;
    double sum = 0;
    int run, k;

    if (rk_plant_params_from_model(&model, 1, &plant_params, NULL) != RK_OK) {
        abort();
    }
    if (rk_settings_pid_params(&settings, &limits, &model, 1, &pid_params, NULL) != RK_OK) {
        abort();
    }
    if (every_feature) {
        use_every_feature(&pid_params);
    }
    for (run = 0; run < runs; run++) {
        double pv = 11.8, out = 42, start;

        if (rk_plant_init(&plant, &plant_params, memory, 32, 42) != RK_OK) {
            abort();
        }
        if (rk_pid_init(&pid, &pid_params, 42) != RK_OK) {
            abort();
        }
        rk_pid_set_feedforward(&pid, every_feature ? 1.5 : 0.0);
        start = now();
        for (k = 0; k < scans; k++) {
            const double sp = (k & 1024) != 0 ? 12.3 : 11.8;

            if (with_pid) {
                out = rk_pid_scan(&pid, sp, pv);
            }
            if (with_plant) {
                pv = rk_plant_scan(&plant, out + (with_pid ? 0 : sp));
            }
        }
        seconds[run] = now() - start;
        sum += pv + out;
    }
    printf("  %-25s %8.2f ns per scan%s\n", what, 1e9 * median(seconds, (size_t)runs) / scans,
           isfinite(sum) ? "" : " (not finite)");
}

/* 20 by 20 settings, 2,000 scans each. */
static void bench_sweep(int threads)
{
    enum { SIDE = 20, N = SIDE * SIDE, LENGTH = 2000 };
    const rk_sweep_plan plan = {.plant = {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
                                .limits = {0, 100, 5},
                                .ts = 1,
                                .sp_step = 0.5,
                                .duration = LENGTH,
                                .band = 0.02,
                                .threads = threads};
    static rk_settings settings[N];
    static rk_sweep_result results[N];
    double seconds[RUNS];
    int i;

    for (i = 0; i < N; i++) {
        settings[i] = rk_settings_make(-1.0 - (i / SIDE), 10.0 + (5.0 * (i % SIDE)), 5.0, 0.5);
    }
    for (i = 0; i < RUNS; i++) {
        const double start = now();

        if (rk_sweep_compute(&plan, settings, N, results, NULL) != RK_OK) {
            abort();
        }
        seconds[i] = now() - start;
    }
    printf("Sweep of %d settings, %d scans each, %s: %.2f ms, %.2f ns per closed-loop scan\n",
           N, LENGTH, threads == 1 ? "one thread" : "a thread a processor",
           1e3 * median(seconds, RUNS), 1e9 * median(seconds, RUNS) / (double)N / LENGTH);
}

/* A check of the demo's PI and of a PID on two lags, without and with the worst over models. */
static void bench_check(void)
{
    static const rk_model models[] = {
        {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
        {RK_MODEL_SOPDT, -0.19, {160, 62}, 0, 24, 30, 2.4},
        {RK_MODEL_IPDT, 0.0145, {0, 0}, 0, 3.6, 41, 412},
    };
    static const double settings[][4] = {{-11, 46.5, 0, 0}, {-9, 190, 30, 3}, {9.5, 29, 0, 0}};
    double seconds[RUNS];
    int m, u, i;

    for (m = 0; m < 3; m++) {
        for (u = 0; u < 2; u++) {
            rk_design loop = rk_design_make();
            rk_check_plan plan = rk_check_plan_make();
            rk_check check;

            loop.has_model = loop.has_settings = true;
            loop.model = models[m];
            loop.settings = rk_settings_make(settings[m][0], settings[m][1], settings[m][2],
                                             settings[m][3]);
            loop.ts = 1;
            loop.out_low = 0;
            loop.out_high = 100;
            loop.noise = 0.01;
            plan.uncertain = u == 1;
            for (i = 0; i < RUNS; i++) {
                const double start = now();

                if (rk_check_compute(&loop, &plan, &check, NULL) != RK_OK) {
                    abort();
                }
                seconds[i] = now() - start;
            }
            printf("Check of %s, %s: %.2f ms\n", rk_model_kind_to_text(models[m].kind),
                   u == 1 ? "with the worst over models" : "margins, sampling, valve, windup",
                   1e3 * median(seconds, RUNS));
        }
    }
}

/* The demo's controllers as Structured Text in the stand-in PLC; and emit with prove, without
   the C compiler's time. */
static void bench_text(void)
{
    static const double settings[][4] = {{-11.3, 46.5, 0, 0}, {-9.1, 40.7, 7.3, 0.73}};
    enum { COUNT = 100000 };
    double seconds[RUNS];
    int u, i, k;

    for (u = 0; u < 2; u++) {
        rk_design loop = rk_design_make();
        const rk_prove_plan plan = {.scans = 10000};
        rk_text *st = rk_text_create();
        rk_plc *plc = rk_plc_create();
        rk_plc_instance *instance;
        rk_plc_variable sp, pv, automatic;
        rk_rig_settings settings_at_work;
        const rk_rig_pin *pin;

        loop.has_model = loop.has_settings = true;
        loop.model = (rk_model){RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8};
        loop.settings =
            rk_settings_make(settings[u][0], settings[u][1], settings[u][2], settings[u][3]);
        loop.ts = 1;
        loop.out_low = 0;
        loop.out_high = 100;
        if (rk_emit_general_st(RK_NUMBER_LREAL, st, NULL) != RK_OK ||
            rk_plc_load(plc, "st", rk_text_chars(st), rk_text_length(st), NULL) != RK_OK ||
            rk_plc_instance_create(plc, rk_plc_last_block(plc), &instance, NULL) != RK_OK ||
            rk_emit_rig_settings(&loop, RK_NUMBER_LREAL, false, &settings_at_work, NULL) !=
                RK_OK ||
            rk_plc_find(plc, instance, "sp", &sp, NULL) != RK_OK ||
            rk_plc_find(plc, instance, "automatic", &automatic, NULL) != RK_OK ||
            rk_plc_find(plc, instance, "pv", &pv, NULL) != RK_OK) {
            abort();
        }
        for (pin = rk_rig_setting_pins; pin->name != NULL; pin++) {
            rk_plc_variable v;

            if (rk_plc_find(plc, instance, pin->name, &v, NULL) != RK_OK) abort();
            if (pin->kind == RK_RIG_REAL) {
                v.at->real = rk_rig_pin_get(pin, &settings_at_work);
            } else {
                v.at->whole = (int64_t)rk_rig_pin_get(pin, &settings_at_work);
            }
        }
        automatic.at->whole = 1;
        sp.at->real = pv.at->real = 11.8;
        for (i = 0; i < RUNS; i++) {
            const double start = now();

            for (k = 0; k < COUNT; k++) {
                pv.at->real = 11.8 + (0.01 * (k % 7));
                (void)rk_plc_scan(plc, instance, NULL);
            }
            seconds[i] = now() - start;
        }
        printf("Stand-in PLC, %s: %.0f scans a second\n", u == 0 ? "PI" : "PID",
               COUNT / median(seconds, RUNS));
        rk_plc_free(plc);
        rk_text_free(st);
        for (i = 0; i < RUNS; i++) {
            const double start = now();
            static const rk_program_file files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PLANT_ST,
                                                    RK_PROGRAM_PROGRAM};
            rk_program program = {.text = {NULL}};
            rk_text *text[3];
            rk_proof proof;

            for (k = 0; k < 3; k++) {
                text[k] = rk_text_create();
                if (rk_program_text(&loop, files[k], RK_NUMBER_LREAL, text[k], NULL) != RK_OK) {
                    abort();
                }
                program.text[files[k]] = rk_text_chars(text[k]);
            }
            if (rk_proof_compute(&loop, &program, &plan, &proof, NULL) != RK_OK ||
                !proof.proven) {
                abort();
            }
            for (k = 0; k < 3; k++) {
                rk_text_free(text[k]);
            }
            seconds[i] = now() - start;
        }
        printf("Emit and prove, %s, %d scans: %.1f ms\n", u == 0 ? "PI" : "PID",
               (int)plan.scans, 1e3 * median(seconds, RUNS));
    }
}

/* One run of few scans, for a counter of instructions: --scans pid|plant N. */
static int run_scans(const char *what, int scans)
{
    const bool pid = strcmp(what, "pid") == 0;

    bench_scan(what, 7, pid, pid, !pid, scans, 1);
    return 0;
}

int main(int argc, char **argv)
{
    if (argc == 4 && strcmp(argv[1], "--scans") == 0) return run_scans(argv[2], atoi(argv[3]));
    printf("Reading a record:\n");
    bench_read(1000000);
    printf("Fit of a first-order-plus-dead-time model, global search included:\n");
    bench_fit(10000);
    bench_fit(100000);
    bench_fit(1000000);
    bench_reference(10000);
    bench_kinds(10000);
    bench_kinds(100000);
    bench_moves(1000);
    bench_moves(10000);
    printf(
        "A record much longer than its process (tau 46.5 s, one move there and back, 1 s rows):\n");
    bench_long(1000000, 0.0, false);
    bench_long(1000000, 0.8, false);
    bench_long(1000000, 0.0, true);
    bench_long(10000000, 0.0, false);
    if (argc > 1) {
        bench_process(argv[1], 10000);
    }
    printf("Device tier:\n");
    bench_scan("PI", 0, false, true, false, SCANS, RUNS);
    bench_scan("PID, filter, rate limit", 7, false, true, false, SCANS, RUNS);
    bench_scan("PID with every feature", 7, true, true, false, SCANS, RUNS);
    bench_scan("plant", 0, false, false, true, SCANS, RUNS);
    bench_scan("closed loop, PI", 0, false, true, true, SCANS, RUNS);
    bench_scan("closed loop, PID", 7, false, true, true, SCANS, RUNS);
    bench_sweep(1);
    bench_sweep(0);
    bench_check();
    bench_text();
    return 0;
}
