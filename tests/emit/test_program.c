/* SPDX-License-Identifier: MIT */
/* The program that wires the blocks, run by the stand-in PLC in its own task; and the XML. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <libxml/parser.h>
#include <libxml/tree.h>

#include "../support/loops.h"
#include "../support/support.h"

/* A PLC with all of a loop's text; the task's interval another, if it is given. */
static rk_plc *plc_of(const rk_design *loop, rk_number number, const char *interval)
{
    static const rk_program_file files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PLANT_ST,
                                            RK_PROGRAM_PROGRAM};
    rk_plc *plc = rk_plc_create();
    rk_diag diag = {RK_OK, ""};
    int i;

    for (i = 0; i < 3; i++) {
        rk_text *text = rk_text_create();
        char *chars, *at;

        if (!rk_program_has(loop, files[i])) {
            rk_text_free(text);
            continue;
        }
        ck_assert_msg(rk_program_text(loop, files[i], number, text, &diag) == RK_OK, "%s",
                      diag.text);
        chars = strdup(rk_text_chars(text));
        at = strstr(chars, "INTERVAL := T#1000ms");
        if (at != NULL && interval != NULL) {
            memcpy(at + strlen("INTERVAL := "), interval, strlen(interval));
        }
        ck_assert_msg(rk_plc_load(plc, "text", chars, strlen(chars), &diag) == RK_OK, "%s",
                      diag.text);
        free(chars);
        rk_text_free(text);
    }
    return plc;
}

static rk_plc_variable shared(rk_plc *plc, const char *name)
{
    char path[64];
    rk_plc_variable v;

    (void)snprintf(path, sizeof path, "blend_brix_%s", name);
    ck_assert_msg(rk_plc_find(plc, NULL, path, &v, NULL) == RK_OK, "no %s", path);
    return v;
}

static double get(rk_plc *plc, const char *name)
{
    const rk_plc_variable v = shared(plc, name);

    return v.kind == RK_PLC_BOOL ? (double)v.at->whole : v.at->real;
}

static void set(rk_plc *plc, const char *name, double value)
{
    const rk_plc_variable v = shared(plc, name);

    if (v.kind == RK_PLC_BOOL) {
        v.at->whole = value != 0;
    } else {
        v.at->real = value;
    }
}

static void run(rk_plc *plc, double seconds)
{
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_plc_run(plc, seconds, &diag) == RK_OK, "%s", diag.text);
}

/* The valve stands at 60 % when somebody tries the twin, and still does behind it. */
START_TEST(simulation_controls_the_twin_and_freezes_the_valve)
{
    const rk_design loop = brix_loop();
    rk_plc *plc = plc_of(&loop, (rk_number)_i, NULL);
    double out;

    set(plc, "valve_out", 60);
    set(plc, "valve_known", 1);
    run(plc, 1);
    ck_assert_double_eq(get(plc, "out"), 60); /* the first output is where the valve stands */
    set(plc, "valve_known", 0);
    set(plc, "simulate", 1);
    run(plc, 60);
    ck_assert_double_eq(get(plc, "sim_out"), 42); /* it begins where the model rests */
    set(plc, "manual_out", 50);
    run(plc, 600);
    ck_assert_double_eq(get(plc, "sim_out"), 50);
    set(plc, "sp", 11.0);
    run(plc, 1);
    set(plc, "automatic", 1);
    run(plc, 1); /* it starts from the output that stands, but for one step of the integral */
    ck_assert_double_eq_tol(get(plc, "sim_out"), 50,
                            fabs(11.3 / 46.5 * (11.0 - 10.856)) + 1e-3);
    run(plc, 900); /* gain -0.118: 0.8 degBx below 11.8 takes 6.78 % */
    ck_assert_double_eq_tol(get(plc, "sim_out"), 42 + (0.8 / 0.118), 1e-3);
    set(plc, "load", -10);
    run(plc, 900);
    ck_assert_double_eq_tol(get(plc, "sim_out"), 52 + (0.8 / 0.118), 1e-3);
    out = get(plc, "sim_out");
    set(plc, "automatic", 0);
    run(plc, 30);
    ck_assert_double_eq(get(plc, "sim_out"), out); /* manual starts from it as well */
    set(plc, "automatic", 1);
    run(plc, 30);
    ck_assert_double_eq(get(plc, "out"), 60);
    set(plc, "simulate", 0);
    run(plc, 30);
    ck_assert_double_eq(get(plc, "out"), 60);
    ck_assert(get(plc, "automatic") == 0 && get(plc, "manual_out") == 60);
    ck_assert(get(plc, "scan_wrong") == 0 && get(plc, "held") == 0);
    rk_plc_free(plc);
}
END_TEST

START_TEST(the_setpoint_goes_at_its_rate_from_the_pv)
{
    rk_design loop = brix_loop();
    rk_plc *plc;

    loop.settings.sp_rate = 0.01;
    plc = plc_of(&loop, RK_NUMBER_LREAL, NULL);
    set(plc, "pv", 11);
    set(plc, "sp", 12);
    run(plc, 10);
    set(plc, "automatic", 1);
    run(plc, 30); /* 30 scans of 1 s, the first from the PV */
    ck_assert_double_eq_tol(get(plc, "sp_now"), 11.3, 1e-9);
    run(plc, 200);
    ck_assert_double_eq(get(plc, "sp_now"), 12);
    set(plc, "sp", QNAN);
    run(plc, 5);
    ck_assert_double_eq(get(plc, "sp_now"), 12);
    ck_assert(get(plc, "held") == 1);
    rk_plc_free(plc);
}
END_TEST

/* [alarm] hold 5 s, [out] safe 20 %, 10 % per s: whichever way PV fails. */
static const struct {
    const char *variable;
    double value;
    const char *alarm;
} failures[] = {
    {"pv", -5, "pv_bad"}, /* beyond its range, which a law would follow down to OUT 0 */
    {"pv", 25, "pv_bad"}, /* and the other way */
    {"pv", QNAN, "pv_bad"},
    {"pv_good", 0, "pv_bad"},
};

START_TEST(a_pv_that_fails_holds_out_and_then_goes_to_the_safe_output)
{
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    const int row = _i / RK_NUMBERS;
    rk_design loop = brix_loop();
    rk_plc *plc;
    double out;

    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.alarms.hold = 5;
    loop.out_safe = 20;
    loop.out_rate = 10;
    plc = plc_of(&loop, number, NULL);
    set(plc, "pv", 11.8);
    run(plc, 1);
    ck_assert_double_eq(get(plc, "out"), 20); /* nobody knows where the valve stands */
    set(plc, "manual_out", 40);
    run(plc, 5);
    set(plc, "automatic", 1);
    run(plc, 10);
    out = get(plc, "out");
    ck_assert_double_eq_tol(out, 40, 1e-5);
    set(plc, failures[row].variable, failures[row].value);
    run(plc, 5);
    ck_assert_double_eq(get(plc, "out"), out);
    ck_assert(get(plc, "held") == 1 && get(plc, failures[row].alarm) == 1);
    ck_assert(get(plc, "failed") == 0);
    run(plc, 1);
    ck_assert_double_eq_tol(get(plc, "out"), out - 10, 1e-5);
    ck_assert(get(plc, "failed") == 1);
    run(plc, 10);
    ck_assert_double_eq(get(plc, "out"), 20);
    set(plc, "pv", 11.7);
    set(plc, "pv_good", 1);
    run(plc, 2);
    ck_assert(get(plc, "held") == 0 && get(plc, "automatic") == 1);
    /* It goes on from there, by no more than increments. */
    ck_assert_double_eq_tol(get(plc, "out"), 20, 2 * 11.3 / 46.5 * 0.1 + 1e-5);
    set(plc, "automatic", 0);
    set(plc, "manual_out", 60);
    set(plc, failures[row].variable, failures[row].value);
    run(plc, 30); /* manual is the operator's */
    ck_assert_double_eq(get(plc, "out"), 60);
    rk_plc_free(plc);
}
END_TEST

/* At rest in automatic kc and ti change: OUT stays, and the new ones are at work. */
START_TEST(settings_change_while_it_runs_and_nonsense_is_refused)
{
    const rk_design loop = brix_loop();
    rk_plc *plc = plc_of(&loop, RK_NUMBER_LREAL, NULL);
    double out;

    set(plc, "manual_out", 42);
    run(plc, 1);
    set(plc, "manual_out", 42);
    run(plc, 5);
    set(plc, "pv", 11.7);
    set(plc, "automatic", 1);
    run(plc, 20);
    out = get(plc, "out");
    set(plc, "kc", -8);
    set(plc, "ti", 80);
    run(plc, 1);
    ck_assert_double_eq_tol(get(plc, "out") - out, -8.0 / 80 * 0.1, 1e-9);
    ck_assert(get(plc, "refused") == 0 && get(plc, "kc_unsafe") == 0);
    out = get(plc, "out");
    set(plc, "ti", 0.5); /* below the scan */
    run(plc, 1);
    ck_assert(get(plc, "refused") == 1);
    ck_assert_double_eq_tol(get(plc, "out") - out, -8.0 / 80 * 0.1, 1e-9);
    set(plc, "ti", 80);
    set(plc, "kc", -60); /* beyond the ultimate gain */
    run(plc, 1);
    ck_assert(get(plc, "refused") == 0 && get(plc, "kc_unsafe") == 1);
    set(plc, "kc", 1); /* the wrong way round */
    run(plc, 1);
    ck_assert(get(plc, "kc_unsafe") == 1);
    rk_plc_free(plc);
}
END_TEST

static const struct {
    const char *interval; /* as long as T#1000ms */
    int wrong;
} intervals[] = {
    {"T#1000ms", 0}, {"T#1050ms", 0}, {"T#0950ms", 0},
    {"T#0500ms", 1}, {"T#2000ms", 1}, {"T#9000ms", 1},
};

START_TEST(a_task_at_another_interval_is_seen)
{
    const rk_design loop = brix_loop();
    rk_plc *plc = plc_of(&loop, RK_NUMBER_LREAL, intervals[_i].interval);

    run(plc, 400);
    ck_assert_msg((int)get(plc, "scan_wrong") == intervals[_i].wrong, "%s",
                  intervals[_i].interval);
    rk_plc_free(plc);
}
END_TEST

static const struct {
    rk_warm_start warm;
    bool was, is; /* automatic, before and behind it */
} warm_starts[] = {
    {RK_WARM_START_AS_IT_WAS, true, true},  {RK_WARM_START_AS_IT_WAS, false, false},
    {RK_WARM_START_MANUAL, true, false},    {RK_WARM_START_MANUAL, false, false},
    {RK_WARM_START_AUTOMATIC, false, true}, {RK_WARM_START_AUTOMATIC, true, true},
};

START_TEST(a_warm_start_is_as_its_key_says_and_a_cold_one_waits_in_manual)
{
    rk_design loop = brix_loop();
    rk_plc *plc;
    double out;

    loop.program.warm_start = warm_starts[_i].warm;
    loop.out_safe = 15;
    plc = plc_of(&loop, RK_NUMBER_LREAL, NULL);
    set(plc, "automatic", 1);
    run(plc, 1);
    ck_assert(get(plc, "automatic") == 0); /* off until it is switched on */
    ck_assert_double_eq(get(plc, "out"), 15);
    set(plc, "kc", -9);
    set(plc, "manual_out", 37);
    set(plc, "pv", 11.7);
    run(plc, 1);
    set(plc, "automatic", warm_starts[_i].was);
    run(plc, 20);
    out = get(plc, "out");
    rk_plc_restart(plc, true);
    set(plc, "pv", 11.7);
    run(plc, 1);
    ck_assert(get(plc, "automatic") == warm_starts[_i].is);
    ck_assert_double_eq(get(plc, "kc"), -9);
    /* Its first scan moves the output by one step of the integral at most. */
    ck_assert_double_eq_tol(get(plc, "out"), out, (9 / 46.5 * 0.1) + 1e-9);
    rk_plc_restart(plc, false);
    run(plc, 20);
    ck_assert(get(plc, "automatic") == 0);
    ck_assert_double_eq(get(plc, "out"), 15);
    ck_assert_double_eq(get(plc, "kc"), -11.3);
    rk_plc_free(plc);
}
END_TEST

/* 0 to 20 degBx are 0 to 10000 counts, 0 to 100 % 4000 to 20000. */
START_TEST(counts_of_the_channels_are_turned_into_units_and_back)
{
    rk_design loop = brix_loop();
    rk_plc_variable raw;
    rk_plc *plc;

    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.program.pv_raw[0] = 0;
    loop.program.pv_raw[1] = 10000;
    loop.program.out_raw[0] = 4000;
    loop.program.out_raw[1] = 20000;
    plc = plc_of(&loop, (rk_number)_i, NULL);
    raw = shared(plc, "pv_raw");
    raw.at->whole = 5900;
    run(plc, 1);
    ck_assert_double_eq_tol(get(plc, "pv"), 11.8, 1e-6);
    set(plc, "manual_out", 30);
    run(plc, 1);
    ck_assert_int_eq((int)shared(plc, "out_raw").at->whole, 4000 + 4800);
    raw.at->whole = 11000; /* 22 degBx: beyond what a sound transmitter sends */
    run(plc, 1);
    ck_assert(get(plc, "pv_bad") == 1);
    rk_plc_free(plc);
}
END_TEST

START_TEST(without_a_model_the_program_has_no_twin)
{
    rk_design loop = brix_loop();
    rk_plc_variable v;
    rk_plc *plc;

    loop.has_model = false;
    plc = plc_of(&loop, RK_NUMBER_LREAL, NULL);
    ck_assert_int_eq(rk_plc_find(plc, NULL, "blend_brix_simulate", &v, NULL), RK_ERR_DATA);
    run(plc, 20);
    rk_plc_free(plc);
}
END_TEST

START_TEST(the_variable_list_has_ranges_and_units)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create();

    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.out_safe = 15;
    strcpy(loop.program.out_at, "%QD7");
    ck_assert_int_eq(rk_emit_variables(&loop, RK_NUMBER_REAL, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text),
                                 "blend_brix_sp,REAL,degBx,0.0,20.0,11.8,yes,,setpoint\r\n"));
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(text), "blend_brix_automatic,BOOL,,,,FALSE,yes,,"));
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(text), "blend_brix_pv,REAL,degBx,0.0,20.0,11.8,no,to be given,"));
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(text), "blend_brix_out,REAL,%,0.0,100.0,15.0,yes,%QD7,"));
    loop.ts = 5e-5;
    loop.has_model = false;
    ck_assert_int_eq(rk_emit_program_st(&loop, RK_NUMBER_LREAL, text, NULL), RK_ERR_RANGE);
    rk_text_free(text);
}
END_TEST

/* ---- the XML ---- */

static xmlNode *child(xmlNode *of, const char *name, int nth)
{
    xmlNode *n;

    for (n = of->children; n != NULL; n = n->next) {
        if (n->type == XML_ELEMENT_NODE && strcmp((const char *)n->name, name) == 0 &&
            nth-- == 0) {
            return n;
        }
    }
    return NULL;
}

static void check_attribute(xmlNode *of, const char *name, const char *wanted)
{
    xmlChar *got = xmlGetProp(of, BAD_CAST name);

    ck_assert_ptr_nonnull(got);
    ck_assert_str_eq((const char *)got, wanted);
    xmlFree(got);
}

/* The body of a POU in the XML stands in the Structured Text as it is. */
static void check_body(xmlNode *pou, const char *st)
{
    xmlNode *p = child(child(child(pou, "body", 0), "ST", 0), "p", 0);
    xmlChar *body = xmlNodeGetContent(p);

    ck_assert_uint_gt(strlen((char *)body), 40);
    ck_assert_ptr_nonnull(strstr(st, (char *)body));
    xmlFree(body);
}

START_TEST(the_xml_is_well_formed_and_has_the_same_blocks)
{
    static const struct {
        const char *name, *type;
    } pous[] = {{NULL, "functionBlock"}, /* by the number type */
                {"BLEND_BRIX_PLANT", "functionBlock"},
                {"BLEND_BRIX_PROGRAM", "program"}};
    rk_design loop = brix_loop();
    const rk_number number = (rk_number)_i;
    rk_text *xml = rk_text_create(), *again = rk_text_create(), *st = rk_text_create();
    xmlNode *root, *list, *resource, *ring, *type;
    xmlDoc *doc;
    size_t i;

    strcpy(loop.pv_units, "\xC2\xB0"
                          "Bx <&>");
    ck_assert_int_eq(rk_emit_xml(&loop, number, xml, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_xml(&loop, number, again, NULL), RK_OK);
    ck_assert_str_eq(rk_text_chars(xml), rk_text_chars(again));
    ck_assert_int_eq(rk_emit_general_st(number, st, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_plant_st(&loop, number, st, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_program_st(&loop, number, st, NULL), RK_OK);
    doc = xmlReadMemory(rk_text_chars(xml), (int)rk_text_length(xml), "x.xml", NULL,
                        XML_PARSE_NONET);
    ck_assert_ptr_nonnull(doc);
    root = xmlDocGetRootElement(doc);
    ck_assert_str_eq((const char *)root->name, "project");
    ck_assert_str_eq((const char *)root->ns->href, "http://www.plcopen.org/xml/tc6_0201");
    ck_assert_ptr_nonnull(child(root, "fileHeader", 0));
    ck_assert_ptr_nonnull(child(child(root, "contentHeader", 0), "coordinateInfo", 0));
    list = child(child(root, "types", 0), "pous", 0);
    for (i = 0; i < COUNT(pous); i++) {
        xmlNode *pou = child(list, "pou", (int)i);

        ck_assert_ptr_nonnull(pou);
        check_attribute(pou, "name",
                        pous[i].name != NULL       ? pous[i].name
                        : number == RK_NUMBER_REAL ? "LOOP_CONTROLLER_REAL"
                                                   : "LOOP_CONTROLLER");
        ck_assert_ptr_nonnull(child(pou, "documentation", 0));
        check_attribute(pou, "pouType", pous[i].type);
        ck_assert_ptr_nonnull(child(pou, "interface", 0));
        check_body(pou, rk_text_chars(st));
    }
    ck_assert_ptr_null(child(list, "pou", (int)COUNT(pous)));
    ring = child(child(child(child(list, "pou", 1), "interface", 0), "localVars", 1),
                 "variable", 0);
    check_attribute(ring, "name", "ring");
    type = child(child(ring, "type", 0), "array", 0);
    check_attribute(child(type, "dimension", 0), "upper", "17");
    ck_assert_ptr_nonnull(
        child(child(type, "baseType", 0), number == RK_NUMBER_REAL ? "REAL" : "LREAL", 0));
    resource = child(
        child(child(child(root, "instances", 0), "configurations", 0), "configuration", 0),
        "resource", 0);
    check_attribute(child(resource, "task", 0), "interval", "T#1000ms");
    check_attribute(child(child(resource, "task", 0), "pouInstance", 0), "typeName",
                    "BLEND_BRIX_PROGRAM");
    xmlFreeDoc(doc);
    rk_text_free(xml);
    rk_text_free(again);
    rk_text_free(st);
}
END_TEST

/* What of the loop file is not in the text is said; and where all is, nothing. */
typedef void change(rk_design *d);

static void bare(rk_design *d)
{
    (void)d;
}

static void full(rk_design *d)
{
    d->pv_low = 0;
    d->pv_high = 20;
    d->out_safe = 0;
    d->alarms.hold = 10;
}

static void counted(rk_design *d)
{
    full(d);
    d->program.pv_raw[0] = d->program.out_raw[0] = 0;
    d->program.pv_raw[1] = d->program.out_raw[1] = 27648;
}

static void delayed(rk_design *d)
{
    full(d);
    d->delay_scans = 1;
}

static const struct {
    const char *fact;
    change *change;
    bool slim;
    const char *says[4]; /* one of each note; NULL: no more */
} said[] = {
    {"nothing is given",
     bare,
     false,
     {"[out] safe is not given", "[alarm] hold is not given",
      "[pv] low and high are not given"}},
    {"all is in it", full, false, {NULL}},
    {"counts are in it", counted, false, {NULL}},
    {"a delay cannot be", delayed, false, {"[loop] delay-scans is not in it"}},
    {"a slim one has nothing to lose", bare, true, {NULL}},
    {"a slim one protects from nothing",
     full,
     true,
     {"[alarm] is not in it", "[out] safe is not in it", "[pv] low and high are not in it"}},
    {"a slim one has no channels",
     counted,
     true,
     {"[alarm] is not in it", "[out] safe is not in it", "[pv] low and high are not in it",
      "[program] pv-raw and out-raw are not in it"}},
};

START_TEST(what_is_not_in_the_text_is_said)
{
    char notes[RK_EMIT_NOTES_MAX][RK_EMIT_NOTE_CHARS];
    rk_design loop = brix_loop();
    size_t count, wanted = 0;

    said[_i].change(&loop);
    count = rk_emit_notes(&loop, said[_i].slim, notes);
    while (wanted < COUNT(said[_i].says) && said[_i].says[wanted] != NULL) {
        ck_assert_uint_lt(wanted, count);
        ck_assert_msg(strstr(notes[wanted], said[_i].says[wanted]) != NULL, "%s: %s",
                      said[_i].fact, notes[wanted]);
        wanted++;
    }
    ck_assert_msg(count == wanted, "%s: %zu notes", said[_i].fact, count);
}
END_TEST

Suite *suite_program(void);

Suite *suite_program(void)
{
    Suite *suite = suite_create("emit/program");
    TCase *t = tcase_create("program");

    tcase_add_loop_test(t, simulation_controls_the_twin_and_freezes_the_valve, 0, RK_NUMBERS);
    tcase_add_test(t, the_setpoint_goes_at_its_rate_from_the_pv);
    tcase_add_loop_test(t, a_pv_that_fails_holds_out_and_then_goes_to_the_safe_output, 0,
                        (int)COUNT(failures) * RK_NUMBERS);
    tcase_add_test(t, settings_change_while_it_runs_and_nonsense_is_refused);
    add_table(t, a_task_at_another_interval_is_seen, intervals);
    add_table(t, a_warm_start_is_as_its_key_says_and_a_cold_one_waits_in_manual, warm_starts);
    tcase_add_loop_test(t, counts_of_the_channels_are_turned_into_units_and_back, 0,
                        RK_NUMBERS);
    tcase_add_test(t, without_a_model_the_program_has_no_twin);
    add_table(t, what_is_not_in_the_text_is_said, said);
    tcase_add_test(t, the_variable_list_has_ranges_and_units);
    tcase_add_loop_test(t, the_xml_is_well_formed_and_has_the_same_blocks, 0, RK_NUMBERS);
    suite_add_tcase(suite, t);
    return suite;
}
