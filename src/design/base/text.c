/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/text.h>

#include <locale.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

struct rk_text {
    char *chars;
    size_t length, room;
    bool failed;
};

rk_text *rk_text_create(void)
{
    rk_text *text = rk_memory_create(1, sizeof *text);

    if (text == NULL) return NULL;
    text->room = 256;
    text->chars = rk_memory_create(text->room, 1);
    if (text->chars == NULL) {
        rk_memory_free(text);
        return NULL;
    }
    return text;
}

static bool make_room(rk_text *text, size_t more)
{
    size_t room = text->room;
    char *chars;

    while (room <= text->length + more) {
        room *= 2;
    }
    if (room == text->room) return true;
    chars = rk_memory_resize(text->chars, room, 1);
    if (chars == NULL) {
        text->failed = true;
        return false;
    }
    text->chars = chars;
    text->room = room;
    return true;
}

/* The C library writes the locale's decimal mark; ours is always a point. */
static void use_point(char *chars)
{
    const char mark = localeconv()->decimal_point[0];
    char *at;

    if (mark == '.') return;
    at = strchr(chars, mark);
    if (at != NULL) {
        *at = '.';
    }
}

void rk_text_add(rk_text *text, const char *format, ...)
{
    va_list args, again;
    int needed;

    if (text == NULL || text->failed) return;
    va_start(args, format);
    va_copy(again, args);
    needed = vsnprintf(NULL, 0, format, args);
    if (needed < 0 || !make_room(text, (size_t)needed)) {
        text->failed = true;
    } else {
        (void)vsnprintf(text->chars + text->length, text->room - text->length, format, again);
        text->length += (size_t)needed;
    }
    va_end(again);
    va_end(args);
}

void rk_text_add_bytes(rk_text *text, const char *bytes, size_t length)
{
    if (text == NULL || text->failed || !make_room(text, length)) return;
    memcpy(text->chars + text->length, bytes, length);
    text->length += length;
    text->chars[text->length] = '\0';
}

void rk_text_add_real(rk_text *text, double value)
{
    char chars[RK_REAL_CHARS];

    rk_real_format(value, chars);
    rk_text_add(text, "%s", chars);
}

void rk_text_add_csv(rk_text *text, const char *words)
{
    if (strpbrk(words, ",;\"\r\n") == NULL) {
        rk_text_add(text, "%s", words);
        return;
    }
    rk_text_add(text, "\"");
    for (; *words != '\0'; words++) {
        rk_text_add(text, *words == '"' ? "\"\"" : "%c", *words);
    }
    rk_text_add(text, "\"");
}

void rk_text_fail(rk_text *text)
{
    if (text != NULL) {
        text->failed = true;
    }
}

rk_status rk_text_check(const rk_text *text, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (text == NULL || text->failed) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory while writing a text");
    }
    return RK_OK;
}

const char *rk_text_chars(const rk_text *text)
{
    return text->chars;
}

size_t rk_text_length(const rk_text *text)
{
    return text->length;
}

void rk_text_free(rk_text *text)
{
    if (text == NULL) return;
    rk_memory_free(text->chars);
    rk_memory_free(text);
}

/* A whole number gets its point; "nan" and "inf" stay. */
static void with_point(char *chars)
{
    use_point(chars);
    if (strcspn(chars, ".ni") == strlen(chars)) {
        char *exponent = strchr(chars, 'e');
        char tail[RK_REAL_CHARS];

        (void)snprintf(tail, sizeof tail, "%s", exponent != NULL ? exponent : "");
        if (exponent != NULL) {
            *exponent = '\0';
        }
        (void)snprintf(chars + strlen(chars), RK_REAL_CHARS - strlen(chars), ".0%s", tail);
    }
}

void rk_real_format(double value, char *chars)
{
    int digits;

    for (digits = 15; digits <= 17; digits++) {
        (void)snprintf(chars, RK_REAL_CHARS, "%.*g", digits, value);
        if (strtod(chars, NULL) == value) break;
    }
    with_point(chars);
}

void rk_real_format_single(double value, char *chars)
{
    int digits;

    for (digits = 6; digits <= 9; digits++) {
        (void)snprintf(chars, RK_REAL_CHARS, "%.*g", digits, value);
        if (strtof(chars, NULL) == (float)value) break;
    }
    with_point(chars);
}

void rk_real_format_rounded(double value, int digits, char *chars)
{
    (void)snprintf(chars, RK_REAL_CHARS, "%.*g", digits, value);
    use_point(chars);
}

const char *rk_shell_word(const char *word, char *shown, size_t room)
{
    static const char plain[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./+=:@%,-";
    size_t length = 0;

    if (word[0] != '\0' && word[strspn(word, plain)] == '\0') {
        (void)snprintf(shown, room, "%s", word);
        return shown;
    }
    shown[length++] = '\'';
    for (; *word != '\0' && length + 6 < room; word++) {
        if (*word == '\'') {
            memcpy(shown + length, "'\\''", 4);
            length += 4;
        } else {
            shown[length++] = *word;
        }
    }
    shown[length++] = '\'';
    shown[length] = '\0';
    return shown;
}

size_t rk_letter_length(const char *at)
{
    const unsigned char first = (unsigned char)at[0];
    const size_t length = first < 0x80                    ? 1
                          : first >= 0xC2 && first < 0xE0 ? 2
                          : first >= 0xE0 && first < 0xF0 ? 3
                          : first >= 0xF0 && first < 0xF5 ? 4
                                                          : 0;
    size_t i;

    for (i = 1; i < length; i++) {
        if (((unsigned char)at[i] & 0xC0) != 0x80) return 0;
    }
    return length;
}
