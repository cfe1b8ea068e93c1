/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>

#include <redkettle/softplc/softplc.h>

#include "../support/support.h"

/* A block's variables and body, called so often; then its variables by name. What a result must
   be follows from IEC 61131-3, or IEC 60559 where it says so. */
typedef struct program {
    const char *fact, *above, *body;
    int scans;
    const char *results; /* "x=1 y=TRUE" */
} program;

static const program programs[] = {
    /* precedence and order */
    {"a product binds tighter than a sum", "", "VAR x : INT; END_VAR x := 2 + 3 * 4;", 1,
     "x=14"},
    {"brackets first", "", "VAR x : INT; END_VAR x := (2 + 3) * 4;", 1, "x=20"},
    {"of equals, the left first", "", "VAR x : INT; END_VAR x := 20 - 5 - 3;", 1, "x=12"},
    {"quotients too", "", "VAR x : INT; END_VAR x := 100 / 5 / 2;", 1, "x=10"},
    {"a sign binds tighter than a power", "",
     "VAR x, a : LREAL; END_VAR a := 3.0; x := -a ** 2;", 1, "x=9.0"},
    {"a power binds tighter than a product", "",
     "VAR x, a : LREAL; END_VAR a := 3.0; x := 2.0 * a ** 2;", 1, "x=18.0"},
    {"NOT binds tighter than =", "",
     "VAR a, b, x : BOOL; END_VAR a := TRUE; b := FALSE; x := NOT a = b;", 1, "x=TRUE"},
    {"AND binds tighter than XOR, XOR than OR", "",
     "VAR t : BOOL := TRUE; x, y : BOOL; END_VAR x := t OR t XOR t AND t; y := t XOR t AND NOT "
     "t;",
     1, "x=TRUE y=TRUE"},
    {"a comparison binds tighter than =", "", "VAR x : BOOL; END_VAR x := 1 < 2 = 3 > 2;", 1,
     "x=TRUE"},
    {"& is AND", "", "VAR x, t : BOOL := TRUE; END_VAR x := t & NOT t;", 1, "x=FALSE"},

    /* whole numbers */
    {"a quotient of whole numbers drops the rest", "",
     "VAR a : INT := 7; x, y : INT; END_VAR x := a / 2; y := -a / 2;", 1, "x=3 y=-3"},
    {"a variable at an address", "",
     "VAR x AT %IW0 : INT; y AT %QX1.7 : BOOL := TRUE; END_VAR x := 3;", 1, "x=3 y=TRUE"},
    {"globals without a configuration", "VAR_GLOBAL g : INT := 5; END_VAR",
     "VAR_EXTERNAL g : INT; END_VAR VAR x : INT; END_VAR x := g;", 1, "x=5"},
    {"MOD has the sign of the first", "",
     "VAR a : INT := -7; x, y : INT; END_VAR x := a MOD 3; y := 7 MOD -3;", 1, "x=-1 y=1"},
    {"MOD 0 is 0", "", "VAR a, x : INT := 7; z : INT; END_VAR x := a MOD z;", 1, "x=0"},
    {"literals in other bases", "",
     "VAR a, b, c : INT; END_VAR a := 16#7F; b := 2#1010_1010; c := 8#17;", 1,
     "a=127 b=170 c=15"},
    {"underscores in numbers", "", "VAR x : DINT; END_VAR x := 1_000_000;", 1, "x=1000000"},
    {"typed literals", "",
     "VAR x : DINT; y : UDINT; END_VAR x := DINT#-5; y := UDINT#16#FFFF_FFFF;", 1,
     "x=-5 y=4294967295"},
    {"the ranges' ends", "",
     "VAR a : SINT := -128; b : INT := 32767; c : UINT := 65535; d : LINT := "
     "9223372036854775807; END_VAR",
     1, "a=-128 b=32767 c=65535 d=9223372036854775807"},
    {"INT and DINT make a DINT", "",
     "VAR a : INT := 30000; b : DINT := 30000; x : DINT; END_VAR x := a * b;", 1,
     "x=900000000"},
    {"USINT becomes INT by itself", "", "VAR a : USINT := 200; x : INT; END_VAR x := a;", 1,
     "x=200"},

    /* reals */
    {"LREAL is binary64", "", "VAR x : LREAL; b : BOOL; END_VAR x := 0.1 + 0.2; b := x = 0.3;",
     1, "x=0.30000000000000004 b=FALSE"},
    {"REAL is binary32", "",
     "VAR a : REAL := 0.1; b : REAL := 0.2; x : REAL; y : LREAL; END_VAR x := a + b; y := x;",
     1, "y=0.30000001192092896"},
    {"REAL rounds each result", "",
     "VAR a : REAL := 16777216.0; x : REAL; END_VAR x := (a + 1.0) - a;", 1, "x=0"},
    {"LREAL does not", "",
     "VAR a : LREAL := 16777216.0; x : LREAL; END_VAR x := (a + 1.0) - a;", 1, "x=1.0"},
    {"REAL and LREAL make an LREAL", "",
     "VAR a : REAL := 1.5; b : LREAL := 1.0e-10; x : LREAL; END_VAR x := a + b;", 1,
     "x=1.5000000001"},
    {"a literal is as long as its place", "",
     "VAR a : REAL := 0.1; x : BOOL; END_VAR x := a = 0.1;", 1, "x=TRUE"},
    {"a real division by zero is infinite", "",
     "VAR a : LREAL := 1.0; z, x : LREAL; b : BOOL; END_VAR x := a / z; b := x > 1.0e308;", 1,
     "b=TRUE"},
    {"a NaN equals nothing", "",
     "VAR z, x : LREAL; a, b, c : BOOL; END_VAR x := z / z; a := x = x; b := x <> x; c := x < "
     "1.0;",
     1, "a=FALSE b=TRUE c=FALSE"},
    {"the zeros of both signs are equal", "",
     "VAR a, z : LREAL; x : BOOL; END_VAR a := -z; x := a = z;", 1, "x=TRUE"},
    {"exponents", "", "VAR x, y : LREAL; END_VAR x := 1.5E-07; y := LREAL#-2.5e+3;", 1,
     "x=1.5e-07 y=-2500.0"},
    {"INT becomes REAL by itself", "",
     "VAR a : INT := 3; b : REAL := 2.0; x : REAL; END_VAR x := a / b;", 1, "x=1.5"},
    {"DINT becomes LREAL by itself", "", "VAR a : DINT := 3; x : LREAL; END_VAR x := a;", 1,
     "x=3.0"},

    /* conversions */
    {"a real is rounded to the nearest, halves to even", "",
     "VAR a, b, c, d : INT; END_VAR a := REAL_TO_INT(1.6); b := REAL_TO_INT(1.5); c := "
     "REAL_TO_INT(2.5); d := REAL_TO_INT(-1.5);",
     1, "a=2 b=2 c=2 d=-2"},
    {"TRUNC drops the fraction", "",
     "VAR a, b : INT; r : LREAL := -1.9; END_VAR a := LREAL_TRUNC_INT(1.9); b := TRUNC_INT(r);",
     1, "a=1 b=-1"},
    {"BOOL to and from numbers", "",
     "VAR a : INT; b, c : BOOL; END_VAR a := BOOL_TO_INT(TRUE); b := INT_TO_BOOL(5); c := "
     "TO_BOOL(0.0);",
     1, "a=1 b=TRUE c=FALSE"},
    {"DINT to INT that fits", "", "VAR a : DINT := 12; x : INT; END_VAR x := DINT_TO_INT(a);",
     1, "x=12"},
    {"LREAL to REAL rounds", "",
     "VAR a : LREAL := 0.1; x : REAL; y : LREAL; END_VAR x := LREAL_TO_REAL(a); y := x;", 1,
     "y=0.10000000149011612"},

    /* numeric functions */
    {"ABS", "", "VAR x : INT; y : LREAL; END_VAR x := ABS(-5); y := ABS(-2.5);", 1,
     "x=5 y=2.5"},
    {"SQRT", "", "VAR x : LREAL; END_VAR x := SQRT(2.25);", 1, "x=1.5"},
    {"EXP of LN", "", "VAR x : BOOL; END_VAR x := ABS(EXP(LN(5.0)) - 5.0) < 1.0e-12;", 1,
     "x=TRUE"},
    {"LOG is to base 10", "", "VAR x : LREAL; END_VAR x := LOG(1000.0);", 1, "x=3.0"},
    {"the angles are radians", "",
     "VAR x : BOOL; END_VAR x := ABS(ATAN(1.0) * 4.0 - 3.14159265358979) < 1.0e-14;", 1,
     "x=TRUE"},
    {"SIN and COS", "",
     "VAR x : BOOL; a : LREAL := 0.7; END_VAR x := ABS(SIN(a) ** 2 + COS(a) ** 2 - 1.0) < "
     "1.0e-15;",
     1, "x=TRUE"},
    {"EXPT with a whole exponent", "", "VAR x : LREAL; END_VAR x := EXPT(2.0, 10);", 1,
     "x=1024.0"},
    {"ADD and MUL take many", "",
     "VAR x, y : INT; END_VAR x := ADD(1, 2, 3); y := MUL(2, 3, 4);", 1, "x=6 y=24"},

    /* selection */
    {"SEL takes IN0 for FALSE", "",
     "VAR x, y : INT; END_VAR x := SEL(FALSE, 3, 4); y := SEL(TRUE, 3, 4);", 1, "x=3 y=4"},
    {"SEL by names in any order", "",
     "VAR x : INT; END_VAR x := SEL(IN1 := 8, G := TRUE, IN0 := 7);", 1, "x=8"},
    {"MAX and MIN of many", "",
     "VAR a : INT := 5; x, y : INT; END_VAR x := MAX(3, a, 4); y := MIN(3, a, 4);", 1,
     "x=5 y=3"},
    {"LIMIT", "",
     "VAR a : LREAL := 7.5; x, y, z : LREAL; END_VAR x := LIMIT(0.0, a, 5.0); y := LIMIT(MN := "
     "8.0, "
     "IN := a, MX := 9.0); z := LIMIT(0.0, a, 9.0);",
     1, "x=5.0 y=8.0 z=7.5"},
    {"MUX counts from 0", "", "VAR k : INT := 2; x : INT; END_VAR x := MUX(k, 10, 11, 12);", 1,
     "x=12"},
    {"GT of three is a chain", "",
     "VAR a : INT := 2; x, y : BOOL; END_VAR x := GT(3, a, 1); y := GT(3, a, 2);", 1,
     "x=TRUE y=FALSE"},

    /* statements */
    {"IF takes the first that holds", "",
     "VAR x : INT; a : INT := 5; END_VAR IF a > 7 THEN x := 1; ELSIF a > 4 THEN x := 2; ELSIF "
     "a > "
     "3 THEN x := 3; ELSE x := 4; END_IF;",
     1, "x=2"},
    {"IF without ELSE does nothing", "",
     "VAR x : INT := 9; END_VAR IF FALSE THEN x := 1; END_IF;", 1, "x=9"},
    {"CASE by value, list, range", "",
     "VAR i, a, b, c, d : INT; END_VAR FOR i := 0 TO 9 DO CASE i OF 0: a := a + 1; 1, 3: b := "
     "b + "
     "1; 5..8: c := c + 1; ELSE d := d + 1; END_CASE; END_FOR;",
     1, "a=1 b=2 c=4 d=3"},
    {"CASE by named constants, below zero too", "",
     "VAR CONSTANT idle : INT := 2; END_VAR VAR s : INT := 2; x, y : INT; END_VAR CASE s OF "
     "-1: x := 1; idle: x := 5; y := 6; END_CASE;",
     1, "x=5 y=6"},
    {"FOR takes both ends", "",
     "VAR i, x : INT; END_VAR FOR i := 1 TO 5 DO x := x + i; END_FOR;", 1, "x=15"},
    {"FOR BY a step, downwards", "",
     "VAR i, x : INT; END_VAR FOR i := 10 TO 1 BY -3 DO x := x * 100 + i; END_FOR;", 0, "x=0"},
    {"FOR that never starts", "", "VAR i, x : INT; END_VAR FOR i := 5 TO 1 DO x := 1; END_FOR;",
     1, "x=0"},
    {"FOR to the end of its type's range ends", "",
     "VAR i : USINT; x : INT; END_VAR FOR i := 250 TO 255 DO x := x + 1; END_FOR;", 1, "x=6"},
    {"WHILE tests first", "", "VAR x : INT; END_VAR WHILE x < 0 DO x := 5; END_WHILE;", 1,
     "x=0"},
    {"REPEAT tests last", "", "VAR x : INT; END_VAR REPEAT x := x + 1; UNTIL TRUE END_REPEAT;",
     1, "x=1"},
    {"EXIT leaves the innermost loop", "",
     "VAR i, j, x : INT; END_VAR FOR i := 1 TO 3 DO FOR j := 1 TO 9 DO IF j > 2 THEN EXIT; "
     "END_IF; "
     "x := x + 1; END_FOR; END_FOR;",
     1, "x=6"},
    {"CONTINUE takes the next turn", "",
     "VAR i, x : INT; END_VAR FOR i := 1 TO 5 DO IF i = 3 THEN CONTINUE; END_IF; x := x + i; "
     "END_FOR;",
     1, "x=12"},
    {"RETURN leaves the block", "", "VAR x : INT; END_VAR x := 1; RETURN; x := 2;", 1, "x=1"},
    {"an empty statement", "", "VAR x : INT; END_VAR ;; x := 1; ;", 1, "x=1"},

    /* variables */
    {"variables remember from scan to scan", "", "VAR x : INT; END_VAR x := x + 1;", 5, "x=5"},
    {"VAR_TEMP starts anew each scan", "",
     "VAR x : INT; END_VAR VAR_TEMP t : INT := 3; END_VAR t := t + 1; x := x + t;", 3, "x=12"},
    {"without an initial value it is 0 and FALSE", "",
     "VAR a : INT; b : BOOL; c : LREAL; d : TIME; END_VAR", 1, "a=0 b=FALSE c=0.0 d=T#0s"},
    {"initial values from constants", "",
     "VAR CONSTANT n : INT := 4; m : INT := n * 2 + 1; END_VAR VAR x : INT := m; END_VAR", 0,
     "x=9"},
    {"names are the same in any case", "",
     "VAR Level : INT; END_VAR LEVEL := 3; level := Level + 1;", 1, "LeVeL=4"},
    {"several names, one declaration", "", "VAR a, b, c : INT := 7; END_VAR a := b + c;", 1,
     "a=14"},

    /* arrays and structures */
    {"arrays from any index", "",
     "VAR a : ARRAY[-1..2] OF INT; i, x : INT; END_VAR FOR i := -1 TO 2 DO a[i] := i * i; "
     "END_FOR; x "
     ":= a[-1] + a[2];",
     1, "x=5 a[0]=0"},
    {"initial values of arrays, repeated", "",
     "VAR a : ARRAY[1..6] OF INT := [1, 3(7), 9]; END_VAR", 0,
     "a[1]=1 a[2]=7 a[4]=7 a[5]=9 a[6]=0"},
    {"two dimensions, row by row", "",
     "VAR a : ARRAY[1..2, 1..3] OF INT := [1, 2, 3, 4, 5, 6]; x : INT; i : INT := 2; END_VAR x "
     ":= "
     "a[i, 1] * 10 + a[1, i + 1];",
     1, "x=43"},
    {"an array of arrays", "",
     "VAR a : ARRAY[0..1] OF ARRAY[0..1] OF INT := [[1, 2], [3, 4]]; x : INT; END_VAR x := "
     "a[1][0];",
     1, "x=3"},
    {"arrays are copied whole", "",
     "VAR a, b : ARRAY[0..2] OF INT := [1, 2, 3]; END_VAR b[0] := 9; a := b; b[0] := 0;", 1,
     "a[0]=9 a[2]=3"},
    {"structures", "TYPE range : STRUCT low, high : LREAL; END_STRUCT; END_TYPE",
     "VAR r : range := (high := 100.0, low := 5.0); x : LREAL; END_VAR x := r.high - r.low;", 1,
     "x=95.0"},
    {"a structure's own initial values",
     "TYPE range : STRUCT low : INT := 3; high : INT := 4; END_STRUCT; END_TYPE",
     "VAR r : range; s : ARRAY[0..1] OF range; x : INT; END_VAR s[1].high := 7; x := r.low + "
     "s[1].high + s[0].high;",
     1, "x=14 s[1].low=3"},
    {"a type of another name", "TYPE percent : LREAL := 50.0; END_TYPE",
     "VAR a : percent; b : percent := 10.0; x : LREAL; END_VAR x := a + b;", 1, "x=60.0"},

    /* functions and blocks */
    {"a function",
     "FUNCTION twice : INT VAR_INPUT a : INT; END_VAR twice := 2 * a; END_FUNCTION",
     "VAR x : INT; END_VAR x := twice(4) + twice(a := 1);", 1, "x=10"},
    {"a function within a function's input",
     "FUNCTION less : INT VAR_INPUT a, b : INT; END_VAR less := a - b; END_FUNCTION",
     "VAR x : INT; END_VAR x := less(less(10, 1), less(5, 2));", 1, "x=6"},
    {"a function remembers nothing",
     "FUNCTION count : INT VAR n : INT; END_VAR n := n + 1; count := n; END_FUNCTION",
     "VAR x : INT; END_VAR x := count();", 3, "x=1"},
    {"a function's outputs and in-outs",
     "FUNCTION split : BOOL VAR_INPUT a : INT; END_VAR VAR_OUTPUT tens : INT; END_VAR "
     "VAR_IN_OUT "
     "sum : INT; END_VAR tens := a / 10; sum := sum + a; split := TRUE; END_FUNCTION",
     "VAR t, s : INT; b : BOOL; END_VAR b := split(a := 42, tens => t, sum := s);", 2,
     "t=4 s=84 b=TRUE"},
    {"a missing input has its initial value",
     "FUNCTION_BLOCK p VAR_INPUT a : INT := 5; END_VAR VAR_OUTPUT q : INT; END_VAR q := a; "
     "END_FUNCTION_BLOCK",
     "VAR b : p; x : INT; END_VAR b(q => x);", 1, "x=5"},
    {"a block's input stays from call to call",
     "FUNCTION_BLOCK p VAR_INPUT a : INT := 5; END_VAR VAR_OUTPUT q : INT; END_VAR q := a; "
     "END_FUNCTION_BLOCK",
     "VAR b : p; x : INT; END_VAR b(a := 8); b(); x := b.q;", 1, "x=8"},
    {"instances are apart",
     "FUNCTION_BLOCK acc VAR_INPUT a : INT; END_VAR VAR_OUTPUT s : INT; END_VAR s := s + a; "
     "END_FUNCTION_BLOCK",
     "VAR p, q : acc; END_VAR p(a := 1); q(a := 10); q(a := 10);", 3, "p.s=3 q.s=60"},
    {"an instance with initial inputs",
     "FUNCTION_BLOCK p VAR_INPUT a, b : INT := 5; END_VAR VAR_OUTPUT q : INT; END_VAR q := a * "
     "b; "
     "END_FUNCTION_BLOCK",
     "VAR i : p := (a := 3); END_VAR i();", 1, "i.q=15"},
    {"arrays of blocks",
     "FUNCTION_BLOCK acc VAR_INPUT a : INT; END_VAR VAR_OUTPUT s : INT; END_VAR s := s + a; "
     "END_FUNCTION_BLOCK",
     "VAR p : ARRAY[1..3] OF acc; i : INT; END_VAR FOR i := 1 TO 3 DO p[i](a := i); END_FOR;",
     2, "p[1].s=2 p[3].s=6"},
    {"NOT => turns an output",
     "FUNCTION_BLOCK p VAR_OUTPUT q : BOOL := TRUE; END_VAR END_FUNCTION_BLOCK",
     "VAR b : p; x : BOOL := TRUE; END_VAR b(NOT q => x);", 1, "x=FALSE"},
    {"an array by reference",
     "FUNCTION_BLOCK fill VAR_IN_OUT a : ARRAY[0..2] OF INT; END_VAR VAR i : INT; END_VAR FOR "
     "i := 0 "
     "TO 2 DO a[i] := a[i] + i; END_FOR; END_FUNCTION_BLOCK",
     "VAR f : fill; v : ARRAY[0..2] OF INT; END_VAR f(a := v);", 3, "v[0]=0 v[2]=6"},

    /* the standard's blocks */
    {"SR holds, and setting wins", "",
     "VAR b : SR; x, y : BOOL; END_VAR b(S1 := TRUE, R := FALSE); b(S1 := FALSE); x := b.Q1; "
     "b(S1 := "
     "TRUE, R := TRUE); y := b.Q1;",
     1, "x=TRUE y=TRUE"},
    {"RS holds, and resetting wins", "", "VAR b : RS; END_VAR b(S := TRUE, R1 := TRUE);", 1,
     "b.Q1=FALSE"},
    {"R_TRIG is TRUE for one call", "",
     "VAR t : R_TRIG; n : INT; END_VAR t(CLK := TRUE); IF t.Q THEN n := n + 1; END_IF;", 4,
     "n=1"},
    {"F_TRIG sees a fall", "",
     "VAR t : F_TRIG; n : INT; i : INT; END_VAR i := i + 1; t(CLK := i MOD 2 = 1); IF t.Q THEN "
     "n := n "
     "+ 1; END_IF;",
     6, "n=3"},
    {"CTU counts rising edges", "",
     "VAR c : CTU; i : INT; END_VAR i := i + 1; c(CU := i MOD 2 = 1, PV := 3);", 5,
     "c.CV=3 c.Q=TRUE"},
    {"CTD counts down from PV", "",
     "VAR c : CTD; END_VAR c(LD := TRUE, PV := 2); c(CD := TRUE, LD := FALSE); c(CD := FALSE); "
     "c(CD "
     ":= TRUE);",
     1, "c.CV=0 c.Q=TRUE"},

    /* TIME */
    {"durations", "",
     "VAR a, b, c, d : TIME; END_VAR a := T#1h2m3s; b := TIME#1.5s; c := t#-20ms; d := "
     "T#1d_12h;",
     1, "a=T#1h2m3s b=T#1s500ms c=T#-20ms d=T#1d12h"},
    {"times are added and compared", "",
     "VAR a : TIME := T#900ms; x : TIME; b : BOOL; END_VAR x := a + T#200ms - T#100ms; b := x "
     "= "
     "T#1s;",
     1, "x=T#1s b=TRUE"},
    {"times are scaled", "",
     "VAR a : TIME := T#3s; x, y, z : TIME; END_VAR x := a * 2; y := a / 2; z := a * 0.1;", 1,
     "x=T#6s y=T#1s500ms z=T#300ms"},

    /* how it is written */
    {"comments of three kinds, one within another", "",
     "VAR x : INT; END_VAR (* a (* b *) c *) x := 1; // x := 2;\n/* x := 3; */ {anything} x := "
     "x + "
     "1;",
     1, "x=2"},
    {"0 and 1 as BOOL", "",
     "VAR a : BOOL := 1; b : BOOL := BOOL#0; x : BOOL; END_VAR x := a <> b;", 1, "x=TRUE"},
};

enum { TEXT_CHARS = 4096 };

static rk_plc *loaded(const program *p, rk_diag *diag, rk_status *status)
{
    static char text[TEXT_CHARS];
    rk_plc *plc = rk_plc_create();

    ck_assert_ptr_nonnull(plc);
    ck_assert_int_lt(snprintf(text, sizeof text,
                              "%s\nFUNCTION_BLOCK small\n%s\nEND_FUNCTION_BLOCK\n", p->above,
                              p->body),
                     TEXT_CHARS);
    *status = rk_plc_load(plc, "small.st", text, strlen(text), diag);
    return plc;
}

/* "x=1 y=TRUE": each as the PLC shows it. */
static void check_results(rk_plc *plc, rk_plc_instance *instance, const char *fact,
                          const char *results)
{
    char path[64], wanted[64], got[RK_PLC_VALUE_CHARS];
    int used, count = 0;

    while (sscanf(results, " %63[^=]=%63s%n", path, wanted, &used) == 2) {
        rk_plc_variable v;

        ck_assert_int_eq(rk_plc_find(plc, instance, path, &v, NULL), RK_OK);
        rk_plc_format(&v, got);
        ck_assert_msg(strcmp(got, wanted) == 0, "%s: %s is %s, not %s", fact, path, got,
                      wanted);
        results += used;
        count++;
    }
    ck_assert_int_gt(count, 0);
}

START_TEST(a_small_program_does_what_the_standard_says)
{
    const program *p = &programs[_i];
    rk_diag diag = {RK_OK, ""};
    rk_plc_instance *instance;
    rk_status status;
    rk_plc *plc = loaded(p, &diag, &status);
    int i;

    ck_assert_msg(status == RK_OK, "%s: %s", p->fact, diag.text);
    ck_assert_int_eq(rk_plc_instance_create(plc, "Small", &instance, &diag), RK_OK);
    for (i = 0; i < p->scans; i++) {
        ck_assert_msg(rk_plc_scan(plc, instance, &diag) == RK_OK, "%s: %s", p->fact, diag.text);
    }
    check_results(plc, instance, p->fact, p->results);
    rk_plc_free(plc);
}
END_TEST

/* A text that is wrong, where, and a word of what it is told. The body starts in line 3. */
static const struct {
    program program;
    const char *place, *says;
} wrong[] = {
    {{"no semicolon", "", "VAR x : INT; END_VAR\nx := 1\nx := 2;", 0, ""},
     "line 5, column 1",
     ";"},
    {{"= for :=", "", "VAR x : INT; END_VAR\nx = 1;", 0, ""}, "line 4, column 3", ":="},
    {{"no END_IF", "", "VAR x : INT; END_VAR IF TRUE THEN x := 1;", 0, ""}, "line 4", "END_IF"},
    {{"a bracket too few", "", "VAR x : INT; END_VAR x := (1 + 2;", 0, ""},
     "line 3, column 33",
     ")"},
    {{"not declared", "", "VAR x : INT; END_VAR\nx := y;", 0, ""}, "line 4, column 6", "'y'"},
    {{"declared twice", "", "VAR x : INT; X : BOOL; END_VAR", 0, ""},
     "line 3, column 14",
     "twice"},
    {{"an unknown type", "", "VAR x : FLOAT; END_VAR", 0, ""}, "line 3, column 9", "'FLOAT'"},
    {{"a type beyond this PLC", "", "VAR x : STRING; END_VAR", 0, ""},
     "line 3, column 9",
     "STRING"},
    {{"BOOL where a number should", "", "VAR x : INT; END_VAR x := TRUE;", 0, ""},
     "line 3, column 27",
     "BOOL"},
    {{"LREAL into REAL", "", "VAR x : REAL; y : LREAL; END_VAR x := y;", 0, ""},
     "line 3, column 39",
     "LREAL_TO_REAL"},
    {{"LREAL into INT", "", "VAR x : INT; y : LREAL; END_VAR x := y + 1.0;", 0, ""},
     "line 3",
     "LREAL_TO_INT"},
    {{"1.5 into INT", "", "VAR x : INT := 1.5; END_VAR", 0, ""}, "line 3, column 16", "INT"},
    {{"a literal beyond its type", "", "VAR x : INT := 40000; END_VAR", 0, ""},
     "line 3, column 16",
     "range"},
    {{"a typed literal beyond it", "", "VAR x : DINT := INT#40000; END_VAR", 0, ""},
     "line 3",
     "range"},
    {{"a condition that is a number", "", "VAR x : INT; END_VAR IF x THEN END_IF;", 0, ""},
     "line 3, column 25",
     "BOOL"},
    {{"AND of numbers", "", "VAR x : INT; b : BOOL; END_VAR b := x AND x;", 0, ""},
     "line 3",
     "AND"},
    {{"a constant is written", "", "VAR CONSTANT k : INT := 3; END_VAR k := 4;", 0, ""},
     "line 3, column 36",
     "constant"},
    {{"an input is written", "", "VAR_INPUT a : INT; END_VAR a := 4;", 0, ""},
     "line 3, column 28",
     "input"},
    {{"a block's output is written from outside",
      "FUNCTION_BLOCK p VAR_OUTPUT q : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b : p; END_VAR b.q := 1;", 0, ""},
     "line 3",
     "output"},
    {{"a block's inside is read from outside",
      "FUNCTION_BLOCK p VAR q : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b : p; x : INT; END_VAR x := b.q;", 0, ""},
     "line 3",
     "'q'"},
    {{"an unknown input", "FUNCTION_BLOCK p VAR_INPUT a : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b : p; END_VAR b(c := 1);", 0, ""},
     "line 3, column 22",
     "'c'"},
    {{"an input given twice", "FUNCTION_BLOCK p VAR_INPUT a : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b : p; END_VAR b(a := 1, a := 2);", 0, ""},
     "line 3",
     "twice"},
    {{"an in-out left out", "FUNCTION_BLOCK p VAR_IN_OUT a : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b : p; END_VAR b();", 0, ""},
     "line 3",
     "'a'"},
    {{"a block assigned", "FUNCTION_BLOCK p VAR_INPUT a : INT; END_VAR END_FUNCTION_BLOCK",
      "VAR b, c : p; END_VAR b := c;", 0, ""},
     "line 3",
     "called"},
    {{"recursion", "", "VAR b : small; END_VAR", 0, ""}, "line 3", "recursion"},
    {{"a function within itself",
      "FUNCTION f : INT VAR_INPUT a : INT; END_VAR f := f(a - 1); END_FUNCTION", "", 0, ""},
     "line 1",
     "recursion"},
    {{"an unknown function", "", "VAR x : INT; END_VAR x := cube(3);", 0, ""},
     "line 3, column 27",
     "cube"},
    {{"too few inputs", "", "VAR x : LREAL; END_VAR x := LIMIT(1.0, 2.0);", 0, ""},
     "line 3",
     "LIMIT"},
    {{"SQRT of an INT", "", "VAR i : INT; x : LREAL; END_VAR x := SQRT(i);", 0, ""},
     "line 3",
     "SQRT"},
    {{"an index beyond the array", "", "VAR a : ARRAY[1..3] OF INT; END_VAR a[4] := 1;", 0, ""},
     "line 3, column 39",
     "1..3"},
    {{"an index into a number", "", "VAR a : INT; END_VAR a[1] := 1;", 0, ""},
     "line 3",
     "no array"},
    {{"too many initial values", "", "VAR a : ARRAY[1..2] OF INT := [1, 2, 3]; END_VAR", 0, ""},
     "line 3, column 38",
     "more values"},
    {{"EXIT without a loop", "", "EXIT;", 0, ""}, "line 3, column 1", "EXIT"},
    {{"CASE by a real", "", "VAR x : LREAL; END_VAR CASE x OF 1: ; END_CASE;", 0, ""},
     "line 3",
     "CASE"},
    {{"a constant division by zero", "", "VAR x : INT := 1 / 0; END_VAR", 0, ""},
     "line 3",
     "zero"},
    {{"a comment that does not end", "", "(* x := 1;", 0, ""}, "line", "comment"},
    {{"a reserved word as a name", "", "VAR method : INT; END_VAR", 0, ""},
     "line 3, column 5",
     "method"},
    {{"a keyword as a name", "", "VAR end_if : INT; END_VAR", 0, ""},
     "line 3, column 5",
     "END_IF"},
    {{"two underscores", "", "VAR a__b : INT; END_VAR", 0, ""},
     "line 3, column 5",
     "underscores"},
    {{"a duration without a unit", "", "VAR t : TIME := T#5; END_VAR", 0, ""},
     "line 3",
     "'T#5'"},
    {{"units in the wrong order", "", "VAR t : TIME := T#5s1h; END_VAR", 0, ""},
     "line 3",
     "duration"},
    {{"a number as TIME", "", "VAR t : TIME := 5; END_VAR", 0, ""},
     "line 3, column 17",
     "TIME"},
    {{"an address that is none", "", "VAR x AT %KW0 : INT; END_VAR", 0, ""}, "line 3", "%KW0"},
    {{"two at one address", "", "VAR x, y AT %IW0 : INT; END_VAR", 0, ""}, "line 3", "AT"},
    {{"an address in a statement", "", "VAR x : INT; END_VAR x := %IW0;", 0, ""},
     "line 3",
     "an address"},
    {{"a strange sign", "", "VAR x : INT; END_VAR x := 5 $ 3;", 0, ""},
     "line 3, column 29",
     "'$'"},
    {{"a global in a block", "", "VAR_GLOBAL x : INT; END_VAR", 0, ""},
     "line 3",
     "CONFIGURATION"},
    {{"no such standard", "FUNCTION_BLOCK TON END_FUNCTION_BLOCK", "", 0, ""},
     "line 1, column 16",
     "twice"},
};

START_TEST(a_wrong_program_is_told_where_and_why)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    rk_plc *plc = loaded(&wrong[_i].program, &diag, &status);

    ck_assert_msg(status == RK_ERR_FORMAT, "%s is taken", wrong[_i].program.fact);
    ck_assert_msg(strstr(diag.text, wrong[_i].place) != NULL &&
                      strstr(diag.text, "small.st, line") == diag.text &&
                      strstr(diag.text, wrong[_i].says) != NULL,
                  "%s: '%s' lacks %s or %s", wrong[_i].program.fact, diag.text, wrong[_i].place,
                  wrong[_i].says);
    rk_plc_free(plc);
}
END_TEST

/* What goes wrong only when it runs, in the first scan. */
static const struct {
    program program;
    const char *place, *says;
} faults[] = {
    {{"INT overflows", "", "VAR x : INT := 32767; END_VAR\nx := x + 1;", 0, ""},
     "line 4, column 8",
     "range"},
    {{"DINT overflows", "", "VAR x : DINT := 65536; END_VAR x := x * x;", 0, ""},
     "line 3",
     "range"},
    {{"LINT overflows", "", "VAR x : LINT := 9223372036854775807; END_VAR x := x + x;", 0, ""},
     "line 3",
     "range"},
    {{"an unsigned difference below 0", "", "VAR x : UINT; END_VAR x := x - 1;", 0, ""},
     "line 3",
     "range"},
    {{"a division by zero", "", "VAR x, z : INT; END_VAR x := 5 / z;", 0, ""},
     "line 3",
     "zero"},
    {{"an index beyond its array", "",
      "VAR a : ARRAY[0..2] OF INT; i : INT := 3; END_VAR a[i] := 1;", 0, ""},
     "line 3",
     "array"},
    {{"a real beyond INT", "",
      "VAR x : INT; r : LREAL := 40000.0; END_VAR x := LREAL_TO_INT(r);", 0, ""},
     "line 3",
     "range"},
    {{"a NaN as INT", "", "VAR x : INT; z : LREAL; END_VAR x := LREAL_TO_INT(z / z);", 0, ""},
     "line 3",
     "range"},
    {{"a loop without end", "", "VAR x : INT; END_VAR WHILE TRUE DO x := 1; END_WHILE;", 0, ""},
     "line 3",
     "turns"},
    {{"FOR BY 0", "", "VAR i, z : INT; END_VAR FOR i := 1 TO 2 BY z DO END_FOR;", 0, ""},
     "line 3",
     "BY 0"},
    {{"MUX beyond its inputs", "", "VAR k : INT := 2; x : INT; END_VAR x := MUX(k, 1, 2);", 0,
      ""},
     "line 3",
     "MUX"},
    {{"DINT to INT that does not fit", "",
      "VAR a : DINT := 40000; x : INT; END_VAR x := DINT_TO_INT(a);", 0, ""},
     "line 3",
     "range"},
};

START_TEST(an_error_of_the_program_stops_the_scan_and_says_where)
{
    rk_diag diag = {RK_OK, ""};
    rk_plc_instance *instance;
    rk_status status;
    rk_plc *plc = loaded(&faults[_i].program, &diag, &status);

    ck_assert_msg(status == RK_OK, "%s", diag.text);
    ck_assert_int_eq(rk_plc_instance_create(plc, "small", &instance, NULL), RK_OK);
    ck_assert_msg(rk_plc_scan(plc, instance, &diag) == RK_ERR_RANGE, "%s runs",
                  faults[_i].program.fact);
    ck_assert_msg(strstr(diag.text, faults[_i].place) != NULL &&
                      strstr(diag.text, faults[_i].says) != NULL,
                  "%s: '%s'", faults[_i].program.fact, diag.text);
    rk_plc_free(plc);
}
END_TEST

static rk_plc *plc_of(const char *text)
{
    rk_plc *plc = rk_plc_create();
    rk_diag diag = {RK_OK, ""};

    ck_assert_ptr_nonnull(plc);
    ck_assert_msg(rk_plc_load(plc, "text", text, strlen(text), &diag) == RK_OK, "%s",
                  diag.text);
    return plc;
}

/* The standard's timing diagrams: IN from 1 s to 4 s, PT 2 s, looked at each 0.5 s. */
static const struct {
    const char *block, *q; /* Q at 0, 0.5, 1, .. s */
    const char *et;        /* ET at 5 s */
} timers[] = {
    {"TON", "000000110000000", "T#0s"},
    {"TOF", "001111111111000", "T#1s"},
    {"TP", "001111000000000", "T#0s"},
};

START_TEST(timers_follow_the_diagrams_of_the_standard)
{
    char text[512];
    rk_plc_instance *instance;
    rk_plc_variable q, et, in;
    rk_plc *plc;
    int i;

    (void)snprintf(
        text, sizeof text,
        "FUNCTION_BLOCK b VAR_INPUT x : BOOL; END_VAR VAR t : %s; END_VAR t(IN := x, PT "
        ":= T#2s); END_FUNCTION_BLOCK",
        timers[_i].block);
    plc = plc_of(text);
    ck_assert_int_eq(rk_plc_instance_create(plc, "b", &instance, NULL), RK_OK);
    ck_assert_int_eq(rk_plc_find(plc, instance, "t.Q", &q, NULL), RK_OK);
    ck_assert_int_eq(rk_plc_find(plc, instance, "t.ET", &et, NULL), RK_OK);
    ck_assert_int_eq(rk_plc_find(plc, instance, "x", &in, NULL), RK_OK);
    for (i = 0; timers[_i].q[i] != '\0'; i++) {
        char shown[RK_PLC_VALUE_CHARS];

        rk_plc_set_clock(plc, 0.5 * i);
        in.at->whole = i >= 2 && i < 8;
        ck_assert_int_eq(rk_plc_scan(plc, instance, NULL), RK_OK);
        ck_assert_msg(q.at->whole == timers[_i].q[i] - '0', "%s: Q at %g s is %d",
                      timers[_i].block, 0.5 * i, (int)q.at->whole);
        rk_plc_format(&et, shown);
        if (i == 10) {
            ck_assert_str_eq(shown, timers[_i].et);
        }
    }
    rk_plc_free(plc);
}
END_TEST

static const char plant_text[] =
    "FUNCTION_BLOCK counter VAR_OUTPUT n : DINT; END_VAR VAR RETAIN total : DINT; END_VAR\n"
    "n := n + 1; total := total + 1; END_FUNCTION_BLOCK\n"
    "PROGRAM fast VAR c : counter; END_VAR VAR_EXTERNAL shared : DINT; END_VAR\n"
    "c(); shared := shared + 1; END_PROGRAM\n"
    "PROGRAM slow VAR c : counter; seen : DINT; END_VAR VAR_EXTERNAL shared : DINT; END_VAR\n"
    "c(); seen := shared; END_PROGRAM\n"
    "PROGRAM spare VAR c : counter; END_VAR c(); END_PROGRAM\n"
    "CONFIGURATION hall VAR_GLOBAL shared : DINT; END_VAR\n"
    "  RESOURCE cpu ON any\n"
    "    TASK quick(INTERVAL := T#100ms, PRIORITY := 1);\n"
    "    TASK lazy(INTERVAL := T#1s, PRIORITY := 5);\n"
    "    PROGRAM one WITH lazy : slow;\n"
    "    PROGRAM two WITH quick : fast;\n"
    "    PROGRAM three : spare;\n"
    "  END_RESOURCE\n"
    "END_CONFIGURATION\n";

START_TEST(tasks_run_at_their_intervals_the_urgent_first)
{
    rk_plc *plc = plc_of(plant_text);

    ck_assert_int_eq(rk_plc_run(plc, 2.05, NULL), RK_OK);
    /* at 0, 0.1, .. 2.0 s; and at 0, 1, 2 s, after the quick one */
    check_results(plc, NULL, "tasks",
                  "two.c.n=21 shared=21 one.c.n=3 one.seen=21 three.c.n=21");
    ck_assert_int_eq(rk_plc_run(plc, 0.95, NULL), RK_OK);
    check_results(plc, NULL, "up to 3 s, which is not in it", "two.c.n=30 one.c.n=3");
    rk_plc_free(plc);
}
END_TEST

START_TEST(a_warm_restart_keeps_what_is_retained_and_a_cold_one_nothing)
{
    rk_plc *plc = plc_of(plant_text);

    ck_assert_int_eq(rk_plc_run(plc, 1, NULL), RK_OK);
    rk_plc_restart(plc, true);
    check_results(plc, NULL, "warm", "two.c.n=0 two.c.total=10 shared=0");
    rk_plc_restart(plc, false);
    check_results(plc, NULL, "cold", "two.c.n=0 two.c.total=0 shared=0");
    rk_plc_free(plc);
}
END_TEST

START_TEST(calls_without_sense_are_refused)
{
    rk_plc *plc = plc_of(plant_text);
    rk_diag diag = {RK_OK, ""};
    rk_plc_instance *instance;
    rk_plc_variable v;

    ck_assert_int_eq(rk_plc_load(NULL, "", "", 0, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_plc_instance_create(plc, "nothing", &instance, &diag), RK_ERR_DATA);
    ck_assert_ptr_nonnull(strstr(diag.text, "nothing"));
    ck_assert_int_eq(rk_plc_instance_create(plc, "counter", &instance, NULL), RK_OK);
    ck_assert_int_eq(rk_plc_find(plc, instance, "m", &v, NULL), RK_ERR_DATA);
    ck_assert_int_eq(rk_plc_find(plc, instance, "n.x", &v, NULL), RK_ERR_DATA);
    ck_assert_int_eq(rk_plc_find(plc, NULL, "one.c", &v, NULL), RK_ERR_DATA);
    ck_assert_int_eq(rk_plc_run(plc, -1, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_plc_scan(plc, NULL, NULL), RK_ERR_ARG);
    ck_assert_str_eq(rk_plc_last_block(plc), "counter");
    rk_plc_free(plc);
    plc = rk_plc_create();
    ck_assert_int_eq(rk_plc_run(plc, 1, &diag), RK_ERR_DATA);
    ck_assert_str_eq(rk_plc_last_block(plc), "");
    rk_plc_free(plc);
}
END_TEST

START_TEST(a_global_that_nobody_declares_is_an_error)
{
    rk_plc *plc = plc_of("PROGRAM p VAR_EXTERNAL level : INT; END_VAR level := 1; END_PROGRAM");
    rk_diag diag = {RK_OK, ""};
    rk_plc_instance *instance;

    ck_assert_int_eq(rk_plc_instance_create(plc, "p", &instance, &diag), RK_ERR_DATA);
    ck_assert_ptr_nonnull(strstr(diag.text, "'level'"));
    rk_plc_free(plc);
}
END_TEST

/* Brackets, blocks and chains that go on and on: an error, or done; never a fall. */
START_TEST(deep_nesting_is_refused_or_done)
{
    static const struct {
        const char *open, *middle, *close;
    } deep[] = {
        {"(", "1", ")"},
        {"-", "1", ""},
        {"1+", "1", ""},
        {"ABS(", "1", ")"},
    };
    enum { TIMES = 3000 };
    size_t i, j;

    for (i = 0; i < COUNT(deep); i++) {
        rk_text *text = rk_text_create();
        rk_diag diag = {RK_OK, ""};
        rk_plc *plc = rk_plc_create();
        rk_status status;

        rk_text_add(text, "FUNCTION_BLOCK b VAR x : INT; END_VAR x := ");
        for (j = 0; j < TIMES; j++) {
            rk_text_add(text, "%s", deep[i].open);
        }
        rk_text_add(text, "%s", deep[i].middle);
        for (j = 0; j < TIMES; j++) {
            rk_text_add(text, "%s", deep[i].close);
        }
        rk_text_add(text, "; END_FUNCTION_BLOCK");
        status = rk_plc_load(plc, "deep", rk_text_chars(text), rk_text_length(text), &diag);
        ck_assert(status == RK_OK || (status == RK_ERR_FORMAT && diag.text[0] != '\0'));
        rk_plc_free(plc);
        rk_text_free(text);
    }
}
END_TEST

static Suite *suite_softplc(void)
{
    Suite *suite = suite_create("softplc");
    TCase *t = tcase_create("softplc");

    add_table(t, a_small_program_does_what_the_standard_says, programs);
    add_table(t, a_wrong_program_is_told_where_and_why, wrong);
    add_table(t, an_error_of_the_program_stops_the_scan_and_says_where, faults);
    add_table(t, timers_follow_the_diagrams_of_the_standard, timers);
    tcase_add_test(t, tasks_run_at_their_intervals_the_urgent_first);
    tcase_add_test(t, a_warm_restart_keeps_what_is_retained_and_a_cold_one_nothing);
    tcase_add_test(t, calls_without_sense_are_refused);
    tcase_add_test(t, a_global_that_nobody_declares_is_an_error);
    tcase_add_test(t, deep_nesting_is_refused_or_done);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_softplc};

    return run_suites(makers, COUNT(makers));
}
