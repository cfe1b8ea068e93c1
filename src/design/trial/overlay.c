/* SPDX-License-Identifier: MIT */
/*
 * A recorded curve beside a trial. A controller answers a setpoint step, and a hand makes one,
 * by a sudden move of OUT: the largest from a row to the next, and several times what OUT moves
 * in the rows about it, which a swing or the noise of a running loop is not.
 */
#include <redkettle/design/trial/trial.h>

#include <math.h>

/* A sudden move is so many times its neighbours. */
#define SUDDEN 4.0
/* Rows to each side that it is held against. */
enum { NEIGHBOURS = 3 };

static double move_at(const rk_record *record, size_t row)
{
    return fabs(rk_record_out(record)[row] - rk_record_out(record)[row - 1]);
}

/* The row of OUT's sudden move; 0: there is none. */
static size_t sudden_row(const rk_record *record)
{
    const size_t rows = rk_record_rows(record);
    size_t largest = 0, i;

    for (i = 1; i < rows; i++) {
        if (move_at(record, i) > (largest > 0 ? move_at(record, largest) : 0.0)) {
            largest = i;
        }
    }
    for (i = 1; i < rows && largest > 0; i++) {
        const size_t apart = i > largest ? i - largest : largest - i;

        if (apart == 0 || apart > NEIGHBOURS) continue;
        if (SUDDEN * move_at(record, i) > move_at(record, largest)) return 0;
    }
    return largest;
}

rk_overlay rk_overlay_make(const rk_record *record, const rk_trial_plan *plan, double at)
{
    rk_overlay made = {record, plan->sp_at, nan("")};
    size_t row;

    if (!isnan(at)) {
        made.shift = plan->sp_at - at;
        return made;
    }
    row = sudden_row(record);
    if (row > 0) {
        made.found_at = rk_record_time(record)[row] - rk_record_time(record)[0];
        made.shift = plan->sp_at - made.found_at;
    }
    return made;
}

rk_status rk_overlay_compare(const rk_overlay *overlay, const rk_trial *trial, size_t *rows,
                             double *rms, rk_diag *diag)
{
    const rk_record *record;
    double square = 0;
    size_t i;

    rk_diag_clear(diag);
    if (overlay == NULL || overlay->record == NULL || trial == NULL || rows == NULL ||
        rms == NULL) {
        return RK_ERR_ARG;
    }
    record = overlay->record;
    *rows = 0;
    for (i = 0; i < rk_record_rows(record); i++) {
        const double time =
            rk_record_time(record)[i] - rk_record_time(record)[0] + overlay->shift;
        const double point = floor((time / rk_trial_step(trial)) + 0.5);
        double off;

        if (!(point >= 0 && point < (double)rk_trial_points(trial))) continue;
        off = rk_record_pv(record)[i] - rk_trial_pv(trial)[(size_t)point];
        square += off * off;
        ++*rows;
    }
    *rms = sqrt(square / (double)*rows);
    return RK_OK;
}
