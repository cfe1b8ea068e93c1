/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_VERSION_H
#define REDKETTLE_VERSION_H

#define RK_VERSION "0.1.0"

#endif
