/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_REFERENCE_H
#define RKI_PROVE_REFERENCE_H

#include <redkettle/emit/emit.h>

/** The variables that the program itself has to do with. */
typedef enum rki_word {
    RKI_SP,
    RKI_AUTOMATIC,
    RKI_MANUAL_OUT,
    RKI_PV_RAW,
    RKI_PV,
    RKI_PV_GOOD,
    RKI_VALVE_KNOWN,
    RKI_VALVE_OUT,
    RKI_TRACKING,
    RKI_TRACK_OUT,
    RKI_APPLIED_ON,
    RKI_APPLIED,
    RKI_FEEDFORWARD,
    RKI_OUT_LOW,
    RKI_OUT_HIGH,
    RKI_OUT_SAFE,
    RKI_SIMULATE,
    RKI_LOAD,
    RKI_SIM_PV,
    RKI_SIM_OUT,
    RKI_OUT_RAW,
    RKI_OUT,
    RKI_SCAN_WRONG,
    RKI_RAN,
    RKI_WORDS
} rki_word;

/** More than any list of pins has. */
enum { RKI_PINS_MOST = 48 };

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
    int place[RKI_WORDS]; /* of a word in the list; -1: the loop has none */
    int setting[RKI_PINS_MOST], output[RKI_PINS_MOST]; /* of the pins; -1: none */

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

/** A number as the program's number type has it. */
double rki_in_text(const rki_reference *r, double value);

/** Where the variables of pins stand in the list. */
void rki_reference_places(const rki_reference *r, const rk_rig_pin *pin, int *place);

/** A variable that the loop may not have: then 0, or nothing is done. */
double rki_reference_get(const rki_reference *r, rki_word word);
void rki_reference_put(rki_reference *r, rki_word word, double value);

#endif
