/* SPDX-License-Identifier: MIT */
/* A C++ program that uses each layer once: it must build, link and give the closed forms. */
#include <redkettle/redkettle.h>

#include <cmath>
#include <cstdio>
#include <cstring>

static_assert(RK_VERSION_NUMBER >= 100, "the version as a number");

static int missed = 0;

static void expect(const char *what, bool so)
{
    if (so) return;
    std::printf("%s\n", what);
    missed++;
}

int main()
{
    rk_diag diag = {RK_OK, ""};
    rk_model model = {};
    model.kind = RK_MODEL_FOPDT;
    model.gain = 2;
    model.time_constant[0] = 10;
    model.dead_time = 4;

    rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;
    knobs.lambda = 4;
    expect("tuning", rk_tuning_compute(&model, "simc", "PI", &knobs, &tuning, &diag) == RK_OK);
    expect("simc: kc = tau / (gain (lambda + theta))", std::fabs(tuning.settings.kc - 0.625) < 1e-12);

    rk_settings settings = tuning.settings;
    rk_margins margins;
    expect("margins", rk_margins_compute(&model, &settings, &margins, &diag) == RK_OK);
    expect("simc: gain margin pi", std::fabs(margins.gain_margin - 3.14159265358979) < 1e-6);

    rk_pid_params params = rk_pid_params_make();
    rk_pid pid;
    params.ts = 1;
    params.kc = settings.kc;
    params.ti = settings.ti;
    expect("block", rk_pid_init(&pid, &params, 40) == RK_OK);
    expect("block at rest", rk_pid_scan(&pid, 12, 12) == 40);

    rk_design loop = rk_design_make();
    rk_text *text = rk_text_create();
    loop.ts = 1;
    loop.out_low = 0;
    loop.out_high = 100;
    loop.has_settings = true;
    loop.settings = settings;
    expect("emit", rk_emit_st(&loop, RK_NUMBER_LREAL, text, &diag) == RK_OK);
    expect("text", std::strstr(rk_text_chars(text), "FUNCTION_BLOCK") != nullptr);
    rk_text_free(text);

    expect("an error's words", rk_design_read("/no/such.loop", &loop, &diag) == RK_ERR_IO &&
                                   std::strstr(diag.text, "/no/such.loop") != nullptr);
    return missed;
}
