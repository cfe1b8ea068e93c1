/* SPDX-License-Identifier: MIT */
/* The emitted C, compiled and run: the slim controller with the twin, and the block that is the same
   for all loops with this loop's settings in it. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "compile.h"
#include "parts.h"
#include "same.h"
#include "scene.h"

/* The file's name without its directory. */
static void name_of(const rk_design *loop, rk_program_file file, rk_number number,
                    char name[160])
{
    char path[RK_PROGRAM_PATH_CHARS];

    rk_program_path(".", loop, file, number, path);
    (void)snprintf(name, 160, "%.150s", path + 2);
}

static size_t add_sources(const rk_design *loop, const rk_program *program, rk_number number,
                          const rk_program_file *files, size_t count, rki_source *list)
{
    size_t used = 0, i;

    for (i = 0; i < count; i++) {
        if (program->text[files[i]] == NULL) continue;
        name_of(loop, files[i], number, list[used].name);
        list[used++].text = program->text[files[i]];
    }
    return used;
}

static rk_status add_main_source(rk_text *text, rki_source *list, size_t *count, rk_diag *diag)
{
    const rk_status status = rk_text_check(text, diag);

    if (status != RK_OK) return status;
    (void)strcpy(list[*count].name, "main.c");
    list[(*count)++].text = rk_text_chars(text);
    return RK_OK;
}

/* The words of the block's interface, by its file's name. */
static void add_slim_main(rk_text *text, const rki_rig *rig, const char *controller,
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

/* Its output's type, in the block's structure. */
rk_number rki_number_of_c(const char *header)
{
    return strstr(header, "    float out;") != NULL ? RK_NUMBER_REAL : RK_NUMBER_LREAL;
}

rk_status rki_run_c(const rki_rig *rig, const rk_program *program, rki_output *outputs,
                    size_t *done, char refused[256], bool *excused, rk_diag *diag)
{
    static const rk_program_file files[] = {RK_PROGRAM_SLIM_H, RK_PROGRAM_SLIM_C,
                                            RK_PROGRAM_PLANT_H, RK_PROGRAM_PLANT_C};
    char controller[RK_BLOCK_NAME_CHARS], plant[RK_BLOCK_NAME_CHARS];
    rki_source list[RKI_SOURCES_MAX];
    size_t count = add_sources(rig->loop, program, rig->number, files, rig->twin ? 4 : 2, list);
    rki_built b = {.files = 0};
    rk_text *text = rk_text_create();
    rk_status status;

    *done = 0;
    rk_emit_block_name(rig->loop, controller);
    rk_emit_plant_name(rig->loop, plant);
    add_slim_main(text, rig, controller, plant);
    status = add_main_source(text, list, &count, diag);
    if (status == RK_OK) {
        status = rki_built_make(list, count, &b, diag);
    }
    if (status == RK_OK) {
        *done = rki_built_run(&b, (const double *)rig->inputs, rig->count * RKI_INPUT_NUMBERS,
                              (double *)outputs, rig->count * RKI_OUTPUT_NUMBERS) /
                RKI_OUTPUT_NUMBERS;
        (void)snprintf(refused, 256, "%s", b.refused);
        *excused = b.excused;
    }
    rki_built_free(&b);
    rk_text_free(text);
    return status;
}

/* ---- the block for all loops ---- */

/* A scan's numbers: whether it begins anew, whether the settings are given, then settings and
   inputs in the order of the lists of pins. */
enum { FIRST = 2 };

static size_t length_of(const rk_rig_pin *pin)
{
    size_t count = 0;

    while (pin[count].name != NULL) {
        count++;
    }
    return count;
}

static void add_assignments(rk_text *text, const rk_rig_pin *pin, size_t from, const char *lead,
                            const char *type)
{
    for (; pin->name != NULL; pin++, from++) {
        rk_text_add(text, "%sl.controller.%s = (%s)in[%zu];\n", lead, pin->name,
                    pin->kind == RK_RIG_REAL ? type : "int", from);
    }
}

static void add_general_main(rk_text *text, const char *name, rk_number number)
{
    const char *type = number == RK_NUMBER_REAL ? "float" : "double";
    const size_t settings = length_of(rk_rig_setting_pins),
                 inputs = length_of(rk_rig_input_pins), outputs = length_of(rk_rig_output_pins);
    const rk_rig_pin *pin;
    size_t i = 0;

    rk_text_add(text,
                "#include <stdio.h>\n#include \"%s.h\"\nstatic %s l;\nint main(void)\n{\n"
                "    double in[%zu], made[%zu];\n"
                "    while (fread(in, sizeof in, 1, stdin) == 1) {\n"
                "        if (in[0] != 0.0) %s_init(&l);\n"
                "        if (in[1] != 0.0) {\n",
                name, name, FIRST + settings + inputs, outputs, name);
    add_assignments(text, rk_rig_setting_pins, FIRST, "            ", type);
    rk_text_add(text, "        }\n");
    add_assignments(text, rk_rig_input_pins, FIRST + settings, "        ", type);
    rk_text_add(text, "        %s_scan(&l);\n", name);
    for (pin = rk_rig_output_pins; pin->name != NULL; pin++) {
        rk_text_add(text, "        made[%zu] = l.controller.%s;\n", i++, pin->name);
    }
    rk_text_add(text, "        if (fwrite(made, sizeof made, 1, stdout) != 1) return 1;\n"
                      "    }\n    return fflush(stdout) != 0;\n}\n");
}

/* A stretch of scans from one start: what they are given, and what the blocks answer. */
typedef struct stretch {
    double *in, *wanted, *got;
    size_t scans, numbers_in, numbers_out;
} stretch;

static void put_pins(double **at, const rk_rig_pin *pin, const void *of)
{
    for (; pin->name != NULL; pin++) {
        *(*at)++ = rk_rig_pin_get(pin, of);
    }
}

/* The first scans are with the settings that the loop's own function gives. */
enum { OWN_SCANS = 50 };

static rk_status fill(const rk_design *loop, rk_number number, rki_scene *scene, stretch *s,
                      rk_diag *diag)
{
    double *in = s->in, *wanted = s->wanted;
    rk_rig *rig = NULL;
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < s->scans && status == RK_OK; i++) {
        const bool begins = i == 0 || scene->start == RKI_COLD;
        const bool given = i > OWN_SCANS && !begins;
        rk_rig_output answer;

        if (begins) {
            rk_rig_free(rig);
            rig = NULL;
            status = rk_emit_rig_create(loop, number, false, &rig, diag);
            if (status != RK_OK) return status;
        }
        scene->in.restart = scene->start == RKI_WARM;
        scene->in.elapsed = scene->late ? 3.0 * loop->ts : 0.0;
        *in++ = begins;
        *in++ = given;
        put_pins(&in, rk_rig_setting_pins, &scene->settings);
        put_pins(&in, rk_rig_input_pins, &scene->in);
        rk_rig_scan(rig, given ? &scene->settings : &scene->own, &scene->in, &answer);
        put_pins(&wanted, rk_rig_output_pins, &answer);
        rki_scene_next(scene, answer.out);
    }
    rk_rig_free(rig);
    return status;
}

/* Of the numbers that were answered. */
static void compare(const stretch *s, size_t numbers, rk_proof_part *part)
{
    size_t i, k;

    for (i = 0; (i + 1) * s->numbers_out <= numbers; i++, part->scans++) {
        bool differs = false;

        for (k = 0; k < s->numbers_out; k++) {
            const double wanted = s->wanted[(i * s->numbers_out) + k],
                         got = s->got[(i * s->numbers_out) + k], apart = fabs(wanted - got);

            if (rki_same(wanted, got)) continue;
            if (k == 0) {
                part->worst = fmax(part->worst, isnan(apart) ? HUGE_VAL : apart);
            }
            if (!differs && part->mismatches == 0) {
                const double *in =
                    s->in + (i * s->numbers_in) + FIRST + length_of(rk_rig_setting_pins);

                part->first = part->scans;
                (void)snprintf(part->pin, sizeof part->pin, "%s", rk_rig_output_pins[k].name);
                part->wanted = wanted;
                part->got = got;
                part->sp = in[0];
                part->pv = in[1];
                part->automatic = in[3] != 0;
            }
            differs = true;
        }
        part->mismatches += differs;
    }
}

/* So many scans at a time. */
enum { STRETCH = 20000 };

static rk_status run_stretches(const rk_design *loop, rki_built *b, size_t scans,
                               rk_proof_part *part, rk_diag *diag)
{
    stretch s = {.numbers_in =
                     FIRST + length_of(rk_rig_setting_pins) + length_of(rk_rig_input_pins),
                 .numbers_out = length_of(rk_rig_output_pins)};
    const size_t most = scans < STRETCH ? scans : STRETCH;
    rk_status status = RK_OK;
    rki_scene scene;

    s.in = rk_memory_create(most * (s.numbers_in + (2 * s.numbers_out)), sizeof *s.in);
    if (s.in == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    s.wanted = s.in + (most * s.numbers_in);
    s.got = s.wanted + (most * s.numbers_out);
    status = rki_scene_make(loop, part->number, 2027, &scene, diag);
    while (status == RK_OK && scans > 0 && b->refused[0] == '\0') {
        s.scans = scans < most ? scans : most;
        status = fill(loop, part->number, &scene, &s, diag);
        if (status == RK_OK) {
            const size_t done =
                rki_built_run(b, s.in, s.scans * s.numbers_in, s.got, s.scans * s.numbers_out);

            compare(&s, done, part);
        }
        scans -= s.scans;
    }
    rki_scene_free(&scene);
    rk_memory_free(s.in);
    return status;
}

rk_status rki_run_general_c(const rk_design *loop, const rk_program *program, size_t scans,
                            rk_proof_part *part, rk_diag *diag)
{
    static const rk_program_file files[] = {RK_PROGRAM_GENERAL_H,   RK_PROGRAM_GENERAL_C,
                                            RK_PROGRAM_PREDICTOR_H, RK_PROGRAM_PREDICTOR_C,
                                            RK_PROGRAM_LOOP_H,      RK_PROGRAM_LOOP_C};
    char name[RK_BLOCK_NAME_CHARS + 8];
    rki_source list[RKI_SOURCES_MAX];
    size_t count =
        add_sources(loop, program, part->number, files, sizeof files / sizeof files[0], list);
    rki_built b = {.files = 0};
    rk_text *text = rk_text_create();
    rk_status status;

    rk_emit_prefix(loop, name);
    (void)strcat(name, "_loop");
    add_general_main(text, name, part->number);
    status = add_main_source(text, list, &count, diag);
    if (status == RK_OK) {
        status = rki_built_make(list, count, &b, diag);
    }
    if (status == RK_OK) {
        status = run_stretches(loop, &b, scans, part, diag);
    }
    part->ran = b.refused[0] == '\0';
    part->excused = b.excused;
    (void)snprintf(part->refused, sizeof part->refused, "%s", b.refused);
    rki_built_free(&b);
    rk_text_free(text);
    return status;
}
