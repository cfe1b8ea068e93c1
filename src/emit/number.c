/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <strings.h>

#include "controller.h"

static const char *const words[RK_NUMBERS] = {"lreal", "real"};

const char *rk_number_to_text(rk_number number)
{
    return (unsigned)number < RK_NUMBERS ? words[number] : "?";
}

rk_status rk_number_from_text(const char *text, rk_number *number, rk_diag *diag)
{
    int i;

    rk_diag_clear(diag);
    for (i = 0; i < RK_NUMBERS; i++) {
        if (strcasecmp(text, words[i]) == 0) {
            *number = (rk_number)i;
            return RK_OK;
        }
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "unknown number type '%.40s'; known: lreal, real",
                       text);
}

void rki_format(double value, rk_number number, char chars[RK_REAL_CHARS])
{
    if (number == RK_NUMBER_REAL) {
        rk_real_format_single((double)(float)value, chars);
    } else {
        rk_real_format(value, chars);
    }
}

void rki_add_literal(rk_text *text, double value, rk_number number)
{
    char chars[RK_REAL_CHARS];
    char *exponent;

    rki_format(value, number, chars);
    exponent = strchr(chars, 'e');
    if (exponent != NULL) {
        *exponent = 'E';
    }
    rk_text_add(text, "LREAL#%s", chars);
}

static bool is_word(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
           c == '_' || c == '.';
}

/* Each word of the code but those in comments, as `turn` has it. */
static void add_turned(rk_text *text, const rk_text *code, const char *open, const char *close,
                       void (*turn)(rk_text *text, const char *word, size_t length))
{
    const char *at = rk_text_chars(code);
    const char *end;
    size_t length;

    while (*at != '\0') {
        if (strncmp(at, open, 2) == 0 && (end = strstr(at, close)) != NULL) {
            length = (size_t)(end - at) + 2;
            rk_text_add_bytes(text, at, length);
        } else if (is_word(*at)) {
            for (length = 1; is_word(at[length]); length++) {
            }
            turn(text, at, length);
        } else {
            length = 1;
            rk_text_add_bytes(text, at, 1);
        }
        at += length;
    }
}

/* LREAL by itself, and in LREAL_TO_INT and INT_TO_LREAL. */
static void turn_st(rk_text *text, const char *word, size_t length)
{
    static const char type[] = "LREAL";
    const size_t own = sizeof type - 1;
    const bool first = length >= own && memcmp(word, type, own) == 0 &&
                       (length == own || memcmp(word + own, "_TO_", 4) == 0);
    const bool last = !first && length > own + 4 &&
                      memcmp(word + length - own - 4, "_TO_", 4) == 0 &&
                      memcmp(word + length - own, type, own) == 0;

    if (last) {
        rk_text_add_bytes(text, word, length - own);
        rk_text_add(text, "%s", type + 1);
        return;
    }
    rk_text_add_bytes(text, word + first, length - first);
}

static void turn_c(rk_text *text, const char *word, size_t length)
{
    if (length == 6 && memcmp(word, "double", 6) == 0) {
        rk_text_add(text, "float");
        return;
    }
    rk_text_add_bytes(text, word, length);
    if (length == 3 && (memcmp(word, "0.0", 3) == 0 || memcmp(word, "1.0", 3) == 0)) {
        rk_text_add(text, "f");
    }
}

static void add_code(rk_text *text, const rk_text *code, rk_number number, const char *open,
                     const char *close, void (*turn)(rk_text *, const char *, size_t))
{
    if (rk_text_check(code, NULL) != RK_OK) {
        rk_text_fail(text);
    } else if (number == RK_NUMBER_REAL) {
        add_turned(text, code, open, close, turn);
    } else {
        rk_text_add_bytes(text, rk_text_chars(code), rk_text_length(code));
    }
}

void rki_add_st_code(rk_text *text, const rk_text *code, rk_number number)
{
    add_code(text, code, number, "(*", "*)", turn_st);
}

void rki_add_c_code(rk_text *text, const rk_text *code, rk_number number)
{
    add_code(text, code, number, "/*", "*/", turn_c);
}

void rki_add_c_guard(rk_text *text)
{
    rk_text_add(
        text,
        "#ifdef __FAST_MATH__\n"
        "#error \"Build this without -ffast-math: it would not give the design's numbers.\"\n"
        "#endif\n"
        "#if defined(__GNUC__) && !defined(__clang__)\n"
        "#pragma GCC optimize(\"fp-contract=off\") /* as the flag -ffp-contract=off */\n"
        "#else\n"
        "#pragma STDC FP_CONTRACT OFF\n"
        "#endif\n\n");
}
