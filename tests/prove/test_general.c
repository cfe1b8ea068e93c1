/* SPDX-License-Identifier: MIT */
/* The function block of all loops in the stand-in PLC, beside rk_loop on a port: settings, modes,
   failures, read-backs and nonsense at random, every output of every scan bit for bit. */
#include <float.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"

enum { RUNS = 40, RUN_SCANS = 300, PINS = 64 };

typedef struct block_pins {
    rk_plc_variable setting[PINS], input[PINS], output[PINS];
} block_pins;

static void find_pins(rk_plc *plc, rk_plc_instance *block, const rk_rig_pin *list,
                      rk_plc_variable *found)
{
    for (; list->name != NULL; list++, found++) {
        ck_assert_msg(rk_plc_find(plc, block, list->name, found, NULL) == RK_OK, "no pin %s",
                      list->name);
    }
}

static void put_pins(const rk_rig_pin *list, const void *of, const rk_plc_variable *pins)
{
    for (; list->name != NULL; list++, pins++) {
        const double value = rk_rig_pin_get(list, of);

        if (list->kind == RK_RIG_REAL) {
            pins->at->real = pins->kind == RK_PLC_REAL ? (double)(float)value : value;
        } else {
            pins->at->whole = (int64_t)value;
        }
    }
}

static bool happens(rng *r, double part)
{
    return rng_uniform(r) < part;
}

static double between(rng *r, double low, double high)
{
    return low + ((high - low) * rng_uniform(r));
}

/* Times spread evenly over decades. */
static double decades(rng *r, double from, double count)
{
    return from * pow(10, count * rng_uniform(r));
}

static double perhaps_none(rng *r, double value)
{
    const double u = rng_uniform(r);

    return u < 0.01 ? QNAN : u < 0.015 ? HUGE_VAL : u < 0.02 ? -HUGE_VAL : value;
}

/* Sound settings of every sort; ts stays. */
static void draw_settings(rng *r, rk_rig_settings *s)
{
    const double ts = s->scan;

    s->kc = (happens(r, 0.5) ? -1 : 1) * decades(r, 0.03, 3);
    s->ti = happens(r, 0.15) ? 0 : decades(r, ts, 2.5);
    s->td = happens(r, 0.4) ? 0 : ts * between(r, 0, 5);
    s->tf = happens(r, 0.3) ? 0 : ts * between(r, 0.5, 1.5);
    s->sp_weight = happens(r, 0.5) ? 1 : rng_uniform(r);
    s->d_sp_weight = happens(r, 0.5) ? 0 : rng_uniform(r);
    s->deadband = happens(r, 0.7) ? 0 : between(r, 0, 3);
    s->tracking_time = happens(r, 0.5) ? 0 : ts * between(r, 1, 20);
    s->anti_windup = (int)between(r, 0, 3);
    s->integral_by = happens(r, 0.6) ? 0 : (int)between(r, 0, 3);
    s->derivative_by = happens(r, 0.3) && 2 * s->tf >= ts;
    s->velocity = happens(r, 0.2) && s->ti > 0;
    s->biased = happens(r, 0.3) && s->tracking_time > 0;
    s->bias = between(r, 30, 70);
    s->two_position = happens(r, 0.1);
    s->hysteresis = between(r, 0, 3);
    s->pv_filter = happens(r, 0.5) ? 0 : ts * between(r, 0, 5);
    s->out_low = happens(r, 0.5) ? 0 : between(r, 0, 10);
    s->out_high = happens(r, 0.5) ? 100 : between(r, 90, 100);
    s->out_rate = happens(r, 0.5) ? 0 : between(r, 0.01, 30) / ts;
    s->out_safe = 20;
    s->sp_low = happens(r, 0.7) ? -1e30 : 10;
    s->sp_high = happens(r, 0.7) ? 1e30 : 60;
    s->sp_rate = happens(r, 0.5) ? 0 : between(r, 0.01, 10) / ts;
    s->pv_low = -50;
    s->pv_high = 150;
    s->hold_time = happens(r, 0.4) ? -1 : ts * between(r, 0, 5);
    s->stale_time = happens(r, 0.5) ? 0 : ts * between(r, 3, 7);
    s->alarm_low = happens(r, 0.3) ? -1e30 : 5;
    s->alarm_high = happens(r, 0.3) ? 1e30 : 70;
    s->alarm_deviation = happens(r, 0.5) ? 0 : between(r, 0.1, 20);
    s->alarm_gap = between(r, 0, 3);
    s->kc_low = happens(r, 0.5) ? 0 : between(r, -20, 0);
    s->kc_high = happens(r, 0.5) ? 0 : between(r, 0, 20);
}

/* One setting out of its range, in either direction where there are two. */
static void spoil(rng *r, rk_rig_settings *s)
{
    static const struct {
        const char *name;
        double value;
    } nonsense[] = {
        {"scan", 0},
        {"scan", -1},
        {"kc", 0},
        {"ti", -1},
        {"ti", 1e-6},
        {"td", -1},
        {"tf", -1},
        {"sp_weight", -0.1},
        {"sp_weight", 1.1},
        {"d_sp_weight", -0.1},
        {"d_sp_weight", 1.1},
        {"deadband", -1},
        {"anti_windup", -1},
        {"anti_windup", 3},
        {"integral_by", -1},
        {"integral_by", 3},
        {"derivative_by", -1},
        {"derivative_by", 2},
        {"hysteresis", -1},
        {"pv_filter", -1},
        {"out_low", 100},
        {"out_high", 0},
        {"out_rate", -1},
        {"out_safe", -1},
        {"out_safe", 101},
        {"sp_low", 2e30},
        {"sp_rate", -1},
        {"pv_low", 150},
        {"stale_time", -1},
        {"alarm_low", 1e30},
        {"alarm_high", -1e30},
        {"alarm_deviation", -1},
        {"alarm_gap", -1},
    };
    const rk_rig_pin *pin = rk_rig_setting_pins;
    const size_t which = (size_t)between(r, 0, (double)COUNT(nonsense));

    if (happens(r, 0.4)) { /* NaN or infinite, any of them */
        int skip = (int)between(r, 0, 30);

        while (skip-- > 0 || pin->kind != RK_RIG_REAL) {
            pin++;
        }
        rk_rig_pin_set(pin, s, happens(r, 0.7) ? QNAN : HUGE_VAL);
        return;
    }
    while (strcmp(pin->name, nonsense[which].name) != 0) {
        pin++;
    }
    rk_rig_pin_set(pin, s, nonsense[which].value);
}

static void draw_input(rng *r, const rk_rig_settings *s, rk_rig_input *in, double *pv)
{
    if (happens(r, 0.03)) {
        in->automatic = happens(r, 0.5);
        in->tracking = happens(r, 0.2);
    }
    if (happens(r, 0.05)) {
        in->manual_out = perhaps_none(r, between(r, -10, 110));
    }
    if (happens(r, 0.05)) {
        in->track_out = perhaps_none(r, between(r, -10, 110));
    }
    if (happens(r, 0.05)) {
        in->sp = perhaps_none(r, between(r, 0, 80));
    }
    if (happens(r, 0.05)) {
        in->feedforward = perhaps_none(r, between(r, 0, 10));
    }
    if (happens(r, 0.8)) {
        *pv += between(r, -2, 2);
    } else if (happens(r, 0.05)) {
        *pv = between(r, -60, 160);
    }
    in->pv = perhaps_none(r, *pv);
    in->pv_good = happens(r, 0.98);
    in->valve_known = happens(r, 0.1);
    in->valve_out = perhaps_none(r, between(r, -5, 105));
    in->applied_known = happens(r, 0.1);
    in->applied = perhaps_none(r, between(r, -5, 105));
    in->elapsed = happens(r, 0.05) ? s->scan * between(r, -0.1, 3) : 0;
    in->restart = happens(r, 0.005);
}

static void check_outputs(const rk_rig_output *wanted, const rk_plc_variable *pins, int run,
                          int scan)
{
    const rk_rig_pin *pin;

    for (pin = rk_rig_output_pins; pin->name != NULL; pin++, pins++) {
        const double a = rk_rig_pin_get(pin, wanted);
        const double b = pin->kind == RK_RIG_REAL ? pins->at->real : (double)pins->at->whole;

        ck_assert_msg(memcmp(&a, &b, sizeof a) == 0 || (isnan(a) && isnan(b)),
                      "run %d scan %d: %s is %.17g, not %.17g", run, scan, pin->name, b, a);
    }
}

static rk_plc *general_plc(rk_number number)
{
    rk_text *text = rk_text_create();
    rk_plc *plc = rk_plc_create();
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_emit_general_st(number, text, NULL), RK_OK);
    ck_assert_msg(rk_plc_load(plc, "block", rk_text_chars(text), rk_text_length(text), &diag) ==
                      RK_OK,
                  "%s", diag.text);
    rk_text_free(text);
    return plc;
}

static void run_once(rk_plc *plc, const rk_rig_params *params, int run, rng *r, int refused[2])
{
    rk_rig_settings good = {.scan = decades(r, 0.01, 3)}, s;
    rk_rig_input in = {.sp = 20, .manual_out = 50, .track_out = 50};
    rk_plc_instance *block;
    double pv = 20;
    rk_rig *rig;
    block_pins p;
    int k;

    ck_assert_int_eq(rk_plc_instance_create(plc, rk_plc_last_block(plc), &block, NULL), RK_OK);
    find_pins(plc, block, rk_rig_setting_pins, p.setting);
    find_pins(plc, block, rk_rig_input_pins, p.input);
    find_pins(plc, block, rk_rig_output_pins, p.output);
    ck_assert_int_eq(rk_rig_create(params, &rig), RK_OK);
    draw_settings(r, &good);
    for (k = 0; k < RUN_SCANS; k++) {
        rk_rig_output out;
        rk_diag diag = {RK_OK, ""};

        if (happens(r, 0.02)) {
            draw_settings(r, &good);
        }
        s = good;
        if (happens(r, 0.02)) {
            spoil(r, &s);
        }
        draw_input(r, &good, &in, &pv);
        put_pins(rk_rig_setting_pins, &s, p.setting);
        put_pins(rk_rig_input_pins, &in, p.input);
        ck_assert_msg(rk_plc_scan(plc, block, &diag) == RK_OK, "%s", diag.text);
        rk_rig_scan(rig, &s, &in, &out);
        check_outputs(&out, p.output, run, k);
        refused[out.refused]++;
    }
    rk_rig_free(rig);
}

START_TEST(the_general_block_is_rk_loop_bit_for_bit)
{
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    const rk_rig_params params = {.single = number == RK_NUMBER_REAL};
    const char *scans = getenv("RK_PROVE_SCANS");
    const int runs = scans != NULL ? atoi(scans) / RUN_SCANS : RUNS;
    rk_plc *plc = general_plc(number);
    rng r = {(uint64_t)(7919 * (_i + 1))};
    int refused[2] = {0, 0}, run;

    for (run = 0; run < runs; run++) {
        run_once(plc, &params, run, &r, refused);
    }
    ck_assert(refused[0] > 10 * refused[1] && refused[1] > runs); /* both were tried */
    rk_plc_free(plc);
}
END_TEST

Suite *suite_general(void);

Suite *suite_general(void)
{
    Suite *suite = suite_create("prove/general");
    TCase *t = tcase_create("general");

    tcase_add_loop_test(t, the_general_block_is_rk_loop_bit_for_bit, 0, 4);
    suite_add_tcase(suite, t);
    return suite;
}
