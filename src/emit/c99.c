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
                "    double %s;     /* state from here on: %s */\n",
                c->velocity ? "p_last" : "i_part",
                c->velocity ? "the proportional part" : "the integral");
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
    rk_text_add(text,
                "    int fresh;         /* the next good scan takes PV as it finds it */\n"
                "} %s;\n\n",
                c->name);
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
    rk_text_add(
        code,
        "/* Start in automatic from the output that stands on the valve now; no bump. */\n"
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
    rk_text_add(text, "static double limited(const %s *c, double wanted)\n{\n", c->name);
    if (c->rate) {
        rk_text_add(text,
                    "    const double out = clamp(wanted, OUT_LO, OUT_HI);\n\n"
                    "    return clamp(out, c->out - OUT_STEP, c->out + OUT_STEP);\n}\n\n");
    } else {
        rk_text_add(text, "    (void)c;\n    return clamp(wanted, OUT_LO, OUT_HI);\n}\n\n");
    }
    rk_text_add(
        text,
        "static double manual_out(const %s *c)\n{\n"
        "    const double wanted = is_finite(c->manual_out) ? c->manual_out : c->out;\n\n"
        "    return limited(c, clamp(wanted, OUT_LO, OUT_HI));\n}\n\n",
        c->name);
}

static void add_init(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "void %s_init(%s *c, double out_now)\n{\n", c->name, c->name);
    rk_text_add(text,
                "    c->automatic = 1;\n"
                "    c->held = 0;\n"
                "    c->out = clamp(is_finite(out_now) ? out_now : OUT_LO, OUT_LO, OUT_HI);\n"
                "    c->manual_out = c->out;\n"
                "    c->%s;\n",
                c->velocity ? "p_last = 0.0" : "i_part = c->out");
    if (c->last) {
        rk_text_add(text, "    c->e_last = 0.0;\n");
    }
    if (c->derivative) {
        rk_text_add(text, "    c->d_part = 0.0;\n    c->g_last = 0.0;\n");
    }
    if (c->filter) {
        rk_text_add(text, "    c->pv_last = 0.0;\n    c->pv_known = 0;\n");
    }
    rk_text_add(text, "    c->fresh = 1;\n}\n\n");
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

/* What is added to the output, or to the integral, in automatic; into `out` and `i`. */
static void add_position(rk_text *text, const rki_controller *c)
{
    const char *sum = c->derivative ? "(p + (i_last + inc)) + d" : "p + (i_last + inc)";
    const char *fixed = c->conditional ? "" : "const ";

    rk_text_add(text,
                "        const double i_last = c->fresh ? %s : c->i_part;\n"
                "        %sdouble inc = increment(c, sp - %s);\n"
                "        %sdouble v = %s;\n\n",
                c->derivative ? "(c->out - p) - d" : "c->out - p", fixed, c->pv, fixed, sum);
    if (c->conditional) {
        rk_text_add(text,
                    "        /* Beyond a limit the integral may only come back. */\n"
                    "        if ((v > OUT_HI && inc > 0.0) || (v < OUT_LO && inc < 0.0)) {\n"
                    "            inc = 0.0;\n"
                    "            v = %s;\n"
                    "        }\n",
                    sum);
    }
    rk_text_add(text, "        out = limited(c, v);\n"
                      "        i = (i_last + inc) + (KT_TS * (out - v));\n");
}

static void add_velocity(rk_text *text, const rki_controller *c)
{
    rk_text_add(
        text,
        "        const double p_last = c->fresh ? p : c->p_last;\n"
        "        const double inc = increment(c, sp - %s);\n\n"
        "        /* From the output that stands, by what each part has moved. */\n"
        "        out = limited(c, c->out + %s);\n"
        "        i = %s;\n",
        c->pv, c->derivative ? "(((p - p_last) + inc) + (d - d_last))" : "((p - p_last) + inc)",
        c->derivative ? "(out - p) - d" : "out - p");
}

static void add_increment(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "static double increment(const %s *c, double e)\n{\n", c->name);
    if (c->last) {
        rk_text_add(text, "    const double e_last = c->fresh ? e : c->e_last;\n\n"
                          "    return (KI_TS * e) + (KI_LAST * e_last);\n}\n\n");
    } else {
        rk_text_add(text, "    (void)c;\n    return KI_TS * e;\n}\n\n");
    }
}

static void add_state(rk_text *text, const rki_controller *c)
{
    rk_text_add(
        text,
        "\n    /* A bad value must not enter the state: hold, and start afresh after it. "
        "*/\n"
        "    c->held = !is_finite(i)%s;\n",
        c->derivative ? " || !is_finite(d)" : "");
    rk_text_add(text,
                "    if (c->held) {\n"
                "        if (!c->automatic) c->out = manual_out(c);\n"
                "        c->fresh = 1;\n"
                "        return c->out;\n"
                "    }\n"
                "    c->%s;\n",
                c->velocity ? "p_last = p" : "i_part = i");
    if (c->last) {
        rk_text_add(text, "    c->e_last = sp - %s;\n", c->pv);
    }
    if (c->derivative) {
        rk_text_add(text, "    c->d_part = d;\n    c->g_last = g;\n");
    }
    rk_text_add(text, "    c->out = out;\n    c->fresh = 0;\n    return out;\n}\n");
}

static void add_scan(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "double %s_scan(%s *c, double sp, double pv)\n{\n", c->name, c->name);
    if (c->filter) {
        rk_text_add(text, "    const double seen = filtered(c, pv);\n");
    }
    rk_text_add(text, "    const double p = KC * ((P_WEIGHT * sp) - %s);\n", c->pv);
    if (c->derivative) {
        rk_text_add(text, "    const double g = (D_WEIGHT * sp) - %s;\n", c->pv);
        rk_text_add(text, "    const double g_last = c->fresh ? g : c->g_last;\n"
                          "    const double d_last = c->fresh ? 0.0 : c->d_part;\n"
                          "    const double d = (AD * d_last) + (KD * (g - g_last));\n");
    }
    rk_text_add(text,
                "    double out, i;\n\n"
                "    if (!c->automatic) {\n"
                "        /* Automatic starts from this output. */\n"
                "        out = manual_out(c);\n"
                "        i = %s;\n"
                "    } else {\n",
                c->derivative ? "(out - p) - d" : "out - p");
    if (c->velocity) {
        add_velocity(text, c);
    } else {
        add_position(text, c);
    }
    rk_text_add(text, "    }\n");
    add_state(text, c);
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
    rki_add_c_constants(code, list, rki_controller_constants(&c, list), number);
    rk_text_add(code, "\n%s", finite_and_clamp);
    add_limited(code, &c);
    add_init(code, &c);
    add_filter(code, &c);
    add_increment(code, &c);
    add_scan(code, &c);
    rki_add_c_code(text, code, number);
    rk_text_free(code);
    return rk_text_check(text, diag);
}
