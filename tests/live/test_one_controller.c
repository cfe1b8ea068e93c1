/* SPDX-License-Identifier: MIT */
/* The loop that was designed is the loop that runs: each controller is tried, judged, emitted,
   proven, run live and saved, and is the same controller everywhere. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "../support/support.h"

/* Times are for a scan of 1 s, and are stretched with it: a tight loop on a process of some 40 scans. */
static const struct {
    const char *fact;
    double scan, gain;
    rk_model_kind kind;
    const char *settings; /* keys of [settings], and out-rate */
} controllers[] = {
    {"PI", 1, -0.1, RK_MODEL_FOPDT, "kc=-9 ti=40"},
    {"P with a bias", 0.1, 0.1, RK_MODEL_FOPDT, "kc=7 bias=47 tracking-time=20"},
    {"P about the operating point", 1, 0.1, RK_MODEL_FOPDT, "kc=7"},
    {"PD", 10, -0.1, RK_MODEL_FOPDT, "kc=-7 td=5 tf=0.5 d-sp-weight=0.3"},
    {"PID, its filter by default", 0.01, 0.1, RK_MODEL_FOPDT, "kc=9 ti=40 td=7"},
    {"PID without a filter", 0.5, 0.1, RK_MODEL_FOPDT, "kc=4 ti=40 td=7 tf=0"},
    {"PI, deadband", 1, -0.1, RK_MODEL_FOPDT, "kc=-9 ti=40 deadband=0.05"},
    {"PI, setpoint rate", 0.001, 0.1, RK_MODEL_FOPDT, "kc=9 ti=40 sp-rate=0.01"},
    {"PID, weights", 5, -0.1, RK_MODEL_FOPDT,
     "kc=-9 ti=40 td=7 tf=0.7 sp-weight=0.4 d-sp-weight=0.6"},
    {"PI, filter, rate, conditional", 0.2, 0.1, RK_MODEL_FOPDT,
     "kc=9 ti=40 pv-filter=3 anti-windup=conditional out-rate=1.5"},
    {"PI, no anti-windup", 2, 0.1, RK_MODEL_FOPDT, "kc=9 ti=40 anti-windup=none"},
    {"PI, predictor", 1, -0.1, RK_MODEL_FOPDT, "kc=-15 ti=40 predictor=yes"},
    {"PID, predictor, two lags", 0.05, 0.1, RK_MODEL_SOPDT,
     "kc=12 ti=50 td=6 tf=0.6 predictor=yes"},
    {"PI, predictor, underdamped", 10, 0.1, RK_MODEL_SOPDT_OSC,
     "kc=3 ti=20 predictor=yes pv-filter=2"},
    {"on/off, direct", 1, -0.1, RK_MODEL_FOPDT, "on-off=0.1"},
    {"on/off, reverse, filter", 0.1, 0.1, RK_MODEL_FOPDT, "on-off=0.2 pv-filter=2"},
    {"PID, velocity, trapezoid", 1, 0.1, RK_MODEL_FOPDT,
     "kc=9 ti=40 td=7 tf=0.7 algorithm=velocity integral-by=trapezoid derivative-by=trapezoid"},
    {"PI, forward, an integrator", 1, 0.004, RK_MODEL_IPDT, "kc=8 ti=90 integral-by=forward"},
    {"all of it", 0.5, -0.1, RK_MODEL_FOPDT,
     "kc=-12 ti=40 td=6 tf=0.9 sp-weight=0.7 d-sp-weight=0.2 deadband=0.02 sp-rate=0.05 "
     "pv-filter=1.5 tracking-time=12 predictor=yes out-rate=4"},
};

static void set_word(rk_design *d, const char *word)
{
    char key[32], value[32];
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(sscanf(word, "%31[^=]=%31s", key, value), 2);
    ck_assert_msg(rk_design_set(d, strcmp(key, "out-rate") == 0 ? "out" : "settings",
                                strcmp(key, "out-rate") == 0 ? "rate" : key, value,
                                &diag) == RK_OK,
                  "%s: %s", word, diag.text);
}

/* Of a number that was not given the stretched one is not given either. */
static void stretch(rk_design *d, double by)
{
    rk_settings *s = &d->settings;
    rk_model *m = &d->model;

    d->ts *= by;
    m->time_constant[0] *= by;
    m->time_constant[1] *= by;
    m->dead_time *= by;
    m->gain /= rk_model_kind_integrates(m->kind) ? by : 1;
    s->ti *= by;
    s->td *= by;
    s->tf *= by;
    s->tt *= by;
    s->pv_filter *= by;
    s->sp_rate /= by;
    d->out_rate /= by;
}

static rk_design loop_of(int row)
{
    rk_design d = rk_design_make();
    char words[256], *word, *rest = NULL;
    rk_diag diag = {RK_OK, ""};

    strcpy(d.name, "Blend Brix");
    d.ts = 1;
    d.pv_low = 0;
    d.pv_high = 20;
    d.out_low = 0;
    d.out_high = 100;
    d.has_model = true;
    d.model =
        (rk_model){controllers[row].kind, controllers[row].gain, {40, 0}, 0, 12.4, 42, 11.8};
    d.model.time_constant[1] = controllers[row].kind == RK_MODEL_SOPDT ? 15 : 0;
    d.model.damping = controllers[row].kind == RK_MODEL_SOPDT_OSC ? 0.5 : 0;
    if (controllers[row].kind == RK_MODEL_IPDT) {
        d.model.time_constant[0] = 0;
    }
    (void)snprintf(words, sizeof words, "%s", controllers[row].settings);
    for (word = strtok_r(words, " ", &rest); word != NULL; word = strtok_r(NULL, " ", &rest)) {
        set_word(&d, word);
    }
    ck_assert_msg(rk_design_settle(&d, &diag) == RK_OK, "%s", diag.text);
    stretch(&d, controllers[row].scan);
    d.has_plant = true;
    d.plant.model = d.model;
    ck_assert_msg(rk_design_check(&d, &diag) == RK_OK, "%s", diag.text);
    return d;
}

/* Every key of [settings] as it is written. */
static void same_settings(const rk_design *a, const rk_design *b, const char *fact)
{
    size_t i;

    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);
        rk_text *x = rk_text_create(), *y = rk_text_create();

        if (strcmp(key->section, "settings") == 0) {
            ck_assert_int_eq(rk_design_get(a, "settings", key->name, x, NULL), RK_OK);
            ck_assert_int_eq(rk_design_get(b, "settings", key->name, y, NULL), RK_OK);
            ck_assert_msg(strcmp(rk_text_chars(x), rk_text_chars(y)) == 0, "%s: %s: '%s', '%s'",
                          fact, key->name, rk_text_chars(x), rk_text_chars(y));
        }
        rk_text_free(x);
        rk_text_free(y);
    }
}

START_TEST(it_is_saved_and_read_back_unchanged)
{
    rk_design loop = loop_of(_i), back;
    char *scratch = scratch_make();
    const char *path = path_in(scratch, "one.loop");
    rk_diag diag = {RK_OK, ""};

    put_file(path, "[loop]\naction = direct\n");
    if (loop.model.gain > 0) {
        put_file(path, "[loop]\naction = reverse\n");
    }
    ck_assert_msg(rk_design_save_settings(path, &loop, &diag) == RK_OK, "%s", diag.text);
    ck_assert_msg(rk_design_read(path, &back, &diag) == RK_OK, "%s", diag.text);
    if (!rk_settings_is_on_off(&loop.settings)) { /* as the file has them */
        loop.given = rk_given_settings_make();
        loop.given.kc = loop.settings.kc;
        loop.given.ti = loop.settings.ti;
        loop.given.td = loop.settings.td > 0 ? loop.settings.td : QNAN;
        loop.given.tf = loop.settings.td > 0 ? loop.settings.tf : QNAN;
    }
    same_settings(&loop, &back, controllers[_i].fact);
    ck_assert_double_eq(back.settings.kc, loop.settings.kc);
    ck_assert(back.settings.ti == loop.settings.ti && back.settings.tf == loop.settings.tf);
    scratch_free(scratch);
}
END_TEST

START_TEST(it_is_tried_and_judged)
{
    const rk_design loop = loop_of(_i);
    const rk_trial_case c = rk_trial_case_of(&loop, false);
    const rk_check_plan how = rk_check_plan_make();
    rk_trial_plan plan = {.sp_step = 0.5,
                          .duration = 400 * loop.ts,
                          .band = 0.02,
                          .load_step = 3,
                          .load_at = 200 * loop.ts};
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;
    rk_check check;

    ck_assert_msg(rk_trial_create(&c, &plan, &trial, &diag) == RK_OK, "%s", diag.text);
    ck_assert(isfinite(rk_trial_results(trial)->setpoint.iae));
    ck_assert_double_gt(rk_trial_results(trial)->travel, 0);
    rk_trial_free(trial);
    if (rk_settings_is_on_off(&loop.settings)) {
        ck_assert_int_eq(rk_check_compute(&loop, &how, &check, &diag), RK_ERR_RANGE);
        ck_assert_ptr_nonnull(strstr(diag.text, "two-position control"));
        return;
    }
    ck_assert_msg(rk_check_compute(&loop, &how, &check, &diag) == RK_OK, "%s", diag.text);
    ck_assert(check.margins.stable && check.has_sampled && check.sampled.stable);
}
END_TEST

/* The texts of a loop, in one number type. */
/* The block for all loops with the loop's program, and the slim one; this in C too. */
static bool is_proven_here(rk_program_file f, bool compile)
{
    const bool st = f == RK_PROGRAM_GENERAL_ST || f == RK_PROGRAM_PROGRAM ||
                    f == RK_PROGRAM_PLANT_ST || f == RK_PROGRAM_XML || f == RK_PROGRAM_SLIM_ST;
    const bool c = f == RK_PROGRAM_PLANT_H || f == RK_PROGRAM_PLANT_C ||
                   f == RK_PROGRAM_SLIM_H || f == RK_PROGRAM_SLIM_C;

    return st || (c && compile);
}

static void prove(const rk_design *loop, rk_number number, bool compile, const char *fact)
{
    const rk_prove_plan plan = {.scans = compile ? 3000 : 500, .compile = compile};
    rk_text *text[RK_PROGRAM_FILES] = {NULL};
    rk_program program = {.text = {NULL}};
    char words[RK_PROOF_WORDS_CHARS];
    rk_diag diag = {RK_OK, ""};
    rk_proof proof;
    size_t i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        const rk_program_file f = (rk_program_file)i;

        if (!is_proven_here(f, compile) || !rk_program_has(loop, f)) continue;
        text[i] = rk_text_create();
        ck_assert_msg(rk_program_text(loop, f, number, text[i], &diag) == RK_OK, "%s: %s", fact,
                      diag.text);
        program.text[i] = rk_text_chars(text[i]);
    }
    ck_assert_msg(rk_proof_compute(loop, &program, &plan, &proof, &diag) == RK_OK, "%s",
                  diag.text);
    for (i = 0; i < proof.parts; i++) {
        rk_proof_part_words(&proof.part[i], words);
        ck_assert_msg(proof.part[i].ran && proof.part[i].mismatches == 0, "%s: %s: %s", fact,
                      proof.part[i].what, words);
    }
    ck_assert(proof.proven);
    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        rk_text_free(text[i]);
    }
}

START_TEST(it_is_emitted_and_proven)
{
    const rk_design loop = loop_of(_i);

    prove(&loop, RK_NUMBER_LREAL, false, controllers[_i].fact);
    prove(&loop, RK_NUMBER_REAL, false, controllers[_i].fact);
}
END_TEST

/* Compiling takes most of the time: every third, in one number type. */
START_TEST(it_is_proven_in_c_too)
{
    const int row = 3 * _i;
    const rk_design loop = loop_of(row);

    prove(&loop, (rk_number)(_i % RK_NUMBERS), true, controllers[row].fact);
}
END_TEST

/* A port that remembers what went through it in a scan. */
typedef struct tap {
    rk_port inner;
    double pv, out;
} tap;

static rk_status read_pv(void *user, rk_real *pv)
{
    tap *t = user;
    const rk_status status = t->inner.read_pv(t->inner.user, pv);

    t->pv = *pv;
    return status;
}

static rk_status write_out(void *user, rk_real out)
{
    tap *t = user;

    t->out = out;
    return t->inner.write_out(t->inner.user, out);
}

static rk_status read_out(void *user, rk_real *out)
{
    const tap *t = user;

    return t->inner.read_out(t->inner.user, out);
}

/* What happens in a run, a scan each. */
static const struct {
    int scan;
    const char *event;
} events[] = {
    {40, "sp=12.3"}, {160, "load=3"}, {300, "manual=50"}, {340, "auto"}, {420, "sp=11.6"}};

/* The live loop beside the controller of trials and proofs, which sees the same PV: to the bit. */
START_TEST(it_runs_live_as_it_was_tried)
{
    const rk_design loop = loop_of(_i);
    const rk_limits limits = rk_design_limits(&loop);
    tap t;
    rk_live_port port = {{&t, read_pv, write_out, read_out}, NULL, NULL};
    rk_sim_plant *plant = NULL;
    rk_live *live = NULL;
    rk_controller beside;
    rk_diag diag = {RK_OK, ""};
    double sp = 11.8;
    size_t next = 0;
    int scan;

    ck_assert_msg(rk_sim_plant_create(&loop, &plant, &diag) == RK_OK, "%s", diag.text);
    t.inner = rk_sim_plant_port(plant);
    port.plant = plant;
    ck_assert_msg(rk_live_create(&loop, &port, HUGE_VAL, &live, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_msg(rk_controller_create(&loop.settings, &limits, &loop.model, loop.ts, &beside,
                                       &diag) == RK_OK,
                  "%s", diag.text);
    ck_assert_int_eq(rk_controller_start(&beside, 42), RK_OK);
    for (scan = 0; scan < 600; scan++) {
        rk_event e;
        double out;

        if (next < COUNT(events) && events[next].scan == scan) {
            ck_assert_int_eq(rk_event_parse(events[next].event, &e, &diag), RK_OK);
            ck_assert_msg(rk_live_do(live, &e, &diag) == RK_OK, "%s", diag.text);
            sp = e.kind == RK_EVENT_SETPOINT ? e.value : sp;
            if (e.kind == RK_EVENT_MANUAL || e.kind == RK_EVENT_AUTO) {
                rk_controller_mode(&beside, e.kind == RK_EVENT_AUTO, e.value);
            }
            next++;
        }
        rk_live_scan(live, loop.ts);
        out = rk_controller_scan(&beside, sp, t.pv);
        ck_assert_msg(memcmp(&out, &t.out, sizeof out) == 0,
                      "%s: scan %d: live %.17g, not %.17g", controllers[_i].fact, scan, t.out,
                      out);
        rk_sim_plant_advance(plant);
    }
    ck_assert(beside.pid.out >= 0 && beside.pid.out <= 100);
    rk_controller_free(&beside);
    rk_live_free(live);
    rk_sim_plant_free(plant);
}
END_TEST

/* A trial, the plant behind the simulated port and the plant as the emitted twin computes it: to the
   bit, of models and of a process made of parts. */
static const struct {
    rk_model plant;
    double kc, ti, ts;
} plants[] = {
    {{RK_MODEL_FOPDT, -0.1, {40, 0}, 0, 12.4, 42, 11.8}, -9, 40, 1},
    {{RK_MODEL_SOPDT, 0.1, {40, 15}, 0, 12.4, 42, 11.8}, 9, 40, 0.7},
    {{RK_MODEL_IPDT, 0.004, {0, 0}, 0, 12.4, 42, 11.8}, 8, 90, 3},
    {{RK_MODEL_PROCESS, 0.1, {0}, 0, 6.3, 42, 11.8, 3, {4, 46, 6}}, 9, 40, 1},
    {{RK_MODEL_PROCESS, 0.1, {0}, 0, 0, 42, 11.8, 8, {1, 2, 3, 4, 3, 2, 1, 0.1}, 3}, 3, 20, 2},
    {{RK_MODEL_PROCESS_INTEGRATING, 0.004, {0}, 0, 2, 42, 11.8, 2, {4, 6}}, 8, 90, 0.3},
};

START_TEST(trial_port_and_twin_are_one_plant)
{
    const rk_settings s = rk_settings_make(plants[_i].kc, plants[_i].ti, 0, 0);
    const double ts = plants[_i].ts;
    rk_design d = rk_design_make();
    rk_trial_case c;
    const rk_trial_plan plan = {.sp_step = 0.5, .duration = 500 * ts, .band = 0.02};
    rk_sim_plant *sim = NULL;
    rk_model_plant twin;
    rk_trial *trial = NULL;
    rk_port port;
    rk_diag diag = {RK_OK, ""};
    size_t per_scan, scan;

    d.ts = ts;
    d.out_low = 0;
    d.out_high = 100;
    d.has_plant = d.has_process = true;
    d.process = d.plant.model = plants[_i].plant;
    d.settings = s;
    c = rk_trial_case_of(&d, false);
    c.model = plants[_i].plant;
    ck_assert_msg(rk_trial_create(&c, &plan, &trial, &diag) == RK_OK, "%s", diag.text);
    ck_assert_msg(rk_sim_plant_create(&d, &sim, &diag) == RK_OK, "%s", diag.text);
    ck_assert_int_eq(rk_model_plant_create(&plants[_i].plant, ts, &twin, NULL), RK_OK);
    port = rk_sim_plant_port(sim);
    per_scan = (rk_trial_points(trial) - 1) / rk_trial_scans(trial);
    for (scan = 0; scan < rk_trial_scans(trial); scan++) {
        const double out = rk_trial_out(trial)[scan];
        double pv = 0;

        ck_assert_int_eq(port.read_pv(port.user, &pv), RK_OK);
        ck_assert_double_eq(pv, rk_trial_pv(trial)[scan * per_scan]);
        ck_assert_int_eq(port.write_out(port.user, out), RK_OK);
        rk_sim_plant_advance(sim);
        ck_assert_double_eq(rk_plant_scan(&twin.plant, out),
                            rk_trial_pv(trial)[(scan + 1) * per_scan]);
    }
    rk_model_plant_free(&twin);
    rk_sim_plant_free(sim);
    rk_trial_free(trial);
}
END_TEST

/* A predictor and a switch come and go while a loop runs; what cannot be is refused. */
START_TEST(a_predictor_comes_and_goes_without_a_bump)
{
    const rk_design loop = loop_of(0);
    rk_sim_plant *plant = NULL;
    rk_live *live = NULL;
    rk_diag diag = {RK_OK, ""};
    double before;
    rk_live_port port = {{NULL, NULL, NULL, NULL}, NULL, NULL};
    rk_event e;
    int scan;

    ck_assert_int_eq(rk_sim_plant_create(&loop, &plant, NULL), RK_OK);
    port.plant = plant;
    port.seam = rk_sim_plant_port(plant);
    ck_assert_int_eq(rk_live_create(&loop, &port, HUGE_VAL, &live, NULL), RK_OK);
    for (scan = 0; scan < 900; scan++) {
        before = rk_live_last(live).out;
        if (scan == 300 || scan == 600) {
            ck_assert_int_eq(
                rk_event_parse(scan == 300 ? "predictor=yes" : "predictor=no", &e, NULL),
                RK_OK);
            ck_assert_msg(rk_live_do(live, &e, &diag) == RK_OK, "%s", diag.text);
        }
        rk_live_scan(live, 1);
        if (scan == 300 || scan == 600) {
            ck_assert_double_eq_tol(rk_live_last(live).out, before, 0.01);
        }
        rk_sim_plant_advance(plant);
    }
    ck_assert_double_eq_tol(rk_live_last(live).pv, 11.8, 0.01);
    ck_assert_int_eq(rk_event_parse("on-off=0.1", &e, NULL), RK_OK);
    ck_assert_int_ne(rk_live_do(live, &e, &diag), RK_OK);
    ck_assert_ptr_nonnull(strstr(diag.text, "on-off is two-position control"));
    rk_live_free(live);
    rk_sim_plant_free(plant);
}
END_TEST

Suite *suite_one_controller(void);

Suite *suite_one_controller(void)
{
    Suite *suite = suite_create("one controller");
    TCase *t = tcase_create("one"), *compiled = tcase_create("compiled");

    tcase_set_timeout(t, 60);
    add_table(t, it_is_saved_and_read_back_unchanged, controllers);
    add_table(t, it_is_tried_and_judged, controllers);
    add_some(t, it_is_emitted_and_proven, COUNT(controllers));
    add_table(t, it_runs_live_as_it_was_tried, controllers);
    add_table(t, trial_port_and_twin_are_one_plant, plants);
    tcase_add_test(t, a_predictor_comes_and_goes_without_a_bump);
    suite_add_tcase(suite, t);
    tcase_set_tags(compiled, "processes");
    tcase_set_timeout(compiled, 60);
    tcase_add_loop_test(compiled, it_is_proven_in_c_too, 0, (COUNT(controllers) + 2) / 3);
    suite_add_tcase(suite, compiled);
    return suite;
}
