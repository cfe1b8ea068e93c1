/* SPDX-License-Identifier: MIT */
#include "parts.h"

/* The standard's function blocks, in the standard's own language: bistables, edges, counters
   and timers (IEC 61131-3, 3rd ed., 6.6.3.5). ?now is the PLC's clock. The text is data of the
   PLC, read anew by each. */
static const char text[] =
    "FUNCTION_BLOCK SR VAR_INPUT S1, R : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR\n"
    "Q1 := S1 OR (NOT R AND Q1); END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK RS VAR_INPUT S, R1 : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR\n"
    "Q1 := NOT R1 AND (S OR Q1); END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK R_TRIG VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR\n"
    "VAR M : BOOL; END_VAR Q := CLK AND NOT M; M := CLK; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK F_TRIG VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR\n"
    "VAR M : BOOL; END_VAR Q := NOT CLK AND NOT M; M := NOT CLK; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK CTU VAR_INPUT CU, R : BOOL; PV : INT; END_VAR\n"
    "VAR_OUTPUT Q : BOOL; CV : INT; END_VAR VAR edge : R_TRIG; END_VAR\n"
    "edge(CLK := CU);\n"
    "IF R THEN CV := 0; ELSIF edge.Q AND CV < 32767 THEN CV := CV + 1; END_IF;\n"
    "Q := CV >= PV; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK CTD VAR_INPUT CD, LD : BOOL; PV : INT; END_VAR\n"
    "VAR_OUTPUT Q : BOOL; CV : INT; END_VAR VAR edge : R_TRIG; END_VAR\n"
    "edge(CLK := CD);\n"
    "IF LD THEN CV := PV; ELSIF edge.Q AND CV > -32768 THEN CV := CV - 1; END_IF;\n"
    "Q := CV <= 0; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK CTUD VAR_INPUT CU, CD, R, LD : BOOL; PV : INT; END_VAR\n"
    "VAR_OUTPUT QU, QD : BOOL; CV : INT; END_VAR VAR up, down : R_TRIG; END_VAR\n"
    "up(CLK := CU); down(CLK := CD);\n"
    "IF R THEN CV := 0; ELSIF LD THEN CV := PV;\n"
    "ELSIF NOT (up.Q AND down.Q) THEN\n"
    "IF up.Q AND CV < 32767 THEN CV := CV + 1;\n"
    "ELSIF down.Q AND CV > -32768 THEN CV := CV - 1; END_IF; END_IF;\n"
    "QU := CV >= PV; QD := CV <= 0; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK TP VAR_INPUT IN : BOOL; PT : TIME; END_VAR\n"
    "VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR\n"
    "VAR begun : TIME; was : BOOL; END_VAR VAR_EXTERNAL ?now : TIME; END_VAR\n"
    "IF IN AND NOT was AND NOT Q THEN begun := ?now; Q := TRUE; END_IF;\n"
    "was := IN;\n"
    "IF Q THEN ET := ?now - begun; IF ET >= PT THEN ET := PT; Q := FALSE; END_IF; END_IF;\n"
    "IF NOT Q AND NOT IN THEN ET := T#0s; END_IF; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK TON VAR_INPUT IN : BOOL; PT : TIME; END_VAR\n"
    "VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR\n"
    "VAR begun : TIME; was : BOOL; END_VAR VAR_EXTERNAL ?now : TIME; END_VAR\n"
    "IF IN THEN\n"
    "IF NOT was THEN begun := ?now; END_IF;\n"
    "ET := ?now - begun; IF ET >= PT THEN ET := PT; END_IF; Q := ET = PT;\n"
    "ELSE ET := T#0s; Q := FALSE; END_IF;\n"
    "was := IN; END_FUNCTION_BLOCK\n"
    "FUNCTION_BLOCK TOF VAR_INPUT IN : BOOL; PT : TIME; END_VAR\n"
    "VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR\n"
    "VAR begun : TIME; was : BOOL; END_VAR VAR_EXTERNAL ?now : TIME; END_VAR\n"
    "IF IN THEN Q := TRUE; ET := T#0s;\n"
    "ELSIF was THEN begun := ?now; ET := T#0s; END_IF;\n"
    "IF NOT IN AND Q THEN ET := ?now - begun;\n"
    "IF ET >= PT THEN ET := PT; Q := FALSE; END_IF; END_IF;\n"
    "was := IN; END_FUNCTION_BLOCK\n"
    "CONFIGURATION own VAR_GLOBAL ?now : TIME; END_VAR END_CONFIGURATION\n";

const char *rki_standard_blocks(void)
{
    return text;
}
