/* SPDX-License-Identifier: MIT */
/* The controller for targets without floating point: 32-bit integers, 64-bit products. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "controller.h"

/* Signals keep within 2^30 counts, so that an error keeps within 2^31, and times a coefficient
   below 2^31 within 2^62. */
#define COUNTS_MOST 1073741824.0
/* A part of one, such as a weight, in this many. */
#define PARTS 1073741824.0
/* Bits of the sums beyond OUT's own: as many as there is room for, and no fewer than these. */
enum { SUM_BITS_MOST = 24, SUM_BITS_LEAST = 8 };
/* A sum is divided by 2^this at least, so that each part keeps within 2^60. */
enum { SHIFT_LEAST = 2, SHIFT_MOST = 62 };
/* The error is stated for so many scans. */
#define STATED_SCANS 10000.0

/* A coefficient as an integer below 2^31 in size, 2^bits times the number. */
typedef struct scaled {
    long long value;
    int bits, shift; /* shift: from its product with a signal to the sums */
} scaled;

typedef struct plan {
    rki_controller c;
    int pv_bits, out_bits, sum_bits; /* 2^bits counts are one unit */
    scaled kc, ki, kd;
    double error; /* largest difference from the floating block, out-EU */
} plan;

/* The most bits with which a size keeps within 2^30. */
static int bits_for(double size)
{
    int exponent;

    (void)frexp(COUNTS_MOST / size, &exponent);
    return exponent - 1;
}

static scaled coefficient(double value)
{
    scaled made = {0, 0, SHIFT_LEAST};
    int exponent;

    if (value == 0) return made;
    (void)frexp(value, &exponent);
    made.bits = 31 - exponent;
    if (fabs(rint(ldexp(value, made.bits))) >= 2147483648.0) {
        made.bits--;
    }
    made.value = llrint(ldexp(value, made.bits));
    return made;
}

static int fewer(int a, int b)
{
    return a < b ? a : b;
}

/* The sums get as many bits as every product's shift allows. */
static bool choose_sums(plan *p)
{
    scaled *const all[] = {&p->kc, &p->ki, &p->kd};
    size_t i;

    p->sum_bits = p->out_bits + SUM_BITS_MOST;
    for (i = 0; i < 3; i++) {
        if (all[i]->value == 0) continue;
        p->sum_bits = fewer(p->sum_bits, all[i]->bits + p->pv_bits - SHIFT_LEAST);
    }
    for (i = 0; i < 3; i++) {
        if (all[i]->value == 0) continue;
        all[i]->shift = all[i]->bits + p->pv_bits - p->sum_bits;
        if (all[i]->shift > SHIFT_MOST) return false;
    }
    return p->sum_bits >= p->out_bits + SUM_BITS_LEAST;
}

/* What roundings add up to at worst: of the coefficients, 2^-31 of each product; of each sum, a
   count; and of what is written, half a count. */
static double stated_error(const plan *p, double reach)
{
    const rk_rig_coefficients *k = &p->c.k;
    const double largest = 2.0 * reach, part = ldexp(1.0, -31);
    const double sum = ldexp(1.0, -p->sum_bits), pv = ldexp(1.0, -p->pv_bits);
    const double gain = fabs(k->kc), rate = fabs(k->ki_ts);
    const double seen = p->c.filter ? pv : 0.0; /* the filter's own rounding */
    double error = ldexp(0.5, -p->out_bits) + (gain * ((largest * part * 2.0) + pv + seen));

    error += STATED_SCANS * ((rate * ((largest * part) + seen)) + (3.0 * sum));
    if (p->c.derivative) {
        error += ((fabs(k->kd) * ((largest * part * 2.0) + (2.0 * seen))) + (2.0 * sum)) /
                 (1.0 - k->ad);
    }
    return error;
}

static rk_status make_plan(const rk_design *loop, plan *p, rk_diag *diag)
{
    const rk_settings *s;
    double reach;
    rk_status status;

    rk_diag_clear(diag);
    memset(p, 0, sizeof *p);
    status = rki_controller_make(loop, RK_NUMBER_LREAL, &p->c, diag);
    if (status != RK_OK) return status;
    s = &loop->settings;
    if (isnan(loop->pv_low) || isnan(loop->pv_high)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "fixed point needs PV's range to scale it: give [pv] low and high");
    }
    if (p->c.ramp || p->c.deadband || p->c.predictor || p->c.on_off) {
        return rk_diag_set(diag, RK_ERR_UNSUPPORTED,
                           "fixed point has no %s: take lreal or real",
                           p->c.ramp        ? "setpoint rate"
                           : p->c.deadband  ? "deadband"
                           : p->c.predictor ? "predictor"
                                            : "two-position control");
    }
    if (p->c.last || p->c.velocity || s->derivative != RK_SCHEME_BACKWARD) {
        return rk_diag_set(diag, RK_ERR_UNSUPPORTED,
                           "fixed point has the position algorithm with backward sums only");
    }
    reach = fmax(fabs(loop->pv_low), fabs(loop->pv_high)) + (loop->pv_high - loop->pv_low);
    p->pv_bits = bits_for(reach);
    p->out_bits = bits_for(fmax(fabs(loop->out_low), fabs(loop->out_high)));
    p->kc = coefficient(p->c.k.kc);
    p->ki = coefficient(p->c.k.ki_ts);
    p->kd = p->c.derivative ? coefficient(p->c.k.kd) : (scaled){0, 0, SHIFT_LEAST};
    if (!choose_sums(p)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "these gains and ranges leave 32 bits too few digits: take lreal or real");
    }
    p->error = stated_error(p, reach);
    return RK_OK;
}

static void fixed_name(const plan *p, char *name, char *upper_name)
{
    (void)sprintf(name, "%s_fixed", p->c.name);
    rki_upper(name, upper_name);
}

enum { FIXED_NAME_CHARS = RK_BLOCK_NAME_CHARS + 8 };

static rk_status add_head(rk_text *text, const plan *p, rk_diag *diag)
{
    const rk_design *loop = p->c.loop;
    char line[256];
    rk_status status;

    rk_text_add(text, "/*\n");
    status = rki_add_provenance(text, &p->c, " * ", diag);
    if (status != RK_OK) return status;
    (void)snprintf(line, sizeof line,
                   "Numbers       integers: 2^%d counts are 1 %s, 2^%d are 1 %s", p->pv_bits,
                   loop->pv_units, p->out_bits, loop->out_units);
    rki_add_line(text, " * ", line);
    (void)snprintf(line, sizeof line,
                   "Error         OUT within %.3g %s of the floating block's over 10,000 scans",
                   p->error, loop->out_units);
    rki_add_line(text, " * ", line);
    if (p->c.conditional) {
        rki_add_line(text, " * ",
                     "              .. and one increment more, if one of both just stops at a "
                     "limit where the other does not");
    }
    rki_add_line(text, " * ", "Overflow      none, whatever the inputs are");
    rk_text_add(text, " */\n");
    return RK_OK;
}

/* The plan, the head of its text, and its names. */
static rk_status begin(const rk_design *loop, rk_text *text, plan *p, char *name,
                       char *upper_name, rk_diag *diag)
{
    const rk_status status = make_plan(loop, p, diag);

    if (status != RK_OK) return status;
    fixed_name(p, name, upper_name);
    return add_head(text, p, diag);
}

rk_status rk_emit_fixed_header(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    char name[FIXED_NAME_CHARS], upper_name[FIXED_NAME_CHARS];
    char pv_unit[RK_REAL_CHARS], out_unit[RK_REAL_CHARS];
    plan p;
    const rk_status status = begin(loop, text, &p, name, upper_name, diag);

    if (status != RK_OK) return status;
    rk_real_format(ldexp(1.0, p.pv_bits), pv_unit);
    rk_real_format(ldexp(1.0, p.out_bits), out_unit);
    rk_text_add(text,
                "#ifndef %s_H\n#define %s_H\n\n#include <stdint.h>\n\n"
                "/* Counts of one unit, for sp and pv, and for the outputs. */\n"
                "#define %s_PV_UNIT %s\n"
                "#define %s_OUT_UNIT %s\n\n"
                "/* NaN: it holds the output. */\n"
                "#define %s_NONE INT32_MIN\n\n",
                upper_name, upper_name, upper_name, pv_unit, upper_name, out_unit, upper_name);
    rk_text_add(
        text,
        "typedef struct %s {\n"
        "    int automatic;      /* set it: 1 automatic, 0 manual */\n"
        "    int32_t manual_out; /* set it: the output in manual */\n"
        "    int held;           /* 1: sp or pv is NaN or infinite; automatic holds the output */\n"
        "    int64_t out, i;     /* state from here on */\n"
        "%s%s    int fresh;\n"
        "} %s;\n\n",
        name, p.c.derivative ? "    int64_t d, g_last;\n" : "",
        p.c.filter ? "    int64_t seen;\n    int seen_known;\n" : "", name);
    rk_text_add(text,
                "/* Start in manual from the output that stands on the valve now; no bump. */\n"
                "void %s_init(%s *c, int32_t out_now);\n\n"
                "/* One scan; returns the output. */\n"
                "int32_t %s_scan(%s *c, int32_t sp, int32_t pv);\n\n#endif\n",
                name, name, name, name);
    return rk_text_check(text, diag);
}

static void add_wide(rk_text *text, const char *name, double value, const char *comment)
{
    rk_text_add(text, "static const int64_t %-8s = INT64_C(%lld); /* %s */\n", name,
                llrint(value), comment);
}

static void add_constants(rk_text *text, const plan *p)
{
    const rk_rig_coefficients *k = &p->c.k;
    char comment[96];
    const struct {
        const char *name;
        const scaled *of;
        double number;
    } products[] = {{"KC", &p->kc, k->kc}, {"KI_TS", &p->ki, k->ki_ts}, {"KD", &p->kd, k->kd}};
    size_t i;

    for (i = 0; i < (p->c.derivative ? 3U : 2U); i++) {
        if (products[i].of == &p->ki && p->c.biased) continue;
        (void)snprintf(comment, sizeof comment, "%.9g, in 2^%d", products[i].number,
                       products[i].of->bits);
        add_wide(text, products[i].name, (double)products[i].of->value, comment);
    }
    add_wide(text, "P_WEIGHT", k->p_weight * PARTS, "in 2^30");
    add_wide(text, "KT_TS", k->kt_ts * PARTS, "in 2^30");
    if (p->c.derivative) {
        add_wide(text, "AD", k->ad * PARTS, "in 2^30");
    }
    if (p->c.derivative) {
        add_wide(text, "D_WEIGHT", k->d_weight * PARTS, "in 2^30");
    }
    if (p->c.biased) {
        add_wide(text, "FADE", k->fade * PARTS, "in 2^30");
        add_wide(text, "BIAS", ldexp(k->bias, p->sum_bits), "in the sums' counts");
    }
    if (p->c.filter) {
        add_wide(text, "PV_PART", k->pv_part * PARTS, "in 2^30");
    }
    add_wide(text, "OUT_LO", ldexp(k->out_lo, p->sum_bits), "in the sums' counts");
    add_wide(text, "OUT_HI", ldexp(k->out_hi, p->sum_bits), "in the sums' counts");
    if (p->c.rate) {
        add_wide(text, "OUT_STEP", fmin(ldexp(k->out_step, p->sum_bits), 1e18),
                 "in the sums' counts");
    }
    rk_text_add(text,
                "static const int64_t MOST     = INT64_C(1) << 30; /* of a signal */\n"
                "static const int64_t SUM_MOST = INT64_C(1) << 60; /* of the integral */\n"
                "enum { KC_SHIFT = %d, KI_SHIFT = %d%s",
                p->kc.shift, p->ki.shift, p->c.derivative ? ", " : "");
    if (p->c.derivative) {
        rk_text_add(text, "KD_SHIFT = %d", p->kd.shift);
    }
    rk_text_add(text, ", OUT_SHIFT = %d };\n\n", p->sum_bits - p->out_bits);
}

static const char helpers[] =
    "static int64_t clamp(int64_t x, int64_t lo, int64_t hi)\n"
    "{\n    if (x < lo) return lo;\n    if (x > hi) return hi;\n    return x;\n}\n\n"
    "/* x / 2^n to the nearest, for |x| up to 2^62. */\n"
    "static int64_t rounded(int64_t x, int n)\n"
    "{\n    const int64_t half = INT64_C(1) << (n - 1);\n\n"
    "    return x >= 0 ? (x + half) >> n : -((half - x) >> n);\n}\n\n"
    "/* x * m / 2^30 for 0 <= m <= 2^30, without a product beyond 64 bits. */\n"
    "static int64_t part(int64_t x, int64_t m)\n"
    "{\n    return ((x / 1073741824) * m) + (((x %% 1073741824) * m) / 1073741824);\n}\n\n";

static void add_functions(rk_text *text, const plan *p, const char *name)
{
    rk_text_add(text, helpers);
    rk_text_add(text,
                "static int64_t limited(const %s *c, int64_t wanted)\n{\n"
                "    %s\n}\n\n",
                name,
                p->c.rate ? "const int64_t out = clamp(wanted, c->out - OUT_STEP, c->out + "
                            "OUT_STEP);\n\n"
                            "    return clamp(out, OUT_LO, OUT_HI);"
                          : "(void)c;\n    return clamp(wanted, OUT_LO, OUT_HI);");
    rk_text_add(
        text,
        "static int64_t manual_out(const %s *c)\n{\n"
        "    if (c->manual_out == INT32_MIN) return limited(c, c->out);\n"
        "    return limited(c, (int64_t)c->manual_out * (INT64_C(1) << OUT_SHIFT));\n}\n\n",
        name);
    rk_text_add(text,
                "void %s_init(%s *c, int32_t out_now)\n{\n"
                "    const int64_t out = (int64_t)out_now * (INT64_C(1) << OUT_SHIFT);\n\n"
                "    c->automatic = 0;\n    c->held = 0;\n"
                "    c->out = clamp(out_now == INT32_MIN ? OUT_LO : out, OUT_LO, OUT_HI);\n"
                "    c->manual_out = (int32_t)rounded(c->out, OUT_SHIFT);\n"
                "    c->i = c->out;\n%s%s    c->fresh = 1;\n}\n\n",
                name, name, p->c.derivative ? "    c->d = c->g_last = 0;\n" : "",
                p->c.filter ? "    c->seen = 0;\n    c->seen_known = 0;\n" : "");
    if (p->c.filter) {
        rk_text_add(
            text,
            "/* The filter's own value has 16 bits more. */\n"
            "static int64_t filtered(%s *c, int64_t pv)\n{\n"
            "    const int64_t wide = pv * 65536;\n\n"
            "    c->seen = c->seen_known ? c->seen + part(wide - c->seen, PV_PART) : wide;\n"
            "    c->seen_known = 1;\n"
            "    return rounded(c->seen, 16);\n}\n\n",
            name);
    }
}

static void add_scan(rk_text *text, const plan *p, const char *name)
{
    const bool d = p->c.derivative;
    const char *sum = d ? "(p + (i + inc)) + d" : "p + (i + inc)";

    rk_text_add(text,
                "int32_t %s_scan(%s *c, int32_t sp, int32_t pv)\n{\n"
                "    const int64_t s = clamp(sp, -MOST, MOST), seen = clamp(pv, -MOST, MOST);\n"
                "    int64_t y = seen, p, i, inc, v%s;\n\n"
                "    c->held = sp == INT32_MIN || pv == INT32_MIN;\n",
                name, name, d ? ", g, d" : "");
    if (p->c.filter) {
        rk_text_add(text, "    if (pv != INT32_MIN) y = filtered(c, seen);\n");
    }
    rk_text_add(text, "    if (c->held || !c->automatic) {\n"
                      "        if (!c->automatic) c->out = manual_out(c);\n"
                      "        c->fresh = 1;\n"
                      "        return (int32_t)rounded(c->out, OUT_SHIFT);\n    }\n"
                      "    p = rounded(KC * (part(s, P_WEIGHT) - y), KC_SHIFT);\n");
    if (d) {
        rk_text_add(text,
                    "    g = part(s, D_WEIGHT) - y;\n"
                    "    d = c->fresh ? 0 : part(c->d, AD) + rounded(KD * (g - c->g_last), "
                    "KD_SHIFT);\n"
                    "    d = clamp(d, -SUM_MOST, SUM_MOST);\n");
    }
    rk_text_add(text,
                "    i = c->fresh ? c->out - p : c->i;\n"
                "    inc = %s;\n"
                "    v = %s;\n",
                p->c.biased ? "part(BIAS - i, FADE)" : "rounded(KI_TS * (s - y), KI_SHIFT)",
                sum);
    if (p->c.conditional) {
        rk_text_add(text,
                    "    if ((v > limited(c, SUM_MOST) && inc > 0) ||\n"
                    "        (v < limited(c, -SUM_MOST) && inc < 0)) {\n"
                    "        inc = 0;\n        v = %s;\n    }\n",
                    sum);
    }
    rk_text_add(
        text,
        "    c->out = limited(c, v);\n"
        "    c->i = clamp((i + inc) + part(c->out - v, KT_TS), -SUM_MOST, SUM_MOST);\n%s"
        "    c->fresh = 0;\n"
        "    return (int32_t)rounded(c->out, OUT_SHIFT);\n}\n",
        d ? "    c->d = d;\n    c->g_last = g;\n" : "");
}

rk_status rk_emit_fixed_source(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    char name[FIXED_NAME_CHARS], upper_name[FIXED_NAME_CHARS];
    plan p;
    const rk_status status = begin(loop, text, &p, name, upper_name, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "#include \"%s.h\"\n\n", name);
    add_constants(text, &p);
    add_functions(text, &p, name);
    add_scan(text, &p, name);
    return rk_text_check(text, diag);
}

rk_status rk_emit_fixed_error(const rk_design *loop, double *error, rk_diag *diag)
{
    plan p;
    const rk_status status = make_plan(loop, &p, diag);

    if (status == RK_OK) {
        *error = p.error;
    }
    return status;
}
