/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_REFERENCE_H
#define RKI_PROVE_REFERENCE_H

#include <redkettle/emit/emit.h>

/**
 * What a loop's program must do, said once more: rk_loop on a port that is moved by hand, with
 * the program's start, simulation, counts and watch on the task around it. It shares its
 * variables with the outside as the program does.
 */
typedef struct rki_reference {
    const rk_design *loop;
    rk_number number;
    rk_rig *rig;
    rk_rig_settings
        fixed; /* what the program gives as numbers; the rest stands in `variable` */
    bool has_twin;
    double out_rest; /* the twin's operating point */
    rk_variable list[RK_VARIABLES_MAX];
    double variable[RK_VARIABLES_MAX]; /* its value now; of a BOOL 0 or 1 */
    int variables;

    bool begun, simulated, started;
    int scans;         /* since the watch on the interval began */
    double watch_from; /* clock, s */
    double last;       /* clock of the last scan, s; NaN: there was none */
    double out;        /* the controller's */
} rki_reference;

/** Errors  as rk_emit_program_st. */
rk_status rki_reference_make(const rk_design *loop, rk_number number, rki_reference *made,
                             rk_diag *diag);
void rki_reference_free(rki_reference *r);

/** A cold start, or a warm one: the variables that are retained stay. Errors  RK_ERR_MEMORY. */
rk_status rki_reference_restart(rki_reference *r, bool warm, rk_diag *diag);

/** One scan at a clock, s. */
void rki_reference_scan(rki_reference *r, double clock);

/** Where a variable stands in the list; a word that the loop has none of: -1. */
int rki_reference_find(const rki_reference *r, const char *word);

/** A variable that the loop may not have: then 0, or nothing is done. */
double rki_reference_get(const rki_reference *r, const char *word);
void rki_reference_put(rki_reference *r, const char *word, double value);

#endif
