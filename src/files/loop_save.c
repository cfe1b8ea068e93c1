/* SPDX-License-Identifier: MIT */
#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/keys.h>
#include <redkettle/files/loop_file.h>
#include <redkettle/files/write.h>

#include "loop_parse.h"

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

enum { ENTRIES_MAX = 32 }; /* keys of a section */

static bool is_in(const char *const *list, const char *word)
{
    for (; list != NULL && *list != NULL; list++) {
        if (strcmp(*list, word) == 0) return true;
    }
    return false;
}

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
    static const char mark[] =
        "\xEF\xBB\xBF"; /* a byte order mark stands before the first line */
    const size_t width = strlen(name);
    line t = trimmed(l);

    if (t.length >= 3 && memcmp(t.chars, mark, 3) == 0) {
        t.chars += 3;
        t.length -= 3;
    }

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

/* The lines of a section: known keys rewritten; in the last section of this name the missing
 * ones are put behind the last line that says something. */
static const char *rewrite_section(rk_text *text, const char *at, const char *end,
                                   entry *entries, size_t count, bool is_last,
                                   const char *newline)
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
    if (is_last) {
        add_missing(text, entries, count, newline);
    }
    return at;
}

static int count_sections(const char *content, size_t length, const char *section)
{
    const char *at = content, *end = content + length;
    int count = 0;

    while (at < end) {
        count += is_section(next_line(&at, end), section);
    }
    return count;
}

static void rewrite(rk_text *text, const char *content, size_t length, const char *section,
                    entry *entries, size_t count)
{
    const char *at = content, *end = content + length;
    const char *newline = strstr(content, "\r\n") != NULL ? "\r\n" : "\n";
    const int sections = count_sections(content, length, section);
    int found = 0;

    while (at < end) {
        const line l = next_line(&at, end);

        add_raw(text, l);
        if (l.chars[l.length - 1] != '\n') {
            rk_text_add(text, "%s", newline);
        }
        if (is_section(l, section)) {
            found++;
            at = rewrite_section(text, at, end, entries, count, found == sections, newline);
        }
    }
    if (sections == 0) {
        rk_text_add(text, "%s[%s]%s", newline, section, newline);
        add_missing(text, entries, count, newline);
    }
}

/* A key's value into a text that may be none: then there is no memory. */
static rk_status get(const rk_design *loop, const char *section, const char *key,
                     rk_text *value, rk_diag *diag)
{
    const rk_status status =
        value != NULL ? rk_design_get(loop, section, key, value, diag) : RK_OK;

    return status == RK_OK ? rk_text_check(value, diag) : status;
}

/* What is to be written must read back, and every key as it was meant. */
static rk_status check_reads_back(const char *path, const char *content, size_t length,
                                  rk_text *text, const char *section, const entry *entries,
                                  size_t count, rk_diag *diag)
{
    rk_diag inner = {RK_OK, ""}, before = {RK_OK, ""};
    rk_design again;
    rk_status status =
        rki_design_parse(path, rk_text_chars(text), rk_text_length(text), &again, &inner);
    size_t i;

    for (i = 0; i < count && status == RK_OK; i++) {
        rk_text *value = rk_text_create();

        status = get(&again, section, entries[i].key, value, &inner);
        if (status == RK_OK && strcmp(rk_text_chars(value), entries[i].value) != 0) {
            status = rk_diag_set(&inner, RK_ERR_FORMAT, "%s '%s' would read '%s'",
                                 entries[i].key, entries[i].value, rk_text_chars(value));
        }
        rk_text_free(value);
    }
    if (status == RK_OK) return RK_OK;
    /* A mistake that stood there before is told with the line that it stands in. */
    (void)rki_design_parse(path, content, length, &again, &before);
    return rk_diag_set(diag, status,
                       "%s is left as it is: what was to be saved would not read back: %s",
                       path, before.text[0] != '\0' ? before.text : inner.text);
}

static rk_status save_locked(const char *path, const char *section, entry *entries,
                             size_t count, rk_diag *diag)
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
        status = check_reads_back(path, content, length, text, section, entries, count, diag);
    }
    if (status == RK_OK) {
        status = rk_file_write(path, rk_text_chars(text), rk_text_length(text), true, diag);
    }
    rk_text_free(text);
    rk_memory_free(content);
    return status;
}

/* The file, locked against other savers: the one that the name stands for, not one that another
   saver has just replaced. */
static int open_locked(const char *path)
{
    for (;;) {
        const int file = open(path, O_RDONLY | O_CLOEXEC);
        struct stat held, named;

        if (file < 0) return -1;
        while (flock(file, LOCK_EX) != 0) {
            if (errno != EINTR)
                return file; /* a file system without locks: save all the same */
        }
        if (fstat(file, &held) != 0 || stat(path, &named) != 0 ||
            (held.st_ino == named.st_ino && held.st_dev == named.st_dev)) {
            return file;
        }
        (void)close(file);
    }
}

static rk_status save(const char *path, const char *section, entry *entries, size_t count,
                      rk_diag *diag)
{
    const int file = open_locked(path);
    rk_status status;

    if (file < 0) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot open: %s", path, strerror(errno));
    }
    status = save_locked(path, section, entries, count, diag);
    (void)close(file);
    return status;
}

/* Does the file say the same of this key already? The numbers of the ideal form are written in
 * any case: they may stand there in another form. */
static bool stands(const rk_design *before, const rk_key *key, const char *value)
{
    static const char *const numbers[] = {"rule", "lambda", "form", "kc", "ti", "td",
                                          "tf",   "kp",     "ki",   "kd", NULL};
    rk_text *was;
    bool same;

    if (before == NULL || is_in(numbers, key->name)) return false;
    was = rk_text_create();
    same = get(before, key->section, key->name, was, NULL) == RK_OK &&
           strcmp(rk_text_chars(was), value) == 0;
    rk_text_free(was);
    return same;
}

/* A section's keys as the table writes them; those that the loop does not have are taken out.
 * before NULL: all of them; else those that the file does not have so already. */
static rk_status save_section(const char *path, const char *section, const rk_design *loop,
                              const rk_design *before, rk_diag *diag)
{
    entry entries[ENTRIES_MAX];
    rk_text *value = NULL;
    rk_status status = RK_OK;
    size_t count = 0, i;

    for (i = 0; i < rk_key_count() && status == RK_OK; i++) {
        const rk_key *key = rk_key_at(i);

        if (strcmp(key->section, section) != 0) continue;
        rk_text_free(value);
        value = rk_text_create();
        status = get(loop, section, key->name, value, diag);
        if (status == RK_OK && !stands(before, key, rk_text_chars(value))) {
            entries[count] = (entry){.key = key->name};
            (void)snprintf(entries[count].value, sizeof entries[count].value, "%s",
                           rk_text_chars(value));
            count++;
        }
    }
    rk_text_free(value);
    return status == RK_OK ? save(path, section, entries, count, diag) : status;
}

rk_status rk_design_save_model(const char *path, const rk_design *loop, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (!loop->has_model) return rk_diag_set(diag, RK_ERR_RANGE, "there is no model to save");
    return save_section(path, "model", loop, NULL, diag);
}

rk_status rk_design_save_relay(const char *path, const rk_design *loop, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (isnan(loop->ultimate_gain)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "there is no relay test to save");
    }
    return save_section(path, "relay", loop, NULL, diag);
}

rk_status rk_design_save_settings(const char *path, const rk_design *loop, rk_diag *diag)
{
    rk_design ideal, before;

    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    if (!loop->has_settings) {
        return rk_diag_set(diag, RK_ERR_RANGE, "there are no settings to save");
    }
    if (rk_design_read(path, &before, diag) != RK_OK) {
        before = rk_design_make(); /* what does not read is said when it is saved into */
    }
    rk_diag_clear(diag);
    ideal = *loop;
    ideal.given = rk_given_settings_of(&loop->settings);
    return save_section(path, "settings", &ideal, &before, diag);
}
