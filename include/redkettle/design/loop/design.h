/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_DESIGN_H
#define REDKETTLE_DESIGN_LOOP_DESIGN_H

#include <stdbool.h>

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/port_design.h>
#include <redkettle/design/loop/requirements.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/device/loop.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A stretch of time in which something is wrong: from `at` for `length`, s; NaN: never. */
typedef struct rk_stretch {
    double at, length;
} rk_stretch;

/**
 * A simulated plant to try things on, with the faults of real hardware. It may differ from the
 * loop's model: that is its point. What is not given is NaN, and then there is no such fault.
 */
typedef struct rk_plant_design {
    rk_model model;
    double out;               /* where the valve stands at the start, out-EU; NaN: out0 */
    double noise;             /* standard deviation of PV's noise, pv-EU */
    double noise_correlation; /* of it from a scan to the next, 0 to below 1 */
    double seed;              /* of the noise, a whole number */
    double adc_bits;          /* of the converter over PV's range, 4 to 24 */
    double valve_rate;        /* fastest stroke, out-EU per s */
    double backlash;          /* play of the valve when it turns round, out-EU */
    double stiction;          /* a smaller change of OUT does not move the valve, out-EU */
    double load, load_at;     /* a step at the plant's input, out-EU, and when, s */
    rk_stretch sensor_sticks; /* PV stays at its last value */
    rk_stretch sensor_bad;    /* PV is not a number */
    rk_stretch port_drops;    /* neither PV nor OUT gets through */
    char valve_file[512];     /* where the valve's place outlives a run; "": it does not */
} rk_plant_design;

/** A plant without faults, its process not known. */
rk_plant_design rk_plant_design_make(void);

/**
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check or for a fault out of range,
 * and diag names it. pv_low, pv_high: PV's range, which a converter needs.
 */
rk_status rk_plant_design_check(const rk_plant_design *plant, double pv_low, double pv_high,
                                rk_diag *diag);

/** Which way OUT answers a rising PV, as it is marked on the loop sheet. */
typedef enum rk_action {
    RK_ACTION_NOT_SAID = 0,
    RK_ACTION_DIRECT = 1,  /* OUT rises with PV: kc < 0, for a process with negative gain */
    RK_ACTION_REVERSE = 2, /* OUT falls as PV rises: kc > 0 */
} rk_action;

/** "not said", "direct", "reverse". */
const char *rk_action_to_text(rk_action action);

/** Errors  RK_ERR_RANGE for another word than direct and reverse. */
rk_status rk_action_from_text(const char *text, rk_action *action, rk_diag *diag);

/** Which of two numbers is the day in a date such as 03/04/2026. */
typedef enum rk_date_order {
    RK_DATE_ORDER_BY_FILE = 0, /* as the file's dates tell */
    RK_DATE_ORDER_DAY_FIRST,
    RK_DATE_ORDER_MONTH_FIRST,
} rk_date_order;

/** "by-file", "day-first", "month-first". */
const char *rk_date_order_to_text(rk_date_order order);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_date_order_from_text(const char *text, rk_date_order *order, rk_diag *diag);

/** How a loop begins after a warm restart of its PLC. */
typedef enum rk_warm_start {
    RK_WARM_START_AS_IT_WAS = 0,
    RK_WARM_START_MANUAL = 1,
    RK_WARM_START_AUTOMATIC = 2,
} rk_warm_start;

/** "as-it-was", "manual", "automatic". */
const char *rk_warm_start_to_text(rk_warm_start warm_start);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_warm_start_from_text(const char *text, rk_warm_start *warm_start, rk_diag *diag);

/** What a loop goes to in its PLC when nobody writes OUT over its port any more. */
typedef enum rk_fallback {
    RK_FALLBACK_MANUAL = 0,
    RK_FALLBACK_AUTOMATIC = 1,
} rk_fallback;

/** "manual", "automatic". */
const char *rk_fallback_to_text(rk_fallback fallback);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_fallback_from_text(const char *text, rk_fallback *fallback, rk_diag *diag);

enum { RK_ADDRESS_CHARS = 32 };

/** What the program text for a PLC is to be like. */
typedef struct rk_program_design {
    rk_warm_start warm_start;
    rk_yes_no configuration;      /* with CONFIGURATION, RESOURCE and TASK around it */
    double name_length;           /* longest name, characters, a whole number from 24 to 64 */
    double pv_raw[2], out_raw[2]; /* counts of the channel at the range's ends; NaN: the signal
                                     is in its own unit */
    char pv_at[RK_ADDRESS_CHARS], out_at[RK_ADDRESS_CHARS]; /* "%IW0"; empty: not said */
    double heartbeat_time; /* s that the port's heartbeat may stand still */
    rk_fallback fallback;
} rk_program_design;

/** Whole numbers of 32 bits that a channel may count to. */
#define RK_RAW_MOST 2147483647.0

/** A name or a unit in a loop design, and a file name or a column's. */
enum { RK_NAME_CHARS = 64, RK_UNITS_CHARS = 24, RK_PATH_CHARS = 512 };

/** Numbers of a covariance's lower triangle, at most. */
enum { RK_TRIANGLE_MAX = RK_MODEL_NUMBERS * (RK_MODEL_NUMBERS + 1) / 2 };

/** Alarms of a running loop; NaN: not given. */
typedef struct rk_alarm_limits {
    double low, high; /* of PV, pv-EU */
    double deviation; /* of PV from SP, pv-EU */
    double gap;       /* an alarm goes when PV is back by this, pv-EU */
    double stale,
        hold; /* s: PV that stands still so long is bad; OUT held so long, then safe */
} rk_alarm_limits;

/** Everything about one control loop. Numbers that were not given are NaN. */
typedef struct rk_design {
    char name[RK_NAME_CHARS];
    double ts;          /* scan interval, s */
    double delay_scans; /* from PV's sample to OUT's change: computing, communication */
    rk_action action;

    char pv_units[RK_UNITS_CHARS], out_units[RK_UNITS_CHARS];
    double pv_low, pv_high;   /* transmitter range, pv-EU */
    double out_low, out_high; /* output range, out-EU */
    double out_rate;          /* out-EU per s; infinite: none */
    double out_safe;          /* where OUT goes when control fails, out-EU; NaN: not said */
    rk_alarm_limits alarms;

    char record_file[RK_PATH_CHARS];   /* as the user wrote it; empty: none */
    char record_path[RK_PATH_CHARS];   /* where that is, seen from here */
    char validate_path[RK_PATH_CHARS]; /* a second record, seen from here; empty: none */
    char time_column[RK_NAME_CHARS], out_column[RK_NAME_CHARS], pv_column[RK_NAME_CHARS];
    char quality_column[RK_NAME_CHARS];
    double
        record_time_unit; /* s that a number in the time column counts; 0: as the file says */
    rk_date_order record_order;
    double moved_at, move, out_start; /* of a record without OUT: s, out-EU; NaN: not said */

    bool has_model;
    rk_model model;
    double gain95[2], tau95[2][2], dead_time95[2]; /* NaN: not known */
    rk_covariance covariance;                      /* as in rk_fit; [0][0] NaN: not known */

    bool has_process;
    rk_model process; /* made of parts; the model is its reduction where none was given */
    double reduction_percent;     /* what that reduction is off by; NaN: the model is none */
    rk_yes_no process_integrates; /* as it was typed; rk_design_settle makes the kind of it */

    int triangle_numbers; /* of a covariance as it was typed; rk_design_settle lays it out */
    double triangle[RK_TRIANGLE_MAX];

    double noise; /* of PV beside the model, its standard deviation, pv-EU; NaN: not known */

    double ultimate_gain;   /* of a relay test, out-EU per pv-EU; NaN: not known */
    double ultimate_period; /* s */

    bool has_settings;
    rk_settings settings;
    rk_given_settings given;  /* as they were typed, in whatever form */
    char rule[RK_NAME_CHARS]; /* empty: by hand */
    double lambda;            /* s; the rule's knob */

    rk_requirements requirements;

    bool has_plant;
    rk_plant_design plant; /* behind the sim port */

    rk_program_design program;
    rk_port_design port; /* what run and bump act on */
} rk_design;

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for counts or an address that are none; diag
 * names the key. */
rk_status rk_program_design_check(const rk_design *loop, rk_diag *diag);

/**
 * What the loop block needs to run this loop: its settings, limits and alarms. A PV beyond -2.5
 * or +106.25 % of the transmitter's range is bad. Without a safe output OUT is held.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for settings, scan or output range missing or out
 * of range, or a safe output beyond the limits. Source  NAMUR NE 43, Standardization of the
 * signal level for the failure information of digital transmitters (3.6 and 21 mA).
 */
rk_status rk_design_block_params(const rk_design *loop, rk_loop_params *params, rk_diag *diag);

/** A loop of which nothing is known yet: units EU, default requirements. */
rk_design rk_design_make(void);

/**
 * Does it all hang together: ranges, scan, model, settings, the action against the sign of kc,
 * and kc against the sign of the model's gain?
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE, and diag names the key and what to do.
 */
rk_status rk_design_check(const rk_design *loop, rk_diag *diag);

/** What PV does: the process made of parts where there is one, else the model. Rules take the model;
 * margins, trials, searches, runs and the plant's twin take this. */
const rk_model *rk_design_process(const rk_design *loop);

/** The output limits for a trial or an emitted block; without a range they are out of the way.
 */
rk_limits rk_design_limits(const rk_design *loop);

/** Is the output range known? */
bool rk_design_has_out_range(const rk_design *loop);

/**
 * What the loop is asked for, all said: the steps (5 % of the ranges where [require] does not
 * say, or 1), and, where noise, scan and OUT's range are known, OUT's noise by default: at most
 * 1 % of the range, about what a control valve does not follow anyway.
 */
rk_requirements rk_design_requirements(const rk_design *loop);

/**
 * The conditions that they are judged under: the loop's scan, noise and limits, with the limits
 * out of the way if the operating point is not within them (it is not known then).
 */
rk_conditions rk_design_conditions(const rk_design *loop);

/** How the loop is scanned, in *room; NULL: its scan is not known. */
const rk_sampling *rk_design_sampling(const rk_design *loop, rk_sampling *room);

/** From PV's sample to OUT's change, s; 0 where the scan is not known. */
double rk_design_delay(const rk_design *loop);

/** The unit of a requirement's figure in this loop: "", "deg", "%", "s", PV's or OUT's. */
const char *rk_design_require_unit(const rk_design *loop, rk_require what);

/** A gain of the process in percent of span per percent of span; NaN if a range is not known.
 */
double rk_design_gain_pct(const rk_design *loop, double gain);

/** The same of a controller's gain. */
double rk_design_kc_pct(const rk_design *loop, double kc);

/** Other ways to write a controller's settings; NaN: not written so. */
typedef struct rk_other_settings {
    double band; /* kc as proportional band: percent of PV's range for OUT's whole range */
    double kc_percent;   /* kc in percent of span on both sides */
    double repeats;      /* ti as repeats per minute */
    double filter_ratio; /* tf as td / filter_ratio */
} rk_other_settings;

/** Nothing written so. */
rk_other_settings rk_other_settings_make(void);

/**
 * Convert them into the ideal form's numbers in *given, by the loop's ranges; a band has no
 * sign: it comes from the action, or from the model's gain. `mark` stands before a name in a
 * message: "--" on a command line.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a number that is not above 0, one that is
 * given in two ways, ranges or a sign that are not known.
 */
rk_status rk_design_convert_given(const rk_design *loop, const rk_other_settings *other,
                                  const char *mark, rk_given_settings *given, rk_diag *diag);

/** Room for a gain's unit. */
enum { RK_GAIN_UNIT_CHARS = (2 * RK_UNITS_CHARS) + 8 };

/** The unit of the gain of a process of this kind: "degBx/%", "(L/min)/%", "kPa/(% s)". */
void rk_design_gain_unit(const rk_design *loop, rk_model_kind kind,
                         char unit[RK_GAIN_UNIT_CHARS]);

#ifdef __cplusplus
}
#endif

#endif
