/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_VERSION_H
#define REDKETTLE_VERSION_H

/** The version as a text, and as a number to compare: 10000 major + 100 minor + patch. */
#define RK_VERSION "0.1.0"
#define RK_VERSION_NUMBER 100

#endif
