/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_KEYS_H
#define REDKETTLE_DESIGN_LOOP_KEYS_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/design.h>

#ifdef __cplusplus
extern "C" {
#endif

/*
 * Everything about a loop that a user can set or read, a row each: the loop file is read,
 * written and explained from this table.
 */

/** How a key's value is written. */
typedef enum rk_key_type {
    RK_KEY_TEXT = 0,
    RK_KEY_WORD,          /* one of a few words, whatever their case */
    RK_KEY_NUMBER,        /* with a decimal point */
    RK_KEY_TIME,          /* a number and a unit: 200ms, 2s, 5min, 1h; bare: seconds */
    RK_KEY_TIMES,         /* one time, or two with a comma between */
    RK_KEY_LAGS,          /* one to eight times */
    RK_KEY_INTERVAL,      /* two numbers, low, high */
    RK_KEY_TIME_INTERVAL, /* two times, low, high */
    RK_KEY_STRETCH,       /* two times: from when, for how long */
    RK_KEY_TRIANGLE,      /* the lower triangle of a covariance, row by row */
    RK_KEY_TIME_UNIT,     /* ms, s, min, h */
    RK_KEY_REGISTER,      /* of a device: table, address, type, raw range */
    RK_KEY_FLAG,          /* of a device: table and address */
} rk_key_type;

/** What a number counts. */
typedef enum rk_key_unit {
    RK_UNIT_NONE = 0, /* a factor, a part, a count; or the value is no number */
    RK_UNIT_PERCENT,
    RK_UNIT_DEGREES,
    RK_UNIT_PV,
    RK_UNIT_OUT,
    RK_UNIT_GAIN, /* of a process, PV per OUT; of an integrator per second too */
    RK_UNIT_KC,   /* of a controller, OUT per PV */
    RK_UNIT_KI,   /* OUT per PV and second */
    RK_UNIT_KD,   /* OUT seconds per PV */
    RK_UNIT_OUT_RATE,
    RK_UNIT_PV_RATE, /* PV per second */
} rk_key_unit;

/** What numbers a key takes. */
typedef enum rk_key_range {
    RK_RANGE_ANY = 0,
    RK_RANGE_ABOVE_0,
    RK_RANGE_FROM_0,
    RK_RANGE_NOT_0,
    RK_RANGE_0_TO_1,       /* both included */
    RK_RANGE_0_TO_BELOW_1, /* 0 included */
    RK_RANGE_BETWEEN_0_AND_1,
    RK_RANGE_4_TO_24,
    RK_RANGE_24_TO_64,
    RK_RANGE_ABOVE_1,
} rk_key_range;

/** A key. */
typedef struct rk_key {
    const char *section, *name;
    rk_key_type type;
    rk_key_unit unit;
    rk_key_range range;
    const char *otherwise; /* what holds where it is not given */
    const char *help;      /* one sentence */
} rk_key;

/** A section of the loop file. */
typedef struct rk_section {
    const char *name, *help;
} rk_section;

/** Room for something a key. */
enum { RK_KEYS_MAX = 160 };

/** At most RK_KEYS_MAX. */
size_t rk_key_count(void);

/** The keys in the order of the file; NULL from rk_key_count on. */
const rk_key *rk_key_at(size_t place);

/** Its place, or rk_key_count if there is none. */
size_t rk_key_place(const char *section, const char *name);

/** The sections in the order of the file; NULL behind the last. */
const rk_section *rk_section_at(size_t place);

/** "a time above 0", "a number, PV units per OUT unit", "fopdt, sopdt, ...". */
void rk_key_describe(const rk_key *key, rk_text *text);

/** Append a page of all sections and keys: meaning, range, unit and default. */
void rk_keys_help(rk_text *text);

/**
 * Set a key from its written value. Settings and the covariance take effect with
 * rk_design_settle, when all keys are set: their numbers depend on each other.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for an unknown key, with the nearest one named,
 *         or a value that is none of this key's type; RK_ERR_RANGE for one beyond its range or
 *         an unknown word.
 */
rk_status rk_design_set(rk_design *design, const char *section, const char *name,
                        const char *value, rk_diag *diag);

/** Write a key's value as the file has it; nothing is added for a text or a number
 * that is not given. Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for an unknown key. */
rk_status rk_design_get(const rk_design *design, const char *section, const char *name,
                        rk_text *value, rk_diag *diag);

/**
 * Make settings of what was given in whatever form, and a covariance of its triangle.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for a triangle that is not of the model's kind;
 *         RK_ERR_RANGE as rk_settings_from_given.
 */
rk_status rk_design_settle(rk_design *design, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
