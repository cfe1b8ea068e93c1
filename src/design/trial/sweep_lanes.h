/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_TRIAL_SWEEP_LANES_H
#define RKI_DESIGN_TRIAL_SWEEP_LANES_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/device/plant.h>

/** So many candidates run side by side, each number of all of them in one vector. */
enum { RKI_LANES = 8 };

/** What the scans need, a lane each. */
typedef struct rki_lanes {
    double kc[RKI_LANES], b[RKI_LANES],
        c[RKI_LANES]; /* gain, and the setpoint's weight in P and in D */
    double fade[RKI_LANES],
        bias[RKI_LANES];                 /* without integral: the way to the bias; 0: none */
    double ki[RKI_LANES], kt[RKI_LANES]; /* kc ts/ti, and ts/tt of back-calculation, or 0 */
    double ad[RKI_LANES], kd[RKI_LANES]; /* D = ad D + kd (g - g_last) */
    double part[RKI_LANES], filtered[RKI_LANES]; /* of the PV filter; part 1: none */
    double conditional[RKI_LANES];               /* 1 or 0 */
    double out_rest[RKI_LANES];                  /* where OUT rests */
    double rest[RKI_LANES];                      /* how far from the setpoint PV settles */
    double ten[RKI_LANES], ninety[RKI_LANES];    /* those parts of its way there */
    double i[RKI_LANES], d[RKI_LANES], g[RKI_LANES],
        out[RKI_LANES];                                  /* the controller's state */
    double x[RK_PLANT_STATES][RKI_LANES], pv[RKI_LANES]; /* the plant's */
} rki_lanes;

/** The points between which a level was passed: the first one's time, s, and PV at both. */
typedef struct rki_passage {
    double time[RKI_LANES], from[RKI_LANES], to[RKI_LANES];
} rki_passage;

/** Sums over the scans. */
typedef struct rki_tally {
    double iae[RKI_LANES], ise[RKI_LANES], itae[RKI_LANES], high[RKI_LANES], low[RKI_LANES];
    rki_passage ten, ninety; /* of the way there; HUGE_VAL: not yet */
    rki_passage
        entry; /* into the band, by the error; HUGE_VAL: outside, -HUGE_VAL: never was */
    size_t scans, oldest; /* how far it is, and the delay memory's oldest entry */
    double travel[RKI_LANES], effort[RKI_LANES], largest[RKI_LANES], square[RKI_LANES];
} rki_tally;

/** PV at a point between two scans: its way from the state at the first, and from what OUT was a
   dead time ago and a scan before that. */
typedef struct rki_between {
    double x[RK_PLANT_STATES], late, later;
} rki_between;

/** At most so many points a scan. */
enum { RKI_POINTS_A_SCAN = 16 };

/** A run: the plant of all lanes, its delay memory a vector each. */
typedef struct rki_course {
    const rk_plant_params *plant;
    double (*ring)[RKI_LANES];
    double sp, load, low, high, step, band, ts;
    double late; /* of a load: it does not wait for OUT's delay, and is counted from then on */
    size_t scans;
    bool to_rest; /* it may end early */
    int states;   /* of the plant, 2 or more */
    int points;   /* a scan, its end among them */
    rki_between between[RKI_POINTS_A_SCAN];
} rki_course;

/** All scans of a course for a group of lanes, from the start of all of them; the course's delay
 * memory and the tally are cleared first. `one`: only the first lane is wanted. */
void rki_lanes_run(rki_lanes *lanes, rki_course *course, rki_tally *tally, bool one);

/** When a level was passed, s; NaN: it was not. */
double rki_lanes_passed(const rki_passage *passage, const rki_course *course, int lane,
                        double level);

/** Clear the delay memory and the tally. */
void rki_lanes_clear(rki_course *course, rki_tally *tally);

/** Of the first lane: PV's way from lanes->pv to the next scan's, from point to point, counted; x, late and later
 * are what the scan began with. */
void rki_lanes_watch(const rki_lanes *lanes, const rki_course *course, rki_tally *tally,
                     const double (*x)[RKI_LANES], const double *late, const double *later,
                     double scan);

#endif
