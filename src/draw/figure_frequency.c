/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>

#include <redkettle/design/base/memory.h>

#include "figure_parts.h"
#include "gnuplot.h"

#define PI 3.14159265358979323846
/* A curve's points: no more than this part of w, nor this turn of its phase, rad, apart. */
#define STEP_PART 0.02
#define STEP_TURN 0.05
/* It goes so far to both sides of where it matters, and ends where |L| is this small. */
#define BELOW 0.03
#define ABOVE 40.0
#define SMALL 0.01
#define PAST_HALF 1.5 /* .. and so far past half the sampling frequency */
enum { POINTS_MOST = 6000 };

/* A frequency response; the phase unwrapped, deg. */
typedef struct response {
    size_t count;
    double *w, *re, *im, *size, *phase;
} response;

/* One value of it. Returns false where there is none. */
typedef bool value_at(const void *of, double w, double *re, double *im);

static bool make_room(response *r)
{
    r->w = rk_memory_create((size_t)5 * POINTS_MOST, sizeof *r->w);
    if (r->w == NULL) return false;
    r->re = r->w + POINTS_MOST;
    r->im = r->re + POINTS_MOST;
    r->size = r->im + POINTS_MOST;
    r->phase = r->size + POINTS_MOST;
    return true;
}

/* From low to high; a dead time's spiral is drawn with points as near as it turns. */
static void follow(response *r, value_at *value, const void *of, double low, double high,
                   double theta)
{
    const double turn = theta > 0 ? STEP_TURN / theta : HUGE_VAL;
    double w = low;

    r->count = 0;
    while (r->count < POINTS_MOST && w <= high) {
        const size_t i = r->count;
        double phase;

        if (!value(of, w, &r->re[i], &r->im[i])) break;
        r->w[i] = w;
        r->size[i] = sqrt((r->re[i] * r->re[i]) + (r->im[i] * r->im[i]));
        phase = atan2(r->im[i], r->re[i]) * 180.0 / PI;
        if (i == 0) {
            phase -= phase > 90.0 ? 360.0 : 0.0;
        } else {
            phase += 360.0 * round((r->phase[i - 1] - phase) / 360.0);
        }
        r->phase[i] = phase;
        r->count++;
        w = w >= high ? 2.0 * high : fmin(w + fmin(STEP_PART * w, turn), high);
    }
}

static void add_response(rk_text *script, const char *name, const response *r)
{
    size_t i;

    rk_text_add(script, "$%s << END\n", name);
    for (i = 0; i < r->count; i++) {
        rk_text_add(script, "%.6g %.6g %.6g %.6g %.6g\n", r->w[i], r->size[i], r->phase[i],
                    r->re[i], r->im[i]);
    }
    rk_text_add(script, "END\n");
}

/* Three panels: size over phase at the left, the plane at the right. */
static void place(rk_text *script, double left, double right, double top, double bottom)
{
    rk_text_add(script,
                "unset label\nunset arrow\nunset object\nset lmargin screen %.3f\n"
                "set rmargin screen %.3f\nset tmargin screen %.3f\nset bmargin screen %.3f\n",
                left, right, top, bottom);
}

static const char *const dashes[] = {"dt 1", "dt 2", "dt 4"};

static void plot(rk_text *script, const char *columns, const char *const *names,
                 const char *const *titles, size_t count, bool key)
{
    size_t i;

    for (i = 0; i < count; i++) {
        rk_text_add(script, "%s$%s using %s with lines lw 2.5 %s lc rgb '%s' ",
                    i > 0 ? ", " : "", names[i], columns, dashes[i], rki_colours[i]);
        if (key) {
            rk_text_add(script, "title ");
            rki_add_quoted(script, titles[i]);
        } else {
            rk_text_add(script, "notitle");
        }
    }
    rk_text_add(script, "\n");
}

/* An upright mark with words beside it. */
static void add_mark(rk_text *script, double x, double from, double to, const char *words)
{
    rk_text_add(script,
                "set arrow from %.6g,%.6g to %.6g,%.6g heads size graph 0.012,20 lw 2 lc "
                "rgb '#d00000' front\nset label ",
                x, from, x, to);
    rki_add_quoted(script, words);
    rk_text_add(script, " at %.6g,%.6g left offset 1,0 tc rgb '#d00000' front\n", x,
                from > 0 && to > 0 ? sqrt(from * to) : 0.5 * (from + to));
}

/* The page, its title, and the first panel: sizes over frequency, names up to `key` of its
 * width. */
static void begin_page(rk_text *script, const rk_figure_style *style, const char *title,
                       double key, double low, double high)
{
    rki_page_begin(script, style, title);
    place(script, 0.085, 0.52, 0.85, 0.50);
    rk_text_add(script,
                "set key at screen %.2f,0.91 right horizontal Left reverse samplen 3\n"
                "set label 1 ",
                key);
    rki_add_quoted(script, title);
    rk_text_add(script,
                " at screen 0.085,0.965 left\nset logscale\nset xrange [%.6g:%.6g]\n"
                "set format x ''\n",
                low, high);
}

/* The second panel: phases over the same frequencies, down to `lowest` deg. */
static void begin_phases(rk_text *script, int lowest, int tics)
{
    place(script, 0.085, 0.52, 0.46, 0.11);
    rk_text_add(script,
                "unset logscale y\nset yrange [%d:0]\nset ytics %d\nset format x '%%g'\n"
                "set xlabel 'frequency, rad/s'\nset ylabel 'phase, deg' offset 0,0\n",
                lowest, tics);
}

/* The plane, -1 in its middle third. */
static void begin_plane(rk_text *script)
{
    place(script, 0.60, 0.97, 0.82, 0.11);
    rk_text_add(
        script,
        "unset logscale\nset size ratio -1\nset xlabel 'real part'\n"
        "set ylabel 'imaginary part' offset 1,0\nset format y '%%g'\nset format x '%%g'\n"
        "set xrange [-2.2:1.2]\nset yrange [-2.4:1.4]\nset xtics 0.5\nset ytics 0.5\n"
        "set object circle at 0,0 size 1 fs empty border lc rgb '#999999' lw 1\n"
        "unset key\n");
}

typedef struct loop_of {
    const rk_model *model;
    const rk_settings *settings;
    const rk_sampling *sampling; /* NULL: continuous */
    int order;                   /* of the process alone: 0 exact; -1: the loop */
} loop_of;

static bool value_of(const void *of, double w, double *re, double *im)
{
    const loop_of *l = of;

    if (l->sampling != NULL) {
        return rk_sampled_response_compute(l->model, l->settings, l->sampling, w, re, im,
                                           NULL) == RK_OK;
    }
    if (l->order >= 0)
        return rk_process_response_compute(l->model, l->order, w, re, im, NULL) == RK_OK;
    return rk_open_loop_response_compute(l->model, l->settings, w, re, im, NULL) == RK_OK;
}

/* Where it matters: about the crossovers, or the process's own times. */
static double middle_of(const rk_model *model, const rk_margins *m)
{
    if (m != NULL && isfinite(m->gain_crossover)) return m->gain_crossover;
    if (m != NULL && isfinite(m->phase_crossover)) return m->phase_crossover;
    return 1.0 / (rk_model_slowest(model) + model->dead_time);
}

static void draw_loop(rk_text *script, const rk_figure_style *style, const rk_design *loop,
                      const rk_check *check, double low, double high, size_t count)
{
    static const char *const names[] = {"continuous", "sampled"};
    const rk_margins *m = check->has_sampled ? &check->sampled : &check->margins;
    const double w180 = m->phase_crossover, wc = m->gain_crossover;
    char title[200], words[80], scan[48];
    const char *const titles[] = {"continuous", scan};

    (void)snprintf(scan, sizeof scan, "as scanned every %.4g s", loop->ts);
    (void)snprintf(title, sizeof title, "%s: the open loop with kc %.4g %s/%s, ti %.4g s%s",
                   loop->name, loop->settings.kc, loop->out_units, loop->pv_units,
                   loop->settings.ti, m->stable ? "" : "; UNSTABLE");
    begin_page(script, style, title, 0.52, low, high);
    rk_text_add(script, "set ylabel 'size'\nset yrange [%g:]\n", SMALL);
    if (m->stable && isfinite(m->gain_margin) && w180 > low && w180 < high) {
        (void)snprintf(words, sizeof words, "gain margin %.3g", m->gain_margin);
        add_mark(script, w180, 1.0 / m->gain_margin, 1.0, words);
    }
    rk_text_add(script, "plot 1 with lines lc rgb '#999999' notitle, ");
    plot(script, "1:2", names, titles, count, true);
    begin_phases(script, -360, 45);
    if (m->stable && isfinite(m->phase_margin) && wc > low && wc < high) {
        (void)snprintf(words, sizeof words, "phase margin %.3g deg", m->phase_margin);
        add_mark(script, wc, -180.0, -180.0 + m->phase_margin, words);
    }
    rk_text_add(script, "plot -180 with lines lc rgb '#999999' notitle, ");
    plot(script, "1:3", names, titles, count, false);
    begin_plane(script);
    if (m->stable) {
        rk_text_add(
            script,
            "set object circle at -1,0 size %.6g fs empty border lc rgb '#d00000' lw 2 dt "
            "2\nset label 'Ms %.3g: the curve touches' at -1,%.6g center tc rgb '#d00000'\n",
            1.0 / m->ms, m->ms, (1.0 / m->ms) + 0.12);
    }
    rk_text_add(script, "plot '-' with points pt 2 ps 2 lw 3 lc rgb '#d00000' notitle, ");
    plot(script, "4:5", names, titles, count, false);
    rk_text_add(script, "-1 0\ne\nunset multiplot\n");
}

rk_status rk_figure_frequency(const rk_design *loop, const rk_check *check,
                              const rk_check_plan *plan, const rk_figure_style *style,
                              rk_text *image, rk_diag *diag)
{
    response continuous = {0}, sampled = {0};
    rk_text *script;
    rk_status status = RK_ERR_MEMORY;

    rk_diag_clear(diag);
    if (loop == NULL || check == NULL || plan == NULL || style == NULL || image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    if (script != NULL && make_room(&continuous) && make_room(&sampled)) {
        rk_sampling room;
        const rk_sampling *sampling = rk_design_sampling(loop, &room);
        const double middle = middle_of(rk_design_process(loop), &check->margins);
        const double low = BELOW * middle, high = ABOVE * middle;
        const double half = check->has_sampled ? PI / loop->ts : high;
        loop_of of = {rk_design_process(loop), &loop->settings, NULL, -1};

        follow(&continuous, value_of, &of, low, high, rk_design_process(loop)->dead_time);
        add_response(script, "continuous", &continuous);
        if (check->has_sampled) {
            of.sampling = sampling;
            follow(&sampled, value_of, &of, low, fmin(high, half),
                   rk_design_process(loop)->dead_time + loop->ts);
            add_response(script, "sampled", &sampled);
        }
        draw_loop(script, style, loop, check, low, high, check->has_sampled ? 2 : 1);
        status = rki_gnuplot_run(script, image, diag);
    }
    rk_memory_free(continuous.w);
    rk_memory_free(sampled.w);
    rk_text_free(script);
    return status == RK_ERR_MEMORY ? rk_diag_set(diag, status, "out of memory for a figure")
                                   : status;
}

static void draw_model(rk_text *script, const rk_figure_style *style, const rk_design *loop,
                       const char *const *titles, double low, double high, size_t count)
{
    static const char *const names[] = {"exact", "rational", "sampled"};
    char title[200];

    (void)snprintf(title, sizeof title,
                   "%s: the model, and where its stand-ins are within 5 %% and 5 deg",
                   loop->name);
    begin_page(script, style, title, 0.97, low, high);
    rk_text_add(script, "set ylabel 'size / gain' offset 1.5,0\n");
    if (count > 2 && PI / loop->ts < high) {
        rk_text_add(script,
                    "set arrow from %.6g,graph 0 to %.6g,graph 1 nohead dt 3 lc rgb "
                    "'#555555'\nset label 'half the sampling frequency' at %.6g,graph "
                    "0.06 right offset -1,0 tc rgb '#555555'\n",
                    PI / loop->ts, PI / loop->ts, fmin(PI / loop->ts, high));
    }
    rk_text_add(script, "plot ");
    plot(script, "1:2", names, titles, count, true);
    begin_phases(script, -720, 90);
    rk_text_add(script, "plot ");
    plot(script, "1:3", names, titles, count, false);
    begin_plane(script);
    rk_text_add(script, "set xrange [-1.1:1.1]\nset yrange [-1.2:1.0]\nplot ");
    plot(script, "4:5", names, titles, count, false);
    rk_text_add(script, "unset multiplot\n");
}

/* Up to here a stand-in is within 5 %% and 5 deg. Both have the same frequencies as far as they
   go. */
static double good_to(const response *exact, const response *other)
{
    size_t i;

    for (i = 0; i < exact->count && i < other->count; i++) {
        if (fabs(other->phase[i] - exact->phase[i]) > 5.0 ||
            fabs((other->size[i] / exact->size[i]) - 1.0) > 0.05) {
            break;
        }
    }
    return i > 0 ? exact->w[i - 1] : 0.0;
}

rk_status rk_figure_model(const rk_design *loop, int order, const rk_figure_style *style,
                          rk_text *image, rk_diag *diag)
{
    response r[3] = {{0}, {0}, {0}};
    char words[2][80];
    const char *const titles[] = {"exact", words[0], words[1]};
    rk_text *script;
    rk_status status = RK_ERR_MEMORY;

    rk_diag_clear(diag);
    if (loop == NULL || style == NULL || image == NULL) return RK_ERR_ARG;
    if (order < 1 || order > RK_RATIONAL_MAX) {
        return rk_diag_set(diag, RK_ERR_RANGE, "order %d: give 1 to %d", order,
                           RK_RATIONAL_MAX);
    }
    script = rk_text_create();
    if (script != NULL && make_room(&r[0]) && make_room(&r[1]) && make_room(&r[2])) {
        const rk_settings one =
            rk_settings_make(1.0 / rk_design_process(loop)->gain, HUGE_VAL, 0.0, 0.0);
        const rk_sampling sampling = {loop->ts, rk_design_delay(loop), loop->settings.integral};
        const double middle = middle_of(rk_design_process(loop), NULL);
        const double half = isnan(loop->ts) ? 0.0 : PI / loop->ts;
        const double low = BELOW * middle;
        const double high = fmin(fmax(ABOVE * middle, PAST_HALF * half), 1e3 * middle);
        rk_model unit = *rk_design_process(loop);
        loop_of of = {&unit, &one, NULL, 0};
        const size_t count = isnan(loop->ts) ? 2 : 3;

        unit.gain = 1.0;
        follow(&r[0], value_of, &of, low, high, unit.dead_time);
        of.order = order;
        follow(&r[1], value_of, &of, low, high, unit.dead_time);
        if (count > 2) {
            of.model = rk_design_process(loop);
            of.sampling = &sampling;
            follow(&r[2], value_of, &of, low, fmin(high, half), unit.dead_time);
        }
        (void)snprintf(words[0], sizeof words[0],
                       "dead time rational, order %d: good to %.3g rad/s", order,
                       good_to(&r[0], &r[1]));
        (void)snprintf(words[1], sizeof words[1], "held every %.4g s: good to %.3g rad/s",
                       loop->ts, good_to(&r[0], &r[2]));
        add_response(script, "exact", &r[0]);
        add_response(script, "rational", &r[1]);
        add_response(script, "sampled", &r[2]);
        draw_model(script, style, loop, titles, low, high, count);
        status = rki_gnuplot_run(script, image, diag);
    }
    rk_memory_free(r[0].w);
    rk_memory_free(r[1].w);
    rk_memory_free(r[2].w);
    rk_text_free(script);
    return status == RK_ERR_MEMORY ? rk_diag_set(diag, status, "out of memory for a figure")
                                   : status;
}
