/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/fit/inspect.h>

/* Rows before a move that show where PV stood, and the part of the wait before it at most. */
enum { LEAD_ROWS = 40 };
#define LEAD_PART 0.3

/* Rows of the record from one time to another, s from the first row. */
static rk_status slice(const rk_record *record, double from, double to, rk_record **part,
                       rk_diag *diag)
{
    const double *time = rk_record_time(record);
    rk_status status = rk_record_create(part, diag);
    size_t i;

    if (status == RK_OK) {
        rk_record_set_on_rows(*part, rk_record_on_rows(record));
    }

    for (i = 0; i < rk_record_rows(record) && status == RK_OK; i++) {
        const double since = time[i] - time[0];

        if (since < from || since >= to) continue;
        status = rk_record_add(*part, time[i], rk_record_out(record)[i],
                               rk_record_missing(record)[i] ? nan("") : rk_record_pv(record)[i],
                               diag);
    }
    return status;
}

static rk_status fit_move(const rk_record *record, rk_model_kind kind,
                          const rk_inspection *seen, size_t k, rk_move_fit *made, rk_diag *diag)
{
    const rk_move *m = &seen->facts.move[k];
    const double before = k > 0 ? seen->facts.move[k - 1].until : 0.0;
    const double lead =
        fmin(LEAD_ROWS * seen->facts.interval, k > 0 ? LEAD_PART * (m->at - before) : m->at);
    const double end = k + 1 < seen->facts.moves ? seen->facts.move[k + 1].at : HUGE_VAL;
    rk_diag why = {RK_OK, ""};
    rk_record *part = NULL;
    rk_status status = slice(record, m->at - lead, end, &part, diag);

    made->at = m->at;
    made->from = m->from;
    made->to = m->to;
    if (status == RK_OK) {
        status = rk_fit_compute_kind(part, kind, &made->fit, &why);
        made->fitted = status == RK_OK;
        if (status != RK_ERR_MEMORY) {
            status = RK_OK; /* a move too short to fit is none the worse */
        } else {
            (void)rk_diag_set(diag, status, "%s", why.text);
        }
    }
    rk_record_free(part);
    return status;
}

/* Two intervals that do not meet, and how far apart the values are, as a part of the smaller.
 */
static bool differ(const double *a, const double *b)
{
    return a[1] < b[0] || b[1] < a[0];
}

rk_findings rk_move_fits_findings(const rk_move_fits *fits)
{
    rk_findings found = {.count = 0};
    const rk_move_fit *low = NULL, *high = NULL, *quick = NULL, *late = NULL;
    size_t i;

    for (i = 0; i < fits->count; i++) {
        const rk_move_fit *m = &fits->move[i];

        if (!m->fitted || rk_fit_level(&m->fit) == RK_LEVEL_UNFIT) continue;
        if (low == NULL || fabs(m->fit.model.gain) < fabs(low->fit.model.gain)) {
            low = m;
        }
        if (high == NULL || fabs(m->fit.model.gain) > fabs(high->fit.model.gain)) {
            high = m;
        }
        if (quick == NULL || m->fit.model.dead_time < quick->fit.model.dead_time) {
            quick = m;
        }
        if (late == NULL || m->fit.model.dead_time > late->fit.model.dead_time) {
            late = m;
        }
    }
    if (low == NULL || low == high) return found;
    if (differ(low->fit.gain95, high->fit.gain95)) {
        const bool turned = (low->to - low->from) * (high->to - high->from) < 0;

        rk_findings_add(
            &found, RK_LEVEL_CAUTION,
            turned ? "suspect the valve's backlash or stiction; tune for the largest gain"
                   : "the valve or the process is not linear: tune for the largest "
                     "gain, or make the gain follow the operating point",
            "the gain changes from %.4g (OUT %.4g to %.4g) to %.4g (OUT %.4g to %.4g)",
            low->fit.model.gain, low->from, low->to, high->fit.model.gain, high->from,
            high->to);
    }
    if (differ(quick->fit.dead_time95, late->fit.dead_time95)) {
        rk_findings_add(
            &found, RK_LEVEL_CAUTION,
            "tune for the longest dead time; see whether flow or the valve's backlash "
            "explains it",
            "the dead time changes from %.4g s (move at %.4g s) to %.4g s (at %.4g s)",
            quick->fit.model.dead_time, quick->at, late->fit.model.dead_time, late->at);
    }
    if (found.count == 0) {
        rk_findings_add(&found, RK_LEVEL_NOTE, "one model serves for all of them",
                        "the moves agree within their intervals");
    }
    return found;
}

rk_status rk_move_fits_compute(const rk_record *record, rk_model_kind kind, rk_move_fits *fits,
                               rk_diag *diag)
{
    const rk_inspect_plan plan = rk_inspect_plan_make();
    rk_inspection *seen;
    rk_status status;
    size_t k;

    rk_diag_clear(diag);
    if (record == NULL || fits == NULL) return RK_ERR_ARG;
    seen = rk_memory_create(1, sizeof *seen);
    if (seen == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit the moves");
    status = rk_inspection_compute(record, &plan, seen, NULL, diag);
    memset(fits, 0, sizeof *fits);
    if (status == RK_OK && seen->facts.moves == 0) {
        status = rk_diag_set(diag, RK_ERR_DATA, "OUT never moves: there are no moves to fit");
    }
    for (k = 0; status == RK_OK && k < seen->facts.moves && k < RK_MOVE_FITS_MAX; k++) {
        status = fit_move(record, kind, seen, k, &fits->move[k], diag);
        fits->count = k + 1;
    }
    rk_memory_free(seen);
    return status;
}
