/* SPDX-License-Identifier: MIT */
#include "run_view.h"

#include <math.h>
#include <ncurses.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum {
    TEXT = 16,
    LEAST_LINES = 18,
    LEAST_COLUMNS = 60,
};

/* A number being typed, and what it is for; 0: none is. */
static struct {
    char text[TEXT];
    int wanted; /* 's' or 'o' */
    char refused[80];
} typing;

bool run_view_open(void)
{
    if (newterm(NULL, stdout, stdin) == NULL) return false;
    (void)cbreak();
    (void)noecho();
    (void)curs_set(0);
    (void)keypad(stdscr, TRUE);
    (void)nodelay(stdscr, TRUE);
    if (has_colors() && getenv("NO_COLOR") == NULL) {
        (void)start_color();
        (void)use_default_colors();
        (void)init_pair(COLOUR_SP, COLOR_GREEN, -1);
        (void)init_pair(COLOUR_OUT, COLOR_BLUE, -1);
        (void)init_pair(COLOUR_ALARM, COLOR_RED, -1);
    }
    memset(&typing, 0, sizeof typing);
    return true;
}

void run_view_close(void)
{
    (void)endwin();
}

/* A bar of an output's or a PV's place in its range. */
static void show_bar(int line, double value, double low, double high)
{
    const int width = COLS - 50;
    const int place = (int)lround((value - low) / (high - low) * (width - 1));

    if (isnan(low) || width < 10) return;
    (void)mvprintw(line, 32, "%6.4g [", low);
    (void)mvhline(line, 40, ' ', width);
    (void)mvaddch(line, 40 + (place < 0 ? 0 : place >= width ? width - 1 : place), '#');
    (void)mvprintw(line, 40 + width, "] %.4g", high);
}

static void show_keys(void)
{
    if (typing.wanted != 0) {
        (void)mvprintw(LINES - 1, 0, "%s: %s_  Enter takes it, Esc leaves it",
                       typing.wanted == 's' ? "setpoint" : "output", typing.text);
    } else if (typing.refused[0] != '\0') {
        (void)mvprintw(LINES - 1, 0, "%s", typing.refused);
    } else {
        (void)mvprintw(LINES - 1, 0,
                       "a automatic  m manual  up/down, PgUp/PgDn: SP or OUT  s SP  o OUT  k "
                       "acknowledge  q end");
    }
}

void run_view_show(const rk_design *d, rk_live *live, double until)
{
    const rk_loop *block = rk_live_block(live);
    const rk_run_curves rows = rk_live_curves(live);
    const bool manual = block->pid.mode != RK_PID_AUTO;
    char alarms[200], seen[200];

    (void)erase();
    if (LINES < LEAST_LINES || COLS < LEAST_COLUMNS) {
        (void)mvprintw(0, 0, "The terminal is too small: %d by %d, %d by %d are needed.", COLS,
                       LINES, LEAST_COLUMNS, LEAST_LINES);
        (void)refresh();
        return;
    }
    (void)attron(A_BOLD);
    (void)mvprintw(0, 0, "%s", d->name);
    (void)attroff(A_BOLD);
    (void)mvprintw(0, COLS - 34, "%12.1f s of %g s, scan %g s", rk_live_time(live), until,
                   d->ts);
    (void)mvprintw(1, 0, "mode  %s", manual ? "MANUAL" : "AUTOMATIC");
    (void)mvprintw(2, 0, "SP    %10.5g %s", block->sp, d->pv_units);
    (void)mvprintw(3, 0, "PV    %10.5g %s", block->pv, d->pv_units);
    show_bar(3, block->pv, d->pv_low, d->pv_high);
    (void)mvprintw(4, 0, "OUT   %10.5g %s", block->out, d->out_units);
    show_bar(4, block->out, d->out_low, d->out_high);
    rk_alarm_words(block->alarms, ", ", alarms, sizeof alarms);
    rk_alarm_words(block->alarms_seen & ~block->alarms, ", ", seen, sizeof seen);
    (void)attron(block->alarms != 0 ? (int)COLOR_PAIR(COLOUR_ALARM) | A_BOLD : 0);
    (void)mvprintw(5, 0, "alarm %s%s%s%s", alarms[0] != '\0' ? alarms : "none now",
                   seen[0] != '\0' ? "   (over: " : "", seen, seen[0] != '\0' ? ")" : "");
    (void)attroff((int)COLOR_PAIR(COLOUR_ALARM) | A_BOLD);
    run_trend_show(d, &rows);
    show_keys();
    (void)refresh();
}

static void try_event(rk_live *live, rk_event_kind kind, double value)
{
    const rk_event what = {.kind = kind, .value = value};
    rk_diag diag;

    typing.refused[0] = '\0';
    if (rk_live_do(live, &what, &diag) != RK_OK) {
        (void)snprintf(typing.refused, sizeof typing.refused, "%.60s: nothing changed",
                       diag.text);
    }
}

static void end_typing(rk_live *live)
{
    double value;

    if (rk_number_parse(typing.text, strlen(typing.text), &value)) {
        try_event(live, typing.wanted == 's' ? RK_EVENT_SETPOINT : RK_EVENT_MANUAL, value);
    } else {
        (void)snprintf(typing.refused, sizeof typing.refused,
                       "'%s' is not a number: nothing "
                       "changed",
                       typing.text);
    }
    typing.wanted = 0;
}

static void type_key(rk_live *live, int key)
{
    const size_t length = strlen(typing.text);

    if (key == '\n' || key == '\r' || key == KEY_ENTER) {
        end_typing(live);
    } else if (key == 27) {
        typing.wanted = 0;
    } else if ((key == KEY_BACKSPACE || key == 127 || key == 8) && length > 0) {
        typing.text[length - 1] = '\0';
    } else if (key > ' ' && key < 127 && length + 1 < TEXT) {
        typing.text[length] = (char)key;
        typing.text[length + 1] = '\0';
    }
}

/* The setpoint in automatic, the output in manual, by a part of its range. */
static void nudge(const rk_design *d, rk_live *live, double part)
{
    const rk_loop *block = rk_live_block(live);
    const bool manual = block->pid.mode != RK_PID_AUTO;
    const double low = manual ? d->out_low : d->pv_low,
                 high = manual ? d->out_high : d->pv_high;
    const double from = manual ? block->pid.manual_out : block->sp;

    if (isnan(low)) return;
    try_event(live, manual ? RK_EVENT_MANUAL : RK_EVENT_SETPOINT,
              fmin(fmax(from + (part * (high - low)), low), high));
}

static bool take_key(const rk_design *d, rk_live *live, int key)
{
    switch (key) {
    case 'a':
        try_event(live, RK_EVENT_AUTO, 0);
        return true;
    case 'm':
        try_event(live, RK_EVENT_MANUAL, nan(""));
        return true;
    case 's':
    case 'o':
        typing.wanted = key;
        typing.text[0] = '\0';
        typing.refused[0] = '\0';
        return true;
    case KEY_UP:
        nudge(d, live, 0.001);
        return true;
    case KEY_DOWN:
        nudge(d, live, -0.001);
        return true;
    case KEY_PPAGE:
        nudge(d, live, 0.01);
        return true;
    case KEY_NPAGE:
        nudge(d, live, -0.01);
        return true;
    case 'k':
        rk_loop_acknowledge(rk_live_block(live));
        return true;
    default:
        return key != 'q';
    }
}

bool run_view_keys(const rk_design *d, rk_live *live)
{
    int key;

    while ((key = getch()) != ERR) {
        if (typing.wanted != 0) {
            type_key(live, key);
        } else if (!take_key(d, live, key)) {
            return false;
        }
    }
    return true;
}
