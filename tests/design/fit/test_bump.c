/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <ports/sim/sim.h>

#include "../../support/support.h"

enum { MEMORY = 64, ROWS = 2000 };

/* A test on the sim port, and what came of it. */
typedef struct rig {
    rk_sim sim;
    rk_real memory[MEMORY];
    rk_bump *bump;
    rk_bump_row row[ROWS];
    int rows;
} rig;

static rk_bump_plan plan_of(double first, double second, double third)
{
    const rk_bump_plan made = {.ts = 1,
                               .moves = third != 0    ? 3
                                        : second != 0 ? 2
                                                      : 1,
                               .move = {first, second, third},
                               .hold = 60,
                               .before = 20,
                               .patience = 200,
                               .pv_low = 10,
                               .pv_high = 13,
                               .out_low = 0,
                               .out_high = 100};

    return made;
}

static void set_up(rig *g, const rk_sim_faults *faults)
{
    rk_model model = fopdt(-0.118, 10, 4.3);
    rk_plant_params params;

    model.out0 = 42;
    model.pv0 = 11.8;
    memset(g, 0, sizeof *g);
    ck_assert_int_eq(rk_plant_params_from_model(&model, 1, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_sim_init(&g->sim, &params, g->memory, MEMORY, 42), RK_OK);
    if (faults != NULL) {
        ck_assert_int_eq(rk_sim_set_faults(&g->sim, faults), RK_OK);
    }
}

static rk_status start(rig *g, const rk_bump_plan *plan, rk_diag *diag)
{
    const rk_port port = rk_sim_port(&g->sim);

    return rk_bump_create(plan, &port, &g->bump, diag);
}

static void scan(rig *g)
{
    ck_assert_int_lt(g->rows, ROWS);
    g->row[g->rows++] = rk_bump_scan(g->bump, 1);
    rk_sim_advance(&g->sim);
}

static void run_to_the_end(rig *g)
{
    while (rk_bump_get_state(g->bump) < RK_BUMP_DONE) {
        scan(g);
    }
}

/* OUT of the rows, as levels and how long each was held. */
static const struct {
    double first, second, third;
    double level[4];
    int levels;
} courses[] = {
    {5, 0, 0, {42, 47, 42, 0}, 3},
    {5, -5, 0, {42, 47, 42, 0}, 3},
    {-5, 10, -5, {42, 37, 47, 42}, 4},
    {0.1, 0.2, -0.3, {42, 42.1, 42.3, 42}, 4}, /* 42 again, to the last bit */
};

START_TEST(out_goes_its_course_and_comes_back)
{
    const rk_bump_plan plan = plan_of(courses[_i].first, courses[_i].second, courses[_i].third);
    rig g;
    int i, at = 0, since = 0;

    set_up(&g, NULL);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    run_to_the_end(&g);
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), RK_BUMP_DONE);
    for (i = 1; i < g.rows; i++) {
        if (g.row[i].out != g.row[i - 1].out) {
            ck_assert_int_eq(i - since, at == 0 ? 19 : 60);
            since = i;
            at++;
        }
        ck_assert_double_eq_tol(g.row[i].out, courses[_i].level[at], 1e-12);
        ck_assert_double_eq(g.row[i].time, i);
    }
    ck_assert_int_eq(at, courses[_i].levels - 1);
    ck_assert_double_eq(g.sim.out, 42);
    ck_assert_str_eq(rk_bump_why(g.bump), "");
    rk_bump_free(g.bump);
}
END_TEST

/* What is refused before anything moves. */
static const struct {
    const char *fact;
    rk_bump_plan plan;
    rk_status status;
    const char *says;
} refused[] = {
    {"a move above OUT's limit",
     {1, 1, {60}, 60, 20, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "OUT would go to 102, beyond its limits 0 to 100"},
    {"a second move below it",
     {1, 2, {5, -50}, 60, 20, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "OUT would go to -3"},
    {"OUT outside its limits",
     {1, 1, {5}, 60, 20, 0, 10, 13, 45, 100},
     RK_ERR_RANGE,
     "OUT is at 42, outside its limits 45 to 100"},
    {"PV outside its bounds",
     {1, 1, {5}, 60, 20, 0, 12, 13, 0, 100},
     RK_ERR_RANGE,
     "PV is 11.8, outside the bounds 12 to 13"},
    {"no move", {1, 0, {0}, 60, 20, 0, 10, 13, 0, 100}, RK_ERR_RANGE, "0 moves of OUT"},
    {"a move of 0",
     {1, 2, {5, 0}, 60, 20, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "move 2 of OUT is 0"},
    {"a move that is no number",
     {1, 1, {QNAN}, 60, 20, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "move 1 of OUT"},
    {"no scan", {0, 1, {5}, 60, 20, 0, 10, 13, 0, 100}, RK_ERR_RANGE, "scan 0 s"},
    {"no hold", {1, 1, {5}, 0, 20, 0, 10, 13, 0, 100}, RK_ERR_RANGE, "hold 0 s: give 1 s"},
    {"too short before",
     {1, 1, {5}, 60, 2, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "before 2 s: give 5"},
    {"patience that is no number",
     {1, 1, {5}, 60, 20, QNAN, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "patience"},
    {"weeks in milliseconds",
     {1e-3, 1, {5}, 6e5, 20, 0, 10, 13, 0, 100},
     RK_ERR_RANGE,
     "check units"},
};

START_TEST(what_could_hurt_is_refused_before_out_moves)
{
    rk_diag diag = {RK_OK, ""};
    rig g;

    set_up(&g, NULL);
    ck_assert_msg(start(&g, &refused[_i].plan, &diag) == refused[_i].status, "%s",
                  refused[_i].fact);
    ck_assert_msg(strstr(diag.text, refused[_i].says) != NULL, "%s: '%s'", refused[_i].fact,
                  diag.text);
    ck_assert_double_eq(g.sim.out, 42);
    ck_assert_ptr_null(g.bump);
}
END_TEST

START_TEST(a_port_without_pv_is_refused)
{
    const rk_sim_faults bad = {.bad = {0, 1000}, .noise_innovation = 1};
    const rk_bump_plan plan = plan_of(5, 0, 0);
    rk_diag diag = {RK_OK, ""};
    rk_port port;
    rig g;

    set_up(&g, &bad);
    ck_assert_int_eq(start(&g, &plan, &diag), RK_ERR_IO);
    ck_assert_str_eq(diag.text, "the port gives no PV");
    set_up(&g, NULL);
    g.sim.fault = RK_ERR_IO;
    ck_assert_int_eq(start(&g, &plan, NULL), RK_ERR_IO);
    port = rk_sim_port(&g.sim);
    port.read_out = NULL;
    ck_assert_int_eq(rk_bump_create(&plan, &port, &g.bump, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_bump_create(NULL, &port, &g.bump, NULL), RK_ERR_ARG);
}
END_TEST

/* What happens in the hardware while OUT is moved, and how the test ends. */
static const struct {
    const char *fact;
    rk_sim_faults faults;
    const char *why;
    double pv_low; /* of the bounds */
    int last_row;  /* at the latest */
} mishaps[] = {
    {"a load drives PV out of its bounds",
     {.noise_innovation = 1, .load_step = 30, .load_at = 40},
     "below the bound 10",
     10,
     80},
    {"the move itself does", {.noise_innovation = 1}, "below the bound 11.5", 11.5, 50},
    {"PV goes bad", {.noise_innovation = 1, .bad = {50, 60}}, "PV was bad", 10, 50},
    {"the port drops out for a while",
     {.noise_innovation = 1, .drops = {50, 90}},
     "the port gave no PV",
     10,
     90},
};

START_TEST(a_mishap_puts_out_back)
{
    rk_bump_plan plan = plan_of(5, -10, 5);
    rig g;

    plan.pv_low = mishaps[_i].pv_low;
    set_up(&g, &mishaps[_i].faults);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    while (rk_bump_get_state(g.bump) != RK_BUMP_STOPPED) {
        scan(&g);
        ck_assert_msg(g.rows <= mishaps[_i].last_row + 1, "%s: still going", mishaps[_i].fact);
    }
    ck_assert_msg(strstr(rk_bump_why(g.bump), mishaps[_i].why) != NULL, "%s: %s",
                  mishaps[_i].fact, rk_bump_why(g.bump));
    ck_assert_double_eq(g.sim.out, 42);
    ck_assert_double_eq(g.row[g.rows - 1].out, 42);
    ck_assert_double_eq(rk_bump_out_start(g.bump), 42);
    scan(&g); /* nothing moves any more */
    ck_assert_double_eq(g.sim.out, 42);
    rk_bump_free(g.bump);
}
END_TEST

START_TEST(a_test_that_cannot_reach_out_says_so_until_it_can)
{
    const rk_sim_faults drops = {.noise_innovation = 1, .drops = {50, 90}};
    const rk_bump_plan plan = plan_of(5, 0, 0);
    rig g;

    set_up(&g, &drops);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    while (g.rows < 52) {
        scan(&g);
    }
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), RK_BUMP_MOVING); /* two replies missing */
    scan(&g);
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), RK_BUMP_STRANDED);
    ck_assert_double_eq(g.row[52].out, 47);
    ck_assert(isnan(g.row[50].pv));
    while (g.rows < 91) {
        scan(&g);
    }
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), RK_BUMP_STOPPED);
    ck_assert_double_eq(g.sim.out, 42);
    rk_bump_free(g.bump);
}
END_TEST

/* Two in a row, here and there: OUT stays, and the test goes to its end. */
START_TEST(a_reply_that_is_missing_now_and_then_ends_nothing)
{
    const rk_bump_plan plan = plan_of(5, 0, 0);
    rig g;
    int missing = 0, i;

    set_up(&g, NULL);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    while (rk_bump_get_state(g.bump) < RK_BUMP_DONE) {
        g.sim.fault = g.rows % 7 < 2 ? RK_ERR_IO : RK_OK;
        scan(&g);
        missing += isnan(g.row[g.rows - 1].pv);
    }
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), RK_BUMP_DONE);
    ck_assert_int_gt(missing, 15);
    for (i = 1; i < g.rows; i++) {
        ck_assert(g.row[i].out == 42 || g.row[i].out == 47);
    }
    ck_assert_double_eq(g.sim.out, 42);
    rk_bump_free(g.bump);
}
END_TEST

START_TEST(whoever_stops_or_forgets_it_gets_out_back)
{
    const rk_bump_plan plan = plan_of(5, 0, 0);
    rig g;

    set_up(&g, NULL);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    while (g.rows < 40) {
        scan(&g);
    }
    ck_assert_double_eq(g.sim.out, 47);
    rk_bump_stop(g.bump, "enough");
    ck_assert_double_eq(g.sim.out, 42);
    rk_bump_stop(g.bump, "more than enough");
    ck_assert_str_eq(rk_bump_why(g.bump), "enough");
    ck_assert_double_eq(rk_bump_time_left(g.bump), 0);
    rk_bump_free(g.bump);

    set_up(&g, NULL);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    while (g.rows < 40) {
        scan(&g);
    }
    rk_bump_free(g.bump);
    ck_assert_double_eq(g.sim.out, 42);
}
END_TEST

/* The plant starts off its rest: the test waits until PV is steady, or not at all, or gives up.
 */
static const struct {
    double patience;
    rk_bump_state end;
    int moved_after, moved_before;
} patiences[] = {
    {500, RK_BUMP_DONE, 40, 200},
    {0, RK_BUMP_DONE, 18, 20},
    {10, RK_BUMP_STOPPED, 0, 0},
};

START_TEST(it_waits_until_pv_is_steady)
{
    rk_bump_plan plan = plan_of(5, 0, 0);
    int i, moved = 0;
    rig g;

    plan.patience = patiences[_i].patience;
    set_up(&g, NULL);
    g.sim.plant.x[0] = 1.0; /* 1 degBx above its rest, settling with 10 s */
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    run_to_the_end(&g);
    ck_assert_int_eq((int)rk_bump_get_state(g.bump), (int)patiences[_i].end);
    for (i = 1; i < g.rows && moved == 0; i++) {
        moved = g.row[i].out != 42 ? i : 0;
    }
    ck_assert_int_ge(moved, patiences[_i].moved_after);
    ck_assert_int_le(moved, patiences[_i].moved_before);
    if (patiences[_i].end == RK_BUMP_STOPPED) {
        ck_assert_ptr_nonnull(
            strstr(rk_bump_why(g.bump), "PV was not steady for 20 s within 30 s"));
    }
    rk_bump_free(g.bump);
}
END_TEST

START_TEST(the_time_left_runs_down)
{
    const rk_bump_plan plan = plan_of(5, -5, 0);
    double before;
    rig g;

    set_up(&g, NULL);
    ck_assert_int_eq(start(&g, &plan, NULL), RK_OK);
    ck_assert_double_eq(rk_bump_time_left(g.bump), 140);
    while (rk_bump_get_state(g.bump) < RK_BUMP_DONE) {
        before = rk_bump_time_left(g.bump);
        scan(&g);
        ck_assert_double_le(rk_bump_time_left(g.bump), before);
        ck_assert_double_ge(rk_bump_time_left(g.bump), before - 2);
    }
    ck_assert_double_eq(rk_bump_time_left(g.bump), 0);
    rk_bump_free(g.bump);
    rk_bump_free(NULL);
}
END_TEST

START_TEST(a_plan_is_completed_by_what_the_loop_tells)
{
    const double none = QNAN;
    const rk_bump_plan open = {.moves = 1,
                               .move = {5},
                               .hold = none,
                               .before = none,
                               .patience = none,
                               .pv_low = none,
                               .pv_high = none};
    rk_design d = rk_design_make();
    rk_bump_plan plan = open;
    rk_diag diag;

    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "scan"));
    d.ts = 2;
    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "limits"));
    d.out_low = 0;
    d.out_high = 100;
    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "held"));
    d.has_model = true;
    d.model = fopdt(2, 10, 3);
    d.pv_low = -1;
    d.pv_high = 9;
    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_OK);
    ck_assert_double_eq(plan.hold, 3 + 50);
    ck_assert_double_eq(plan.before, 60);
    ck_assert_double_eq(plan.patience, 1200);
    ck_assert(plan.pv_low == -1 && plan.pv_high == 9 && plan.out_high == 100 && plan.ts == 2);
    plan = open;
    plan.hold = 7;
    plan.pv_high = 4;
    d.model.kind = RK_MODEL_IPDT; /* it never settles */
    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_OK);
    ck_assert(plan.hold == 7 && plan.pv_high == 4);
    plan.hold = none;
    ck_assert_int_eq(rk_bump_plan_complete(&plan, &d, &diag), RK_ERR_RANGE);
}
END_TEST

Suite *suite_bump(void)
{
    Suite *suite = suite_create("design/bump");
    TCase *t = tcase_create("bump");

    add_table(t, out_goes_its_course_and_comes_back, courses);
    add_table(t, what_could_hurt_is_refused_before_out_moves, refused);
    tcase_add_test(t, a_port_without_pv_is_refused);
    add_table(t, a_mishap_puts_out_back, mishaps);
    tcase_add_test(t, a_test_that_cannot_reach_out_says_so_until_it_can);
    tcase_add_test(t, a_reply_that_is_missing_now_and_then_ends_nothing);
    tcase_add_test(t, whoever_stops_or_forgets_it_gets_out_back);
    add_table(t, it_waits_until_pv_is_steady, patiences);
    tcase_add_test(t, a_plan_is_completed_by_what_the_loop_tells);
    tcase_add_test(t, the_time_left_runs_down);
    suite_add_tcase(suite, t);
    return suite;
}
