/* SPDX-License-Identifier: MIT */
#ifndef REPORT_ROWS_H
#define REPORT_ROWS_H

#include <redkettle/report/report.h>

/*
 * How results write their rows. Keys and names as in rk_row: NULL for a row that is not in
 * JSON, or that people do not see. All texts are copied. A report that is NULL, or that has
 * failed, takes no row and says so when it is rendered.
 */

/** Room for one shown value. */
enum { RKI_SHOWN_CHARS = 64 };

/** Room for a unit, and groups within groups at most. */
enum { RKI_UNIT_CHARS = 80, RKI_DEPTH_MOST = 12 };

void rki_row_group(rk_report *r, const char *key, const char *name, rk_row_layout layout);
void rki_row_list(rk_report *r, const char *key);
void rki_row_end(rk_report *r);

/** A number with its unit and so many significant digits. */
void rki_row_number(rk_report *r, const char *key, const char *name, double value,
                    const char *unit, int digits);

/** A time in seconds, four digits. */
void rki_row_time(rk_report *r, const char *key, const char *name, double seconds);

/** A number whose unit holds a power of time: rki_row_number, then per_time. */
void rki_row_amount(rk_report *r, const char *key, const char *name, double value,
                    const char *unit, int per_time, int digits);

/** A number for machines alone. */
void rki_row_value(rk_report *r, const char *key, double value);

/** [low, high], for machines alone. */
void rki_row_pair(rk_report *r, const char *key, const double pair[2]);

void rki_row_count(rk_report *r, const char *key, const char *name, size_t count);
void rki_row_yes_no(rk_report *r, const char *key, const char *name, bool yes);

/** Words; NULL words: null in JSON, "-" for people. */
void rki_row_word(rk_report *r, const char *key, const char *name, const char *words);

/** The same, printf style. */
void rki_row_words(rk_report *r, const char *key, const char *name, const char *format, ...)
    __attribute__((format(printf, 4, 5)));

/** More words behind the value of the row before: printf style. */
void rki_row_more(rk_report *r, const char *format, ...) __attribute__((format(printf, 2, 3)));

/** The number of the row before is known to +- this: that many decimal places of it are shown.
 */
void rki_row_known_to(rk_report *r, double uncertainty);

/** A verdict, and what is said behind it in the same line. */
void rki_row_verdict(rk_report *r, bool good, const char *word, const char *format, ...)
    __attribute__((format(printf, 4, 5)));

/** Prose: as lines, as lines set in, as it stands; printf style. */
void rki_row_say(rk_report *r, const char *format, ...) __attribute__((format(printf, 2, 3)));
void rki_row_note(rk_report *r, const char *format, ...) __attribute__((format(printf, 2, 3)));
void rki_row_print(rk_report *r, const char *words);

/** An empty line. */
void rki_row_gap(rk_report *r);

/** A number with so many digits as people see it: "none" if infinite, "-" if NaN. Gives
 * `shown`. */
const char *rki_show(char shown[RKI_SHOWN_CHARS], double value, int digits);

/** A time with its unit, by the report's style: "17.4 s", "0.29 min". Gives `shown`. */
const char *rki_show_time(const rk_report *r, char shown[RKI_SHOWN_CHARS], double seconds);

/** A number's whole unit, times in minutes or seconds: "degBx s", "%/s", "". */
void rki_unit(const rk_row *row, bool minutes, char unit[RKI_UNIT_CHARS]);

rk_report_style rki_style(const rk_report *r);

/** Have all rows found room? */
rk_status rki_report_check(const rk_report *r, rk_diag *diag);

#endif
