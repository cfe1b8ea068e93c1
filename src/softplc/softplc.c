/* SPDX-License-Identifier: MIT */
#include <redkettle/softplc/softplc.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/text.h>

#include "parts.h"

static rk_status load(rk_plc *plc, const char *name, const char *text, size_t length, bool own,
                      rk_diag *diag)
{
    rki_parse parse = {.arena = &plc->arena, .name = name, .diag = diag, .own = own};
    rki_compiler c = {.plc = plc, .parse = &parse};

    if (rki_parse_text(&parse, text, length) == RK_OK && !rki_compile_items(&c, parse.items) &&
        parse.status == RK_OK) {
        parse.status = RK_ERR_MEMORY;
    }
    if (parse.status == RK_ERR_MEMORY) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory reading %.100s", name);
    }
    return parse.status;
}

rk_plc *rk_plc_create(void)
{
    rk_plc *plc = rk_memory_create(1, sizeof *plc);
    const char *own = rki_standard_blocks();

    if (plc == NULL) return NULL;
    plc->stack = rk_memory_create(RKI_STACK_CELLS, sizeof *plc->stack);
    if (plc->stack == NULL ||
        load(plc, "the standard function blocks", own, strlen(own), true, NULL) != RK_OK) {
        rk_plc_free(plc);
        return NULL;
    }
    plc->clock = rki_variable_find(plc->globals, "?now")->cell;
    plc->standard = plc->pous;
    return plc;
}

void rk_plc_free(rk_plc *plc)
{
    if (plc == NULL) return;
    rki_arena_free(&plc->arena);
    rk_memory_free(plc->stack);
    rk_memory_free(plc);
}

rk_status rk_plc_load(rk_plc *plc, const char *name, const char *text, size_t length,
                      rk_diag *diag)
{
    rk_diag_clear(diag);
    if (plc == NULL || name == NULL || text == NULL) return RK_ERR_ARG;
    return load(plc, name, text, length, false, diag);
}

const char *rk_plc_last_block(const rk_plc *plc)
{
    const rki_pou *pou;

    if (plc == NULL) return "";
    for (pou = plc->pous; pou != NULL && pou != plc->standard; pou = pou->next) {
        if (pou->what == RKI_FUNCTION_BLOCK) return pou->name;
    }
    return "";
}

/* A global that was asked for and never declared. */
static rk_status check_globals(const rk_plc *plc, rk_diag *diag)
{
    const rki_variable *v;

    for (v = plc->globals; v != NULL; v = v->next) {
        if (v->cell == NULL) {
            return rk_diag_set(diag, RK_ERR_DATA,
                               "the global variable '%.60s' is asked for and nowhere declared",
                               v->name);
        }
    }
    return RK_OK;
}

rk_status rk_plc_instance_create(rk_plc *plc, const char *type, rk_plc_instance **made,
                                 rk_diag *diag)
{
    rki_parse parse = {.name = "the instance", .diag = diag};
    rki_compiler c = {.plc = plc, .parse = &parse};
    rk_plc_instance *instance;
    const rki_pou *pou;
    rk_status status;

    rk_diag_clear(diag);
    if (plc == NULL || type == NULL || made == NULL) return RK_ERR_ARG;
    pou = rki_pou_find(plc, type);
    if (pou == NULL || pou->what == RKI_FUNCTION) {
        return rk_diag_set(diag, RK_ERR_DATA, "no function block or program '%.60s' was loaded",
                           type);
    }
    status = check_globals(plc, diag);
    if (status != RK_OK) return status;
    instance = rki_instance_make(&c, (rki_place){1, 1}, pou);
    if (instance == NULL) {
        return parse.status != RK_ERR_MEMORY
                   ? parse.status
                   : rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for '%.60s'", type);
    }
    *made = instance;
    return RK_OK;
}

/* ---- variables by name ---- */

/* The next name of a path: up to . or [ or the end. */
static size_t name_length(const char *path)
{
    return strcspn(path, ".[");
}

static const rki_variable *part(const rki_type *type, const char *path, size_t length)
{
    const rki_variable *v;
    char name[128];

    if (length == 0 || length >= sizeof name) return NULL;
    memcpy(name, path, length);
    name[length] = '\0';
    for (v = type->fields; v != NULL; v = v->next) {
        if (rki_same_word(v->name, name)) return v;
    }
    return NULL;
}

typedef struct spot {
    const rki_type *type;
    rk_plc_value *at;
} spot;

static bool go_into(spot *s, const char **path)
{
    const size_t length = name_length(*path);
    const rki_variable *v = part(s->type, *path, length);

    if (v == NULL) return false;
    *path += length;
    s->type = v->type;
    if (v->section == RKI_VAR_EXTERNAL) {
        s->at = v->global->cell;
    } else {
        s->at = v->section == RKI_VAR_IN_OUT ? s->at[v->offset].at : s->at + v->offset;
    }
    return s->at != NULL;
}

static bool go_to_element(spot *s, const char **path)
{
    long long index;
    int used = 0;

    if (s->type->base != RKI_ARRAY || sscanf(*path, "[%lld]%n", &index, &used) != 1 ||
        used == 0 || index < s->type->low || index > s->type->high) {
        return false;
    }
    *path += used;
    s->at += (size_t)(index - s->type->low) * s->type->of->cells;
    s->type = s->type->of;
    return true;
}

/* A program of the configuration, or a global. */
static bool start_outside(const rk_plc *plc, spot *s, const char **path)
{
    const size_t length = name_length(*path);
    const rki_type globals = {.fields = plc->globals};
    const rki_variable *v = part(&globals, *path, length);
    const rki_running *r;

    for (r = plc->running; r != NULL; r = r->next) {
        const rki_variable named = {.name = r->name};
        const rki_type one = {.fields = (rki_variable *)&named};

        if (part(&one, *path, length) != NULL) {
            *path += length;
            *s = (spot){&r->instance->pou->type, r->instance->cells};
            return true;
        }
    }
    if (v == NULL || v->cell == NULL) return false;
    *path += length;
    *s = (spot){v->type, v->cell};
    return true;
}

rk_status rk_plc_find(rk_plc *plc, rk_plc_instance *instance, const char *path,
                      rk_plc_variable *found, rk_diag *diag)
{
    const char *at = path;
    bool there;
    spot s;

    rk_diag_clear(diag);
    if (plc == NULL || path == NULL || found == NULL) return RK_ERR_ARG;
    if (instance != NULL) {
        s = (spot){&instance->pou->type, instance->cells};
        there = go_into(&s, &at);
    } else {
        there = start_outside(plc, &s, &at);
    }
    while (there && *at != '\0') {
        if (*at == '[') {
            there = go_to_element(&s, &at);
        } else {
            at++; /* the point */
            there = s.type->fields != NULL && go_into(&s, &at);
        }
    }
    if (!there || s.type->base > (int)RKI_ELEMENTARY) {
        return rk_diag_set(diag, RK_ERR_DATA, "no single variable '%.100s'", path);
    }
    found->kind = (rk_plc_kind)s.type->base;
    found->at = s.at;
    return RK_OK;
}

static void format_time(int64_t ns, char *chars)
{
    static const struct {
        const char *unit;
        int64_t ns;
    } units[] = {
        {"d", 86400000000000}, {"h", 3600000000000}, {"m", 60000000000}, {"s", 1000000000},
        {"ms", 1000000},       {"us", 1000},         {"ns", 1}};
    /* The magnitude of the lowest value does not fit the signed type. */
    uint64_t left = ns < 0 ? 0 - (uint64_t)ns : (uint64_t)ns;
    size_t i;

    chars += sprintf(chars, "T#%s", ns < 0 ? "-" : "");
    if (ns == 0) {
        (void)strcpy(chars, "0s");
        return;
    }
    for (i = 0; i < sizeof units / sizeof units[0]; i++) {
        const uint64_t count = left / (uint64_t)units[i].ns;

        if (count > 0) {
            chars += sprintf(chars, "%llu%s", (unsigned long long)count, units[i].unit);
            left -= count * (uint64_t)units[i].ns;
        }
    }
}

void rk_plc_format(const rk_plc_variable *variable, char *chars)
{
    switch (variable->kind) {
    case RK_PLC_BOOL:
        (void)strcpy(chars, variable->at->whole != 0 ? "TRUE" : "FALSE");
        break;
    case RK_PLC_TIME:
        format_time(variable->at->whole, chars);
        break;
    case RK_PLC_REAL:
        rk_real_format_rounded(variable->at->real, 9, chars);
        break;
    case RK_PLC_LREAL:
        rk_real_format(variable->at->real, chars);
        break;
    default:
        (void)sprintf(chars, "%lld", (long long)variable->at->whole);
        break;
    }
}

/* ---- to run ---- */

/* Turns of all loops in one scan. */
enum { TURNS_MOST = 10000000 };

rk_status rk_plc_scan(rk_plc *plc, rk_plc_instance *instance, rk_diag *diag)
{
    rki_machine m;

    rk_diag_clear(diag);
    if (plc == NULL || instance == NULL) return RK_ERR_ARG;
    m = (rki_machine){.stack = plc->stack, .turns = TURNS_MOST};
    rki_run_body(&m, instance->pou, instance->cells);
    if (!m.failed) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "%.60s, line %d, column %d: %s", m.where, m.at.line,
                       m.at.column, m.why);
}

void rk_plc_instance_restart(rk_plc_instance *instance, bool warm)
{
    if (instance != NULL) {
        rki_restart(&instance->pou->type, instance->cells, warm);
    }
}

#define NS 1e9

void rk_plc_set_clock(rk_plc *plc, double seconds)
{
    if (plc != NULL && seconds >= 0 && seconds * NS < 4e18) {
        plc->clock->whole = llround(seconds * NS);
    }
}

void rk_plc_restart(rk_plc *plc, bool warm)
{
    rki_running *r;
    rki_variable *v;
    const int64_t clock = plc->clock->whole;

    for (r = plc->running; r != NULL; r = r->next) {
        rk_plc_instance_restart(r->instance, warm);
    }
    for (v = plc->globals; v != NULL; v = v->next) {
        if (v->cell == NULL || (warm && (v->flags & RKI_RETAIN) != 0)) continue;
        if (warm && v->type->base == RKI_BLOCK) {
            rki_restart(v->type, v->cell, true);
        } else if (v->initial != NULL) {
            memcpy(v->cell, v->initial, v->type->cells * sizeof *v->cell);
        }
    }
    plc->clock->whole = clock; /* time goes on */
}

rk_status rk_plc_interval(const rk_plc *plc, const char *program, double *seconds)
{
    const rki_running *r;

    if (plc == NULL || program == NULL || seconds == NULL) return RK_ERR_ARG;
    for (r = plc->running; r != NULL; r = r->next) {
        if (r->task != NULL && rki_same_word(r->instance->pou->name, program)) {
            *seconds = (double)r->task->interval / NS;
            return RK_OK;
        }
    }
    return RK_ERR_DATA;
}

/* When the next task is due; INT64_MAX: there is none. */
static int64_t next_due(const rk_plc *plc)
{
    const rki_task *task;
    int64_t due = INT64_MAX;

    for (task = plc->tasks; task != NULL; task = task->next) {
        if (task->due < due) {
            due = task->due;
        }
    }
    return due;
}

/* Of the tasks that are due now and not yet done, the one with the lowest priority number. */
static rki_task *most_urgent(const rk_plc *plc, int64_t now)
{
    rki_task *task, *best = NULL;

    for (task = plc->tasks; task != NULL; task = task->next) {
        if (task->due <= now && (best == NULL || task->priority <= best->priority)) {
            best = task; /* the list is in reverse: of equals the first declared */
        }
    }
    return best;
}

static rk_status run_programs(rk_plc *plc, const rki_task *task, rk_diag *diag)
{
    rk_status status = RK_OK;
    rki_running *r;

    for (r = plc->running; r != NULL && status == RK_OK; r = r->next) {
        if (r->task == task) {
            status = rk_plc_scan(plc, r->instance, diag);
        }
    }
    return status;
}

rk_status rk_plc_run(rk_plc *plc, double seconds, rk_diag *diag)
{
    rk_status status;
    int64_t end;

    rk_diag_clear(diag);
    if (plc == NULL) return RK_ERR_ARG;
    if (!(seconds >= 0 && seconds * NS < 2e18)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a PLC runs for 0 s or more, not %g s", seconds);
    }
    if (plc->tasks == NULL || plc->running == NULL) {
        return rk_diag_set(diag, RK_ERR_DATA,
                           "nothing to run: no CONFIGURATION with a TASK and a PROGRAM was "
                           "loaded");
    }
    status = check_globals(plc, diag);
    end = plc->now + llround(seconds * NS);
    while (status == RK_OK && next_due(plc) < end) {
        rki_task *task;

        plc->now = next_due(plc);
        plc->clock->whole = plc->now;
        while (status == RK_OK && (task = most_urgent(plc, plc->now)) != NULL) {
            status = run_programs(plc, task, diag);
            task->due += task->interval;
        }
        if (status == RK_OK) {
            status = run_programs(plc, NULL, diag);
        }
    }
    if (status == RK_OK) {
        plc->now = end;
    }
    return status;
}
