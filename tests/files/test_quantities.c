/* SPDX-License-Identifier: MIT */
/* Loop files with named quantities and a process made of parts: what expressions are worth, where a
   flaw is named, what tolerances make of the model, what stands for what. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

static rk_status read_text(const char *text, rk_design *d, rk_diag *diag)
{
    char *dir = scratch_make(), *path = strdup(path_in(dir, "q.loop"));
    rk_status status;

    put_file(path, text);
    status = rk_design_read(path, d, diag);
    free(path);
    scratch_free(dir);
    return status;
}

/* Beside a = 2, b = 3, c = a/b and minutes = 2min. */
static const struct {
    const char *expression;
    double value;
} values[] = {
    {"a", 2},
    {"a + b * a", 8},
    {"(a + b) * a", 10},
    {"a - b - a", -3},
    {"b / a / a", 0.75},
    {"a^b^a", 512},
    {"-a^2", -4},
    {"2 ^ -1", 0.5},
    {"- -a", 2},
    {"+a", 2},
    {"c * b", 2},
    {"sqrt(a * 8) + exp(0) * log(exp(b))", 7},
    {"sqrt(0) + 1", 1},
    {"1.5e1 - .5", 14.5},
    {"2E-1*a", 0.4},
    {"minutes / 1h", 120.0 / 3600},
    {"200ms * 5", 1},
    {"((((a))))", 2},
};

START_TEST(an_expression_is_worth_what_it_says)
{
    char text[512];
    rk_diag diag = {RK_OK, ""};
    rk_design d;

    (void)snprintf(
        text, sizeof text,
        "[let]\nc = a/b ; later ones too\na = 2\nb = 3\nminutes = 2min\n[model]\ngain = "
        "%s\ntime-constant = 3\ndead-time = 1\n",
        values[_i].expression);
    ck_assert_msg(read_text(text, &d, &diag) == RK_OK, "%s: %s", values[_i].expression,
                  diag.text);
    ck_close(d.model.gain, values[_i].value, 1e-14);
    ck_assert(isnan(d.covariance.c[0][0])); /* nothing has a tolerance */
}
END_TEST

/* In every kind of number, beside plain ones, and before what it is made of. */
START_TEST(any_number_may_be_an_expression)
{
    rk_design d;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(
        read_text(
            "[loop]\nscan = t / 20\nname = t\n[pv]\nlow = -s\nhigh = s\n[model]\nkind = sopdt\ngain = 1\n"
            "time-constant = t, 2 * t\ndead-time = 3s\ngain-95 = 1 - p, 1 + p\n[let]\nt = "
            "40s\ns = 5 * p\np = 0.2\n[settings]\nkc = 2 * p\nti = t\n[require]\nms = 1 + "
            "p\novershoot = 10\n",
            &d, &diag) == RK_OK,
        "%s", diag.text);
    ck_assert_str_eq(d.name, "t");
    ck_assert_double_eq(d.ts, 2);
    ck_assert_double_eq(d.pv_low, -1);
    ck_assert_double_eq(d.pv_high, 1);
    ck_assert_double_eq(d.model.time_constant[0], 80); /* the longer first */
    ck_assert_double_eq(d.model.time_constant[1], 40);
    ck_assert_double_eq(d.gain95[0], 0.8);
    ck_assert_double_eq(d.settings.kc, 0.4);
    ck_assert_double_eq(d.settings.ti, 40);
    ck_assert_double_eq(d.requirements.limit[RK_REQUIRE_MS], 1.2);
}
END_TEST

#define BAD(let, gain)                                                                         \
    "[let]\n" let "\n[model]\ngain = " gain "\ntime-constant = 3\ndead-time = 1\n"

#define A8 "a,a,a,a,a,a,a,a,"

/* What is wrong, and its line and column. */
static const struct {
    const char *text, *says;
} flaws[] = {
    {BAD("a = 2", "a/0"), "q.loop:4:9: division by zero"},
    {BAD("a = 2", "1 / (a - 2)"), "q.loop:4:10: division by zero"},
    {BAD("a = 2", "bb"), "q.loop:4:8: unknown name 'bb'; known: a, sqrt, exp, log"},
    {BAD("mass = 2", "2*mas"), "q.loop:4:10: unknown name 'mas'; did you mean mass?"},
    {BAD("a = b\nb = a + 1", "a"), "q.loop:3:5: 'a' is made of itself"},
    {BAD("a = a", "1"), "q.loop:2:5: 'a' is made of itself"},
    {BAD("a = 2 +- 100%", "a"), "q.loop:2:7: a tolerance of 100 % or more"},
    {BAD("a = -2 +- 2", "a"), "q.loop:2:8: a tolerance of 100 % or more"},
    {BAD("a = 2 +- 0%", "a"), "q.loop:2:7: a tolerance of 0"},
    {BAD("a = 2 +- -1", "a"), "q.loop:2:7: a tolerance of -1"},
    {BAD("a = 2", "a +- 5%"), "q.loop:4:10: a tolerance belongs into [let]"},
    {BAD("a = 2", "(a"), "q.loop:4:10: a ')' is missing"},
    {BAD("a = 2", "a)"), "q.loop:4:9: ')' has no meaning here"},
    {BAD("a = 2", "sqrt a"), "q.loop:4:13: a '(' is missing"},
    {BAD("a = 2 3", "a"), "q.loop:2:7: '3' has no meaning here"},
    {BAD("a = ", "a"), "q.loop:2:"},
    {BAD("a = 2", "a *"), "q.loop:4:11: a number or a name is missing"},
    {BAD("a = 2", "a $ 2"), "'$ 2' has no meaning here"},
    {BAD("a = 2m", "a"), "q.loop:2:5: '2m' is not a number, nor a time"},
    {BAD("a = 1.2.3", "a"), "q.loop:2:5: '1.2.3' is not a number"},
    {BAD("a = sqrt(-1)", "a"), "q.loop:2:5: sqrt of -1 does not exist"},
    {BAD("a = log(0)", "a"), "q.loop:2:5: log of 0 does not exist"},
    {BAD("a = (-8)^0.5", "a"), "this power does not exist"},
    {BAD("a = exp(1000)", "a"), "q.loop:2:5: this is beyond all numbers"},
    {BAD("a = 1e308 * 10", "a"), "beyond all numbers"},
    {BAD("2a = 1", "1"), "q.loop:2:1: '2a' cannot name a quantity"},
    {BAD("exp = 1", "1"), "q.loop:2:1: 'exp' cannot name a quantity"},
    {BAD("a-b = 1", "1"), "q.loop:2:1: 'a-b' cannot name a quantity"},
    {BAD("a = 1\na = 2", "1"), "q.loop:3:1: 'a' is given twice, in line 2"},
    {BAD("a = 0", "a"), "q.loop:4: gain '0.0' is out of range"},
    {"[let]\na = 2\n[process]\ngain = a\nlags = 1s, 0*a\n",
     "q.loop:5: lags '1s,0.0' is out of range"},
    {"[let]\na = 2\n[process]\ngain = a\nlags = 1,2,3,4,5,6,7,8,a\n", "not one to eight times"},
    {"[let]\na = 1/3\n[process]\ngain = a\nlags = " A8 A8 A8 A8 "a\n",
     "is too long once it is worked out"},
    {"[process]\ngain = 1\nlags = 0s\n", "q.loop:3: lags '0s' is out of range"},
    {"[process]\ngain = 1\nlags = 1,2,3,4,5,6,7,8,9\n", "not one to eight times"},
    {"[process]\ngain = 1\nlags = 4,5s\n", "could be two times or one with a decimal comma"},
    {"[process]\nlags = 1\n", "[process] has no gain"},
    {"[process]\ngain = 1\n", "[process] has no lags"},
    {"[process]\ngain = 1\nlags = 3\ninverse-response = 2s\n", "would make PV jump"},
    {"[process]\ngain = 1\nlags = 3\n[model]\nkind = ipdt\n", "fopdt or sopdt, not to ipdt"},
    {"[process]\ngain = 1\nintegrating = yes\n[model]\nkind = fopdt\n", "ipdt or ipdt-lag"},
    {"[process]\ngain = 1\nlags = 3\n[model]\ngain = -1\ntime-constant = 3\ndead-time = 0\n",
     "different signs"},
    {"[process]\ngain = 1\nlag = 3\n", "did you mean lags?"},
    {"[process]\ngain = 1\nlags = 3, 4\n[settings]\nkc = 1\nti = 3\npredictor = yes\n",
     "give [loop] scan"},
};

START_TEST(a_flaw_is_named_with_its_place)
{
    rk_design d;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_ne(read_text(flaws[_i].text, &d, &diag), RK_OK);
    ck_assert_msg(strstr(diag.text, flaws[_i].says) != NULL, "'%s' does not say '%s'",
                  diag.text, flaws[_i].says);
}
END_TEST

/* Brackets without end, and as many quantities as there is room for. */
START_TEST(there_is_an_end_to_everything)
{
    rk_text *text = rk_text_create();
    rk_design d;
    rk_diag diag = {RK_OK, ""};
    int i;

    rk_text_add(text, "[let]\na = ");
    for (i = 0; i < 100; i++) {
        rk_text_add(text, "(");
    }
    rk_text_add(text, "\n[loop]\nscan = 1\n");
    ck_assert_int_ne(read_text(rk_text_chars(text), &d, &diag), RK_OK);
    ck_assert_ptr_nonnull(strstr(diag.text, "within each other"));
    rk_text_free(text);
    for (i = 64; i <= 65; i++) {
        int k;

        text = rk_text_create();
        rk_text_add(text, "[let]\n");
        for (k = 0; k < i; k++) {
            rk_text_add(text, "q%d = %d\n", k, k);
        }
        rk_text_add(text, "[loop]\nscan = q63\n");
        diag = (rk_diag){RK_OK, ""};
        ck_assert_int_eq(read_text(rk_text_chars(text), &d, &diag) == RK_OK, i == 64);
        ck_assert(i == 64 || strstr(diag.text, "at most 64 quantities") != NULL);
        rk_text_free(text);
    }
}
END_TEST

/* Tolerances are 95 % intervals of independent numbers: to first order their parts add in squares. */
START_TEST(tolerances_become_the_models_uncertainty)
{
    const double part = 1.959963984540054;
    rk_design d;
    rk_diag diag = {RK_OK, ""};
    rk_model_set set;

    ck_assert_msg(
        read_text("[let]\na = 4 +- 5%\nb = 3 +- 0.3\nc = 2 +- 1%\n[model]\ngain = a * b\n"
                  "time-constant = b\ndead-time = c + 1\n",
                  &d, &diag) == RK_OK,
        "%s", diag.text);
    ck_close(d.model.gain, 12, 1e-14);
    ck_close(part * sqrt(d.covariance.c[0][0]), sqrt((0.6 * 0.6) + (1.2 * 1.2)), 1e-9);
    ck_close(d.covariance.c[0][1], 1.2 * 0.3 / (part * part), 1e-9);
    ck_close(part * sqrt(d.covariance.c[1][1]), 0.3, 1e-9);
    ck_close(part * sqrt(d.covariance.c[4][4]), 0.02, 1e-9);
    ck_assert_double_eq_tol(d.covariance.c[1][4], 0, 1e-18);
    ck_close(d.tau95[0][1], 3.3, 1e-9);
    ck_close(d.dead_time95[0], 2.98, 1e-9);
    ck_assert_int_eq(
        rk_model_set_from_covariance(&d.model, &d.covariance, RK_OVER_WORST, &set, NULL),
        RK_OK);
    /* One of them alone: the others are sure. */
    ck_assert_int_eq(read_text("[let]\na = 4 +- 5%\n[model]\ngain = 2\ntime-constant = a\n"
                               "dead-time = 1\n",
                               &d, &diag),
                     RK_OK);
    ck_assert_double_eq(d.covariance.c[0][0], 0);
    ck_assert_int_eq(
        rk_model_set_from_covariance(&d.model, &d.covariance, RK_OVER_WORST, &set, NULL),
        RK_OK);
    ck_assert_double_eq(set.model[set.count - 1].gain, 2);
    /* An end that is no model any more is told, with the line of the quantity. */
    ck_assert_int_ne(read_text("[let]\na = 4 +- 50%\n[model]\ngain = 2\ntime-constant = a - 3\n"
                               "dead-time = 1\n",
                               &d, &diag),
                     RK_OK);
    ck_assert_msg(strstr(diag.text, "q.loop:2: at the low end of its tolerance") != NULL, "%s",
                  diag.text);
}
END_TEST

/* The model is the reduction, unless one is given; the plant is the process, unless it is given. */
START_TEST(a_process_stands_for_model_and_plant)
{
    rk_design d;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(
        read_text("[process]\ngain = 2\nlags = 4s, 46s, 6s\ndead-time = 3s\nout0 = 40\n"
                  "pv0 = 12\n",
                  &d, &diag) == RK_OK,
        "%s", diag.text);
    ck_assert(d.has_process && d.has_model && d.has_plant);
    ck_assert_int_eq(d.process.kind, RK_MODEL_PROCESS);
    ck_assert_int_eq(d.process.lags, 3);
    ck_assert_double_eq(d.process.lag[0], 4);
    ck_assert_int_eq(d.model.kind, RK_MODEL_FOPDT);
    ck_assert_double_eq(d.model.gain, 2);
    ck_assert_double_eq(d.model.out0, 40);
    ck_assert_double_eq(d.model.pv0, 12);
    ck_assert(d.reduction_percent > 0 && d.reduction_percent < 5);
    ck_assert_int_eq(d.plant.model.kind, RK_MODEL_PROCESS);
    ck_assert_ptr_eq(rk_design_process(&d), &d.process);
    ck_assert_int_eq(
        read_text(
            "[process]\ngain = 2\nlags = 4s, 46s, 6s\n[model]\nkind = sopdt\n[plant]\nnoise = "
            "0.1\n",
            &d, &diag),
        RK_OK);
    ck_assert_int_eq(d.model.kind, RK_MODEL_SOPDT);
    ck_assert_int_eq(d.plant.model.kind, RK_MODEL_PROCESS);
    ck_assert_double_eq(d.plant.noise, 0.1);
    ck_assert_int_eq(
        read_text("[process]\ngain = 2\nintegrating = yes\nlags = 6s\n", &d, &diag), RK_OK);
    ck_assert_int_eq(d.model.kind, RK_MODEL_IPDT);
    ck_assert_int_eq(
        read_text(
            "[process]\ngain = 2\nlags = 4s, 46s\n[model]\ngain = 3\ntime-constant = 50s\n"
            "dead-time = 5s\n[plant]\ngain = 4\ntime-constant = 40s\ndead-time = 2s\n",
            &d, &diag),
        RK_OK);
    ck_assert_double_eq(d.model.gain, 3);
    ck_assert(isnan(d.reduction_percent));
    ck_assert_double_eq(d.plant.model.gain, 4);
    ck_assert_ptr_eq(rk_design_process(&d), &d.process);
}
END_TEST

Suite *suite_quantities(void)
{
    Suite *suite = suite_create("files/quantities");
    TCase *t = tcase_create("quantities");

    add_table(t, an_expression_is_worth_what_it_says, values);
    tcase_add_test(t, any_number_may_be_an_expression);
    add_table(t, a_flaw_is_named_with_its_place, flaws);
    tcase_add_test(t, there_is_an_end_to_everything);
    tcase_add_test(t, tolerances_become_the_models_uncertainty);
    tcase_add_test(t, a_process_stands_for_model_and_plant);
    suite_add_tcase(suite, t);
    return suite;
}
