/* SPDX-License-Identifier: MIT */
#include "cases.h"

#include <math.h>
#include <string.h>
#include <strings.h>

/* A case being read: numbers go where the key says, words are kept. */
typedef struct reading {
    rk_trial_case *made;
    rk_given_settings given;
    double lambda, manual, on_off;
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

/* One key=value; returns false for a key that is not known, and complains of a value itself. */
static bool set_key(const job *j, reading *r, const char *key, const char *value, int *status)
{
    rk_trial_case *c = r->made;
    const struct {
        const char *key;
        bool time;
        double *to;
    } numbers[] = {
        {"kc", false, &r->given.kc},
        {"ti", true, &r->given.ti},
        {"td", true, &r->given.td},
        {"tf", true, &r->given.tf},
        {"kp", false, &r->given.kp},
        {"ki", false, &r->given.ki},
        {"kd", false, &r->given.kd},
        {"lambda", true, &r->lambda},
        {"manual", false, &r->manual},
        {"on-off", false, &r->on_off},
        {"deadband", false, &c->deadband},
        {"valve-rate", false, &c->valve_rate},
        {"backlash", false, &c->backlash},
        {"stiction", false, &c->stiction},
        {"sp-weight", false, &c->settings.sp_weight},
        {"tracking-time", true, &c->settings.tt},
        {"pv-filter", true, &c->settings.pv_filter},
        {"out-low", false, &c->limits.low},
        {"out-high", false, &c->limits.high},
        {"out-rate", false, &c->limits.rate},
        {"scan", true, &c->ts},
        {"gain", false, &c->plant.gain},
        {"time-constant", true, &c->plant.time_constant[0]},
        {"dead-time", true, &c->plant.dead_time},
    };
    rk_diag diag = {RK_OK, ""};
    size_t i;

    if (strcmp(key, "scan") == 0 && strcasecmp(value, "continuous") == 0) {
        r->continuous = true;
        return true;
    }
    for (i = 0; i < sizeof numbers / sizeof numbers[0]; i++) {
        if (strcmp(numbers[i].key, key) != 0) continue;
        if (!(numbers[i].time ? rk_time_parse : rk_number_parse)(value, strlen(value),
                                                                 numbers[i].to)) {
            *status = fail(j, EXIT_USAGE, "case '%s': %s: '%s' is not a %s", c->name, key,
                           value, numbers[i].time ? "time" : "number");
        }
        return true;
    }
    if (strcmp(key, "rule") == 0) {
        (void)snprintf(r->rule, sizeof r->rule, "%s", value);
    } else if (strcmp(key, "predictor") == 0) {
        r->predictor = strcasecmp(value, "yes") == 0;
        if (!r->predictor && strcasecmp(value, "no") != 0) {
            *status = fail(j, EXIT_USAGE, "case '%s': predictor: '%s' is not yes or no",
                           c->name, value);
        }
    } else if (strcmp(key, "form") == 0) {
        (void)rk_form_from_text(value, &r->given.form, &diag);
    } else if (strcmp(key, "anti-windup") == 0) {
        (void)rk_anti_windup_from_text(value, &c->settings.anti_windup, &diag);
    } else if (strcmp(key, "integral-by") == 0) {
        (void)rk_scheme_from_text(value, &c->settings.integral, &diag);
    } else if (strcmp(key, "derivative-by") == 0) {
        (void)rk_scheme_from_text(value, &c->settings.derivative, &diag);
    } else if (strcmp(key, "algorithm") == 0) {
        (void)rk_algorithm_from_text(value, &c->settings.algorithm, &diag);
    } else {
        return false;
    }
    if (diag.status != RK_OK) {
        *status = fail(j, EXIT_USAGE, "case '%s': %s: %s", c->name, key, diag.text);
    }
    return true;
}

/* Keys and values up to the end of the text. */
static int read_keys(const job *j, reading *r, char *words)
{
    char *rest = NULL, *word;
    int status = EXIT_DONE;

    for (word = strtok_r(words, " \t", &rest); word != NULL && status == EXIT_DONE;
         word = strtok_r(NULL, " \t", &rest)) {
        char *equals = strchr(word, '=');

        if (equals == NULL) {
            return fail(j, EXIT_USAGE, "case '%s': '%s' is not key=value", r->made->name, word);
        }
        *equals = '\0';
        if (!set_key(j, r, word, equals + 1, &status)) {
            return fail(j, EXIT_USAGE, "case '%s': unknown key '%s'; known: " CASE_KEYS,
                        r->made->name, word);
        }
    }
    return status;
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

    if (rk_given_settings_any(&r->given) || r->rule[0] != '\0' || r->predictor ||
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
    const bool given = rk_given_settings_any(&r->given);
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
        if (rk_settings_from_given(&r->given, "", &c->settings, &diag) == RK_OK) {
            return EXIT_DONE;
        }
        return fail(j, EXIT_USAGE, "case '%s': %s", c->name, diag.text);
    }
    if (j->loop.has_settings) return EXIT_DONE;
    return fail(j, EXIT_USAGE,
                "case '%s': no settings: give rule=NAME, kc and ti, manual=OUT or on-off=PV",
                c->name);
}

static int finish(const job *j, const reading *r)
{
    rk_trial_case *c = r->made;
    int status;

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
    reading r = {.made = made,
                 .given = rk_given_settings_make(),
                 .lambda = none,
                 .manual = none,
                 .on_off = none};
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
    status = read_keys(j, &r, words);
    return status == EXIT_DONE ? finish(j, &r) : status;
}
