/* SPDX-License-Identifier: MIT */
#include "../support/support.h"

Suite *suite_signals(void);
Suite *suite_clock(void);
Suite *suite_field_device(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_signals, suite_clock, suite_field_device};

    return run_suites(makers, COUNT(makers));
}
