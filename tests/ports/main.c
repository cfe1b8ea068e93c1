/* SPDX-License-Identifier: MIT */
#include "../support/support.h"

Suite *suite_numbers(void);
Suite *suite_port(void);
Suite *suite_device(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_numbers, suite_port, suite_device};

    return run_suites(makers, COUNT(makers));
}
