/* SPDX-License-Identifier: MIT */
#include <errno.h>
#include <fcntl.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "parts.h"

enum { PATH_CHARS = 256, FILES = 10 };

/* A directory of its own, and all that was put into it. */
typedef struct bench {
    const char *dir;
    char file[FILES][PATH_CHARS];
    int files;
} bench;

/* Empty if the name is too long for its room: then the file cannot be opened. */
static const char *path_of(bench *b, const char *name)
{
    char *path = b->file[b->files++];

    if (snprintf(path, PATH_CHARS, "%s/%s", b->dir, name) >= PATH_CHARS) {
        path[0] = '\0';
    }
    return path;
}

static bool put_file(bench *b, const char *name, const void *content, size_t length)
{
    FILE *file = fopen(path_of(b, name), "wb");
    bool done;

    if (file == NULL) return false;
    done = fwrite(content, 1, length, file) == length;
    return fclose(file) == 0 && done;
}

static void clear(bench *b)
{
    while (b->files > 0) {
        (void)unlink(b->file[--b->files]);
    }
    (void)rmdir(b->dir);
}

/* The words of the block's interface, by its file's name. */
static void add_main(rk_text *text, const rki_rig *rig, const char *controller,
                     const char *plant)
{
    const char *type = rig->number == RK_NUMBER_REAL ? "float" : "double";

    rk_text_add(text, "#include <stdio.h>\n#include \"%s.h\"\n", controller);
    if (rig->twin) {
        rk_text_add(text, "#include \"%s.h\"\nstatic %s plant;\n", plant, plant);
    }
    rk_text_add(text,
                "static %s block;\n"
                "int main(void)\n{\n"
                "    double in[%d], made[%d] = {0};\n    %s pv;\n"
                "    while (fread(in, sizeof in[0], %d, stdin) == %d) {\n"
                "        if (in[0] != 0.0) {\n"
                "            %s_init(&block, (%s)in[1]);\n",
                controller, (int)RKI_INPUT_NUMBERS, (int)RKI_OUTPUT_NUMBERS, type,
                (int)RKI_INPUT_NUMBERS, (int)RKI_INPUT_NUMBERS, controller, type);
    if (rig->twin) {
        rk_text_add(text, "            %s_init(&plant);\n", plant);
    }
    rk_text_add(text,
                "        }\n"
                "        block.automatic = in[5] != 0.0;\n"
                "        block.manual_out = (%s)in[6];\n"
                "        pv = (%s)in[4];\n%s        made[0] = %s_scan(&block, (%s)in[3], "
                "pv);\n"
                "        made[1] = block.held;\n",
                type, type, rig->twin ? "        if (in[2] != 0.0) pv = plant.pv + pv;\n" : "",
                controller, type);
    if (rig->twin) {
        rk_text_add(text,
                    "        plant.load = (%s)in[7];\n"
                    "        made[2] = %s_scan(&plant, block.out);\n",
                    type, plant);
    }
    rk_text_add(text,
                "        if (fwrite(made, sizeof made[0], %d, stdout) != %d) return 1;\n"
                "    }\n    return fflush(stdout) != 0;\n}\n",
                (int)RKI_OUTPUT_NUMBERS, (int)RKI_OUTPUT_NUMBERS);
}

/* Run a program with files for its streams; its wait status, or -1 and errno. */
static int run(char *const *command, const char *in, const char *out, const char *complaint)
{
    char *const environment[] = {(char[]){"LC_ALL=C"},
                                 (char[]){"PATH=/usr/local/bin:/usr/bin:/bin"},
                                 (char[]){"TMPDIR=/tmp"}, NULL};
    const int flags = O_WRONLY | O_CREAT | O_TRUNC;
    posix_spawn_file_actions_t actions;
    int error = posix_spawn_file_actions_init(&actions), status = 0;
    pid_t child = 0;

    if (error == 0) {
        error = posix_spawn_file_actions_addopen(&actions, 0, in, O_RDONLY, 0);
    }
    if (error == 0) {
        error = posix_spawn_file_actions_addopen(&actions, 1, out, flags, 0600);
    }
    if (error == 0) {
        error = posix_spawn_file_actions_addopen(&actions, 2, complaint, flags, 0600);
    }
    if (error == 0) {
        error = posix_spawnp(&child, command[0], &actions, NULL, command, environment);
    }
    (void)posix_spawn_file_actions_destroy(&actions);
    if (error != 0) {
        errno = error;
        return -1;
    }
    while (waitpid(child, &status, 0) < 0) {
        if (errno != EINTR) return -1;
    }
    return status;
}

/* The first line of a complaint that says what is wrong. */
static void first_error(const char *path, char line[256])
{
    FILE *file = fopen(path, "r");

    line[0] = '\0';
    while (file != NULL && fgets(line, 256, file) != NULL && strstr(line, "error") == NULL) {
    }
    if (file != NULL) {
        (void)fclose(file);
    }
    line[strcspn(line, "\r\n")] = '\0';
}

/* Its output's type, in the block's structure. */
rk_number rki_number_of_c(const char *header)
{
    return strstr(header, "    float out;") != NULL ? RK_NUMBER_REAL : RK_NUMBER_LREAL;
}

static size_t read_outputs(const char *path, rki_output *outputs, size_t count)
{
    FILE *file = fopen(path, "rb");
    size_t done = 0;

    if (file != NULL) {
        done = fread(outputs, sizeof *outputs, count, file);
        (void)fclose(file);
    }
    return done;
}

static bool put_texts(bench *b, const rki_rig *rig, const rk_program *program,
                      const char *controller, const char *plant)
{
    const struct {
        const char *name, *ending, *text;
    } all[] = {{controller, ".h", program->controller_h},
               {controller, ".c", program->controller_c},
               {plant, ".h", program->plant_h},
               {plant, ".c", program->plant_c}};
    const size_t count = rig->twin ? 4 : 2;
    char name[PATH_CHARS];
    size_t i;

    for (i = 0; i < count; i++) {
        (void)snprintf(name, sizeof name, "%s%s", all[i].name, all[i].ending);
        if (!put_file(b, name, all[i].text, strlen(all[i].text))) return false;
    }
    return true;
}

static void build_and_run(bench *b, const rki_rig *rig, const char *controller,
                          const char *plant, rki_output *outputs, size_t *done,
                          char refused[256], bool *excused)
{
    char main_c[PATH_CHARS], block_c[PATH_CHARS], plant_c[PATH_CHARS], include[80];
    const char *program = path_of(b, "program"), *complaint = path_of(b, "complaint"),
               *result = path_of(b, "outputs");
    char inputs[PATH_CHARS];
    char *compile[] = {(char[]){"cc"},
                       (char[]){"-std=c99"},
                       (char[]){"-pedantic"},
                       (char[]){"-O2"},
                       (char[]){"-ffp-contract=off"},
                       include,
                       (char[]){"-o"},
                       (char *)program,
                       main_c,
                       block_c,
                       rig->twin ? plant_c : NULL,
                       NULL};
    char *const start[] = {(char *)program, NULL};
    int status;

    (void)snprintf(include, sizeof include, "-I%s", b->dir);
    (void)snprintf(main_c, sizeof main_c, "%s/main.c", b->dir);
    (void)snprintf(block_c, sizeof block_c, "%s/%.100s.c", b->dir, controller);
    (void)snprintf(plant_c, sizeof plant_c, "%s/%.100s.c", b->dir, plant);
    (void)snprintf(inputs, sizeof inputs, "%s/inputs", b->dir);
    status = run(compile, "/dev/null", result, complaint);
    if (status == -1 || (WIFEXITED(status) && WEXITSTATUS(status) == 127)) {
        *excused = true;
        (void)snprintf(refused, 256, "there is no C compiler (cc) here");
        return;
    }
    if (status != 0) {
        first_error(complaint, refused);
        if (refused[0] == '\0') {
            (void)snprintf(refused, 256, "cc refuses it");
        }
        return;
    }
    status = run(start, inputs, result, complaint);
    *done = read_outputs(result, outputs, rig->count);
    if (status != 0 || *done < rig->count) {
        (void)snprintf(refused, 256, "the program breaks off after %zu scans", *done);
    }
}

rk_status rki_run_c(const rki_rig *rig, const rk_program *program, rki_output *outputs,
                    size_t *done, char refused[256], bool *excused, rk_diag *diag)
{
    char controller[RK_BLOCK_NAME_CHARS], plant[RK_BLOCK_NAME_CHARS];
    char dir[] = "/tmp/redkettle-prove-XXXXXX";
    bench b = {.dir = dir};
    rk_text *text;
    rk_status status = RK_OK;

    *done = 0;
    *excused = false;
    refused[0] = '\0';
    rk_emit_block_name(rig->loop, controller);
    rk_emit_plant_name(rig->loop, plant);
    if (mkdtemp(dir) == NULL) {
        return rk_diag_set(diag, RK_ERR_IO, "no temporary directory %s: %s", dir,
                           strerror(errno));
    }
    text = rk_text_create();
    add_main(text, rig, controller, plant);
    if (rk_text_check(text, diag) != RK_OK) {
        status = RK_ERR_MEMORY;
    } else if (!put_file(&b, "main.c", rk_text_chars(text), rk_text_length(text)) ||
               !put_file(&b, "inputs", rig->inputs, rig->count * sizeof *rig->inputs) ||
               !put_texts(&b, rig, program, controller, plant)) {
        status =
            rk_diag_set(diag, RK_ERR_IO, "%s cannot be written: %s", b.dir, strerror(errno));
    } else {
        build_and_run(&b, rig, controller, plant, outputs, done, refused, excused);
    }
    rk_text_free(text);
    clear(&b);
    return status;
}
