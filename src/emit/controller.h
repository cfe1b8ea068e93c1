/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_CONTROLLER_H
#define RKI_EMIT_CONTROLLER_H

#include <redkettle/device/pid.h>
#include <redkettle/emit/emit.h>

/** What all program texts of a controller are made from. */
typedef struct rki_controller {
    const rk_design *loop;
    rk_number number;
    rk_rig_coefficients k; /* the emitted ones */
    char name[RK_BLOCK_NAME_CHARS];
    char upper_name[RK_BLOCK_NAME_CHARS];
    rk_pid_params params;
    rk_pid block;     /* initialised, in double */
    double out_start; /* the safe output, or the low limit */
    bool derivative, rate, conditional, filter;
    bool last;      /* the last scan's error counts too */
    bool velocity;  /* it adds moves to the output */
    bool ramp;      /* of the setpoint */
    bool deadband;  /* of the error */
    bool biased;    /* without integral action: it goes to its bias */
    bool on_off;    /* two-position control */
    bool predictor; /* a dead-time compensator, of these models */
    bool second;    /* they have a second state */
    rk_plant_params whole, quick;
    const char *seen; /* pv behind filter and predictor: "seen", or "pv" where there is none */
    const char *sp;   /* what the law sees as the setpoint: "sp", or "sp_now" of a ramp .. */
    const char *pv; /* .. and as pv: "pv", "seen" behind its filter, "nearer" by the deadband */
} rki_controller;

/** A coefficient of the emitted block; name in lower case. */
typedef struct rki_constant {
    const char *name;
    double value;
    const char *comment;
} rki_constant;

enum { RKI_CONSTANTS_MAX = 32 };

/** Has a model of this kind a second state? */
bool rki_has_second_state(rk_model_kind kind);

/** The coefficients that this controller uses, in the order in which they are written. */
int rki_controller_constants(const rki_controller *c, rki_constant list[RKI_CONSTANTS_MAX]);

/** Check the loop and compute the coefficients, by the device block itself. */
rk_status rki_controller_make(const rk_design *loop, rk_number number, rki_controller *made,
                              rk_diag *diag);

/** The loop's name as a word of the standard's and of C, with an ending: "_controller". */
void rki_block_name(const rk_design *loop, const char *ending, char name[RK_BLOCK_NAME_CHARS]);

/** The kc in which the loop is stable: over the model's 95 % region where that is known and there
 * is such a kc, else on the model alone; NaN: not known. Errors  as rk_loop_margins_compute. */
rk_status rki_kc_range(const rk_design *loop, double kc[2], bool *over_region, rk_diag *diag);

/** As rk_emit_rig_settings. */
rk_status rki_settings_make(const rk_design *loop, rk_number number, bool slim,
                            rk_rig_settings *settings, bool *over_region, rk_diag *diag);

/** The longest ending of a name in program text. */
enum { RKI_ENDING_MOST = 12 };

/** The same for program text, no longer than the loop's PLC takes, in lower case or, where the
 * ending is in capitals, in them. */
void rki_name(const rk_design *loop, const char *ending, char name[RK_BLOCK_NAME_CHARS]);

/*
 * Code is written for LREAL and double first. rki_add_code turns it into the number type that
 * is asked for: LREAL into REAL, double into float, 0.0 into 0.0f.
 */
void rki_add_st_code(rk_text *text, const rk_text *code, rk_number number);
void rki_add_c_code(rk_text *text, const rk_text *code, rk_number number);

/** A number with the digits that its type needs. */
void rki_format(double value, rk_number number, char chars[RK_REAL_CHARS]);

/** A number as the standard writes it: LREAL#1.5E-07, typed, so that no compiler reads it in
 * single precision first. */
void rki_add_literal(rk_text *text, double value, rk_number number);

/** Coefficients as a declaration each, of C. */
void rki_add_c_constants(rk_text *text, const rki_constant *list, int count, rk_number number);

/** Lines of a C source that end its build where it would not give the design's numbers. */
void rki_add_c_guard(rk_text *text);

/** A comment's line; each starts with `lead`. */
void rki_add_line(rk_text *text, const char *lead, const char *words);

/** The lines that say what record and model are behind it. */
void rki_add_model(rk_text *text, const rk_design *loop, const char *lead);

/** A name in capitals; as much room as the name itself. */
void rki_upper(const char *name, char *upper_name);

/** Words of the user's, such as units, within a comment: what would end it is taken out. */
void rki_add_plain(rk_text *text, const char *words);

/** The comment lines that say where the numbers come from; each starts with `lead`. */
rk_status rki_add_provenance(rk_text *text, const rki_controller *c, const char *lead,
                             rk_diag *diag);

#endif
