/* SPDX-License-Identifier: MIT */
#include "fit_mixture.h"

void rki_mixture_add(rki_mixture *m, double theta, double weight,
                     const double off[RKI_PARAMETERS],
                     double covariance[RKI_PARAMETERS][RKI_PARAMETERS])
{
    const bool again = m->count > 0 && m->theta[m->count - 1] == theta;
    int i, j;

    if ((m->count == RKI_MIXTURE_POINTS && !again) || !(weight > 0)) return;
    if (!again) {
        m->theta[m->count] = theta;
        m->part[m->count++] = 0.0;
    }
    m->part[m->count - 1] += weight;
    m->weight += weight;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        m->mean[i] += weight * off[i];
        for (j = 0; j < RKI_PARAMETERS; j++) {
            m->second[i][j] += weight * ((off[i] * off[j]) + covariance[i][j]);
        }
    }
}

void rki_mixture_scale(rki_mixture *m, double part)
{
    const double by = m->weight > 0 ? part / m->weight : 0.0;
    int i, j;

    for (i = 0; i < m->count; i++) {
        m->part[i] *= by;
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        m->mean[i] *= by;
        for (j = 0; j < RKI_PARAMETERS; j++) {
            m->second[i][j] *= by;
        }
    }
    m->weight = part;
}

void rki_mixture_join(rki_mixture *m, const rki_mixture *other)
{
    int i, j;

    for (i = 0; i < other->count && m->count < RKI_MIXTURE_POINTS; i++) {
        m->theta[m->count] = other->theta[i];
        m->part[m->count++] = other->part[i];
    }
    m->weight += other->weight;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        m->mean[i] += other->mean[i];
        for (j = 0; j < RKI_PARAMETERS; j++) {
            m->second[i][j] += other->second[i][j];
        }
    }
}

/* By insertion: the points come in a few rising runs. */
static void sort(rki_mixture *m)
{
    int i, k;

    for (i = 1; i < m->count; i++) {
        const double theta = m->theta[i], part = m->part[i];

        for (k = i; k > 0 && m->theta[k - 1] > theta; k--) {
            m->theta[k] = m->theta[k - 1];
            m->part[k] = m->part[k - 1];
        }
        m->theta[k] = theta;
        m->part[k] = part;
    }
}

void rki_mixture_close(rki_mixture *m)
{
    rki_mixture_scale(m, 1.0);
    sort(m);
}

double rki_mixture_quantile(const rki_mixture *m, double part)
{
    double sum = 0, before = 0;
    int i;

    for (i = 0; i < m->count; i++) {
        before = sum;
        sum += m->part[i];
        if (sum >= part) break;
    }
    if (i >= m->count) return m->theta[m->count - 1];
    if (i == 0) { /* no dead time: the half step above it alone */
        const double above = m->count > 1 ? 0.5 * (m->theta[1] - m->theta[0]) : 0.0;

        return m->theta[0] + (above * part / m->part[0]);
    }
    /* Each point stands for half a step to both sides. */
    return m->theta[i] +
           ((m->theta[i] - m->theta[i - 1]) * (((part - before) / (sum - before)) - 0.5));
}
