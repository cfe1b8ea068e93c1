/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "controller.h"

static rk_status add_head(rk_text *text, const rki_controller *c, rk_diag *diag)
{
    rk_text_add(text, "/*\n");
    return rki_add_provenance(text, c, " * ", diag);
}

static void add_struct(rk_text *text, const rki_controller *c)
{
    rk_text_add(text,
                "typedef struct %s {\n"
                "    int automatic;     /* set it: 1 automatic, 0 manual */\n"
                "    double manual_out; /* set it: the output in manual, ",
                c->name);
    rki_add_plain(text, c->loop->out_units);
    rk_text_add(text, " */\n    double out;        /* the output, ");
    rki_add_plain(text, c->loop->out_units);
    rk_text_add(text,
                " */\n"
                "    int held;          /* 1: sp or pv is NaN or infinite, automatic holds the "
                "output */\n"
                "    %s /* state from here on: %s */\n",
                c->on_off     ? "int is_on;        "
                : c->velocity ? "double p_last;    "
                              : "double i_part;    ",
                c->on_off     ? "OUT is at its high limit"
                : c->velocity ? "the proportional part"
                              : "the integral");
    if (c->predictor) {
        rk_text_add(text,
                    "    double ring[%zu];  /* what OUT was, less the operating point's */\n"
                    "    unsigned oldest;\n"
                    "    double w_0, w_1;     /* the model with its dead time .. */\n"
                    "    double q_0, q_1;     /* .. and without */\n",
                    c->whole.delay + 1);
    }
    if (c->last) {
        rk_text_add(text, "    double e_last;     /* the error, a scan ago */\n");
    }
    if (c->derivative) {
        rk_text_add(text, "    double d_part;     /* the filtered derivative */\n"
                          "    double g_last;     /* what it acts on, a scan ago */\n");
    }
    if (c->filter) {
        rk_text_add(text, "    double pv_last;    /* PV behind its filter, a scan ago */\n"
                          "    int pv_known;      /* there was a good PV */\n");
    }
    if (c->ramp) {
        rk_text_add(text, "    double sp_last;    /* where the setpoint's ramp is */\n"
                          "    int at_pv;         /* the ramp starts from PV */\n");
    }
    if (!c->on_off) {
        rk_text_add(
            text, "    int fresh;         /* automatic takes sp and pv as it finds them */\n");
    }
    rk_text_add(text, "} %s;\n\n", c->name);
}

rk_status rk_emit_c_header(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag)
{
    rki_controller c;
    rk_text *code;
    rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status == RK_OK) {
        status = add_head(text, &c, diag);
    }
    if (status != RK_OK) return status;
    code = rk_text_create();
    rk_text_add(text, " */\n");
    rk_text_add(code, "#ifndef %s_H\n#define %s_H\n\n", c.upper_name, c.upper_name);
    add_struct(code, &c);
    rk_text_add(code,
                "/* Start in manual from the output that stands on the valve now; no bump. */\n"
                "void %s_init(%s *c, double out_now);\n\n",
                c.name, c.name);
    rk_text_add(code, "/* One scan; sp and pv in ");
    rki_add_plain(code, loop->pv_units);
    rk_text_add(code,
                ". One that is not finite holds the output. */\n"
                "double %s_scan(%s *c, double sp, double pv);\n\n#endif\n",
                c.name, c.name);
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}

void rki_add_c_constants(rk_text *text, const rki_constant *list, int count, rk_number number)
{
    char chars[RK_REAL_CHARS], name[16];
    int i;

    for (i = 0; i < count; i++) {
        rki_upper(list[i].name, name);
        rki_format(list[i].value, number, chars);
        rk_text_add(text, "static const double %-8s = %s%s; /* %s */\n", name, chars,
                    number == RK_NUMBER_REAL && strcmp(chars, "0.0") != 0 ? "f" : "",
                    list[i].comment);
    }
}

static const char finite_and_clamp[] = "static int is_finite(double x)\n"
                                       "{\n"
                                       "    return (x - x) == 0.0;\n"
                                       "}\n\n"
                                       "static double clamp(double x, double lo, double hi)\n"
                                       "{\n"
                                       "    if (x < lo) return lo;\n"
                                       "    if (x > hi) return hi;\n"
                                       "    return x;\n"
                                       "}\n\n";

static void add_limited(rk_text *text, const rki_controller *c)
{
    rk_text_add(text,
                "/* Within the rate, and then within the limits, which always win. */\n"
                "static double limited(const %s *c, double wanted)\n{\n",
                c->name);
    if (c->rate) {
        rk_text_add(text, "    const double out = clamp(wanted, c->out - OUT_STEP, c->out + "
                          "OUT_STEP);\n\n"
                          "    return clamp(out, OUT_LO, OUT_HI);\n}\n\n");
    } else {
        rk_text_add(text, "    (void)c;\n    return clamp(wanted, OUT_LO, OUT_HI);\n}\n\n");
    }
    rk_text_add(
        text,
        "static double manual_out(const %s *c)\n{\n"
        "    return limited(c, is_finite(c->manual_out) ? c->manual_out : c->out);\n}\n\n",
        c->name);
}

/* Both models at rest at the output that stands. */
static void add_predictor_start(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "    u = c->out - M_OUT0;\n"
                      "    for (i = 0; i <= DELAY; i++) c->ring[i] = u;\n"
                      "    c->oldest = 0;\n");
    if (c->second) {
        rk_text_add(
            text,
            "    c->w_0 = ((((M_LATE_0 + M_LATER_0) * u) * (1.0 - M_A_1_1)) + (M_A_0_1 * ((M_LATE_1 + M_LATER_1) * "
            "u))) / REST;\n"
            "    c->w_1 = ((((M_LATE_1 + M_LATER_1) * u) * (1.0 - M_A_0_0)) + (M_A_1_0 * ((M_LATE_0 + M_LATER_0) * "
            "u))) / REST;\n"
            "    c->q_0 = (((Q_IN_0 * u) * (1.0 - M_A_1_1)) + (M_A_0_1 * (Q_IN_1 * u))) / REST;\n"
            "    c->q_1 = (((Q_IN_1 * u) * (1.0 - M_A_0_0)) + (M_A_1_0 * (Q_IN_0 * u))) / REST;\n");
    } else {
        rk_text_add(text, "    c->w_0 = ((M_LATE_0 + M_LATER_0) * u) / (1.0 - M_A_0_0);\n"
                          "    c->q_0 = (Q_IN_0 * u) / (1.0 - M_A_0_0);\n"
                          "    c->w_1 = c->q_1 = 0.0;\n");
    }
}

/* The models follow OUT as it stood since the last scan; what the one with the dead time does
   not explain of pv is added to the other. */
static void add_predictor(rk_text *text, const rki_controller *c)
{
    if (!c->predictor) return;
    rk_text_add(text,
                "/* What pv would be without the dead time. */\n"
                "static double predicted(%s *c, double pv)\n{\n"
                "    const double u = c->out - M_OUT0, later = c->ring[c->oldest];\n"
                "    double late%s;\n\n"
                "    c->ring[c->oldest] = u;\n"
                "    c->oldest = c->oldest == DELAY ? 0 : c->oldest + 1;\n"
                "    late = c->ring[c->oldest];\n",
                c->name, c->second ? ", next" : "");
    if (c->second) {
        rk_text_add(
            text,
            "    next = ((Q_IN_0 * u) + (M_A_0_1 * c->q_1)) + (M_A_0_0 * c->q_0);\n"
            "    c->q_1 = ((Q_IN_1 * u) + (M_A_1_0 * c->q_0)) + (M_A_1_1 * c->q_1);\n"
            "    c->q_0 = next;\n"
            "    next = (((M_LATE_0 * late) + (M_LATER_0 * later)) + (M_A_0_1 * c->w_1)) + (M_A_0_0 * "
            "c->w_0);\n"
            "    c->w_1 = (((M_LATE_1 * late) + (M_LATER_1 * later)) + (M_A_1_0 * c->w_0)) + (M_A_1_1 * "
            "c->w_1);\n"
            "    c->w_0 = next;\n");
    } else {
        rk_text_add(
            text,
            "    c->q_0 = (Q_IN_0 * u) + (M_A_0_0 * c->q_0);\n"
            "    c->w_0 = ((M_LATE_0 * late) + (M_LATER_0 * later)) + (M_A_0_0 * c->w_0);\n");
    }
    rk_text_add(text, "    return (M_PV0 + c->q_0) + (pv - (M_PV0 + c->w_0));\n}\n\n");
}

static void add_init(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "void %s_init(%s *c, double out_now)\n{\n%s", c->name, c->name,
                c->predictor ? "    unsigned i;\n    double u;\n\n" : "");
    rk_text_add(text,
                "    c->automatic = 0;\n"
                "    c->held = 0;\n"
                "    c->out = clamp(is_finite(out_now) ? out_now : OUT_LO, OUT_LO, OUT_HI);\n"
                "    c->manual_out = c->out;\n"
                "    c->%s;\n",
                c->on_off     ? "is_on = (c->out - OUT_LO) > (OUT_HI - c->out)"
                : c->velocity ? "p_last = 0.0"
                              : "i_part = c->out");
    if (c->predictor) {
        add_predictor_start(text, c);
    }
    if (c->last) {
        rk_text_add(text, "    c->e_last = 0.0;\n");
    }
    if (c->derivative) {
        rk_text_add(text, "    c->d_part = 0.0;\n    c->g_last = 0.0;\n");
    }
    if (c->filter) {
        rk_text_add(text, "    c->pv_last = 0.0;\n    c->pv_known = 0;\n");
    }
    if (c->ramp) {
        rk_text_add(text, "    c->sp_last = 0.0;\n    c->at_pv = 1;\n");
    }
    rk_text_add(text, c->on_off ? "}\n\n" : "    c->fresh = 1;\n}\n\n");
}

/* A bad pv is seen as it is, so that it is held; the filter waits for the next good one. */
static void add_filter(rk_text *text, const rki_controller *c)
{
    if (!c->filter) return;
    rk_text_add(text,
                "static double filtered(%s *c, double pv)\n{\n"
                "    double seen = pv;\n\n"
                "    if (is_finite(pv) && c->pv_known) {\n"
                "        seen = c->pv_last + (PV_PART * (pv - c->pv_last));\n"
                "        if (!is_finite(seen)) seen = c->pv_last;\n"
                "    }\n"
                "    if (is_finite(seen)) {\n"
                "        c->pv_last = seen;\n"
                "        c->pv_known = 1;\n"
                "    }\n"
                "    return seen;\n}\n\n",
                c->name);
}

/* pv moved towards the setpoint by the deadband, no further than it. */
static const char nearer[] = "static double nearer_to(double sp, double pv)\n"
                             "{\n"
                             "    if (pv < sp - DEADBAND) return pv + DEADBAND;\n"
                             "    if (pv > sp + DEADBAND) return pv - DEADBAND;\n"
                             "    return sp;\n"
                             "}\n\n";

/* The bounds of this scan's output, which the integral heeds. */
static void add_bounds(rk_text *text, const rki_controller *c)
{
    if (c->rate) {
        rk_text_add(text,
                    "    const double lowest = clamp(c->out - OUT_STEP, OUT_LO, OUT_HI);\n"
                    "    const double highest = clamp(c->out + OUT_STEP, OUT_LO, OUT_HI);\n");
    } else {
        rk_text_add(text, "    const double lowest = OUT_LO, highest = OUT_HI;\n");
    }
}

static void add_increment(rk_text *text, const rki_controller *c)
{
    const char *held = c->conditional ? "" : "const ";

    if (c->biased) {
        rk_text_add(text, "    %sdouble inc = FADE * (BIAS - i_last);\n", held);
    } else if (c->last) {
        rk_text_add(text,
                    "    const double e_last = c->fresh ? %s - %s : c->e_last;\n"
                    "    %sdouble inc = (KI_TS * (%s - %s)) + (KI_LAST * e_last);\n",
                    c->sp, c->pv, held, c->sp, c->pv);
    } else {
        rk_text_add(text, "    %sdouble inc = KI_TS * (%s - %s);\n", held, c->sp, c->pv);
    }
}

/* The sum of the parts, kept from what the valve cannot follow; into `out` and `i`. */
static void add_position(rk_text *text, const rki_controller *c)
{
    const char *sum = c->derivative ? "(p + (i_last + inc)) + d" : "p + (i_last + inc)";

    rk_text_add(text, "    const double i_last = c->fresh ? c->out - p : c->i_part;\n");
    add_bounds(text, c);
    add_increment(text, c);
    rk_text_add(text, "    %sdouble v = %s;\n    double out, i;\n\n",
                c->conditional ? "" : "const ", sum);
    if (c->conditional) {
        rk_text_add(text,
                    "    /* Beyond a limit the integral may only come back. */\n"
                    "    if ((v > highest && inc > 0.0) || (v < lowest && inc < 0.0)) {\n"
                    "        inc = 0.0;\n"
                    "        v = %s;\n"
                    "    }\n",
                    sum);
    }
    rk_text_add(text, "    out = clamp(v, lowest, highest);\n"
                      "    i = (i_last + inc) + (KT_TS * (out - v));\n");
}

/* From the output that stands, by what each part has moved. */
static void add_velocity(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "    const double p_last = c->fresh ? p : c->p_last;\n");
    add_increment(text, c);
    rk_text_add(text,
                "    const double out = limited(c, c->out + %s);\n"
                "    const double i = %s; /* what the limits left unapplied */\n\n",
                c->derivative ? "(((p - p_last) + inc) + (d - d_last))"
                              : "((p - p_last) + inc)",
                c->derivative ? "(out - p) - d" : "out - p");
}

/* Automatic; 0: there is no such output, and nothing has changed. */
static void add_follow(rk_text *text, const rki_controller *c)
{
    rk_text_add(text,
                "/* Automatic; 0: there is no such output, and nothing has changed. */\n"
                "static int follow(%s *c, double %s, double %s)\n{\n"
                "    const double p = KC * ((P_WEIGHT * %s) - %s);\n",
                c->name, c->sp, c->pv, c->sp, c->pv);
    if (c->derivative) {
        rk_text_add(text,
                    "    const double g = (D_WEIGHT * %s) - %s;\n"
                    "    const double g_last = c->fresh ? g : c->g_last;\n"
                    "    const double d_last = c->fresh ? 0.0 : c->d_part;\n"
                    "    const double d = (AD * d_last) + (KD * (g - g_last));\n",
                    c->sp, c->pv);
    }
    if (c->velocity) {
        add_velocity(text, c);
    } else {
        add_position(text, c);
    }
    rk_text_add(text,
                "    /* A bad value must not enter the state. */\n"
                "    if (!is_finite(i)%s) return 0;\n"
                "    c->%s;\n",
                c->derivative ? " || !is_finite(d)" : "",
                c->velocity ? "p_last = p" : "i_part = i");
    if (c->last) {
        rk_text_add(text, "    c->e_last = %s - %s;\n", c->sp, c->pv);
    }
    if (c->derivative) {
        rk_text_add(text, "    c->d_part = d;\n    c->g_last = g;\n");
    }
    rk_text_add(text, "    c->out = out;\n    return 1;\n}\n\n");
}

/* At one limit or the other, and as it is within the hysteresis. */
static void add_switch(rk_text *text, const rki_controller *c)
{
    const bool direct = c->params.kc < 0;

    rk_text_add(text,
                "static int follow(%s *c, double sp, double pv)\n{\n"
                "    if (pv > sp + HYSTERESIS) c->is_on = %d;\n"
                "    else if (pv < sp - HYSTERESIS) c->is_on = %d;\n"
                "    c->out = c->is_on ? OUT_HI : OUT_LO;\n"
                "    return 1;\n}\n\n",
                c->name, direct ? 1 : 0, direct ? 0 : 1);
}

static void add_scan(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "double %s_scan(%s *c, double sp, double pv)\n{\n", c->name, c->name);
    if (c->filter || c->predictor) {
        rk_text_add(text, "    const double seen = %s;\n",
                    !c->predictor ? "filtered(c, pv)"
                    : c->filter   ? "predicted(c, filtered(c, pv))"
                                  : "predicted(c, pv)");
    }
    if (c->ramp) {
        rk_text_add(text,
                    "    const double ramp = c->at_pv ? %s : c->sp_last;\n"
                    "    const double sp_now = clamp(sp, ramp - SP_STEP, ramp + SP_STEP);\n",
                    c->seen);
    }
    if (c->deadband) {
        rk_text_add(text, "    const double nearer = nearer_to(%s, %s);\n", c->sp, c->seen);
    }
    rk_text_add(text,
                "\n    c->held = !is_finite(sp) || !is_finite(%s);\n"
                "    if (!c->automatic) c->out = manual_out(c);\n"
                "    else if (!c->held) c->held = !follow(c, %s, %s);\n",
                c->seen, c->sp, c->pv);
    if (!c->on_off) {
        rk_text_add(text,
                    "    /* Behind manual and behind a bad value automatic starts from this "
                    "output. */\n"
                    "    c->fresh = c->held || !c->automatic;\n");
    }
    if (c->ramp) {
        rk_text_add(text, "    c->at_pv = !c->automatic || (c->held && c->at_pv);\n"
                          "    if (!c->held) c->sp_last = sp_now;\n");
    }
    rk_text_add(text, "    return c->out;\n}\n");
}

rk_status rk_emit_c_source(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag)
{
    rki_constant list[RKI_CONSTANTS_MAX];
    rki_controller c;
    rk_text *code;
    rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status == RK_OK) {
        status = add_head(text, &c, diag);
    }
    if (status != RK_OK) return status;
    rk_text_add(text,
                " *\n * Build without -ffast-math and with -ffp-contract=off, so that it gives"
                " the design's numbers.\n */\n");
    code = rk_text_create();
    rk_text_add(code, "#include \"%s.h\"\n\n", c.name);
    rki_add_c_guard(code);
    rki_add_c_constants(code, list, rki_controller_constants(&c, list), number);
    if (c.predictor) {
        rk_text_add(code, "enum { DELAY = %zu }; /* whole scans of dead time */\n",
                    c.whole.delay);
    }
    if (c.predictor && c.second) {
        rk_text_add(
            code, "#define REST (((1.0 - M_A_0_0) * (1.0 - M_A_1_1)) - (M_A_0_1 * M_A_1_0))\n");
    }
    rk_text_add(code, "\n%s", finite_and_clamp);
    add_limited(code, &c);
    add_init(code, &c);
    add_filter(code, &c);
    add_predictor(code, &c);
    if (c.deadband) {
        rk_text_add(code, "%s", nearer);
    }
    if (c.on_off) {
        add_switch(code, &c);
    } else {
        add_follow(code, &c);
    }
    add_scan(code, &c);
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}
