/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/design_text.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/loop/keys.h>

enum { LINE_CHARS = 1200 };

/* Sections that tell of files and of the world outside. */
static bool stays_out(const char *section)
{
    static const char *const list[] = {"record", "plant", "program", "port", "alarm"};
    size_t i;

    for (i = 0; i < sizeof list / sizeof list[0]; i++) {
        if (strcmp(section, list[i]) == 0) return true;
    }
    return false;
}

/* A requirement that nobody asked for is one by default there too. */
static bool is_default(const rk_design *d, const rk_key *key)
{
    rk_require what;

    return strcmp(key->section, "require") == 0 &&
           rk_require_from_text(key->name, &what, NULL) == RK_OK &&
           d->requirements.by_default[what];
}

/* The covariance with all its digits; a loop file has fewer. */
static void add_covariance(const rk_design *d, rk_text *text)
{
    int number[RK_MODEL_NUMBERS], a, b;
    const int count = rk_model_kind_numbers(d->model.kind, number);

    rk_text_add(text, "model covariance");
    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            rk_text_add(text, a + b > 0 ? ", " : " ");
            rk_text_add_real(text, d->covariance.c[number[a]][number[b]]);
        }
    }
    rk_text_add(text, "\n");
}

static bool has_covariance(const rk_design *d)
{
    int number[RK_MODEL_NUMBERS], a, b;
    const int count = rk_model_kind_numbers(d->model.kind, number);

    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            if (!isfinite(d->covariance.c[number[a]][number[b]])) return false;
        }
    }
    return d->has_model;
}

rk_status rk_design_to_text(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    rk_design ideal;
    rk_status status = RK_OK;
    size_t i;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL) return RK_ERR_ARG;
    ideal = *loop;
    ideal.given =
        loop->has_settings ? rk_given_settings_of(&loop->settings) : rk_given_settings_make();
    for (i = 0; i < rk_key_count() && status == RK_OK; i++) {
        const rk_key *key = rk_key_at(i);
        rk_text *value;

        if (stays_out(key->section) || key->type == RK_KEY_TRIANGLE || is_default(loop, key)) {
            continue;
        }
        value = rk_text_create();
        status = rk_design_get(&ideal, key->section, key->name, value, diag);
        if (status == RK_OK) {
            status = rk_text_check(value, diag);
        }
        if (status == RK_OK && rk_text_length(value) > 0) {
            rk_text_add(text, "%s %s %s\n", key->section, key->name, rk_text_chars(value));
        }
        rk_text_free(value);
    }
    if (has_covariance(loop)) {
        add_covariance(loop, text);
    }
    return status == RK_OK ? rk_text_check(text, diag) : status;
}

static rk_status read_line(const char *line, size_t length, rk_design *loop, rk_diag *diag)
{
    char words[LINE_CHARS], *name, *value;

    if (length >= sizeof words) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "'%.40s...': the line is too long", line);
    }
    memcpy(words, line, length);
    words[length] = '\0';
    name = strchr(words, ' ');
    value = name != NULL ? strchr(name + 1, ' ') : NULL;
    if (value == NULL) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "'%.40s' is not SECTION KEY VALUE", words);
    }
    *name++ = '\0';
    *value++ = '\0';
    if (strcmp(name, "gain") == 0) {
        loop->has_model = loop->has_model || strcmp(words, "model") == 0;
        loop->has_process = loop->has_process || strcmp(words, "process") == 0;
    }
    return rk_design_set(loop, words, name, value, diag);
}

rk_status rk_design_from_text(const char *text, rk_design *loop, rk_diag *diag)
{
    rk_design made = rk_design_make();
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (text == NULL || loop == NULL) return RK_ERR_ARG;
    while (*text != '\0' && status == RK_OK) {
        const size_t length = strcspn(text, "\n");

        if (length > 0) {
            status = read_line(text, length, &made, diag);
        }
        text += length + (text[length] == '\n');
    }
    if (status == RK_OK) {
        status = rk_design_settle(&made, diag);
    }
    if (status == RK_OK) {
        status = rk_design_check(&made, diag);
    }
    if (status == RK_OK) {
        *loop = made;
    }
    return status;
}
