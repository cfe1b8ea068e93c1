/* SPDX-License-Identifier: MIT */
#ifndef PAGE_PARTS_H
#define PAGE_PARTS_H

#include <redkettle/draw/figure.h>
#include <redkettle/page/page.h>
#include <redkettle/report/results.h>

/** What a page is made of, computed once. */
typedef struct rki_page_work {
    const rk_page *page;
    rk_design loop;    /* with a model of its record where it had none */
    bool fitted_model; /* .. which is so */
    rk_inspection inspection;
    rk_findings seen, slips;
    bool has_inspection, has_fit, has_validation, has_rival;
    rk_fit fit, rival;
    rk_hand_fits hand;
    rk_validation validation;
    rk_tuning rules[RK_TUNINGS_MAX];
    rk_performance performance[RK_TUNINGS_MAX];
    size_t rule_count;
    rk_tuning speeds[RK_TUNING_SPEEDS];
    bool has_speeds;
    rk_check_plan plan;
    rk_check check;
    bool has_check;
    char why_no_check[sizeof((rk_diag *)0)->text], why_no_fit[sizeof((rk_diag *)0)->text];
    rk_trial *trial;
    rk_trial_plan trial_plan;
} rki_page_work;

/** Compute all that can be; what cannot is left out. Errors  RK_ERR_MEMORY. */
rk_status rki_page_work_compute(const rk_page *page, rki_page_work **work, rk_diag *diag);
void rki_page_work_free(rki_page_work *work);

/** The page while it is written. */
typedef struct rki_writer {
    const rki_page_work *work;
    rk_text *html;
    rk_page_result *result;
    rk_status status; /* of the first that failed */
    rk_diag *diag;
} rki_writer;

/** The sections, in their order. */
void rki_page_verdict(rki_writer *w);
void rki_page_record(rki_writer *w);
void rki_page_settings(rki_writer *w);
void rki_page_margins(rki_writer *w);
void rki_page_workbench(rki_writer *w);
void rki_page_program(rki_writer *w);

/** A new report in the page's style, and its rows into the page; it is freed. */
rk_report *rki_page_report(const rki_writer *w);
void rki_page_put(rki_writer *w, rk_report *report, rk_status filled);

/** Words as a paragraph, printf style. */
void rki_page_say(rki_writer *w, const char *format, ...) __attribute__((format(printf, 2, 3)));

typedef rk_status rki_draw_function(const rki_page_work *work, const rk_figure_style *style,
                                    rk_text *image, rk_diag *diag);

/** A figure, with what it shows for who cannot see it, and below it. Without gnuplot there is none. */
void rki_page_figure(rki_writer *w, rki_draw_function *draw, const char *shows);

#endif
