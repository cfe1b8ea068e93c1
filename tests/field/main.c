/* SPDX-License-Identifier: MIT */
#include "../support/support.h"

Suite *suite_signals(void);
Suite *suite_clock(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_signals, suite_clock};

    return run_suites(makers, COUNT(makers));
}
