/* SPDX-License-Identifier: MIT */
#include "../support/support.h"

Suite *suite_diag(void);
Suite *suite_scans(void);
Suite *suite_keys(void);
Suite *suite_margins(void);
Suite *suite_tune(void);
Suite *suite_settings(void);
Suite *suite_trial(void);
Suite *suite_fit(void);
Suite *suite_fit_ipdt(void);
Suite *suite_fit_kinds(void);
Suite *suite_fit_regimes(void);
Suite *suite_fit_least_squares(void);
Suite *suite_inspect(void);
Suite *suite_bump(void);
Suite *suite_check(void);
Suite *suite_check_parts(void);
Suite *suite_judged(void);
Suite *suite_trial_kinds(void);
Suite *suite_trial_truth(void);
Suite *suite_sampled(void);
Suite *suite_predicted(void);
Suite *suite_model_set(void);
Suite *suite_sweep(void);
Suite *suite_search(void);
Suite *suite_search_table(void);
Suite *suite_process(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {
        suite_diag,         suite_scans,       suite_keys,        suite_margins,
        suite_tune,         suite_settings,    suite_trial,       suite_fit,
        suite_fit_ipdt,     suite_fit_kinds,   suite_fit_regimes, suite_fit_least_squares,
        suite_inspect,      suite_bump,        suite_check,       suite_check_parts,
        suite_judged,       suite_trial_kinds, suite_trial_truth, suite_sampled,
        suite_predicted,    suite_model_set,   suite_sweep,       suite_search,
        suite_search_table, suite_process};

    return run_suites(makers, COUNT(makers));
}
