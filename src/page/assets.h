/* SPDX-License-Identifier: MIT */
#ifndef PAGE_ASSETS_H
#define PAGE_ASSETS_H

#include <stddef.h>

/*
 * What pages are made of, as it stands in the source, and the SHA-256 of each style and script in hexadecimal
 * digits, by which a page allows them and no other. Of a build without the workbench the last three are empty.
 */

extern const unsigned char rki_page_css[], rki_page_js[], rki_core_js[], rki_plot_js[],
    rki_workbench_js[], rki_workbench_html[], rki_chart_js[], rki_core_gz[];
extern const size_t rki_page_css_length, rki_page_js_length, rki_core_js_length,
    rki_plot_js_length, rki_workbench_js_length, rki_workbench_html_length, rki_chart_js_length,
    rki_core_gz_length;
extern const char rki_page_css_sum[], rki_page_js_sum[], rki_core_js_sum[], rki_plot_js_sum[],
    rki_workbench_js_sum[], rki_chart_js_sum[];

#endif
