/* SPDX-License-Identifier: MIT */
#include <stdarg.h>
#include <string.h>

#include "cli.h"
#include "demo_data.h"

enum { ARGS_MAX = 24, ARG_CHARS = RK_PATH_CHARS + 64 };

typedef struct demo_job {
    job j;
    const char *dir;
} demo_job;

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

static int run(job *j)
{
    const demo_job *d = (const demo_job *)j;
    static const struct {
        const char *say;
        const command *typed;
        const char *line;
    } shown[] = {
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
        {"6. Do they meet what the loop file requires?", &command_check,
         "check @/blend-brix.loop"},
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
    };
    int status;
    size_t i;

    if (d->dir[0] == '\0' || strlen(d->dir) > RK_PATH_CHARS - 64) {
        return fail(j, EXIT_USAGE, "--dir: the path is empty or too long");
    }
    status = write_data(d);
    if (status != EXIT_DONE) return status;
    (void)printf("Red Kettle on the blend Brix loop: the dilution-water valve FV210 holds the "
                 "Brix AT210\n"
                 "of the blended juice.\n");
    for (i = 0; i < sizeof shown / sizeof shown[0]; i++) {
        (void)printf("\n%s\n", shown[i].say);
        status = type(d, shown[i].typed, shown[i].line);
        if (status != EXIT_DONE) {
            return fail(&d->j, status, "step %zu did not succeed", i + 1);
        }
    }
    (void)printf("\nEverything is in %s: the records, the loop file, figures (inspect.png, "
                 "fit.png,\ntrial-*.png) and the program text (loop_controller.st, "
                 "blend_brix_program.st,\nand the same in C).\n",
                 d->dir);
    return EXIT_DONE;
}

static const command_option options[] = {
    {"dir", "DIR", 1, "where to work (default: redkettle-demo)", TAKE_TEXT,
     offsetof(demo_job, dir), NULL},
    {0},
};

const command command_demo = {
    .name = "demo",
    .what = "the whole job on the demo plant",
    .help = "The whole job on the blend Brix loop of a juice-blending hall: step test, model, "
            "tuning, check, trials, program text.",
    .options = options,
    .size = sizeof(demo_job),
    .make = make,
    .steps = (step_function *const[]){run, NULL},
};
