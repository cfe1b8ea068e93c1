/* SPDX-License-Identifier: MIT */
#include <redkettle/files/loop_file.h>

#include <errno.h>
#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#include <ini.h>

#include <redkettle/files/number.h>

enum { KEYS_MAX = 96, TRIANGLE = RK_MODEL_NUMBERS * (RK_MODEL_NUMBERS + 1) / 2 };

/* A file being read: the loop, and what stands between its lines and it. */
typedef struct reading {
    const char *path;
    FILE *file;
    rk_design loop;
    rk_given_settings given;
    bool seen[KEYS_MAX];       /* for each row of the table */
    double triangle[TRIANGLE]; /* [model] covariance */
    int triangle_count;
    int line;
    rk_diag *diag;
    rk_status status;
} reading;

typedef enum value_type {
    TEXT, /* into a char array */
    REAL, /* a number */
    TIME, /* a number with a time unit */
    PAIR, /* two numbers, low and high */
    PAIR_OF_TIMES,
    TIMES,      /* one or two times, the longer first */
    COVARIANCE, /* the lower triangle, row by row */
    STRETCH,    /* two times: from when, for how long */
    TIME_UNIT,
    ACTION,
    KIND,
    FORM,
    ANTI_WINDUP,
    SCHEME,
    ALGORITHM,
    LIMIT, /* a requirement */
} value_type;

#define LOOP(field) offsetof(reading, loop.field), sizeof(((reading *)NULL)->loop.field)
#define GIVEN(field) offsetof(reading, given.field), sizeof(((reading *)NULL)->given.field)

/* Every key there is. */
static const struct key {
    const char *section, *name;
    value_type type;
    size_t offset, size;
} keys[] = {
    {"loop", "name", TEXT, LOOP(name)},
    {"loop", "scan", TIME, LOOP(ts)},
    {"loop", "action", ACTION, LOOP(action)},
    {"pv", "units", TEXT, LOOP(pv_units)},
    {"pv", "low", REAL, LOOP(pv_low)},
    {"pv", "high", REAL, LOOP(pv_high)},
    {"out", "units", TEXT, LOOP(out_units)},
    {"out", "low", REAL, LOOP(out_low)},
    {"out", "high", REAL, LOOP(out_high)},
    {"out", "rate", REAL, LOOP(out_rate)},
    {"out", "safe", REAL, LOOP(out_safe)},
    {"alarm", "low", REAL, LOOP(alarms.low)},
    {"alarm", "high", REAL, LOOP(alarms.high)},
    {"alarm", "deviation", REAL, LOOP(alarms.deviation)},
    {"alarm", "gap", REAL, LOOP(alarms.gap)},
    {"alarm", "stale", TIME, LOOP(alarms.stale)},
    {"alarm", "hold", TIME, LOOP(alarms.hold)},
    {"record", "file", TEXT, LOOP(record_file)},
    {"record", "time", TEXT, LOOP(time_column)},
    {"record", "out", TEXT, LOOP(out_column)},
    {"record", "pv", TEXT, LOOP(pv_column)},
    {"record", "quality", TEXT, LOOP(quality_column)},
    {"record", "time-unit", TIME_UNIT, LOOP(record_time_unit)},
    {"record", "validate", TEXT, LOOP(validate_path)},
    {"model", "kind", KIND, LOOP(model.kind)},
    {"model", "gain", REAL, LOOP(model.gain)},
    {"model", "time-constant", TIMES, LOOP(model.time_constant)},
    {"model", "damping", REAL, LOOP(model.damping)},
    {"model", "dead-time", TIME, LOOP(model.dead_time)},
    {"model", "out0", REAL, LOOP(model.out0)},
    {"model", "pv0", REAL, LOOP(model.pv0)},
    {"model", "gain-95", PAIR, LOOP(gain95)},
    {"model", "time-constant-95", PAIR_OF_TIMES, LOOP(tau95[0])},
    {"model", "dead-time-95", PAIR_OF_TIMES, LOOP(dead_time95)},
    {"model", "covariance", COVARIANCE, LOOP(covariance)},
    {"model", "noise", REAL, LOOP(noise)},
    {"relay", "ultimate-gain", REAL, LOOP(ultimate_gain)},
    {"relay", "ultimate-period", TIME, LOOP(ultimate_period)},
    {"settings", "rule", TEXT, LOOP(rule)},
    {"settings", "lambda", TIME, LOOP(lambda)},
    {"settings", "form", FORM, GIVEN(form)},
    {"settings", "kc", REAL, GIVEN(kc)},
    {"settings", "ti", TIME, GIVEN(ti)},
    {"settings", "td", TIME, GIVEN(td)},
    {"settings", "tf", TIME, GIVEN(tf)},
    {"settings", "kp", REAL, GIVEN(kp)},
    {"settings", "ki", REAL, GIVEN(ki)},
    {"settings", "kd", REAL, GIVEN(kd)},
    {"settings", "sp-weight", REAL, LOOP(settings.sp_weight)},
    {"settings", "anti-windup", ANTI_WINDUP, LOOP(settings.anti_windup)},
    {"settings", "integral-by", SCHEME, LOOP(settings.integral)},
    {"settings", "derivative-by", SCHEME, LOOP(settings.derivative)},
    {"settings", "algorithm", ALGORITHM, LOOP(settings.algorithm)},
    {"settings", "tracking-time", TIME, LOOP(settings.tt)},
    {"settings", "pv-filter", TIME, LOOP(settings.pv_filter)},
    {"require", "gain-margin", LIMIT, 0, 0},
    {"require", "phase-margin", LIMIT, 0, 0},
    {"require", "delay-margin", LIMIT, 0, 0},
    {"require", "ms", LIMIT, 0, 0},
    {"require", "overshoot", LIMIT, 0, 0},
    {"require", "settling", LIMIT, 0, 0},
    {"require", "rise", LIMIT, 0, 0},
    {"require", "steady-error", LIMIT, 0, 0},
    {"require", "peak", LIMIT, 0, 0},
    {"require", "recovery", LIMIT, 0, 0},
    {"require", "travel", LIMIT, 0, 0},
    {"require", "largest-move", LIMIT, 0, 0},
    {"require", "out-noise", LIMIT, 0, 0},
    {"require", "sp-step", REAL, LOOP(requirements.sp_step)},
    {"require", "load-step", REAL, LOOP(requirements.load_step)},
    {"plant", "kind", KIND, LOOP(plant.model.kind)},
    {"plant", "gain", REAL, LOOP(plant.model.gain)},
    {"plant", "time-constant", TIMES, LOOP(plant.model.time_constant)},
    {"plant", "damping", REAL, LOOP(plant.model.damping)},
    {"plant", "dead-time", TIME, LOOP(plant.model.dead_time)},
    {"plant", "out0", REAL, LOOP(plant.model.out0)},
    {"plant", "pv0", REAL, LOOP(plant.model.pv0)},
    {"plant", "out", REAL, LOOP(plant.out)},
    {"plant", "noise", REAL, LOOP(plant.noise)},
    {"plant", "noise-correlation", REAL, LOOP(plant.noise_correlation)},
    {"plant", "seed", REAL, LOOP(plant.seed)},
    {"plant", "adc-bits", REAL, LOOP(plant.adc_bits)},
    {"plant", "valve-rate", REAL, LOOP(plant.valve_rate)},
    {"plant", "backlash", REAL, LOOP(plant.backlash)},
    {"plant", "stiction", REAL, LOOP(plant.stiction)},
    {"plant", "load", REAL, LOOP(plant.load)},
    {"plant", "load-at", TIME, LOOP(plant.load_at)},
    {"plant", "sensor-sticks", STRETCH, LOOP(plant.sensor_sticks)},
    {"plant", "sensor-bad", STRETCH, LOOP(plant.sensor_bad)},
    {"plant", "port-drops", STRETCH, LOOP(plant.port_drops)},
    {"plant", "valve-file", TEXT, LOOP(plant.valve_file)},
};

enum { KEYS = sizeof keys / sizeof keys[0] };
_Static_assert((int)KEYS <= (int)KEYS_MAX, "reading.seen has room for every key");

static rk_status bad(reading *r, const char *what, const char *value, const char *advice)
{
    return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d: %s '%s' %s", r->path, r->line, what,
                       value, advice);
}

/* A library call's error, told with the line it came from. */
static rk_status with_line(reading *r, rk_status status, const rk_diag *inner)
{
    return rk_diag_set(r->diag, status, "%s:%d: %s", r->path, r->line, inner->text);
}

typedef bool parse_function(const char *text, size_t length, double *value);

/* "low, high" and the like. */
static bool read_pair(const char *value, parse_function *parse, double *pair)
{
    const char *comma = strchr(value, ',');

    return comma != NULL && parse(value, (size_t)(comma - value), &pair[0]) &&
           parse(comma + 1, strlen(comma + 1), &pair[1]);
}

/* As many numbers as there are; the kind says later what they mean. */
static bool read_list(const char *value, double *list, int *count)
{
    for (*count = 0;; value++) {
        const size_t width = strcspn(value, ",");

        if (*count == TRIANGLE || !rk_number_parse(value, width, &list[*count])) return false;
        ++*count;
        value += width;
        if (*value == '\0') return true;
    }
}

static rk_status set_limit(reading *r, const char *name, const char *value)
{
    rk_diag inner = {RK_OK, ""};
    rk_require what;
    double limit;
    rk_status status = rk_require_from_text(name, &what, &inner);

    if (status != RK_OK) return with_line(r, status, &inner);
    if (!rk_time_parse(value, strlen(value), &limit) ||
        (rk_require_quantity(what) != RK_QUANTITY_TIME &&
         !rk_number_parse(value, strlen(value), &limit))) {
        return bad(r, name, value, "is not a number");
    }
    status = rk_requirements_set(&r->loop.requirements, what, limit, &inner);
    return status == RK_OK ? RK_OK : with_line(r, status, &inner);
}

static rk_status set_word(reading *r, const struct key *key, void *to, const char *value)
{
    rk_diag inner = {RK_OK, ""};
    rk_status status = RK_ERR_FORMAT;

    if (key->type == ACTION) {
        status = rk_action_from_text(value, to, &inner);
    }
    if (key->type == KIND) {
        status = rk_model_kind_from_text(value, to, &inner);
    }
    if (key->type == FORM) {
        status = rk_form_from_text(value, to, &inner);
    }
    if (key->type == ANTI_WINDUP) {
        status = rk_anti_windup_from_text(value, to, &inner);
    }
    if (key->type == SCHEME) {
        status = rk_scheme_from_text(value, to, &inner);
    }
    if (key->type == ALGORITHM) {
        status = rk_algorithm_from_text(value, to, &inner);
    }
    return status == RK_OK ? RK_OK : with_line(r, status, &inner);
}

static rk_status set_value(reading *r, const struct key *key, const char *value)
{
    void *to = (char *)r + key->offset;
    parse_function *parse;
    double *pair = to;

    switch (key->type) {
    case TEXT:
        if (strlen(value) >= key->size) return bad(r, key->name, value, "is too long");
        strcpy(to, value);
        return RK_OK;
    case REAL:
        if (rk_number_parse(value, strlen(value), to)) return RK_OK;
        return bad(r, key->name, value, "is not a number; use a decimal point");
    case TIME:
        if (rk_time_parse(value, strlen(value), to)) return RK_OK;
        return bad(r, key->name, value, "is not a time; give seconds, or 200ms, 2s, 5min, 1h");
    case TIME_UNIT:
        if (rk_time_unit_parse(value, to)) return RK_OK;
        return bad(r, key->name, value, "is not a time unit; give ms, s, min or h");
    case PAIR:
    case PAIR_OF_TIMES:
        parse = key->type == PAIR ? rk_number_parse : rk_time_parse;
        if (read_pair(value, parse, pair) && pair[0] <= pair[1]) return RK_OK;
        return bad(r, key->name, value, "is not two numbers 'low, high'");
    case TIMES:
        if (strchr(value, ',') == NULL && rk_time_parse(value, strlen(value), pair))
            return RK_OK;
        if (read_pair(value, rk_time_parse, pair)) return RK_OK;
        return bad(r, key->name, value, "is not one time, or two such as 160s, 62s");
    case COVARIANCE:
        if (read_list(value, r->triangle, &r->triangle_count)) return RK_OK;
        return bad(r, key->name, value, "is not a list of numbers");
    case STRETCH:
        if (read_pair(value, rk_time_parse, pair)) return RK_OK;
        return bad(r, key->name, value, "is not two times 'from when, for how long'");
    case LIMIT:
        return set_limit(r, key->name, value);
    default:
        return set_word(r, key, to, value);
    }
}

static const struct key *find_key(const char *section, const char *name)
{
    int i;

    for (i = 0; i < KEYS; i++) {
        if (strcmp(keys[i].section, section) == 0 && strcmp(keys[i].name, name) == 0) {
            return &keys[i];
        }
    }
    return NULL;
}

static rk_status unknown_key(reading *r, const char *section, const char *name)
{
    char known[320] = "";
    int i;

    for (i = 0; i < KEYS; i++) {
        const size_t used = strlen(known);

        if (strcmp(keys[i].section, section) != 0) continue;
        (void)snprintf(known + used, sizeof known - used, "%s%s", used > 0 ? ", " : "",
                       keys[i].name);
    }
    if (known[0] == '\0') {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s:%d: unknown section [%s]; known: loop, pv, out, record, model, "
                           "settings, require, plant",
                           r->path, r->line, section);
    }
    return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d: unknown key '%s' in [%s]; known: %s",
                       r->path, r->line, name, section, known);
}

/* inih's callback; 0 stops nothing but is remembered, so the status keeps the first error. */
static int on_key(void *user, const char *section, const char *name, const char *value)
{
    reading *r = user;
    const struct key *key = find_key(section, name);

    if (r->status != RK_OK) return 0;
    if (key == NULL) {
        r->status = unknown_key(r, section, name);
    } else if (r->seen[key - keys]) {
        r->status = bad(r, "key", name, "is given twice; delete one");
    } else {
        r->seen[key - keys] = true;
        r->status = set_value(r, key, value);
    }
    return r->status == RK_OK;
}

/* inih's reader: fgets that counts lines, refuses one that would be cut, and spots a NUL. */
static char *next_line(char *line, int room, void *stream)
{
    reading *r = stream;
    char *got = fgets(line, room, r->file);

    if (got == NULL || r->status != RK_OK) return NULL;
    r->line++;
    if (strlen(line) == (size_t)room - 1 && line[room - 2] != '\n') {
        r->status =
            rk_diag_set(r->diag, RK_ERR_FORMAT, "%s:%d: the line is longer than %d characters",
                        r->path, r->line, room - 2);
        return NULL;
    }
    /* An indented line is a key like any other, not a continuation of the value before. */
    memmove(line, line + strspn(line, " \t"), strlen(line + strspn(line, " \t")) + 1);
    return got;
}

static bool was_seen(const reading *r, const char *section, const char *name)
{
    return r->seen[find_key(section, name) - keys];
}

static bool section_seen(const reading *r, const char *section)
{
    int i;

    for (i = 0; i < KEYS; i++) {
        if (strcmp(keys[i].section, section) == 0 && r->seen[i]) return true;
    }
    return false;
}

/* A process in [model] or [plant] needs its gain, its dead time and, most kinds, its time
   constants. */
static rk_status finish_model(reading *r, const char *section, const rk_model *model,
                              bool *has_model)
{
    static const char *const needed[] = {"gain", "dead-time", "time-constant"};
    const size_t count = rk_model_kind_times(model->kind) > 0 ? 3 : 2;
    size_t i;

    if (!section_seen(r, section)) return RK_OK;
    for (i = 0; i < count; i++) {
        if (was_seen(r, section, needed[i])) continue;
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: [%s] has no %s; give it, or %s",
                           r->path, section, needed[i],
                           strcmp(section, "model") == 0 ? "take the section out and fit"
                                                         : "take the section out");
    }
    *has_model = true;
    return RK_OK;
}

/* The lower triangle, row by row, of the numbers that the kind has. */
static rk_status finish_covariance(reading *r)
{
    int number[RK_MODEL_NUMBERS], at = 0, a, b;
    const int count = rk_model_kind_numbers(r->loop.model.kind, number);

    if (r->triangle_count == 0) return RK_OK;
    if (r->triangle_count != count * (count + 1) / 2) {
        return rk_diag_set(
            r->diag, RK_ERR_FORMAT,
            "%s: [model] covariance has %d numbers, and a %s model's has %d: take "
            "the line out, or fit again",
            r->path, r->triangle_count, rk_model_kind_to_text(r->loop.model.kind),
            count * (count + 1) / 2);
    }
    memset(r->loop.covariance, 0, sizeof r->loop.covariance);
    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            const double value = r->triangle[at++];

            r->loop.covariance[number[a]][number[b]] = value;
            r->loop.covariance[number[b]][number[a]] = value;
        }
    }
    return RK_OK;
}

static rk_status finish_settings(reading *r)
{
    rk_diag inner = {RK_OK, ""};
    rk_status status;

    if (!rk_given_settings_any(&r->given)) return RK_OK;
    status = rk_settings_from_given(&r->given, "", &r->loop.settings, &inner);
    if (status != RK_OK) {
        return rk_diag_set(r->diag, status, "%s: [settings]: %s", r->path, inner.text);
    }
    r->loop.has_settings = true;
    return RK_OK;
}

/* A relative file lies beside the loop file. */
static rk_status beside(reading *r, const char *key, const char *name, char *path, size_t room)
{
    const char *slash = strrchr(r->path, '/');
    const int folder = slash != NULL && name[0] != '/' ? (int)(slash - r->path) + 1 : 0;
    char whole[2 * RK_PATH_CHARS];
    const int length = snprintf(whole, sizeof whole, "%.*s%s", folder, r->path, name);

    if (length < 0 || (size_t)length >= room) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: %s: the path is too long", r->path,
                           key);
    }
    memcpy(path, whole, (size_t)length + 1);
    return RK_OK;
}

static rk_status finish_files(reading *r)
{
    rk_design *loop = &r->loop;
    rk_status status = RK_OK;

    if (loop->record_file[0] != '\0') {
        status = beside(r, "[record] file", loop->record_file, loop->record_path,
                        sizeof loop->record_path);
    }
    if (status == RK_OK && loop->validate_path[0] != '\0') {
        status = beside(r, "[record] validate", loop->validate_path, loop->validate_path,
                        sizeof loop->validate_path);
    }
    if (status == RK_OK && loop->plant.valve_file[0] != '\0') {
        status = beside(r, "[plant] valve-file", loop->plant.valve_file, loop->plant.valve_file,
                        sizeof loop->plant.valve_file);
    }
    return status;
}

static rk_status parse(reading *r)
{
    rk_diag inner = {RK_OK, ""}, *diag = r->diag;
    rk_status status;
    int broken;

    r->diag = &inner;
    broken = ini_parse_stream(next_line, r, on_key, r);
    r->diag = diag;
    /* A line that is none stands before the key it confused: tell that one. */
    if (r->status != RK_OK && !(broken > 0 && broken < r->line)) {
        return rk_diag_set(diag, r->status, "%s", inner.text);
    }
    inner = (rk_diag){RK_OK, ""};
    if (ferror(r->file)) {
        return rk_diag_set(r->diag, RK_ERR_IO, "%s: cannot read: %s", r->path, strerror(errno));
    }
    if (broken != 0) {
        return rk_diag_set(r->diag, broken > 0 ? RK_ERR_FORMAT : RK_ERR_MEMORY,
                           "%s:%d: neither a [section], nor 'key = value', nor a ; comment",
                           r->path, broken);
    }
    if (memchr(r->seen, true, sizeof r->seen) == NULL) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: is empty; a loop file has at least [loop] name and scan",
                           r->path);
    }
    status = finish_model(r, "model", &r->loop.model, &r->loop.has_model);
    if (status == RK_OK) {
        status = finish_model(r, "plant", &r->loop.plant.model, &r->loop.has_plant);
    }
    if (status == RK_OK) {
        status = finish_covariance(r);
    }
    if (status == RK_OK) {
        status = finish_settings(r);
    }
    if (status == RK_OK) {
        status = finish_files(r);
    }
    if (status != RK_OK) return status;
    status = rk_design_check(&r->loop, &inner);
    if (status != RK_OK) return rk_diag_set(r->diag, status, "%s: %s", r->path, inner.text);
    return RK_OK;
}

rk_status rk_design_read(const char *path, rk_design *loop, rk_diag *diag)
{
    reading r = {.path = path, .diag = diag, .status = RK_OK};
    rk_status status;

    rk_diag_clear(diag);
    if (path == NULL || loop == NULL) return RK_ERR_ARG;
    r.loop = rk_design_make();
    r.given = rk_given_settings_make();
    r.file = fopen(path, "rb");
    if (r.file == NULL) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot open: %s", path, strerror(errno));
    }
    status = parse(&r);
    (void)fclose(r.file);
    if (status == RK_OK) {
        *loop = r.loop;
    }
    return status;
}
