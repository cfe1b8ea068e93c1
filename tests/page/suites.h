/* SPDX-License-Identifier: MIT */
#ifndef PAGE_SUITES_H
#define PAGE_SUITES_H

#include <check.h>

Suite *suite_page(void);
Suite *suite_browser(void);

#endif
