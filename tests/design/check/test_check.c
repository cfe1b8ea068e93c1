/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "../../support/support.h"

static rk_design a_loop(double gain, double tau, double theta, double kc, double ti)
{
    rk_design loop = rk_design_make();

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(gain, tau, theta);
    loop.settings = rk_settings_make(kc, ti, 0, 0);
    loop.ts = 1;
    return loop;
}

/* What is required of a loop, and whether an engineer would say it is met. */
static const struct {
    const char *fact;
    double gain, tau, theta, kc, ti;
    int what; /* a requirement of one's own; -1: the defaults alone */
    double limit;
    bool met;
} verdicts[] = {
    {"SIMC's tight choice meets the defaults", 2, 40, 10, 1, 40, -1, 0, true},
    {"twice its gain does not", 2, 40, 10, 2, 40, -1, 0, false},
    {"a looser gain margin lets it pass no more than the phase does", 2, 40, 10, 2, 40,
     RK_REQUIRE_GAIN_MARGIN, 1.5, false},
    {"an unstable loop meets nothing", 2, 40, 10, 4, 40, -1, 0, false},
    {"nor does a wrong sign", 2, 40, 10, -1, 40, -1, 0, false},
    {"a margin of pi is more than 3.1", 2, 40, 10, 1, 40, RK_REQUIRE_GAIN_MARGIN, 3.1, true},
    {"and less than 3.2", 2, 40, 10, 1, 40, RK_REQUIRE_GAIN_MARGIN, 3.2, false},
    {"a phase margin of 61.35 deg", 2, 40, 10, 1, 40, RK_REQUIRE_PHASE_MARGIN, 61.3, true},
    {"is not 61.4", 2, 40, 10, 1, 40, RK_REQUIRE_PHASE_MARGIN, 61.4, false},
    {"a delay margin of (pi - 1) theta", 2, 40, 10, 1, 40, RK_REQUIRE_DELAY_MARGIN, 21.4, true},
    {"is not 21.5 s", 2, 40, 10, 1, 40, RK_REQUIRE_DELAY_MARGIN, 21.5, false},
    {"Ms 1.590 is below 1.6", 2, 40, 10, 1, 40, RK_REQUIRE_MS, 1.6, true},
    {"and above 1.58", 2, 40, 10, 1, 40, RK_REQUIRE_MS, 1.58, false},
    {"it overshoots by 4 to 6 %", 2, 40, 10, 1, 40, RK_REQUIRE_OVERSHOOT, 6, true},
    {"and not by less than 3", 2, 40, 10, 1, 40, RK_REQUIRE_OVERSHOOT, 3, false},
    {"it settles in 100 s", 2, 40, 10, 1, 40, RK_REQUIRE_SETTLING, 100, true},
    {"and not within the dead time", 2, 40, 10, 1, 40, RK_REQUIRE_SETTLING, 10, false},
    {"it rises in 30 s", 2, 40, 10, 1, 40, RK_REQUIRE_RISE, 30, true},
    {"and not in 5", 2, 40, 10, 1, 40, RK_REQUIRE_RISE, 5, false},
    {"integral action leaves no error", 2, 40, 10, 1, 40, RK_REQUIRE_STEADY_ERROR, 1e-6, true},
    {"P-only leaves 1/(1 + 2)", 2, 40, 10, 1, HUGE_VAL, RK_REQUIRE_STEADY_ERROR, 0.334, true},
    {"which is more than 0.333", 2, 40, 10, 1, HUGE_VAL, RK_REQUIRE_STEADY_ERROR, 0.333, false},
    {"nothing acts on a load for two dead times", 2, 40, 10, 1, 40, RK_REQUIRE_PEAK, 0.442,
     false},
    {"and then it falls short of the open loop's 2", 2, 40, 10, 1, 40, RK_REQUIRE_PEAK, 1.2,
     true},
    {"a load is out by 200 s", 2, 40, 10, 1, 40, RK_REQUIRE_RECOVERY, 250, true},
    {"and not by 20", 2, 40, 10, 1, 40, RK_REQUIRE_RECOVERY, 20, false},
    {"OUT goes to kc and back to 1/gain", 2, 40, 10, 1, 40, RK_REQUIRE_TRAVEL, 2.5, true},
    {"which is 1.5 at least", 2, 40, 10, 1, 40, RK_REQUIRE_TRAVEL, 1.5, false},
    {"the first move is kc (1 + ts/ti)", 2, 40, 10, 1, 40, RK_REQUIRE_LARGEST_MOVE, 1.0251,
     true},
    {"and no less", 2, 40, 10, 1, 40, RK_REQUIRE_LARGEST_MOVE, 1.0249, false},
    {"noise of 0.01 makes a little over kc times it", 2, 40, 10, 1, 40, RK_REQUIRE_OUT_NOISE,
     0.011, true},
    {"and no less", 2, 40, 10, 1, 40, RK_REQUIRE_OUT_NOISE, 0.01, false},
};

START_TEST(verdict_is_what_an_engineer_would_say)
{
    rk_design loop = a_loop(verdicts[_i].gain, verdicts[_i].tau, verdicts[_i].theta,
                            verdicts[_i].kc, verdicts[_i].ti);
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;

    loop.noise = 0.01;
    if (verdicts[_i].what >= 0 && verdicts[_i].what < RK_REQUIRE_OVERSHOOT) {
        loop.ts = QNAN; /* the closed forms are those of the continuous loop */
    }
    if (verdicts[_i].what >= 0) {
        ck_assert_int_eq(rk_requirements_set(&loop.requirements, (rk_require)verdicts[_i].what,
                                             verdicts[_i].limit, NULL),
                         RK_OK);
    }
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert_msg(check.verdict.met == verdicts[_i].met, "%s", verdicts[_i].fact);
    if (verdicts[_i].what >= 0 && check.margins.stable) {
        ck_assert(check.verdict.asked[verdicts[_i].what]);
        ck_assert(!loop.requirements.by_default[verdicts[_i].what]);
        if (verdicts[_i].kc == 1) {
            ck_assert(check.verdict.line_met[verdicts[_i].what] == verdicts[_i].met);
        }
    }
}
END_TEST

/* Whole loops, and what an engineer would say of them at a glance. */
static const struct {
    const char *fact;
    rk_model model;
    double kc, ti, td, ts, delay_scans, stiction;
    double sure; /* standard deviation of the model's numbers, a part of them; 0: not known */
    bool met;
    const char *says; /* in a finding; NULL: nothing of note */
} loops[] = {
    {"lambda 2 s without dead time is fine",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0, 50, 0},
     2.5,
     10,
     0,
     0.1,
     0,
     0,
     0,
     true,
     NULL},
    {"and unstable with the dead time left out",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     2.5,
     10,
     0,
     0.1,
     0,
     0,
     0,
     false,
     "the loop is unstable with kc 2.5"},
    {"stable in continuous time and not at its scan",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0.5, 50, 0},
     3.2,
     10,
     0,
     8,
     0,
     0,
     0,
     false,
     "UNSTABLE at its scan of 8 s"},
    {"stable at its scan",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     0.5,
     10,
     0,
     1,
     0,
     0,
     0,
     true,
     NULL},
    {"and not with three scans of computing",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     0.5,
     10,
     0,
     5,
     3,
     0,
     0,
     false,
     "UNSTABLE at its scan of 5 s"},
    {"less than asked at a slow scan",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     0.65,
     10,
     0,
     4,
     0,
     0,
     0,
     false,
     "the scan of 4 s takes margin: gain-margin 1.643 instead of 2.417"},
    {"a perfect margin at the nominal and none at the corner",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     0.5,
     10,
     0,
     0.5,
     0,
     0,
     0.35,
     false,
     "on which the loop is unstable"},
    {"the same with a sure model",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     0.5,
     10,
     0,
     0.5,
     0,
     0,
     0.01,
     true,
     NULL},
    {"a loop near its end stands no error of 20 %",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 50, 0},
     1.1,
     10,
     0,
     0.1,
     0,
     0,
     0,
     false,
     "a model wrong by 20 % makes the loop unstable"},
    {"PI on an integrator with ti too short",
     {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4, 50, 0},
     2,
     3.9,
     0,
     0.5,
     0,
     0,
     0,
     false,
     "no kc is stable with these times"},
    {"PI on an integrator",
     {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4, 50, 0},
     2,
     40,
     0,
     0.5,
     0,
     0,
     0,
     true,
     NULL},
    {"a wrong sign on an integrator",
     {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4, 50, 0},
     -2,
     40,
     0,
     0.5,
     0,
     0,
     0,
     false,
     "different signs"},
    {"PID on two lags",
     {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3, 50, 0},
     1.5,
     25,
     5,
     0.2,
     0,
     0,
     0,
     true,
     NULL},
    {"a resonance that P alone excites",
     {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.05, 4, 50, 0},
     1.5,
     HUGE_VAL,
     0,
     0.2,
     0,
     0,
     0,
     false,
     "unstable"},
    {"a valve that sticks",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 3, 50, 0},
     0.6,
     10,
     0,
     0.1,
     0,
     0.5,
     0,
     true,
     "stiction of 0.5 out-EU causes a limit cycle"},
    {"a slow integral in single precision",
     {RK_MODEL_FOPDT, 2, {4000, 0}, 0, 300, 50, 0},
     0.3,
     4000,
     0,
     0.01,
     0,
     0,
     0,
     true,
     "in single precision an error below"},
};

START_TEST(whole_loops_get_the_verdict_they_deserve)
{
    const double all[RK_MODEL_NUMBERS] = {
        loops[_i].model.gain, loops[_i].model.time_constant[0],
        loops[_i].model.time_constant[1], loops[_i].model.damping, loops[_i].model.dead_time};
    rk_check_plan plan = rk_check_plan_make();
    rk_design loop = rk_design_make();
    bool said = loops[_i].says == NULL;
    char told[2048] = "";
    rk_check check;
    rk_findings found;
    size_t i;

    loop.has_model = loop.has_settings = true;
    loop.model = loops[_i].model;
    loop.settings =
        rk_settings_make(loops[_i].kc, loops[_i].ti, loops[_i].td, 0.1 * loops[_i].td);
    loop.ts = loops[_i].ts;
    loop.pv_low = -50;
    loop.pv_high = 50;
    loop.out_low = 0;
    loop.out_high = 100;
    loop.plant.stiction = loops[_i].stiction > 0 ? loops[_i].stiction : QNAN;
    loop.delay_scans = loops[_i].delay_scans;
    for (i = 0; i < RK_MODEL_NUMBERS && loops[_i].sure > 0; i++) {
        memset(loop.covariance.c[i], 0, sizeof loop.covariance.c[i]);
        loop.covariance.c[i][i] = loops[_i].sure * loops[_i].sure * all[i] * all[i];
    }
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    found = rk_check_findings(&loop, &plan, &check);
    for (i = 0; i < found.count; i++) {
        const rk_finding *f = &found.list[i];

        said = said || (loops[_i].says != NULL && strstr(f->what, loops[_i].says) != NULL) ||
               (loops[_i].says != NULL && strstr(f->advice, loops[_i].says) != NULL);
        (void)snprintf(told + strlen(told), sizeof told - strlen(told), "%s; ", f->what);
    }
    ck_assert_msg(check.verdict.met == loops[_i].met, "%s: %s", loops[_i].fact, told);
    ck_assert_msg(said, "%s: %s", loops[_i].fact, told);
    ck_assert_msg(loops[_i].says != NULL || rk_findings_worst(&found) == RK_LEVEL_NOTE,
                  "%s: %s", loops[_i].fact, told);
}
END_TEST

/* The slowest scan keeps what is asked, and a slower one does not. */
START_TEST(the_slowest_scan_is_the_slowest)
{
    const rk_check_plan plan = rk_check_plan_make();
    rk_design loop = a_loop(2, 10, 5, 0.65, 10);
    rk_sampling sampling = {0, 0, RK_SCHEME_BACKWARD};
    rk_margins m;
    rk_check check;

    loop.ts = 0.2;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert(check.has_sampled && check.slowest_scan > 0.2);
    sampling.ts = 0.99 * check.slowest_scan;
    ck_assert_int_eq(
        rk_sampled_margins_compute(&loop.model, &loop.settings, &sampling, &m, NULL), RK_OK);
    ck_assert(m.gain_margin >= 2 && m.phase_margin >= 45 && m.ms <= 2);
    sampling.ts = 1.02 * check.slowest_scan;
    ck_assert_int_eq(
        rk_sampled_margins_compute(&loop.model, &loop.settings, &sampling, &m, NULL), RK_OK);
    ck_assert(m.gain_margin < 2 || m.phase_margin < 45 || m.ms > 2);
}
END_TEST

/* Which margins a loop has in continuous time, and whether a scan is there that keeps them. */
static const struct {
    const char *fact;
    double kc, ts, delay_scans;
    bool has_margins, kept;
} kept[] = {
    {"a calm loop keeps its margins", 0.65, 0.2, 0, true, true},
    {"with a delay too, at another scan", 0.65, 0.2, 2, true, true},
    {"one that has lost them at its scan has had them", 0.65, 8, 0, true, true},
    {"there is nothing to keep in one without any", 1.35, 0.2, 0, false, false},
    {"nor in an unstable one", 3, 0.2, 0, false, false},
};

START_TEST(a_scan_keeps_margins_only_where_there_are_some)
{
    const rk_check_plan plan = rk_check_plan_make();
    rk_design loop = a_loop(2, 10, 5, kept[_i].kc, 10);
    rk_sampling sampling = {0, 0, RK_SCHEME_BACKWARD};
    rk_margins m;
    rk_check check;

    loop.ts = kept[_i].ts;
    loop.delay_scans = kept[_i].delay_scans;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert_int_eq(check.has_margins, kept[_i].has_margins);
    ck_assert_int_eq(!isnan(check.slowest_scan), kept[_i].kept);
    if (!kept[_i].kept) return;
    sampling.ts = 0.99 * check.slowest_scan;
    sampling.delay = loop.delay_scans * sampling.ts;
    ck_assert_int_eq(
        rk_sampled_margins_compute(&loop.model, &loop.settings, &sampling, &m, NULL), RK_OK);
    ck_assert(m.gain_margin >= 2 && m.phase_margin >= 45 && m.ms <= 2);
}
END_TEST

/* What check must warn of. */
static const struct {
    const char *says;
    double kc, ti, td, tf, ts;
    rk_level level;
} warnings[] = {
    {"different signs", -1, 40, 0, 0, 1, RK_LEVEL_UNFIT},
    {"unstable with kc 4", 4, 40, 0, 0, 1, RK_LEVEL_UNFIT},
    {"less than two scans", 1, 40, 0, 0, 15, RK_LEVEL_CAUTION},
    {"shorter than the scan", 0.01, 2, 0, 0, 5, RK_LEVEL_UNFIT},
    {"no filter", 0.5, 40, 3, 0, 1, RK_LEVEL_CAUTION},
    {"without integral action", 1, HUGE_VAL, 0, 0, 1, RK_LEVEL_NOTE},
};

START_TEST(doubtful_settings_are_named)
{
    rk_design loop = a_loop(2, 40, 10, warnings[_i].kc, warnings[_i].ti);
    bool named = false;
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;
    rk_findings found;
    size_t i;

    loop.settings.td = warnings[_i].td;
    loop.settings.tf = warnings[_i].tf;
    loop.ts = warnings[_i].ts;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    found = rk_check_findings(&loop, &plan, &check);
    for (i = 0; i < found.count; i++) {
        const rk_finding *f = &found.list[i];

        named = named ||
                (strstr(f->what, warnings[_i].says) != NULL && f->level == warnings[_i].level);
    }
    ck_assert_msg(named, "nothing said '%s'", warnings[_i].says);
    if (warnings[_i].level == RK_LEVEL_UNFIT) {
        ck_assert(!check.verdict.met);
    }
}
END_TEST

/* P-only on an integrator follows its setpoint; a load of 1 out-EU leaves 1/kc. */
START_TEST(p_only_on_an_integrator_is_off_under_a_load_alone)
{
    rk_design loop = a_loop(2, 40, 10, 0.02, HUGE_VAL);
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;
    rk_findings found;

    loop.model.kind = RK_MODEL_IPDT;
    loop.model.time_constant[0] = 0;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert(check.margins.stable);
    found = rk_check_findings(&loop, &plan, &check);
    ck_assert_uint_eq(found.count, 1);
    ck_assert_ptr_nonnull(strstr(found.list[0].what, "a load of 1 out-EU leaves PV off"));
    ck_assert_ptr_nonnull(strstr(found.list[0].what, "1/kc = 50 "));
}
END_TEST

/* Loops that do not hang together. */
static void action_against_kc(rk_design *l)
{
    l->action = RK_ACTION_DIRECT;
}
static void scan_zero(rk_design *l)
{
    l->ts = 0;
}
static void pv_range_turned(rk_design *l)
{
    l->pv_low = 20;
    l->pv_high = 0;
}
static void out_range_half(rk_design *l)
{
    l->out_low = 0;
}
static void rate_zero(rk_design *l)
{
    l->out_rate = 0;
}
static void tau_negative(rk_design *l)
{
    l->model.time_constant[0] = -1;
}
static void ti_zero(rk_design *l)
{
    l->settings.ti = 0;
}
static void step_zero(rk_design *l)
{
    l->requirements.sp_step = 0;
}
static void noise_negative(rk_design *l)
{
    l->noise = -1;
}
static void noise_asked_not_known(rk_design *l)
{
    l->requirements.limit[RK_REQUIRE_OUT_NOISE] = 1;
}
static void no_model(rk_design *l)
{
    l->has_model = false;
}

static const struct {
    void (*spoil)(rk_design *);
    const char *says;
} spoilt[] = {
    {action_against_kc, "direct"},
    {scan_zero, "scan"},
    {pv_range_turned, "wrong way round"},
    {out_range_half, "both"},
    {rate_zero, "rate"},
    {tau_negative, "time constant"},
    {ti_zero, "ti"},
    {step_zero, "not 0"},
    {noise_negative, "noise -1"},
    {noise_asked_not_known, "PV's noise is not known"},
    {no_model, "needs a model"},
};

START_TEST(loops_that_do_not_hang_together_are_refused)
{
    rk_design loop = a_loop(2, 40, 10, 1, 40);
    rk_diag diag = {RK_OK, ""};
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;

    spoilt[_i].spoil(&loop);
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, spoilt[_i].says) != NULL, "%s", diag.text);
    ck_assert_int_eq(rk_check_compute(NULL, &plan, &check, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_check_compute(&loop, &plan, NULL, NULL), RK_ERR_ARG);
}
END_TEST

START_TEST(requirements_convert_and_refuse)
{
    rk_requirements r = rk_requirements_default();
    rk_require what;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        ck_assert_int_eq(rk_require_from_text(rk_require_to_text((rk_require)i), &what, NULL),
                         RK_OK);
        ck_assert_int_eq((int)what, i);
    }
    ck_assert_int_eq(rk_require_from_text("beauty", &what, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_requirements_set(&r, RK_REQUIRE_MS, 0, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_requirements_set(&r, RK_REQUIRE_MS, QNAN, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_requirements_set(&r, RK_REQUIRE_OVERSHOOT, 0, NULL), RK_OK);
    ck_assert_int_eq(rk_requirements_set(&r, RK_REQUIRE_COUNT, 1, NULL), RK_ERR_ARG);
    ck_assert(rk_requirements_need_trial(&r));
}
END_TEST

/* The steps of [require], or 5 % of the ranges to the side where OUT has room. */
START_TEST(requirements_are_asked_of_steps_that_fit_the_loop)
{
    rk_design loop = a_loop(2, 40, 10, 1, 40);

    ck_assert_double_eq(rk_design_requirements(&loop).sp_step, 1);
    ck_assert_double_eq(rk_design_requirements(&loop).load_step, 1);
    loop.pv_low = 0;
    loop.pv_high = 200;
    loop.out_low = 0;
    loop.out_high = 100;
    loop.model.out0 = 97; /* 10 up needs 5 more */
    ck_assert_double_eq(rk_design_requirements(&loop).sp_step, -10);
    ck_assert_double_eq(rk_design_requirements(&loop).load_step, 5);
    ck_assert_double_eq(rk_design_conditions(&loop).limits.high, 100);
    ck_assert(isnan(rk_design_requirements(&loop).limit[RK_REQUIRE_OUT_NOISE]));
    loop.model.out0 = 0; /* not within the limits: not known */
    loop.noise = 0.1;
    ck_assert_double_eq(rk_design_conditions(&loop).limits.high, rk_limits_none().high);
    ck_assert_double_eq(rk_design_requirements(&loop).limit[RK_REQUIRE_OUT_NOISE], 1);
    loop.requirements.sp_step = 3;
    ck_assert_double_eq(rk_design_requirements(&loop).sp_step, 3);
    ck_assert_str_eq(rk_design_require_unit(&loop, RK_REQUIRE_SETTLING), "s");
    ck_assert_str_eq(rk_design_require_unit(&loop, RK_REQUIRE_PEAK), "pv-EU");
    ck_assert_str_eq(rk_design_require_unit(&loop, RK_REQUIRE_TRAVEL), "out-EU");
    ck_assert_str_eq(rk_design_require_unit(&loop, RK_REQUIRE_MS), "");
}
END_TEST

START_TEST(gain_in_percent_of_span_needs_both_ranges)
{
    rk_design loop = a_loop(-0.118, 46.5, 17.4, -11, 46.5);

    ck_assert(isnan(rk_design_gain_pct(&loop, -0.118)));
    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.out_low = 0;
    loop.out_high = 100;
    ck_close(rk_design_gain_pct(&loop, -0.118), -0.59, 1e-12);
}
END_TEST

/* Shortest decimals that read back as the same double, always with a point. */
static const struct {
    double value;
    const char *text;
} decimals[] = {
    {0, "0.0"},
    {42, "42.0"},
    {-0.118, "-0.118"},
    {0.1, "0.1"},
    {1.0 / 3.0, "0.3333333333333333"},
    {1e-7, "1.0e-07"},
    {1.5e-7, "1.5e-07"},
    {1e300, "1.0e+300"},
    {123456789, "123456789.0"},
    {0.1 + 0.2, "0.30000000000000004"},
};

START_TEST(numbers_are_written_to_be_read_back)
{
    rk_text *text = rk_text_create();
    char chars[RK_REAL_CHARS];

    rk_real_format(decimals[_i].value, chars);
    ck_assert_str_eq(chars, decimals[_i].text);
    rk_text_add(text, "x = ");
    rk_text_add_real(text, decimals[_i].value);
    ck_assert_int_eq(rk_text_check(text, NULL), RK_OK);
    ck_assert_str_eq(rk_text_chars(text) + 4, decimals[_i].text);
    ck_assert_uint_eq(rk_text_length(text), 4 + strlen(decimals[_i].text));
    rk_text_free(text);
    ck_assert_int_eq(rk_text_check(NULL, NULL), RK_ERR_MEMORY);
}
END_TEST

Suite *suite_check(void)
{
    Suite *suite = suite_create("design/check");
    TCase *t = tcase_create("check");

    add_some(t, verdict_is_what_an_engineer_would_say, COUNT(verdicts));
    add_table(t, whole_loops_get_the_verdict_they_deserve, loops);
    tcase_add_test(t, the_slowest_scan_is_the_slowest);
    add_table(t, a_scan_keeps_margins_only_where_there_are_some, kept);
    add_table(t, doubtful_settings_are_named, warnings);
    tcase_add_test(t, p_only_on_an_integrator_is_off_under_a_load_alone);
    add_table(t, loops_that_do_not_hang_together_are_refused, spoilt);
    tcase_add_test(t, requirements_convert_and_refuse);
    tcase_add_test(t, requirements_are_asked_of_steps_that_fit_the_loop);
    tcase_add_test(t, gain_in_percent_of_span_needs_both_ranges);
    add_table(t, numbers_are_written_to_be_read_back, decimals);
    suite_add_tcase(suite, t);
    return suite;
}
