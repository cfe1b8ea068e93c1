/* SPDX-License-Identifier: MIT */
/* report as a command, and settings by hand that are saved; the page itself is tested in tests/page. */
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "tool.h"

/* A loop with a model, and settings that meet what is asked. */
static const char level[] =
    "[loop]\nname = Blend\nscan = 1s\n[pv]\nunits = degBx\nlow = 0\nhigh = 20\n[out]\nunits = %\n"
    "low = 0\nhigh = 100\n[model]\ngain = -0.118\ntime-constant = 46s\ndead-time = 17s\nout0 = 42\n"
    "pv0 = 11.8\n";

static char *with_loop(const char *rest)
{
    char *dir = scratch_make(), text[1200];

    (void)snprintf(text, sizeof text, "%s%s", level, rest);
    put_file(path_in(dir, "my loop.loop"), text);
    return dir;
}

static const struct {
    const char *fact, *rest, *options[3];
    int status;
    const char *says;
} reports[] = {
    {"one that is met, by its own name",
     "[settings]\nkc = -9\nti = 46s\n",
     {NULL},
     0,
     "my loop.html: met, "},
    {"one that is not met",
     "[settings]\nkc = -16\nti = 20s\n",
     {NULL},
     1,
     "my loop.html: not met, "},
    {"no settings yet", "", {NULL}, 0, "my loop.html: no settings, "},
    {"a record that is lost",
     "[record]\nfile = gone.csv\n[settings]\nkc = -9\nti = 46s\n",
     {NULL},
     0,
     "my loop.html: met, "},
    {"another name",
     "[settings]\nkc = -9\nti = 46s\n",
     {"--out", "b.html"},
     0,
     "b.html: met, "},
    {"the standard output",
     "[settings]\nkc = -9\nti = 46s\n",
     {"--out", "-"},
     0,
     "<!DOCTYPE html>"},
    {"where nothing can be written",
     "[settings]\nkc = -9\nti = 46s\n",
     {"--out", "no/such/b.html"},
     4,
     ""},
};

START_TEST(a_report_is_written_and_its_verdict_is_the_exit_status)
{
    char *dir = with_loop(reports[_i].rest);
    outcome o =
        TOOL(dir, "report", "my loop.loop", reports[_i].options[0], reports[_i].options[1]);

    ck_assert_msg(o.status == reports[_i].status, "%s: %d, %s", reports[_i].fact, o.status,
                  o.err);
    ck_assert_msg(strncmp(o.out, reports[_i].says, strlen(reports[_i].says)) == 0, "%s: %s",
                  reports[_i].fact, o.out);
    if (o.status == 4) {
        ck_assert_ptr_nonnull(strstr(o.err, "no/such/b.html"));
    }
    if (strstr(reports[_i].rest, "gone") != NULL) {
        ck_assert_ptr_nonnull(strstr(o.err, "gone.csv"));
    }
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(what_the_page_says_of_itself_comes_as_json)
{
    char *dir = with_loop("[settings]\nkc = -9\nti = 46s\n");
    json_t *j = json_of(TOOL(dir, "report", "my loop.loop", "--json"), 0);
    size_t length;
    char *html = get_file(path_in(dir, "my loop.html"), &length);

    ck_assert_str_eq(json_string_value(json_object_get(j, "verdict")), "met");
    ck_assert_str_eq(json_string_value(json_object_get(j, "file")), "my loop.html");
    ck_assert(number_at(j, "bytes") == (double)length);
    ck_assert(number_at(j, "rows") == 0);
    ck_assert_ptr_nonnull(strstr(html, "</html>"));
    /* Times in minutes wherever people see them. */
    json_decref(j);
    free(html);
    j = json_of(TOOL(dir, "report", "my loop.loop", "--minutes", "--json"), 0);
    html = get_file(path_in(dir, "my loop.html"), &length);
    ck_assert_ptr_nonnull(strstr(html, "dead time 0.2833 min"));
    json_decref(j);
    free(html);
    scratch_free(dir);
}
END_TEST

/* Wrong usage, and a record that the loop cannot do without. */
static const struct {
    const char *file, *content, *option;
    int status;
    const char *says;
} refused[] = {
    {"a.csv", "t,out,pv\n0,1,2\n", NULL, 2, "give a loop file"},
    {"a.loop", "[loop]\nname = x\n[record]\nfile = gone.csv\n", NULL, 4, "gone.csv"},
    {"a.loop", "[loop]\nname = x\n", "--outt=b", 2, "did you mean --out"},
    {"a.loop", "[loop]\nname = x\n[record]\nfile = r.csv\nvalidate = gone.csv\n", NULL, 4,
     "gone.csv"},
};

START_TEST(a_report_that_cannot_be_is_refused_with_the_reason)
{
    char *dir = scratch_make();
    outcome o;

    put_file(path_in(dir, "r.csv"), "t,out,pv\n0,1,2\n1,1,2\n2,2,2\n3,2,3\n");
    put_file(path_in(dir, refused[_i].file), refused[_i].content);
    o = TOOL(dir, "report", refused[_i].file, refused[_i].option);
    ck_assert_msg(o.status == refused[_i].status, "%d: %s", o.status, o.err);
    ck_assert_msg(strstr(o.err, refused[_i].says) != NULL, "%s", o.err);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* A table on the standard output has it for itself. */
static const struct {
    const char *words[6];
    int status;
    const char *says; /* what begins the output, or stands in the error */
} tables[] = {
    {{"trial", "my loop.loop", "--curves", "-"}, 0, "time_s,sp,"},
    {{"trial", "my loop.loop", "--open-step", "5", "--curves", "-"}, 0, "time_s,"},
    {{"search", "my loop.loop", "--kc=-9:-8:1", "--ti=40:50:10", "--runs", "-"}, 0, "turn,kc,"},
    {{"trial", "my loop.loop", "--curves", "-", "--json"},
     2,
     "--curves - and --json both want"},
    {{"trial", "my loop.loop", "--curves", "-", "--figure", "-"},
     2,
     "--curves - and --figure -"},
};

START_TEST(a_table_on_the_standard_output_stands_alone)
{
    char *dir = with_loop("[settings]\nkc = -9\nti = 46s\n");
    const char *const *w = tables[_i].words;
    outcome o = TOOL(dir, w[0], w[1], w[2], w[3], w[4], w[5]);
    const char *line, *end;
    size_t commas = 0, first = 0, at;

    ck_assert_msg(o.status == tables[_i].status, "%d: %s", o.status, o.err);
    if (o.status != 0) {
        ck_assert_msg(strstr(o.err, tables[_i].says) != NULL, "%s", o.err);
        ck_assert_str_eq(o.out, "");
    } else {
        ck_assert_msg(strncmp(o.out, tables[_i].says, strlen(tables[_i].says)) == 0, "%.80s",
                      o.out);
    }
    for (line = o.out; *line != '\0'; line = end + 1) { /* as many cells in every line */
        end = strchr(line, '\n');
        for (at = 0, commas = 0; line + at < end; at++) {
            commas += line[at] == ',';
        }
        first = line == o.out ? commas : first;
        ck_assert_uint_eq(commas, first);
    }
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(settings_by_hand_are_saved_and_no_rule_is_left_beside_them)
{
    char *dir = with_loop("[settings]\nrule = simc\nlambda = 17s\nkc = -11\nti = 46s\n");
    outcome o = TOOL(dir, "tune", "my loop.loop", "--kc=-7.5", "--ti=52s", "--td=3s",
                     "--sp-weight=0.6", "--anti-windup=conditional", "--save");
    rk_design loop;

    ck_assert_msg(o.status == 0, "%s", o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "as typed"));
    ck_assert_ptr_null(strstr(o.out, "amigo")); /* what is not saved is not shown */
    outcome_free(&o);
    ck_assert_int_eq(rk_design_read(path_in(dir, "my loop.loop"), &loop, NULL), RK_OK);
    ck_assert(loop.settings.kc == -7.5 && loop.settings.ti == 52 && loop.settings.td == 3);
    ck_assert(loop.settings.sp_weight == 0.6 && loop.settings.tf == 0.3);
    ck_assert_int_eq(loop.settings.anti_windup, RK_ANTI_WINDUP_CONDITIONAL);
    ck_assert_str_eq(loop.rule, "");
    ck_assert(isnan(loop.lambda));
    o = TOOL(dir, "tune", "my loop.loop", "--save");
    ck_assert_int_eq(o.status, 2);
    ck_assert_ptr_nonnull(strstr(o.err, "--rule NAME, or --kc and --ti"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

Suite *suite_report_command(void)
{
    Suite *suite = suite_create("cli/report");
    TCase *t = tcase_create("report");

    add_table(t, a_report_is_written_and_its_verdict_is_the_exit_status, reports);
    tcase_add_test(t, what_the_page_says_of_itself_comes_as_json);
    add_table(t, a_report_that_cannot_be_is_refused_with_the_reason, refused);
    add_table(t, a_table_on_the_standard_output_stands_alone, tables);
    tcase_add_test(t, settings_by_hand_are_saved_and_no_rule_is_left_beside_them);
    suite_add_tcase(suite, t);
    return suite;
}
