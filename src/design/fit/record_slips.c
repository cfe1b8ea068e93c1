/* SPDX-License-Identifier: MIT */
/*
 * Records that are sound in themselves and wrong for this loop: columns taken for one another,
 * numbers in other units than the loop's. A fit of them is good, and its gain is not.
 */
#include <redkettle/design/fit/inspect.h>

#include <math.h>

/* How a column is spread, and in how many rows it changes. */
typedef struct spread {
    double low, high;
    size_t changes;
} spread;

static spread spread_of(const double *x, size_t rows)
{
    spread s = {x[0], x[0], 0};
    size_t i;

    for (i = 1; i < rows; i++) {
        s.low = fmin(s.low, x[i]);
        s.high = fmax(s.high, x[i]);
        s.changes += x[i] != x[i - 1];
    }
    return s;
}

/* A measured value changes in most rows, a hand's output in a few. */
#define RESTLESS 0.5
#define CALM 0.02
enum { CALM_ROWS = 6 };

static void find_swapped(const rk_record *record, const spread *out, const spread *pv,
                         rk_findings *found)
{
    const double rows = (double)rk_record_rows(record);
    size_t i, same = 0;

    for (i = 0; i < rk_record_rows(record); i++) {
        same += rk_record_out(record)[i] == rk_record_pv(record)[i];
    }
    if (same == rk_record_rows(record)) {
        rk_findings_add(found, RK_LEVEL_UNFIT, "name the columns with --out and --pv",
                        "OUT and PV are the same in every row: one column was taken for both");
        return;
    }
    if ((double)out->changes > RESTLESS * rows && pv->changes > 0 &&
        (double)pv->changes <= fmax(CALM * rows, CALM_ROWS)) {
        rk_findings_add(found, RK_LEVEL_UNFIT,
                        "name the columns the other way round with --out and --pv",
                        "PV stands still but for %zu moves and OUT changes in %.0f %% of the "
                        "rows: the columns look swapped",
                        pv->changes, 100.0 * (double)out->changes / rows);
    }
}

/* So far beyond a range, as a part of it, is no overshoot of a sensor or a valve. */
#define BEYOND 0.05
/* A range of so much and more is no range of fractions. */
#define WIDE 10.0

static bool is_fraction(const spread *s, double low, double high)
{
    return high - low >= WIDE && low >= 0 && s->low >= 0 && s->high <= 1.0 && s->high > s->low;
}

static void find_out_units(const rk_inspect_plan *p, const spread *out, rk_findings *found)
{
    const double span = p->out_high - p->out_low;

    if (isnan(span)) return;
    if (out->low < p->out_low - (BEYOND * span) || out->high > p->out_high + (BEYOND * span)) {
        rk_findings_add(found, RK_LEVEL_UNFIT,
                        "scale the column, or give [out] low and high as the record counts OUT",
                        "OUT goes from %.4g to %.4g, and its range is %.4g to %.4g: other "
                        "units, or another column",
                        out->low, out->high, p->out_low, p->out_high);
    } else if (is_fraction(out, p->out_low, p->out_high)) {
        rk_findings_add(
            found, RK_LEVEL_UNFIT,
            "scale the column, or give [out] low = 0 and high = 1 if the PLC counts "
            "OUT so",
            "OUT goes from %.4g to %.4g in a range of %.4g to %.4g: it looks like a "
            "fraction, 0 to 1",
            out->low, out->high, p->out_low, p->out_high);
    }
}

static void find_pv_units(const rk_inspect_plan *p, const spread *pv, rk_findings *found)
{
    const double span = p->pv_high - p->pv_low;

    if (isnan(span)) return;
    if (pv->high < p->pv_low - (BEYOND * span) || pv->low > p->pv_high + (BEYOND * span)) {
        rk_findings_add(found, RK_LEVEL_UNFIT,
                        "scale the column, or give [pv] low and high as the record counts PV",
                        "PV is between %.4g and %.4g, and its range is %.4g to %.4g: other "
                        "units, or another column",
                        pv->low, pv->high, p->pv_low, p->pv_high);
    } else if (is_fraction(pv, p->pv_low, p->pv_high)) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "scale the column if it is a fraction, 0 to 1, of the range",
                        "PV goes from %.4g to %.4g in a range of %.4g to %.4g", pv->low,
                        pv->high, p->pv_low, p->pv_high);
    }
}

void rk_record_slips(const rk_record *record, const rk_inspect_plan *plan,
                     rk_findings *findings)
{
    const size_t rows = rk_record_rows(record);
    spread out, pv;

    if (rows < 2) return;
    out = spread_of(rk_record_out(record), rows);
    pv = spread_of(rk_record_pv(record), rows);
    find_swapped(record, &out, &pv, findings);
    find_out_units(plan, &out, findings);
    find_pv_units(plan, &pv, findings);
}
