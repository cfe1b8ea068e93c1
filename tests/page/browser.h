/* SPDX-License-Identifier: MIT */
#ifndef BROWSER_H
#define BROWSER_H

#include <jansson.h>

#include "../support/support.h"

/*
 * A real browser, headless, driven as a person would by the WebDriver protocol. Source  W3C, WebDriver,
 * Recommendation, 2018.
 */

/** Start it, and end it: fixtures of a test case. Without a browser on this machine the tests fail. */
void browser_start(void);
void browser_stop(void);

/** Open a file and wait until its workbench is open, or for a page that has none just open it. */
void browser_open(const char *path, bool workbench);

/** Run a script's body and give what it returns; an exception in it fails the test. */
json_t *browser_run(const char *script, json_t *arguments);

/** The same of a script that returns a promise, a number, a text (freed by the caller). */
json_t *browser_wait(const char *script);
double browser_number(const char *script);
char *browser_text(const char *script);

/** Keys to an element, by its selector, as a keyboard sends them. */
void browser_type(const char *selector, const char *keys);

void browser_click(const char *selector);

/** The window's size, and whether the machine is set to dark. */
void browser_window(int width, int height);
void browser_dark(bool dark);

/** What it complained of since the last call, and what it asked the network for; freed by the caller. */
char *browser_complaints(void);

/** The page as a PDF, printed on A4; what the window shows, as a PNG; both in base64, freed by the caller. */
char *browser_print(void);
char *browser_shot(void);

/** Right arrow, as WebDriver names it. */
#define KEY_RIGHT "\xEE\x80\x94"
#define KEY_TAB "\xEE\x80\x84"
#define KEY_END "\xEE\x80\x90"

#endif
