/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>

/* A time constant this many times longer than what was seen is no time constant. */
#define INTEGRATING 5.0

/* A dead time and a time constant sought in noise alone explain some of it: so much better than no
   answer at all a model must be, by the criterion. */
#define ANSWERS_BY 2.0

static bool answers(const rk_fit *fit)
{
    return fit->gain95[0] * fit->gain95[1] > 0 && !(fit->answers_by < ANSWERS_BY);
}

static void say_no_answer(rk_findings *f)
{
    rk_findings_add(f, RK_LEVEL_UNFIT,
                    "make a larger move of OUT, or check that this PV answers this OUT",
                    "the gain could be zero: PV does not answer OUT beyond its noise");
}

/* Can the model's numbers be used at all? */
static void find_unfit(const rk_fit *fit, rk_findings *f)
{
    const double tau = fit->model.time_constant[0], theta = fit->model.dead_time;
    const double since = fit->seen;
    const bool settles = !rk_model_kind_integrates(fit->model.kind);

    if (fit->answers_by < ANSWERS_BY) {
        say_no_answer(f);
        return;
    }
    if (settles && tau > INTEGRATING * since) {
        rk_findings_add(
            f, RK_LEVEL_UNFIT,
            "fit it with --kind ipdt; if the process does settle, record until it has",
            "PV keeps moving for as long as OUT is off balance: an integrating process, "
            "which a %s model cannot describe",
            rk_model_kind_to_text(fit->model.kind));
        return;
    }
    if (!answers(fit)) {
        say_no_answer(f);
    }
    if (settles && since < theta + (3.0 * tau)) {
        rk_findings_add(
            f, since < theta + tau ? RK_LEVEL_UNFIT : RK_LEVEL_CAUTION,
            "let PV settle before the test ends: wait at least dead time + 4 time constants",
            "the record ends %.3g time constants after PV begins to move: gain and time "
            "constant are extrapolated",
            fmax(since - theta, 0.0) / tau);
    }
}

/* Fewer rows than this hardly tell a colour. */
#define FEW_ROWS 60.0

static void find_doubts(const rk_fit *fit, rk_findings *f)
{
    const double r = fit->white_correlation, rows = (double)fit->rows;

    if (!isnan(fit->own_damping)) {
        const bool lags = fit->model.kind == RK_MODEL_SOPDT;

        rk_findings_add(f, RK_LEVEL_CAUTION,
                        lags ? "fit it with --kind sopdt-osc, or let the kind be chosen"
                             : "fit it with --kind sopdt, or let the kind be chosen",
                        "the record shows %s, damping %.3g: a %s model is the nearest of its "
                        "kind, no more",
                        lags ? "an underdamped process" : "two lags", fit->own_damping,
                        rk_model_kind_to_text(fit->model.kind));
    }

    if (rk_model_kind_times(fit->model.kind) > 0 &&
        fit->model.time_constant[0] < 0.5 * fit->interval) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION, "record faster than the process moves",
            "the time constant is below half the sampling interval of %.4g s: only an "
            "upper limit is known",
            fit->interval);
    }
    if (fit->dead_time95[0] <= 0.0) {
        rk_findings_add(
            f, RK_LEVEL_NOTE,
            "tune for the upper end of its interval; record faster to know it better",
            "the dead time cannot be told from zero; it is below %.3g s", fit->dead_time95[1]);
    }
    if (fit->noise_order > 0 && rows < FEW_ROWS) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION, "record more rows while PV moves, or make more moves",
            "%zu rows hardly tell the noise's colour (correlation %.2f from row to row): "
            "the intervals may be somewhat too narrow",
            fit->rows, fit->residual_correlation);
    } else if (fit->noise_order > 0 || fit->noise_memory > 0) {
        rk_findings_add(f, RK_LEVEL_NOTE, "nothing: the intervals allow for it",
                        "the noise is coloured (correlation %.2f from row to row)",
                        fit->residual_correlation);
    }
    /* 4 / sqrt(rows): beyond what independent noise shows by chance in 1 of 10,000 records. */
    if (r > fmax(4.0 / sqrt(rows), 0.1) && fit->fit_percent < 99.9) {
        rk_findings_add(f, RK_LEVEL_CAUTION,
                        "look at the residual: another disturbance, or a process that is not "
                        "linear; widen the intervals by the factor said",
                        "the residual is not white (correlation %.2f): the intervals are too "
                        "narrow by about %.1f times",
                        r, sqrt((1.0 + r) / fmax(1.0 - r, 1e-3)));
    }
    if (fit->fit_percent < 50.0) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION,
            "make a larger move of OUT, or look for another disturbance in the record",
            "the model explains only %.0f %% of PV's movement", fit->fit_percent);
    }
}

/* Steps of this part of PV's movement are coarse. */
#define COARSE 0.05

/* The instants of OUT's moves leave so much of the dead time open, or make so much of a doubt. */
#define OPEN_PART 0.3
#define OPEN_LEAST 0.1 /* of it: less is in the interval, and not worth a word */
#define OPEN_DOUBT 0.05

static void find_instants(const rk_fit *fit, rk_findings *f)
{
    const double width = fit->dead_time95[1] - fit->dead_time95[0];
    const double wide = OPEN_PART * fit->model.dead_time;
    const rk_level level =
        width > wide && fit->open_instant > wide ? RK_LEVEL_CAUTION : RK_LEVEL_NOTE;

    if (!(fit->open_instant > OPEN_LEAST * fit->model.dead_time) ||
        fit->between_rows < OPEN_DOUBT) {
        return;
    }
    if (fit->moved_between) {
        rk_findings_add(
            f, level,
            "nothing: the dead time and its interval allow for it; rows closer than "
            "half its interval would tell it better",
            "OUT moved between rows, %.4g s apart (%.0f %% likely)", fit->open_instant,
            floor(100.0 * fit->between_rows));
        return;
    }
    rk_findings_add(
        f, level,
        "tune for the upper end of the dead time; record faster or make several moves; "
        "--out-moves on-rows if OUT was moved by what wrote the rows",
        "OUT may have moved up to %.4g s before the row that shows it: the dead time "
        "may be as long as %.3g s",
        fit->open_instant, fit->dead_time95[1]);
}

/* Moves that differ by less are of one size. */
#define TWO_SIZES 1.5

/* What one model of a record cannot tell of the valve. */
static void find_valve(const rk_fit *fit, rk_findings *f)
{
    if (!(fit->move_most > 0) || fit->closed_loop) return;
    if (fit->move_most < TWO_SIZES * fit->move_least) {
        rk_findings_add(
            f, RK_LEVEL_NOTE, "make the next test a doublet of two sizes, and fit --by-move",
            "moves of one size cannot show a valve that loses the first part of each "
            "(backlash, stiction): the gain would be too low by that part");
        return;
    }
    rk_findings_add(f, RK_LEVEL_NOTE,
                    "fit --by-move: a larger gain for larger moves is the valve's",
                    "the moves are of two sizes: move by move they show a valve that loses the "
                    "first part of each (backlash, stiction)");
}

static void find_extras(const rk_fit *fit, rk_findings *f)
{
    if (fit->drift != 0) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION,
            "make the test when nothing else moves PV; the drift is taken out of the "
            "model",
            "PV drifts by %.3g an hour beside the model", 3600.0 * fit->drift);
    }
    if (fit->initial != 0) {
        rk_findings_add(f, RK_LEVEL_NOTE,
                        "wait until PV is steady before the next test; this start is taken out",
                        "PV started %.3g off its rest", fit->initial);
    }
    if (fit->load != 0) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION, "find out what it was; it is taken out of the model",
            "a load step like %.3g of OUT hit the process at %.4g s", fit->load, fit->load_at);
        rk_findings_place(f, fit->load_at, fit->load_at);
    }
    if (fit->other_load != 0) {
        rk_findings_add(
            f, RK_LEVEL_UNFIT,
            "repeat the test when nothing else moves PV, or find out when the load came",
            "a load step like %.3g of OUT at %.4g s with a gain of %.4g explains PV as "
            "well: the two cannot be told apart",
            fit->other_load, fit->other_load_at, fit->other_gain);
        rk_findings_place(f, fit->other_load_at, fit->other_load_at);
    }
    if (fit->quantum > COARSE * fit->pv_moved) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION, "make a larger move, or read PV with more digits",
            "PV comes in steps of %.4g and moved only %.3g; the intervals allow for it",
            fit->quantum, fit->pv_moved);
    }
    if (fit->left_out > 0) {
        rk_findings_add(f, RK_LEVEL_NOTE, "see what they are",
                        "%zu row%s left out as spikes, the first at %.5g s", fit->left_out,
                        fit->left_out > 1 ? "s were" : " was", fit->left_out_at[0]);
        rk_findings_place(f, fit->left_out_at[0], fit->left_out_at[0]);
    }
    if (fit->closed_loop) {
        rk_findings_add(
            f, RK_LEVEL_CAUTION,
            "trust gain and dead time only if the setpoint was moved; better: test in "
            "manual",
            "OUT answers PV: the record was made in automatic");
    }
}

rk_findings rk_fit_findings(const rk_fit *fit)
{
    rk_findings found = {.count = 0};

    find_unfit(fit, &found);
    if (rk_findings_worst(&found) == RK_LEVEL_UNFIT && !answers(fit) &&
        fit->model.time_constant[0] > 1e6) {
        return found; /* an integrator's numbers say nothing more */
    }
    find_doubts(fit, &found);
    find_instants(fit, &found);
    find_extras(fit, &found);
    find_valve(fit, &found);
    return found;
}

rk_level rk_fit_level(const rk_fit *fit)
{
    const rk_findings found = rk_fit_findings(fit);

    return rk_findings_worst(&found);
}
