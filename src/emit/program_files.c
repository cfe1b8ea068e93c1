/* SPDX-License-Identifier: MIT */
#include <redkettle/emit/program_files.h>

#include <stdio.h>
#include <string.h>

#include "controller.h"

typedef void name_function(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);
typedef rk_status emit_function(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag);

/* One for all loops, by the number type. */
static void name_general(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS])
{
    (void)loop;
    (void)strcpy(name, "loop_controller");
}

static rk_status general_st(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    (void)loop;
    return rk_emit_general_st(number, text, diag);
}

static rk_status general_h(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag)
{
    (void)loop;
    return rk_emit_general_c_header(number, text, diag);
}

static rk_status general_c(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag)
{
    (void)loop;
    return rk_emit_general_c_source(number, text, diag);
}

static rk_status fixed_st(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_st(loop, text, diag);
}

static rk_status fixed_h(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_header(loop, text, diag);
}

static rk_status fixed_c(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_source(loop, text, diag);
}

static const struct {
    name_function *name;
    const char *ending, *meaning;
    emit_function *emit;
} files[RK_PROGRAM_FILES] = {
    [RK_PROGRAM_GENERAL_ST] = {name_general, ".st", "the controller, the same for all loops",
                               general_st},
    [RK_PROGRAM_PROGRAM] = {rk_emit_prefix, "_program.st",
                            "this loop's program, variables and task", rk_emit_program_st},
    [RK_PROGRAM_PLANT_ST] = {rk_emit_plant_name, ".st", "the plant's twin", rk_emit_plant_st},
    [RK_PROGRAM_VARIABLES] = {rk_emit_prefix, "_variables.csv",
                              "the variables: types, units, ranges", rk_emit_variables},
    [RK_PROGRAM_XML] = {rk_emit_prefix, ".xml", "all of it, for exchange between PLC tools",
                        rk_emit_xml},
    [RK_PROGRAM_GENERAL_H] = {name_general, ".h", "the controller for all loops, C99",
                              general_h},
    [RK_PROGRAM_GENERAL_C] = {name_general, ".c", "", general_c},
    [RK_PROGRAM_PREDICTOR_H] = {rk_emit_prefix, "_predictor.h", "this loop's predictor, C99",
                                rk_emit_predictor_c_header},
    [RK_PROGRAM_PREDICTOR_C] = {rk_emit_prefix, "_predictor.c", "", rk_emit_predictor_c_source},
    [RK_PROGRAM_LOOP_H] = {rk_emit_prefix, "_loop.h", "this loop's settings for it, C99",
                           rk_emit_loop_c_header},
    [RK_PROGRAM_LOOP_C] = {rk_emit_prefix, "_loop.c", "", rk_emit_loop_c_source},
    [RK_PROGRAM_PLANT_H] = {rk_emit_plant_name, ".h", "the plant's twin, C99",
                            rk_emit_plant_c_header},
    [RK_PROGRAM_PLANT_C] = {rk_emit_plant_name, ".c", "", rk_emit_plant_c_source},
    [RK_PROGRAM_SLIM_ST] = {rk_emit_block_name, ".st", "the slim controller, Structured Text",
                            rk_emit_st},
    [RK_PROGRAM_SLIM_H] = {rk_emit_block_name, ".h", "the slim controller, C99",
                           rk_emit_c_header},
    [RK_PROGRAM_SLIM_C] = {rk_emit_block_name, ".c", "", rk_emit_c_source},
    [RK_PROGRAM_FIXED_ST] = {rk_emit_fixed_name, ".st",
                             "the slim controller in integers, Structured Text", fixed_st},
    [RK_PROGRAM_FIXED_H] = {rk_emit_fixed_name, ".h", "the slim controller in integers, C99",
                            fixed_h},
    [RK_PROGRAM_FIXED_C] = {rk_emit_fixed_name, ".c", "", fixed_c},
    [RK_PROGRAM_SHEET] = {rk_emit_block_name, "_settings.txt",
                          "the settings in every form and unit, and the proof", NULL},
    [RK_PROGRAM_SHEET_CSV] = {rk_emit_block_name, "_settings.csv", "", NULL},
    [RK_PROGRAM_VECTORS] = {rk_emit_block_name, "_vectors.csv",
                            "a test: inputs, and the outputs that they must give",
                            rk_emit_vectors},
};

void rk_program_path(const char *dir, const rk_design *loop, rk_program_file file,
                     rk_number number, char path[RK_PROGRAM_PATH_CHARS])
{
    const bool real = files[file].name == name_general && number == RK_NUMBER_REAL;
    char name[RK_BLOCK_NAME_CHARS];

    files[file].name(loop, name);
    (void)snprintf(path, RK_PROGRAM_PATH_CHARS, "%s/%s%s%s", dir, name, real ? "_real" : "",
                   files[file].ending);
}

const char *rk_program_meaning(rk_program_file file)
{
    return files[file].meaning;
}

bool rk_program_has(const rk_design *loop, rk_program_file file)
{
    switch (file) {
    case RK_PROGRAM_PLANT_ST:
    case RK_PROGRAM_PLANT_H:
    case RK_PROGRAM_PLANT_C:
        return loop->has_model;
    case RK_PROGRAM_PREDICTOR_H:
    case RK_PROGRAM_PREDICTOR_C:
        return loop->settings.predictor == RK_YES;
    default:
        return true;
    }
}

rk_status rk_program_text(const rk_design *loop, rk_program_file file, rk_number number,
                          rk_text *text, rk_diag *diag)
{
    return files[file].emit(loop, number, text, diag);
}
