/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

static const struct {
    const char *name;
    rk_figure_format format;
    const char *starts_with;
    size_t at;
} formats[] = {
    {"a.png", RK_FIGURE_PNG, "\x89PNG", 0},
    {"b.svg", RK_FIGURE_SVG, "<?xml", 0},
    {"c.pdf", RK_FIGURE_PDF, "%PDF-", 0},
    {"-", RK_FIGURE_TERMINAL, "", 0},
};

static rk_design named_loop(void)
{
    rk_design loop = rk_design_make();

    strcpy(loop.name, "It's \"Brix\" $x `y` \\n");
    strcpy(loop.pv_units, "\xC2\xB0"
                          "Bx");
    return loop;
}

static rk_text *fit_figure(rk_figure_format format)
{
    const recipe r = {-0.5, 20, 6.4, 60, 40, 1, 240, 0.05, 0, 0, 5, {{20, 5}, {120, -8}}};
    const rk_figure_style style = {format, 90, 30, false};
    const rk_design loop = named_loop();
    rk_text *image = rk_text_create();
    rk_record *record = cook(&r);
    rk_diag diag = {RK_OK, ""};
    rk_fit fit;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    ck_assert_msg(rk_figure_fit(&loop, record, &fit, NULL, NULL, &style, image, &diag) == RK_OK,
                  "%s", diag.text);
    rk_record_free(record);
    return image;
}

/* A run of many scans whose PV is a straight ramp, with one scan that is off. */
static size_t ramp_figure(size_t rows, size_t off_at, rk_text *image)
{
    const rk_figure_style style = {.format = RK_FIGURE_SVG};
    const rk_design loop = named_loop();
    double *all = calloc(4 * rows, sizeof *all);
    const rk_run_curves run = {"a", rows, all, all + rows, all + (2 * rows), all + (3 * rows)};
    size_t i;

    for (i = 0; i < rows; i++) {
        all[i] = (double)i;
        all[(2 * rows) + i] = 10 + ((double)i / (double)rows) + (i == off_at ? 0.5 : 0);
    }
    ck_assert_int_eq(rk_figure_run(&loop, "a ramp", &run, 1, &style, image, NULL), RK_OK);
    free(all);
    return rk_text_length(image);
}

/* The same ends, and a corner between them or none: PV rises in the second half, or in the first, alone. */
static void corner_figure(int corner, rk_text *image)
{
    enum { ROWS = 900 };
    const rk_figure_style style = {.format = RK_FIGURE_SVG};
    const rk_design loop = named_loop();
    double all[4][ROWS] = {{0}};
    const rk_run_curves run = {"a", ROWS, all[0], all[1], all[2], all[3]};
    int i;

    for (i = 0; i < ROWS; i++) {
        const double part = 2.0 * i / (ROWS - 1);

        all[0][i] = i;
        all[2][i] = 10 + (corner > 0   ? fmax(part - 1, 0)
                          : corner < 0 ? fmin(part, 1)
                                       : part / 2);
    }
    ck_assert_int_eq(rk_figure_run(&loop, "a ramp", &run, 1, &style, image, NULL), RK_OK);
}

START_TEST(a_corner_is_drawn_whichever_way_it_turns)
{
    rk_text *straight = rk_text_create(), *corner = rk_text_create();

    corner_figure(0, straight);
    corner_figure(_i == 0 ? 1 : -1, corner);
    ck_assert_str_ne(rk_text_chars(straight), rk_text_chars(corner));
    rk_text_free(straight);
    rk_text_free(corner);
}
END_TEST

/* What lies on a straight line takes no room in a picture; what does not is there, however short. */
START_TEST(a_picture_holds_what_can_be_seen_and_no_more)
{
    static const size_t rows[] = {900, 30000};
    rk_text *least = rk_text_create();
    const size_t little = ramp_figure(10, 10, least);
    size_t i;

    for (i = 0; i < COUNT(rows); i++) {
        rk_text *ramp = rk_text_create(), *spike = rk_text_create();
        const size_t length = ramp_figure(rows[i], rows[i], ramp);
        const size_t with = ramp_figure(rows[i], rows[i] / 3, spike);

        ck_assert_msg(length < little + 200, "%zu bytes for a straight line, %zu for 10 rows",
                      length, little);
        ck_assert_str_ne(rk_text_chars(ramp), rk_text_chars(spike));
        ck_assert_msg(with < length + 600, "%zu bytes with a spike, %zu without", with, length);
        rk_text_free(ramp);
        rk_text_free(spike);
    }
    rk_text_free(least);
}
END_TEST

START_TEST(a_figure_comes_in_the_format_its_name_asks_for)
{
    rk_figure_format format;
    rk_text *image;

    ck_assert_int_eq(rk_figure_format_from_name(formats[_i].name, &format, NULL), RK_OK);
    ck_assert_int_eq((int)format, (int)formats[_i].format);
    image = fit_figure(format);
    ck_assert_uint_gt(rk_text_length(image), 1000);
    ck_assert_mem_eq(rk_text_chars(image), formats[_i].starts_with,
                     strlen(formats[_i].starts_with));
    rk_text_free(image);
}
END_TEST

START_TEST(other_names_are_refused)
{
    static const char *const names[] = {"a.jpg", "a", ".png", "png", "", "a.PNG.txt"};
    rk_diag diag = {RK_OK, ""};
    rk_figure_format format;
    size_t i;

    for (i = 0; i < COUNT(names); i++) {
        char quoted[16];

        ck_assert_int_eq(rk_figure_format_from_name(names[i], &format, &diag), RK_ERR_RANGE);
        (void)snprintf(quoted, sizeof quoted, "'%s'", names[i]);
        ck_assert_msg(strstr(diag.text, quoted) != NULL, "%s: %s", names[i], diag.text);
    }
    ck_assert_int_eq(rk_figure_format_from_name(NULL, &format, NULL), RK_ERR_ARG);
}
END_TEST

/* Words of an SVG figure are text in it. */
START_TEST(the_fit_figure_shows_the_models_numbers)
{
    rk_text *image = fit_figure(RK_FIGURE_SVG);
    const char *svg = rk_text_chars(image);

    ck_assert_ptr_nonnull(strstr(svg, "gain -0."));
    ck_assert_ptr_nonnull(strstr(svg, "time constant "));
    ck_assert_ptr_nonnull(strstr(svg, "dead time "));
    ck_assert_ptr_nonnull(strstr(svg, "PV, \xC2\xB0"
                                      "Bx"));
    ck_assert_ptr_nonnull(strstr(svg, "time, s"));
    ck_assert_ptr_nonnull(strstr(svg, "It&#39;s") != NULL ? strstr(svg, "It&#39;s")
                                                          : strstr(svg, "It's"));
    rk_text_free(image);
}
END_TEST

START_TEST(the_trial_figure_names_every_case)
{
    const rk_trial_plan plan = {
        .sp_step = 1, .load_step = 2, .load_at = 60, .duration = 120, .band = 0.02};
    const rk_figure_style style = {RK_FIGURE_SVG, 0, 0, true};
    const rk_design loop = named_loop();
    rk_text *image = rk_text_create();
    rk_trial *trials[2];
    rk_trial_case c = {.plant = fopdt(2, 10, 3), .limits = {-10, 0.6, 1e9}, .ts = 1};
    int i;

    for (i = 0; i < 2; i++) {
        strcpy(c.name, i == 0 ? "brisk one" : "calm one");
        c.settings = rk_settings_make(i == 0 ? 0.8 : 0.3, 10, 0, 0);
        ck_assert_int_eq(rk_trial_create(&c, &plan, &trials[i], NULL), RK_OK);
    }
    ck_assert_int_eq(rk_figure_trial(&loop, &plan, (const rk_trial *const *)trials, 2, NULL,
                                     &style, image, NULL),
                     RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "brisk one"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "calm one"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "time, min"));
    ck_assert_int_eq(rk_figure_trial(&loop, &plan, (const rk_trial *const *)trials, 0, NULL,
                                     &style, image, NULL),
                     RK_ERR_ARG);
    rk_trial_free(trials[0]);
    rk_trial_free(trials[1]);
    rk_text_free(image);
}
END_TEST

START_TEST(the_frequency_figures_say_what_they_show)
{
    const rk_figure_style style = {RK_FIGURE_SVG, 0, 0, false};
    const rk_check_plan plan = rk_check_plan_make();
    rk_design loop = named_loop();
    rk_text *image = rk_text_create();
    rk_check check;

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(2, 10, 3);
    loop.settings = rk_settings_make(0.8, 10, 0, 0);
    loop.ts = 1;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert_int_eq(rk_figure_frequency(&loop, &check, &plan, &style, image, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "gain margin "));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "phase margin "));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "as scanned every 1 s"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "Ms "));
    rk_text_free(image);
    image = rk_text_create();
    ck_assert_int_eq(rk_figure_model(&loop, 3, &style, image, NULL), RK_OK);
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(image), "dead time rational, order 3: good to "));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(image), "half the sampling frequency"));
    ck_assert_int_eq(rk_figure_model(&loop, 0, &style, image, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_figure_frequency(&loop, NULL, &plan, &style, image, NULL), RK_ERR_ARG);
    rk_text_free(image);
}
END_TEST

START_TEST(without_gnuplot_the_error_says_what_to_install)
{
    const recipe r = {-0.5, 20, 6.4, 60, 40, 1, 240, 0.05, 0, 0, 5, {{20, 5}}};
    const rk_figure_style style = {RK_FIGURE_PNG, 0, 0, false};
    const rk_design loop = named_loop();
    rk_text *image = rk_text_create();
    rk_record *record = cook(&r);
    rk_diag diag = {RK_OK, ""};
    rk_fit fit;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    ck_assert_int_eq(setenv("PATH", "/nowhere", 1), 0);
    ck_assert_int_eq(rk_figure_fit(&loop, record, &fit, NULL, NULL, &style, image, &diag),
                     RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "gnuplot not found"));
    ck_assert_uint_eq(rk_text_length(image), 0);
    rk_record_free(record);
    rk_text_free(image);
}
END_TEST

static Suite *suite_figure(void)
{
    Suite *suite = suite_create("draw");
    TCase *t = tcase_create("figure");

    add_table(t, a_figure_comes_in_the_format_its_name_asks_for, formats);
    tcase_add_test(t, a_picture_holds_what_can_be_seen_and_no_more);
    tcase_add_loop_test(t, a_corner_is_drawn_whichever_way_it_turns, 0, 2);
    tcase_add_test(t, other_names_are_refused);
    tcase_add_test(t, the_fit_figure_shows_the_models_numbers);
    tcase_add_test(t, the_trial_figure_names_every_case);
    tcase_add_test(t, the_frequency_figures_say_what_they_show);
    tcase_add_test(t, without_gnuplot_the_error_says_what_to_install);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_figure};

    return run_suites(makers, COUNT(makers));
}
