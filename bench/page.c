/* SPDX-License-Identifier: MIT */
/*
 * What a slider's move costs in the browser: in its frame the trial of 2,000 scans, the margins, the verdict, the
 * drawing of two plots with two curves kept, and the layout of the page; in the next one the requirements, how far kc
 * may go, the table and the lines to be copied.
 * Usage: redkettle-page [MOVES]
 *        redkettle-page --shots DIR   pictures of the report and of its workbench with two curves kept
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../tests/page/browser.h"

static const char script[] =
    "return (async () => {"
    "  const frame = () => new Promise((go) => requestAnimationFrame(go));"
    "  const slider = document.querySelector(\"input[aria-label='kc, slider']\");"
    "  const type = (key, value) => { const f = document.getElementById('set-' + key);"
    "    f.value = value; f.dispatchEvent(new Event('input')); };"
    "  const typed = document.getElementById('set-scan').value * 2000;"
    "  type('for', typed); type('load-at', typed / 2); await frame(); await frame();"
    "  for (const kc of [-6, -14]) { type('kc', kc); await frame(); await frame();"
    "    document.getElementById('keep').click(); await frame(); }"
    "  const all = [], core = [], more = [], layout = () => document.body.offsetHeight;"
    "  for (let i = 0; i < arguments[0]; i++) {"
    "    slider.value = 300 + (i * 37) % 300;"
    "    slider.dispatchEvent(new Event('input')); bench.due = false;"
    "    const a = performance.now(); bench.more = true; bench.update(); layout();"
    "    all.push(performance.now() - a); await frame();"
    "    const b = performance.now(); bench.showMore(); layout();"
    "    more.push(performance.now() - b); await frame();"
    "    const c = performance.now(); bench.core.call('try', bench.at, bench.words(), 1, 1, 1);"
    "    core.push(performance.now() - c); await frame(); }"
    "  const of = (t) => { t.sort((x, y) => x - y);"
    "    return [t[t.length >> 1], t[Math.floor(0.95 * t.length)], t[t.length - 1]]; };"
    "  return { scans: bench.core.call('scans', bench.at, 0), all: of(all), core: of(core),"
    "    more: of(more) }; })()";

static void tell(json_t *found, const char *name, const char *what)
{
    json_t *list = json_object_get(found, name);

    (void)printf(
        "  %-44s %6.2f %6.2f %6.2f\n", what, json_number_value(json_array_get(list, 0)),
        json_number_value(json_array_get(list, 1)), json_number_value(json_array_get(list, 2)));
}

/* What the window shows, into FOLDER/NAME. */
static void shoot(const char *scratch, const char *folder, const char *name)
{
    char *shot = browser_shot(), line[1200];
    const char *const command[] = {"sh", "-c", line, NULL};
    outcome made;

    put_file(path_in(scratch, "shot"), shot);
    (void)snprintf(line, sizeof line, "base64 -d shot >'%s/%s'", folder, name);
    made = run_program(scratch, command);
    outcome_free(&made);
    free(shot);
}

/* What was asked for: the browser's driver asserts, so that all of it is a test that prints. */
static int moves = 300;
static const char *folder;

static const char keep_two[] =
    "return (async () => {"
    "  const frame = () => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)));"
    "  const type = (key, value) => { const f = document.getElementById('set-' + key);"
    "    f.value = value; f.dispatchEvent(new Event('input')); };"
    "  const keep = async (name) => { await frame(); document.getElementById('keep-name').value = name;"
    "    document.getElementById('keep').click(); await frame(); };"
    "  await keep('as in the loop file'); type('lambda', 52); await keep('calm');"
    "  type('lambda', 17.62); type('gain', 30); type('dead-time', 20); await frame();"
    "  document.getElementById('workbench').scrollIntoView(); await frame(); })()";

static void measure(void)
{
    json_t *found = browser_run(script, json_pack("[i]", moves));

    (void)printf(
        "A slider's move in the browser, %.0f scans, %d moves; ms: median, 95 %%, most\n",
        json_number_value(json_object_get(found, "scans")), moves);
    tell(found, "all", "in its frame: tried, judged, drawn, laid out");
    tell(found, "core", "of it the trial, the margins and the verdict");
    tell(found, "more", "in the next: requirements, kc, table, lines");
    json_decref(found);
}

START_TEST(report)
{
    char *directory = scratch_make(), line[600];
    const char *const command[] = {"sh", "-c", line, NULL};
    outcome made;

    (void)snprintf(line, sizeof line,
                   "'%s' demo --dir d >/dev/null && mv d/blend-brix.html a.html", RK_CLI);
    made = run_program(directory, command);
    ck_assert_msg(made.status == 0, "%s", made.err);
    outcome_free(&made);
    browser_start();
    browser_open(path_in(directory, "a.html"), true);
    if (folder != NULL) {
        shoot(directory, folder, "report.png");
        json_decref(browser_run(keep_two, NULL));
        shoot(directory, folder, "workbench.png");
    } else {
        measure();
    }
    browser_stop();
    scratch_free(directory);
}
END_TEST

int main(int argc, char **argv)
{
    Suite *suite = suite_create("page");
    TCase *t = tcase_create("page");
    SRunner *runner = srunner_create(suite);
    int failed;

    folder = argc > 2 && strcmp(argv[1], "--shots") == 0 ? argv[2] : NULL;
    moves = argc == 2 ? atoi(argv[1]) : moves;
    tcase_add_test(t, report);
    tcase_set_timeout(t, 0);
    suite_add_tcase(suite, t);
    srunner_set_fork_status(runner, CK_NOFORK);
    srunner_run_all(runner, CK_SILENT);
    failed = srunner_ntests_failed(runner);
    if (failed > 0) {
        srunner_print(runner, CK_NORMAL);
    }
    srunner_free(runner);
    return failed == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
