/* SPDX-License-Identifier: MIT */
#include "../support/support.h"
#include "suites.h"

int main(void)
{
#ifdef RK_TEST_BROWSER
    static Suite *(*const makers[])(void) = {suite_page, suite_browser};
#else
    static Suite *(*const makers[])(void) = {suite_page};
#endif

    return run_suites(makers, COUNT(makers));
}
