/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/loop/design.h>

#include "design/base/words.h"

static const char *const warm_start_words[] = {"as-it-was", "manual", "automatic", NULL};

const char *rk_warm_start_to_text(rk_warm_start warm_start)
{
    return rki_word(warm_start_words, (int)warm_start);
}

rk_status rk_warm_start_from_text(const char *text, rk_warm_start *warm_start, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || warm_start == NULL) return RK_ERR_ARG;
    status = rki_word_find(warm_start_words, "warm start", text, &found, diag);
    if (status == RK_OK) {
        *warm_start = (rk_warm_start)found;
    }
    return status;
}

static const char *const fallback_words[] = {"manual", "automatic", NULL};

const char *rk_fallback_to_text(rk_fallback fallback)
{
    return rki_word(fallback_words, (int)fallback);
}

rk_status rk_fallback_from_text(const char *text, rk_fallback *fallback, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || fallback == NULL) return RK_ERR_ARG;
    status = rki_word_find(fallback_words, "fallback", text, &found, diag);
    if (status == RK_OK) {
        *fallback = (rk_fallback)found;
    }
    return status;
}

static rk_status check_raw(const char *key, const double raw[2], bool has_range, rk_diag *diag)
{
    int i;

    if (isnan(raw[0])) return RK_OK;
    for (i = 0; i < 2; i++) {
        if (raw[i] != floor(raw[i]) || !(fabs(raw[i]) <= RK_RAW_MOST)) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               "[program] %s: %g is no count: give whole numbers of 32 bits",
                               key, raw[i]);
        }
    }
    if (!(raw[0] < raw[1])) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[program] %s %.0f, %.0f is empty: low must be below high", key,
                           raw[0], raw[1]);
    }
    return has_range
               ? RK_OK
               : rk_diag_set(diag, RK_ERR_RANGE,
                             "[program] %s needs the range that it stands for: give [%.*s] low "
                             "and high",
                             key, (int)strcspn(key, "-"), key);
}

/* "%IW0", "%QX1.7": a place, a size, and numbers with points between. */
static bool is_address(const char *at)
{
    const char *digits;

    if (at[0] != '%' || at[1] == '\0' || strchr("IQM", at[1]) == NULL) return false;
    at += 2;
    if (*at != '\0' && strchr("XBWDL", *at) != NULL) {
        at++;
    }
    for (;; at++) {
        for (digits = at; *at >= '0' && *at <= '9'; at++) {
        }
        if (at == digits) return false;
        if (*at != '.') return *at == '\0';
    }
}

rk_status rk_program_design_check(const rk_design *loop, rk_diag *diag)
{
    const rk_program_design *p = &loop->program;
    const char *const wrong = p->pv_at[0] != '\0' && !is_address(p->pv_at)     ? p->pv_at
                              : p->out_at[0] != '\0' && !is_address(p->out_at) ? p->out_at
                                                                               : NULL;
    const rk_status status = check_raw("pv-raw", p->pv_raw, !isnan(loop->pv_low), diag);

    if (status != RK_OK) return status;
    if (wrong != NULL) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[program]: '%s' is no address: give one such as %%IW0 or %%QW1.2",
                           wrong);
    }
    return check_raw("out-raw", p->out_raw, rk_design_has_out_range(loop), diag);
}
