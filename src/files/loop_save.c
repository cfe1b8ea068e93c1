/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/text.h>
#include <redkettle/files/loop_file.h>
#include <redkettle/files/write.h>

/* A key to write; an empty value takes the key out of the file. */
typedef struct entry {
    const char *key;
    char value[240];
    bool done;
} entry;

/* A line of the file, its end included. */
typedef struct line {
    const char *chars;
    size_t length;
} line;

static line next_line(const char **at, const char *end)
{
    const char *newline = memchr(*at, '\n', (size_t)(end - *at));
    line made = {*at, newline != NULL ? (size_t)(newline - *at) + 1 : (size_t)(end - *at)};

    *at += made.length;
    return made;
}

static bool is_blank(char c)
{
    return c == ' ' || c == '\t' || c == '\r' || c == '\n';
}

static line trimmed(line l)
{
    while (l.length > 0 && is_blank(l.chars[0])) {
        l.chars++;
        l.length--;
    }
    while (l.length > 0 && is_blank(l.chars[l.length - 1])) {
        l.length--;
    }
    return l;
}

static bool is_section(line l, const char *name)
{
    const line t = trimmed(l);
    const size_t width = strlen(name);

    if (t.length < width + 2 || t.chars[0] != '[') return false;
    return memcmp(t.chars + 1, name, width) == 0 && t.chars[width + 1] == ']';
}

static bool starts_section(line l)
{
    const line t = trimmed(l);

    return t.length > 0 && t.chars[0] == '[';
}

static bool is_empty(line l)
{
    return trimmed(l).length == 0;
}

/* Which entry this line sets; NULL if none. */
static entry *entry_of(line l, entry *entries, size_t count)
{
    const line t = trimmed(l);
    size_t i;

    for (i = 0; i < count; i++) {
        const size_t width = strlen(entries[i].key);
        const char *after = t.chars + width;
        const char *end = t.chars + t.length;

        if (t.length <= width || memcmp(t.chars, entries[i].key, width) != 0) continue;
        while (after < end && is_blank(*after)) {
            after++;
        }
        if (after < end && (*after == '=' || *after == ':')) return &entries[i];
    }
    return NULL;
}

/* The comment behind a value, with the blanks before it; length 0 if there is none. */
static line trailing_comment(line l)
{
    size_t i;

    for (i = 1; i < l.length; i++) {
        if (l.chars[i] == ';' && is_blank(l.chars[i - 1])) {
            size_t from = i, end = l.length;

            while (from > 0 && is_blank(l.chars[from - 1])) {
                from--;
            }
            while (end > i && is_blank(l.chars[end - 1])) {
                end--;
            }
            return (line){l.chars + from, end - from};
        }
    }
    return (line){l.chars, 0};
}

static void add_raw(rk_text *text, line l)
{
    rk_text_add_bytes(text, l.chars, l.length);
}

static void add_missing(rk_text *text, entry *entries, size_t count, const char *newline)
{
    size_t i;

    for (i = 0; i < count; i++) {
        if (!entries[i].done && entries[i].value[0] != '\0') {
            rk_text_add(text, "%s = %s%s", entries[i].key, entries[i].value, newline);
        }
        entries[i].done = true;
    }
}

static void rewrite_line(rk_text *text, line l, entry *e, const char *newline)
{
    const line comment = trailing_comment(l);

    if (e->value[0] != '\0' && !e->done) {
        rk_text_add(text, "%s = %s", e->key, e->value);
        add_raw(text, comment);
        rk_text_add(text, "%s", newline);
    }
    e->done = true;
}

/* The section's lines: known keys rewritten, missing ones put behind the last line that says
 * something. */
static const char *rewrite_section(rk_text *text, const char *at, const char *end,
                                   entry *entries, size_t count, const char *newline)
{
    const char *last = at, *look = at;

    while (look < end) {
        const line l = next_line(&look, end);

        if (starts_section(l)) break;
        if (!is_empty(l)) {
            last = look;
        }
    }
    while (at < last) {
        const line l = next_line(&at, end);
        entry *e = entry_of(l, entries, count);

        if (e != NULL) {
            rewrite_line(text, l, e, newline);
        } else {
            add_raw(text, l);
            if (l.chars[l.length - 1] != '\n') {
                rk_text_add(text, "%s", newline);
            }
        }
    }
    add_missing(text, entries, count, newline);
    return at;
}

static void rewrite(rk_text *text, const char *content, size_t length, const char *section,
                    entry *entries, size_t count)
{
    const char *at = content, *end = content + length;
    const char *newline = strstr(content, "\r\n") != NULL ? "\r\n" : "\n";
    bool found = false;

    while (at < end) {
        const line l = next_line(&at, end);

        add_raw(text, l);
        if (l.chars[l.length - 1] != '\n') {
            rk_text_add(text, "%s", newline);
        }
        if (!found && is_section(l, section)) {
            at = rewrite_section(text, at, end, entries, count, newline);
            found = true;
        }
    }
    if (!found) {
        rk_text_add(text, "%s[%s]%s", newline, section, newline);
        add_missing(text, entries, count, newline);
    }
}

static rk_status save(const char *path, const char *section, entry *entries, size_t count,
                      rk_diag *diag)
{
    char *content = NULL;
    size_t length = 0;
    rk_text *text;
    rk_status status = rk_file_read(path, &content, &length, diag);

    if (status != RK_OK) return status;
    text = rk_text_create();
    if (text != NULL) {
        rewrite(text, content, length, section, entries, count);
    }
    status = rk_text_check(text, diag);
    if (status == RK_OK) {
        status = rk_file_write(path, rk_text_chars(text), rk_text_length(text), true, diag);
    }
    rk_text_free(text);
    rk_memory_free(content);
    return status;
}

static entry word(const char *key, const char *value)
{
    entry made = {.key = key};

    (void)snprintf(made.value, sizeof made.value, "%s", value);
    return made;
}

/* Not finite: the key is taken out. */
static entry number(const char *key, double value, const char *unit)
{
    entry made = {.key = key};
    char chars[RK_REAL_CHARS];

    if (!isfinite(value)) return made;
    rk_real_format(value, chars);
    (void)snprintf(made.value, sizeof made.value, "%s%s", chars, unit);
    return made;
}

/* One or two times, as a kind of model has them; none takes the key out. */
static entry times(const char *key, const double *seconds, int count)
{
    entry made = number(key, count > 0 ? seconds[0] : nan(""), "s");
    const entry second = number(key, count > 1 ? seconds[1] : nan(""), "s");
    const size_t used = strlen(made.value);

    if (second.value[0] == '\0') return made;
    (void)snprintf(made.value + used, sizeof made.value - used, ", %.*s", RK_REAL_CHARS + 1,
                   second.value);
    return made;
}

static entry pair(const char *key, const double *interval, const char *unit)
{
    const entry low = number(key, interval[0], unit), high = number(key, interval[1], unit);
    entry made = {.key = key};

    if (low.value[0] == '\0' || high.value[0] == '\0') return made;
    (void)snprintf(made.value, sizeof made.value, "%.*s, %.*s", RK_REAL_CHARS, low.value,
                   RK_REAL_CHARS, high.value);
    return made;
}

/* The lower triangle, row by row, of the numbers that the kind has; not known: no key. */
static entry triangle(const char *key, const rk_design *loop)
{
    entry made = {.key = key};
    int number[RK_MODEL_NUMBERS], a, b;
    const int count = rk_model_kind_numbers(loop->model.kind, number);
    size_t used = 0;

    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            const double value = loop->covariance[number[a]][number[b]];
            char chars[RK_REAL_CHARS];

            if (!isfinite(value)) return (entry){.key = key};
            rk_real_format_rounded(value, 7, chars);
            used += (size_t)snprintf(made.value + used, sizeof made.value - used, "%s%s",
                                     used > 0 ? ", " : "", chars);
        }
    }
    return made;
}

rk_status rk_design_save_model(const char *path, const rk_design *loop, rk_diag *diag)
{
    const rk_model *m;

    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (!loop->has_model) return rk_diag_set(diag, RK_ERR_RANGE, "there is no model to save");
    m = &loop->model;
    {
        const double none = nan("");
        const bool has_times = rk_model_kind_times(m->kind) > 0;
        const double no_times[2] = {none, none};
        entry entries[] = {
            word("kind", rk_model_kind_to_text(m->kind)),
            number("gain", m->gain, ""),
            times("time-constant", m->time_constant, rk_model_kind_times(m->kind)),
            number("damping", m->damping > 0 ? m->damping : none, ""),
            number("dead-time", m->dead_time, "s"),
            number("out0", m->out0, ""),
            number("pv0", m->pv0, ""),
            pair("gain-95", loop->gain95, ""),
            pair("time-constant-95", has_times ? loop->tau95[0] : no_times, "s"),
            pair("dead-time-95", loop->dead_time95, "s"),
            triangle("covariance", loop),
            number("noise", loop->noise, ""),
        };

        return save(path, "model", entries, sizeof entries / sizeof entries[0], diag);
    }
}

rk_status rk_design_save_relay(const char *path, const rk_design *loop, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (isnan(loop->ultimate_gain)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "there is no relay test to save");
    }
    {
        entry entries[] = {number("ultimate-gain", loop->ultimate_gain, ""),
                           number("ultimate-period", loop->ultimate_period, "s")};

        return save(path, "relay", entries, sizeof entries / sizeof entries[0], diag);
    }
}

rk_status rk_design_save_settings(const char *path, const rk_design *loop, rk_diag *diag)
{
    const rk_settings *s;

    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (!loop->has_settings) {
        return rk_diag_set(diag, RK_ERR_RANGE, "there are no settings to save");
    }
    s = &loop->settings;
    {
        const double none = nan("");
        entry entries[] = {
            word("rule", loop->rule),
            number("lambda", loop->lambda, "s"),
            word("form", "ideal"),
            number("kc", s->kc, ""),
            number("ti", s->ti, "s"),
            number("td", s->td > 0 ? s->td : none, "s"),
            number("tf", s->td > 0 ? s->tf : none, "s"),
            word("kp", ""),
            word("ki", ""),
            word("kd", ""),
        };

        return save(path, "settings", entries, sizeof entries / sizeof entries[0], diag);
    }
}
