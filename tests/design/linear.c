/* SPDX-License-Identifier: MIT */
#include "linear.h"

#include <math.h>
#include <string.h>

row zero(void)
{
    row r;

    memset(&r, 0, sizeof r);
    return r;
}

row sum(row a, double factor, row b)
{
    int i;

    for (i = 0; i < STATES; i++) {
        a.c[i] += factor * b.c[i];
    }
    return a;
}

row state(int i)
{
    row r = zero();

    r.c[i] = 1;
    return r;
}

void set_state(system_of *s, int i, row next)
{
    memcpy(s->m[i], next.c, sizeof next.c);
}

void multiply(int n, double a[STATES][STATES], double b[STATES][STATES],
              double made[STATES][STATES])
{
    int i, j, k;

    for (i = 0; i < n; i++) {
        memset(made[i], 0, sizeof made[i]);
        for (k = 0; k < n; k++) {
            if (a[i][k] == 0) continue;
            for (j = 0; j < n; j++) {
                made[i][j] += a[i][k] * b[k][j];
            }
        }
    }
}

double largest(int n, double a[STATES][STATES])
{
    double most = 0;
    int i, j;

    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            most = fmax(most, fabs(a[i][j]));
        }
    }
    return most;
}

double log_radius(int n, double a[STATES][STATES])
{
    static double square[STATES][STATES];
    double log_size = 0, power = 1;
    int k, i, j;

    for (k = 0; k < 32; k++) {
        const double size = largest(n, a);

        if (size == 0) return -HUGE_VAL;
        log_size += log(size) / power;
        for (i = 0; i < n; i++) {
            for (j = 0; j < n; j++) {
                a[i][j] /= size;
            }
        }
        multiply(n, a, a, square);
        memcpy(a, square, sizeof square);
        power *= 2;
        /* A power smaller than 1 in every norm; or so large that no passing swell is. */
        if (log_size * power < -6 || log_size * power > 60) break;
    }
    return log_size;
}

int add_plant(system_of *s, const rk_model *m, double ts, int at, row in, row *out)
{
    rk_plant_params p;
    row late, later;
    int i, delay;

    ck_assert_int_eq(rk_plant_params_from_model(m, ts, &p, NULL), RK_OK);
    delay = (int)p.delay;
    ck_assert_int_lt(at + delay + 3, STATES);
    *out = state(at);
    late = delay == 0 ? in : state(at + 1 + delay); /* u(k - delay) */
    later = state(at + 2 + delay);                  /* u(k - delay - 1) */
    for (i = 0; i < 2; i++) {
        row next = sum(sum(zero(), p.a[i][0], state(at)), p.a[i][1], state(at + 1));

        next = sum(sum(next, p.b0[i], late), p.b1[i], later);
        set_state(s, at + i, next);
    }
    for (i = 0; i <= delay; i++) { /* u(k-1) .. u(k-delay-1) */
        set_state(s, at + 2 + i, i == 0 ? in : state(at + 1 + i));
    }
    return at + 3 + delay;
}

enum { I_PART, D_PART, G_LAST, FILTERED };

row filter(system_of *s, const rk_settings *c, double ts, row pv)
{
    const double part = ts / (c->pv_filter + ts);
    const row seen = sum(sum(zero(), 1 - part, state(FILTERED)), part, pv);

    set_state(s, FILTERED, seen);
    return seen;
}

row add_controller(system_of *s, const rk_settings *c, double ts, row seen)
{
    const double gain = -c->kc * c->td / (c->tf + ts);
    const row d = sum(sum(sum(zero(), c->tf / (c->tf + ts), state(D_PART)), gain, seen), gain,
                      state(G_LAST));
    const row i = sum(state(I_PART), isinf(c->ti) ? 0 : -c->kc * ts / c->ti, seen);

    set_state(s, I_PART, i);
    set_state(s, D_PART, d);
    set_state(s, G_LAST, sum(zero(), -1, seen));
    if (isinf(c->ti)) { /* it only stands there */
        s->m[I_PART][I_PART] = 0;
    }
    return sum(sum(sum(zero(), -c->kc, seen), 1, i), 1, d);
}
