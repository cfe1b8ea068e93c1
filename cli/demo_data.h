/* SPDX-License-Identifier: MIT */
#ifndef DEMO_DATA_H
#define DEMO_DATA_H

#include <stddef.h>

/* The files of data/ that the demo works on, put into the program by the build. */
extern const unsigned char demo_record[], demo_loop[], demo_physics[], demo_device[];
extern const size_t demo_record_length, demo_loop_length, demo_physics_length,
    demo_device_length;

#endif
