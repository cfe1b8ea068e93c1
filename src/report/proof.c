/* SPDX-License-Identifier: MIT */
#include <math.h>
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

/* A number of the block beside the design's; a time of 0 or infinity is none. */
static void add_beside(rk_report *r, const char *key, const char *name, double is,
                       double design, const char *unit)
{
    char a[RKI_SHOWN_CHARS] = "none", b[RKI_SHOWN_CHARS] = "none";

    if (isfinite(is) && is != 0) {
        (void)snprintf(a, sizeof a, "%.5g%s%s", is, unit[0] != '\0' ? " " : "", unit);
    }
    if (isfinite(design) && design != 0) {
        (void)snprintf(b, sizeof b, "%.5g%s%s", design, unit[0] != '\0' ? " " : "", unit);
    }
    rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
    rki_row_word(r, NULL, "", name);
    rki_row_word(r, NULL, "block", a);
    rki_row_word(r, NULL, "design", b);
    rki_row_word(r, "what", NULL, key);
    rki_row_value(r, "block", is);
    rki_row_value(r, "design", design);
    rki_row_end(r);
}

static void add_probe(rk_report *r, const rk_design *loop, const rk_block_probe *p)
{
    const rk_settings *s = &loop->settings;
    char gain[RKI_UNIT_CHARS];
    int i;

    if (p->why[0] != '\0') {
        rki_row_say(r, "What kind of controller it is cannot be told: %s.", p->why);
        return;
    }
    (void)snprintf(gain, sizeof gain, "%.24s per %.24s", loop->out_units, loop->pv_units);
    rki_row_say(r, "By what it answers to a step of pv and of sp, in the ideal form:");
    rki_row_list(r, "probe");
    add_beside(r, "kc", "kc", p->kc, s->kc, gain);
    add_beside(r, "ti", "ti", p->ti, s->ti, "s");
    add_beside(r, "td", "td", p->td, s->td, "s");
    add_beside(r, "tf", "tf", p->td > 0 ? p->tf : 0.0, s->td > 0 ? s->tf : 0.0, "s");
    add_beside(r, "pv_filter", "PV filter", p->pv_filter, s->pv_filter, "s");
    add_beside(r, "sp_weight", "setpoint weight of P", p->sp_weight, s->sp_weight, "");
    add_beside(r, "d_sp_weight", "setpoint weight of D", p->td > 0 ? p->d_sp_weight : 0.0,
               s->td > 0 ? s->d_sp_weight : 0.0, "");
    rki_row_end(r);
    rki_row_list(r, "looks");
    for (i = 0; i < p->looks; i++) {
        rki_row_word(r, NULL, NULL, p->look[i]);
    }
    rki_row_end(r);
    for (i = 0; i < p->looks; i++) {
        rki_row_say(r, "It looks as if %s.", p->look[i]);
    }
    rki_row_gap(r);
}

rk_status rk_report_add_block_proof(rk_report *report, const rk_design *loop,
                                    const rk_proof_part *part, const rk_block_probe *probe,
                                    const char *file)
{
    rk_proof proof = {.parts = 1};
    rk_report *r = report;

    if (loop == NULL || part == NULL || probe == NULL || file == NULL) return RK_ERR_ARG;
    proof.part[0] = *part;
    proof.scans = part->scans;
    proof.mismatches = part->mismatches;
    proof.worst_difference = part->worst;
    proof.proven = part->ran && part->mismatches == 0;
    rki_row_verdict(r, proof.proven, proof.proven ? "THE SAME" : "NOT THE SAME",
                    " controller as the design's: %s", file);
    add_probe(r, loop, probe);
    rki_row_say(
        r, "Beside the design of %s, in a closed loop with its model and open:", loop->name);
    add_values(r, &proof);
    say_part(r, part, "block");
    if (part->mismatches > 0) {
        rki_row_words(r, NULL, "", "the largest difference is %.3g %% of OUT's range",
                      100.0 * part->worst / (loop->out_high - loop->out_low));
    }
    return RK_OK;
}
