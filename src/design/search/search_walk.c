/* SPDX-License-Identifier: MIT */
/*
 * From a start to the bottom of its valley, in ln kc, ln ti and ln td, by linear models of the cost
 * and of each requirement's shortfall on a simplex (COBYLA, of NLopt): no derivatives, which
 * figures that jump do not have, and the ridge where two requirements bind is followed. It is
 * begun anew from the best point in rounds with ever smaller simplexes. A round makes small what
 * the point lacks first: the margins' shortfall; the shortfall of the requirement that is furthest
 * from being met, all others held; the cost, all held, that one as near as it goes.
 *
 * Source  M. J. D. Powell, A direct search optimization method that models the objective and
 *         constraint functions by linear interpolation, 1994, in Advances in Optimization and
 *         Numerical Analysis, Kluwer.
 */
#include <math.h>
#include <string.h>

#include <nlopt.h>

#include "design/base/parallel.h"
#include "search_points.h"

/* The simplex of each round, in logarithms, and the most runs that it may take. */
static const double sizes[2][6] = {
    {0.4, 0.1, 0.03, 0.01, 0.003, 0.001}, /* of one or two numbers */
    {0.4, 0.2, 0.1, 0.3, 0.1, 0.03},
};
enum { ROUNDS = 6, RUNS = 70 };
/* Until so many rounds from the end a requirement that cannot be met is brought nearer. Of several
   models all but the last rounds look at the one that the loop is designed for; then only the best
   start is followed, from a simplex that reaches as far as their models differ. */
enum { LAST_ROUNDS = 3 };
#define AMONG_ALL 0.15
/* After this round a start that is so much dearer than the best is given up. */
enum { SORTED_ROUND = 2 };
#define DEARER 1.1
/* Limits are held so much within, so that rounding does not miss them. */
#define WITHIN 1e-7
/* As near as it goes is to this, in parts. */
#define NEAR 0.02
/* What an unstable loop is given for its cost, ln beside the best. */
#define UNSTABLE_COST 3.0
/* How far a walk may lead, as factors: of the gain to both sides of its start, of the times about
   the process's own. */
#define GAIN_REACH 1e4
#define TIME_LEAST 1e-3
#define DERIVATIVE_MOST 5.0

typedef enum aim { AIM_SAFE, AIM_NEAR, AIM_CHEAP } aim;

typedef struct walker {
    rki_search_run run; /* its own copy, of one thread */
    rki_point best, last, start;
    double at[RKI_SEARCH_NUMBERS]; /* of `last` */
    bool looked;
    int numbers;
    aim aim;
    int line;                          /* the requirement that is furthest from being met, .. */
    double nearest;                    /* .. the least that it was missed by .. */
    double slack;                      /* .. and how far it may be missed for the cost's sake */
    double before[RKI_SEARCH_NUMBERS]; /* where it stood a round ago */
    int round;
    bool given_up;
} walker;

rk_settings rki_search_settings_at(const rki_search_run *s, const double *x)
{
    const double sign = s->plan->model.gain < 0 ? -1.0 : 1.0;
    const double ti = s->integral ? exp(x[1]) : HUGE_VAL;
    const double td = s->derivative ? exp(x[s->integral ? 2 : 1]) : 0.0;

    return rki_search_settings(s, sign * exp(x[0]), ti, td);
}

void rki_search_place(const rki_search_run *s, const rk_settings *settings, double *x)
{
    int n = 0;

    x[n++] = log(fabs(settings->kc));
    if (s->integral) {
        x[n++] = log(settings->ti);
    }
    if (s->derivative) {
        x[n++] = log(settings->td);
    }
}

int rki_search_numbers(const rki_search_run *s)
{
    return 1 + s->integral + s->derivative;
}

void rki_search_bounds(const rki_search_run *s, const double *x, double *low, double *high)
{
    const double time = log(rki_own_time(&s->plan->model));
    int i;

    low[0] = x[0] - log(GAIN_REACH);
    high[0] = x[0] + log(GAIN_REACH);
    for (i = 1; i < rki_search_numbers(s); i++) {
        const bool integral = s->integral && i == 1;

        low[i] = fmin(time + log(TIME_LEAST), x[i]);
        high[i] = fmax(time + log(integral ? RKI_IDLE : DERIVATIVE_MOST), x[i]);
    }
}

/* Once the requirement that cannot be met is as near as it goes, a little of that may be given for
   the cost. */
static bool is_better(const walker *w, const rki_point *p)
{
    if (w->aim != AIM_CHEAP || !(w->best.missing > 0) || !p->stable || p->unsafe > 0 ||
        p->others > w->best.others || (p->line != w->line && p->missing > 0)) {
        return rki_point_is_better(p, &w->best);
    }
    return p->missing <= w->slack && p->cost < w->best.cost;
}

static void look_at(walker *w, const double *x)
{
    const size_t size = (size_t)w->numbers * sizeof *x;

    if (w->looked && memcmp(x, w->at, size) == 0) return;
    memcpy(w->at, x, size);
    w->looked = true;
    memset(&w->last, 0, sizeof w->last);
    w->last.settings = rki_search_settings_at(&w->run, x);
    (void)rki_points_evaluate(&w->run, &w->last, 1);
    if (w->last.status == RK_OK && is_better(w, &w->last)) {
        w->best = w->last;
    }
}

/* The largest shortfall of the margins, below 0 where all are met. */
static double worst_margin(const walker *w)
{
    const rk_requirements *r = &w->run.plan->requirements;
    double worst = -HUGE_VAL;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(r->limit[i]) || !rki_is_margin((rk_require)i)) continue;
        worst = fmax(worst, rki_shortfall(w->last.figure[i], r->limit[i], (rk_require)i));
    }
    return worst;
}

static double shortfall_of_line(const walker *w)
{
    return rki_shortfall(w->last.figure[w->line], w->run.plan->requirements.limit[w->line],
                         (rk_require)w->line);
}

/* An unstable loop is as far off as can be, and the further the higher its gain. */
static double far_off(const walker *w)
{
    return RKI_FAR_OFF + fmax(w->at[0] - log(fabs(w->best.settings.kc)), 0.0);
}

static double objective(unsigned n, const double *x, double *slope, void *user)
{
    walker *w = user;

    (void)n;
    (void)slope; /* none is asked for */
    look_at(w, x);
    if (!w->last.stable)
        return w->aim == AIM_CHEAP ? log(w->best.cost) + UNSTABLE_COST : far_off(w);
    if (w->aim == AIM_CHEAP) return log(fmax(w->last.cost, 1e-300));
    return w->aim == AIM_SAFE ? worst_margin(w) : shortfall_of_line(w);
}

static void constraints(unsigned m, double *value, unsigned n, const double *x, double *slope,
                        void *user)
{
    walker *w = user;
    const rk_requirements *r = &w->run.plan->requirements;
    unsigned count = 0;
    int i;

    (void)m;
    (void)n;
    (void)slope;
    look_at(w, x);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(r->limit[i]) || (w->aim == AIM_NEAR && i == w->line)) continue;
        value[count++] = !w->last.stable
                             ? far_off(w)
                             : rki_shortfall(w->last.figure[i], r->limit[i], (rk_require)i) +
                                   WITHIN - (i == w->line ? w->slack : 0.0);
    }
}

static unsigned count_constraints(const walker *w)
{
    const rk_requirements *r = &w->run.plan->requirements;
    unsigned count = 0;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT && w->aim != AIM_SAFE; i++) {
        count += !isnan(r->limit[i]) && (w->aim == AIM_CHEAP || i != w->line);
    }
    return count;
}

/* One round from the best point. */
static void go_round(walker *w)
{
    double x[RKI_SEARCH_NUMBERS] = {0}, low[RKI_SEARCH_NUMBERS], high[RKI_SEARCH_NUMBERS], cost;
    const bool among_all = w->round == ROUNDS - LAST_ROUNDS && w->run.plan->set != NULL;
    const double size = among_all ? AMONG_ALL : sizes[w->numbers > 2][w->round];
    nlopt_opt search;
    unsigned count;

    w->aim = w->best.unsafe > 0                                        ? AIM_SAFE
             : w->best.missing > 0 && w->round <= ROUNDS - LAST_ROUNDS ? AIM_NEAR
                                                                       : AIM_CHEAP;
    w->line = w->best.line;
    w->nearest = w->round == 0 ? w->best.missing : fmin(w->nearest, w->best.missing);
    w->slack = w->best.missing > 0 ? w->nearest + NEAR : 0.0;
    rki_search_place(&w->run, &w->best.settings, x);
    rki_search_bounds(&w->run, x, low, high);
    count = count_constraints(w);
    search = nlopt_create(NLOPT_LN_COBYLA, (unsigned)w->numbers);
    if (search == NULL) return;
    (void)nlopt_set_min_objective(search, objective, w);
    (void)nlopt_set_lower_bounds(search, low);
    (void)nlopt_set_upper_bounds(search, high);
    if (count > 0) {
        (void)nlopt_add_inequality_mconstraint(search, count, constraints, w, NULL);
    }
    (void)nlopt_set_initial_step1(search, size);
    (void)nlopt_set_xtol_abs1(search, 0.01 * size);
    (void)nlopt_set_maxeval(search, RUNS);
    if (w->aim != AIM_CHEAP) {
        (void)nlopt_set_stopval(search, -WITHIN);
    }
    (void)nlopt_optimize(search, x, &cost);
    nlopt_destroy(search);
}

/* Points ahead on the way that the last rounds have led, ever further: a narrow valley is long. */
enum { AHEAD = 12 };
#define AHEAD_FIRST 0.5
#define AHEAD_FURTHER 1.6

static void look_ahead(walker *w)
{
    rki_point points[AHEAD];
    double x[RKI_SEARCH_NUMBERS] = {0}, way[RKI_SEARCH_NUMBERS] = {0};
    double low[RKI_SEARCH_NUMBERS], high[RKI_SEARCH_NUMBERS], step = AHEAD_FIRST;
    int i, k;

    rki_search_place(&w->run, &w->best.settings, x);
    rki_search_bounds(&w->run, x, low, high);
    memset(points, 0, sizeof points);
    for (k = 0; k < AHEAD; k++) {
        for (i = 0; i < w->numbers; i++) {
            way[i] = fmin(fmax(x[i] + (step * (x[i] - w->before[i])), low[i]), high[i]);
        }
        points[k].settings = rki_search_settings_at(&w->run, way);
        step *= AHEAD_FURTHER;
    }
    memcpy(w->before, x, sizeof x);
    if (w->round == 0) return;
    (void)rki_points_evaluate(&w->run, points, AHEAD);
    for (k = 0; k < AHEAD; k++) {
        if (points[k].status == RK_OK && is_better(w, &points[k])) {
            w->best = points[k];
        }
    }
}

static void work(void *user, int part, size_t first, size_t last)
{
    walker *w = user;
    size_t i;

    (void)part;
    for (i = first; i < last; i++) {
        if (!w[i].given_up) {
            go_round(&w[i]);
            look_ahead(&w[i]);
        }
    }
}

/* From one model to all of them the point is another one. */
static rk_status look_again(walker *w, const rk_search_plan *plan)
{
    w->run.plan = plan;
    w->looked = false;
    return rki_points_evaluate(&w->run, &w->best, 1);
}

static walker *best_walker(walker *w, int count)
{
    walker *best = w;
    int i;

    for (i = 1; i < count; i++) {
        if (rki_point_is_better(&w[i].best, &best->best)) {
            best = &w[i];
        }
    }
    return best;
}

static void give_up(walker *w, int count)
{
    const walker *best = best_walker(w, count);
    int i;

    for (i = 0; i < count; i++) {
        w[i].given_up = &w[i] != best && (w[i].best.unsafe > best->best.unsafe ||
                                          w[i].best.missing > best->best.missing ||
                                          w[i].best.cost > DEARER * best->best.cost);
    }
}

/* From the model alone to all of them: the best start goes on, from where it came to, or from a start
   that all models like better. */
static rk_status turn_to_all(walker *w, int count, const rk_search_plan *plan)
{
    walker *best = best_walker(w, count);
    rk_status status = look_again(best, plan);
    int i;

    for (i = 0; i < count; i++) {
        w[i].given_up = &w[i] != best;
        if (rki_point_is_better(&w[i].start, &best->best)) {
            best->best = w[i].start;
        }
    }
    return status;
}

rk_status rki_search_walk(rki_search_run *s, rki_point *points, int count, bool among_all)
{
    rk_search_plan alone = *s->plan;
    walker w[RKI_STARTS_MOST];
    rk_status status = RK_OK;
    int round, i;

    alone.set = NULL;
    memset(w, 0, sizeof w);
    for (i = 0; i < count; i++) {
        w[i].run = *s;
        w[i].run.threads = 1;
        w[i].run.tried = 0;
        w[i].best = points[i];
        w[i].start = points[i];
        w[i].numbers = rki_search_numbers(s);
        if (s->plan->set != NULL && !among_all && status == RK_OK) {
            status = look_again(&w[i], &alone);
        }
    }
    for (round = among_all ? ROUNDS - LAST_ROUNDS : 0;
         round < ROUNDS && status == RK_OK && rki_search_may_go_on(s); round++) {
        for (i = 0; i < count; i++) {
            w[i].round = round;
        }
        if (round == ROUNDS - LAST_ROUNDS && s->plan->set != NULL && !among_all) {
            status = turn_to_all(w, count, s->plan);
        }
        rki_parallel((size_t)count, 1, s->threads, work, w);
        if (round == SORTED_ROUND) {
            give_up(w, count);
        }
        s->part = (double)(round + 1) / ROUNDS;
    }
    for (i = 0; i < count; i++) {
        s->tried += w[i].run.tried;
        if (s->plan->set != NULL && w[i].run.plan != s->plan && status == RK_OK) {
            status = look_again(&w[i], s->plan); /* ended before it saw them */
        }
        points[i] = w[i].best;
        if (w[i].given_up) {
            points[i].stable = false;
            points[i].unsafe = HUGE_VAL;
        }
    }
    return status;
}
