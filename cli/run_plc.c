/* SPDX-License-Identifier: MIT */
#include "run_plc.h"

#include <ctype.h>
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

enum { PINS_MAX = 64 };

struct run_plc {
    rk_plc *plc;
    rk_plc_instance *program;
    char prefix[RK_BLOCK_NAME_CHARS];
    rk_rig_settings settings; /* as they were given last */
    double clock, valve_out;  /* s; where the valve stands at the start */
    bool begun;
};

static bool find(const run_plc *p, const char *word, rk_plc_variable *v)
{
    char path[RK_VARIABLE_CHARS];

    (void)snprintf(path, sizeof path, "%.80s_%.14s", p->prefix, word);
    return rk_plc_find(p->plc, NULL, path, v, NULL) == RK_OK;
}

static void put(run_plc *p, const char *word, double value)
{
    rk_plc_variable v;

    if (!find(p, word, &v)) return;
    if (v.kind == RK_PLC_REAL || v.kind == RK_PLC_LREAL) {
        v.at->real = v.kind == RK_PLC_REAL ? (double)(float)value : value;
    } else {
        v.at->whole = (int64_t)value;
    }
}

static double get(const run_plc *p, const char *word)
{
    rk_plc_variable v;

    if (!find(p, word, &v)) return 0.0;
    return v.kind == RK_PLC_REAL || v.kind == RK_PLC_LREAL ? v.at->real : (double)v.at->whole;
}

/* The program's name, and the loop's prefix by it. */
static bool find_program(const char *text, char type[RK_BLOCK_NAME_CHARS],
                         char prefix[RK_BLOCK_NAME_CHARS])
{
    const char *at = strstr(text, "\nPROGRAM ");
    size_t length = 0;

    if (at == NULL) return false;
    at += strlen("\nPROGRAM ");
    while (length < RK_BLOCK_NAME_CHARS - 1 &&
           (isalnum((unsigned char)at[length]) || at[length] == '_')) {
        type[length] = at[length];
        length++;
    }
    type[length] = '\0';
    if (length <= strlen("_PROGRAM")) return false;
    (void)snprintf(prefix, RK_BLOCK_NAME_CHARS, "%.*s", (int)(length - strlen("_PROGRAM")),
                   type);
    return true;
}

/* One file into the PLC; the program's name is looked for in its own. */
static int load_file(const job *j, run_plc *p, const char *dir, rk_program_file file,
                     rk_number number, char type[RK_BLOCK_NAME_CHARS])
{
    char path[RK_PROGRAM_PATH_CHARS], *text = NULL;
    rk_diag diag = {RK_OK, ""};
    size_t length = 0;
    rk_status status;

    rk_program_path(dir, &j->loop, file, number, path);
    status = rk_file_read(path, &text, &length, &diag);
    if (status == RK_OK && file == RK_PROGRAM_PROGRAM && !find_program(text, type, p->prefix)) {
        status = rk_diag_set(&diag, RK_ERR_FORMAT, "%s: no PROGRAM NAME_PROGRAM in it", path);
    }
    if (status == RK_OK) {
        status = rk_plc_load(p->plc, path, text, length, &diag);
    }
    rk_memory_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

/* The program says which of the two number types it counts in. */
static int number_of(const job *j, const char *dir, rk_number *number)
{
    char path[RK_PROGRAM_PATH_CHARS], *text = NULL;
    rk_diag diag = {RK_OK, ""};
    size_t length;

    rk_program_path(dir, &j->loop, RK_PROGRAM_PROGRAM, RK_NUMBER_LREAL, path);
    if (rk_file_read(path, &text, &length, &diag) != RK_OK) {
        return fail(j, EXIT_BAD_INPUT, "%s; see redkettle emit", diag.text);
    }
    *number = strstr(text, "LOOP_CONTROLLER_REAL") != NULL ? RK_NUMBER_REAL : RK_NUMBER_LREAL;
    rk_memory_free(text);
    return EXIT_DONE;
}

int run_plc_load(const job *j, const char *dir, run_plc **made)
{
    static const rk_program_file files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PLANT_ST,
                                            RK_PROGRAM_PROGRAM};
    char type[RK_BLOCK_NAME_CHARS] = "";
    rk_number number = RK_NUMBER_LREAL;
    int status = number_of(j, dir, &number);
    run_plc *p = status == EXIT_DONE ? rk_memory_create(1, sizeof *p) : NULL;
    rk_diag diag = {RK_OK, ""};
    rk_status created = RK_OK;
    size_t i;

    if (status != EXIT_DONE) return status;
    if (p == NULL || (p->plc = rk_plc_create()) == NULL) {
        rk_memory_free(p);
        return fail(j, EXIT_NO_ACCESS, "out of memory for the PLC");
    }
    for (i = 0; i < sizeof files / sizeof files[0] && status == EXIT_DONE; i++) {
        if (!rk_program_has(&j->loop, files[i])) continue;
        status = load_file(j, p, dir, files[i], number, type);
    }
    if (status == EXIT_DONE) {
        created = rk_plc_instance_create(p->plc, type, &p->program, &diag);
    }
    if (status == EXIT_DONE && created == RK_OK) {
        created = rk_emit_rig_settings(&j->loop, RK_NUMBER_LREAL, true, &p->settings, &diag);
    }
    if (created != RK_OK) {
        status = fail_diag(j, created, &diag);
    }
    if (status != EXIT_DONE) {
        run_plc_free(p);
        return status;
    }
    *made = p;
    return EXIT_DONE;
}

void run_plc_free(run_plc *p)
{
    if (p == NULL) return;
    rk_plc_free(p->plc);
    rk_memory_free(p);
}

/* The variable of a setting; NULL: the program has none. */
static const char *word_of(const run_plc *p, const rk_rig_pin *pin)
{
    static const char *const shorter[] = {"track_time", "alarm_far"};
    rk_plc_variable v;
    size_t i;

    if (find(p, pin->name, &v)) return pin->name;
    for (i = 0; i < sizeof shorter / sizeof shorter[0]; i++) {
        if (strcmp(rk_emit_pin_of(shorter[i]), pin->name) == 0 && find(p, shorter[i], &v)) {
            return shorter[i];
        }
    }
    return NULL;
}

rk_status run_plc_can(const run_plc *p, const rk_design *after, rk_diag *diag)
{
    rk_rig_settings now;
    const rk_rig_pin *pin;
    rk_status status = rk_emit_rig_settings(after, RK_NUMBER_LREAL, true, &now, diag);

    for (pin = rk_rig_setting_pins; pin->name != NULL && status == RK_OK; pin++) {
        if (rk_rig_pin_get(pin, &now) != rk_rig_pin_get(pin, &p->settings) &&
            word_of(p, pin) == NULL) {
            status = rk_diag_set(
                diag, RK_ERR_RANGE,
                "the program has no variable for %s: emit it with that setting", pin->name);
        }
    }
    return status;
}

static rk_status take_settings(void *user, const rk_design *after, rk_diag *diag)
{
    run_plc *p = user;
    rk_rig_settings now;
    const rk_rig_pin *pin;
    rk_status status = run_plc_can(p, after, diag);

    if (status == RK_OK) {
        status = rk_emit_rig_settings(after, RK_NUMBER_LREAL, true, &now, diag);
    }
    if (status != RK_OK) return status;
    for (pin = rk_rig_setting_pins; pin->name != NULL; pin++) {
        if (rk_rig_pin_get(pin, &now) != rk_rig_pin_get(pin, &p->settings)) {
            put(p, word_of(p, pin), rk_rig_pin_get(pin, &now));
        }
    }
    p->settings = now;
    return RK_OK;
}

static uint32_t alarms_of(const run_plc *p)
{
    static const struct {
        const char *word;
        rk_alarm alarm;
    } all[] = {{"pv_bad", RK_ALARM_PV_BAD},         {"pv_stale", RK_ALARM_PV_STALE},
               {"pv_is_low", RK_ALARM_PV_LOW},      {"pv_is_high", RK_ALARM_PV_HIGH},
               {"pv_deviates", RK_ALARM_DEVIATION}, {"scan_late", RK_ALARM_SCAN_LATE}};
    uint32_t alarms = 0;
    size_t i;

    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        alarms |= get(p, all[i].word) != 0 ? (uint32_t)all[i].alarm : 0U;
    }
    return alarms;
}

/* What the port reads goes in, OUT comes back; the block is told what the program is at. */
static bool scan(void *user, rk_loop *block, double pv, bool pv_there, double elapsed,
                 char why[200])
{
    run_plc *p = user;
    const bool automatic = block->pid.mode == RK_PID_AUTO;
    rk_diag diag = {RK_OK, ""};

    put(p, "valve_known", !p->begun);
    put(p, "valve_out", p->valve_out);
    put(p, "sp", block->sp);
    put(p, "automatic", automatic);
    if (!automatic) {
        put(p, "manual_out", block->pid.manual_out);
    }
    put(p, "pv", pv_there ? pv : nan(""));
    put(p, "pv_good", pv_there);
    p->clock += p->begun ? elapsed : 0.0;
    rk_plc_set_clock(p->plc, p->clock);
    if (rk_plc_scan(p->plc, p->program, &diag) != RK_OK) {
        (void)snprintf(why, 200, "the program stops: %.170s", diag.text);
        return false;
    }
    p->begun = true;
    block->alarms = alarms_of(p);
    if ((block->alarms & (uint32_t)RK_ALARM_PV_BAD) == 0) {
        block->pv = pv;
    }
    block->out = block->pid.out = get(p, "out");
    block->pid.sp_now = get(p, "sp_now");
    block->pid.fresh = !automatic;
    return true;
}

rk_live_engine run_plc_engine(run_plc *p, double out)
{
    p->valve_out = out;
    return (rk_live_engine){p, scan, take_settings};
}
