/* SPDX-License-Identifier: MIT */
#include <redkettle/live/enough.h>

#include <math.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/record/record.h>

/* From a fit to the next the record grows by this part of it, and by so many rows at least. */
#define GROWTH 0.05
enum { ROWS_LEAST = 10 };
/* So many time constants of PV must have been seen since OUT moved. */
#define TIME_CONSTANTS 2.0
/* An integrator's time constant is not known: so many dead times, and rows. */
#define DEAD_TIMES 3.0

typedef struct row {
    double time, out, pv;
} row;

struct rk_enough {
    double gain, dead_time; /* percent */
    row *rows;
    size_t count, room, fitted,
        reached;     /* rows, at the last fit, fits in a row that were enough */
    double moved_at; /* s; NaN: OUT has not moved */
    bool beside, stop, full;
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    char why[120];
};

static double within(double value, const double interval[2])
{
    return 100.0 * 0.5 * (interval[1] - interval[0]) / fabs(value);
}

static bool was_watched(const rk_enough *e, const rk_model *m, double last)
{
    const double since = last - e->moved_at;

    if (rk_model_kind_integrates(m->kind)) return since >= DEAD_TIMES * m->dead_time;
    return since >=
           m->dead_time + (TIME_CONSTANTS * (m->time_constant[0] + m->time_constant[1]));
}

/* Is this fit as sure as was wanted? Then why is written. */
static bool is_sure(const rk_enough *e, const rk_fit *fit, double last, char why[120])
{
    const double gain = within(fit->model.gain, fit->gain95),
                 dead_time = within(fit->model.dead_time, fit->dead_time95);
    const bool by_gain = !isnan(e->gain), by_dead_time = !isnan(e->dead_time);

    if (by_gain && !(gain <= e->gain)) return false;
    if (by_dead_time && !(dead_time <= e->dead_time)) return false;
    if (!was_watched(e, &fit->model, last)) return false;
    if (by_gain && by_dead_time) {
        (void)snprintf(why, 120, "the gain is known to %.2g %%, the dead time to %.2g %%", gain,
                       dead_time);
    } else {
        (void)snprintf(why, 120, "the %s is known to %.2g %%", by_gain ? "gain" : "dead time",
                       by_gain ? gain : dead_time);
    }
    return true;
}

/* A model of rows that nobody else touches. */
static bool look(const rk_enough *e, const row *rows, size_t count, char why[120])
{
    const rk_fit_plan plan = rk_fit_plan_make();
    rk_record *record = NULL;
    rk_status status = rk_record_create(&record, NULL);
    rk_fit fit;
    size_t i;
    bool sure = false;

    for (i = 0; i < count && status == RK_OK; i++) {
        status = rk_record_add(record, rows[i].time, rows[i].out, rows[i].pv, NULL);
    }
    if (status == RK_OK) {
        rk_record_set_on_rows(record, true);
        sure = rk_fit_compute(record, &plan, &fit, NULL) == RK_OK &&
               is_sure(e, &fit, rows[count - 1].time, why);
    }
    rk_record_free(record);
    return sure;
}

static bool is_due(const rk_enough *e)
{
    return !isnan(e->moved_at) && e->why[0] == '\0' &&
           (double)(e->count - e->fitted) >= ROWS_LEAST + (GROWTH * (double)e->fitted);
}

/* Two in a row: one may be sure by chance. */
static void take(rk_enough *e, bool sure, const char *why)
{
    e->reached = sure ? e->reached + 1 : 0;
    if (e->reached >= 2) {
        (void)snprintf(e->why, sizeof e->why, "%s", why);
    }
}

/* The thread: the rows so far are copied, and fitted while more come. */
static void *look_beside(void *user)
{
    rk_enough *e = user;
    char why[120] = "";

    (void)pthread_mutex_lock(&e->mutex);
    while (!e->stop && e->why[0] == '\0') {
        const size_t count = e->count;
        row *copy;
        bool sure;

        if (!is_due(e)) {
            (void)pthread_cond_wait(&e->changed, &e->mutex);
            continue;
        }
        e->fitted = count;
        copy = rk_memory_create(count, sizeof *copy);
        if (copy == NULL) break;
        memcpy(copy, e->rows, count * sizeof *copy);
        (void)pthread_mutex_unlock(&e->mutex);
        sure = look(e, copy, count, why);
        rk_memory_free(copy);
        (void)pthread_mutex_lock(&e->mutex);
        take(e, sure, why);
    }
    (void)pthread_mutex_unlock(&e->mutex);
    return NULL;
}

rk_status rk_enough_create(double gain, double dead_time, bool beside, rk_enough **enough,
                           rk_diag *diag)
{
    sigset_t all, before;
    rk_enough *made;

    rk_diag_clear(diag);
    if (enough == NULL) return RK_ERR_ARG;
    if (!(isnan(gain) || gain > 0) || !(isnan(dead_time) || dead_time > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "how well: give percentages above 0");
    }
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a test");
    made->gain = gain;
    made->dead_time = dead_time;
    made->moved_at = nan("");
    (void)pthread_mutex_init(&made->mutex, NULL);
    (void)pthread_cond_init(&made->changed, NULL);
    (void)sigfillset(&all);
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    made->beside = beside && pthread_create(&made->thread, NULL, look_beside, made) == 0;
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    if (beside && !made->beside) {
        rk_enough_free(made);
        return rk_diag_set(diag, RK_ERR_MEMORY, "no thread to fit models with");
    }
    *enough = made;
    return RK_OK;
}

/* Memory that fails ends the looking, not the test. */
static void keep(rk_enough *e, double time, double out, double pv)
{
    if (e->count == e->room) {
        const size_t room = e->room > 0 ? 2 * e->room : 1024;
        row *grown = rk_memory_resize(e->rows, room, sizeof *grown);

        e->full = grown == NULL;
        if (e->full) return;
        e->rows = grown;
        e->room = room;
    }
    if (e->count > 0 && isnan(e->moved_at) && out != e->rows[0].out) {
        e->moved_at = time;
    }
    e->rows[e->count++] = (row){time, out, pv};
}

void rk_enough_add(rk_enough *e, double time, double out, double pv)
{
    char why[120] = "";

    (void)pthread_mutex_lock(&e->mutex);
    if (!e->full) {
        keep(e, time, out, pv);
    }
    if (e->beside) {
        (void)pthread_cond_broadcast(&e->changed);
    } else if (is_due(e)) {
        e->fitted = e->count;
        take(e, look(e, e->rows, e->count, why), why);
    }
    (void)pthread_mutex_unlock(&e->mutex);
}

const char *rk_enough_why(rk_enough *e)
{
    bool there;

    (void)pthread_mutex_lock(&e->mutex);
    there = e->why[0] != '\0';
    (void)pthread_mutex_unlock(&e->mutex);
    return there ? e->why : NULL;
}

void rk_enough_free(rk_enough *e)
{
    if (e == NULL) return;
    if (e->beside) {
        (void)pthread_mutex_lock(&e->mutex);
        e->stop = true;
        (void)pthread_cond_broadcast(&e->changed);
        (void)pthread_mutex_unlock(&e->mutex);
        (void)pthread_join(e->thread, NULL);
    }
    (void)pthread_cond_destroy(&e->changed);
    (void)pthread_mutex_destroy(&e->mutex);
    rk_memory_free(e->rows);
    rk_memory_free(e);
}
