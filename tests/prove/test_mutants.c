/* SPDX-License-Identifier: MIT */
/*
 * Is there anything in the emitted text that could be otherwise without the proof seeing it? Each
 * operator, constant, NOT and assignment of a text is changed, one at a time, and the proof must
 * say no. What changes nothing that can be seen is listed, with the reason. Declarations, the
 * variables' list and the XML have a table of their own.
 */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"
#include "controllers.h"
#include "texts.h"

/* ---- the changes ---- */

typedef struct change {
    size_t at, length; /* what is taken out */
    char put[40];
} change;

static bool is_word(char c)
{
    return isalnum((unsigned char)c) || c == '_' || c == '#' || c == '.';
}

/* Another number: 0 becomes 1, others their neighbour. */
static void other_number(const char *digits, char put[40], const char *lead)
{
    const double value = strtod(digits, NULL);

    if (strpbrk(digits, ".") == NULL) {
        (void)snprintf(put, 40, "%s%.0f", lead, value + 1);
    } else {
        (void)snprintf(put, 40, "%s%.17g", lead, value == 0 ? 1.5 : value * 1.0000001);
    }
}

static bool change_word(const char *at, size_t length, change *c)
{
    static const char *const pairs[][2] = {
        {"AND", "OR"}, {"OR", "AND"}, {"TRUE", "FALSE"}, {"FALSE", "TRUE"}, {"XOR", "AND"}};
    char word[64];
    size_t i;

    (void)snprintf(word, sizeof word, "%.*s", (int)(length < 63 ? length : 63), at);
    for (i = 0; i < COUNT(pairs); i++) {
        if (strcmp(word, pairs[i][0]) == 0) {
            (void)strcpy(c->put, pairs[i][1]);
            return true;
        }
    }
    if (strcmp(word, "NOT") == 0) {
        (void)strcpy(c->put, "");
        return true;
    }
    if (strncmp(word, "LREAL#", 6) == 0) {
        other_number(word + 6, c->put, "LREAL#");
        if (strchr(c->put, '.') == NULL) {
            (void)strcat(c->put, ".0");
        }
        return true;
    }
    if (strncmp(word, "T#", 2) == 0) {
        (void)snprintf(c->put, sizeof c->put, "T#%.0fms", strtod(word + 2, NULL) * 2);
        return true;
    }
    if (isdigit((unsigned char)word[0]) && strchr(word, '.') == NULL) {
        other_number(word, c->put, "");
        return true;
    }
    return false;
}

static bool change_sign(const char *at, change *c)
{
    static const char *const pairs[][2] = {{":=", NULL}, {"<>", "="}, {"<=", "<"}, {">=", ">"},
                                           {"<", ">="},  {">", "<="}, {"=", "<>"}, {"+", "-"},
                                           {"-", "+"},   {"*", "/"},  {"/", "*"}};
    size_t i;

    for (i = 0; i < COUNT(pairs); i++) {
        const size_t length = strlen(pairs[i][0]);

        if (strncmp(at, pairs[i][0], length) != 0) continue;
        c->length = length;
        if (pairs[i][1] == NULL) return false;
        (void)strcpy(c->put, pairs[i][1]);
        return true;
    }
    c->length = 1;
    return false;
}

/* "    name := ..;" alone on its line: it is left out. */
static bool is_assignment(const char *line)
{
    const char *end = strchr(line, '\n'), *at = line + strspn(line, " ");
    size_t length = 0;

    while (is_word(at[length])) {
        length++;
    }
    return length > 0 && strncmp(at + length, " := ", 4) == 0 && end != NULL && end[-1] == ';';
}

/* The next change from a place of a body on; false: there are no more. */
static bool next_change(const char *text, size_t *from, bool *line_done, change *c)
{
    while (text[*from] != '\0') {
        const char *at = text + *from, *close;
        size_t length = 0;

        if (strncmp(at, "(*", 2) == 0 && (close = strstr(at, "*)")) != NULL) {
            *from = (size_t)(close - text) + 2;
            continue;
        }
        if ((*from == 0 || at[-1] == '\n') && !*line_done && is_assignment(at)) {
            *line_done = true;
            *c = (change){*from, (size_t)(strchr(at, '\n') - at), ""};
            return true;
        }
        *line_done = false;
        while (is_word(at[length])) {
            length++;
        }
        *c = (change){.at = *from, .length = length};
        if (length > 0 ? change_word(at, length, c) : change_sign(at, c)) {
            *from += c->length;
            return true;
        }
        *from += c->length;
    }
    return false;
}

/* Behind the declarations of the unit that `unit` begins. */
static size_t body_of(const char *text, const char *unit)
{
    const char *at = strstr(text, unit);

    ck_assert_ptr_nonnull(at);
    at = strstr(at, "END_VAR\n\n");
    ck_assert_ptr_nonnull(at);
    return (size_t)(at - text) + 9;
}

/* A context of a change, to tell it by: what stands around it in its line. */
static void describe(const char *text, const change *c, char words[200])
{
    size_t start = c->at, end = c->at;

    while (start > 0 && text[start - 1] != '\n') {
        start--;
    }
    while (text[end] != '\n' && text[end] != '\0') {
        end++;
    }
    (void)snprintf(words, 200, "%.*s[%.*s>%s]%.*s", (int)(c->at - start), text + start,
                   (int)c->length, text + c->at, c->put, (int)(end - c->at - c->length),
                   text + c->at + c->length);
}

/* ---- what cannot be seen ---- */

static const struct {
    const char *change; /* [what > by what], and what stands around it in the line */
    const char *reason;
} unseen[] = {
    {"(hold_time < [LREAL#0.0>", "from 0 on the condition before it holds"},
    {"[    late_i := LREAL#0.0;>]", "a temporary is 0 in this PLC; in others it need not be"},
    {"[    late_d := LREAL#0.0;>]", "the same"},
    {"[        d_new := LREAL#0.0;>]", "the same"},
    {"[        leeway := LREAL#0.0;>]", "the same, of the first of three"},
    {"[    back_part := LREAL#0.0;>]",
     "without an integral and a tracking time nobody reads it"},
    {"    back_part := [LREAL#0.0>", "the same"},
    {"[    wanted := out;>]", "each scan behind a start writes it"},
    {"[    i_part := out;>]", "a fresh start takes it from OUT"},
    {"[    d_part := LREAL#0.0;>]", "a fresh start takes none"},
    {"    d_part := [LREAL#0.0>", "the same"},
    {"[    forward_last := LREAL#0.0;>]", "a fresh start takes this scan's"},
    {"    forward_last := [LREAL#0.0>", "the same"},
    {"[    led_by := out;>]", "tracking takes it when it begins"},
    {"[    by_hand := out;>]", "manual takes it in each scan"},
    {"[    pv_last := LREAL#0.0;>]", "a fresh start takes this scan's"},
    {"    pv_last := [LREAL#0.0>", "the same"},
    {"[    near_last := LREAL#0.0;>]", "the same"},
    {"    near_last := [LREAL#0.0>", "the same"},
    {"[    unchanged := LREAL#0.0;>]", "a PV other than the setpoint sets it back"},
    {"[    follows := FALSE;>]", "it is written before it is read"},
    {"    follows := [FALSE>TRUE];", "the same"},
    {"[    leads := FALSE;>]", "the same"},
    {"    leads := [FALSE>TRUE];", "the same"},
    {"[    d_fresh := FALSE;>]", "a fresh start is one of the derivative too"},
    {"    d_fresh := [FALSE>TRUE];", "the same"},
    {"IF d_gain <> [LREAL#0.0>", "a derivative of gain 0 is 0, however it is counted"},
    {"ELSIF i_gain_last = [LREAL#0.0>", "a part of 0 adds nothing"},
    {"IF follows [AND>OR] NOT failed THEN wanted", "elsewhere it is OUT already"},
    {"elapsed := [LREAL#2.0>", "it counts in times that are compared with others"},
    {"PT := [T#", "a timer's end is beyond all that is asked of it"},
    {"(blend_brix_out [->+] LREAL#0.0)", "less 0 is as much as more"},
    {"(brix_of_5aaa_out [->+] LREAL#0.0)", "the same"},
    {"IF counts < [LREAL#0.0>", "counts between round to a neighbour, and OUT is hardly there"},
    {"IF counts > [LREAL#65535.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#65535.0>", "it rounds to the same"},
    {"(value [->+] LREAL#0.0)", "less 0 is as much as more"},
    {"ELSIF quiet < [4>5] THEN", "longer than long enough is as quiet"},
    {"IF counts < [LREAL#100.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#100.0>", "it rounds to the same"},
    {"IF counts < [LREAL#50.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#50.0>", "it rounds to the same"},
    {"IF counts > [LREAL#9900.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#9900.0>", "it rounds to the same"},
    {"IF counts > [LREAL#20000.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#20000.0>", "it rounds to the same"},
    {"IF counts > [LREAL#9000.0>", "counts between round to the same"},
    {"THEN counts := [LREAL#9000.0>", "it rounds to the same"},
    {"IF counts < [LREAL#0.25>", "OUT is hardly between, and single precision rounds it"},
    {"IF counts > [LREAL#1.0>", "the same"},
    {"[LREAL#4294967295.0>", "OUT does not get there"},
    {"pv_high := [LREAL#21.25>", "no count of this channel lies between"},
    {"[    oldest := 0;>]", "in a ring of equal numbers each may be the oldest"},
    {"    oldest := [0>1];", "the same"},
    {"IF work [>=>>] 0 THEN", "nothing rounds to nothing either way"},
    {"IF work >= [0>1] THEN", "the same"},
    {"i_part := [->+]sum_most", "with a tracking time no sum gets there"},
    {"d_part := [->+]sum_most", "with these numbers none does"},
    {"(increment > [0>1])", "an increment of one count in 2^47 of a percent"},
    {"(increment < [0>1])", "the same"},
};

static bool is_unseen(const char *words)
{
    size_t i;

    for (i = 0; i < COUNT(unseen); i++) {
        if (strstr(words, unseen[i].change) != NULL) return true;
    }
    return false;
}

/* ---- the proof ---- */

static const rk_program_file files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PROGRAM,
                                        RK_PROGRAM_PLANT_ST};

/* The block for all loops by itself; of a loop its program with all that it needs. */
static const struct {
    const char *fact, *unit;
    rk_program_file file;
    int controller, most; /* fewest changes that there must be */
} texts_to_change[] = {
    {"the block for all loops", "FUNCTION_BLOCK", RK_PROGRAM_GENERAL_ST, 0, 650},
    {"a program", "PROGRAM ", RK_PROGRAM_PROGRAM, 23, 90},
    {"a program with counts and a predictor", "PROGRAM ", RK_PROGRAM_PROGRAM, 26, 110},
    {"a program without a model", "PROGRAM ", RK_PROGRAM_PROGRAM, 16, 60},
    {"the PLC's side of a port", "PROGRAM BLEND_BRIX_PORT", RK_PROGRAM_PROGRAM, 24, 60},
    {"one of other registers", "PROGRAM BLEND_BRIX_PORT", RK_PROGRAM_PROGRAM, 25, 40},
    {"a predictor", "FUNCTION_BLOCK", RK_PROGRAM_PROGRAM, 10, 30},
    {"a twin", "FUNCTION_BLOCK", RK_PROGRAM_PLANT_ST, 0, 25},
    {"a twin of several lags", "FUNCTION_BLOCK", RK_PROGRAM_PLANT_ST, 19, 40},
    {"integers: PI", "FUNCTION_BLOCK", RK_PROGRAM_FIXED_ST, 0, 90},
    {"integers: PID, conditional, PV filter, weight and rate", "FUNCTION_BLOCK",
     RK_PROGRAM_FIXED_ST, 10, 150},
    {"integers: P", "FUNCTION_BLOCK", RK_PROGRAM_FIXED_ST, 4, 75},
};

/* Of the slim controller in integers the variants, with a range of PV to scale it. */
static rk_design loop_to_change(int row)
{
    const int at = texts_to_change[row].controller;
    rk_design loop;

    if (texts_to_change[row].file != RK_PROGRAM_FIXED_ST) return controller_loop(at);
    loop = variant(at);
    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.settings.kc *= 1.013; /* no power of two in it */
    loop.out_low = -5;         /* so that none starts at its limit */
    return loop;
}

START_TEST(no_change_to_a_body_stays_unseen)
{
    const rk_program_file file = texts_to_change[_i].file;
    const bool alone = file == RK_PROGRAM_GENERAL_ST || file == RK_PROGRAM_FIXED_ST;
    const rk_prove_plan plan = {.scans = 20000, .brief = true};
    const rk_design loop = loop_to_change(_i);
    texts t = texts_of(&loop, RK_NUMBER_LREAL, alone ? &file : files, alone ? 1 : COUNT(files));
    const char *text = t.program.text[file];
    size_t from = body_of(text, texts_to_change[_i].unit);
    const char *stop = strstr(text + from, strncmp(texts_to_change[_i].unit, "PROGRAM", 7) == 0
                                               ? "\nEND_PROGRAM"
                                               : "\nEND_FUNCTION_BLOCK");
    /* `make prove` tries each. */
    const int every = getenv("RK_PROVE_SCANS") != NULL ? 1 : 5;
    bool line = false;
    change c;
    char all[4000] = "";
    int count = 0, missed = 0;

    if (!alone) {
        rk_text_free(
            t.text[RK_PROGRAM_GENERAL_ST]); /* it is proven by itself, once is enough */
        t.text[RK_PROGRAM_GENERAL_ST] = rk_text_create();
        ck_assert_int_eq(
            rk_emit_general_st(RK_NUMBER_LREAL, t.text[RK_PROGRAM_GENERAL_ST], NULL), RK_OK);
        t.program.text[RK_PROGRAM_GENERAL_ST] = rk_text_chars(t.text[RK_PROGRAM_GENERAL_ST]);
    }
    while (next_change(text, &from, &line, &c) && text + c.at < stop) {
        char *mutant = malloc(strlen(text) + sizeof c.put), words[200];
        rk_program program = t.program;
        rk_proof proof;

        count++;
        describe(text, &c, words);
        (void)sprintf(mutant, "%.*s%s%s", (int)c.at, text, c.put, text + c.at + c.length);
        program.text[file] = mutant;
        if (count % every == 0 && !is_unseen(words)) {
            must(rk_proof_compute(&loop, &program, &plan, &proof, NULL) == RK_OK);
            if (proof.proven) {
                missed += snprintf(all + missed, sizeof all - (size_t)missed, "\n  %s", words);
                ck_assert_int_lt(missed, (int)sizeof all);
            }
        }
        free(mutant);
    }
    ck_assert_msg(missed == 0, "%s: unseen:%s", texts_to_change[_i].fact, all);
    ck_assert_int_ge(count, texts_to_change[_i].most);
    free_texts(&t);
}
END_TEST

/* Declarations, and what stands beside the text. */
static const struct {
    const char *fact;
    rk_program_file file;
    const char *find, *put;
    bool is_seen;
} declarations[] = {
    {"automatic is on at first", RK_PROGRAM_PROGRAM, "_automatic : BOOL := FALSE",
     "_automatic : BOOL := TRUE", true},
    {"the first OUT", RK_PROGRAM_PROGRAM, "_out : LREAL := LREAL#0.0",
     "_out : LREAL := LREAL#42.0", true},
    {"the first manual output", RK_PROGRAM_PROGRAM, "_manual_out : LREAL := LREAL#0.0",
     "_manual_out : LREAL := LREAL#1.0", true},
    {"the safe output", RK_PROGRAM_PROGRAM, "_out_safe : LREAL := LREAL#0.0",
     "_out_safe : LREAL := LREAL#5.0", true},
    {"kc's last digit", RK_PROGRAM_PROGRAM, "_kc : LREAL := LREAL#", NULL, true},
    {"ti's last digit", RK_PROGRAM_PROGRAM, "_ti : LREAL := LREAL#", NULL, true},
    {"a PV that is bad at first", RK_PROGRAM_PROGRAM, "_pv_good : BOOL := TRUE",
     "_pv_good : BOOL := FALSE", true},
    {"kc is not retained", RK_PROGRAM_PROGRAM, "VAR_GLOBAL RETAIN", "VAR_GLOBAL", true},
    {"all is retained", RK_PROGRAM_PROGRAM, "VAR_GLOBAL\n", "VAR_GLOBAL RETAIN\n", true},
    {"another type", RK_PROGRAM_PROGRAM, "_mode : INT := 0", "_mode : DINT := 0", true},
    {"REAL for LREAL", RK_PROGRAM_PROGRAM, "_wanted : LREAL := LREAL#0.0",
     "_wanted : REAL := REAL#0.0", true},
    {"another name", RK_PROGRAM_PROGRAM,
     "    blend_brix_sp_now : LREAL := ", "    blend_brix_sp_new : LREAL := ", true},
    {"the controller of another type", RK_PROGRAM_PROGRAM, "controller : LOOP_CONTROLLER;",
     "controller : BLEND_BRIX_PLANT;", true},
    {"a task at twice the interval", RK_PROGRAM_PROGRAM, "INTERVAL := T#1000ms",
     "INTERVAL := T#2000ms", true},
    {"a task off by a thousandth", RK_PROGRAM_PROGRAM, "INTERVAL := T#1000ms",
     "INTERVAL := T#1001ms", true},
    {"no task", RK_PROGRAM_PROGRAM, " WITH BLEND_BRIX_TASK", "", true},
    {"begun at first", RK_PROGRAM_PROGRAM, "begun : BOOL := FALSE", "begun : BOOL := TRUE",
     true},
    {"scans counted from 1", RK_PROGRAM_PROGRAM, "scans : DINT := 0", "scans : DINT := 1",
     true},
    {"the task's priority", RK_PROGRAM_PROGRAM, "PRIORITY := 1", "PRIORITY := 2", false},
    {"the resource's name", RK_PROGRAM_PROGRAM, "RESOURCE BLEND_BRIX_RESOURCE",
     "RESOURCE BLEND_BRIX_OTHER", false},
    {"a comment", RK_PROGRAM_PROGRAM, "To put it to work:", "Do as you like:", false},
    {"fresh is not so at first", RK_PROGRAM_GENERAL_ST, "fresh : BOOL := TRUE",
     "fresh : BOOL := FALSE", false},
    {"started at first", RK_PROGRAM_GENERAL_ST, "started : BOOL := FALSE",
     "started : BOOL := TRUE", true},
    {"an input's type", RK_PROGRAM_GENERAL_ST, "sp : LREAL;", "sp : REAL;", true},
    {"no such output", RK_PROGRAM_GENERAL_ST, "    kc_unsafe : BOOL;", "    kc_unsure : BOOL;",
     true},
    {"another default of what the program does not give", RK_PROGRAM_GENERAL_ST,
     "deadband : LREAL := LREAL#0.0", "deadband : LREAL := LREAL#0.1", true},
    {"another default of the way against windup", RK_PROGRAM_GENERAL_ST,
     "anti_windup : INT := 2", "anti_windup : INT := 0", true},
    {"a coefficient of the twin", RK_PROGRAM_PLANT_ST, "a_0_0    : LREAL := LREAL#", NULL,
     true},
    {"a scan less of dead time", RK_PROGRAM_PLANT_ST, "delay    : DINT := 17;",
     "delay    : DINT := 16;", true},
    {"the twin's operating point", RK_PROGRAM_PLANT_ST, "pv_rest  : LREAL := LREAL#", NULL,
     true},
    {"a name on the list", RK_PROGRAM_VARIABLES, "blend_brix_sp,", "blend_brix_SP,", true},
    {"a type on the list", RK_PROGRAM_VARIABLES, "blend_brix_kc,LREAL", "blend_brix_kc,REAL",
     true},
    {"a unit on the list", RK_PROGRAM_VARIABLES, "LREAL,degBx,", "LREAL,degC,", true},
    {"a number on the list", RK_PROGRAM_VARIABLES, "46.5", "46.6", true},
    {"a variable less on the list", RK_PROGRAM_VARIABLES, "blend_brix_held,", "", true},
    {"an operator in the XML", RK_PROGRAM_XML, "(stale &gt; ", "(stale &lt; ", true},
    {"a number in the XML", RK_PROGRAM_XML, "LREAL#1.5", "LREAL#1.6", true},
    {"an initial value in the XML", RK_PROGRAM_XML, "value=\"FALSE\"", "value=\"TRUE\"", true},
    {"a type in the XML", RK_PROGRAM_XML, "<BOOL/>", "<INT/>", true},
    {"a name in the XML", RK_PROGRAM_XML, "variable name=\"pv\"", "variable name=\"py\"", true},
    {"a unit's name in the XML", RK_PROGRAM_XML, "pou name=\"LOOP_CONTROLLER\"",
     "pou name=\"LOOP_CONTROL\"", true},
    {"a unit's sort in the XML", RK_PROGRAM_XML, "pouType=\"program\"",
     "pouType=\"functionBlock\"", true},
    {"what is retained in the XML", RK_PROGRAM_XML, "globalVars retain=\"true\"", "globalVars",
     true},
    {"the interval in the XML", RK_PROGRAM_XML, "interval=\"T#1000ms\"", "interval=\"T#100ms\"",
     true},
    {"the task's program in the XML", RK_PROGRAM_XML, "typeName=\"BLEND_BRIX_PROGRAM\"",
     "typeName=\"BLEND_BRIX_PLANT\"", true},
    {"an input made an output in the XML", RK_PROGRAM_XML, "inputVars>", "outputVars>", true},
    {"half an XML", RK_PROGRAM_XML, "<types>", "<type>", true},
    {"a comment in the XML", RK_PROGRAM_XML, "To put it to work:", "Do as you like:", false},
};

START_TEST(no_change_to_a_declaration_stays_unseen)
{
    static const rk_program_file all[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PROGRAM,
                                          RK_PROGRAM_PLANT_ST, RK_PROGRAM_VARIABLES,
                                          RK_PROGRAM_XML};
    const rk_prove_plan plan = {.scans = 6000};
    const rk_design loop = controller_loop(0);
    const rk_program_file file = declarations[_i].file;
    texts t = texts_of(&loop, RK_NUMBER_LREAL, all, COUNT(all));
    char *mutant =
        text_changed(t.program.text[file], declarations[_i].find, declarations[_i].put);
    rk_proof proof;

    t.program.text[file] = mutant;
    if (file != RK_PROGRAM_XML) { /* which would tell of every other file */
        t.program.text[RK_PROGRAM_XML] = NULL;
    }
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert_msg(proof.proven != declarations[_i].is_seen, "%s", declarations[_i].fact);
    free(mutant);
    free_texts(&t);
}
END_TEST

Suite *suite_mutants(void);

Suite *suite_mutants(void)
{
    Suite *suite = suite_create("prove/mutants");
    TCase *t = tcase_create("bodies"), *d = tcase_create("declarations");

    /* The proof, many times: nothing for the sanitizers, and once is enough. */
    tcase_set_tags(t, "statistics mutants");
    add_table(t, no_change_to_a_body_stays_unseen, texts_to_change);
    suite_add_tcase(suite, t);
    tcase_set_tags(d, "statistics mutants");
    add_table(d, no_change_to_a_declaration_stays_unseen, declarations);
    suite_add_tcase(suite, d);
    return suite;
}
