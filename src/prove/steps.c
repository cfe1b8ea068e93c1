/* SPDX-License-Identifier: MIT */
/* A user's own block and the design side by side: a setpoint step, then a load step, each in a
   closed loop with the model. */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "parts.h"

/* Each step takes so many of the loop's longest times, within so many scans. */
#define LONG_ENOUGH 6.0
enum { SCANS_LEAST = 120, SCANS_MOST = 6000, LEAD = 10, COLUMNS = 6 };

static size_t step_scans(const rk_design *d)
{
    const double ti = isfinite(d->settings.ti) ? d->settings.ti : 0.0;
    const double time =
        rk_model_slowest(rk_design_process(d)) + rk_design_process(d)->dead_time + ti;

    return (size_t)fmin(fmax(LONG_ENOUGH * time / d->ts, SCANS_LEAST), SCANS_MOST);
}

static void fill(const rk_design *d, size_t each, size_t rows, rki_input *in)
{
    const rk_requirements asked = rk_design_requirements(d);
    const double out = fmax(fmin(d->model.out0, d->out_high), d->out_low);
    size_t i;

    for (i = 0; i < rows; i++) {
        in[i] = (rki_input){.start = i == 0,
                            .out_start = out,
                            .closed = 1,
                            .sp = d->model.pv0 + (i >= LEAD ? asked.sp_step : 0.0),
                            .automatic = i >= LEAD / 2,
                            .manual_out = out,
                            .load = i >= LEAD + each ? asked.load_step : 0.0};
    }
}

/* Two runs as columns. */
static rk_status take(const rk_design *d, const rki_input *in, const rki_output *wanted,
                      const rki_output *got, rk_block_steps *steps, rk_diag *diag)
{
    const size_t n = steps->rows;
    double *c = rk_memory_create(COLUMNS * n, sizeof *c);
    size_t i;

    if (c == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    for (i = 0; i < n; i++) {
        c[i] = (double)i * d->ts;
        c[n + i] = in[i].sp;
        c[(2 * n) + i] = wanted[i].pv;
        c[(3 * n) + i] = wanted[i].out;
        c[(4 * n) + i] = got[i].pv;
        c[(5 * n) + i] = got[i].out;
    }
    steps->columns = c;
    steps->design = (rk_run_curves){"design", n, c, c + n, c + (2 * n), c + (3 * n)};
    steps->block = (rk_run_curves){"block", n, c, c + n, c + (4 * n), c + (5 * n)};
    return RK_OK;
}

static rk_status run(rki_rig *rig, const rk_program *program, rki_input *in, rki_output *wanted,
                     rki_output *got, rk_block_steps *steps, rk_diag *diag)
{
    char refused[RKI_REFUSED];
    size_t done;
    rk_status status = rki_run_text(rig, program, got, &done, refused, diag);

    if (status == RK_OK && refused[0] != '\0') {
        return rk_diag_set(diag, RK_ERR_FORMAT, "%.200s", refused);
    }
    if (status == RK_OK) {
        rki_start_alike(in, steps->rows, got, done);
        status = rki_run_device(rig, wanted, diag);
    }
    return status == RK_OK ? take(rig->loop, in, wanted, got, steps, diag) : status;
}

rk_status rk_block_steps_compute(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, rk_block_steps *steps,
                                 rk_diag *diag)
{
    rk_program program = {.text = {[RK_PROGRAM_SLIM_ST] = text}};
    rki_rig rig = {.loop = loop, .pins = pins, .twin = true};
    rki_input *in;
    rki_output *out;
    rk_text *twin;
    size_t each;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL || steps == NULL) return RK_ERR_ARG;
    memset(steps, 0, sizeof *steps);
    if (!loop->has_model) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a closed loop needs a model: give [model]");
    }
    rig.number = rki_number_of_block(text, pins);
    each = step_scans(loop);
    steps->rows = rig.count = LEAD + (2 * each);
    in = rk_memory_create(steps->rows, sizeof *in);
    out = rk_memory_create(2 * steps->rows, sizeof *out);
    twin = rk_text_create();
    if (in == NULL || out == NULL) {
        (void)rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
        status = RK_ERR_MEMORY;
    } else {
        fill(loop, each, steps->rows, in);
        rig.inputs = in;
        status = rk_emit_plant_st(loop, rig.number, twin, diag);
        program.text[RK_PROGRAM_PLANT_ST] = rk_text_chars(twin);
    }
    if (status == RK_OK) {
        status = run(&rig, &program, in, out, out + steps->rows, steps, diag);
    }
    rk_text_free(twin);
    rk_memory_free(in);
    rk_memory_free(out);
    return status;
}

void rk_block_steps_free(rk_block_steps *steps)
{
    if (steps == NULL) return;
    rk_memory_free(steps->columns);
    steps->columns = NULL;
}
