/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "fit_stages.h"

/* A controller moves OUT in more than this part of the rows, and PV explains more than this
   part of how. */
#define MOVING 0.2
#define EXPLAINED 0.5
#define JUMP 6.0
enum { ROWS_LEAST = 30 };

/* What a controller does from a row to the next: proportional action answers PV's change,
   integral action its place. */
bool rki_answers_pv(const rk_record *record)
{
    const double *out = rk_record_out(record), *pv = rk_record_pv(record);
    const size_t rows = rk_record_rows(record);
    double mean = 0, usual = 0, moved = 0, aa = 0, ab = 0, bb = 0, ay = 0, by = 0, yy = 0, det,
           explained;
    size_t i;

    if (rows < ROWS_LEAST) return false;
    for (i = 1; i < rows; i++) {
        mean += pv[i];
        usual += fabs(out[i] - out[i - 1]);
        moved += out[i] != out[i - 1];
    }
    if (moved < MOVING * (double)rows) return false;
    mean = (mean + pv[0]) / (double)rows;
    usual /= (double)rows;
    for (i = 1; i < rows; i++) {
        const double y = out[i] - out[i - 1], a = pv[i] - pv[i - 1], b = pv[i] - mean;

        if (fabs(y) > JUMP * usual) continue; /* a setpoint's step, or somebody's hand */
        aa += a * a;
        ab += a * b;
        bb += b * b;
        ay += a * y;
        by += b * y;
        yy += y * y;
    }
    det = (aa * bb) - (ab * ab);
    if (!(det > 0) || !(yy > 0)) return false;
    explained = ((ay * ((ay * bb) - (by * ab))) + (by * ((by * aa) - (ay * ab)))) / det;
    return explained > EXPLAINED * yy;
}
