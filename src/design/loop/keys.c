/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/keys.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/number.h>

#include "design/base/words.h"

/* A list of words as an int, whatever the enum. */
typedef struct word_list {
    const char *(*to_text)(int value);
    rk_status (*from_text)(const char *text, int *value, rk_diag *diag);
    int first, last;
} word_list;

#define WORDS(name, lowest, highest)                                                           \
    static const char *name##_text(int value)                                                  \
    {                                                                                          \
        return rk_##name##_to_text((rk_##name)value);                                          \
    }                                                                                          \
    static rk_status name##_value(const char *text, int *value, rk_diag *diag)                 \
    {                                                                                          \
        rk_##name found = (rk_##name)0;                                                        \
        const rk_status status = rk_##name##_from_text(text, &found, diag);                    \
                                                                                               \
        *value = (int)found;                                                                   \
        return status;                                                                         \
    }                                                                                          \
    static const word_list name##_words = {name##_text, name##_value, (lowest), (highest)};

WORDS(action, RK_ACTION_DIRECT, RK_ACTION_REVERSE)
WORDS(model_kind, 0, RK_MODEL_KINDS - 1)
WORDS(form, RK_FORM_IDEAL, RK_FORM_PARALLEL)
WORDS(anti_windup, RK_ANTI_WINDUP_NONE, RK_ANTI_WINDUP_BACK_CALCULATION)
WORDS(scheme, RK_SCHEME_BACKWARD, RK_SCHEME_FORWARD)
/* Forward differences need the next scan's value, which a derivative does not have. */
static const word_list derivative_words = {scheme_text, scheme_value, RK_SCHEME_BACKWARD,
                                           RK_SCHEME_TRAPEZOID};
WORDS(algorithm, RK_ALGORITHM_POSITION, RK_ALGORITHM_VELOCITY)
WORDS(yes_no, RK_NO, RK_YES)
WORDS(warm_start, RK_WARM_START_AS_IT_WAS, RK_WARM_START_AUTOMATIC)
WORDS(fallback, RK_FALLBACK_MANUAL, RK_FALLBACK_AUTOMATIC)
WORDS(port_kind, RK_PORT_SIM, RK_PORT_MODBUS_RTU)
WORDS(word_order, RK_WORD_ORDER_HIGH_FIRST, RK_WORD_ORDER_LOW_FIRST)
WORDS(date_order, RK_DATE_ORDER_BY_FILE, RK_DATE_ORDER_MONTH_FIRST)

/* A row: the key, and where its value lies. */
typedef struct row {
    rk_key key;
    const word_list *words;
    size_t offset, size;
} row;

#define AT(field) offsetof(rk_design, field), sizeof(((rk_design *)NULL)->field)
#define ROW(section, name, type, unit, range, field, otherwise, help)                          \
    {                                                                                          \
        {section, name, RK_KEY_##type, RK_UNIT_##unit, RK_RANGE_##range, otherwise, help},     \
            NULL, AT(field)                                                                    \
    }
#define WORD(section, name, words, field, otherwise, help)                                     \
    {                                                                                          \
        {section, name, RK_KEY_WORD, RK_UNIT_NONE, RK_RANGE_ANY, otherwise, help}, &(words),   \
            AT(field)                                                                          \
    }
#define NUMBER(section, name, unit, range, field, otherwise, help)                             \
    ROW(section, name, NUMBER, unit, range, field, otherwise, help)
#define TIME(section, name, range, field, otherwise, help)                                     \
    ROW(section, name, TIME, NONE, range, field, otherwise, help)
#define TEXT(section, name, field, otherwise, help)                                            \
    ROW(section, name, TEXT, NONE, ANY, field, otherwise, help)
#define LIMIT(name, type, unit, range, what, otherwise, help)                                  \
    ROW("require", name, type, unit, range, requirements.limit[RK_REQUIRE_##what], otherwise,  \
        help)

static const rk_section sections[] = {
    {"loop", "The control loop and how often it is computed."},
    {"pv", "The process variable as the transmitter sends it."},
    {"out", "The controller output as the final control element takes it."},
    {"alarm", "When a running loop raises an alarm, and what it does without a good PV."},
    {"record", "The step test or historian export that a model is fitted to."},
    {"model", "The process model, as fit found it or as it was typed."},
    {"process", "The whole process, made of parts; rules take the model, its reduction."},
    {"let", "Named quantities; any number below or above may then be an expression of them."},
    {"relay", "What a relay test found."},
    {"settings", "The controller's settings, in the form that they were typed."},
    {"require", "What the loop must do; check and search judge by it."},
    {"plant", "The simulated plant that bump and run act on, with its faults."},
    {"port", "What bump and run act on: the simulated plant, or a device over Modbus."},
    {"program", "How emit writes the program text for the PLC."},
};

enum { SECTIONS = sizeof sections / sizeof sections[0] };

static const row rows[] = {
    TEXT("loop", "name", name, "loop", "The loop's name, as reports and program text show it."),
    TIME("loop", "scan", ABOVE_0, ts, "none",
         "How often the controller is computed; the PLC task's interval."),
    NUMBER("loop", "delay-scans", NONE, FROM_0, delay_scans, "0",
           "Scans from PV's sample to OUT's change: computing, communication."),
    WORD("loop", "action", action_words, action, "none",
         "Whether OUT rises with PV (direct, kc below 0) or falls (reverse, kc above 0)."),
    TEXT("pv", "units", pv_units, "pv-EU", "PV's engineering unit."),
    NUMBER("pv", "low", PV, ANY, pv_low, "none", "Low end of the transmitter's range."),
    NUMBER("pv", "high", PV, ANY, pv_high, "none", "High end of the transmitter's range."),
    TEXT("out", "units", out_units, "out-EU", "OUT's engineering unit."),
    NUMBER("out", "low", OUT, ANY, out_low, "none", "Lowest output."),
    NUMBER("out", "high", OUT, ANY, out_high, "none", "Highest output."),
    NUMBER("out", "rate", OUT_RATE, ABOVE_0, out_rate, "no limit",
           "Fastest change of the output."),
    NUMBER("out", "safe", OUT, ANY, out_safe, "OUT is held",
           "Where OUT goes when the controller fails or a run is stopped."),
    NUMBER("alarm", "low", PV, ANY, alarms.low, "none", "Alarm when PV falls below this."),
    NUMBER("alarm", "high", PV, ANY, alarms.high, "none", "Alarm when PV rises above this."),
    NUMBER("alarm", "deviation", PV, ABOVE_0, alarms.deviation, "none",
           "Alarm when PV is further than this from the setpoint."),
    NUMBER("alarm", "gap", PV, FROM_0, alarms.gap, "0",
           "An alarm goes when PV is back by this much."),
    TIME("alarm", "stale", ABOVE_0, alarms.stale, "none",
         "A PV that does not change for this long is bad."),
    TIME("alarm", "hold", FROM_0, alarms.hold, "for ever",
         "OUT is held for this long without a good PV, then goes to [out] safe."),
    TEXT("record", "file", record_file, "none",
         "The record, a CSV file; a relative path starts at the loop file."),
    TEXT("record", "time", time_column, "by the usual names",
         "The record's time column, by name or number."),
    TEXT("record", "out", out_column, "by the usual names",
         "The record's OUT column, by name or number."),
    TEXT("record", "pv", pv_column, "by the usual names",
         "The record's PV column, by name or number."),
    TEXT("record", "quality", quality_column, "by the usual names",
         "The record's quality column, whose bad rows are dropped; none: ignore it."),
    ROW("record", "time-unit", TIME_UNIT, NONE, ANY, record_time_unit, "as its header says",
        "What a number in the time column counts."),
    WORD("record", "date-order", date_order_words, record_order, "by-file",
         "Which number is the day in dates such as 03/04/2026."),
    TIME("record", "moved-at", FROM_0, moved_at, "none",
         "In a record without OUT: when OUT was moved, from the first row."),
    NUMBER("record", "move", OUT, NOT_0, move, "none", "By how much it was moved."),
    NUMBER("record", "out-start", OUT, ANY, out_start, "0", "Where OUT stood before."),
    TEXT("record", "validate", validate_path, "none",
         "A second record, which the model is tried on and not fitted to."),
    WORD("model", "kind", model_kind_words, model.kind, "fopdt", "The kind of process."),
    NUMBER("model", "gain", GAIN, NOT_0, model.gain, "needed",
           "Process gain: by how much PV follows OUT; of an integrator how fast."),
    ROW("model", "time-constant", TIMES, NONE, ABOVE_0, model.time_constant,
        "needed, but for ipdt", "Time constant, or two."),
    NUMBER("model", "damping", NONE, BETWEEN_0_AND_1, model.damping, "none",
           "Damping of a sopdt-osc model."),
    TIME("model", "dead-time", FROM_0, model.dead_time, "needed",
         "How long PV does not answer a move of OUT."),
    NUMBER("model", "out0", OUT, ANY, model.out0, "0", "Operating point: OUT."),
    NUMBER("model", "pv0", PV, ANY, model.pv0, "0", "Operating point: the PV that OUT holds."),
    ROW("model", "gain-95", INTERVAL, GAIN, ANY, gain95, "not known",
        "95 % interval of the gain."),
    ROW("model", "time-constant-95", TIME_INTERVAL, NONE, ANY, tau95[0], "not known",
        "95 % interval of the longer time constant."),
    ROW("model", "dead-time-95", TIME_INTERVAL, NONE, ANY, dead_time95, "not known",
        "95 % interval of the dead time."),
    ROW("model", "covariance", TRIANGLE, NONE, ANY, triangle, "not known",
        "Covariance of the model's numbers: the lower triangle, row by row."),
    NUMBER("model", "noise", PV, ABOVE_0, noise, "not known",
           "Standard deviation of PV's noise."),
    NUMBER(
        "process", "gain", GAIN, NOT_0, process.gain, "needed",
        "Gain of all parts together: by how much PV follows OUT; of an integrator how fast."),
    ROW("process", "lags", LAGS, NONE, ABOVE_0, process.lag, "needed, but for an integrator",
        "Time constants in series, in the order from OUT to PV: valve, process, sensor."),
    WORD("process", "integrating", yes_no_words, process_integrates, "no",
         "Whether PV keeps moving for as long as OUT is off balance."),
    TIME("process", "inverse-response", FROM_0, process.inverse, "0",
         "How strongly PV first goes the wrong way: V of a factor 1 - V s."),
    TIME("process", "dead-time", FROM_0, process.dead_time, "0",
         "How long PV does not answer a move of OUT."),
    NUMBER("process", "out0", OUT, ANY, process.out0, "0", "Operating point: OUT."),
    NUMBER("process", "pv0", PV, ANY, process.pv0, "0",
           "Operating point: the PV that OUT holds."),
    NUMBER("relay", "ultimate-gain", KC, NOT_0, ultimate_gain, "not known",
           "The controller gain at which the loop just swings on."),
    TIME("relay", "ultimate-period", ABOVE_0, ultimate_period, "not known",
         "The period of that swing."),
    TEXT("settings", "rule", rule, "none", "The published rule that the settings come from."),
    TIME("settings", "lambda", ABOVE_0, lambda, "as the rule has it",
         "The closed-loop time constant that the rule was asked for."),
    WORD("settings", "form", form_words, given.form, "ideal",
         "Form of the settings: ideal and series have kc, ti, td; parallel kp, ki, kd."),
    NUMBER("settings", "kc", KC, NOT_0, given.kc, "none", "Controller gain."),
    TIME("settings", "ti", ABOVE_0, given.ti, "no integral action", "Integral time."),
    TIME("settings", "td", FROM_0, given.td, "no derivative action", "Derivative time."),
    TIME("settings", "tf", FROM_0, given.tf, "td/10", "Derivative filter time; 0: no filter."),
    NUMBER("settings", "kp", KC, NOT_0, given.kp, "none",
           "Proportional gain of the parallel form."),
    NUMBER("settings", "ki", KI, ANY, given.ki, "none", "Integral gain of the parallel form."),
    NUMBER("settings", "kd", KD, ANY, given.kd, "none",
           "Derivative gain of the parallel form."),
    NUMBER("settings", "sp-weight", NONE, 0_TO_1, settings.sp_weight, "1",
           "Setpoint weight: how much of a setpoint change acts on P."),
    NUMBER("settings", "d-sp-weight", NONE, 0_TO_1, settings.d_sp_weight, "0",
           "Setpoint weight of the derivative: how much of a setpoint change acts on D."),
    NUMBER("settings", "bias", OUT, ANY, settings.bias, "the operating point's OUT",
           "OUT of a controller without integral action where there is no error."),
    NUMBER("settings", "deadband", PV, FROM_0, settings.deadband, "0",
           "Errors within it count as none."),
    NUMBER("settings", "sp-rate", PV_RATE, ABOVE_0, settings.sp_rate, "the setpoint steps",
           "Fastest move of the setpoint that the controller follows."),
    WORD("settings", "anti-windup", anti_windup_words, settings.anti_windup, "back-calculation",
         "What keeps the integral from winding up while OUT is saturated."),
    WORD("settings", "integral-by", scheme_words, settings.integral, "backward",
         "How the integral is summed from scan to scan."),
    WORD("settings", "derivative-by", derivative_words, settings.derivative, "backward",
         "How the derivative is taken from scan to scan."),
    WORD("settings", "algorithm", algorithm_words, settings.algorithm, "position",
         "Whether the controller computes OUT itself or its change."),
    TIME("settings", "tracking-time", ABOVE_0, settings.tt, "ti; with derivative sqrt(ti td)",
         "How fast back-calculation takes back what a limit cut off."),
    TIME("settings", "pv-filter", FROM_0, settings.pv_filter, "0",
         "First-order filter on PV before the controller."),
    WORD("settings", "predictor", yes_no_words, settings.predictor, "no",
         "Dead-time compensator with the loop's model before the controller."),
    NUMBER("settings", "on-off", PV, FROM_0, settings.on_off, "none",
           "Two-position control instead, with this hysteresis to each side of the setpoint."),
    LIMIT("gain-margin", NUMBER, NONE, ABOVE_1, GAIN_MARGIN, "2", "Gain margin, at least."),
    LIMIT("phase-margin", NUMBER, DEGREES, ABOVE_0, PHASE_MARGIN, "45",
          "Phase margin, at least."),
    LIMIT("delay-margin", TIME, NONE, ABOVE_0, DELAY_MARGIN, "not asked",
          "Delay margin, at least."),
    LIMIT("ms", NUMBER, NONE, ABOVE_1, MS, "2", "Maximum sensitivity Ms, at most."),
    LIMIT("overshoot", NUMBER, PERCENT, FROM_0, OVERSHOOT, "not asked",
          "Overshoot of a setpoint step, at most."),
    LIMIT("settling", TIME, NONE, ABOVE_0, SETTLING, "not asked",
          "Settling time of a setpoint step to 2 %, at most."),
    LIMIT("rise", TIME, NONE, ABOVE_0, RISE, "not asked",
          "Rise time of a setpoint step, 10 to 90 %, at most."),
    LIMIT("steady-error", NUMBER, PV, ABOVE_0, STEADY_ERROR, "not asked",
          "Steady error after a setpoint step, at most."),
    LIMIT("peak", NUMBER, PV, ABOVE_0, PEAK, "not asked",
          "Largest deviation of PV after a load step, at most."),
    LIMIT("recovery", TIME, NONE, ABOVE_0, RECOVERY, "not asked",
          "Recovery time after a load step, to 2 % of the setpoint step, at most."),
    LIMIT("travel", NUMBER, OUT, ABOVE_0, TRAVEL, "not asked",
          "Travel of OUT, the sum of its moves, at most: of the step that takes more."),
    LIMIT("largest-move", NUMBER, OUT, ABOVE_0, LARGEST_MOVE, "not asked",
          "Largest move of OUT in a scan, at most."),
    LIMIT("out-noise", NUMBER, OUT, ABOVE_0, OUT_NOISE, "1 % of OUT's range",
          "Standard deviation of OUT that PV's noise makes, at most."),
    NUMBER("require", "sp-step", PV, NOT_0, requirements.sp_step, "5 % of PV's range",
           "The setpoint step that the requirements are judged by."),
    NUMBER("require", "load-step", OUT, NOT_0, requirements.load_step, "5 % of OUT's range",
           "The load step at the plant's input that they are judged by."),
    WORD("plant", "kind", model_kind_words, plant.model.kind, "fopdt", "The kind of process."),
    NUMBER("plant", "gain", GAIN, NOT_0, plant.model.gain, "needed", "Process gain."),
    ROW("plant", "time-constant", TIMES, NONE, ABOVE_0, plant.model.time_constant,
        "needed, but for ipdt", "Time constant, or two."),
    NUMBER("plant", "damping", NONE, BETWEEN_0_AND_1, plant.model.damping, "none",
           "Damping of a sopdt-osc plant."),
    TIME("plant", "dead-time", FROM_0, plant.model.dead_time, "needed", "Dead time."),
    NUMBER("plant", "out0", OUT, ANY, plant.model.out0, "0", "Operating point: OUT."),
    NUMBER("plant", "pv0", PV, ANY, plant.model.pv0, "0",
           "Operating point: the PV that OUT holds."),
    NUMBER("plant", "out", OUT, ANY, plant.out, "out0", "OUT at the start."),
    NUMBER("plant", "noise", PV, FROM_0, plant.noise, "0", "Standard deviation of PV's noise."),
    NUMBER("plant", "noise-correlation", NONE, 0_TO_BELOW_1, plant.noise_correlation, "0",
           "Correlation of the noise from a scan to the next."),
    NUMBER("plant", "seed", NONE, FROM_0, plant.seed, "1",
           "A whole number that the noise begins with: the same one, the same noise."),
    NUMBER("plant", "adc-bits", NONE, 4_TO_24, plant.adc_bits, "no steps",
           "Bits of the converter over PV's range."),
    NUMBER("plant", "valve-rate", OUT_RATE, ABOVE_0, plant.valve_rate, "no limit",
           "Fastest stroke of the valve."),
    NUMBER("plant", "backlash", OUT, FROM_0, plant.backlash, "0",
           "Play of the valve when it turns round."),
    NUMBER("plant", "stiction", OUT, FROM_0, plant.stiction, "0",
           "A smaller change of OUT does not move the valve."),
    NUMBER("plant", "load", OUT, ANY, plant.load, "none",
           "A load step at the plant's input; with load-at."),
    TIME("plant", "load-at", FROM_0, plant.load_at, "none", "When the load steps."),
    ROW("plant", "sensor-sticks", STRETCH, NONE, FROM_0, plant.sensor_sticks, "never",
        "When PV stays at its last value."),
    ROW("plant", "sensor-bad", STRETCH, NONE, FROM_0, plant.sensor_bad, "never",
        "When PV is NaN."),
    ROW("plant", "port-drops", STRETCH, NONE, FROM_0, plant.port_drops, "never",
        "When neither PV nor OUT gets through."),
    TEXT("plant", "valve-file", plant.valve_file, "none",
         "A file that keeps the valve's place from one run to the next."),
    WORD("port", "kind", port_kind_words, port.kind, "sim", "What stands at the other end."),
    TEXT("port", "address", port.address, "needed, but for sim",
         "HOST:PORT of modbus-tcp, or DEVICE BAUD FRAME such as /dev/ttyUSB0 9600 8N1."),
    NUMBER("port", "unit", NONE, FROM_0, port.unit, "1", "The device's Modbus address."),
    ROW("port", "pv", REGISTER, NONE, ANY, port.pv, "needed, but for sim",
        "Where PV is read: int16, uint16, int32, uint32 or float32 in input or holding; its raw "
        "numbers at the range's ends."),
    ROW("port", "out", REGISTER, NONE, ANY, port.out, "needed, but for sim",
        "Where OUT is written, a holding register, with its raw numbers."),
    ROW("port", "out-now", REGISTER, NONE, ANY, port.out_now, "out's own register",
        "Where OUT is read back: what stands on the valve."),
    ROW("port", "pv-good", FLAG, NONE, ANY, port.pv_good, "PV is taken as good",
        "What reads 0 while PV is bad."),
    ROW("port", "enable", FLAG, NONE, ANY, port.enable, "OUT may always be written",
        "What reads 0 while nothing may be written."),
    ROW("port", "heartbeat", FLAG, NONE, ANY, port.heartbeat, "none",
        "A holding register that counts the scans, for the device to watch."),
    WORD("port", "word-order", word_order_words, port.word_order, "high-first",
         "Which half of a 32-bit value stands at the lower address."),
    TIME("port", "timeout", ABOVE_0, port.timeout, "200ms",
         "How long without a whole reply until the connection is made anew."),
    WORD("program", "warm-start", warm_start_words, program.warm_start, "as-it-was",
         "Whether the loop is in manual or automatic after a warm restart of the PLC."),
    WORD("program", "configuration", yes_no_words, program.configuration, "yes",
         "Whether CONFIGURATION, RESOURCE and TASK are written; a project may have its own."),
    NUMBER("program", "name-length", NONE, 24_TO_64, program.name_length, "53",
           "Longest name that the PLC takes, characters."),
    ROW("program", "pv-raw", INTERVAL, NONE, ANY, program.pv_raw, "PV is in its own unit",
        "Counts of the input channel at the low and the high end of PV's range."),
    ROW("program", "out-raw", INTERVAL, NONE, ANY, program.out_raw, "OUT is in its own unit",
        "Counts of the output channel at the low and the high end of OUT's range."),
    TEXT("program", "pv-at", program.pv_at, "left open", "The input channel's address: %IW0."),
    TEXT("program", "out-at", program.out_at, "left open",
         "The output channel's address: %QW0."),
    TIME("program", "heartbeat-time", ABOVE_0, program.heartbeat_time, "2s",
         "How long [port] heartbeat may stand still until the PLC takes OUT back."),
    WORD("program", "fallback", fallback_words, program.fallback, "manual",
         "Whether the loop is in manual or automatic when the PLC takes OUT back."),
};

enum { ROWS = sizeof rows / sizeof rows[0] };
_Static_assert((int)ROWS <= (int)RK_KEYS_MAX, "who keeps something a key has room for all");

size_t rk_key_count(void)
{
    return ROWS;
}

const rk_key *rk_key_at(size_t place)
{
    return place < ROWS ? &rows[place].key : NULL;
}

size_t rk_key_place(const char *section, const char *name)
{
    size_t i = 0;

    while (i < ROWS &&
           (strcmp(rows[i].key.section, section) != 0 || strcmp(rows[i].key.name, name) != 0)) {
        i++;
    }
    return i;
}

const rk_section *rk_section_at(size_t place)
{
    return place < SECTIONS ? &sections[place] : NULL;
}

/* Ranges: what they take, and how that is said. */
static bool in_range(rk_key_range range, double x)
{
    switch (range) {
    case RK_RANGE_ABOVE_0:
        return x > 0;
    case RK_RANGE_FROM_0:
        return x >= 0;
    case RK_RANGE_NOT_0:
        return x != 0;
    case RK_RANGE_0_TO_1:
        return x >= 0 && x <= 1;
    case RK_RANGE_0_TO_BELOW_1:
        return x >= 0 && x < 1;
    case RK_RANGE_BETWEEN_0_AND_1:
        return x > 0 && x < 1;
    case RK_RANGE_4_TO_24:
        return x >= 4 && x <= 24;
    case RK_RANGE_24_TO_64:
        return x >= 24 && x <= 64 && x == floor(x);
    case RK_RANGE_ABOVE_1:
        return x > 1;
    default:
        return true;
    }
}

static const char *range_words(rk_key_range range)
{
    static const char *const words[] = {"",
                                        " above 0",
                                        " of 0 or more",
                                        " that is not 0",
                                        " from 0 to 1",
                                        " from 0 to below 1",
                                        " between 0 and 1",
                                        " from 4 to 24",
                                        " from 24 to 64, whole",
                                        " above 1"};

    return words[range];
}

static const char *unit_words(rk_key_unit unit)
{
    static const char *const words[] = {"",
                                        ", percent",
                                        ", degrees",
                                        ", PV units",
                                        ", OUT units",
                                        ", PV units per OUT unit",
                                        ", OUT units per PV unit",
                                        ", OUT units per PV unit and second",
                                        ", OUT unit seconds per PV unit",
                                        ", OUT units per second",
                                        ", PV units per second"};

    return words[unit];
}

static const char *type_words(rk_key_type type)
{
    static const char *const words[] = {
        "a text",
        "a word",
        "a number",
        "a time",
        "one time, or two with a comma between",
        "one to eight times with commas between",
        "two numbers, low and high",
        "two times, low and high",
        "two times, from when and for how long",
        "a list of numbers",
        "ms, s, min or h",
        "TABLE ADDRESS TYPE [LOW..HIGH], such as input 0 int16 0..10000",
        "TABLE ADDRESS, such as coil 0 or holding 10"};

    return words[type];
}

void rk_key_describe(const rk_key *key, rk_text *text)
{
    const size_t place = rk_key_place(key->section, key->name);
    const word_list *words = place < ROWS ? rows[place].words : NULL;
    int i;

    if (words == NULL) {
        const bool several = key->type != RK_KEY_NUMBER && key->type != RK_KEY_TIME &&
                             key->range != RK_RANGE_ANY;

        rk_text_add(text, "%s%s%s%s", type_words(key->type), several ? "," : "",
                    range_words(key->range), unit_words(key->unit));
        return;
    }
    for (i = words->first; i <= words->last; i++) {
        rk_text_add(text, "%s%s", i > words->first ? ", " : "", words->to_text(i));
    }
}

static rk_status bad(const rk_key *key, const char *value, const char *why, rk_diag *diag)
{
    return rk_diag_set(diag, RK_ERR_FORMAT, "%s '%s' %s", key->name, value, why);
}

typedef bool parse_function(const char *text, size_t length, double *value);

/* Up to `most` numbers with commas between them; how many, or 0 if it is no such list. */
static int read_list(const char *value, parse_function *parse, double *list, int most)
{
    int count = 0;

    for (;; value++) {
        const size_t width = strcspn(value, ",");

        if (count == most || !parse(value, width, &list[count])) return 0;
        count++;
        value += width;
        if (*value == '\0') return count;
    }
}

/* "46,5s": a unit behind the second of two numbers and none behind the first. */
static bool is_half_with_unit(const char *value)
{
    const char *comma = strchr(value, ',');
    double number;

    return comma != NULL && rk_number_parse(value, (size_t)(comma - value), &number) &&
           !rk_number_parse(comma + 1, strlen(comma + 1), &number);
}

/* Numbers of whatever type: read, in range, and as many as the type has. */
static rk_status read_numbers(const rk_key *key, const char *value, double *list, int *count,
                              rk_diag *diag)
{
    static const struct {
        parse_function *parse;
        int least, most;
        rk_key_type single; /* what one of the numbers is */
        const char *what;
    } shapes[] = {
        [RK_KEY_NUMBER] = {rk_number_parse, 1, 1, RK_KEY_NUMBER,
                           "is not a number; use a decimal point"},
        [RK_KEY_TIME] = {rk_time_parse, 1, 1, RK_KEY_TIME, "is not a time"},
        [RK_KEY_TIMES] = {rk_time_parse, 1, 2, RK_KEY_TIME,
                          "is not one time, or two such as 160s, 62s"},
        [RK_KEY_LAGS] = {rk_time_parse, 1, RK_LAGS_MAX, RK_KEY_TIME,
                         "is not one to eight times such as 4s, 46s, 6s"},
        [RK_KEY_INTERVAL] = {rk_number_parse, 2, 2, RK_KEY_NUMBER,
                             "is not two numbers 'low, high'"},
        [RK_KEY_TIME_INTERVAL] = {rk_time_parse, 2, 2, RK_KEY_TIME,
                                  "is not two numbers 'low, high'"},
        [RK_KEY_STRETCH] = {rk_time_parse, 2, 2, RK_KEY_TIME,
                            "is not two times 'from when, for how long'"},
        [RK_KEY_TRIANGLE] = {rk_number_parse, 1, RK_TRIANGLE_MAX, RK_KEY_NUMBER,
                             "is not a list of numbers"},
    };
    char flaw[RK_FLAW_CHARS];
    int i;

    *count = read_list(value, shapes[key->type].parse, list, shapes[key->type].most);
    if (*count < shapes[key->type].least) {
        return bad(key, value,
                   key->type == RK_KEY_TIME ? rk_time_flaw(value, flaw)
                                            : shapes[key->type].what,
                   diag);
    }
    if ((key->type == RK_KEY_TIMES || key->type == RK_KEY_LAGS) && is_half_with_unit(value)) {
        return bad(key, value,
                   "could be two times or one with a decimal comma: give 46.5s, or 46s, 5s",
                   diag);
    }
    if ((key->type == RK_KEY_INTERVAL || key->type == RK_KEY_TIME_INTERVAL) &&
        !(list[0] <= list[1])) {
        return bad(key, value, shapes[key->type].what, diag);
    }
    for (i = 0; i < *count; i++) {
        if (in_range(key->range, list[i])) continue;
        return rk_diag_set(diag, RK_ERR_RANGE, "%s '%s' is out of range: give %s%s%s",
                           key->name, value,
                           *count > 1 ? "times" : type_words(shapes[key->type].single),
                           range_words(key->range), unit_words(key->unit));
    }
    return RK_OK;
}

static rk_status set_word(const row *r, const char *value, void *to, rk_diag *diag)
{
    int found = 0;
    const rk_status status = r->words->from_text(value, &found, diag);

    if (status != RK_OK && r->words == &yes_no_words) {
        rk_diag_clear(diag);
        return rk_diag_set(diag, RK_ERR_RANGE, "%s: '%.40s' is not yes or no", r->key.name,
                           value);
    }
    if (status != RK_OK) return status;
    memcpy(to, &found, sizeof found);
    return RK_OK;
}

static rk_status set_numbers(rk_design *d, const row *r, const char *value, rk_diag *diag)
{
    double list[RK_TRIANGLE_MAX] = {0};
    int count;
    rk_require what;
    const rk_status status = read_numbers(&r->key, value, list, &count, diag);

    if (status != RK_OK) return status;
    if (strcmp(r->key.section, "require") == 0 &&
        rk_require_from_text(r->key.name, &what, NULL) == RK_OK) {
        return rk_requirements_set(&d->requirements, what, list[0], diag);
    }
    if (r->key.type == RK_KEY_TRIANGLE) {
        d->triangle_numbers = count;
    }
    if (r->key.type == RK_KEY_LAGS) {
        d->process.lags = count;
    }
    if (r->key.type == RK_KEY_TIMES && count == 1) {
        list[count++] = 0.0; /* one alone: there is no second */
    }
    if (r->key.type == RK_KEY_TIMES && list[1] > list[0]) { /* the longer one first */
        const double longer = list[1];

        list[1] = list[0];
        list[0] = longer;
    }
    memcpy((char *)d + r->offset, list, (size_t)count * sizeof *list);
    return RK_OK;
}

static rk_status unknown(const char *section, const char *name, rk_diag *diag)
{
    const char *known[ROWS + 1] = {NULL}; /* there are more keys than sections */
    char what[64];
    int count = 0;
    size_t i;

    for (i = 0; i < ROWS; i++) {
        if (strcmp(rows[i].key.section, section) == 0) {
            known[count++] = rows[i].key.name;
        }
    }
    if (count > 0) {
        rki_fit(what, sizeof what, "key '%.24s' in [%s]", name, section);
        (void)rk_word_unknown(known, what, name, diag);
        return RK_ERR_FORMAT;
    }
    for (i = 0; i < SECTIONS; i++) {
        known[i] = sections[i].name;
    }
    rki_fit(what, sizeof what, "section [%.24s]", section);
    (void)rk_word_unknown(known, what, section, diag);
    return RK_ERR_FORMAT;
}

rk_status rk_design_set(rk_design *design, const char *section, const char *name,
                        const char *value, rk_diag *diag)
{
    const row *r;
    void *to;
    size_t place;

    rk_diag_clear(diag);
    if (design == NULL || section == NULL || name == NULL || value == NULL) return RK_ERR_ARG;
    place = rk_key_place(section, name);
    if (place == ROWS) return unknown(section, name, diag);
    r = &rows[place];
    to = (char *)design + r->offset;
    switch (r->key.type) {
    case RK_KEY_TEXT:
        if (strlen(value) >= r->size) return bad(&r->key, value, "is too long", diag);
        strcpy(to, value);
        return RK_OK;
    case RK_KEY_TIME_UNIT:
        if (rk_time_unit_parse(value, to)) return RK_OK;
        return bad(&r->key, value, "is not a time unit; give ms, s, min or h", diag);
    case RK_KEY_REGISTER:
    case RK_KEY_FLAG:
        return rk_port_register_set(&design->port, name, value, diag);
    case RK_KEY_WORD:
        return set_word(r, value, to, diag);
    default:
        return set_numbers(design, r, value, diag);
    }
}

static void add_number(rk_text *text, double value, int digits, const char *unit)
{
    char chars[RK_REAL_CHARS];

    if (digits > 0) {
        rk_real_format_rounded(value, digits, chars);
    } else {
        rk_real_format(value, chars);
    }
    rk_text_add(text, "%s%s", chars, unit);
}

/* The lower triangle, row by row, of the numbers that the kind has. */
static void get_triangle(const rk_design *d, rk_text *text)
{
    enum { DIGITS = 7 };
    int number[RK_MODEL_NUMBERS], a, b;
    const int count = rk_model_kind_numbers(d->model.kind, number);

    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            if (!isfinite(d->covariance.c[number[a]][number[b]])) return;
        }
    }
    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            rk_text_add(text, "%s", a + b > 0 ? ", " : "");
            add_number(text, d->covariance.c[number[a]][number[b]], DIGITS, "");
        }
    }
}

/* How many numbers a key's field holds of those that are known. */
static int known_numbers(const rk_design *d, const row *r, const double *list)
{
    const bool of_plant = strcmp(r->key.section, "plant") == 0;
    const int most = (int)(r->size / sizeof *list);

    if (r->key.type == RK_KEY_TIMES) {
        return rk_model_kind_times(of_plant ? d->plant.model.kind : d->model.kind);
    }
    if (r->key.type == RK_KEY_LAGS) return d->process.lags;
    if (r->key.type == RK_KEY_NUMBER || r->key.type == RK_KEY_TIME) return isfinite(*list);
    return most >= 2 && isfinite(list[0]) && isfinite(list[1]) ? 2 : 0;
}

static void get_numbers(const rk_design *d, const row *r, const double *list, rk_text *text)
{
    const bool is_time = r->key.type == RK_KEY_TIME || r->key.type == RK_KEY_TIMES ||
                         r->key.type == RK_KEY_LAGS || r->key.type == RK_KEY_TIME_INTERVAL ||
                         r->key.type == RK_KEY_STRETCH;
    const int count = known_numbers(d, r, list);
    int i;

    for (i = 0; i < count; i++) {
        if (!in_range(r->key.range, list[i]))
            return; /* such as a damping of 0: there is none */
    }
    for (i = 0; i < count; i++) {
        rk_text_add(text, "%s", i > 0 ? ", " : "");
        add_number(text, list[i], 0, is_time ? "s" : "");
    }
}

static void get_time_unit(double seconds, rk_text *text)
{
    static const char *const units[] = {"ms", "s", "min", "h"};
    double of_unit = 0;
    size_t i;

    for (i = 0; i < sizeof units / sizeof units[0]; i++) {
        if (rk_time_unit_parse(units[i], &of_unit) && of_unit == seconds) {
            rk_text_add(text, "%s", units[i]);
        }
    }
}

rk_status rk_design_get(const rk_design *design, const char *section, const char *name,
                        rk_text *value, rk_diag *diag)
{
    const void *from;
    const row *r;
    size_t place;
    int word;

    rk_diag_clear(diag);
    if (design == NULL || section == NULL || name == NULL || value == NULL) return RK_ERR_ARG;
    place = rk_key_place(section, name);
    if (place == ROWS) return unknown(section, name, diag);
    r = &rows[place];
    from = (const char *)design + r->offset;
    if ((strcmp(section, "model") == 0 && !design->has_model && strcmp(name, "noise") != 0) ||
        (strcmp(section, "process") == 0 && !design->has_process) ||
        (strcmp(section, "plant") == 0 && !design->has_plant)) {
        return RK_OK;
    }
    switch (r->key.type) {
    case RK_KEY_TEXT:
        rk_text_add(value, "%s", (const char *)from);
        return RK_OK;
    case RK_KEY_WORD:
        memcpy(&word, from, sizeof word);
        if (word >= r->words->first) {
            rk_text_add(value, "%s", r->words->to_text(word));
        }
        return RK_OK;
    case RK_KEY_TIME_UNIT:
        get_time_unit(*(const double *)from, value);
        return RK_OK;
    case RK_KEY_TRIANGLE:
        get_triangle(design, value);
        return RK_OK;
    case RK_KEY_REGISTER:
    case RK_KEY_FLAG:
        rk_port_register_get(&design->port, name, value);
        return RK_OK;
    default:
        get_numbers(design, r, from, value);
        return RK_OK;
    }
}

/* The triangle's numbers to their places. */
static rk_status settle_covariance(rk_design *d, rk_diag *diag)
{
    int number[RK_MODEL_NUMBERS], at = 0, a, b;
    const int count = rk_model_kind_numbers(d->model.kind, number);

    if (d->triangle_numbers == 0) return RK_OK;
    if (d->triangle_numbers != count * (count + 1) / 2) {
        return rk_diag_set(diag, RK_ERR_FORMAT,
                           "[model] covariance has %d numbers, and a %s model's has %d: take "
                           "the line out, or fit again",
                           d->triangle_numbers, rk_model_kind_to_text(d->model.kind),
                           count * (count + 1) / 2);
    }
    memset(&d->covariance, 0, sizeof d->covariance);
    for (a = 0; a < count; a++) {
        for (b = 0; b <= a; b++) {
            const double value = d->triangle[at++];

            d->covariance.c[number[a]][number[b]] = value;
            d->covariance.c[number[b]][number[a]] = value;
        }
    }
    return RK_OK;
}

/* Two-position control has a direction and no other number: from the action, or the model. */
static rk_status settle_on_off(rk_design *d, rk_diag *diag)
{
    const bool known = d->action != RK_ACTION_NOT_SAID || d->has_model;
    const bool direct =
        d->action == RK_ACTION_DIRECT || (d->action == RK_ACTION_NOT_SAID && d->model.gain < 0);

    if (rk_given_settings_any(&d->given)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[settings]: on-off is two-position control: give either it, or kc "
                           "and what belongs to it");
    }
    if (!known) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "[settings]: on-off needs a direction: give [loop] action, direct or "
            "reverse");
    }
    d->settings.kc = direct ? -1.0 : 1.0;
    d->settings.ti = HUGE_VAL;
    d->settings.td = d->settings.tf = 0.0;
    d->has_settings = true;
    return RK_OK;
}

rk_status rk_design_settle(rk_design *design, rk_diag *diag)
{
    rk_diag inner = {RK_OK, ""};
    rk_status status;

    rk_diag_clear(diag);
    if (design == NULL) return RK_ERR_ARG;
    design->process.kind =
        design->process_integrates == RK_YES ? RK_MODEL_PROCESS_INTEGRATING : RK_MODEL_PROCESS;
    status = settle_covariance(design, diag);
    if (status != RK_OK) return status;
    if (rk_settings_is_on_off(&design->settings)) return settle_on_off(design, diag);
    if (!rk_given_settings_any(&design->given)) return RK_OK;
    status = rk_settings_from_given(&design->given, "", &design->settings, &inner);
    if (status != RK_OK) return rk_diag_set(diag, status, "[settings]: %s", inner.text);
    design->has_settings = true;
    return RK_OK;
}

/* ---- the page of help ---- */

enum { NAME_WIDTH = 19 };

static void add_help(rk_text *text, const rk_key *key)
{
    rk_text_add(text, "  %-*s%s\n  %-*s", NAME_WIDTH, key->name, key->help, NAME_WIDTH, "");
    rk_key_describe(key, text);
    rk_text_add(text, "; %s%s\n",
                strncmp(key->otherwise, "needed", 6) == 0 ? "" : "default: ", key->otherwise);
}

static const char let_help[] =
    "  NAME = VALUE       A number, or an expression of other names: + - * / ^ ( ), sqrt, exp, "
    "log (natural).\n"
    "                     A number may have a time unit: 2min counts 120.\n"
    "  NAME = VALUE +- 5% With a tolerance, in percent or as a number: read as a 95 % interval, "
    "it goes into\n"
    "                     how sure the model's numbers are, for check and search --over.\n";

void rk_keys_help(rk_text *text)
{
    const rk_section *section;
    size_t i, k;

    rk_text_add(text,
                "A loop file holds everything about one control loop, a key a line:\n\n"
                "  [loop]\n  name = Blend Brix   ; a comment\n  scan = 1s\n\n"
                "A number has a decimal point. A time has a unit, ms, s, min or h; without one "
                "it is in\nseconds. Words are read whatever their case. PV units and OUT units "
                "are those of [pv]\nand [out].\n");
    for (i = 0; (section = rk_section_at(i)) != NULL; i++) {
        rk_text_add(text, "\n[%s]  %s\n", section->name, section->help);
        if (strcmp(section->name, "let") == 0) {
            rk_text_add(text, "%s", let_help);
        }
        for (k = 0; k < rk_key_count(); k++) {
            if (strcmp(rk_key_at(k)->section, section->name) == 0) {
                add_help(text, rk_key_at(k));
            }
        }
    }
}
