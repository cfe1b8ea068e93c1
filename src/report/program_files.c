/* SPDX-License-Identifier: MIT */
#include <redkettle/report/program_files.h>

#include <stdio.h>
#include <string.h>

#include <redkettle/report/results.h>

typedef void name_function(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);
typedef rk_status emit_function(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag);

rk_status rk_program_sheet(const rk_design *loop, const rk_proof *proof, bool csv,
                           rk_text *text, rk_diag *diag)
{
    rk_report *report = rk_report_create((rk_report_style){false, false});
    rk_status status;

    rk_diag_clear(diag);
    status = rk_report_add_sheet(report, loop, proof, diag);

    if (status == RK_OK) {
        status = (csv ? rk_report_to_csv : rk_report_to_text)(report, text, diag);
    }
    rk_report_free(report);
    return status;
}

/* The settings are the same whatever the text counts in, and whole numbers are not counted. */
static rk_status emit_sheet(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    (void)number;
    return rk_program_sheet(loop, NULL, false, text, diag);
}

static rk_status emit_sheet_csv(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag)
{
    (void)number;
    return rk_program_sheet(loop, NULL, true, text, diag);
}

static rk_status emit_fixed_header(const rk_design *loop, rk_number number, rk_text *text,
                                   rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_header(loop, text, diag);
}

static rk_status emit_fixed_source(const rk_design *loop, rk_number number, rk_text *text,
                                   rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_source(loop, text, diag);
}

static const struct {
    name_function *name;
    const char *ending, *meaning;
    emit_function *emit;
} files[RK_PROGRAM_FILES] = {
    {rk_emit_block_name, ".st", "the controller, Structured Text", rk_emit_st},
    {rk_emit_block_name, ".h", "the controller, C99", rk_emit_c_header},
    {rk_emit_block_name, ".c", "", rk_emit_c_source},
    {rk_emit_block_name, "_fixed.h", "the controller in integers, C99", emit_fixed_header},
    {rk_emit_block_name, "_fixed.c", "", emit_fixed_source},
    {rk_emit_plant_name, ".st", "the plant's twin, Structured Text", rk_emit_plant_st},
    {rk_emit_plant_name, ".h", "the plant's twin, C99", rk_emit_plant_c_header},
    {rk_emit_plant_name, ".c", "", rk_emit_plant_c_source},
    {rk_emit_block_name, "_settings.txt", "the settings in every form and unit, and the proof",
     emit_sheet},
    {rk_emit_block_name, "_settings.csv", "", emit_sheet_csv},
    {rk_emit_block_name, "_vectors.csv", "a test: inputs, and the outputs that they must give",
     rk_emit_vectors},
    {rk_emit_prefix, "_program.st", "program, task and variables around the blocks",
     rk_emit_program_st},
    {rk_emit_prefix, "_variables.csv", "the variables: types, units, ranges",
     rk_emit_variables},
    {rk_emit_prefix, ".xml", "all of it, for exchange between PLC tools", rk_emit_xml},
};

void rk_program_path(const char *dir, const rk_design *loop, rk_program_file file,
                     char path[RK_PROGRAM_PATH_CHARS])
{
    char name[RK_BLOCK_NAME_CHARS];

    files[file].name(loop, name);
    (void)snprintf(path, RK_PROGRAM_PATH_CHARS, "%s/%s%s", dir, name, files[file].ending);
}

const char *rk_program_meaning(rk_program_file file)
{
    return files[file].meaning;
}

rk_status rk_program_text(const rk_design *loop, rk_program_file file, rk_number number,
                          rk_text *text, rk_diag *diag)
{
    return files[file].emit(loop, number, text, diag);
}

/* The proof comes last: all before it must be this loop's. */
rk_status rk_program_sheet_compare(const rk_design *loop, const char *standing, size_t length,
                                   bool csv, rk_sheet_state *state, rk_diag *diag)
{
    rk_text *plain;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || standing == NULL || state == NULL) return RK_ERR_ARG;
    plain = rk_text_create();
    status = rk_program_sheet(loop, NULL, csv, plain, diag);
    if (status == RK_OK) {
        const size_t wanted = rk_text_length(plain);

        *state = length < wanted || memcmp(standing, rk_text_chars(plain), wanted) != 0
                     ? RK_SHEET_OTHER
                 : length > wanted ? RK_SHEET_PROVEN
                                   : RK_SHEET_PLAIN;
    }
    rk_text_free(plain);
    return status;
}
