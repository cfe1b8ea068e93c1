/* SPDX-License-Identifier: MIT */
/*
 * Lags in series as a system of first-order equations, x' = f x + b u, and its motion over a time.
 *
 * A lag T behind x[i + 1] is x[i]' = (x[i + 1] - x[i]) / T, the integrator at the end x[0]' = x[1]. An
 * inverse response 1 - V s of the last of them takes x[1] - V x[1]' in the place of x[1], so that
 * x[0] is PV itself and f stays upper triangular.
 *
 * exp(f h) by scaling and squaring: a Taylor series for h / 2^s, whose terms fall at once, then s
 * squarings of its difference d from the identity, (1 + d)^2 - 1 = 2 d + d^2, which loses no digits of
 * a slow lag beside a quick one. b u, held, is one more state, which never moves.
 *
 * Source  C. F. Van Loan, Computing integrals involving the matrix exponential, 1978, IEEE Trans.
 *         Automatic Control 23(3), 395-404.
 */
#include "chain.h"

#include <math.h>
#include <string.h>

enum { SIZE = RKI_CHAIN_STATES + 1, TERMS = 16 };
/* The series is summed where the matrix is at most this large. */
#define SMALL 0.25

typedef struct matrix {
    double at[SIZE][SIZE];
} matrix;

/* The rates per second; the last column is the held output's. Returns how many states. */
static int rates_of(const rk_model *m, matrix *f)
{
    const bool integrates = rk_model_kind_integrates(m->kind);
    const int states = m->lags + integrates;
    int i, j;

    memset(f, 0, sizeof *f);
    for (i = 0; i < states; i++) {
        const bool last = integrates && i == 0;
        const double lag = last ? 1.0 : m->lag[states - 1 - i];

        f->at[i][i] = last ? 0.0 : -1.0 / lag;
        f->at[i][i + 1] = (i == states - 1 ? m->gain : 1.0) / lag;
    }
    if (m->inverse > 0) { /* less V x[1]' of what feeds the first, at that one's own rate */
        const double part = m->inverse * f->at[0][1];

        for (j = 1; j <= states; j++) {
            f->at[0][j] -= part * f->at[1][j];
        }
    }
    return states;
}

static double size_of(const matrix *f, int size)
{
    double most = 0;
    int i, j;

    for (i = 0; i < size; i++) {
        double sum = 0;

        for (j = i; j < size; j++) {
            sum += fabs(f->at[i][j]);
        }
        most = fmax(most, sum);
    }
    return most;
}

/* to = a b, both upper triangular. */
static void multiply(const matrix *a, const matrix *b, int size, matrix *to)
{
    int i, j, k;

    for (i = 0; i < size; i++) {
        for (j = i; j < size; j++) {
            double sum = 0;

            for (k = i; k <= j; k++) {
                sum += a->at[i][k] * b->at[k][j];
            }
            to->at[i][j] = sum;
        }
    }
}

/* d = exp(f) - 1, of a small f: f (1 + f/2 (1 + f/3 (..))). */
static void series(const matrix *f, int size, matrix *d)
{
    matrix next = {{{0}}};
    int term, i, j;

    memset(d, 0, sizeof *d);
    for (term = TERMS; term >= 1; term--) {
        for (i = 0; i < size; i++) {
            for (j = i; j < size; j++) {
                d->at[i][j] /= term + 1.0;
            }
            d->at[i][i] += 1.0;
        }
        multiply(f, d, size, &next);
        *d = next;
    }
}

void rki_chain_of_process(const rk_model *process, double h, rki_chain *chain)
{
    matrix f, d, square;
    const int states = rates_of(process, &f), size = states + 1;
    double scale = h;
    int squarings = 0, i, j, k;

    memset(chain, 0, sizeof *chain);
    memset(&square, 0, sizeof square);
    while (size_of(&f, states) * scale > SMALL) {
        scale *= 0.5;
        squarings++;
    }
    for (i = 0; i < states; i++) {
        for (j = i; j < size; j++) {
            f.at[i][j] *= scale;
        }
    }
    series(&f, size, &d);
    for (k = 0; k < squarings; k++) {
        multiply(&d, &d, size, &square);
        for (i = 0; i < size; i++) {
            for (j = i; j < size; j++) {
                d.at[i][j] = (2.0 * d.at[i][j]) + square.at[i][j];
            }
        }
    }
    chain->states = states;
    for (i = 0; i < states; i++) {
        for (j = i; j < states; j++) {
            chain->phi[i][j] = (i == j ? 1.0 : 0.0) + d.at[i][j];
        }
        chain->gamma[i] = d.at[i][states];
    }
}

void rki_chain_rest(const rk_model *process, double u, double x[RKI_CHAIN_STATES])
{
    const bool integrates = rk_model_kind_integrates(process->kind);
    int i;

    memset(x, 0, RKI_CHAIN_STATES * sizeof *x);
    for (i = integrates ? 1 : 0; i < process->lags + integrates; i++) {
        x[i] = process->gain * u;
    }
}
