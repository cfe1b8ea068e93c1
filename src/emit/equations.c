/* SPDX-License-Identifier: MIT */
#include "controller.h"

/* How the output comes of its parts. */
static void add_sums(rk_text *text, const rki_controller *c)
{
    if (c->biased) {
        rk_text_add(text, "  inc  = fade (bias - i)\n");
    } else {
        rk_text_add(text, "  inc  = ki_ts (%s - %s)%s\n", c->sp, c->pv,
                    c->last ? " + ki_last (the same a scan ago)" : "");
    }
    if (c->velocity) {
        rk_text_add(text, "  v    = out + (p - p_last) + inc%s\n",
                    c->derivative ? " + (d - d_last)" : "");
    } else {
        rk_text_add(text, "  v    = p + (i + inc)%s\n", c->derivative ? " + d" : "");
    }
    if (c->conditional) {
        rk_text_add(
            text, "  v beyond what out may be and inc pushes it further:  inc = 0, v again\n");
    }
    rk_text_add(text, "  out  = v within %sout_lo .. out_hi\n%s",
                c->rate ? "out_step of the last out, then within " : "",
                c->velocity ? "\n" : "  i    = i + inc + kt_ts (out - v)\n\n");
}

static void add_constants(rk_text *text, const rki_controller *c, rk_number number)
{
    rki_constant list[RKI_CONSTANTS_MAX];
    const int count = rki_controller_constants(c, list);
    int i;

    for (i = 0; i < count; i++) {
        char chars[RK_REAL_CHARS];

        rki_format(list[i].value, number, chars);
        rk_text_add(text, "  %-8s = %-24s %s\n", list[i].name, chars, list[i].comment);
    }
}

/* The same equations that the texts compute, with their coefficients. */
rk_status rk_emit_equations(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    rki_controller c;
    rk_status status;

    rk_diag_clear(diag);
    status = rki_controller_make(loop, number, &c, diag);
    if (status != RK_OK) return status;
    rk_text_add(text, "Each scan of %.6g s:\n\n", loop->ts);
    if (c.filter) {
        rk_text_add(text, "  seen = seen + pv_part (pv - seen)\n");
    }
    if (c.predictor) {
        rk_text_add(
            text,
            "  seen = (m_pv0 + q_0) + (%s - (m_pv0 + w_0)),   w the model with its dead "
            "time, q without\n",
            c.filter ? "seen" : "pv");
    }
    if (c.on_off) {
        rk_text_add(
            text,
            "  out  = out_%s where %s is above sp + hysteresis, out_%s where it is below "
            "sp - hysteresis\n\n",
            c.params.kc < 0 ? "hi" : "lo", c.seen, c.params.kc < 0 ? "lo" : "hi");
        add_constants(text, &c, number);
        return rk_text_check(text, diag);
    }
    if (c.ramp) {
        rk_text_add(text, "  sp_now = sp within sp_step of the last sp_now\n");
    }
    if (c.deadband) {
        rk_text_add(text, "  nearer = %s moved towards %s by deadband, no further\n", c.seen,
                    c.sp);
    }
    rk_text_add(text, "  p    = kc (p_weight %s - %s)\n", c.sp, c.pv);
    if (c.derivative) {
        rk_text_add(text, "  d    = ad d + kd (g - g_last),   g = d_weight %s - %s\n", c.sp,
                    c.pv);
    }
    add_sums(text, &c);
    add_constants(text, &c, number);
    return rk_text_check(text, diag);
}
