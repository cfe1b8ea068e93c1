/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_RIG_RIG_H
#define REDKETTLE_RIG_RIG_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A loop's device blocks at work on a port whose PV is given and whose OUT is read, in double or
 * in single precision: what program text is held to. Numbers pass as double; in single
 * precision what goes in is rounded, and what comes out is a single precision number.
 */
typedef struct rk_rig rk_rig;

/** States of a plant, as RK_PLANT_STATES. */
enum { RK_RIG_STATES = 9 };

/** The parameters of a rk_plant. */
typedef struct rk_rig_plant {
    double a[RK_RIG_STATES][RK_RIG_STATES], b0[RK_RIG_STATES], b1[RK_RIG_STATES];
    int states;
    size_t delay;
    double out0, pv0;
} rk_rig_plant;

/** What may change in any scan: as rk_loop_params, but that 0 means none where nothing said so
 * is infinite there. */
typedef struct rk_rig_settings {
    double scan, kc, ti, td, tf; /* ti 0: no integral action */
    double sp_weight, d_sp_weight, deadband;
    double tracking_time;
    int anti_windup, integral_by, derivative_by; /* rk_anti_windup, rk_scheme */
    bool velocity, biased;
    double bias;
    bool two_position;
    double hysteresis, pv_filter;
    double out_low, out_high, out_rate, out_safe;             /* out_rate 0: no limit */
    double sp_low, sp_high, sp_rate;                          /* sp_rate 0: it steps */
    double pv_low, pv_high;                                   /* a PV beyond is bad */
    double hold_time;                                         /* below 0: for ever */
    double stale_time;                                        /* 0: it may stand still */
    double alarm_low, alarm_high, alarm_deviation, alarm_gap; /* alarm_deviation 0: none */
    double kc_low, kc_high; /* it is stable between them; both the same: not known */
} rk_rig_settings;

typedef struct rk_rig_params {
    bool single;    /* precision */
    bool predictor; /* before the controller, of these models: */
    rk_rig_plant whole, quick;
    bool twin; /* with a rk_plant, of these parameters: */
    rk_rig_plant plant;
} rk_rig_params;

/** What a scan is given. */
typedef struct rk_rig_input {
    double sp, pv;
    bool pv_good, automatic;
    double manual_out;
    bool tracking;
    double track_out;
    bool valve_known; /* valve_out is where the valve stands */
    double valve_out;
    bool applied_known; /* applied was taken in the last scan in the place of OUT */
    double applied;
    double feedforward;
    double elapsed; /* s; 0: the scan interval */
    bool
        predicting; /* a predictor of the caller's, from a start to the next: what its two models
                        say of PV */
    double pv_undelayed, pv_delayed;
    bool restart; /* start anew, from where the valve stands or from out_safe */
} rk_rig_input;

/** What it answers. */
typedef struct rk_rig_output {
    double out, wanted, sp_now;
    bool at_low, at_high, held, failed, refused, kc_unsafe;
    bool started; /* there were good settings */
    bool pv_bad, pv_stale, pv_is_low, pv_is_high, pv_deviates, scan_late; /* alarms */
    int mode; /* 0 manual, 1 automatic, 2 tracking */
} rk_rig_output;

/** A field of the structures above, by the name that the function block's pin has. */
typedef struct rk_rig_pin {
    const char *name;
    enum { RK_RIG_REAL, RK_RIG_INT, RK_RIG_BOOL } kind;
    size_t offset;
} rk_rig_pin;

/** Each has an end of name NULL. */
extern const rk_rig_pin rk_rig_setting_pins[], rk_rig_input_pins[], rk_rig_output_pins[];

/** A field as a number: of a BOOL 0 or 1. */
double rk_rig_pin_get(const rk_rig_pin *pin, const void *of);
void rk_rig_pin_set(const rk_rig_pin *pin, void *of, double value);

/** The coefficients of the blocks, as rk_pid and rk_filter say. */
typedef struct rk_rig_coefficients {
    double kc, ki_ts, ki_last, kt_ts, ad, kd, d_weight, p_weight, out_lo, out_hi, out_step,
        sp_step, deadband, bias, fade, pv_part;
} rk_rig_coefficients;

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for models that the blocks refuse in this
 * precision (a twin that grows); RK_ERR_MEMORY. */
rk_status rk_rig_create(const rk_rig_params *params, rk_rig **made);

void rk_rig_free(rk_rig *rig);

/** Errors  RK_ERR_RANGE for settings that the blocks refuse in this precision (a ti that rounds to
 * nothing). */
rk_status rk_rig_coefficients_get(const rk_rig *rig, const rk_rig_settings *settings,
                                  rk_rig_coefficients *c);

/** One scan: settings that are refused leave the last good ones at work. */
void rk_rig_scan(rk_rig *rig, const rk_rig_settings *settings, const rk_rig_input *in,
                 rk_rig_output *out);

/** The twin at rest at its operating point; its PV now; and after a scan with an output and a load
 * at its input. */
void rk_rig_plant_restart(rk_rig *rig);
double rk_rig_plant_pv(const rk_rig *rig);
double rk_rig_plant_scan(rk_rig *rig, double out, double load);

/** The sum of two numbers, in the rig's precision. */
double rk_rig_sum(const rk_rig *rig, double a, double b);

#ifdef __cplusplus
}
#endif

#endif
