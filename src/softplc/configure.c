/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "parts.h"

static bool is_type(rki_compiler *c, const rki_syntax *name, const rki_variable *global,
                    const rki_type *type)
{
    if (rki_type_same(global->type, type)) return true;
    rki_complain(c->parse, name->at, "the global '%.60s' is %s elsewhere", name->word,
                 global->type->name);
    return false;
}

rki_variable *rki_global(rki_compiler *c, const rki_syntax *name, const rki_type *type)
{
    rki_variable *global = rki_variable_find(c->plc->globals, name->word);

    if (global != NULL) return is_type(c, name, global, type) ? global : NULL;
    global = rki_compiler_room(c, sizeof *global);
    if (global == NULL) return NULL;
    global->name = name->word;
    global->type = type;
    global->section = RKI_VAR_GLOBAL;
    global->next = c->plc->globals;
    c->plc->globals = global;
    return global;
}

/* Declares what may have been asked for already. */
static bool add_global(rki_compiler *c, const rki_syntax *section, const rki_variable *v)
{
    const rki_syntax name = {.kind = RKI_WORD, .at = section->at, .word = v->name};
    rki_variable *global = rki_global(c, &name, v->type);

    if (global == NULL) return false;
    if (global->cell != NULL) {
        rki_complain(c->parse, section->at, "the global '%.60s' is declared twice", v->name);
        return false;
    }
    global->cell = rki_cells_make(c, section->at, v->type->cells);
    if (global->cell == NULL) return false;
    global->flags = v->flags;
    global->initial = v->initial;
    memcpy(global->cell, v->initial, v->type->cells * sizeof *global->cell);
    return true;
}

static bool add_globals(rki_compiler *c, const rki_syntax *section)
{
    rki_variable *list = NULL, *v;

    if (section->operation != RKI_VAR_GLOBAL) {
        rki_complain(c->parse, section->at, "only VAR_GLOBAL stands in a configuration");
        return false;
    }
    if (!rki_declare_variables(c, section, &list)) return false;
    for (v = list; v != NULL; v = v->next) {
        if (!add_global(c, section, v)) return false;
    }
    return true;
}

static rki_task *find_task(const rk_plc *plc, const char *name)
{
    rki_task *task;

    for (task = plc->tasks; task != NULL; task = task->next) {
        if (rki_same_word(task->name, name)) return task;
    }
    return NULL;
}

static bool add_task(rki_compiler *c, const rki_syntax *s)
{
    rki_task *task = rki_compiler_room(c, sizeof *task);
    const rki_syntax *each;

    if (task == NULL) return false;
    if (find_task(c->plc, s->word) != NULL) {
        rki_complain(c->parse, s->at, "the task '%.60s' is declared twice", s->word);
        return false;
    }
    task->name = s->word;
    for (each = s->a; each != NULL; each = each->next) {
        const bool interval = each->word != NULL && rki_same_word(each->word, "INTERVAL");
        const bool priority = each->word != NULL && rki_same_word(each->word, "PRIORITY");
        const rki_code *value;

        if (each->operation != RKI_IN || (!interval && !priority)) {
            rki_complain(c->parse, each->at, "a task has INTERVAL and PRIORITY here");
            return false;
        }
        value = rki_compile_constant(c, each->a,
                                     rki_type_elementary(interval ? RK_PLC_TIME : RK_PLC_UINT));
        if (value == NULL) return false;
        *(interval ? &task->interval : &task->priority) = value->value.whole;
    }
    if (task->interval <= 0) {
        rki_complain(c->parse, s->at, "the task '%.60s' has no INTERVAL above 0", s->word);
        return false;
    }
    task->next = c->plc->tasks;
    c->plc->tasks = task;
    return true;
}

rk_plc_instance *rki_instance_make(rki_compiler *c, rki_place at, const rki_pou *pou)
{
    rk_plc_instance *made = rki_compiler_room(c, sizeof *made);

    if (made == NULL) return NULL;
    made->pou = pou;
    made->cells = rki_cells_make(c, at, pou->type.cells);
    if (made->cells == NULL) return NULL;
    rki_put_default(&pou->type, made->cells);
    made->next = c->plc->instances;
    c->plc->instances = made;
    return made;
}

static bool add_program(rki_compiler *c, const rki_syntax *s)
{
    const rki_pou *pou = rki_pou_find(c->plc, s->a->word);
    const rki_running *other;
    rki_running *made;

    if (pou == NULL || pou->what != RKI_PROGRAM) {
        rki_complain(c->parse, s->a->at, "no PROGRAM '%.60s' is declared above", s->a->word);
        return false;
    }
    if (s->c != NULL) {
        rki_complain(
            c->parse, s->c->at,
            "this PLC connects no inputs here: the program takes them as VAR_EXTERNAL");
        return false;
    }
    for (other = c->plc->running; other != NULL; other = other->next) {
        if (rki_same_word(other->name, s->word)) {
            rki_complain(c->parse, s->at, "the program '%.60s' is declared twice", s->word);
            return false;
        }
    }
    made = rki_compiler_room(c, sizeof *made);
    if (made == NULL) return false;
    made->name = s->word;
    if (s->b != NULL) {
        made->task = find_task(c->plc, s->b->word);
        if (made->task == NULL) {
            rki_complain(c->parse, s->b->at, "no task '%.60s' is declared above", s->b->word);
            return false;
        }
    }
    made->instance = rki_instance_make(c, s->at, pou);
    if (made->instance == NULL) return false;
    if (c->plc->running == NULL) {
        c->plc->running = made;
    } else {
        c->plc->running_last->next = made;
    }
    c->plc->running_last = made;
    return true;
}

bool rki_compile_configuration(rki_compiler *c, const rki_syntax *s)
{
    const rki_syntax *each;
    bool done = true;

    for (each = s->a; each != NULL && done; each = each->next) {
        switch (each->kind) {
        case RKI_SECTION:
            done = add_globals(c, each);
            break;
        case RKI_TASK:
            done = add_task(c, each);
            break;
        case RKI_PROGRAM_HERE:
            done = add_program(c, each);
            break;
        default:
            done = rki_compile_configuration(c, each);
            break;
        }
    }
    return done;
}
