/* SPDX-License-Identifier: MIT */
#include <redkettle/live/sim_plant.h>

#include <fcntl.h>
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include <ports/sim/sim.h>
#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/number.h>
#include <redkettle/design/base/text.h>
#include <redkettle/files/write.h>

/* The plant runs in steps of this part of a scan where a valve strokes, or something happens, within
   one; else scan by scan, as a trial and the emitted twin do, to the same bits. */
enum { STEPS = 10 };

struct rk_sim_plant {
    rk_sim sim;
    rk_port inner;
    rk_real *memory;
    int steps; /* a scan */
    char valve_file[RK_PATH_CHARS];
    int valve; /* that file once it was written, or -1 */
};

/* One write of one length, in place: whatever ends the program, the file holds a whole number.
   It stands for a valve, so it need not outlive the machine and is not forced to the disk. */
static rk_status keep_valve(rk_sim_plant *p, rk_real out)
{
    char chars[RK_REAL_CHARS], line[RK_REAL_CHARS + 2];
    int length;

    if (p->valve_file[0] == '\0') return RK_OK;
    if (p->valve < 0) {
        p->valve = open(p->valve_file, O_WRONLY | O_CREAT | O_CLOEXEC, 0666);
    }
    rk_real_format(out, chars);
    length = snprintf(line, sizeof line, "%-*s\n", RK_REAL_CHARS, chars);
    return pwrite(p->valve, line, (size_t)length, 0) == length ? RK_OK : RK_ERR_IO;
}

static rk_status read_pv(void *user, rk_real *pv)
{
    const rk_sim_plant *p = user;

    return p->inner.read_pv(p->inner.user, pv);
}

static rk_status write_out(void *user, rk_real out)
{
    rk_sim_plant *p = user;
    const rk_status status = p->inner.write_out(p->inner.user, out);

    return status == RK_OK ? keep_valve(p, out) : status;
}

static rk_status read_out(void *user, rk_real *out)
{
    const rk_sim_plant *p = user;

    return p->inner.read_out(p->inner.user, out);
}

/* Where the valve was left, if it keeps its place and was ever moved. */
static rk_status find_valve(const char *path, double *out, rk_diag *diag)
{
    char *content = NULL;
    size_t length = 0;
    rk_status status;

    if (path[0] == '\0' || access(path, F_OK) != 0) return RK_OK;
    status = rk_file_read(path, &content, &length, diag);
    if (status == RK_OK && !rk_number_parse(content, strcspn(content, " \r\n"), out)) {
        status = rk_diag_set(
            diag, RK_ERR_FORMAT,
            "%s: does not hold a number; it keeps the place of the simulated valve: "
            "delete it to start anew",
            path);
    }
    rk_memory_free(content);
    return status;
}

/* NaN: there is no such fault. */
static rk_real or_none(double value)
{
    return isnan(value) ? 0.0 : value;
}

static rk_sim_stretch stretch(const rk_stretch *s, double step)
{
    rk_sim_stretch made = {0, 0};

    if (isnan(s->at)) return made;
    made.from = (unsigned long)fmin(s->at / step, 1e15);
    made.until = (unsigned long)fmin((s->at + s->length) / step, 1e15);
    return made;
}

static rk_sim_faults faults_of(const rk_design *loop, double step)
{
    const rk_plant_design *d = &loop->plant;
    rk_sim_faults made = {
        .noise = or_none(d->noise),
        .noise_correlation = or_none(d->noise_correlation),
        .seed = isnan(d->seed) ? 1 : (uint32_t)d->seed,
        .pv_low = loop->pv_low,
        .pv_high = loop->pv_high,
        .valve = {or_none(d->valve_rate) * step, or_none(d->backlash), or_none(d->stiction)},
        .sticks = stretch(&d->sensor_sticks, step),
        .bad = stretch(&d->sensor_bad, step),
        .drops = stretch(&d->port_drops, step),
        .load_step = or_none(d->load),
    };

    made.noise_innovation = sqrt(1.0 - (made.noise_correlation * made.noise_correlation));
    if (!isnan(d->adc_bits)) {
        made.converter_step = (loop->pv_high - loop->pv_low) / (exp2(d->adc_bits) - 1.0);
    }
    if (!isnan(d->load_at)) {
        made.load_at = (unsigned long)fmin(d->load_at / step, 1e15);
    }
    return made;
}

/* Is a time, or NaN, a whole number of scans? */
static bool on_a_scan(double time, double ts)
{
    const double scans = time / ts;

    return isnan(time) || fabs(scans - round(scans)) <= 1e-9 * fmax(scans, 1.0);
}

static bool stretch_on_scans(const rk_stretch *s, double ts)
{
    return on_a_scan(s->at, ts) && on_a_scan(s->length, ts);
}

static bool acts_within(const rk_plant_design *d, double ts)
{
    return d->valve_rate > 0 || !on_a_scan(d->load_at, ts) ||
           !stretch_on_scans(&d->sensor_sticks, ts) || !stretch_on_scans(&d->sensor_bad, ts) ||
           !stretch_on_scans(&d->port_drops, ts);
}

static rk_status set_up(rk_sim_plant *p, const rk_design *loop, rk_diag *diag)
{
    const rk_plant_design *d = &loop->plant;
    const int steps = acts_within(d, loop->ts) ? STEPS : 1;
    const double step = loop->ts / steps;
    const rk_sim_faults faults = faults_of(loop, step);
    double out = isnan(d->out) ? d->model.out0 : d->out;
    rk_plant_params params;
    rk_status status = rk_plant_params_from_model(&d->model, step, &params, diag);

    if (status == RK_OK) {
        status = find_valve(d->valve_file, &out, diag);
    }
    if (status != RK_OK) return status;
    p->memory = rk_memory_create(params.delay + 1, sizeof *p->memory);
    if (p->memory == NULL)
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the plant");
    status = rk_sim_init(&p->sim, &params, p->memory, params.delay + 1, out);
    if (status == RK_OK) {
        status = rk_sim_set_faults(&p->sim, &faults);
    }
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "[plant]: cannot be simulated at this scan");
    }
    p->steps = steps;
    p->inner = rk_sim_port(&p->sim);
    (void)snprintf(p->valve_file, sizeof p->valve_file, "%s", d->valve_file);
    return RK_OK;
}

rk_status rk_sim_plant_create(const rk_design *loop, rk_sim_plant **plant, rk_diag *diag)
{
    rk_sim_plant *made;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plant == NULL) return RK_ERR_ARG;
    if (!loop->has_plant) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "no [plant] to simulate: give one in the loop file");
    }
    if (!(loop->ts > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "no scan interval: give [loop] scan");
    }
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the plant");
    made->valve = -1;
    status = set_up(made, loop, diag);
    if (status != RK_OK) {
        rk_sim_plant_free(made);
        return status;
    }
    *plant = made;
    return RK_OK;
}

rk_port rk_sim_plant_port(rk_sim_plant *port)
{
    const rk_port seam = {port, read_pv, write_out, read_out};

    return seam;
}

void rk_sim_plant_set_load(rk_sim_plant *port, double load)
{
    port->sim.load = load;
}

void rk_sim_plant_advance(rk_sim_plant *port)
{
    int i;

    for (i = 0; i < port->steps; i++) {
        rk_sim_advance(&port->sim);
    }
}

void rk_sim_plant_free(rk_sim_plant *port)
{
    if (port == NULL) return;
    if (port->valve >= 0) {
        (void)close(port->valve);
    }
    rk_memory_free(port->memory);
    rk_memory_free(port);
}
