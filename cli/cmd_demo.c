/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cli.h"
#include "demo_data.h"

enum { ARGS_MAX = 24, ARG_CHARS = RK_PATH_CHARS + 64, FIRST_PORT = 1502, LAST_PORT = 1520 };

typedef struct demo_job {
    job j;
    const char *dir;
    bool network;
    rk_plant_device *device; /* of the network's demo */
} demo_job;

/* A step of a demo. */
typedef struct shown_step {
    const char *say;
    const command *typed;
    const char *line;
} shown_step;

static void make(job *j)
{
    ((demo_job *)j)->dir = "redkettle-demo";
}

/* Run a command as if it were typed: words are split at blanks, @ stands for the folder. */
static int type(const demo_job *d, const command *typed, const char *line)
{
    static char words[ARGS_MAX][ARG_CHARS];
    char *argv[ARGS_MAX + 1];
    bool quoted = false;
    int argc = 0;
    size_t used = 0;

    (void)printf("\n$ redkettle ");
    for (words[0][0] = '\0'; *line != '\0'; line++) {
        char *word = words[argc];

        if (*line == '"') {
            quoted = !quoted;
        }
        if (*line == '@') {
            (void)printf("%s", d->dir);
            used += (size_t)snprintf(word + used, ARG_CHARS - used, "%s", d->dir);
            continue;
        }
        (void)putchar(*line);
        if (*line == '"') continue;
        if (*line == ' ' && !quoted) {
            argc++;
            used = 0;
        } else {
            word[used++] = *line;
        }
        words[argc][used] = '\0';
    }
    (void)printf("\n\n");
    argc++;
    for (used = 0; used < (size_t)argc; used++) {
        argv[used] = words[used];
    }
    argv[argc] = NULL;
    return run_command(typed, argc, argv);
}

static rk_status write_one(const demo_job *d, const char *name, const unsigned char *bytes,
                           size_t length, rk_diag *diag)
{
    char path[ARG_CHARS];

    (void)snprintf(path, sizeof path, "%s/%s", d->dir, name);
    return rk_file_write(path, (const char *)bytes, length, true, diag);
}

static int write_data(const demo_job *d)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status = rk_directory_make(d->dir, &diag);

    if (status == RK_OK) {
        status = write_one(d, "blend-brix.csv", demo_record, demo_record_length, &diag);
    }
    if (status == RK_OK) {
        status = write_one(d, "blend-brix.loop", demo_loop, demo_loop_length, &diag);
    }
    if (status == RK_OK) {
        status = write_one(d, "syrup-heating.loop", demo_physics, demo_physics_length, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&d->j, status, &diag);
}

static const shown_step job_steps[] = {
    {"1. A step test through a port, here the simulated plant's: the dilution-water valve "
     "by 5 % and back.",
     &command_bump,
     "bump @/blend-brix.loop --move 5 --back --hold 5min --record @/bump.csv --force"},
    {"2. The same test as it was made by hand on the plant, from the historian. Is that "
     "record any good?",
     &command_inspect, "inspect @/blend-brix.loop --figure @/inspect.png"},
    {"3. What process is this, and how sure are we?", &command_fit,
     "fit @/blend-brix.loop --figure @/fit.png --save"},
    {"4. What settings do published rules give, and with which margins?", &command_tune,
     "tune @/blend-brix.loop --mode PI"},
    {"5. Take SIMC's, and write them into the loop file.", &command_tune,
     "tune @/blend-brix.loop --rule simc --save"},
    {"6. Do they meet what the loop file requires?", &command_check, "check @/blend-brix.loop"},
    {"7. Try them beside slower and simpler ones, with a setpoint and a load step.",
     &command_trial,
     "trial @/blend-brix.loop --sp-step 0.5 --load-step 6 --case \"calm lambda: "
     "rule=lambda lambda=52s\" --case \"simple: rule=simple\" --figure @/trial-rules.png"},
    {"8. What does anti-windup do when a step asks for more than the valve has?\n   The "
     "loop as set pays the integral back (back-calculation, the default).",
     &command_trial,
     "trial @/blend-brix.loop --sp-step 4.5 --case \"conditional: "
     "anti-windup=conditional\" --case \"none: anti-windup=none\" --figure "
     "@/trial-windup.png"},
    {"9. And against the valve set by hand to where the model says it should stand?",
     &command_trial,
     "trial @/blend-brix.loop --sp-step 0.5 --load-step 6 --case \"by hand: manual=37.8\" "
     "--figure @/trial-manual.png"},
    {"10. The controller as program text, for the PLC's task of 1 s.", &command_emit,
     "emit @/blend-brix.loop --dir @ --force"},
    {"11. Does that text give the numbers of the design, bit for bit?", &command_prove,
     "prove @/blend-brix.loop --dir @"},
    {"12. Another loop, without a record: its process comes from physics, part by part.",
     &command_trial, "trial @/syrup-heating.loop --open-step 5 --figure @/open.png"},
    {"13. Do a rule's settings suit the whole of it, for all that the physics leaves open?",
     &command_check, "check @/syrup-heating.loop --rule simc"},
    {"14. All of it in one file, to be mailed: open it in a browser.", &command_report,
     "report @/blend-brix.loop --out @/blend-brix.html"},
    {NULL, NULL, NULL}};

static const shown_step network_steps[] = {
    {"1. A step test on the device: the valve by 8 % and back, in real time. PV and OUT cross the\n"
     "   wire in each scan, and a heartbeat with them.",
     &command_bump, "bump @/acid-flow.loop --move 8 --back --hold 6s --before 3s --force"},
    {"2. What process is this, and how sure are we?", &command_fit,
     "fit @/acid-flow.loop --out-moves on-rows --save"},
    {"3. SIMC's settings.", &command_tune, "tune @/acid-flow.loop --rule simc --save"},
    {"4. The loop on the device: a setpoint step, and manual.", &command_run,
     "run @/acid-flow.loop --for 16s --plain --at \"2s sp=45\" --at \"12s manual=40\" --record "
     "@/run.csv --force --figure @/run.png"},
    {NULL, NULL, NULL}};

static int show_steps(const demo_job *d, const shown_step *step)
{
    int number;

    for (number = 1; step->say != NULL; step++, number++) {
        int status;

        (void)printf("\n%s\n", step->say);
        status = type(d, step->typed, step->line);
        if (status != EXIT_DONE) {
            return fail(&d->j, status, "step %d did not succeed", number);
        }
    }
    return EXIT_DONE;
}

static int run_job(const demo_job *d)
{
    int status = write_data(d);

    if (status != EXIT_DONE) return status;
    (void)printf("Red Kettle on the blend Brix loop: the dilution-water valve FV210 holds the "
                 "Brix AT210\n"
                 "of the blended juice.\n");
    status = show_steps(d, job_steps);
    if (status != EXIT_DONE) return status;
    (void)printf(
        "\nEverything is in %s: the report (blend-brix.html), the records, the loop file, "
        "figures\n(inspect.png, fit.png, trial-*.png) and the program text "
        "(loop_controller.st,\nblend_brix_program.st, and the same in C).\n",
        d->dir);
    return EXIT_DONE;
}

/* ---- on a device ---- */

/* The loop file with a port of this machine that is free, and the device at it. */
static int start_device(demo_job *d)
{
    static const char at[] = "127.0.0.1:1502";
    const char *text = (const char *)demo_device, *place = strstr(text, at);
    rk_diag diag = {RK_OK, ""};
    rk_status status = rk_directory_make(d->dir, &diag);
    char path[ARG_CHARS], content[4096];
    rk_design loop;
    int port;

    (void)snprintf(path, sizeof path, "%s/acid-flow.loop", d->dir);
    for (port = FIRST_PORT; status == RK_OK && port <= LAST_PORT && d->device == NULL; port++) {
        (void)snprintf(content, sizeof content, "%.*s127.0.0.1:%d%.*s", (int)(place - text),
                       text, port,
                       (int)(demo_device_length - (size_t)(place - text) - strlen(at)),
                       place + strlen(at));
        status = rk_file_write(path, content, strlen(content), true, &diag);
        if (status == RK_OK) {
            status = rk_design_read(path, &loop, &diag);
        }
        if (status == RK_OK &&
            rk_plant_device_create(&loop, NULL, 1.0, &d->device, &diag) != RK_OK &&
            port == LAST_PORT) {
            status = RK_ERR_IO;
        }
    }
    if (status != RK_OK) return fail_diag(&d->j, status, &diag);
    return EXIT_DONE;
}

static int run_network(demo_job *d)
{
    int status = start_device(d);

    if (status != EXIT_DONE) return status;
    (void)printf(
        "Red Kettle on the acid flow loop, over Modbus TCP on this machine alone: the dosing "
        "valve\nFV245 holds the flow FT245, and both stand behind a device.\n");
    status = show_steps(d, network_steps);
    if (status == EXIT_DONE) {
        (void)printf(
            "\nEverything is in %s: the loop file with its [port], the records, run.png. "
            "To go on:\n  redkettle plant %s/acid-flow.loop   in one terminal, and in "
            "another\n  redkettle run %s/acid-flow.loop --for 10min\n",
            d->dir, d->dir, d->dir);
    }
    return status;
}

static int run(job *j)
{
    demo_job *d = (demo_job *)j;

    if (d->dir[0] == '\0' || strlen(d->dir) > RK_PATH_CHARS - 64) {
        return fail(j, EXIT_USAGE, "--dir: the path is empty or too long");
    }
    return d->network ? run_network(d) : run_job(d);
}

static void free_demo(job *j)
{
    rk_plant_device_free(((demo_job *)j)->device);
}

static const command_option options[] = {
    {"dir", "DIR", 1, "where to work (default: redkettle-demo)", TAKE_TEXT,
     offsetof(demo_job, dir), NULL},
    {"network", NULL, 1,
     "step test, fit, tuning and run on a device instead, over Modbus on this machine",
     TAKE_FLAG, offsetof(demo_job, network), NULL},
    {0},
};

const command command_demo = {
    .name = "demo",
    .what = "the whole job on the demo plant",
    .help =
        "The whole job on the blend Brix loop of a juice-blending hall: step test, model, "
        "tuning, check, trials, program text. With --network: the acid flow loop on a Modbus "
        "device, which stands on this machine too; it takes a minute.",
    .options = options,
    .size = sizeof(demo_job),
    .make = make,
    .steps = (step_function *const[]){run, NULL},
    .free = free_demo,
};
