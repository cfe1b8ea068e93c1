/* SPDX-License-Identifier: MIT */
#ifndef RUN_PLC_H
#define RUN_PLC_H

#include "cli.h"

/** A loop's emitted program in the stand-in PLC, to run in the place of the blocks. */
typedef struct run_plc run_plc;

/** From the directory that emit wrote; an exit status. */
int run_plc_load(const job *j, const char *dir, run_plc **made);
void run_plc_free(run_plc *p);

/** Has the program a variable for each setting in which this loop is another? */
rk_status run_plc_can(const run_plc *p, const rk_design *after, rk_diag *diag);

/** What rk_live_set_engine takes; the valve stands at `out`. */
rk_live_engine run_plc_engine(run_plc *p, double out);

#endif
