/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdlib.h>

#include <jansson.h>

#include "rows.h"

/* JSON is UTF-8: bytes that are not, or a name cut within a letter, show as question marks. */
static json_t *words_value(const char *text)
{
    json_t *made;
    char plain[256];
    size_t i;

    if (text == NULL) return json_null();
    made = json_string(text);
    if (made != NULL) return made;
    for (i = 0; i < sizeof plain - 1 && text[i] != '\0'; i++) {
        plain[i] = (char)((unsigned char)text[i] < 0x80 ? text[i] : '?');
    }
    plain[i] = '\0';
    return json_string(plain);
}

static json_t *value_of(const rk_row *row)
{
    switch (row->kind) {
    case RK_ROW_NUMBER:
        return isfinite(row->value) ? json_real(row->value) : json_null();
    case RK_ROW_COUNT:
        return json_integer((json_int_t)row->value);
    case RK_ROW_YES_NO:
        return json_boolean(row->value != 0);
    case RK_ROW_WORD:
        return words_value(row->words);
    case RK_ROW_GROUP:
        return json_object();
    default:
        return json_array();
    }
}

/* Put a value where it belongs; false: it could not be made or put. */
static bool put(json_t *around, const char *key, json_t *value)
{
    if (json_is_array(around)) return json_array_append_new(around, value) == 0;
    return json_object_set_new(around, key, value) == 0;
}

static json_t *make(const rk_report *r)
{
    json_t *stack[RKI_DEPTH_MOST], *value;
    const rk_row *row;
    size_t depth = 0, place;
    bool good = true;

    stack[0] = json_object();
    if (stack[0] == NULL) return NULL;
    for (place = 0; good && (row = rk_report_row(r, place)) != NULL; place++) {
        const bool nests = row->kind == RK_ROW_GROUP || row->kind == RK_ROW_LIST;
        const bool belongs = row->key != NULL || json_is_array(stack[depth]);

        if (row->kind == RK_ROW_VERDICT || row->kind == RK_ROW_PROSE) continue;
        if (row->kind == RK_ROW_END) {
            depth -= depth > 0 ? 1 : 0;
            continue;
        }
        value = stack[depth];
        if (belongs) {
            value = value_of(row);
            good = put(stack[depth], row->key, value);
        }
        if (nests) {
            good = good && depth + 1 < RKI_DEPTH_MOST;
            depth += good ? 1 : 0;
            stack[depth] = value;
        }
    }
    if (good) return stack[0];
    json_decref(stack[0]);
    return NULL;
}

rk_status rk_report_to_json(const rk_report *report, rk_text *text, rk_diag *diag)
{
    rk_status status;
    json_t *object;
    char *chars;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    status = rki_report_check(report, diag);
    if (status != RK_OK) return status;
    object = make(report);
    chars = object != NULL ? json_dumps(object, JSON_INDENT(2)) : NULL;
    json_decref(object);
    if (chars == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the JSON result");
    }
    rk_text_add(text, "%s\n", chars);
    free(chars);
    return rk_text_check(text, diag);
}
