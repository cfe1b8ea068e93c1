/* SPDX-License-Identifier: MIT */
#include <redkettle/files/loop_file.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <ini.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/number.h>
#include <redkettle/design/base/text.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/loop/keys.h>
#include <redkettle/files/write.h>

#include "loop_parse.h"
#include "quantities.h"

/* A value once its expressions are worked out. */
enum { RK_VALUE_CHARS = 512 };

/* A file being read: the loop, and what stands between its lines and it. */
typedef struct reading {
    const char *path;
    const char *content, *at, *end; /* the text, and what of it is not read yet */
    const char *raw;                /* the line that is being read */
    rki_quantities *let;
    int way; /* of the reduction: by the half rule, by a fit; below 0: the closer one */
    rk_design loop;
    bool seen[RK_KEYS_MAX]; /* for each key of the table */
    int line_of[RK_KEYS_MAX];
    int line;
    rk_diag *diag;
    rk_status status;
} reading;

static rk_status bad(reading *r, const char *what, const char *value, const char *advice)
{
    return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d: %s '%s' %s", r->path, r->line, what,
                       value, advice);
}

static rk_status flawed(reading *r, const rki_flaw *flaw)
{
    return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d:%d: %s", r->path, flaw->line,
                       flaw->column, flaw->words);
}

/* Where the value of the line that is being read begins, from 1. */
static int value_column(const reading *r)
{
    const char *at = r->raw;

    while (at < r->end && *at != '=' && *at != ':' && *at != '\n') {
        at++;
    }
    do {
        at++;
    } while (at < r->end && (*at == ' ' || *at == '\t'));
    return (int)(at - r->raw) + 1;
}

/* inih's callback of the first reading, for [let] alone. */
static int on_let(void *user, const char *section, const char *name, const char *value)
{
    reading *r = user;
    rki_flaw flaw;

    if (r->status != RK_OK || strcmp(section, "let") != 0) return 1;
    if (!rki_quantity_add(r->let, name, value, r->line, value_column(r), &flaw)) {
        r->status = flawed(r, &flaw);
    }
    return r->status == RK_OK;
}

/* Are the numbers of this type of key written as numbers with commas between? */
static bool has_numbers(rk_key_type type)
{
    return type != RK_KEY_TEXT && type != RK_KEY_WORD && type != RK_KEY_TIME_UNIT &&
           type != RK_KEY_REGISTER && type != RK_KEY_FLAG;
}

/* A value with what its expressions make: numbers stay as they are. False, and r->status, for a flaw.
 */
static bool work_out(reading *r, const char *value, char made[RK_VALUE_CHARS])
{
    const int column = value_column(r);
    const char *at = value;
    size_t used = 0;

    for (;;) {
        const size_t width = strcspn(at, ",");
        char number[RK_REAL_CHARS];
        double plain = 0;
        rki_flaw flaw;
        int more;

        if (rk_time_parse(at, width, &plain)) {
            more = snprintf(made + used, RK_VALUE_CHARS - used, "%.*s", (int)width, at);
        } else if (rki_expression_value(r->let, at, width, r->line, column + (int)(at - value),
                                        &plain, &flaw)) {
            rk_real_format(plain, number);
            more = snprintf(made + used, RK_VALUE_CHARS - used, "%s", number);
        } else {
            r->status = flawed(r, &flaw);
            return false;
        }
        used += (size_t)more;
        at += width;
        if (used + 2 >= RK_VALUE_CHARS) {
            r->status = bad(r, "value", value, "is too long once it is worked out; shorten it");
            return false;
        }
        if (*at == '\0') return true;
        made[used++] = ',';
        at++;
    }
}

/* inih's callback; 0 stops nothing but is remembered, so the status keeps the first error. */
static int on_key(void *user, const char *section, const char *name, const char *value)
{
    reading *r = user;
    const size_t place = rk_key_place(section, name);
    char made[RK_VALUE_CHARS];
    rk_diag inner;

    if (r->status != RK_OK) return 0;
    if (strcmp(section, "let") == 0) return 1; /* it was read before */
    if (place < rk_key_count() && r->seen[place]) {
        r->status = bad(r, "key", name, "is given twice; delete one");
        return 0;
    }
    if (r->let->count > 0 && place < rk_key_count() && has_numbers(rk_key_at(place)->type)) {
        if (!work_out(r, value, made)) return 0;
        value = made;
    }
    r->status = rk_design_set(&r->loop, section, name, value, &inner);
    if (r->status == RK_OK) {
        r->seen[place] = true;
        r->line_of[place] = r->line;
    } else {
        (void)rk_diag_set(r->diag, r->status, "%s:%d: %s", r->path, r->line, inner.text);
    }
    return r->status == RK_OK;
}

/* inih's reader, in the place of fgets: counts lines, and refuses one that would be cut. */
static char *next_line(char *line, int room, void *stream)
{
    reading *r = stream;
    const size_t left = (size_t)(r->end - r->at);
    const char *newline = left > 0 ? memchr(r->at, '\n', left) : NULL;
    const size_t length = newline != NULL ? (size_t)(newline - r->at) + 1 : left;
    size_t indent = 0;

    if (left == 0 || r->status != RK_OK) return NULL;
    r->line++;
    r->raw = r->at;
    if (length >= (size_t)room) {
        r->status =
            rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d: the line is longer than %d characters",
                        r->path, r->line, room - 2);
        return NULL;
    }
    /* An indented line is a key like any other, not a continuation of the value before. */
    while (indent < length && (r->at[indent] == ' ' || r->at[indent] == '\t')) {
        indent++;
    }
    memcpy(line, r->at + indent, length - indent);
    line[length - indent] = '\0';
    r->at += length;
    return line;
}

static bool was_seen(const reading *r, const char *section, const char *name)
{
    return r->seen[rk_key_place(section, name)];
}

static bool section_seen(const reading *r, const char *section)
{
    size_t i;

    for (i = 0; i < rk_key_count(); i++) {
        if (strcmp(rk_key_at(i)->section, section) == 0 && r->seen[i]) return true;
    }
    return false;
}

/* A process in [model] or [plant] needs its gain, its dead time and, most kinds, its time
   constants. */
static rk_status finish_model(reading *r, const char *section, const rk_model *model,
                              bool *has_model)
{
    static const char *const needed[] = {"gain", "dead-time", "time-constant"};
    const size_t count = rk_model_kind_times(model->kind) > 0 ? 3 : 2;
    size_t i;

    if (!section_seen(r, section)) return RK_OK;
    if (r->loop.has_process && !was_seen(r, section, "gain"))
        return RK_OK; /* it has that one */
    for (i = 0; i < count; i++) {
        if (was_seen(r, section, needed[i])) continue;
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: [%s] has no %s; give it, or %s",
                           r->path, section, needed[i],
                           strcmp(section, "model") == 0 ? "take the section out and fit"
                                                         : "take the section out");
    }
    *has_model = true;
    return RK_OK;
}

/* A relative file lies beside the loop file. */
static rk_status beside(reading *r, const char *key, const char *name, char *path, size_t room)
{
    const char *slash = strrchr(r->path, '/');
    const int folder = slash != NULL && name[0] != '/' ? (int)(slash - r->path) + 1 : 0;
    char whole[2 * RK_PATH_CHARS];
    const int length = snprintf(whole, sizeof whole, "%.*s%s", folder, r->path, name);

    if (length < 0 || (size_t)length >= room) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: %s: the path is too long", r->path,
                           key);
    }
    memcpy(path, whole, (size_t)length + 1);
    return RK_OK;
}

static rk_status finish_files(reading *r)
{
    rk_design *loop = &r->loop;
    rk_status status = RK_OK;

    if (loop->record_file[0] != '\0') {
        status = beside(r, "[record] file", loop->record_file, loop->record_path,
                        sizeof loop->record_path);
    }
    if (status == RK_OK && loop->validate_path[0] != '\0') {
        status = beside(r, "[record] validate", loop->validate_path, loop->validate_path,
                        sizeof loop->validate_path);
    }
    if (status == RK_OK && loop->plant.valve_file[0] != '\0') {
        status = beside(r, "[plant] valve-file", loop->plant.valve_file, loop->plant.valve_file,
                        sizeof loop->plant.valve_file);
    }
    return status;
}

/* A process made of parts needs its gain, and its lags unless it is an integrator alone. */
static rk_status finish_process(reading *r)
{
    rk_design *loop = &r->loop;

    if (!section_seen(r, "process")) return RK_OK;
    if (!was_seen(r, "process", "gain")) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: [process] has no gain; give it, or take the section out",
                           r->path);
    }
    if (!was_seen(r, "process", "lags") && loop->process_integrates != RK_YES) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: [process] has no lags; give them, or integrating = yes",
                           r->path);
    }
    loop->has_process = true;
    return RK_OK;
}

/* Where none was given, the model is what rules can take of the process; the plant is the process. */
static rk_status take_process(reading *r)
{
    rk_design *loop = &r->loop;
    const bool integrates = rk_model_kind_integrates(loop->process.kind);
    const rk_model_kind kind = was_seen(r, "model", "kind") ? loop->model.kind
                               : integrates                 ? RK_MODEL_IPDT
                                                            : RK_MODEL_FOPDT;
    rk_reduction reduction;
    rk_diag inner;
    rk_status status;

    if (!loop->has_process) return RK_OK;
    if (!loop->has_plant || !was_seen(r, "plant", "gain")) {
        loop->plant.model = loop->process;
        loop->has_plant = true;
    }
    if (loop->has_model) return RK_OK;
    status = rk_reduction_compute(&loop->process, kind, &reduction, &inner);
    if (status != RK_OK) {
        return rk_diag_set(r->diag, status, "%s: [process]: %s", r->path, inner.text);
    }
    if (r->way >= 0) { /* beside another reading of the same file: no jump between the two */
        reduction.by_half_rule = r->way != 0;
    }
    r->way = reduction.by_half_rule;
    loop->model = rk_reduction_model(&reduction);
    loop->has_model = true;
    loop->reduction_percent = rk_reduction_error(&reduction);
    return RK_OK;
}

/* All lines, to a callback; 0, or the number of a line that is none. */
static int read_lines(reading *r, ini_handler on_line)
{
    r->at = r->content;
    r->line = 0;
    return ini_parse_stream(next_line, r, on_line, r);
}

/* The quantities of [let], worked out. */
static rk_status read_quantities(reading *r)
{
    rki_flaw flaw;

    r->let->count = 0;
    (void)read_lines(r, on_let); /* a line that is none is told by the second reading */
    r->let->moved = r->let->count;
    if (r->status == RK_OK && !rki_quantities_settle(r->let, &flaw)) {
        r->status = flawed(r, &flaw);
    }
    return r->status;
}

/* A port that is not whole, with the line of the key that is wrong. */
static rk_status check_port(reading *r)
{
    const rk_design *loop = &r->loop;
    const char *key = "";
    rk_diag inner;
    const rk_status status = rk_port_design_check(&loop->port, !isnan(loop->pv_low),
                                                  !isnan(loop->out_low), &key, &inner);
    const size_t place = rk_key_place("port", status == RK_OK || key[0] == '\0' ? "kind" : key);

    if (status == RK_OK) return RK_OK;
    return rk_diag_set(r->diag, status, "%s:%d: %s", r->path,
                       r->seen[place] ? r->line_of[place] : 0, inner.text);
}

static rk_status parse(reading *r)
{
    rk_diag inner = {RK_OK, ""}, *diag = r->diag;
    rk_status status;
    int broken;

    r->diag = &inner;
    broken = read_lines(r, on_key);
    r->diag = diag;
    /* A line that is none stands before the key it confused: tell that one. */
    if (r->status != RK_OK && !(broken > 0 && broken < r->line)) {
        return rk_diag_set(diag, r->status, "%s", inner.text);
    }
    inner = (rk_diag){RK_OK, ""};
    if (broken != 0) {
        return rk_diag_set(r->diag, broken > 0 ? RK_ERR_FORMAT : RK_ERR_MEMORY,
                           "%s:%d: neither a [section], nor 'key = value', nor a ; comment",
                           r->path, broken);
    }
    if (memchr(r->seen, true, sizeof r->seen) == NULL) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: is empty; a loop file has at least [loop] name and scan",
                           r->path);
    }
    status = finish_process(r);
    if (status == RK_OK) {
        status = finish_model(r, "model", &r->loop.model, &r->loop.has_model);
    }
    if (status == RK_OK) {
        status = finish_model(r, "plant", &r->loop.plant.model, &r->loop.has_plant);
    }
    if (status == RK_OK && rk_design_settle(&r->loop, &inner) != RK_OK) {
        status = rk_diag_set(r->diag, inner.status, "%s: %s", r->path, inner.text);
    }
    if (status == RK_OK) {
        status = take_process(r);
    }
    if (status == RK_OK) {
        status = finish_files(r);
    }
    if (status != RK_OK) return status;
    status = check_port(r);
    if (status != RK_OK) return status;
    status = rk_design_check(&r->loop, &inner);
    if (status != RK_OK) return rk_diag_set(r->diag, status, "%s: %s", r->path, inner.text);
    return RK_OK;
}

/* Half of what 95 % of a normal number lie within. */
#define DEVIATIONS_95 1.959963984540054

static void numbers_of(const rk_model *m, double number[RK_MODEL_NUMBERS])
{
    const double all[RK_MODEL_NUMBERS] = {m->gain, m->time_constant[0], m->time_constant[1],
                                          m->damping, m->dead_time};

    memcpy(number, all, sizeof all);
}

/* The model as the file gives it with one quantity at an end of its tolerance. */
static rk_status read_moved(const reading *r, size_t quantity, double by,
                            double number[RK_MODEL_NUMBERS])
{
    rk_diag diag = {RK_OK, ""};
    reading moved = *r;
    rki_flaw flaw;
    rk_status status = RK_OK;

    r->let->moved = quantity;
    r->let->by = by;
    memset(moved.seen, 0, sizeof moved.seen);
    moved.diag = &diag;
    moved.loop = rk_design_make();
    if (!rki_quantities_settle(r->let, &flaw)) {
        status = flawed(&moved, &flaw);
    }
    if (status == RK_OK) {
        status = parse(&moved);
    }
    numbers_of(&moved.loop.model, number);
    if (status == RK_OK && moved.loop.model.kind != r->loop.model.kind) {
        status = RK_ERR_RANGE;
    }
    return status == RK_OK
               ? RK_OK
               : rk_diag_set(r->diag, status, "%s:%d: at the %s end of its tolerance: %s",
                             r->path, r->let->list[quantity].line, by < 0 ? "low" : "high",
                             diag.text);
}

static void take_interval(double value, double variance, double interval[2])
{
    interval[0] = value - (DEVIATIONS_95 * sqrt(variance));
    interval[1] = value + (DEVIATIONS_95 * sqrt(variance));
}

/* What the tolerances make of the model's numbers, each read as a 95 % interval, independent of the
   others: to first order, by how much each number moves from one end of each to the other. */
static rk_status take_tolerances(reading *r)
{
    rk_design *loop = &r->loop;
    rk_covariance *c = &loop->covariance;
    double low[RK_MODEL_NUMBERS], high[RK_MODEL_NUMBERS];
    bool any = false;
    size_t i;
    int a, b;

    for (i = 0; i < r->let->count; i++) {
        any |= r->let->list[i].tolerance > 0;
    }
    if (!any || !loop->has_model || loop->triangle_numbers > 0) return RK_OK;
    memset(c, 0, sizeof *c);
    for (i = 0; i < r->let->count; i++) {
        rk_status status;

        if (!(r->let->list[i].tolerance > 0)) continue;
        status = read_moved(r, i, -1.0, low);
        if (status == RK_OK) {
            status = read_moved(r, i, 1.0, high);
        }
        if (status != RK_OK) return status;
        for (a = 0; a < RK_MODEL_NUMBERS; a++) {
            for (b = 0; b < RK_MODEL_NUMBERS; b++) {
                c->c[a][b] += 0.25 * (high[a] - low[a]) * (high[b] - low[b]) /
                              (DEVIATIONS_95 * DEVIATIONS_95);
            }
        }
    }
    take_interval(loop->model.gain, c->c[0][0], loop->gain95);
    take_interval(loop->model.time_constant[0], c->c[1][1], loop->tau95[0]);
    take_interval(loop->model.time_constant[1], c->c[2][2], loop->tau95[1]);
    take_interval(loop->model.dead_time, c->c[4][4], loop->dead_time95);
    return RK_OK;
}

/* The line that a place in a text is in, from 1. */
static int line_of(const char *text, const char *place)
{
    int line = 1;

    for (; text < place; text++) {
        line += *text == '\n';
    }
    return line;
}

rk_status rki_design_parse(const char *path, const char *content, size_t length,
                           rk_design *loop, rk_diag *diag)
{
    reading r = {.path = path, .diag = diag, .status = RK_OK, .way = -1};
    const char *nul = memchr(content, '\0', length);
    rk_status status;

    if (nul != NULL) {
        return rk_diag_set(diag, RK_ERR_FORMAT,
                           "%s:%d: holds a NUL character; a loop file is plain text", path,
                           line_of(content, nul));
    }
    r.let = rk_memory_create(1, sizeof *r.let);
    if (r.let == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    r.loop = rk_design_make();
    r.content = content;
    r.end = content + length;
    status = read_quantities(&r);
    if (status == RK_OK) {
        status = parse(&r);
    }
    if (status == RK_OK) {
        status = take_tolerances(&r);
    }
    rk_memory_free(r.let);
    if (status == RK_OK) {
        *loop = r.loop;
    }
    return status;
}

rk_status rk_design_read(const char *path, rk_design *loop, rk_diag *diag)
{
    char *content = NULL;
    size_t length = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    status = rk_file_read(path, &content, &length, diag);
    if (status == RK_OK) {
        status = rki_design_parse(path, content, length, loop, diag);
    }
    rk_memory_free(content);
    return status;
}
