/* SPDX-License-Identifier: MIT */
#include "gnuplot.h"

#include <errno.h>
#include <math.h>
#include <spawn.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

/* The child's three streams, each a file without a name. */
typedef struct streams {
    FILE *script, *image, *complaint;
} streams;

static void close_streams(streams *s)
{
    if (s->script != NULL) {
        (void)fclose(s->script);
    }
    if (s->image != NULL) {
        (void)fclose(s->image);
    }
    if (s->complaint != NULL) {
        (void)fclose(s->complaint);
    }
}

static bool open_streams(streams *s, const rk_text *script)
{
    const size_t length = rk_text_length(script);

    s->script = tmpfile();
    s->image = tmpfile();
    s->complaint = tmpfile();
    if (s->script == NULL || s->image == NULL || s->complaint == NULL) return false;
    if (fwrite(rk_text_chars(script), 1, length, s->script) != length) return false;
    return fflush(s->script) == 0 && fseek(s->script, 0, SEEK_SET) == 0;
}

/* 0 and the exit status, or an errno. Only a few words of environment reach the child. */
static int run_child(const streams *s, int *status)
{
    char *const command[] = {(char[]){"gnuplot"}, (char[]){"-d"}, NULL};
    char *const environment[] = {(char[]){"LC_ALL=C.UTF-8"}, (char[]){"HOME=/nonexistent"},
                                 NULL};
    posix_spawn_file_actions_t actions;
    pid_t child;
    int error = posix_spawn_file_actions_init(&actions);

    if (error != 0) return error;
    error = posix_spawn_file_actions_adddup2(&actions, fileno(s->script), 0);
    if (error == 0) {
        error = posix_spawn_file_actions_adddup2(&actions, fileno(s->image), 1);
    }
    if (error == 0) {
        error = posix_spawn_file_actions_adddup2(&actions, fileno(s->complaint), 2);
    }
    if (error == 0) {
        error = posix_spawnp(&child, command[0], &actions, NULL, command, environment);
    }
    (void)posix_spawn_file_actions_destroy(&actions);
    if (error != 0) return error;
    while (waitpid(child, status, 0) < 0) {
        if (errno != EINTR) return errno;
    }
    return 0;
}

static void read_first_line(FILE *file, char *line, size_t room)
{
    line[0] = '\0';
    (void)fseek(file, 0, SEEK_SET);
    while (fgets(line, (int)room, file) != NULL && strspn(line, " \t\r\n^") == strlen(line)) {
        continue;
    }
    line[strcspn(line, "\r\n")] = '\0';
}

static rk_status collect(const streams *s, int child_status, rk_text *image, rk_diag *diag)
{
    char buffer[16384];
    size_t length, total = 0;

    if (!WIFEXITED(child_status) || WEXITSTATUS(child_status) != 0) {
        if (WIFEXITED(child_status) && WEXITSTATUS(child_status) == 127) {
            return rk_diag_set(diag, RK_ERR_IO,
                               "gnuplot not found: install it (gnuplot-nox) for figures");
        }
        read_first_line(s->complaint, buffer, sizeof buffer);
        return rk_diag_set(diag, RK_ERR_IO, "gnuplot could not draw the figure: %.160s",
                           buffer);
    }
    (void)fseek(s->image, 0, SEEK_SET);
    while ((length = fread(buffer, 1, sizeof buffer, s->image)) > 0) {
        rk_text_add_bytes(image, buffer, length);
        total += length;
    }
    if (total == 0) {
        read_first_line(s->complaint, buffer, sizeof buffer);
        return rk_diag_set(diag, RK_ERR_IO, "gnuplot drew nothing: %.160s", buffer);
    }
    return rk_text_check(image, diag);
}

rk_status rki_gnuplot_run(const rk_text *script, rk_text *image, rk_diag *diag)
{
    streams s = {NULL, NULL, NULL};
    int child_status = 0, error;
    rk_status status = rk_text_check(script, diag);

    if (status != RK_OK) return status;
    if (!open_streams(&s, script)) {
        status = rk_diag_set(diag, RK_ERR_IO, "no room for the figure's temporary files: %s",
                             strerror(errno));
    } else {
        error = run_child(&s, &child_status);
        if (error == ENOENT) {
            status = rk_diag_set(diag, RK_ERR_IO,
                                 "gnuplot not found: install it (gnuplot-nox) for figures");
        } else if (error != 0) {
            status = rk_diag_set(diag, RK_ERR_IO, "cannot run gnuplot: %s", strerror(error));
        } else {
            status = collect(&s, child_status, image, diag);
        }
    }
    close_streams(&s);
    return status;
}

void rki_add_quoted(rk_text *script, const char *words)
{
    rk_text_add(script, "'");
    while (*words != '\0') {
        const size_t length = rk_letter_length(words); /* a picture in XML must be UTF-8 */

        if (*words == '\'') {
            rk_text_add(script, "''");
        } else if (length == 0) {
            rk_text_add(script, "?");
        } else if ((unsigned char)*words < ' ' || *words == 0x7F) {
            rk_text_add(script, " ");
        } else {
            rk_text_add_bytes(script, words, length);
        }
        words += length > 0 ? length : 1;
    }
    rk_text_add(script, "'");
}

static void add_terminal(rk_text *script, const rk_figure_style *style)
{
    switch (style->format) {
    case RK_FIGURE_SVG:
        rk_text_add(
            script,
            "set terminal svg noenhanced size 1280,800 font 'Sans,15' background '#ffffff'\n");
        break;
    case RK_FIGURE_PDF:
        rk_text_add(script,
                    "set terminal pdfcairo noenhanced size 25.6cm,16cm font 'Sans,10'\n");
        break;
    case RK_FIGURE_TERMINAL:
        rk_text_add(script, "set terminal dumb noenhanced mono size %d,%d\n",
                    style->columns > 0 ? style->columns : 100,
                    style->rows > 0 ? style->rows : 36);
        break;
    default:
        rk_text_add(script, "set terminal pngcairo noenhanced size 1280,800 font 'Sans,13'\n");
        break;
    }
}

void rki_page_begin(rk_text *script, const rk_figure_style *style, const char *title)
{
    add_terminal(script, style);
    rk_text_add(script, "set encoding utf8\n"
                        "set multiplot\n"
                        "set lmargin screen 0.09\nset rmargin screen 0.97\n"
                        "set style line 100 lc rgb '#dddddd' lw 1\n"
                        "set border 3 lw 1\nset tics nomirror out\n");
    if (style->format != RK_FIGURE_TERMINAL) {
        rk_text_add(script, "set grid ls 100\n");
    }
    rk_text_add(script, "set label 1 ");
    rki_add_quoted(script, title);
    rk_text_add(script, " at screen 0.09,0.965 left\n");
}

void rki_map_begin(rk_text *script, const rk_figure_style *style, const char *title)
{
    add_terminal(script, style);
    rk_text_add(script,
                "set encoding utf8\nset border lw 1\nset tics nomirror out\n"
                "set lmargin screen 0.1\nset rmargin screen 0.87\n"
                "set tmargin screen 0.87\nset bmargin screen 0.14\n"
                "set autoscale xfix\nset autoscale yfix\n"
                "set palette defined (0 '#ffffe5', 0.3 '#a1dab4', 0.6 '#41b6c4', 1 '#225ea8')\n"
                "set key at screen 0.97,0.93 right horizontal Left reverse samplen 3 nobox\n"
                "set title ");
    rki_add_quoted(script, title);
    rk_text_add(script, " offset 0,1.6\n");
}

/* Characters have no upright letters: there the label goes above the axis. */
static void add_y_label(rk_text *script, const rk_figure_style *style, const char *y_label)
{
    if (style->format == RK_FIGURE_TERMINAL) {
        rk_text_add(script, "set label 9 ");
        rki_add_quoted(script, y_label);
        rk_text_add(script, " at graph 0, graph 1.12 left\n");
    } else {
        rk_text_add(script, "set ylabel ");
        rki_add_quoted(script, y_label);
        rk_text_add(script, "\n");
    }
}

static void add_place(rk_text *script, double top, double bottom)
{
    rk_text_add(script, "set tmargin screen %d.%02d\nset bmargin screen %d.%02d\n", (int)top,
                (int)((top * 100.0) + 0.5) % 100, (int)bottom,
                (int)((bottom * 100.0) + 0.5) % 100);
}

void rki_panel_first(rk_text *script, const rk_figure_style *style, const char *y_label,
                     double bottom)
{
    add_place(script, 0.85, bottom);
    rk_text_add(script, "set format x ''\nset key at screen 0.97,0.885 right horizontal Left "
                        "reverse samplen 3 width 1 nobox\n");
    add_y_label(script, style, y_label);
}

void rki_panel_next(rk_text *script, const rk_figure_style *style, const char *y_label,
                    double top, double bottom)
{
    rk_text_add(script, "unset label\nunset arrow\nunset object\nunset key\n");
    add_place(script, top, bottom);
    add_y_label(script, style, y_label);
}

void rki_panel_last(rk_text *script, const rk_figure_style *style, const char *y_label,
                    double top)
{
    rki_panel_next(script, style, y_label, top, 0.10);
    rk_text_add(script, "set format x '%%g'\nset xlabel 'time, %s'\n",
                style->minutes ? "min" : "s");
}

void rki_panel_upper(rk_text *script, const rk_figure_style *style, const char *y_label)
{
    rki_panel_first(script, style, y_label, 0.42);
}

void rki_panel_lower(rk_text *script, const rk_figure_style *style, const char *y_label)
{
    rki_panel_last(script, style, y_label, 0.37);
}

static void add_pair(rk_text *script, double x, double y)
{
    rk_text_add_real(script, x);
    rk_text_add(script, " ");
    rk_text_add_real(script, y);
    rk_text_add(script, "\n");
}

static void add_point(rk_text *script, const rki_curve *curve, size_t i, double y)
{
    const double x =
        curve->x != NULL ? curve->x[i] - curve->x0 : curve->x0 + (curve->dx * (double)i);

    add_pair(script, x / curve->unit, y);
}

/* More buckets than this a page's width cannot show; each keeps its lowest and its highest
 * point. */
enum { BUCKETS = RK_FIGURE_DOTS_MOST / 2 };

/* Of more steps than this none is seen. */
enum { STEPS_MOST = 400 };

/* A line that is nearer than this part of its height to what it stands for looks the same. */
#define STRAIGHT 2.5e-4

/* Points that become a line. Those are left out that lie on the straight line between others: while one
   slope from the last point that was written passes all since then, none of them is needed. */
typedef struct sleeve {
    rk_text *script;
    const rki_curve *curve;
    double near;           /* so far a point may lie from the line */
    bool begun, waiting;   /* a point was written; another may have to be */
    size_t from, last;     /* those two */
    double least, largest; /* the slopes that pass all since `from` */
} sleeve;

static double x_of(const rki_curve *curve, size_t i)
{
    return curve->x != NULL ? curve->x[i] : curve->dx * (double)i;
}

static void write_waiting(sleeve *s)
{
    if (s->waiting) {
        add_point(s->script, s->curve, s->last, s->curve->y[s->last]);
    }
    s->from = s->last;
    s->waiting = false;
    s->least = -HUGE_VAL;
    s->largest = HUGE_VAL;
}

static void pass(sleeve *s, size_t i)
{
    const double *y = s->curve->y;
    double along, slope;

    if (!s->begun || isnan(y[i]) || isnan(y[s->last])) {
        write_waiting(s);
        add_point(s->script, s->curve, i, y[i]);
        s->begun = true;
        s->from = s->last = i;
        return;
    }
    along = x_of(s->curve, i) - x_of(s->curve, s->from);
    slope = (y[i] - y[s->from]) / along;
    if (s->waiting && !(slope >= s->least && slope <= s->largest)) {
        write_waiting(s);
        along = x_of(s->curve, i) - x_of(s->curve, s->from);
        slope = (y[i] - y[s->from]) / along;
    }
    s->least = fmax(s->least, slope - (s->near / along));
    s->largest = fmin(s->largest, slope + (s->near / along));
    s->last = i;
    s->waiting = true;
}

/* So near may a line pass a point; dots all stand. */
static double nearness(const rki_curve *curve)
{
    double low = HUGE_VAL, high = -HUGE_VAL;
    size_t i;

    for (i = 0; i < curve->count; i++) {
        low = fmin(low, curve->y[i]);
        high = fmax(high, curve->y[i]);
    }
    return high > low ? STRAIGHT * (high - low) : 0.0;
}

static void take(sleeve *s, bool dots, size_t i)
{
    if (dots) {
        add_point(s->script, s->curve, i, s->curve->y[i]);
    } else {
        pass(s, i);
    }
}

static void add_thinned(rk_text *script, const char *block, const rki_curve *curve, bool dots)
{
    sleeve s = {.script = script, .curve = curve, .near = nearness(curve)};
    size_t bucket, i;

    rk_text_add(script, "$%s << END\n", block);
    for (i = 0; i < curve->count && curve->count <= 2 * BUCKETS; i++) {
        take(&s, dots, i);
    }
    for (bucket = 0; bucket < BUCKETS && curve->count > 2 * BUCKETS; bucket++) {
        const size_t first = bucket * curve->count / BUCKETS;
        const size_t end = (bucket + 1) * curve->count / BUCKETS;
        size_t low = first, high = first;

        for (i = first; i < end; i++) {
            if (curve->y[i] < curve->y[low]) {
                low = i;
            }
            if (curve->y[i] > curve->y[high]) {
                high = i;
            }
        }
        i = low < high ? low : high; /* the earlier of the two */
        take(&s, dots, i);
        i = low + high - i;
        if (low != high) {
            take(&s, dots, i);
        }
    }
    if (curve->count > 0 && s.last + 1 != curve->count && !dots) {
        pass(&s, curve->count - 1);
    }
    write_waiting(&s);
    rk_text_add(script, "END\n");
}

void rki_add_curve(rk_text *script, const char *block, const rki_curve *curve)
{
    add_thinned(script, block, curve, false);
}

void rki_add_dots(rk_text *script, const char *block, const rki_curve *curve)
{
    add_thinned(script, block, curve, true);
}

void rki_add_steps(rk_text *script, const char *block, const rki_curve *curve)
{
    size_t changes = 0, i;

    for (i = 1; i < curve->count; i++) {
        if (curve->y[i] != curve->y[i - 1]) {
            changes++;
        }
    }
    if (changes > STEPS_MOST) {
        rki_add_curve(script, block, curve);
        return;
    }
    rk_text_add(script, "$%s << END\n", block);
    if (curve->lead > 0) {
        add_pair(script, -curve->lead / curve->unit, curve->lead_y);
        add_point(script, curve, 0, curve->lead_y);
    }
    for (i = 0; i < curve->count; i++) {
        const bool change = i > 0 && curve->y[i] != curve->y[i - 1];

        if (change) {
            add_point(script, curve, i, curve->y[i - 1]);
        }
        if (change || i == 0 || i == curve->count - 1) {
            add_point(script, curve, i, curve->y[i]);
        }
    }
    rk_text_add(script, "END\n");
}
