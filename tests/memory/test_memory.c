/* SPDX-License-Identifier: MIT */
/* Every allocation of a job fails in turn: the job must say so, and leak nothing. */
#include <stdlib.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include <ports/sim/sim.h>

#include "../support/loops.h"
#include "../support/support.h"

static long allowed = -1; /* allocations until one fails; below 0: none fails */
static long standing;     /* blocks not given back */

static bool refuse(void)
{
    if (allowed < 0) return false;
    return allowed-- == 0;
}

void *rk_memory_create(size_t count, size_t size)
{
    if (refuse()) return NULL;
    standing++;
    return calloc(count > 0 ? count : 1, size);
}

void *rk_memory_resize(void *block, size_t count, size_t size)
{
    if (refuse()) return NULL;
    if (block == NULL) {
        standing++;
    }
    return realloc(block, count * size);
}

void rk_memory_free(void *block)
{
    if (block != NULL) {
        standing--;
    }
    free(block);
}

static rk_status read_and_fit(void)
{
    rk_record *record = NULL;
    rk_fit fit;
    rk_status status =
        rk_record_read(RK_SOURCE "/data/blend-brix.csv", NULL, &record, NULL, NULL);

    if (status == RK_OK) {
        status = rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL);
    }
    rk_record_free(record);
    return status;
}

static rk_status read_and_inspect(void)
{
    const rk_inspect_plan plan = rk_inspect_plan_make();
    rk_record *record = NULL;
    rk_inspection *made = malloc(sizeof *made);
    rk_status status =
        rk_record_read(RK_SOURCE "/data/records/integrating.csv", NULL, &record, NULL, NULL);

    if (status == RK_OK) {
        status = rk_inspection_compute(record, &plan, made, NULL, NULL);
    }
    rk_record_free(record);
    free(made);
    return status;
}

/* A test on a plant that stands still, its rows in a file. */
static rk_status bump_and_log(void)
{
    const rk_plant_params plant = {{{0, 0}, {0, 0}}, {1, 0}, {0, 0}, 0, 0, 0};
    const rk_bump_plan plan = {.ts = 1,
                               .moves = 1,
                               .move = {5},
                               .hold = 5,
                               .before = 5,
                               .pv_low = 0,
                               .pv_high = 100,
                               .out_low = 0,
                               .out_high = 100};
    const rk_design loop = rk_design_make();
    char *dir = scratch_make();
    rk_record_log *log = NULL;
    rk_bump *bump = NULL;
    rk_real memory[1];
    rk_status status;
    rk_port port;
    rk_sim sim;

    ck_assert_int_eq(rk_sim_init(&sim, &plant, memory, 1, 50), RK_OK);
    port = rk_sim_port(&sim);
    status = rk_bump_create(&plan, &port, &bump, NULL);
    if (status == RK_OK) {
        status = rk_record_log_create(path_in(dir, "r.csv"), &loop, false, false, &log, NULL);
    }
    while (status == RK_OK && rk_bump_get_state(bump) < RK_BUMP_DONE) {
        const rk_bump_row row = rk_bump_scan(bump, 1);

        status = rk_record_log_row(log, row.time, row.out, row.pv, NULL);
    }
    rk_record_log_free(log);
    rk_bump_free(bump);
    scratch_free(dir);
    return status;
}

static rk_status check_loop(void)
{
    rk_design loop = rk_design_make();
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(2, 10, 3);
    loop.settings = rk_settings_make(0.8, 10, 0, 0);
    loop.requirements.limit[RK_REQUIRE_OVERSHOOT] = 20;
    return rk_check_compute(&loop, &plan, &check, NULL);
}

static rk_status emit_loop(void)
{
    rk_design loop = rk_design_make();
    rk_text *text;
    rk_status status;

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(2, 10, 3);
    loop.settings = rk_settings_make(0.8, 10, 0, 0);
    loop.ts = 1;
    loop.out_low = 0;
    loop.out_high = 100;
    text = rk_text_create();
    status = rk_emit_st(&loop, RK_NUMBER_LREAL, text, NULL);
    rk_text_free(text);
    return status;
}

static rk_status run_text(void)
{
    static const char text[] = "FUNCTION_BLOCK b VAR a : ARRAY[0..9999] OF LREAL; END_VAR\n"
                               "a[3] := a[3] + 1.0; END_FUNCTION_BLOCK\n";
    rk_plc *plc = rk_plc_create();
    rk_plc_instance *instance = NULL;
    rk_status status = RK_ERR_MEMORY;

    if (plc != NULL) {
        status = rk_plc_load(plc, "text", text, sizeof text - 1, NULL);
    }
    if (status == RK_OK) {
        status = rk_plc_instance_create(plc, "b", &instance, NULL);
    }
    if (status == RK_OK) {
        status = rk_plc_scan(plc, instance, NULL);
    }
    rk_plc_free(plc);
    return status;
}

static rk_status save_loop(void)
{
    rk_design loop = rk_design_make();
    char *dir = scratch_make();
    const char *path = path_in(dir, "x.loop");
    rk_status status;

    put_file(path, "[loop]\nscan = 1\n");
    loop.has_model = true;
    loop.model = fopdt(2, 10, 3);
    status = rk_design_save_model(path, &loop, NULL);
    scratch_free(dir);
    return status;
}

static rk_status draw_trial(void)
{
    const rk_trial_plan plan = {.sp_step = 1, .duration = 60, .band = 0.02};
    const rk_figure_style style = {RK_FIGURE_SVG, 0, 0, false};
    const rk_design loop = rk_design_make();
    const rk_trial_case c = {.name = "one",
                             .plant = fopdt(2, 10, 3),
                             .settings = rk_settings_make(0.8, 10, 0, 0),
                             .limits = {-10, 10, 1e9},
                             .ts = 1};
    rk_trial *trial = NULL;
    rk_text *image = rk_text_create();
    rk_status status = rk_trial_create(&c, &plan, &trial, NULL);

    if (status == RK_OK && image == NULL) {
        status = RK_ERR_MEMORY;
    }
    if (status == RK_OK) {
        const rk_trial *const trials[] = {trial};

        status = rk_figure_trial(&loop, &plan, trials, 1, NULL, &style, image, NULL);
    }
    rk_trial_free(trial);
    rk_text_free(image);
    return status;
}

static rk_status report_settings(void)
{
    const rk_report_style style = {false, false};
    const rk_design loop = brix_loop();
    rk_report *report = rk_report_create(style);
    rk_text *text = rk_text_create();
    rk_status status = rk_report_add_forms(report, &loop);

    if (status == RK_OK) {
        status = text == NULL ? RK_ERR_MEMORY : rk_report_to_text(report, text, NULL);
    }
    if (status == RK_OK) {
        status = rk_report_to_csv(report, text, NULL);
    }
    rk_report_free(report);
    rk_text_free(text);
    return status;
}

static const struct {
    const char *what;
    rk_status (*run)(void);
} jobs[] = {
    {"read and fit", read_and_fit},
    {"read and inspect", read_and_inspect},
    {"step test", bump_and_log},
    {"check", check_loop},
    {"emit", emit_loop},
    {"run text", run_text},
    {"save", save_loop},
    {"draw", draw_trial},
    {"report", report_settings},
};

START_TEST(a_failed_allocation_is_an_error_and_no_leak)
{
    int fails = 0;

    for (;; fails++) {
        rk_status status;

        allowed = fails;
        standing = 0;
        status = jobs[_i].run();
        ck_assert_msg(standing == 0, "%s: %ld blocks leak when allocation %d fails",
                      jobs[_i].what, standing, fails);
        if (allowed >= 0) { /* it never came so far: the job is done */
            ck_assert_int_eq(status, RK_OK);
            break;
        }
        ck_assert_msg(status == RK_ERR_MEMORY, "%s: allocation %d fails and the status is %d",
                      jobs[_i].what, fails, status);
    }
    ck_assert_int_gt(fails, 1);
}
END_TEST

static Suite *suite_memory(void)
{
    Suite *suite = suite_create("memory");
    TCase *t = tcase_create("memory");

    add_table(t, a_failed_allocation_is_an_error_and_no_leak, jobs);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_memory};

    return run_suites(makers, COUNT(makers));
}
