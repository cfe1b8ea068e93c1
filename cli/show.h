/* SPDX-License-Identifier: MIT */
#ifndef SHOW_H
#define SHOW_H

#include <stddef.h>

#include <redkettle/redkettle.h>

/** Room for one shown value. */
enum { SHOWN_CHARS = 48 };

/** A number with `digits` significant digits; "none" if infinite, "-" if NaN. */
void show_number(char *shown, double value, int digits);

/**
 * How many decimal places a number needs whose uncertainty is this: two digits of it are shown.
 * 0 to 9; -1 where only significant digits make sense.
 */
int show_places(double uncertainty);

/** A number with so many decimal places; -1: seven significant digits. */
void show_fixed(char *shown, double value, int places);

/** A time with its unit: "17.4 s", or "0.29 min" with minutes. */
void show_time(char *shown, double seconds, bool minutes);

/** Room for a path as a shell reads it back. */
enum { SHELL_WORD_CHARS = (4 * RK_PATH_CHARS) + 3 };

/** A word as it is typed at a shell: in quotes where the shell would take it apart. Gives
 * `shown`. */
const char *show_shell_word(char shown[SHELL_WORD_CHARS], const char *word);

/** A requirement's figure or limit with its unit in this loop. */
void show_requirement(char *shown, const rk_design *loop, rk_require what, double value,
                      bool minutes);

/** A line each requirement that is asked: name, figure, limit, met or not, "(default)"; with
 * `margins` those that are not asked too. */
void show_verdict_lines(const rk_design *loop, const rk_requirements *requirements,
                        const rk_verdict *verdict, bool margins, bool minutes);

/** What the requirements are asked of: the steps, and PV's noise if it is known. */
void show_conditions(const rk_design *loop, const rk_requirements *requirements);

/** A verdict word, coloured on a terminal: green if good, red if not. */
void show_verdict(const char *word, bool good);

/** The verdict on a record or a fit by its gravest finding: GOOD, USABLE or UNFIT. */
void show_level(rk_level worst);

/** Prose, broken into lines at blanks; lines after the first are set in. */
void show_paragraph(const char *text);

/** Findings, a paragraph each: level, what was seen, what to do. */
void show_findings(const rk_findings *findings);

/**
 * A table, columns aligned: rows * columns cells, row by row, the first row the header. Words
 * are set to the left; from column `numbers_from` on to the right.
 */
void show_table(char (*cells)[SHOWN_CHARS], size_t rows, size_t columns, size_t numbers_from);

#endif
