/* SPDX-License-Identifier: MIT */
/*
 * The slim controller in integers. Beside its text runs the same law written once more, in integers of
 * C: both must agree in every count. Where the inputs are within their ranges it is held to the
 * floating blocks as well, within the error that its head states.
 */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/softplc/softplc.h>

#include "compile.h"
#include "dice.h"
#include "parts.h"

#define NONE INT32_MIN
#define PARTS INT64_C(1073741824)
#define SUM_MOST (INT64_C(1) << 60)

/* ---- the law ---- */

typedef struct law {
    rk_fixed_numbers n;
    int64_t sum, i_part, d_part, g_last, seen;
    bool fresh, pv_known;
} law;

/* What a scan is given, in counts; all numbers, so that a program reads them as they are. */
enum { START, OUT_START, SP, PV, AUTOMATIC, MANUAL_OUT, INPUTS };
/* The sums in two parts, each of which a double holds. */
enum { OUT, HELD, SUM_HIGH, SUM_LOW, I_HIGH, I_LOW, OUTPUTS };

static int64_t within(int64_t x, int64_t low, int64_t high)
{
    return x < low ? low : x > high ? high : x;
}

static int64_t rounded(int64_t x, int64_t div)
{
    return x >= 0 ? (x + (div / 2)) / div : -((-x + (div / 2)) / div);
}

static int64_t part_of(int64_t x, int64_t m)
{
    return ((x / PARTS) * m) + (((x % PARTS) * m) / PARTS);
}

static int64_t limited(const law *l, int64_t wanted)
{
    const rk_fixed_numbers *n = &l->n;

    if (n->rate) {
        wanted = within(wanted, l->sum - n->out_step, l->sum + n->out_step);
    }
    return within(wanted, n->out_lo, n->out_hi);
}

static int64_t filtered(law *l, int64_t pv)
{
    const int64_t wide = pv * RK_FIXED_WIDER;

    l->seen = l->pv_known ? l->seen + part_of(wide - l->seen, l->n.pv_part) : wide;
    l->pv_known = true;
    return rounded(l->seen, RK_FIXED_WIDER);
}

static void scan_automatic(law *l, int64_t sp, int64_t pv)
{
    const rk_fixed_numbers *n = &l->n;
    const int64_t p = rounded(n->kc * (part_of(sp, n->p_weight) - pv), n->kc_div);
    const int64_t g = part_of(sp, n->d_weight) - pv;
    int64_t inc, v;

    if (n->derivative && l->fresh) {
        l->d_part = 0;
    } else if (n->derivative) {
        l->d_part =
            within(part_of(l->d_part, n->ad) + rounded(n->kd * (g - l->g_last), n->kd_div),
                   -SUM_MOST, SUM_MOST);
    }
    l->g_last = g;
    if (l->fresh) l->i_part = l->sum - p;
    inc = n->biased ? part_of(n->bias - l->i_part, n->fade)
                    : rounded(n->ki_ts * (sp - pv), n->ki_div);
    v = p + l->i_part + inc + l->d_part;
    if (n->conditional &&
        ((v > limited(l, SUM_MOST) && inc > 0) || (v < limited(l, -SUM_MOST) && inc < 0))) {
        v -= inc;
        inc = 0;
    }
    l->sum = limited(l, v);
    l->i_part = within(l->i_part + inc + part_of(l->sum - v, n->kt_ts), -SUM_MOST, SUM_MOST);
    l->fresh = false;
}

static void put_sums(int64_t sum, int64_t i_part, double made[OUTPUTS])
{
    const int64_t sum_high = sum / PARTS, i_high = i_part / PARTS;

    made[SUM_HIGH] = (double)sum_high;
    made[SUM_LOW] = (double)(sum % PARTS);
    made[I_HIGH] = (double)i_high;
    made[I_LOW] = (double)(i_part % PARTS);
}

static void scan_law(law *l, const double in[INPUTS], double made[OUTPUTS])
{
    const int64_t most = PARTS, sp = within((int64_t)in[SP], -most, most);
    int64_t pv = within((int64_t)in[PV], -most, most);
    const bool held = (int64_t)in[SP] == NONE || (int64_t)in[PV] == NONE;

    if (in[START] != 0) {
        const int64_t start = (int64_t)in[OUT_START];

        *l = (law){.n = l->n, .fresh = true};
        l->sum = start == NONE ? l->n.out_lo
                               : within(start * l->n.out_div, l->n.out_lo, l->n.out_hi);
    }
    if (l->n.filter && (int64_t)in[PV] != NONE) pv = filtered(l, pv);
    if (in[AUTOMATIC] == 0) {
        const int64_t manual = (int64_t)in[MANUAL_OUT];

        l->sum = limited(l, manual == NONE ? l->sum : manual * l->n.out_div);
    }
    if (held || in[AUTOMATIC] == 0) {
        l->fresh = true;
    } else {
        scan_automatic(l, sp, pv);
    }
    made[OUT] = (double)rounded(l->sum, l->n.out_div);
    made[HELD] = held;
    put_sums(l->sum, l->i_part, made);
}

/* ---- the inputs ---- */

/* Stretches from a start on: of a plant at work, or of any counts at all. */
typedef struct stretch {
    const rk_design *loop;
    rki_dice dice;
    rk_rig *blocks; /* the floating controller and the plant */
    rk_rig_settings settings;
    double centre, reach; /* of PV */
    double sp, pv, manual_out;
    bool automatic, sane;
    size_t left;
} stretch;

enum { SANE_SCANS = 800, WILD_SCANS = 150 };

static double draw(stretch *s)
{
    return rki_draw(&s->dice);
}

static double counts(double value, double unit)
{
    return rint(fmin(fmax(value * unit, INT32_MIN + 1), INT32_MAX));
}

static double wild(stretch *s)
{
    static const double corners[] = {INT32_MIN, INT32_MIN + 1.0, -1073741824.0, -1, 0,
                                     1,         1073741824.0,    INT32_MAX};

    if (draw(s) < 0.5) return corners[(int)(draw(s) * 8.0)];
    return rint((draw(s) - 0.5) * 4294967294.0);
}

/* Within its ranges, as at a plant; PV follows what OUT does, and the setpoint. */
static void next_sane(stretch *s, const rk_fixed_numbers *n, bool start, double in[INPUTS])
{
    const rk_design *loop = s->loop;
    const double span = loop->out_high - loop->out_low;

    if (draw(s) < 0.01) s->sp = s->centre + (s->reach * (draw(s) - 0.5));
    if (draw(s) < 0.01) s->automatic = !s->automatic;
    if (draw(s) < 0.02) s->manual_out = loop->out_low + (span * ((1.6 * draw(s)) - 0.3));
    s->pv += (0.05 * (s->sp - s->pv)) + (0.01 * s->reach * (draw(s) - 0.5));
    in[START] = start;
    in[OUT_START] = counts(loop->out_low + (span * draw(s)), n->out_unit);
    if (draw(s) < 0.2) in[OUT_START] = NONE;
    in[SP] = counts(s->sp, n->pv_unit);
    in[PV] = counts(fmin(fmax(s->pv, loop->pv_low), loop->pv_high), n->pv_unit);
    in[AUTOMATIC] = s->automatic;
    in[MANUAL_OUT] = counts(s->manual_out, n->out_unit);
    if (draw(s) < 0.005) in[PV] = NONE;
    if (draw(s) < 0.002) in[SP] = NONE;
    if (draw(s) < 0.002) in[MANUAL_OUT] = NONE;
}

static void next_wild(stretch *s, bool start, double in[INPUTS])
{
    in[START] = start;
    in[OUT_START] = wild(s);
    if (start || draw(s) < 0.1) { /* a corner is kept for a while, where a sum would run away */
        s->sp = wild(s);
        s->pv = wild(s);
    }
    in[SP] = s->sp;
    in[PV] = s->pv;
    in[AUTOMATIC] = draw(s) < 0.9;
    in[MANUAL_OUT] = wild(s);
}

static bool next(stretch *s, const rk_fixed_numbers *n, double in[INPUTS])
{
    const bool start = s->left == 0;

    if (start) {
        s->sane = draw(s) < 0.7;
        s->left = 20 + (size_t)(draw(s) * (s->sane ? SANE_SCANS : WILD_SCANS));
        s->sp = s->pv = s->centre;
        s->manual_out = s->loop->out_low;
        s->automatic = true;
    }
    s->left--;
    if (s->sane) {
        next_sane(s, n, start, in);
    } else {
        next_wild(s, start, in);
    }
    return s->sane;
}

/* What the floating controller answers, out-EU. */
static double scan_floating(stretch *s, const rk_fixed_numbers *n, const double in[INPUTS])
{
    const rk_rig_input given = {
        .sp = in[SP] == NONE ? nan("") : in[SP] / n->pv_unit,
        .pv = in[PV] == NONE ? nan("") : in[PV] / n->pv_unit,
        .pv_good = true,
        .automatic = in[AUTOMATIC] != 0,
        .manual_out = in[MANUAL_OUT] == NONE ? nan("") : in[MANUAL_OUT] / n->out_unit,
        .valve_known = in[START] != 0,
        .valve_out = in[OUT_START] == NONE ? s->loop->out_low : in[OUT_START] / n->out_unit,
        .restart = in[START] != 0};
    rk_rig_output out;

    rk_rig_scan(s->blocks, &s->settings, &given, &out);
    return out.out;
}

/* ---- the proof ---- */

typedef struct run {
    law law;
    stretch stretch;
    double *in, *wanted, *got;
    double *floating; /* NaN: it is not held to that */
    size_t scans, done;
} run;

static void fill(run *r)
{
    size_t i;

    for (i = 0; i < r->scans; i++) {
        double *in = r->in + (i * INPUTS);
        const bool sane = next(&r->stretch, &r->law.n, in);

        scan_law(&r->law, in, r->wanted + (i * OUTPUTS));
        r->floating[i] = sane ? scan_floating(&r->stretch, &r->law.n, in) : nan("");
    }
}

enum { P_SP, P_PV, P_AUTOMATIC, P_MANUAL_OUT, P_OUT_START, P_OUT, P_HELD, P_SUM, P_I, PINS };

static const struct {
    const char *name, *type;
} pins[PINS] = {
    [P_SP] = {"sp", "DINT"},
    [P_PV] = {"pv", "DINT"},
    [P_AUTOMATIC] = {"automatic", "BOOL"},
    [P_MANUAL_OUT] = {"manual_out", "DINT"},
    [P_OUT_START] = {"out_start", "DINT"},
    [P_OUT] = {"out", "DINT"},
    [P_HELD] = {"held", "BOOL"},
    [P_SUM] = {"sum", "LINT"},
    [P_I] = {"i_part", "LINT"},
};

static rk_status find_pins(rk_plc *plc, rk_plc_instance *block, rk_plc_variable pin[PINS],
                           rk_diag *why)
{
    int i;

    for (i = 0; i < PINS; i++) {
        const bool wants_bool = strcmp(pins[i].type, "BOOL") == 0;

        if (rk_plc_find(plc, block, pins[i].name, &pin[i], NULL) != RK_OK) {
            return rk_diag_set(why, RK_ERR_FORMAT, "the block has no pin '%s'", pins[i].name);
        }
        if ((pin[i].kind == RK_PLC_BOOL) != wants_bool || pin[i].kind == RK_PLC_LREAL ||
            pin[i].kind == RK_PLC_REAL) {
            return rk_diag_set(why, RK_ERR_FORMAT, "the block's pin '%s' should be %s",
                               pins[i].name, pins[i].type);
        }
    }
    return RK_OK;
}

/* What stands at the inputs before anybody sets them: manual, at the output it starts from. */
static rk_status check_defaults(const run *r, const rk_plc_variable pin[PINS], rk_diag *why)
{
    double start = 0;
    const rk_status status = rk_emit_out_start(r->stretch.loop, &start, why);
    const int64_t at_first = (int64_t)counts(start, r->law.n.out_unit);

    if (status != RK_OK) return status;
    if (pin[P_AUTOMATIC].at->whole != 0) {
        return rk_diag_set(why, RK_ERR_FORMAT, "the block is in automatic at first");
    }
    if (pin[P_MANUAL_OUT].at->whole != at_first || pin[P_OUT_START].at->whole != at_first) {
        return rk_diag_set(why, RK_ERR_FORMAT, "manual_out or out_start is not %lld at first",
                           (long long)at_first);
    }
    return RK_OK;
}

static rk_status run_scans(run *r, rk_plc *plc, rk_plc_instance *block, rk_diag *why)
{
    rk_plc_variable pin[PINS];
    rk_status status = find_pins(plc, block, pin, why);

    if (status == RK_OK) {
        status = check_defaults(r, pin, why);
    }
    for (; r->done < r->scans && status == RK_OK; r->done++) {
        const double *in = r->in + (r->done * INPUTS);
        double *got = r->got + (r->done * OUTPUTS);

        if (in[START] != 0) rk_plc_instance_restart(block, false);
        pin[P_SP].at->whole = (int64_t)in[SP];
        pin[P_PV].at->whole = (int64_t)in[PV];
        pin[P_AUTOMATIC].at->whole = in[AUTOMATIC] != 0;
        pin[P_MANUAL_OUT].at->whole = (int64_t)in[MANUAL_OUT];
        pin[P_OUT_START].at->whole = (int64_t)in[OUT_START];
        status = rk_plc_scan(plc, block, why);
        if (status != RK_OK) break;
        got[OUT] = (double)pin[P_OUT].at->whole;
        got[HELD] = pin[P_HELD].at->whole != 0;
        put_sums(pin[P_SUM].at->whole, pin[P_I].at->whole, got);
    }
    return status;
}

static rk_status run_st(run *r, const char *text, rk_proof_part *part, rk_diag *diag)
{
    rk_plc *plc = rk_plc_create();
    rk_plc_instance *block = NULL;
    rk_diag why = {RK_OK, ""};
    rk_status status;

    if (plc == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    status = rki_load_block(plc, "the controller", text, &block, &why);
    if (status == RK_OK) {
        status = run_scans(r, plc, block, &why);
    }
    rk_plc_free(plc);
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory");
    if (status != RK_OK) (void)snprintf(part->refused, sizeof part->refused, "%s", why.text);
    return RK_OK;
}

static void add_main(rk_text *text, const char *name)
{
    rk_text_add(text,
                "#include <stdio.h>\n#include \"%s.h\"\nstatic %s c;\nint main(void)\n{\n"
                "    double in[%d], made[%d];\n"
                "    while (fread(in, sizeof in, 1, stdin) == 1) {\n"
                "        if (in[%d] != 0.0) %s_init(&c);\n"
                "        c.out_start = (int32_t)in[%d];\n"
                "        c.sp = (int32_t)in[%d];\n"
                "        c.pv = (int32_t)in[%d];\n"
                "        c.automatic = in[%d] != 0.0;\n"
                "        c.manual_out = (int32_t)in[%d];\n"
                "        %s_scan(&c);\n"
                "        made[%d] = c.out;\n        made[%d] = c.held;\n"
                "        made[%d] = (double)(c.sum / 1073741824);\n"
                "        made[%d] = (double)(c.sum %% 1073741824);\n"
                "        made[%d] = (double)(c.i_part / 1073741824);\n"
                "        made[%d] = (double)(c.i_part %% 1073741824);\n"
                "        if (fwrite(made, sizeof made, 1, stdout) != 1) return 1;\n"
                "    }\n    return fflush(stdout) != 0;\n}\n",
                name, name, INPUTS, OUTPUTS, START, name, OUT_START, SP, PV, AUTOMATIC,
                MANUAL_OUT, name, OUT, HELD, SUM_HIGH, SUM_LOW, I_HIGH, I_LOW);
}

static rk_status run_c(run *r, const rk_program *program, rk_proof_part *part, rk_diag *diag)
{
    char name[RK_BLOCK_NAME_CHARS];
    rki_source list[3] = {{"", program->text[RK_PROGRAM_FIXED_H]},
                          {"", program->text[RK_PROGRAM_FIXED_C]},
                          {"main.c", NULL}};
    rki_built b = {.files = 0};
    rk_text *text = rk_text_create();
    rk_status status;

    rk_emit_fixed_name(r->stretch.loop, name);
    (void)snprintf(list[0].name, sizeof list[0].name, "%s.h", name);
    (void)snprintf(list[1].name, sizeof list[1].name, "%s.c", name);
    add_main(text, name);
    status = rk_text_check(text, diag);
    if (status == RK_OK) {
        list[2].text = rk_text_chars(text);
        status = rki_built_make(list, 3, &b, diag);
    }
    if (status == RK_OK) {
        r->done =
            rki_built_run(&b, r->in, r->scans * INPUTS, r->got, r->scans * OUTPUTS) / OUTPUTS;
        (void)snprintf(part->refused, sizeof part->refused, "%s", b.refused);
        part->excused = b.excused;
    }
    rki_built_free(&b);
    rk_text_free(text);
    return status;
}

/* The first of its numbers that is another; OUTPUTS: none is. */
static int differing(const double wanted[OUTPUTS], const double got[OUTPUTS])
{
    int k = 0;

    while (k < OUTPUTS && wanted[k] == got[k]) {
        k++;
    }
    return k;
}

/* k OUTPUTS: it is too far from the floating blocks. */
static void note_first(const run *r, size_t i, int k, rk_proof_part *part)
{
    static const char *const names[OUTPUTS + 1] = {"out",    "held",   "sum", "sum",
                                                   "i_part", "i_part", "out"};
    const double *in = r->in + (i * INPUTS);

    part->first = i;
    (void)strcpy(part->pin, names[k]);
    part->wanted =
        k < OUTPUTS ? r->wanted[(i * OUTPUTS) + (size_t)k] : r->floating[i] * r->law.n.out_unit;
    part->got = r->got[(i * OUTPUTS) + (size_t)(k < OUTPUTS ? k : OUT)];
    part->sp = in[SP];
    part->pv = in[PV];
    part->automatic = in[AUTOMATIC] != 0;
}

/* In counts; `worst` in out-EU, from the floating blocks. */
static void compare(const run *r, double error, rk_proof_part *part)
{
    const rk_fixed_numbers *n = &r->law.n;
    /* A limit that one of both just meets: an increment of the widest error. */
    const double increment = fabs((double)n->ki_ts) / (double)n->ki_div / (double)n->out_div /
                             n->out_unit * 2.0 * r->stretch.reach * n->pv_unit;
    const double most = error + (n->conditional ? increment : 0.0);
    size_t i;

    for (i = 0; i < r->done; i++, part->scans++) {
        const double *wanted = r->wanted + (i * OUTPUTS), *got = r->got + (i * OUTPUTS);
        const double apart = fabs((got[OUT] / n->out_unit) - r->floating[i]);
        const int k = differing(wanted, got);

        if (apart > part->worst) part->worst = apart;
        if (k == OUTPUTS && !(apart > most)) continue;
        if (part->mismatches++ == 0) note_first(r, i, k, part);
    }
}

static rk_status set_up(run *r, rk_diag *diag)
{
    const rk_design *loop = r->stretch.loop;
    rk_status status = rk_emit_fixed_numbers(loop, &r->law.n, diag);

    if (status == RK_OK) {
        status = rk_emit_rig_settings(loop, RK_NUMBER_LREAL, true, &r->stretch.settings, diag);
    }
    if (status == RK_OK) {
        status = rk_emit_rig_create(loop, RK_NUMBER_LREAL, false, &r->stretch.blocks, diag);
    }
    if (status != RK_OK) return status;
    r->stretch.reach = loop->pv_high - loop->pv_low;
    r->stretch.centre = loop->pv_low + (0.5 * r->stretch.reach);
    r->in = rk_memory_create(r->scans * (INPUTS + (2 * OUTPUTS) + 1), sizeof *r->in);
    if (r->in == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for %zu scans", r->scans);
    }
    r->wanted = r->in + (r->scans * INPUTS);
    r->got = r->wanted + (r->scans * OUTPUTS);
    r->floating = r->got + (r->scans * OUTPUTS);
    return RK_OK;
}

rk_status rki_run_fixed(const rk_design *loop, const rk_program *program, bool st, size_t scans,
                        rk_proof_part *part, rk_diag *diag)
{
    run r = {.stretch = {.loop = loop, .dice = {2028}}, .scans = scans};
    double error = 0;
    rk_status status = set_up(&r, diag);

    if (status == RK_OK) {
        status = rk_emit_fixed_error(loop, &error, diag);
    }
    if (status == RK_OK) {
        fill(&r);
        status = st ? run_st(&r, program->text[RK_PROGRAM_FIXED_ST], part, diag)
                    : run_c(&r, program, part, diag);
    }
    if (status == RK_OK) {
        part->ran = part->refused[0] == '\0';
        compare(&r, error, part);
    }
    rk_rig_free(r.stretch.blocks);
    rk_memory_free(r.in);
    return status;
}
