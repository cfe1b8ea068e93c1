/* SPDX-License-Identifier: MIT */
#include <redkettle/design/check.h>

#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

static void add_sign_finding(const rk_loop_design *loop, rk_findings *findings)
{
    if (loop->settings.kc * loop->model.gain > 0) return;
    rk_findings_add(
        findings, RK_LEVEL_UNFIT, "turn the sign of kc, or check the sign of the gain",
        "kc %.4g and the process gain %.4g have different signs: the loop drives PV away "
        "from the setpoint",
        loop->settings.kc, loop->model.gain);
}

static void add_unstable_finding(const rk_loop_design *loop, const rk_margins *m,
                                 rk_findings *findings)
{
    char advice[128] = "no kc is stable with these times: raise ti";

    if (m->stable) return;
    if (m->kc_range_exists) {
        (void)snprintf(advice, sizeof advice,
                       "give kc between %.4g and %.4g, or tune by a rule", m->kc_stable[0],
                       m->kc_stable[1]);
    }
    rk_findings_add(findings, RK_LEVEL_UNFIT, advice, "the loop is unstable with kc %.4g",
                    loop->settings.kc);
}

static void add_scan_findings(const rk_loop_design *loop, const rk_margins *m,
                              rk_findings *findings)
{
    if (isnan(loop->ts)) return;
    if (m->stable && m->delay_margin < 2.0 * loop->ts) {
        rk_findings_add(
            findings, RK_LEVEL_CAUTION, "scan faster, or tune more slowly",
            "the delay margin of %.3g s is less than two scans of %.3g s: the scan itself "
            "may use it up",
            m->delay_margin, loop->ts);
    }
    if (loop->settings.ti < loop->ts) {
        rk_findings_add(findings, RK_LEVEL_UNFIT, "scan faster, or raise ti",
                        "ti %.4g s is shorter than the scan of %.4g s", loop->settings.ti,
                        loop->ts);
    }
}

/* P-only: a self-regulating process stays off its setpoint, an integrating one under a load. */
static void add_offset_finding(const rk_loop_design *loop, rk_findings *findings)
{
    const double kc = loop->settings.kc;

    if (isfinite(loop->settings.ti)) return;
    if (rk_model_kind_integrates(loop->model.kind)) {
        rk_findings_add(findings, RK_LEVEL_NOTE, "give ti if PV must reach the setpoint",
                        "without integral action a load of 1 %s leaves PV off the setpoint by "
                        "1/kc = %.3g %s",
                        loop->out_units, 1.0 / fabs(kc), loop->pv_units);
        return;
    }
    rk_findings_add(findings, RK_LEVEL_NOTE, "give ti if PV must reach the setpoint",
                    "without integral action PV stays off the setpoint by 1/(1 + kc gain) = "
                    "%.3g of a step",
                    1.0 / (1.0 + (kc * loop->model.gain)));
}

static void add_findings(const rk_loop_design *loop, const rk_margins *m, rk_findings *findings)
{
    add_sign_finding(loop, findings);
    if (findings->count == 0) {
        add_unstable_finding(loop, m, findings);
    }
    add_scan_findings(loop, m, findings);
    if (loop->settings.td > 0 && loop->settings.tf == 0) {
        rk_findings_add(
            findings, RK_LEVEL_CAUTION, "give tf of about a tenth of td",
            "the derivative has no filter: every step of the transmitter kicks OUT");
    }
    add_offset_finding(loop, findings);
}

rk_status rk_check_run(const rk_loop_design *loop, rk_check *check, rk_diag *diag)
{
    double figure[RK_REQUIRE_COUNT];
    rk_conditions conditions;
    rk_check made;
    rk_status status;

    if (loop == NULL || check == NULL) return RK_ERR_ARG;
    status = rk_loop_design_check(loop, diag);
    if (status != RK_OK) return status;
    if (!loop->has_model || !loop->has_settings) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a check needs a model and settings");
    }
    memset(&made, 0, sizeof made);
    made.requirements = rk_loop_design_requirements(loop);
    conditions = rk_loop_design_conditions(loop);
    status = rk_margins_check(&loop->model, &loop->settings, &made.margins, diag);
    if (status == RK_OK) {
        status = rk_measure_figures(&made.requirements, &loop->model, &loop->settings,
                                    &conditions, &made.margins, figure, diag);
    }
    if (status != RK_OK) return status;
    made.verdict = rk_requirements_check(&made.requirements, made.margins.stable, figure);
    add_findings(loop, &made.margins, &made.findings);
    if (rk_findings_worst(&made.findings) == RK_LEVEL_UNFIT) {
        made.verdict.met = false;
    }
    *check = made;
    return RK_OK;
}
