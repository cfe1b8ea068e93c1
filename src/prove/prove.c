/* SPDX-License-Identifier: MIT */
#include <redkettle/prove/prove.h>

#include <float.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "parts.h"

rk_prove_plan rk_prove_plan_make(void)
{
    return (rk_prove_plan){.scans = 10000, .compile = true};
}

/* The same bits; all values that are no numbers count as one. */
static bool same(double a, double b)
{
    uint64_t a_bits, b_bits;

    if (isnan(a) || isnan(b)) return isnan(a) && isnan(b);
    memcpy(&a_bits, &a, sizeof a_bits);
    memcpy(&b_bits, &b, sizeof b_bits);
    return a_bits == b_bits;
}

static double apart(double a, double b)
{
    const double difference = fabs(a - b);

    if (same(a, b)) return 0.0;
    if (isnan(difference)) return HUGE_VAL;
    return fmax(difference, DBL_TRUE_MIN); /* zeros of both signs are apart as well */
}

static void note_first(const rki_rig *rig, size_t i, const rki_output *wanted,
                       const rki_output *got, rk_proof_part *part)
{
    const rki_input *in = &rig->inputs[i];

    part->first = i;
    if (!same(wanted->out, got->out)) {
        part->pin = "out";
        part->wanted = wanted->out;
        part->got = got->out;
    } else if (!same(wanted->held, got->held)) {
        part->pin = "held";
        part->wanted = wanted->held;
        part->got = got->held;
    } else {
        part->pin = "the twin's pv";
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
        const bool others = same(wanted[i].held, got[i].held) && same(wanted[i].pv, got[i].pv);

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

static rk_status prove_one(rki_rig *rig, const rk_program *program, const rk_prove_plan *plan,
                           bool st, rk_proof *proof, rk_diag *diag)
{
    rk_proof_part *part = &proof->part[proof->parts++];
    rki_input *inputs = NULL;
    rki_output *wanted = NULL, *got = NULL;
    rk_status status;

    rig->number =
        st ? rki_number_of_st(program->controller_st) : rki_number_of_c(program->controller_h);
    part->what = st ? "Structured Text" : "C";
    part->number = rig->number;
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

rk_status rk_proof_compute(const rk_design *loop, const rk_program *program,
                           const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag)
{
    const bool c_there =
        program != NULL && program->controller_c != NULL && program->controller_h != NULL;
    rki_rig rig = {.loop = loop};
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (loop == NULL || program == NULL || plan == NULL || proof == NULL) return RK_ERR_ARG;
    memset(proof, 0, sizeof *proof);
    /* A twin of each side, or of none: both programs get the same inputs. */
    rig.twin = loop->has_model &&
               (program->controller_st == NULL || program->plant_st != NULL) &&
               (!c_there || (program->plant_c != NULL && program->plant_h != NULL));
    if (plan->scans == 0)
        return rk_diag_set(diag, RK_ERR_RANGE, "a proof takes 1 scan or more");
    if (program->controller_st != NULL) {
        status = prove_one(&rig, program, plan, true, proof, diag);
    }
    if (status == RK_OK && c_there && plan->compile) {
        status = prove_one(&rig, program, plan, false, proof, diag);
    }
    if (status == RK_OK && proof->parts == 0) {
        /* Nothing to run: the loop itself must still be one. */
        status = rk_emit_out_start(loop, &rig.out_start, diag);
    }
    if (status == RK_OK) {
        sum_up(proof);
    }
    return status;
}

rk_status rk_proof_compute_block(const rk_design *loop, const char *text,
                                 const rk_prove_plan *plan, rk_proof_part *part, rk_diag *diag)
{
    const rk_program program = {.controller_st = text};
    rki_input *inputs = NULL;
    rki_output *wanted = NULL, *got = NULL;
    rki_rig rig = {.loop = loop};
    rk_text *twin = NULL;
    rk_program with_twin = program;
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL || plan == NULL || part == NULL) return RK_ERR_ARG;
    if (plan->scans == 0)
        return rk_diag_set(diag, RK_ERR_RANGE, "a proof takes 1 scan or more");
    memset(part, 0, sizeof *part);
    part->what = "the block";
    rig.number = part->number = rki_number_of_st(text);
    if (loop->has_model) { /* the block's own loop, closed by the twin we would emit */
        twin = rk_text_create();
        status = rk_emit_plant_st(loop, rig.number, twin, diag);
        with_twin.plant_st = rk_text_chars(twin);
        rig.twin = true;
    }
    if (status == RK_OK) {
        status = set_up(&rig, plan->scans, true, &inputs, &wanted, &got, diag);
    }
    if (status == RK_OK) {
        status = rki_run_text(&rig, &with_twin, got, &part->scans, part->refused, diag);
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
    if (!part->ran && part->scans == 0) {
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
