/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_PROGRAM_H
#define RKI_EMIT_PROGRAM_H

#include "block.h"
#include "plant.h"

/** All that a PLC needs of a loop: the blocks, the program that wires them, the task. */
typedef struct rki_project {
    const rk_design *loop;
    rk_number number;
    rki_controller controller;
    rk_rig_settings settings; /* of the instance, */
    rk_rig_settings defaults; /* and of the block */
    bool over_region;         /* kc_low and kc_high are over the model's 95 % region */
    rki_twin twin;
    bool has_twin;
    char prefix[RK_BLOCK_NAME_CHARS]; /* blend_brix */
    char interval[32];                /* T#1000ms */
    rk_variable global[RK_VARIABLES_MAX];
    int globals;
} rki_project;

rk_status rki_project_make(const rk_design *loop, rk_number number, rki_project *made,
                           rk_diag *diag);

/** The comment lines at the program's head: where its numbers come from, and how it is put to work. */
rk_status rki_add_program_head(rk_text *text, const rki_project *p, const char *lead,
                               rk_diag *diag);

/** Lines in which @ stands for the loop's prefix. */
void rki_add_wired(rk_text *text, const rki_project *p, const char *lines);

/** The program's own variables and its body. */
rki_block rki_program_block(const rki_project *p);

/** Has the loop a device at its port, of which the PLC may be the other side? */
bool rki_has_port(const rk_design *loop);

/** That side: a program of its own, before the loop's. */
rki_block rki_port_block(const rki_project *p);

/** Scans that a heartbeat may stand still. */
double rki_port_quiet_scans(const rk_design *loop);

/** A register's type: "UINT"; of a bit "BOOL". */
const char *rki_register_type(const rk_register *r);

/** How a register holds a value: counts = raw_0 + (value - value_0) * per_value. */
typedef struct rki_port_scaling {
    double raw_0, value_0, per_value, per_count;
    bool clamped, is_float;
    double low, high; /* counts, if it is clamped */
} rki_port_scaling;

void rki_port_scale(const rk_register *r, double low, double high, rki_port_scaling *made);

/** A time as the standard writes it, to the microsecond: T#1500.5ms. */
void rki_time(double seconds, char chars[32]);

/** A global's initial value as the standard writes it. */
void rki_global_initial(const rk_variable *g, rk_number number, char chars[RK_REAL_CHARS + 8]);

/** The type of a channel's counts, "INT" or "DINT"; NULL: it has none. */
const char *rki_raw_type(const double raw[2]);

/** The globals, in the order of the list. */
void rki_list_globals(rki_project *p);

#endif
