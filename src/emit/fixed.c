/* SPDX-License-Identifier: MIT */
/* The controller for targets without floating point: 32-bit integers, 64-bit products. */
#include <inttypes.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "block.h"

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
    const double out = fabs(k->out_lo) + fabs(k->out_hi);
    const double part_each_scan = p->c.biased ? k->fade : k->kt_ts;
    const double seen = p->c.filter ? pv : 0.0; /* the filter's own rounding */
    double error = ldexp(0.5, -p->out_bits) + (gain * ((largest * part * 2.0) + pv + seen));

    error += STATED_SCANS * ((rate * ((largest * part) + seen)) + (3.0 * sum));
    /* In each scan a part of what is beyond a limit, or of the way to the bias. */
    if (part_each_scan > 0) {
        error += (((out + (2.0 * gain * largest)) * part) + (2.0 * sum)) / part_each_scan;
    }
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

static int64_t power(int bits)
{
    return INT64_C(1) << bits;
}

static rk_fixed_numbers numbers_of(const plan *p)
{
    const rk_rig_coefficients *k = &p->c.k;

    return (rk_fixed_numbers){
        .pv_unit = ldexp(1.0, p->pv_bits),
        .out_unit = ldexp(1.0, p->out_bits),
        .kc = p->kc.value,
        .ki_ts = p->ki.value,
        .kd = p->kd.value,
        .kc_div = power(p->kc.shift),
        .ki_div = power(p->ki.shift),
        .kd_div = power(p->kd.shift),
        .p_weight = llrint(k->p_weight * PARTS),
        .d_weight = llrint(k->d_weight * PARTS),
        .kt_ts = llrint(k->kt_ts * PARTS),
        .ad = p->c.derivative ? llrint(k->ad * PARTS) : 0,
        .pv_part = p->c.filter ? llrint(k->pv_part * PARTS) : 0,
        .fade = p->c.biased ? llrint(k->fade * PARTS) : 0,
        .bias = p->c.biased ? llrint(ldexp(k->bias, p->sum_bits)) : 0,
        .out_lo = llrint(ldexp(k->out_lo, p->sum_bits)),
        .out_hi = llrint(ldexp(k->out_hi, p->sum_bits)),
        .out_step = p->c.rate ? llrint(fmin(ldexp(k->out_step, p->sum_bits), 1e18)) : 0,
        .out_div = power(p->sum_bits - p->out_bits),
        .derivative = p->c.derivative,
        .conditional = p->c.conditional,
        .filter = p->c.filter,
        .biased = p->c.biased,
        .rate = p->c.rate,
    };
}

static void whole(rki_block *b, const char *name, int64_t value, const char *comment)
{
    char initial[32], padded[16];

    (void)snprintf(padded, sizeof padded, "%-8s", name);
    (void)snprintf(initial, sizeof initial, "LINT#%" PRId64, value);
    rki_block_pin(b, RKI_CONSTANTS, padded, "LINT", initial, comment);
}

static void coefficients(rki_block *b, const char *name, const char *div, const scaled *of,
                         double number)
{
    char comment[96];

    (void)snprintf(comment, sizeof comment, "%.9g, in 2^%d", number, of->bits);
    whole(b, name, of->value, comment);
    whole(b, div, power(of->shift), "from its product to the sums");
}

static void constants(rki_block *b, const plan *p, const rk_fixed_numbers *n)
{
    static const char in_parts[] = "in 2^30", in_sums[] = "in the sums' counts";
    const rk_rig_coefficients *k = &p->c.k;

    rki_block_pin(b, RKI_CONSTANTS, "none", "DINT", "DINT#-2147483648", "no number");
    whole(b, "most", (int64_t)COUNTS_MOST, "of a signal");
    whole(b, "sum_most", power(60), "of a sum");
    if (n->kt_ts != 0 || n->biased || n->derivative || n->filter ||
        n->p_weight != (int64_t)PARTS) {
        whole(b, "parts", (int64_t)PARTS, "2^30: a part of one is counted in it");
    }
    coefficients(b, "kc", "kc_div", &p->kc, k->kc);
    if (n->biased) {
        whole(b, "fade", n->fade, in_parts);
        whole(b, "bias", n->bias, in_sums);
    } else {
        coefficients(b, "ki_ts", "ki_div", &p->ki, k->ki_ts);
    }
    if (n->p_weight != (int64_t)PARTS) {
        whole(b, "p_weight", n->p_weight, in_parts);
    }
    if (n->kt_ts != 0) {
        whole(b, "kt_ts", n->kt_ts, in_parts);
    }
    if (n->derivative) {
        coefficients(b, "kd", "kd_div", &p->kd, k->kd);
        whole(b, "ad", n->ad, in_parts);
        if (n->d_weight != 0 && n->d_weight != (int64_t)PARTS) {
            whole(b, "d_weight", n->d_weight, in_parts);
        }
    }
    if (n->filter) {
        whole(b, "pv_part", n->pv_part, in_parts);
        whole(b, "wider", RK_FIXED_WIDER, "the filter's own value has 16 bits more");
    }
    whole(b, "out_lo", n->out_lo, in_sums);
    whole(b, "out_hi", n->out_hi, in_sums);
    if (n->rate) {
        whole(b, "out_step", n->out_step, in_sums);
    }
    whole(b, "out_div", n->out_div, "from OUT's counts to the sums'");
}

static void signal(rki_block *b, rki_section section, const char *name, const char *what,
                   double unit, const char *units, const char *initial)
{
    char comment[RKI_PIN_COMMENT_CHARS];

    (void)snprintf(comment, sizeof comment, "%s, %.0f counts are 1 %s", what, unit, units);
    rki_block_pin(b, section, name, "DINT", initial, comment);
}

static void variables(rki_block *b, const plan *p, const rk_fixed_numbers *n)
{
    static const char *const always[] = {"sum", "i_part"};
    static const char *const of_a_scan[] = {"sp_in",   "pv_in",  "work",      "lowest",
                                            "highest", "p_part", "increment", "v"};
    const rk_design *loop = p->c.loop;
    char start[32];
    size_t i;

    (void)snprintf(start, sizeof start, "%.0f", rint(ldexp(p->c.out_start, p->out_bits)));
    signal(b, RKI_INPUTS, "sp", "setpoint", n->pv_unit, loop->pv_units, NULL);
    signal(b, RKI_INPUTS, "pv", "process value", n->pv_unit, loop->pv_units, NULL);
    rki_block_pin(b, RKI_INPUTS, "automatic", "BOOL", "FALSE", "else manual");
    signal(b, RKI_INPUTS, "manual_out", "OUT in manual", n->out_unit, loop->out_units, start);
    signal(b, RKI_INPUTS, "out_start", "where OUT stands at the first scan", n->out_unit,
           loop->out_units, start);
    signal(b, RKI_OUTPUTS, "out", "OUT", n->out_unit, loop->out_units, NULL);
    rki_block_pin(b, RKI_OUTPUTS, "held", "BOOL", NULL,
                  "sp or pv is -2147483648, no number: automatic holds OUT");
    rki_block_pin(b, RKI_LOCALS, "started", "BOOL", "FALSE", NULL);
    rki_block_pin(b, RKI_LOCALS, "fresh", "BOOL", "TRUE",
                  "the next automatic scan begins anew");
    for (i = 0; i < sizeof always / sizeof always[0]; i++) {
        rki_block_pin(b, RKI_LOCALS, always[i], "LINT", "0", NULL);
    }
    if (n->derivative) {
        rki_block_pin(b, RKI_LOCALS, "d_part", "LINT", "0", NULL);
        rki_block_pin(b, RKI_LOCALS, "g_last", "LINT", "0", NULL);
        rki_block_pin(b, RKI_TEMPS, "g", "LINT", NULL, NULL);
    }
    if (n->filter) {
        rki_block_pin(b, RKI_LOCALS, "pv_known", "BOOL", "FALSE", NULL);
        rki_block_pin(b, RKI_LOCALS, "seen", "LINT", "0", NULL);
    }
    for (i = 0; i < sizeof of_a_scan / sizeof of_a_scan[0]; i++) {
        rki_block_pin(b, RKI_TEMPS, of_a_scan[i], "LINT", NULL, NULL);
    }
}

/* ---- the body; x is what is being rounded or parted ---- */

static void limit(rk_text *body, const char *lead, const char *what, const char *low,
                  const char *high)
{
    rk_text_add(body,
                "%sIF %s < %s THEN %s := %s; END_IF;\n%sIF %s > %s THEN %s := %s; END_IF;\n",
                lead, what, low, what, low, lead, what, high, what, high);
}

/* x / div to the nearest. */
static void rounded(rk_text *body, const char *lead, const char *div)
{
    rk_text_add(
        body,
        "%sIF work >= 0 THEN work := (work + (%s / 2)) / %s; ELSE work := (work - (%s / 2)) / %s; "
        "END_IF;\n",
        lead, div, div, div, div);
}

/* name times m / 2^30, without a product beyond 64 bits. */
static void part_of(rk_text *body, const char *name, const char *m)
{
    rk_text_add(body, "(((%s / parts) * %s) + (((%s MOD parts) * %s) / parts))", name, m, name,
                m);
}

static void add_start(rk_text *body)
{
    rk_text_add(body, "IF NOT started THEN (* the first scan *)\n"
                      "    sum := out_lo;\n"
                      "    IF out_start <> none THEN sum := DINT_TO_LINT(out_start) * out_div; "
                      "END_IF;\n");
    limit(body, "    ", "sum", "out_lo", "out_hi");
    rk_text_add(body, "    started := TRUE;\n"
                      "END_IF;\n"
                      "held := (sp = none) OR (pv = none);\n"
                      "sp_in := DINT_TO_LINT(sp);\n");
    limit(body, "", "sp_in", "-most", "most");
    rk_text_add(body, "pv_in := DINT_TO_LINT(pv);\n");
    limit(body, "", "pv_in", "-most", "most");
}

static void add_filter(rk_text *body)
{
    rk_text_add(body, "IF pv <> none THEN\n"
                      "    work := pv_in * wider;\n"
                      "    IF pv_known THEN\n"
                      "        work := work - seen;\n"
                      "        work := seen + ");
    part_of(body, "work", "pv_part");
    rk_text_add(body, ";\n    END_IF;\n"
                      "    seen := work;\n"
                      "    pv_known := TRUE;\n");
    rounded(body, "    ", "wider");
    rk_text_add(body, "    pv_in := work;\nEND_IF;\n");
}

static void add_limits(rk_text *body, bool rate)
{
    rk_text_add(body, "lowest := out_lo;\nhighest := out_hi;\n");
    if (rate) {
        rk_text_add(body,
                    "IF (sum - out_step) > lowest THEN lowest := sum - out_step; END_IF;\n"
                    "IF (sum + out_step) < highest THEN highest := sum + out_step; "
                    "END_IF;\n");
    }
}

static void add_manual(rk_text *body)
{
    rk_text_add(body, "IF held OR NOT automatic THEN (* hold OUT, or take manual_out *)\n"
                      "    IF NOT automatic THEN\n"
                      "        IF manual_out <> none THEN sum := DINT_TO_LINT(manual_out) * "
                      "out_div; END_IF;\n");
    limit(body, "        ", "sum", "lowest", "highest");
    rk_text_add(body, "    END_IF;\n"
                      "    fresh := TRUE;\n"
                      "ELSE\n");
}

/* The setpoint's part; a whole one needs no product. */
static void weighted(rk_text *body, int64_t weight, const char *name)
{
    if (weight == (int64_t)PARTS) {
        rk_text_add(body, "sp_in");
    } else {
        part_of(body, "sp_in", name);
    }
}

static void add_derivative(rk_text *body, const rk_fixed_numbers *n)
{
    rk_text_add(body, "    g := ");
    if (n->d_weight != 0) {
        weighted(body, n->d_weight, "d_weight");
    }
    rk_text_add(body, " - pv_in;\n"
                      "    IF fresh THEN\n"
                      "        d_part := 0;\n"
                      "    ELSE\n"
                      "        work := kd * (g - g_last);\n");
    rounded(body, "        ", "kd_div");
    rk_text_add(body, "        d_part := ");
    part_of(body, "d_part", "ad");
    rk_text_add(body, " + work;\n    END_IF;\n    g_last := g;\n");
    limit(body, "    ", "d_part", "-sum_most", "sum_most");
}

static void add_law(rk_text *body, const rk_fixed_numbers *n)
{
    const char *sum = n->derivative ? "(p_part + (i_part + increment)) + d_part"
                                    : "p_part + (i_part + increment)";

    rk_text_add(body, "    work := kc * (");
    weighted(body, n->p_weight, "p_weight");
    rk_text_add(body, " - pv_in);\n");
    rounded(body, "    ", "kc_div");
    rk_text_add(body, "    p_part := work;\n");
    if (n->derivative) add_derivative(body, n);
    rk_text_add(body, "    IF fresh THEN i_part := sum - p_part; END_IF;\n");
    if (n->biased) {
        rk_text_add(body, "    work := bias - i_part;\n    increment := ");
        part_of(body, "work", "fade");
        rk_text_add(body, ";\n");
    } else {
        rk_text_add(body, "    work := ki_ts * (sp_in - pv_in);\n");
        rounded(body, "    ", "ki_div");
        rk_text_add(body, "    increment := work;\n");
    }
    rk_text_add(body, "    v := %s;\n", sum);
    if (n->conditional) {
        rk_text_add(
            body,
            "    IF ((v > highest) AND (increment > 0)) OR ((v < lowest) AND (increment < 0)) THEN\n"
            "        increment := 0;\n        v := p_part + i_part%s;\n    END_IF;\n",
            n->derivative ? " + d_part" : "");
    }
    rk_text_add(body, "    sum := v;\n");
    limit(body, "    ", "sum", "lowest", "highest");
    rk_text_add(body, "    i_part := i_part + increment;\n");
    if (n->kt_ts != 0) {
        rk_text_add(body, "    work := sum - v;\n    i_part := i_part + ");
        part_of(body, "work", "kt_ts");
        rk_text_add(body, ";\n");
    }
    limit(body, "    ", "i_part", "-sum_most", "sum_most");
    rk_text_add(body, "    fresh := FALSE;\nEND_IF;\n");
}

static rki_block block_of(const plan *p)
{
    const rk_fixed_numbers n = numbers_of(p);
    char name[RK_BLOCK_NAME_CHARS];
    rki_block b;

    rki_name(p->c.loop, "_FIXED", name);
    b = rki_block_make(name, false, RK_NUMBER_LREAL);
    variables(&b, p, &n);
    constants(&b, p, &n);
    add_start(b.body);
    if (n.filter) add_filter(b.body);
    add_limits(b.body, n.rate);
    add_manual(b.body);
    add_law(b.body, &n);
    rk_text_add(b.body, "work := sum; (* in counts of OUT, to the nearest *)\n");
    rounded(b.body, "", "out_div");
    rk_text_add(b.body, "out := LINT_TO_DINT(work);\n");
    return b;
}

static rk_status add_head(rk_text *text, const plan *p, const char *lead, rk_diag *diag)
{
    const rk_design *loop = p->c.loop;
    char line[256];
    const rk_status status = rki_add_provenance(text, &p->c, lead, diag);

    if (status != RK_OK) return status;
    (void)snprintf(line, sizeof line,
                   "Numbers       integers: 2^%d counts are 1 %s, 2^%d are 1 %s", p->pv_bits,
                   loop->pv_units, p->out_bits, loop->out_units);
    rki_add_line(text, lead, line);
    (void)snprintf(line, sizeof line,
                   "Error         OUT within %.3g %s of the floating block's over 10,000 scans",
                   p->error, loop->out_units);
    rki_add_line(text, lead, line);
    if (p->c.conditional) {
        rki_add_line(text, lead,
                     "              .. and one increment more, if one of both just stops at a "
                     "limit where the other does not");
    }
    rki_add_line(text, lead, "Overflow      none, whatever the inputs are");
    return RK_OK;
}

void rk_emit_fixed_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    rki_name(loop, "_fixed", name);
}

rk_status rk_emit_fixed_st(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    plan p;
    rki_block b;
    rk_status status = make_plan(loop, &p, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "(*\n");
    status = add_head(text, &p, " ", diag);
    if (status != RK_OK) return status;
    rk_text_add(text, "*)\n");
    b = block_of(&p);
    rki_block_add_st(text, &b);
    rki_block_free(&b);
    return rk_text_check(text, diag);
}

static rk_status add_c(const rk_design *loop, rk_text *text, bool header, rk_diag *diag)
{
    char pv_unit[RK_REAL_CHARS], out_unit[RK_REAL_CHARS];
    plan p;
    rki_block b;
    rk_status status = make_plan(loop, &p, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "/*\n");
    status = add_head(text, &p, " * ", diag);
    if (status != RK_OK) return status;
    rk_text_add(text, " */\n");
    b = block_of(&p);
    if (header) {
        rk_real_format(ldexp(1.0, p.pv_bits), pv_unit);
        rk_real_format(ldexp(1.0, p.out_bits), out_unit);
        rk_text_add(text,
                    "/* Counts of one unit, for sp and pv, and for the outputs; and no number. "
                    "*/\n"
                    "#define %s_PV_UNIT %s\n#define %s_OUT_UNIT %s\n"
                    "#define %s_NONE INT32_MIN\n\n",
                    b.name, pv_unit, b.name, out_unit, b.name);
        rki_block_add_c_header(text, &b);
    } else {
        rki_block_add_c_source(text, &b);
    }
    rki_block_free(&b);
    return rk_text_check(text, diag);
}

rk_status rk_emit_fixed_header(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    return add_c(loop, text, true, diag);
}

rk_status rk_emit_fixed_source(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    return add_c(loop, text, false, diag);
}

rk_status rk_emit_fixed_numbers(const rk_design *loop, rk_fixed_numbers *numbers, rk_diag *diag)
{
    plan p;
    const rk_status status = make_plan(loop, &p, diag);

    if (status == RK_OK) {
        *numbers = numbers_of(&p);
    }
    return status;
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
