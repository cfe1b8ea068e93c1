/* SPDX-License-Identifier: MIT */
#include <redkettle/prove/prove.h>

#include <float.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "parts.h"
#include "same.h"

rk_prove_plan rk_prove_plan_make(void)
{
    return (rk_prove_plan){.scans = 10000, .compile = true};
}

static double apart(double a, double b)
{
    const double difference = fabs(a - b);

    if (rki_same(a, b)) return 0.0;
    if (isnan(difference)) return HUGE_VAL;
    return fmax(difference, DBL_TRUE_MIN); /* zeros of both signs are apart as well */
}

static void note_first(const rki_rig *rig, size_t i, const rki_output *wanted,
                       const rki_output *got, rk_proof_part *part)
{
    const rki_input *in = &rig->inputs[i];

    part->first = i;
    if (!rki_same(wanted->out, got->out)) {
        (void)strcpy(part->pin, "out");
        part->wanted = wanted->out;
        part->got = got->out;
    } else if (!rki_same(wanted->held, got->held)) {
        (void)strcpy(part->pin, "held");
        part->wanted = wanted->held;
        part->got = got->held;
    } else {
        (void)strcpy(part->pin, "the twin's pv");
        part->wanted = wanted->pv;
        part->got = got->pv;
    }
    part->sp = in->sp;
    part->pv = in->pv;
    if (in->closed != 0 && i > 0) {
        part->pv += wanted[-1].pv;
    }
    part->automatic = in->automatic != 0;
}

/* Another's controller departs where its OUT is off by more than this part of the range: less
   is the order of its sums. */
#define DEPARTS 1e-6

static void compare(const rki_rig *rig, const rki_output *wanted, const rki_output *got,
                    bool out_alone, rk_proof_part *part)
{
    const double span = rig->loop->out_high - rig->loop->out_low;
    size_t i;

    for (i = 0; i < part->scans; i++) {
        const double difference = apart(wanted[i].out, got[i].out);
        const bool others =
            rki_same(wanted[i].held, got[i].held) && rki_same(wanted[i].pv, got[i].pv);

        if (difference > part->worst) {
            part->worst = difference;
        }
        if (out_alone ? difference <= DEPARTS * span : difference == 0 && others) continue;
        if (part->mismatches++ == 0) {
            note_first(rig, i, &wanted[i], &got[i], part);
        }
    }
}

/* The rig's inputs, and what the device blocks answer. */
static rk_status set_up(rki_rig *rig, size_t scans, bool sane, rki_input **inputs,
                        rki_output **wanted, rki_output **got, rk_diag *diag)
{
    rk_status status;

    status = rk_emit_out_start(rig->loop, &rig->out_start, diag);
    if (status == RK_OK) {
        status = rki_inputs_create(rig, scans, sane, inputs, &rig->count, diag);
    }
    if (status != RK_OK) return status;
    rig->inputs = *inputs;
    *wanted = rk_memory_create(rig->count, sizeof **wanted);
    *got = rk_memory_create(rig->count, sizeof **got);
    if (*wanted == NULL || *got == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for %zu scans", rig->count);
    }
    return rki_run_device(rig, *wanted, diag);
}

static void release(rki_input *inputs, rki_output *wanted, rki_output *got)
{
    rk_memory_free(inputs);
    rk_memory_free(wanted);
    rk_memory_free(got);
}

static const rk_program_file slim_c[] = {RK_PROGRAM_SLIM_H, RK_PROGRAM_SLIM_C,
                                         RK_PROGRAM_PLANT_H, RK_PROGRAM_PLANT_C};
static const rk_program_file fixed_c[] = {RK_PROGRAM_FIXED_H, RK_PROGRAM_FIXED_C};
static const rk_program_file general_c[] = {RK_PROGRAM_GENERAL_H,   RK_PROGRAM_GENERAL_C,
                                            RK_PROGRAM_PREDICTOR_H, RK_PROGRAM_PREDICTOR_C,
                                            RK_PROGRAM_LOOP_H,      RK_PROGRAM_LOOP_C};

/* The first line in which two texts differ; 0: none. */
static size_t differing_line(const char *a, const char *b)
{
    size_t line = 1;

    for (; *a == *b; a++, b++) {
        if (*a == '\0') return 0;
        line += *a == '\n';
    }
    return line;
}

/* Are these files, of those that are there, what emit writes? Else *part says which is not. */
static bool is_as_emitted(const rk_design *loop, const rk_program *program, rk_proof_part *part,
                          const rk_program_file *files, size_t count)
{
    size_t i;

    for (i = 0; i < count && part->refused[0] == '\0'; i++) {
        rk_text *text = rk_text_create();
        rk_diag diag = {RK_OK, ""};
        char path[RK_PROGRAM_PATH_CHARS];

        rk_program_path(".", loop, files[i], part->number, path);
        if (program->text[files[i]] == NULL) {
            if (rk_program_has(loop, files[i])) {
                (void)snprintf(part->refused, sizeof part->refused, "%.200s is not there",
                               path + 2);
            }
        } else if (rk_program_text(loop, files[i], part->number, text, &diag) != RK_OK) {
            (void)snprintf(part->refused, sizeof part->refused, "%.250s", diag.text);
        } else {
            const size_t line = differing_line(program->text[files[i]], rk_text_chars(text));

            if (line > 0) {
                (void)snprintf(part->refused, sizeof part->refused,
                               "%.150s is not what emit writes, from line %zu on", path + 2,
                               line);
            }
        }
        rk_text_free(text);
    }
    return part->refused[0] == '\0';
}

static void sum_up(rk_proof *proof)
{
    size_t i;

    proof->proven = proof->parts > 0;
    for (i = 0; i < proof->parts; i++) {
        const rk_proof_part *part = &proof->part[i];

        proof->scans += part->scans;
        proof->mismatches += part->mismatches;
        proof->worst_difference = fmax(proof->worst_difference, part->worst);
        if (part->mismatches > 0 || (!part->ran && !part->excused)) {
            proof->proven = false;
        }
    }
    if (proof->scans == 0) {
        proof->proven = false;
    }
}

static bool has(const rk_program *program, rk_program_file file)
{
    return program->text[file] != NULL;
}

static rk_proof_part *next_part(rk_proof *proof, const char *what)
{
    rk_proof_part *part = &proof->part[proof->parts++];

    part->what = what;
    return part;
}

/* The slim controller. */
static rk_status prove_slim(rki_rig *rig, const rk_program *program, const rk_prove_plan *plan,
                            bool st, rk_proof *proof, rk_diag *diag)
{
    rk_proof_part *part = next_part(proof, st ? "slim Structured Text" : "slim C");
    rki_input *inputs = NULL;
    rki_output *wanted = NULL, *got = NULL;
    rk_status status;

    rig->number = st ? rki_number_of_st(program->text[RK_PROGRAM_SLIM_ST])
                     : rki_number_of_c(program->text[RK_PROGRAM_SLIM_H]);
    part->number = rig->number;
    if (!st && !plan->changed &&
        !is_as_emitted(rig->loop, program, part, slim_c, sizeof slim_c / sizeof slim_c[0])) {
        return RK_OK;
    }
    status = set_up(rig, plan->scans, false, &inputs, &wanted, &got, diag);
    if (status == RK_OK && st) {
        status = rki_run_text(rig, program, got, &part->scans, part->refused, diag);
    } else if (status == RK_OK) {
        status =
            rki_run_c(rig, program, got, &part->scans, part->refused, &part->excused, diag);
    }
    if (status == RK_OK) {
        part->ran = part->refused[0] == '\0';
        compare(rig, wanted, got, false, part);
    }
    release(inputs, wanted, got);
    return status;
}

/* In brief the first part that differs is enough. */
static bool is_enough(const rk_prove_plan *plan, const rk_proof *proof)
{
    const rk_proof_part *last = proof->parts > 0 ? &proof->part[proof->parts - 1] : NULL;

    return plan->brief && last != NULL && (!last->ran || last->mismatches > 0);
}

static rk_status prove_program(const rk_design *loop, const rk_program *program,
                               const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag)
{
    rk_status status = RK_OK;

    if (has(program, RK_PROGRAM_PROGRAM)) {
        status = rki_run_program(loop, program, plan, next_part(proof, "program"), diag);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_GENERAL_ST) && !is_enough(plan, proof)) {
        status = rki_run_block(program, plan, next_part(proof, "block"), diag);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_PROGRAM) &&
        has(program, RK_PROGRAM_VARIABLES)) {
        rk_proof_part *part = next_part(proof, "variables' list");

        part->number = rki_number_of_program(program->text[RK_PROGRAM_PROGRAM]);
        part->ran = is_as_emitted(loop, program, part,
                                  &(const rk_program_file){RK_PROGRAM_VARIABLES}, 1);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_XML)) {
        status = rki_prove_xml(loop, program, next_part(proof, "XML"), diag);
    }
    return status;
}

static rk_status prove_general_c(const rk_design *loop, const rk_program *program,
                                 const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag)
{
    rk_proof_part *part = next_part(proof, "C");

    part->number = strstr(program->text[RK_PROGRAM_LOOP_H], "loop_controller_real") != NULL
                       ? RK_NUMBER_REAL
                       : RK_NUMBER_LREAL;
    if (!plan->changed && !is_as_emitted(loop, program, part, general_c,
                                         sizeof general_c / sizeof general_c[0])) {
        return RK_OK;
    }
    return rki_run_general_c(loop, program, plan->scans, part, diag);
}

static rk_status prove_fixed(const rk_design *loop, const rk_program *program,
                             const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag)
{
    rk_status status = RK_OK;
    rk_proof_part *part;

    if (has(program, RK_PROGRAM_FIXED_ST)) {
        part = next_part(proof, "fixed-point Structured Text");
        status = rki_run_fixed(loop, program, true, plan->scans, part, diag);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_FIXED_C) &&
        has(program, RK_PROGRAM_FIXED_H) && plan->compile) {
        part = next_part(proof, "fixed-point C");
        if (plan->changed || is_as_emitted(loop, program, part, fixed_c, 2)) {
            status = rki_run_fixed(loop, program, false, plan->scans, part, diag);
        }
    }
    return status;
}

rk_status rk_proof_compute(const rk_design *loop, const rk_program *program,
                           const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag)
{
    rki_rig rig = {.loop = loop, .emitted = true};
    bool slim_there;
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (loop == NULL || program == NULL || plan == NULL || proof == NULL) return RK_ERR_ARG;
    memset(proof, 0, sizeof *proof);
    slim_there = has(program, RK_PROGRAM_SLIM_C) && has(program, RK_PROGRAM_SLIM_H);
    /* A twin of each side, or of none: both programs get the same inputs. */
    rig.twin =
        loop->has_model &&
        (!has(program, RK_PROGRAM_SLIM_ST) || has(program, RK_PROGRAM_PLANT_ST)) &&
        (!slim_there || (has(program, RK_PROGRAM_PLANT_C) && has(program, RK_PROGRAM_PLANT_H)));
    if (plan->scans == 0)
        return rk_diag_set(diag, RK_ERR_RANGE, "a proof takes 1 scan or more");
    status = rk_emit_out_start(loop, &rig.out_start, diag); /* is it a loop to be emitted? */
    if (status == RK_OK) {
        status = prove_program(loop, program, plan, proof, diag);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_LOOP_C) && has(program, RK_PROGRAM_LOOP_H) &&
        plan->compile) {
        status = prove_general_c(loop, program, plan, proof, diag);
    }
    if (status == RK_OK && has(program, RK_PROGRAM_SLIM_ST)) {
        status = prove_slim(&rig, program, plan, true, proof, diag);
    }
    if (status == RK_OK && slim_there && plan->compile) {
        status = prove_slim(&rig, program, plan, false, proof, diag);
    }
    if (status == RK_OK) {
        status = prove_fixed(loop, program, plan, proof, diag);
    }
    if (status == RK_OK) {
        sum_up(proof);
    }
    return status;
}

rk_status rk_proof_compute_block(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, const rk_prove_plan *plan,
                                 rk_proof_part *part, rk_diag *diag)
{
    rki_input *inputs = NULL;
    rki_output *wanted = NULL, *got = NULL;
    rki_rig rig = {.loop = loop, .pins = pins};
    rk_text *twin = NULL;
    rk_program program = {.text = {[RK_PROGRAM_SLIM_ST] = text}};
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL || plan == NULL || part == NULL) return RK_ERR_ARG;
    if (plan->scans == 0)
        return rk_diag_set(diag, RK_ERR_RANGE, "a proof takes 1 scan or more");
    memset(part, 0, sizeof *part);
    part->what = "the block";
    rig.number = part->number = rki_number_of_block(text, pins);
    if (loop->has_model) { /* the block's own loop, closed by the twin we would emit */
        twin = rk_text_create();
        status = rk_emit_plant_st(loop, rig.number, twin, diag);
        program.text[RK_PROGRAM_PLANT_ST] = rk_text_chars(twin);
        rig.twin = true;
    }
    if (status == RK_OK) {
        status = set_up(&rig, plan->scans, true, &inputs, &wanted, &got, diag);
    }
    if (status == RK_OK) {
        status = rki_run_text(&rig, &program, got, &part->scans, part->refused, diag);
    }
    if (status == RK_OK) {
        /* A block that starts where it likes takes the design with it. */
        rki_start_alike(inputs, rig.count, got, part->scans);
        status = rki_run_device(&rig, wanted, diag);
    }
    if (status == RK_OK) {
        part->ran = part->refused[0] == '\0';
        compare(&rig, wanted, got, true, part);
    }
    release(inputs, wanted, got);
    rk_text_free(twin);
    return status;
}

/* 20726 as 20,726. */
static void with_marks(size_t number, char chars[32])
{
    char plain[32];
    const int length = snprintf(plain, sizeof plain, "%zu", number);
    int i, used = 0;

    for (i = 0; i < length; i++) {
        if (i > 0 && (length - i) % 3 == 0) {
            chars[used++] = ',';
        }
        chars[used++] = plain[i];
    }
    chars[used] = '\0';
}

void rk_proof_part_words(const rk_proof_part *part, char words[RK_PROOF_WORDS_CHARS])
{
    char scans[32], different[32];

    with_marks(part->scans, scans);
    with_marks(part->mismatches, different);
    if (part->ran && part->scans == 0) {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS, "is that of the design");
    } else if (!part->ran && part->scans == 0) {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS, "not run: %s", part->refused);
    } else if (part->mismatches > 0) {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS,
                       "%s of %s scans differ, OUT by up to %.6g%s%s; first scan %zu: %s is "
                       "%.17g, not %.17g",
                       different, scans, part->worst,
                       part->ran ? "" : "; it then stops: ", part->refused, part->first,
                       part->pin, part->got, part->wanted);
    } else if (!part->ran) {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS, "stops after %s scans: %s", scans,
                       part->refused);
    } else if (part->worst > 0) {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS, "%s scans, OUT within %.2g of the design's",
                       scans, part->worst);
    } else {
        (void)snprintf(words, RK_PROOF_WORDS_CHARS, "%s scans%s, no bit differs", scans,
                       part->number == RK_NUMBER_REAL ? " in single precision" : "");
    }
}
