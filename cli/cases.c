/* SPDX-License-Identifier: MIT */
#include "cases.h"

#include <math.h>
#include <string.h>
#include <strings.h>

/* A case being read: keys of the loop file go into a copy of the loop, the case's own beside.
 */
typedef struct reading {
    rk_trial_case *made;
    rk_design loop;
    double lambda, manual, on_off, deadband;
    bool predictor, continuous;
    char rule[32];
} reading;

static double or_none(double value)
{
    return isnan(value) ? 0.0 : value;
}

void case_from_loop(const job *j, bool on_plant, rk_trial_case *made)
{
    const rk_plant_design *plant = &j->loop.plant;

    memset(made, 0, sizeof *made);
    (void)snprintf(made->name, sizeof made->name, "%.40s",
                   j->loop.rule[0] != '\0' ? j->loop.rule : "as set");
    made->plant = made->model = j->loop.model;
    made->settings = j->loop.settings;
    made->limits = rk_design_limits(&j->loop);
    made->ts = j->loop.ts;
    if (on_plant) {
        made->plant = plant->model;
        made->valve_rate = or_none(plant->valve_rate);
        made->backlash = or_none(plant->backlash);
        made->stiction = or_none(plant->stiction);
    }
}

/* Another loop file's controller on this loop's process. */
static int case_from_file(const job *j, const char *path, rk_trial_case *made)
{
    rk_diag diag = {RK_OK, ""};
    rk_design other;
    const rk_status status = rk_design_read(path, &other, &diag);

    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (!other.has_settings) {
        return fail(j, EXIT_BAD_INPUT, "case %s: has no [settings]: tune it and save", path);
    }
    (void)snprintf(made->name, sizeof made->name, "%.40s", other.name);
    made->settings = other.settings;
    made->limits = rk_design_limits(&other);
    made->ts = isnan(other.ts) ? made->ts : other.ts;
    return EXIT_DONE;
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
        {"on-off", false, &r->on_off},
        {"deadband", false, &r->deadband},
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
    if (strcmp(key, "predictor") == 0) {
        r->predictor = strcasecmp(value, "yes") == 0;
        if (!r->predictor && strcasecmp(value, "no") != 0) {
            (void)rk_diag_set(diag, RK_ERR_FORMAT, "predictor: '%s' is not yes or no", value);
        }
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
    {"loop", "", {"scan"}},
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
    static const char *const own[] = {"deadband", "predictor", "on-off", "manual"};
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
        return rk_design_set(&r->loop, open_sections[at].section, key + width, value, diag);
    }
    return unknown_key(key, diag);
}

/* Keys and values up to the end of the text. */
static int read_keys(const job *j, reading *r, char *words)
{
    char *rest = NULL, *word;
    rk_diag diag;

    for (word = strtok_r(words, " \t", &rest); word != NULL;
         word = strtok_r(NULL, " \t", &rest)) {
        char *equals = strchr(word, '=');

        if (equals == NULL) {
            return fail(j, EXIT_USAGE, "case '%s': '%s' is not key=value", r->made->name, word);
        }
        *equals = '\0';
        if (set_key(r, word, equals + 1, &diag) != RK_OK) {
            return fail(j, EXIT_USAGE, "case '%s': %s", r->made->name, diag.text);
        }
    }
    return EXIT_DONE;
}

/* The rule sees the loop's model, not the plant the case runs on: that is what is put to trial.
 */
static int apply_rule(const job *j, const reading *r)
{
    rk_diag diag = {RK_OK, ""};
    rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;

    knobs.lambda = r->lambda;
    if (tune_by_name(&j->loop.model, r->rule, NULL, &knobs, &r->made->settings, &tuning,
                     &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "case '%s': %s", r->made->name, diag.text);
    }
    return EXIT_DONE;
}

/* What needs no settings: manual, on/off. */
static int finish_plain(const job *j, const reading *r)
{
    rk_trial_case *c = r->made;

    if (rk_given_settings_any(&r->loop.given) || r->rule[0] != '\0' || r->predictor ||
        (!isnan(r->manual) && !isnan(r->on_off))) {
        return fail(j, EXIT_USAGE, "case '%s': %s has no settings: give one or the other",
                    c->name, isnan(r->manual) ? "on-off" : "manual");
    }
    c->control = isnan(r->manual) ? RK_CONTROL_ON_OFF : RK_CONTROL_MANUAL;
    c->manual_out = r->manual;
    c->hysteresis = r->on_off;
    return EXIT_DONE;
}

static int take_settings(const job *j, const reading *r)
{
    const bool given = rk_given_settings_any(&r->loop.given);
    rk_trial_case *c = r->made;
    rk_diag diag = {RK_OK, ""};

    if (given && r->rule[0] != '\0') {
        return fail(j, EXIT_USAGE, "case '%s': give either rule or the settings, not both",
                    c->name);
    }
    if (!isnan(r->lambda) && r->rule[0] == '\0') {
        return fail(j, EXIT_USAGE, "case '%s': lambda goes with rule=NAME", c->name);
    }
    if (r->rule[0] != '\0') return apply_rule(j, r);
    if (given) {
        if (rk_settings_from_given(&r->loop.given, "", &c->settings, &diag) == RK_OK) {
            return EXIT_DONE;
        }
        return fail(j, EXIT_USAGE, "case '%s': %s", c->name, diag.text);
    }
    if (j->loop.has_settings) return EXIT_DONE;
    return fail(j, EXIT_USAGE,
                "case '%s': no settings: give rule=NAME, kc and ti, manual=OUT or on-off=PV",
                c->name);
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
    c->valve_rate = or_none(plant->valve_rate);
    c->backlash = or_none(plant->backlash);
    c->stiction = or_none(plant->stiction);
    c->deadband = r->deadband;
}

static int finish(const job *j, const reading *r)
{
    rk_trial_case *c = r->made;
    int status;

    take_loop(r);
    if (!isnan(r->manual) || !isnan(r->on_off)) return finish_plain(j, r);
    status = take_settings(j, r);
    if (status != EXIT_DONE) return status;
    if (r->predictor) {
        c->control = RK_CONTROL_PREDICTOR;
    }
    if (r->continuous) {
        c->ts = rk_scan_fast(&c->plant, &c->settings);
    }
    return EXIT_DONE;
}

int case_from_text(const job *j, bool on_plant, const char *text, rk_trial_case *made)
{
    const double none = nan("");
    const char *colon = strchr(text, ':');
    reading r = {.made = made, .lambda = none, .manual = none, .on_off = none};
    const size_t length = strlen(text);
    char words[512];
    int status;

    case_from_loop(j, on_plant, made);
    if (colon == NULL && length > 5 && strcmp(text + length - 5, ".loop") == 0) {
        return case_from_file(j, text, made);
    }
    if (colon == NULL || colon == text || (size_t)(colon - text) >= sizeof made->name) {
        return fail(j, EXIT_USAGE,
                    "case '%.60s': give \"name: key=value ...\", the name of at most %zu "
                    "letters, or a loop file",
                    text, sizeof made->name - 1);
    }
    (void)snprintf(made->name, sizeof made->name, "%.*s", (int)(colon - text), text);
    if (strlen(colon + 1) >= sizeof words) {
        return fail(j, EXIT_USAGE, "case '%s': longer than %zu letters", made->name,
                    sizeof words - 1);
    }
    (void)snprintf(words, sizeof words, "%s", colon + 1);
    r.loop = j->loop;
    r.loop.given = rk_given_settings_make();
    r.loop.plant.model = made->plant;
    if (!on_plant) { /* the model's valve has no faults but the case's own */
        r.loop.plant.valve_rate = r.loop.plant.backlash = r.loop.plant.stiction = none;
    }
    status = read_keys(j, &r, words);
    return status == EXIT_DONE ? finish(j, &r) : status;
}
