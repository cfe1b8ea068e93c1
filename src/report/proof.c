/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>

#include "parts.h"

static void add_part(rk_report *r, const rk_proof_part *part)
{
    rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
    rki_row_word(r, "what", NULL, part->what);
    rki_row_yes_no(r, "ran", NULL, part->ran);
    rki_row_word(r, "refused", NULL, part->refused[0] != '\0' ? part->refused : NULL);
    rki_row_count(r, "scans", NULL, part->scans);
    rki_row_count(r, "mismatches", NULL, part->mismatches);
    rki_row_value(r, "worst_difference", part->worst);
    if (part->mismatches > 0) {
        rki_row_count(r, "first_mismatch", NULL, part->first);
    } else {
        rki_row_word(r, "first_mismatch", NULL, NULL);
    }
    rki_row_end(r);
}

/* The proof of one text in words, and what stood at its inputs before the first difference. */
static void say_part(rk_report *r, const rk_proof_part *part, const char *name)
{
    char words[RK_PROOF_WORDS_CHARS];

    rk_proof_part_words(part, words);
    rki_row_word(r, NULL, name, words);
    if (part->mismatches > 0) {
        rki_row_words(r, NULL, "", "before it: sp %.9g, pv %.9g, %s", part->sp, part->pv,
                      part->automatic ? "automatic" : "manual");
    }
}

static void add_values(rk_report *r, const rk_proof *proof)
{
    size_t i;

    rki_row_count(r, "scans", NULL, proof->scans);
    rki_row_count(r, "mismatches", NULL, proof->mismatches);
    rki_row_value(r, "worst_difference", proof->worst_difference);
    rki_row_word(r, "verdict", NULL, proof->proven ? "proven" : "not proven");
    rki_row_list(r, "parts");
    for (i = 0; i < proof->parts; i++) {
        add_part(r, &proof->part[i]);
    }
    rki_row_end(r);
}

static void say_rest(rk_report *r, const rk_design *loop, const rk_proof_results *results)
{
    if (results->has_vectors) {
        rki_row_word(r, NULL, "test vectors",
                     results->same_vectors ? "are this loop's"
                                           : "are NOT this loop's: emit again");
    }
    if (results->twin != NULL) {
        rki_row_words(r, NULL, "twin on record",
                      "%.4g %s (rms) from the measured PV, at most %.4g", results->twin->rms,
                      loop->pv_units, results->twin->worst);
    }
}

rk_status rk_report_add_proof(rk_report *report, const rk_design *loop,
                              const rk_proof_results *results)
{
    rk_report *r = report;
    size_t i;

    if (loop == NULL || results == NULL || results->proof == NULL || results->where == NULL) {
        return RK_ERR_ARG;
    }
    if (results->proof->proven && (results->same_vectors || !results->has_vectors)) {
        rki_row_verdict(r, true, "PROVEN", "%s",
                        results->in_sheet ? ", and written into the settings sheet" : "");
    } else {
        rki_row_verdict(r, false, "NOT PROVEN",
                        ": do not load this text into a PLC; emit it again");
    }
    rki_row_say(r, "%s: the program text in %s beside the loop's own blocks", loop->name,
                results->where);
    add_values(r, results->proof);
    for (i = 0; i < results->proof->parts; i++) {
        say_part(r, &results->proof->part[i], results->proof->part[i].what);
    }
    say_rest(r, loop, results);
    return RK_OK;
}

rk_status rk_report_add_block_proof(rk_report *report, const rk_design *loop,
                                    const rk_proof_part *part, const char *file)
{
    rk_proof proof = {.parts = 1};
    rk_report *r = report;

    if (loop == NULL || part == NULL || file == NULL) return RK_ERR_ARG;
    proof.part[0] = *part;
    proof.scans = part->scans;
    proof.mismatches = part->mismatches;
    proof.worst_difference = part->worst;
    proof.proven = part->ran && part->mismatches == 0;
    rki_row_say(r,
                "%s beside the design of %s, in a closed loop with its model and open:", file,
                loop->name);
    add_values(r, &proof);
    say_part(r, part, "block");
    if (part->mismatches > 0) {
        rki_row_words(r, NULL, "", "the largest difference is %.3g %% of OUT's range",
                      100.0 * part->worst / (loop->out_high - loop->out_low));
    }
    return RK_OK;
}
