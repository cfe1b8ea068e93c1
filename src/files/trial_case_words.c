/* SPDX-License-Identifier: MIT */
#include <redkettle/files/trial_case.h>

#include <math.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>

#include <redkettle/design/base/number.h>
#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/keys.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/tune/tune.h>

/* A case being read: keys of the loop file go into a copy of the loop, the case's own beside.
 */
typedef struct reading {
    rk_trial_case *made;
    rk_design loop;
    rk_settings typed; /* the words alone, over the defaults */
    double lambda, manual;
    bool continuous, on_off, changed; /* on-off, or any key of [settings], is among the words */
    char rule[32];
} reading;

static double or_none(double value)
{
    return isnan(value) ? 0.0 : value;
}

rk_trial_case rk_trial_case_of(const rk_design *loop, bool on_plant)
{
    const rk_plant_design *plant = &loop->plant;
    rk_trial_case made;

    memset(&made, 0, sizeof made);
    (void)snprintf(made.name, sizeof made.name, "%.40s",
                   loop->rule[0] != '\0' ? loop->rule : "as set");
    made.plant = *rk_design_process(loop);
    made.model = loop->model;
    made.delay = rk_design_delay(loop);
    made.settings = loop->settings;
    made.limits = rk_design_limits(loop);
    made.ts = loop->ts;
    if (on_plant) {
        made.plant = plant->model;
        made.valve_rate = or_none(plant->valve_rate);
        made.backlash = or_none(plant->backlash);
        made.stiction = or_none(plant->stiction);
    }
    return made;
}

/* Keys that are no keys of a loop file; false: it is none of them. */
static bool set_own(reading *r, const char *key, const char *value, rk_diag *diag)
{
    const struct {
        const char *key;
        bool time;
        double *to;
    } numbers[] = {
        {"lambda", true, &r->lambda},
        {"manual", false, &r->manual},
    };
    size_t i;

    for (i = 0; i < sizeof numbers / sizeof numbers[0]; i++) {
        if (strcmp(numbers[i].key, key) != 0) continue;
        if (!(numbers[i].time ? rk_time_parse : rk_number_parse)(value, strlen(value),
                                                                 numbers[i].to)) {
            (void)rk_diag_set(diag, RK_ERR_FORMAT, "%s: '%s' is not a %s", key, value,
                              numbers[i].time ? "time" : "number");
        }
        return true;
    }
    if (strcmp(key, "rule") == 0) {
        (void)snprintf(r->rule, sizeof r->rule, "%s", value);
        return true;
    }
    if (strcmp(key, "scan") == 0 && strcasecmp(value, "continuous") == 0) {
        r->continuous = true;
        return true;
    }
    return false;
}

/* What of the loop file a case may change, and how the key is called there. */
static const struct {
    const char *section, *prefix;
    const char *names[10]; /* none: all */
} open_sections[] = {
    {"settings", "", {NULL}},
    {"loop", "", {"scan", "delay-scans"}},
    {"out", "out-", {"low", "high", "rate"}},
    {"plant",
     "",
     {"kind", "gain", "time-constant", "damping", "dead-time", "valve-rate", "backlash",
      "stiction"}},
};

enum { OPEN_SECTIONS = sizeof open_sections / sizeof open_sections[0], KNOWN_MOST = 64 };

/* A key that a case may change by its name there; NULL: none. */
static const rk_key *open_key(int at, size_t place)
{
    const rk_key *key = rk_key_at(place);
    int i;

    if (strcmp(key->section, open_sections[at].section) != 0) return NULL;
    for (i = 0; open_sections[at].names[i] != NULL; i++) {
        if (strcmp(open_sections[at].names[i], key->name) == 0) return key;
    }
    return i == 0 ? key : NULL;
}

static rk_status unknown_key(const char *typed, rk_diag *diag)
{
    static const char *const own[] = {"manual"};
    enum { OWN = sizeof own / sizeof own[0] };
    char names[KNOWN_MOST][24], what[64];
    const char *known[KNOWN_MOST + OWN + 1] = {NULL};
    int count = 0, at, i;
    size_t place;

    for (at = 0; at < OPEN_SECTIONS; at++) {
        for (place = 0; place < rk_key_count() && count < KNOWN_MOST; place++) {
            const rk_key *key = open_key(at, place);

            if (key == NULL) continue;
            (void)snprintf(names[count], sizeof names[0], "%s%.18s", open_sections[at].prefix,
                           key->name);
            known[count] = names[count];
            count++;
        }
    }
    for (i = 0; i < OWN; i++) {
        known[count++] = own[i];
    }
    (void)snprintf(what, sizeof what, "key '%.40s'", typed);
    return rk_word_unknown(known, what, typed, diag);
}

static void take_typed(reading *r, const char *key, const char *value)
{
    rk_design typed = rk_design_make();

    typed.settings = r->typed;
    if (rk_design_set(&typed, "settings", key, value, NULL) == RK_OK) {
        r->typed = typed.settings;
    }
}

static rk_status set_key(reading *r, const char *key, const char *value, rk_diag *diag)
{
    int at;

    rk_diag_clear(diag);
    if (set_own(r, key, value, diag)) return diag->status;
    for (at = 0; at < OPEN_SECTIONS; at++) {
        const size_t width = strlen(open_sections[at].prefix);
        size_t place;

        if (strncmp(key, open_sections[at].prefix, width) != 0) continue;
        place = rk_key_place(open_sections[at].section, key + width);
        if (place == rk_key_count() || open_key(at, place) == NULL) continue;
        if (at == 0) take_typed(r, key, value);
        r->changed = r->changed || at == 0;
        r->on_off = r->on_off || strcmp(key, "on-off") == 0;
        return rk_design_set(&r->loop, open_sections[at].section, key + width, value, diag);
    }
    return unknown_key(key, diag);
}

/* Keys and values up to the end of the words. */
static rk_status read_keys(reading *r, char *words, rk_diag *diag)
{
    char *rest = NULL, *word;

    for (word = strtok_r(words, " \t", &rest); word != NULL;
         word = strtok_r(NULL, " \t", &rest)) {
        char *equals = strchr(word, '=');
        rk_status status;

        if (equals == NULL) {
            return rk_diag_set(diag, RK_ERR_RANGE, "'%s' is not key=value", word);
        }
        *equals = '\0';
        status = set_key(r, word, equals + 1, diag);
        if (status != RK_OK) return status;
    }
    return RK_OK;
}

/* What needs no settings. */
static rk_status finish_manual(const reading *r, rk_diag *diag)
{
    rk_trial_case *c = r->made;

    if (r->changed || r->rule[0] != '\0') {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "manual has no settings: give either it or the settings");
    }
    c->manual = true;
    c->manual_out = r->manual;
    return RK_OK;
}

/* The rule sees the loop's model, not the plant the case runs on: that is what is put to trial.
 */
static rk_status apply_rule(const rk_design *loop, const reading *r, rk_diag *diag)
{
    rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;
    rk_status status;

    knobs.lambda = r->lambda;
    status = rk_tuning_compute(&loop->model, r->rule, NULL, &knobs, &tuning, diag);
    if (status == RK_OK) {
        rk_tuning_apply(&tuning, &r->made->settings);
    }
    return status;
}

/* Of the loop's other settings two-position control keeps the filter. */
static rk_status take_on_off(const reading *r, rk_diag *diag)
{
    rk_design loop = r->loop;
    rk_status status;

    if (r->rule[0] != '\0') {
        return rk_diag_set(diag, RK_ERR_RANGE, "give either rule or on-off, not both");
    }
    loop.settings = r->typed;
    loop.settings.pv_filter = r->loop.settings.pv_filter;
    status = rk_design_settle(&loop, diag);
    r->made->settings = loop.settings;
    return status;
}

static rk_status take_settings(const rk_design *loop, const reading *r, rk_diag *diag)
{
    const bool given = rk_given_settings_any(&r->loop.given);

    if (given && r->rule[0] != '\0') {
        return rk_diag_set(diag, RK_ERR_RANGE, "give either rule or the settings, not both");
    }
    if (!isnan(r->lambda) && r->rule[0] == '\0') {
        return rk_diag_set(diag, RK_ERR_RANGE, "lambda goes with rule=NAME");
    }
    if (r->on_off) return take_on_off(r, diag);
    if (given || r->rule[0] != '\0') {
        r->made->settings.on_off = nan("");
    }
    if (r->rule[0] != '\0') return apply_rule(loop, r, diag);
    if (given) return rk_settings_from_given(&r->loop.given, "", &r->made->settings, diag);
    if (loop->has_settings) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE,
                       "no settings: give rule=NAME, kc and ti, manual=OUT or on-off=PV");
}

/* What the keys changed, out of the copy of the loop. */
static void take_loop(const reading *r)
{
    const rk_plant_design *plant = &r->loop.plant;
    rk_trial_case *c = r->made;

    c->plant = plant->model;
    c->settings = r->loop.settings;
    c->limits = rk_design_limits(&r->loop);
    c->ts = r->loop.ts;
    c->delay = rk_design_delay(&r->loop);
    c->valve_rate = or_none(plant->valve_rate);
    c->backlash = or_none(plant->backlash);
    c->stiction = or_none(plant->stiction);
}

static rk_status finish(const rk_design *loop, const reading *r, rk_diag *diag)
{
    rk_trial_case *c = r->made;
    rk_status status;

    take_loop(r);
    if (!isnan(r->manual)) return finish_manual(r, diag);
    status = take_settings(loop, r, diag);
    if (status == RK_OK) {
        status = rk_settings_check(&c->settings, diag);
    }
    if (status != RK_OK) return status;
    if (r->continuous) {
        c->ts = rk_scan_fast(&c->plant, &c->settings);
        c->delay = 0.0;
    }
    return RK_OK;
}

rk_status rk_trial_case_change(const rk_design *loop, bool on_plant, const char *keys,
                               rk_trial_case *changed, rk_diag *diag)
{
    const double none = nan("");
    rk_trial_case made;
    reading r = {.made = &made, .lambda = none, .manual = none};
    char words[512];
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || keys == NULL || changed == NULL) return RK_ERR_ARG;
    made = *changed;
    r.loop = *loop;
    if (strlen(keys) >= sizeof words) {
        return rk_diag_set(diag, RK_ERR_RANGE, "longer than %zu letters", sizeof words - 1);
    }
    (void)snprintf(words, sizeof words, "%s", keys);
    r.loop.given = rk_given_settings_make();
    r.typed = rk_settings_make(none, HUGE_VAL, 0.0, 0.0);
    r.loop.plant.model = made.plant;
    if (!on_plant) { /* the model's valve has no faults but the case's own */
        r.loop.plant.valve_rate = r.loop.plant.backlash = r.loop.plant.stiction = none;
    }
    status = read_keys(&r, words, diag);
    if (status == RK_OK) {
        status = finish(loop, &r, diag);
    }
    if (status == RK_OK) {
        *changed = made;
    }
    return status;
}
