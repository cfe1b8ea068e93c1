/* SPDX-License-Identifier: MIT */
#include <redkettle/design/check/check.h>

#include <math.h>
#include <stdio.h>

static void add_slip_finding(const rk_design *loop, const rk_slip *slip, rk_findings *findings)
{
    char unit[RK_GAIN_UNIT_CHARS + 8] = "s";

    if (!slip->found) return;
    if (slip->setting[0] == 'k') {
        (void)snprintf(unit, sizeof unit, "%s/%s%s", loop->out_units, loop->pv_units,
                       slip->setting[1] == 'i' ? " per s" : "");
    }
    rk_findings_add(findings, RK_LEVEL_CAUTION, slip->advice,
                    "%s %.4g %s looks like %s: %.4g %s would be usual for this process",
                    slip->setting, slip->typed, unit, slip->looks_like, slip->meant, unit);
}

/* A valve that moves PV by many times what the transmitter can show, or hardly at all. */
#define REACH_MOST 20.0
#define REACH_LEAST 0.02

static void add_reach_finding(const rk_design *loop, const rk_check *c, rk_findings *findings)
{
    const double span = isnan(loop->pv_low) ? nan("") : loop->pv_high - loop->pv_low;
    const double reach = c->start.pv_high - c->start.pv_low;

    if (!c->has_operating || !isfinite(reach) || isnan(span)) return;
    if (reach > REACH_MOST * span) {
        rk_findings_add(findings, RK_LEVEL_UNFIT,
                        "check the units that OUT was recorded in: 0 to 1, or percent?",
                        "OUT's range would take PV from %.4g to %.4g %s, %.3g times what the "
                        "transmitter measures",
                        c->start.pv_low, c->start.pv_high, loop->pv_units, reach / span);
    } else if (reach < REACH_LEAST * span) {
        rk_findings_add(findings, RK_LEVEL_CAUTION,
                        "check the units of OUT and PV, and whether this valve acts on this PV",
                        "OUT's whole range would move PV by only %.3g %s, %.2g %% of what the "
                        "transmitter measures",
                        reach, loop->pv_units, 100.0 * reach / span);
    }
}

/* What is slower than the controller itself, or looks only now and then. */
static void add_slowness_findings(const rk_design *loop, rk_findings *findings)
{
    const rk_settings *s = &loop->settings;
    const double theta = loop->model.dead_time;

    if (isfinite(s->ti) && s->pv_filter > 0.5 * s->ti) {
        rk_findings_add(findings, RK_LEVEL_CAUTION,
                        "a filter of a tenth of ti is plenty; was it typed in other units?",
                        "the PV filter of %.4g s is %s ti of %.4g s", s->pv_filter,
                        s->pv_filter > s->ti ? "longer than" : "nearly as long as", s->ti);
    }
    if (s->td > 0 && s->tf >= s->td) {
        rk_findings_add(findings, RK_LEVEL_CAUTION, "give tf of about a tenth of td",
                        "the derivative's filter of %.4g s leaves nothing of td %.4g s", s->tf,
                        s->td);
    }
    if (!isnan(loop->ts) && theta > 0 && loop->ts > theta) {
        rk_findings_add(findings, RK_LEVEL_CAUTION,
                        "scan some ten times in a dead time, or check the scan's unit",
                        "the scan of %.4g s is longer than the dead time of %.4g s", loop->ts,
                        theta);
    }
}

/* A requirement in another unit than it is read in. A gain margin is a factor, hardly ever this
   large; nobody asks for so small a part of a percent; nothing happens within the dead time. */
#define MARGIN_LARGE 5.0
#define OVERSHOOT_SMALL 0.5

static void add_requirement_findings(const rk_design *loop, const rk_requirements *asked,
                                     rk_findings *findings)
{
    static const rk_require times[] = {RK_REQUIRE_SETTLING, RK_REQUIRE_RECOVERY};
    const double margin = asked->limit[RK_REQUIRE_GAIN_MARGIN];
    const double overshoot = asked->limit[RK_REQUIRE_OVERSHOOT];
    size_t i;

    if (margin >= MARGIN_LARGE) {
        rk_findings_add(findings, RK_LEVEL_CAUTION, "give the factor: 6 dB is 2",
                        "a gain margin of %.4g is asked for, which is a factor: was it dB?",
                        margin);
    }
    if (overshoot > 0 && overshoot < OVERSHOOT_SMALL) {
        rk_findings_add(findings, RK_LEVEL_CAUTION, "give percent: 5 for 5 %",
                        "an overshoot of at most %.3g %% is asked for: was it a fraction?",
                        overshoot);
    }
    for (i = 0; i < sizeof times / sizeof times[0]; i++) {
        const double limit = asked->limit[times[i]];

        if (!(limit <= loop->model.dead_time)) continue;
        rk_findings_add(findings, RK_LEVEL_CAUTION, "type the unit with it, such as 4min",
                        "%s within %.4g s is asked for, and PV does not answer for %.4g s: was "
                        "it minutes?",
                        rk_require_to_text(times[i]), limit, loop->model.dead_time);
    }
}

static void add_sign_finding(const rk_design *loop, rk_findings *findings)
{
    if (loop->settings.kc * loop->model.gain > 0) return;
    rk_findings_add(
        findings, RK_LEVEL_UNFIT, "turn the sign of kc, or check the sign of the gain",
        "kc %.4g and the process gain %.4g have different signs: the loop drives PV away "
        "from the setpoint",
        loop->settings.kc, loop->model.gain);
}

/* As the loop runs; where it is the scan that makes it unstable, that is said. */
static void add_unstable_finding(const rk_design *loop, const rk_check *c,
                                 rk_findings *findings)
{
    const rk_margins *m = rk_check_judged(c);
    char advice[160] = "no kc is stable with these times: raise ti";

    if (m->stable) return;
    if (m->kc_range_exists) {
        (void)snprintf(advice, sizeof advice,
                       "give kc between %.4g and %.4g, or tune by a rule", m->kc_stable[0],
                       m->kc_stable[1]);
    }
    if (c->has_sampled && c->margins.stable) {
        if (!isnan(c->slowest_scan)) {
            (void)snprintf(advice, sizeof advice,
                           "scan every %.3g s or faster, or tune more slowly", c->slowest_scan);
        }
        rk_findings_add(
            findings, RK_LEVEL_UNFIT, advice,
            "the loop is stable in continuous time and UNSTABLE at its scan of %.4g s",
            loop->ts);
        return;
    }
    rk_findings_add(findings, RK_LEVEL_UNFIT, advice, "the loop is unstable with kc %.4g",
                    loop->settings.kc);
}

static void add_scan_findings(const rk_design *loop, const rk_margins *m, rk_findings *findings)
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
static void add_offset_finding(const rk_design *loop, rk_findings *findings)
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

/* What sampling costs: margins that are only as asked in continuous time. */
static void add_sampled_findings(const rk_design *loop, const rk_check *c, rk_findings *found)
{
    double figure[RK_REQUIRE_COUNT];
    char advice[160] = "no scan keeps it: tune more slowly", delay[64] = "", lost[240] = "";
    rk_verdict continuous;
    size_t used = 0;
    int i;

    if (!c->has_sampled || !c->sampled.stable || !c->margins.stable) return;
    rk_margins_figures(&c->margins, figure);
    continuous = rk_requirements_check(&c->requirements, true, figure);
    for (i = 0; i < RK_REQUIRE_OVERSHOOT && used < sizeof lost; i++) {
        if (!c->verdict.asked[i] || c->verdict.line_met[i] || !continuous.line_met[i]) continue;
        used += (size_t)snprintf(lost + used, sizeof lost - used, "%s%s %.4g instead of %.4g",
                                 used > 0 ? ", " : "", rk_require_to_text((rk_require)i),
                                 c->verdict.figure[i], figure[i]);
    }
    if (used == 0) return;
    if (!isnan(c->slowest_scan)) {
        (void)snprintf(advice, sizeof advice,
                       "scan every %.3g s or faster, or tune more slowly", c->slowest_scan);
    }
    if (loop->delay_scans > 0) {
        (void)snprintf(delay, sizeof delay, " and its delay of %.3g scans", loop->delay_scans);
    }
    rk_findings_add(found, RK_LEVEL_CAUTION, advice, "the scan of %.4g s%s takes margin: %s",
                    loop->ts, delay, lost);
}

/* A record that is much coarser than the scan cannot tell a dead time to the scan. */
#define COARSE 5.0
/* A scan is a whole number of tasks to so many parts. */
#define WHOLE 1e-6

static void add_timing_findings(const rk_design *loop, const rk_check_plan *plan,
                                rk_findings *found)
{
    const double tasks = loop->ts / plan->task;

    if (isnan(loop->ts)) return;
    if (tasks < 1.0 - WHOLE) {
        rk_findings_add(
            found, RK_LEVEL_UNFIT,
            "call the block in a faster task, or scan "
            "as the task does and check again",
            "the scan of %.4g s is faster than the task of %.4g s that calls it: all "
            "times would be off by %.3g",
            loop->ts, plan->task, 1.0 / tasks);
    } else if (fabs(tasks - round(tasks)) > WHOLE * tasks) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "make the scan a whole number of task intervals",
                        "the scan of %.4g s is %.4g intervals of the task of %.4g s", loop->ts,
                        tasks, plan->task);
    }
    if (plan->record_interval > COARSE * loop->ts &&
        plan->record_interval > 0.2 * loop->model.dead_time) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "record a step test at about the scan before trusting the dead time",
                        "the record was sampled every %.4g s, the loop scans every %.4g s: it "
                        "cannot tell the dead time to better than its own interval",
                        plan->record_interval, loop->ts);
    }
}

static void add_hold_finding(const rk_design *loop, const rk_operating *o, double sp,
                             rk_findings *findings)
{
    if (o->holds) return;
    rk_findings_add(findings, RK_LEVEL_CAUTION, "ask for a setpoint within that",
                    "setpoint %.5g %s needs OUT at %.4g %s; its limits hold PV from %.5g to "
                    "%.5g",
                    sp, loop->pv_units, o->out, loop->out_units, o->pv_low, o->pv_high);
}

static void add_operating_findings(const rk_design *loop, const rk_check_plan *plan,
                                   const rk_check *c, rk_findings *found)
{
    const rk_requirements *r = &c->requirements;
    const double room = r->load_step > 0 ? c->start.room_down : c->start.room_up;
    size_t i;

    if (!c->has_operating) return;
    add_hold_finding(loop, &c->stepped, loop->model.pv0 + r->sp_step, found);
    for (i = 0; i < plan->setpoints; i++) {
        add_hold_finding(loop, &c->held[i], plan->setpoint[i], found);
    }
    if (room < fabs(r->load_step)) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "move the operating point, or give the valve more range",
                        "OUT has %.4g %s left at the operating point, the load takes %.4g",
                        room, loop->out_units, fabs(r->load_step));
    }
}

/* An error that is lost matters where nobody would take it for noise. */
#define LOST_PART 1e-4

static void add_arithmetic_findings(const rk_design *loop, const rk_check *c,
                                    rk_findings *found)
{
    const double span = isnan(loop->pv_low) ? nan("") : loop->pv_high - loop->pv_low;

    if (c->stall_error > LOST_PART * span && !(c->stall_error < loop->noise)) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            "run the block in double precision (LREAL), or scan more slowly",
            "in single precision an error below %.3g %s no longer moves the integral: "
            "PV may stay off by it",
            c->stall_error, loop->pv_units);
    }
    if (c->cycle.exists) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            "repair the valve; a longer ti makes the cycle longer, not smaller",
            "the valve's stiction of %.3g %s causes a limit cycle: PV +-%.3g %s, every "
            "%.4g s",
            loop->plant.stiction, loop->out_units, c->cycle.amplitude, loop->pv_units,
            c->cycle.period);
    }
    if (c->gain.by_noise && fabs(loop->settings.kc) >= fabs(c->gain.on_off)) {
        rk_findings_add(found, RK_LEVEL_CAUTION, "lower kc, or filter PV",
                        "at kc %.4g PV's noise alone swings OUT from limit to limit",
                        loop->settings.kc);
    }
}

/* Beyond the overshoot without limits by so much of the step windup shows, percent. */
#define WOUND_UP 5.0

static void add_windup_findings(const rk_design *loop, const rk_check *c, rk_findings *found)
{
    const rk_windup *w = &c->windup;
    const rk_windup_run *own = &w->ways[loop->settings.anti_windup];

    if (!c->has_windup || !w->saturates || isinf(loop->settings.ti)) return;
    if (own->overshoot > w->ideal.overshoot + WOUND_UP) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            loop->settings.anti_windup == RK_ANTI_WINDUP_NONE
                ? "give anti-windup: conditional or back-calculation"
                : "ramp the setpoint, or try another way against windup",
            "a setpoint step of %.4g %s winds up: overshoot %.3g %%, %.3g %% without "
            "limits",
            w->sp_step, loop->pv_units, own->overshoot, w->ideal.overshoot);
    }
}

static void add_worst_findings(const rk_check_plan *plan, const rk_check *c, rk_findings *found)
{
    if (!rk_check_judged(c)->stable) return;
    if (c->has_region && !c->region.stable) {
        rk_findings_add(
            found, RK_LEVEL_UNFIT, "tune more slowly, or make a better step test",
            "the record allows models (its joint 95 %% region) on which the loop is "
            "unstable");
    } else if (c->has_region && c->region.ms > c->requirements.limit[RK_REQUIRE_MS]) {
        rk_findings_add(found, RK_LEVEL_CAUTION, "tune more slowly, or make a better step test",
                        "the record allows models (its joint 95 %% region) on which Ms is %.3g",
                        c->region.ms);
    }
    if (c->has_box && !c->box.stable) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION, "tune more slowly",
            "a model wrong by %.3g %% makes the loop unstable; it tolerates %.3g %%",
            100.0 * plan->model_error, 100.0 * c->survived);
    }
}

rk_findings rk_check_findings(const rk_design *loop, const rk_check_plan *plan,
                              const rk_check *check)
{
    rk_findings made = {.count = 0}, *found = &made;
    const rk_check *c = check;

    add_sign_finding(loop, found);
    add_slip_finding(loop, &c->slip, found);
    if (loop->settings.kc * loop->model.gain > 0) {
        add_unstable_finding(loop, c, found);
    }
    add_reach_finding(loop, c, found);
    add_sampled_findings(loop, c, found);
    add_scan_findings(loop, rk_check_judged(c), found);
    add_timing_findings(loop, plan, found);
    if (loop->settings.td > 0 && loop->settings.tf == 0) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION, "give tf of about a tenth of td",
            "the derivative has no filter: every step of the transmitter kicks OUT");
    }
    add_requirement_findings(loop, &c->requirements, found);
    add_slowness_findings(loop, found);
    add_worst_findings(plan, c, found);
    add_operating_findings(loop, plan, c, found);
    add_windup_findings(loop, c, found);
    add_arithmetic_findings(loop, c, found);
    add_offset_finding(loop, found);
    return made;
}
