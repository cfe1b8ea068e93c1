/* SPDX-License-Identifier: MIT */
/* The report in a real browser: what its reader sees, turns and carries away. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "../support/support.h"
#include "browser.h"
#include "suites.h"

/* A level that a valve lets off: an integrator with a lag. */
static const char level[] =
    "[loop]\nname = Level of the blend\nscan = 2s\ndelay-scans = 1\n[pv]\nunits = %\nlow = 0\n"
    "high = 100\n[out]\nunits = %\nlow = 0\nhigh = 100\n[model]\nkind = ipdt-lag\ngain = "
    "-0.004\ntime-constant = 5s\ndead-time = 7s\nout0 = 35\npv0 = 50\n";

/* A command line in a directory, with the tool as $0. */
static void in(const char *directory, const char *line)
{
    const char *const argv[] = {"sh", "-c", line, RK_CLI, NULL};
    outcome made = run_program(directory, argv);

    ck_assert_msg(made.status == 0 || made.status == 1, "%s%s", made.out, made.err);
    outcome_free(&made);
}

/* A report in a directory of its own, of a demo loop or of one that is written there, tuned by SIMC. Without its
   figures it opens in half the time. */
static char *report_of(const char *loop)
{
    char *directory = scratch_make(), line[600];

    put_file(path_in(directory, "level.loop"), level);
    (void)snprintf(line, sizeof line,
                   "cp '%s'/data/*.loop '%s/data/blend-brix.csv' . && cp %s a.loop", RK_SOURCE,
                   RK_SOURCE, loop);
    in(directory, line);
    in(directory, "if grep -q 'file = blend' a.loop; then \"$0\" fit a.loop --save; fi");
    in(directory, "\"$0\" tune a.loop --rule simc --save");
    in(directory, "PATH=/nowhere \"$0\" report a.loop --out a.html");
    return directory;
}

static char *open_report(const char *loop)
{
    char *directory = report_of(loop);

    browser_open(path_in(directory, "a.html"), true);
    return directory;
}

/* The blend loop's, made once for all that only look and turn. */
static char *blend;

static void begin(void)
{
    blend = report_of("blend-brix.loop");
    in(blend, "\"$0\" report a.loop --out full.html");
    browser_start();
}

static void end(void)
{
    browser_stop();
    scratch_free(blend);
}

static void open_blend(void)
{
    browser_open(path_in(blend, "a.html"), true);
}

static void open_full(void)
{
    browser_open(path_in(blend, "full.html"), true);
}

static void no_complaints(void)
{
    char *said = browser_complaints();

    ck_assert_str_eq(said, "");
    free(said);
}

/* Two frames: the first draws, the tables follow the second. */
#define FRAMES                                                                                 \
    "await new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(() => "       \
    "setTimeout(go))));"
/* Types a value into a control, as a hand would. */
#define TYPE                                                                                   \
    "const type = (key, value) => {"                                                           \
    "  const f = document.getElementById('set-' + key); f.value = value;"                      \
    "  f.dispatchEvent(new Event(f.tagName === 'SELECT' ? 'change' : 'input')); };"

START_TEST(it_opens_without_an_error_or_a_request)
{
    char *said = browser_complaints();

    free(said);
    open_full();
    no_complaints();
    ck_assert(browser_number("return performance.getEntriesByType('resource').filter("
                             "(r) => !r.name.startsWith('data:')).length") == 0);
}
END_TEST

/* ---- bits ---- */

static const char *const numbers[] = {"kc",        "ti",          "td",       "sp-weight",
                                      "scan",      "delay-scans", "out-rate", "gain",
                                      "dead-time", "sp-step",     "load-step"};

enum { NUMBERS = sizeof numbers / sizeof numbers[0], TRIED = 17 };

/* Loops of three kinds: first order, parts in series, and an integrator. */
static const char *const loops[] = {"blend-brix.loop", "syrup-heating.loop", "level.loop"};

static uint32_t hash_of(const double *values, size_t count)
{
    uint32_t h = 0x811c9dc5U;
    size_t i;

    for (i = 0; i < count; i++) {
        uint32_t words[2];
        int k;

        memcpy(words, &values[i], sizeof words);
        for (k = 0; k < 2; k++) {
            h = (h ^ words[k]) * 0x01000193U;
            h = (h << 13) | (h >> 19);
        }
    }
    return h;
}

static const char try_script[] = TYPE
    "const hash = (a) => { let h = 0x811c9dc5;"
    "  for (const w of new Uint32Array(a.buffer, a.byteOffset, 2 * a.length)) {"
    "    h = Math.imul(h ^ w, 0x01000193) >>> 0; h = ((h << 13) | (h >>> 19)) >>> 0; }"
    "  return h; };"
    "return (async () => {"
    "  for (const [key, value] of Object.entries(arguments[0])) type(key, value);" FRAMES
    "  const c = bench.curve(0), figures = {};"
    "  for (const row of document.querySelectorAll('#tried-requirements tbody tr'))"
    "    figures[row.querySelector('th').textContent] = Number(row.querySelector('data').value);"
    "  return { said: document.getElementById('said').textContent, figures,"
    "    sp: hash(c.sp), out: hash(c.out), pv: hash(c.pv), points: c.pv.length,"
    "    unstable: document.getElementById('tried-verdict').textContent.includes('UNSTABLE') };"
    "})()";

/* A setting that is usual for a loop, as a person would type it: few digits. */
static void draw_numbers(rng *r, const rk_design *loop, char text[NUMBERS][24])
{
    const rk_settings *s = &loop->settings;
    const double value[NUMBERS] = {s->kc * (0.3 + (1.2 * rng_uniform(r))),
                                   s->ti * (0.5 + rng_uniform(r)),
                                   rng_uniform(r) < 0.5 ? 0 : 0.1 * s->ti * rng_uniform(r),
                                   rng_uniform(r),
                                   loop->ts * (0.5 + (2 * rng_uniform(r))),
                                   floor(3 * rng_uniform(r)),
                                   0.5 + (20 * rng_uniform(r)),
                                   floor((60 * rng_uniform(r)) - 30),
                                   floor((60 * rng_uniform(r)) - 30),
                                   1 + rng_uniform(r),
                                   -5 * rng_uniform(r)};
    int i;

    for (i = 0; i < NUMBERS; i++) {
        (void)snprintf(text[i], 24, "%.4g", value[i]);
    }
}

/* The same run by the library itself. */
static rk_trial *run_beside(const rk_design *loop, char text[NUMBERS][24],
                            const rk_trial_plan *plan, rk_margins *margins)
{
    rk_trial_case c = rk_trial_case_of(loop, false);
    rk_trial *trial = NULL;
    rk_conditions conditions;
    rk_design tried = *loop;
    rk_sampling room;
    rk_diag diag = {RK_OK, ""};
    char words[400];

    (void)snprintf(words, sizeof words,
                   "kc=%s ti=%s td=%s sp-weight=%s scan=%s delay-scans=%s out-rate=%s", text[0],
                   text[1], text[2], text[3], text[4], text[5], text[6]);
    ck_assert_msg(rk_trial_case_change(loop, false, words, &c, &diag) == RK_OK, "%s: %s", words,
                  diag.text);
    c.plant.gain *= 1 + (strtod(text[7], NULL) / 100);
    c.plant.dead_time *= 1 + (strtod(text[8], NULL) / 100);
    ck_assert_msg(rk_trial_create(&c, plan, &trial, &diag) == RK_OK, "%s: %s", words,
                  diag.text);
    tried.settings = c.settings;
    tried.ts = c.ts;
    tried.delay_scans = strtod(text[5], NULL);
    tried.out_rate = c.limits.rate;
    conditions = rk_design_conditions(&tried);
    conditions.known = &loop->model;
    ck_assert_int_eq(
        rk_loop_margins_compute(&c.plant, &loop->model, &c.settings,
                                rk_conditions_sampling(&conditions, &c.settings, &room),
                                margins, NULL),
        RK_OK);
    return trial;
}

static void same_figure(json_t *seen, const char *name, double wanted)
{
    json_t *value = json_object_get(json_object_get(seen, "figures"), name);

    ck_assert_msg(value != NULL, "no %s", name);
    ck_close(json_number_value(value), wanted, 1e-12);
}

/* Fifty-one settings at random: the curves to the last bit, the margins to 1e-12. */
START_TEST(the_workbench_gives_the_numbers_of_the_tool)
{
    char *directory = open_report(loops[_i]);
    rk_design loop;
    rng r = {(uint64_t)(77 + _i)};
    int k, i;

    ck_assert_int_eq(rk_design_read(path_in(directory, "a.loop"), &loop, NULL), RK_OK);
    for (k = 0; k < TRIED; k++) {
        const double length = loop.ts * (double)(300 + (200 * (k % 3)));
        rk_trial_plan plan = {.load_at = floor(length / 2), .duration = length, .band = 0.02};
        char text[NUMBERS][24], at[24], until[24];
        json_t *typed = json_object(), *seen;
        rk_margins margins;
        rk_trial *trial;

        draw_numbers(&r, &loop, text);
        plan.sp_step = strtod(text[9], NULL);
        plan.load_step = strtod(text[10], NULL);
        for (i = 0; i < NUMBERS; i++) {
            json_object_set_new(typed, numbers[i], json_string(text[i]));
        }
        (void)snprintf(at, sizeof at, "%.15g", plan.load_at);
        (void)snprintf(until, sizeof until, "%.15g", length);
        json_object_set_new(typed, "load-at", json_string(at));
        json_object_set_new(typed, "for", json_string(until));
        trial = run_beside(&loop, text, &plan, &margins);
        seen = browser_run(try_script, json_pack("[o]", typed));
        ck_assert_str_eq(json_string_value(json_object_get(seen, "said")), "");
        ck_assert_int_eq(json_integer_value(json_object_get(seen, "points")),
                         (json_int_t)rk_trial_points(trial));
        ck_assert_uint_eq((uint64_t)json_number_value(json_object_get(seen, "pv")),
                          hash_of(rk_trial_pv(trial), rk_trial_points(trial)));
        ck_assert_uint_eq((uint64_t)json_number_value(json_object_get(seen, "out")),
                          hash_of(rk_trial_out(trial), rk_trial_scans(trial)));
        ck_assert_uint_eq((uint64_t)json_number_value(json_object_get(seen, "sp")),
                          hash_of(rk_trial_sp(trial), rk_trial_scans(trial)));
        ck_assert_int_eq(json_is_true(json_object_get(seen, "unstable")), !margins.stable);
        if (margins.stable) {
            same_figure(seen, "gain-margin", margins.gain_margin);
            same_figure(seen, "phase-margin", margins.phase_margin);
            same_figure(seen, "ms", margins.ms);
        }
        rk_trial_free(trial);
        json_decref(seen);
    }
    no_complaints();
    scratch_free(directory);
}
END_TEST

/* ---- sliders, the knob, curves that are kept ---- */

START_TEST(a_slider_moved_by_the_keyboard_moves_the_curves)
{
    char *before, *after;
    double kc;
    int i;

    open_blend();
    before = browser_text("return document.getElementById('tried-bar').textContent");
    for (i = 0; i < 5; i++) {
        browser_type("#set-kc", ""); /* it can be reached */
        browser_type("input[aria-label='kc, slider']", KEY_RIGHT KEY_RIGHT KEY_RIGHT);
    }
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    kc = browser_number("return bench.set.kc.value");
    ck_assert_msg(kc < -11.2 && kc > -13, "kc is %g", kc); /* 15 of 1000 steps over 1 to 64 */
    after = browser_text("return document.getElementById('tried-bar').textContent");
    ck_assert_str_ne(before, after);
    ck_assert(
        browser_number("return parseFloat(document.querySelector('#tried-table data').value)"
                       " - bench.set.kc.value") == 0);
    free(before);
    free(after);
    /* To its end: the loop swings, and it is said. */
    browser_type("input[aria-label='kc, slider']", KEY_END);
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    after = browser_text("return document.getElementById('tried-verdict').textContent");
    ck_assert_msg(strstr(after, "UNSTABLE") != NULL, "%s", after);
    free(after);
    browser_click("#back");
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    after = browser_text("return document.getElementById('tried-verdict').textContent.trim()");
    ck_assert_str_eq(after, "MET: all requirements met");
    free(after);
    no_complaints();
}
END_TEST

START_TEST(the_knob_moves_the_settings_together)
{
    rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;
    rk_design loop;
    char *line;

    open_blend();
    ck_assert_int_eq(rk_design_read(path_in(blend, "a.loop"), &loop, NULL), RK_OK);
    knobs.lambda = 40;
    ck_assert_int_eq(rk_tuning_compute(&loop.model, "simc", NULL, &knobs, &tuning, NULL),
                     RK_OK);
    json_decref(browser_wait("return (async () => {" TYPE "type('lambda', 40);" FRAMES "})()"));
    ck_assert(browser_number("return bench.set.kc.value") == tuning.settings.kc);
    ck_assert(browser_number("return bench.set.ti.value") == tuning.settings.ti);
    line = browser_text("return document.getElementById('tune-line').textContent");
    ck_assert_str_eq(line, "redkettle tune a.loop --rule=simc --lambda=40s --save");
    free(line);
    browser_type("#rule", "simple");
    browser_click("#take-rule");
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    knobs = rk_knobs_make();
    ck_assert_int_eq(rk_tuning_compute(&loop.model, "simple", NULL, &knobs, &tuning, NULL),
                     RK_OK);
    ck_assert(browser_number("return bench.set.kc.value") == tuning.settings.kc);
}
END_TEST

START_TEST(curves_are_kept_and_compared)
{
    char *heads;

    open_blend();
    browser_type("#keep-name", "\xEE\x80\x89"
                               "a\xEE\x80\x80"); /* Control, a: all of it is replaced */
    browser_type("#keep-name", "<img src=x onerror=alert(1)>");
    browser_click("#keep");
    json_decref(browser_wait("return (async () => {" TYPE "type('kc', -6);" FRAMES
                             "document.getElementById('keep').click();" FRAMES
                             "type('kc', -8);" FRAMES "})()"));
    heads =
        browser_text("return [...document.querySelectorAll('#tried-table thead th')].map((h) "
                     "=> h.textContent).join('|')");
    ck_assert_str_eq(heads, "|set now|<img src=x onerror=alert(1)>|curve 2");
    free(heads);
    heads = browser_text("return [...document.querySelectorAll('#tried-table tbody tr')][0]"
                         ".textContent.replace(/[^-.0-9k]+/g, ' ')");
    ck_assert_msg(strstr(heads, "-8") != NULL && strstr(heads, "-6") != NULL &&
                      strstr(heads, "-11.1") != NULL,
                  "%s", heads);
    free(heads);
    ck_assert(browser_number("return document.querySelectorAll('#tried-table img').length") ==
              0);
    ck_assert(browser_number("return bench.pv.chart.data.datasets.length") == 4);
    ck_assert(browser_number("return bench.out.chart.data.datasets.length") == 3);
    browser_click("#kept button");
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    ck_assert(browser_number("return bench.pv.chart.data.datasets.length") == 3);
    no_complaints();
}
END_TEST

/* ---- what is carried away ---- */

/* A line from the page, typed at a shell where the tool is on the path. */
static outcome paste(const char *directory, const char *line)
{
    char typed[2000], folder[512];
    const char *const argv[] = {"sh", "-c", typed, NULL};
    char *slash;

    (void)snprintf(folder, sizeof folder, "%s", RK_CLI);
    slash = strrchr(folder, '/');
    *slash = '\0';
    (void)snprintf(typed, sizeof typed, "PATH=\"%s:$PATH\"; %s", folder, line);
    return run_program(directory, argv);
}

/* What is set before the lines are copied. */
static const struct {
    const char *set;
    double kc, ti, td, weight;
    rk_anti_windup way;
} carried[] = {
    {"type('kc', -7.25); type('ti', 51.5); type('td', 4); type('sp-weight', 0.6);"
     "type('anti-windup', 'conditional');",
     -7.25, 51.5, 4, 0.6, RK_ANTI_WINDUP_CONDITIONAL},
    {"type('lambda', 92.605460523144);", -0, -0, 0, 1, RK_ANTI_WINDUP_BACK_CALCULATION},
    {"type('kc', -9); type('ti', '');", -9, HUGE_VAL, 0, 1, RK_ANTI_WINDUP_BACK_CALCULATION},
};

START_TEST(the_line_that_is_copied_saves_what_is_set)
{
    char *directory = open_report("blend-brix.loop"), *line, script[600];
    rk_design loop;
    outcome done;

    (void)snprintf(script, sizeof script, "return (async () => {" TYPE "%s" FRAMES "})()",
                   carried[_i].set);
    json_decref(browser_wait(script));
    line = browser_text("return document.getElementById('tune-line').textContent");
    done = paste(directory, line);
    ck_assert_msg(done.status == 0, "%s: %s", line, done.err);
    outcome_free(&done);
    free(line);
    ck_assert_int_eq(rk_design_read(path_in(directory, "a.loop"), &loop, NULL), RK_OK);
    if (carried[_i].kc != 0) {
        ck_assert(loop.settings.kc == carried[_i].kc && loop.settings.ti == carried[_i].ti);
    } else { /* as the knob gave them */
        ck_assert(loop.settings.kc == browser_number("return bench.set.kc.value"));
        ck_assert_str_eq(loop.rule, "simc");
    }
    ck_assert(loop.settings.td == carried[_i].td);
    ck_assert(loop.settings.sp_weight == carried[_i].weight);
    ck_assert_int_eq(loop.settings.anti_windup, carried[_i].way);
    scratch_free(directory);
}
END_TEST

START_TEST(the_trial_that_is_copied_shows_the_same_figures)
{
    char *line, command[2000];
    json_t *shown;
    outcome done;
    double overshoot;

    json_decref(
        browser_wait("return (async () => {" TYPE
                     "type('kc', -13); type('ti', 40); type('scan', 2); type('gain', 20);"
                     "type('sp-step', 0.5); type('for', 900);" FRAMES "})()"));
    overshoot = browser_number(
        "return parseFloat([...document.querySelectorAll('#tried-table tbody tr')].find((r) => "
        "r.textContent.startsWith('overshoot')).querySelector('data').value)");
    line = browser_text("return document.getElementById('trial-line').textContent");
    (void)snprintf(command, sizeof command, "%s --json", line);
    done = paste(blend, command);
    ck_assert_msg(done.status == 0, "%s: %s", command, done.err);
    shown = json_loads(done.out, 0, NULL);
    ck_assert(
        json_number_value(json_object_get(
            json_object_get(json_array_get(json_object_get(shown, "cases"), 1), "setpoint"),
            "overshoot_percent")) == overshoot);
    json_decref(shown);
    outcome_free(&done);
    free(line);
}
END_TEST

/* ---- paper, screens, readers ---- */

static int count_pages(const char *base64)
{
    char *directory = scratch_make();
    const char *const argv[] = {"sh", "-c",
                                "base64 -d p.b64 | grep -ao '/Type */Page\\b' | wc -l", NULL};
    outcome counted;
    int pages;

    put_file(path_in(directory, "p.b64"), base64);
    counted = run_program(directory, argv);
    pages = (int)strtol(counted.out, NULL, 10);
    outcome_free(&counted);
    scratch_free(directory);
    return pages;
}

/* Each section begins a page: six of them, and none runs over more than three. */
START_TEST(it_prints_a_page_or_more_a_section)
{
    char *pdf;
    int pages;

    open_full();
    pdf = browser_print();
    pages = count_pages(pdf);
    ck_assert_msg(pages >= 6 && pages <= 14, "%d pages", pages);
    ck_assert(browser_number("return [...document.querySelectorAll('figure')].filter((f) => "
                             "getComputedStyle(f).breakInside !== 'avoid').length") == 0);
    free(pdf);
}
END_TEST

static const int widths[] = {1280, 800};

START_TEST(it_fits_a_laptop_and_a_tablet)
{

    browser_window(widths[_i], 800);
    open_full();
    ck_assert(browser_number("return document.documentElement.scrollWidth - innerWidth") <= 0);
    ck_assert(browser_number("return [...document.images].filter((i) => i.naturalWidth === "
                             "0).length") == 0);
    ck_assert(browser_number("return document.images.length") >= 4);
    browser_window(1280, 800);
}
END_TEST

/* The smallest contrast of texts with what is behind them, by WCAG 2.1. */
static const char contrast[] =
    "const light = (rgb) => { const p = rgb.match(/[0-9.]+/g).slice(0, 3).map((v) => { v /= 255;"
    "  return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; });"
    "  return 0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2]; };"
    "const behind = (e) => { for (; e; e = e.parentElement) {"
    "  const c = getComputedStyle(e).backgroundColor; if (!/, 0\\)$/.test(c)) return c; }"
    "  return 'rgb(255,255,255)'; };"
    "let least = 99;"
    "for (const e of document.querySelectorAll('p, th, td, label, .unit, strong, button, a, "
    "figcaption, pre')) { if (e.offsetParent === null) continue;"
    "  const a = light(getComputedStyle(e).color), b = light(behind(e));"
    "  least = Math.min(least, (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05)); }"
    "return least";

START_TEST(it_is_readable_by_day_and_by_night)
{
    char *ink, *day;

    browser_dark(false);
    open_full();
    ck_assert(browser_number(contrast) >= 4.5);
    day = browser_text("return bench.pv.chart.data.datasets[1].borderColor");
    browser_dark(true);
    open_blend();
    json_decref(browser_wait("return (async () => {" FRAMES "})()"));
    ck_assert(browser_number(contrast) >= 4.5);
    ink = browser_text("return bench.pv.chart.data.datasets[1].borderColor");
    ck_assert_str_ne(ink, day);
    browser_dark(false);
    free(ink);
    free(day);
}
END_TEST

START_TEST(all_that_can_be_turned_or_seen_has_a_name)
{
    char *nameless;

    open_full();
    nameless = browser_text(
        "const named = (e) => e.labels && e.labels.length > 0 || e.getAttribute('aria-label') || "
        "e.tagName === 'BUTTON' && e.textContent.trim() || e.alt;"
        "return [...document.querySelectorAll('input, select, button, canvas, img, svg')]"
        ".filter((e) => !named(e)).map((e) => e.outerHTML.slice(0, 80)).join('; ')");
    ck_assert_str_eq(nameless, "");
    free(nameless);
    ck_assert(browser_number("return document.querySelectorAll('h1').length") == 1);
    /* From the top of the page the keyboard alone comes to the links and the controls. */
    browser_click("h1");
    browser_type("body", KEY_TAB);
    ck_assert(browser_number("return document.activeElement.tagName === 'A' ? 1 : 0") == 1);
    /* Curves are told apart without their colours. */
    ck_assert(browser_number("return new Set(DASHES.map(String)).size - DASHES.length") == 0);
}
END_TEST

/* ---- hostile names ---- */

#define EVIL "</script><img src=x onerror=window.bad=1>\"'`${window.bad=1}"
#define EVIL_FILE "<img src=x onerror=alert(1)>.loop"
#define EVIL_OUT "</script><img src=x onerror=window.bad=1> out"
#define EVIL_PV "</pre><script>window.bad=1</script> pv"

static void write_evil(const char *directory)
{
    rk_text *record = rk_text_create();
    int i;

    rk_text_add(record, "t," EVIL_OUT "," EVIL_PV "\n");
    for (i = 0; i < 300; i++) {
        rk_text_add(record, "%d,%d,%.4f\n", i, i < 60 ? 40 : 45,
                    i < 70 ? 10.0 : 10.0 + (2 * (1 - exp(-(i - 70) / 30.0))));
    }
    put_file(path_in(directory, "r<b>'.csv"), rk_text_chars(record));
    rk_text_free(record);
    put_file(
        path_in(directory, EVIL_FILE),
        "[loop]\nname = " EVIL "\nscan = 1s\n[pv]\nunits = <b>\"'x&y\nlow = 0\nhigh = 20\n"
        "[out]\nunits = <i onx='1'>\nlow = 0\nhigh = 100\n[record]\nfile = r<b>'.csv\nout = " EVIL_OUT
        "\npv = " EVIL_PV "\n[settings]\nrule = </pre><svg onload=window.bad=1>\n"
        "kc = 2\nti = 30s\n");
}

START_TEST(names_from_outside_stay_names)
{
    char *directory = scratch_make(), *title;
    const char *const argv[] = {RK_CLI, "report", EVIL_FILE, "--out", "a.html", NULL};
    outcome made;

    write_evil(directory);
    made = run_program(directory, argv);
    ck_assert_msg(made.status == 0 || made.status == 1, "%s", made.err);
    outcome_free(&made);
    title = browser_complaints();
    free(title);
    browser_open(path_in(directory, "a.html"), true);
    json_decref(browser_wait("return (async () => {" TYPE "type('kc', 1.5);" FRAMES "})()"));
    no_complaints();
    ck_assert(browser_number("return window.bad === undefined ? 0 : 1") == 0);
    ck_assert(browser_number("return [...document.images].filter((i) => i.naturalWidth === "
                             "0).length") == 0);
    title = browser_text("return document.querySelector('h1').textContent");
    ck_assert_str_eq(title, EVIL);
    free(title);
    ck_assert(browser_number(
                  "return [...document.images].filter((i) => !i.src.startsWith('data:"
                  "image/svg+xml,')).length + document.querySelectorAll('section script, b, "
                  "section i, iframe, object').length") == 0);
    /* And even what is put in by force does not run. */
    json_decref(browser_wait(
        "return (async () => { const d = document.createElement('div');"
        "d.innerHTML = '<img src=x onerror=\"window.bad=1\">';"
        "document.body.append(d); await new Promise((go) => setTimeout(go, 300)); })()"));
    ck_assert(browser_number("return window.bad === undefined ? 0 : 1") == 0);
    free(browser_complaints());
    scratch_free(directory);
}
END_TEST

Suite *suite_browser(void)
{
    Suite *suite = suite_create("page/browser");
    TCase *t = tcase_create("browser");

    tcase_add_unchecked_fixture(t, begin, end);
    tcase_add_test(t, it_opens_without_an_error_or_a_request);
    add_table(t, the_workbench_gives_the_numbers_of_the_tool, loops);
    tcase_add_test(t, a_slider_moved_by_the_keyboard_moves_the_curves);
    tcase_add_test(t, the_knob_moves_the_settings_together);
    tcase_add_test(t, curves_are_kept_and_compared);
    add_table(t, the_line_that_is_copied_saves_what_is_set, carried);
    tcase_add_test(t, the_trial_that_is_copied_shows_the_same_figures);
    tcase_add_test(t, it_prints_a_page_or_more_a_section);
    add_table(t, it_fits_a_laptop_and_a_tablet, widths);
    tcase_add_test(t, it_is_readable_by_day_and_by_night);
    tcase_add_test(t, all_that_can_be_turned_or_seen_has_a_name);
    tcase_add_test(t, names_from_outside_stay_names);
    suite_add_tcase(suite, t);
    return suite;
}
