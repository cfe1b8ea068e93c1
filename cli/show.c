/* SPDX-License-Identifier: MIT */
#include "show.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void show_number(char *shown, double value, int digits)
{
    if (isnan(value)) {
        (void)snprintf(shown, SHOWN_CHARS, "-");
    } else if (isinf(value)) {
        (void)snprintf(shown, SHOWN_CHARS, "none");
    } else {
        (void)snprintf(shown, SHOWN_CHARS, "%.*g", digits, value);
    }
}

int show_places(double uncertainty)
{
    int places;

    if (!(uncertainty > 0) || isinf(uncertainty)) return -1;
    places = 1 - (int)floor(log10(uncertainty));
    if (places > 9) return -1;
    return places > 0 ? places : 0;
}

void show_fixed(char *shown, double value, int places)
{
    if (places < 0 || !isfinite(value) || fabs(value) > 1e7) {
        show_number(shown, value, places < 0 ? 7 : 4);
        return;
    }
    (void)snprintf(shown, SHOWN_CHARS, "%.*f", places, value);
}

void show_time(char *shown, double seconds, bool minutes)
{
    if (!isfinite(seconds)) {
        show_number(shown, seconds, 4);
        return;
    }
    (void)snprintf(shown, SHOWN_CHARS, "%.4g %s", minutes ? seconds / 60.0 : seconds,
                   minutes ? "min" : "s");
}

const char *show_shell_word(char shown[SHELL_WORD_CHARS], const char *word)
{
    static const char plain[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./+=:@%,-";
    size_t length = 0;

    if (word[0] != '\0' && word[strspn(word, plain)] == '\0') {
        (void)snprintf(shown, SHELL_WORD_CHARS, "%s", word);
        return shown;
    }
    shown[length++] = '\'';
    for (; *word != '\0' && length + 6 < SHELL_WORD_CHARS; word++) {
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

void show_requirement(char *shown, const rk_design *loop, rk_require what, double value,
                      bool minutes)
{
    const char *unit = rk_design_require_unit(loop, what);

    if (rk_require_quantity(what) == RK_QUANTITY_TIME) {
        show_time(shown, value, minutes);
        return;
    }
    show_number(shown, value, 4);
    if (isfinite(value) && unit[0] != '\0') {
        const size_t used = strlen(shown);

        (void)snprintf(shown + used, SHOWN_CHARS - used, " %s", unit);
    }
}

void show_verdict(const char *word, bool good)
{
    const char *no_colour = getenv("NO_COLOR");
    const bool colour = isatty(STDOUT_FILENO) && (no_colour == NULL || no_colour[0] == '\0');

    if (colour) {
        (void)printf("\033[%dm%s\033[0m", good ? 32 : 31, word);
    } else {
        (void)printf("%s", word);
    }
}

void show_level(rk_level worst)
{
    static const char *const verdicts[] = {"GOOD", "USABLE, with care", "UNFIT"};

    show_verdict(verdicts[worst], worst != RK_LEVEL_UNFIT);
}

/* Lines of prose are at most this wide. */
enum { LINE_WIDTH = 98, INDENT = 2 };

void show_paragraph(const char *text)
{
    size_t column = 0, indent = INDENT;

    while (*text != '\0') {
        const size_t length = strcspn(text, " ");

        if (column > 0 && column + 1 + length > LINE_WIDTH) {
            (void)printf("\n");
            column = 0;
        }
        if (column == 0) {
            (void)printf("%*s", (int)indent, "");
            column = indent;
            indent = 2 * INDENT; /* of the lines that follow */
        } else {
            (void)printf(" ");
            column++;
        }
        (void)printf("%.*s", (int)length, text);
        column += length;
        text += length + strspn(text + length, " ");
    }
    (void)printf("\n");
}

void show_findings(const rk_findings *findings)
{
    int i;

    for (i = 0; i < findings->count; i++) {
        const rk_finding *f = &findings->list[i];
        char text[sizeof f->what + sizeof f->advice + 32];

        if (i == 0) {
            (void)printf("\n");
        }
        (void)snprintf(text, sizeof text, "%s: %s. What to do: %s.", rk_level_to_text(f->level),
                       f->what, f->advice);
        show_paragraph(text);
    }
}

/* Letters on the screen: the bytes of UTF-8 that do not continue one. */
static size_t width_of(const char *text)
{
    size_t width = 0;

    for (; *text != '\0'; text++) {
        if (((unsigned char)*text & 0xC0) != 0x80) {
            width++;
        }
    }
    return width;
}

void show_table(char (*cells)[SHOWN_CHARS], size_t rows, size_t columns, size_t numbers_from)
{
    size_t row, column, i;

    for (row = 0; row < rows; row++) {
        size_t used = columns;

        while (used > 1 && cells[(row * columns) + used - 1][0] == '\0') {
            used--;
        }
        (void)printf("  ");
        for (column = 0; column < used; column++) {
            const char *cell = cells[(row * columns) + column];
            const bool last = column == used - 1;
            size_t widest = 0, pad;

            for (i = 0; i < rows; i++) {
                const size_t width = width_of(cells[(i * columns) + column]);

                if (width > widest) {
                    widest = width;
                }
            }
            pad = widest - width_of(cell);
            if (column >= numbers_from) {
                (void)printf("%*s%s%s", (int)pad, "", cell, last ? "" : "  ");
            } else if (last) {
                (void)printf("%s", cell);
            } else {
                (void)printf("%s%*s  ", cell, (int)pad, "");
            }
        }
        (void)printf("\n");
    }
}

void show_verdict_lines(const rk_design *loop, const rk_requirements *requirements,
                        const rk_verdict *verdict, bool margins, bool minutes)
{
    enum { COLUMNS = 5 };
    char cells[RK_REQUIRE_COUNT * COLUMNS][SHOWN_CHARS], limit[SHOWN_CHARS];
    size_t rows = 0;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const rk_require what = (rk_require)i;
        char(*row)[SHOWN_CHARS] = cells + (rows * COLUMNS);

        if (!verdict->asked[i] && (!margins || i >= RK_REQUIRE_OVERSHOOT)) continue;
        (void)snprintf(row[0], SHOWN_CHARS, "%s", rk_require_to_text(what));
        show_requirement(row[1], loop, what, verdict->figure[i], minutes);
        (void)snprintf(row[2], SHOWN_CHARS, "not asked for");
        row[3][0] = row[4][0] = '\0';
        rows++;
        if (!verdict->asked[i]) continue;
        show_requirement(limit, loop, what, requirements->limit[i], minutes);
        (void)snprintf(row[2], SHOWN_CHARS, "%s %.30s",
                       rk_require_is_least(what) ? "at least" : "at most", limit);
        (void)snprintf(row[3], SHOWN_CHARS, "%s", verdict->line_met[i] ? "met" : "MISSED");
        if (requirements->by_default[i]) {
            (void)snprintf(row[4], SHOWN_CHARS, "(default)");
        }
    }
    show_table(cells, rows, COLUMNS, COLUMNS);
}

void show_conditions(const rk_design *loop, const rk_requirements *requirements)
{
    (void)printf("Asked of: a setpoint step of %.4g %s, a load of %.4g %s",
                 requirements->sp_step, loop->pv_units, requirements->load_step,
                 loop->out_units);
    if (loop->noise > 0) {
        (void)printf("; PV's noise %.3g %s", loop->noise, loop->pv_units);
    }
    (void)printf("\n");
}
