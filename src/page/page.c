/* SPDX-License-Identifier: MIT */
/*
 * The page is one file that loads nothing. A content security policy in it allows the styles and scripts that
 * it was built with, by their sums, and nothing else: what a name or a comment from outside may hold is never
 * run, even if it should become markup, which it does not.
 */
#include <redkettle/page/page.h>

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/version.h>

#include "assets.h"
#include "encode.h"
#include "parts.h"

enum { SAID_MOST = 1200 };

bool rk_page_has_workbench(void)
{
    return rki_core_gz_length > 0 && rki_chart_js_length > 0;
}

/* ---- pieces that the sections are made of ---- */

rk_report *rki_page_report(const rki_writer *w)
{
    const rk_report_style style = {.minutes = w->work->page->minutes, .drawn = true};

    return rk_report_create(style);
}

void rki_page_put(rki_writer *w, rk_report *report, rk_status filled)
{
    if (w->status == RK_OK && filled == RK_OK) {
        w->status = rk_report_to_html(report, w->html, w->diag);
    } else if (filled == RK_ERR_MEMORY) {
        w->status = filled;
    }
    rk_report_free(report);
}

void rki_page_say(rki_writer *w, const char *format, ...)
{
    char words[SAID_MOST];
    va_list args;

    va_start(args, format);
    (void)vsnprintf(words, sizeof words, format, args);
    va_end(args);
    rk_text_add(w->html, "<p>");
    rk_html_add(w->html, words);
    rk_text_add(w->html, "</p>\n");
}

void rki_page_figure(rki_writer *w, rki_draw_function *draw, const char *shows)
{
    const rk_figure_style style = {.format = RK_FIGURE_SVG, .minutes = w->work->page->minutes};
    rk_text *image = rk_text_create();
    rk_status status =
        w->result->has_figures ? draw(w->work, &style, image, w->diag) : RK_ERR_IO;

    if (status == RK_OK) {
        status = rk_text_check(image, w->diag);
    }
    if (status == RK_OK) {
        rk_text_add(w->html, "<figure><img alt=\"");
        rk_html_add(w->html, shows);
        rk_text_add(w->html, "\" src=\"");
        rki_svg_address_add(w->html, rk_text_chars(image));
        rk_text_add(w->html, "\"><figcaption>");
        rk_html_add(w->html, shows);
        rk_text_add(w->html, "</figcaption></figure>\n");
    } else if (status == RK_ERR_IO) {
        w->result->has_figures = false;
    } else if (status == RK_ERR_MEMORY) {
        w->status = status;
    }
    rk_text_free(image);
}

/* ---- the page ---- */

static void add_bytes(rk_text *html, const unsigned char *bytes, size_t length)
{
    rk_text_add_bytes(html, (const char *)bytes, length);
}

static void add_policy(rk_text *html)
{
    const char *const scripts[] = {rki_page_js_sum, rki_chart_js_sum, rki_core_js_sum,
                                   rki_plot_js_sum, rki_workbench_js_sum};
    const size_t count = rk_page_has_workbench() ? sizeof scripts / sizeof scripts[0] : 1;
    size_t i;

    rk_text_add(html,
                "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; "
                "img-src data:; base-uri 'none'; form-action 'none'; style-src ");
    rki_sum_add(html, rki_page_css_sum);
    rk_text_add(html, "; script-src%s", rk_page_has_workbench() ? " 'wasm-unsafe-eval'" : "");
    for (i = 0; i < count; i++) {
        rk_text_add(html, " ");
        rki_sum_add(html, scripts[i]);
    }
    rk_text_add(html, "\">\n");
}

static void add_head(rki_writer *w)
{
    rk_text_add(w->html,
                "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n");
    add_policy(w->html);
    rk_text_add(w->html,
                "<meta name=\"viewport\" content=\"width=device-width, "
                "initial-scale=1\">\n<meta name=\"generator\" content=\"Red Kettle " RK_VERSION
                "\">\n<title>");
    rk_html_add(w->html, w->work->loop.name);
    rk_text_add(w->html, "</title>\n<style>");
    add_bytes(w->html, rki_page_css, rki_page_css_length);
    rk_text_add(w->html, "</style>\n</head>\n<body>\n<header>\n<h1>");
    rk_html_add(w->html, w->work->loop.name);
    rk_text_add(w->html, "</h1>\n<p class=\"soft\">Report of ");
    rk_html_add(w->html, w->work->page->made != NULL ? w->work->page->made : "an unknown day");
    rk_text_add(w->html, ", by Red Kettle " RK_VERSION "</p>\n</header>\n");
}

static void add_script(rk_text *html, const unsigned char *bytes, size_t length)
{
    rk_text_add(html, "<script>");
    add_bytes(html, bytes, length);
    rk_text_add(html, "</script>\n");
}

static void add_scripts(rki_writer *w)
{
    add_script(w->html, rki_page_js, rki_page_js_length);
    if (!w->result->has_workbench) return;
    rk_text_add(w->html, "<script type=\"text/plain\" id=\"core\">");
    rki_base64_add(w->html, rki_core_gz, rki_core_gz_length);
    rk_text_add(w->html, "</script>\n");
    add_script(w->html, rki_chart_js, rki_chart_js_length);
    add_script(w->html, rki_core_js, rki_core_js_length);
    add_script(w->html, rki_plot_js, rki_plot_js_length);
    add_script(w->html, rki_workbench_js, rki_workbench_js_length);
}

/* A section: its place in the page, its title, what writes it. */
static const struct section {
    const char *id, *title;
    void (*write)(rki_writer *w);
} sections[] = {
    {"verdict", "1 Verdict", rki_page_verdict},
    {"record", "2 Record and model", rki_page_record},
    {"settings", "3 Rules and settings", rki_page_settings},
    {"margins", "4 Margins and limits", rki_page_margins},
    {"workbench", "5 Workbench", rki_page_workbench},
    {"program", "6 Program text", rki_page_program},
};

enum { SECTIONS = sizeof sections / sizeof sections[0] };

static void add_navigation(rk_text *html)
{
    int i;

    rk_text_add(html, "<nav aria-label=\"Sections\"><ul>\n");
    for (i = 0; i < SECTIONS; i++) {
        rk_text_add(html, "<li><a href=\"#%s\">%s</a></li>\n", sections[i].id,
                    sections[i].title);
    }
    rk_text_add(html, "</ul></nav>\n<main>\n");
}

static void write_page(rki_writer *w)
{
    int i;

    add_head(w);
    add_navigation(w->html);
    for (i = 0; i < SECTIONS && w->status == RK_OK; i++) {
        /* The workbench's own attributes follow its id. */
        rk_text_add(w->html, "<section id=\"%s\"", sections[i].id);
        if (sections[i].write != rki_page_workbench) {
            rk_text_add(w->html, "><h2>%s</h2>\n", sections[i].title);
        }
        sections[i].write(w);
        rk_text_add(w->html, "</section>\n");
    }
    rk_text_add(w->html, "</main>\n");
    add_scripts(w);
    rk_text_add(w->html, "</body>\n</html>\n");
}

rk_status rk_page_compute(const rk_page *page, rk_text *html, rk_page_result *result,
                          rk_diag *diag)
{
    rk_page_result made = {
        .has_figures = true, .verdict = "no model", .workbench_built = rk_page_has_workbench()};
    rki_page_work *work = NULL;
    rki_writer w = {.html = html, .result = &made, .status = RK_OK, .diag = diag};
    rk_status status;

    rk_diag_clear(diag);
    if (page == NULL || page->loop == NULL || html == NULL || result == NULL) return RK_ERR_ARG;
    status = rki_page_work_compute(page, &work, diag);
    if (status != RK_OK) return status;
    w.work = work;
    made.judged = work->has_check;
    made.met = work->has_check && work->check.verdict.met;
    if (work->loop.has_model) {
        made.verdict = !work->loop.has_settings ? "no settings" : made.met ? "met" : "not met";
    }
    made.has_workbench =
        rk_page_has_workbench() && work->loop.has_model &&
        !(work->loop.has_settings && rk_settings_is_on_off(&work->loop.settings));
    if (page->record != NULL) {
        made.rows = rk_record_rows(page->record);
        made.drawn = made.rows < RK_FIGURE_DOTS_MOST ? made.rows : RK_FIGURE_DOTS_MOST;
    }
    write_page(&w);
    status = w.status == RK_OK ? rk_text_check(html, diag) : w.status;
    rki_page_work_free(work);
    if (status == RK_OK) {
        *result = made;
    }
    return status;
}
