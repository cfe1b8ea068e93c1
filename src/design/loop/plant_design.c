/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/design.h>

#include <math.h>
#include <stddef.h>

rk_plant_design rk_plant_design_make(void)
{
    const double none = nan("");
    const rk_stretch never = {none, none};
    const rk_plant_design made = {
        .out = none,
        .noise = none,
        .noise_correlation = none,
        .seed = none,
        .adc_bits = none,
        .valve_rate = none,
        .backlash = none,
        .stiction = none,
        .load = none,
        .load_at = none,
        .sensor_sticks = never,
        .sensor_bad = never,
        .port_drops = never,
    };

    return made;
}

/* Given, and not from low to below (or up to) high. */
static rk_status check_fault(const char *key, double value, double low, double high,
                             rk_diag *diag)
{
    if (isnan(value) || (value >= low && value <= high)) return RK_OK;
    if (isinf(high)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "[plant] %s %g: give %g or more", key, value,
                           low);
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "[plant] %s %g: give a number from %g to %g", key,
                       value, low, high);
}

static rk_status check_stretch(const char *key, const rk_stretch *s, rk_diag *diag)
{
    if (isnan(s->at) || (s->at >= 0 && s->length > 0)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE,
                       "[plant] %s: give when it begins and for how long, such as 30s, 10s",
                       key);
}

static rk_status check_faults(const rk_plant_design *plant, rk_diag *diag)
{
    const struct {
        const char *key;
        double value, low, high;
    } faults[] = {
        {"noise", plant->noise, 0, HUGE_VAL},
        {"noise-correlation", plant->noise_correlation, 0, 0.9999},
        {"seed", plant->seed, 0, 4294967295.0},
        {"adc-bits", plant->adc_bits, 4, 24},
        {"valve-rate", plant->valve_rate, 1e-9, HUGE_VAL},
        {"backlash", plant->backlash, 0, HUGE_VAL},
        {"stiction", plant->stiction, 0, HUGE_VAL},
        {"load-at", plant->load_at, 0, HUGE_VAL},
    };
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < sizeof faults / sizeof faults[0] && status == RK_OK; i++) {
        status =
            check_fault(faults[i].key, faults[i].value, faults[i].low, faults[i].high, diag);
    }
    return status;
}

rk_status rk_plant_design_check(const rk_plant_design *plant, double pv_low, double pv_high,
                                rk_diag *diag)
{
    rk_status status;

    rk_diag_clear(diag);
    if (plant == NULL) return RK_ERR_ARG;
    status = rk_model_check(&plant->model, diag);
    if (status == RK_OK) {
        status = check_faults(plant, diag);
    }
    if (status == RK_OK && !isnan(plant->adc_bits) && !(pv_low < pv_high)) {
        status =
            rk_diag_set(diag, RK_ERR_RANGE,
                        "[plant] adc-bits: a converter needs PV's range: give [pv] low and "
                        "high");
    }
    if (status == RK_OK && isnan(plant->load) != isnan(plant->load_at)) {
        status = rk_diag_set(diag, RK_ERR_RANGE, "[plant]: give both load and load-at");
    }
    if (status == RK_OK) {
        status = check_stretch("sensor-sticks", &plant->sensor_sticks, diag);
    }
    if (status == RK_OK) {
        status = check_stretch("sensor-bad", &plant->sensor_bad, diag);
    }
    if (status == RK_OK) {
        status = check_stretch("port-drops", &plant->port_drops, diag);
    }
    return status;
}
