/* SPDX-License-Identifier: MIT */
#include "run_view.h"

#include <math.h>
#include <ncurses.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "terminal.h"

enum {
    TEXT = 16,
    LEAST_LINES = 18,
    LEAST_COLUMNS = 60,
    POSTED = 4096, /* rows that may wait for the terminal; what it does not take is not drawn */
    ASKED = 32,
};

/* Where the loop stands. */
typedef struct standing {
    double time, sp, pv, out, manual_out;
    bool manual, held, alarmed;
    char alarms[400], over[200];
} standing;

/* Between the scan and the terminal. */
static struct {
    pthread_mutex_t mutex;
    standing now;
    rk_live_row row[POSTED];
    size_t posted, drawn;
    rk_event asked[ASKED];
    size_t asked_count, taken;
    char refused[80];
    bool left;
} between;

/* The terminal's own. A number is being typed, and what it is for; 0: none is. */
static struct {
    const rk_design *design;
    double until;
    rk_run_rows rows;
    standing now;
    char text[TEXT], refused[80];
    int wanted; /* 's' or 'o' */
} view;

/* A scan of high priority does not wait behind a terminal of low. */
static void make_mutex(void)
{
    pthread_mutexattr_t attributes;

    (void)pthread_mutexattr_init(&attributes);
    (void)pthread_mutexattr_setprotocol(&attributes, PTHREAD_PRIO_INHERIT);
    (void)pthread_mutex_init(&between.mutex, &attributes);
    (void)pthread_mutexattr_destroy(&attributes);
}

bool run_view_open(const rk_design *design, double until)
{
    terminal_keep();
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
    memset(&between, 0, sizeof between);
    memset(&view, 0, sizeof view);
    make_mutex();
    view.design = design;
    view.until = until;
    return true;
}

void run_view_close(void *unused)
{
    (void)unused;
    (void)endwin();
}

/* ---- the scan's side ---- */

void run_view_post(const rk_live *live)
{
    const rk_loop *block = rk_live_block(live);
    const rk_live_row row = rk_live_last(live);
    standing now = {.time = row.time,
                    .sp = block->sp,
                    .pv = block->pv,
                    .out = block->out,
                    .manual_out = block->pid.manual_out,
                    .manual = strcmp(rk_live_mode(live), "manual") == 0,
                    .held = rk_live_is_held(live),
                    .alarmed = block->alarms != 0};

    rk_live_alarms(live, ", ", now.alarms, sizeof now.alarms);
    rk_alarm_words(block->alarms_seen & ~block->alarms, ", ", now.over, sizeof now.over);
    (void)pthread_mutex_lock(&between.mutex);
    between.now = now;
    if (between.posted - between.drawn < POSTED) {
        between.row[between.posted++ % POSTED] = row;
    }
    (void)pthread_mutex_unlock(&between.mutex);
}

bool run_view_command(rk_event *event)
{
    bool there;

    (void)pthread_mutex_lock(&between.mutex);
    there = between.taken < between.asked_count;
    if (there) {
        *event = between.asked[between.taken++ % ASKED];
    }
    (void)pthread_mutex_unlock(&between.mutex);
    return there;
}

void run_view_refuse(const char *why)
{
    (void)pthread_mutex_lock(&between.mutex);
    (void)snprintf(between.refused, sizeof between.refused, "%.60s: nothing changed", why);
    (void)pthread_mutex_unlock(&between.mutex);
}

bool run_view_is_left(void)
{
    bool left;

    (void)pthread_mutex_lock(&between.mutex);
    left = between.left;
    (void)pthread_mutex_unlock(&between.mutex);
    return left;
}

/* ---- the terminal's side ---- */

static void take_posted(void)
{
    (void)pthread_mutex_lock(&between.mutex);
    for (; between.drawn < between.posted; between.drawn++) {
        rk_run_rows_add(&view.rows, &between.row[between.drawn % POSTED]);
    }
    view.now = between.now;
    if (between.refused[0] != '\0') {
        memcpy(view.refused, between.refused, sizeof view.refused);
        between.refused[0] = '\0';
    }
    (void)pthread_mutex_unlock(&between.mutex);
}

/* Ask the scan for it; what is shown is what was asked for until the next scan says. */
static void ask(rk_event_kind kind, double value)
{
    view.refused[0] = '\0';
    (void)pthread_mutex_lock(&between.mutex);
    if (between.asked_count - between.taken < ASKED) {
        between.asked[between.asked_count++ % ASKED] = (rk_event){.kind = kind, .value = value};
    }
    (void)pthread_mutex_unlock(&between.mutex);
    if (kind == RK_EVENT_SETPOINT) {
        view.now.sp = value;
    } else if (kind == RK_EVENT_MANUAL && isfinite(value)) {
        view.now.manual_out = value;
    }
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
    if (view.wanted != 0) {
        (void)mvprintw(LINES - 1, 0, "%s: %s_  Enter takes it, Esc leaves it",
                       view.wanted == 's' ? "setpoint" : "output", view.text);
    } else if (view.refused[0] != '\0') {
        (void)mvprintw(LINES - 1, 0, "%s", view.refused);
    } else {
        (void)mvprintw(LINES - 1, 0,
                       "a automatic  m manual  up/down, PgUp/PgDn: SP or OUT  s SP  o OUT  k "
                       "acknowledge  q end");
    }
}

static void show_alarms(const standing *now)
{
    const int look = now->alarmed ? (int)COLOR_PAIR(COLOUR_ALARM) | A_BOLD : 0;

    (void)attron(look);
    (void)mvprintw(5, 0, "alarm %s%s%s%s", now->alarms[0] != '\0' ? now->alarms : "none now",
                   now->over[0] != '\0' ? "   (over: " : "", now->over,
                   now->over[0] != '\0' ? ")" : "");
    (void)attroff(look);
}

static void draw(void)
{
    const rk_design *d = view.design;
    const standing *now = &view.now;
    const rk_run_curves rows = rk_run_rows_curves(&view.rows);

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
    (void)mvprintw(0, COLS - 34, "%12.1f s of %g s, scan %g s", now->time, view.until, d->ts);
    (void)mvprintw(1, 0, "mode  %s",
                   now->held     ? "TRACKING: the device does not enable OUT"
                   : now->manual ? "MANUAL"
                                 : "AUTOMATIC");
    (void)mvprintw(2, 0, "SP    %10.5g %s", now->sp, d->pv_units);
    (void)mvprintw(3, 0, "PV    %10.5g %s", now->pv, d->pv_units);
    show_bar(3, now->pv, d->pv_low, d->pv_high);
    (void)mvprintw(4, 0, "OUT   %10.5g %s", now->out, d->out_units);
    show_bar(4, now->out, d->out_low, d->out_high);
    show_alarms(now);
    run_trend_show(d, &rows);
    show_keys();
    (void)refresh();
}

static void end_typing(void)
{
    double value;

    if (rk_number_parse(view.text, strlen(view.text), &value)) {
        ask(view.wanted == 's' ? RK_EVENT_SETPOINT : RK_EVENT_MANUAL, value);
    } else {
        (void)snprintf(view.refused, sizeof view.refused,
                       "'%s' is not a number: nothing "
                       "changed",
                       view.text);
    }
    view.wanted = 0;
}

static void type_key(int key)
{
    const size_t length = strlen(view.text);

    if (key == '\n' || key == '\r' || key == KEY_ENTER) {
        end_typing();
    } else if (key == 27) {
        view.wanted = 0;
    } else if ((key == KEY_BACKSPACE || key == 127 || key == 8) && length > 0) {
        view.text[length - 1] = '\0';
    } else if (key > ' ' && key < 127 && length + 1 < TEXT) {
        view.text[length] = (char)key;
        view.text[length + 1] = '\0';
    }
}

/* The setpoint in automatic, the output in manual, by a part of its range. */
static void nudge(double part)
{
    const rk_design *d = view.design;
    const bool manual = view.now.manual;
    const double low = manual ? d->out_low : d->pv_low,
                 high = manual ? d->out_high : d->pv_high;
    const double from = manual ? view.now.manual_out : view.now.sp;

    if (isnan(low)) return;
    ask(manual ? RK_EVENT_MANUAL : RK_EVENT_SETPOINT,
        fmin(fmax(from + (part * (high - low)), low), high));
}

static void leave(void)
{
    (void)pthread_mutex_lock(&between.mutex);
    between.left = true;
    (void)pthread_mutex_unlock(&between.mutex);
}

static void take_key(int key)
{
    static const struct {
        int key;
        double part;
    } nudges[] = {{KEY_UP, 0.001}, {KEY_DOWN, -0.001}, {KEY_PPAGE, 0.01}, {KEY_NPAGE, -0.01}};
    size_t i;

    for (i = 0; i < sizeof nudges / sizeof nudges[0]; i++) {
        if (key == nudges[i].key) {
            nudge(nudges[i].part);
        }
    }
    switch (key) {
    case 'a':
        ask(RK_EVENT_AUTO, nan(""));
        return;
    case 'm':
        ask(RK_EVENT_MANUAL, nan(""));
        return;
    case 's':
    case 'o':
        view.wanted = key;
        view.text[0] = '\0';
        view.refused[0] = '\0';
        return;
    case 'k':
        ask(RK_EVENT_ACKNOWLEDGE, nan(""));
        return;
    case 'q':
        leave();
        return;
    default:
        return;
    }
}

void run_view_show(void *unused)
{
    int key;

    (void)unused;
    take_posted();
    while ((key = getch()) != ERR) {
        if (view.wanted != 0) {
            type_key(key);
        } else {
            take_key(key);
        }
    }
    draw();
}
