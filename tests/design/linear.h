/* SPDX-License-Identifier: MIT */
#ifndef LINEAR_H
#define LINEAR_H

#include "../support/support.h"

/* A sampled loop as a linear system x(k+1) = M x, written down state by state: stable if the
   powers of M vanish. */

enum { STATES = 160 };

typedef struct system {
    int n;
    double m[STATES][STATES];
} system_of;

/** A signal as a row over the states. */
typedef struct row {
    double c[STATES];
} row;

row zero(void);

/** a + factor b */
row sum(row a, double factor, row b);

row state(int i);
void set_state(system_of *s, int i, row next);
void multiply(int n, double a[STATES][STATES], double b[STATES][STATES],
              double made[STATES][STATES]);
double largest(int n, double a[STATES][STATES]);

/** ln of the spectral radius: (1/2^k) ln |A^(2^k)|, by squaring, until its sign is sure. a is
 * used up. */
double log_radius(int n, double a[STATES][STATES]);

/** A model's states behind `in`, from state `at` on; *out is its PV before this scan's output acts.
 * Gives the next free state. */
int add_plant(system_of *s, const rk_model *m, double ts, int at, row in, row *out);

/** States that filter() and add_controller() take, the first of the system. */
enum { CONTROLLER_STATES = 4 };

/** PV behind its filter. */
row filter(system_of *s, const rk_settings *c, double ts, row pv);

/** OUT of the position algorithm, backward, at setpoint 0, for the PV that it sees. */
row add_controller(system_of *s, const rk_settings *c, double ts, row seen);

#endif
