/* SPDX-License-Identifier: MIT */
/* The grammar of Structured Text: IEC 61131-3, 3rd ed., annex A. */
%define api.pure full
%define api.prefix {rki_st_}
%define api.token.prefix {RKI_T_}
%define parse.error custom
%define parse.lac full
%locations
%param {void *scanner}
%parse-param {rki_parse *p}
%expect 0

%code requires {
#include "parts.h"
}

%union {
    const char *word;
    rki_syntax *node;
    int number;
}

%code {
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#define YYMALLOC(size) rk_memory_create(1, size)
#define YYFREE rk_memory_free

int rki_st_lex(YYSTYPE *value, YYLTYPE *at, void *scanner);

static void rki_st_error(const YYLTYPE *at, void *scanner, rki_parse *p, const char *what);

static rki_place place(const YYLTYPE *at)
{
    return (rki_place){at->first_line, at->first_column};
}

/* The new node, with all that may hang on it; no memory, or too deep, ends the parse. */
#define MAKE(result, kind, where, first, second)                                               \
    do {                                                                                       \
        (result) = rki_syntax_make(p, kind, place(&(where)), first, second);                   \
        if ((result) == NULL) YYABORT;                                                         \
    } while (0)
#define HANG(result, third, fourth, fifth)                                                     \
    do {                                                                                       \
        if (!rki_syntax_hang(p, result, third, fourth, fifth)) YYABORT;                        \
    } while (0)
#define MAKE_WORD(result, kind, where, chars)                                                  \
    do {                                                                                       \
        MAKE(result, kind, where, NULL, NULL);                                                 \
        (result)->word = (chars);                                                              \
    } while (0)
#define MAKE_BINARY(result, where, first, how, second)                                         \
    do {                                                                                       \
        MAKE(result, RKI_BINARY, where, first, second);                                        \
        (result)->operation = (how);                                                           \
    } while (0)
}

%token FUNCTION "FUNCTION" END_FUNCTION "END_FUNCTION" FUNCTION_BLOCK "FUNCTION_BLOCK"
%token END_FUNCTION_BLOCK "END_FUNCTION_BLOCK" PROGRAM "PROGRAM" END_PROGRAM "END_PROGRAM"
%token CONFIGURATION "CONFIGURATION" END_CONFIGURATION "END_CONFIGURATION"
%token RESOURCE "RESOURCE" END_RESOURCE "END_RESOURCE" TASK "TASK" WITH "WITH" ON "ON"
%token TYPE "TYPE" END_TYPE "END_TYPE" STRUCT "STRUCT" END_STRUCT "END_STRUCT"
%token ARRAY "ARRAY" OF "OF" VAR "VAR" VAR_INPUT "VAR_INPUT" VAR_OUTPUT "VAR_OUTPUT"
%token VAR_IN_OUT "VAR_IN_OUT" VAR_TEMP "VAR_TEMP" VAR_GLOBAL "VAR_GLOBAL"
%token VAR_EXTERNAL "VAR_EXTERNAL" END_VAR "END_VAR" CONSTANT "CONSTANT" RETAIN "RETAIN"
%token NON_RETAIN "NON_RETAIN" IF "IF" THEN "THEN" ELSIF "ELSIF" ELSE "ELSE" END_IF "END_IF"
%token CASE "CASE" END_CASE "END_CASE" FOR "FOR" TO "TO" BY "BY" DO "DO" END_FOR "END_FOR"
%token WHILE "WHILE" END_WHILE "END_WHILE" REPEAT "REPEAT" UNTIL "UNTIL"
%token END_REPEAT "END_REPEAT" EXIT "EXIT" CONTINUE "CONTINUE" RETURN "RETURN"
%token OR "OR" XOR "XOR" AND "AND" MOD "MOD" NOT "NOT"
%token ASSIGN ":=" ARROW "=>" DOTS ".." NE "<>" LE "<=" GE ">=" POWER "**"
%token AT "AT" WRONG "this"
%token <word> LITERAL "a literal" ELEMENTARY "a type" WORD "a name" ADDRESS "an address"

%type <node> items item type_list type_declaration type_spec range ranges fields field
%type <node> sections section section_list variables located names initial initial_list initial_item
%type <node> statements statement variable expression expressions call arguments argument
%type <node> else_part branches labels label label_value by type_name
%type <node> resources resource resource_items task program_here task_name connections
%type <node> configuration function function_block program elsif named_arguments named
%type <number> section_kind qualifiers

%left "OR"
%left "XOR"
%left "AND"
%left '=' "<>"
%left '<' '>' "<=" ">="
%left '+' '-'
%left '*' '/' "MOD"
%left "**"
%precedence SIGN "NOT"

%%
text: items { p->items = $1; }
    ;
items: %empty { $$ = NULL; }
    | items item { $$ = rki_syntax_append($1, $2); }
    | items ';' { $$ = $1; }
    ;
item: "TYPE" type_list "END_TYPE" { $$ = $2; }
    | function
    | function_block
    | program
    | configuration
    | section { MAKE($$, RKI_CONFIGURATION, @1, $1, NULL); } /* globals, as a project lists them */
    ;

type_list: type_declaration ';'
    | type_list type_declaration ';' { $$ = rki_syntax_append($1, $2); }
    ;
type_declaration: WORD ':' type_spec { MAKE($$, RKI_TYPE, @1, $3, NULL); $$->word = $1; }
    | WORD ':' type_spec ":=" initial { MAKE($$, RKI_TYPE, @1, $3, $5); $$->word = $1; }
    ;
type_name: WORD { MAKE_WORD($$, RKI_TYPE_NAME, @1, $1); }
    | ELEMENTARY { MAKE_WORD($$, RKI_TYPE_NAME, @1, $1); }
    ;
type_spec: type_name
    | "ARRAY" '[' ranges ']' "OF" type_spec { MAKE($$, RKI_TYPE_ARRAY, @1, $3, $6); }
    | "STRUCT" fields "END_STRUCT" { MAKE($$, RKI_TYPE_STRUCT, @1, $2, NULL); }
    ;
ranges: range
    | ranges ',' range { $$ = rki_syntax_append($1, $3); }
    ;
range: expression ".." expression { MAKE($$, RKI_RANGE, @1, $1, $3); }
    ;
fields: field ';'
    | fields field ';' { $$ = rki_syntax_append($1, $2); }
    ;
field: names ':' type_spec { MAKE($$, RKI_VARIABLES, @1, $1, $3); }
    | names ':' type_spec ":=" initial { MAKE($$, RKI_VARIABLES, @1, $1, $3); HANG($$, $5, NULL, NULL); }
    ;

initial: expression
    | '[' initial_list ']' { MAKE($$, RKI_INIT_LIST, @1, $2, NULL); }
    | '(' named_arguments ')' { MAKE($$, RKI_INIT_FIELDS, @1, $2, NULL); }
    ;
initial_list: initial_item
    | initial_list ',' initial_item { $$ = rki_syntax_append($1, $3); }
    ;
initial_item: initial
    | LITERAL '(' initial ')' {
        rki_syntax *times;

        MAKE_WORD(times, RKI_LITERAL, @1, $1);
        MAKE($$, RKI_INIT_TIMES, @1, times, $3);
    }
    ;
named_arguments: named
    | named_arguments ',' named { $$ = rki_syntax_append($1, $3); }
    ;
named: WORD ":=" initial {
        MAKE($$, RKI_ARGUMENT, @1, $3, NULL);
        $$->word = $1;
        $$->operation = RKI_IN;
    }
    ;

sections: %empty { $$ = NULL; }
    | sections section { $$ = rki_syntax_append($1, $2); }
    ;
section: section_kind qualifiers section_list "END_VAR" {
        MAKE($$, RKI_SECTION, @1, $3, NULL);
        $$->operation = $1;
        $$->flags = $2;
    }
    ;
section_kind: "VAR" { $$ = RKI_VAR; }
    | "VAR_INPUT" { $$ = RKI_VAR_INPUT; }
    | "VAR_OUTPUT" { $$ = RKI_VAR_OUTPUT; }
    | "VAR_IN_OUT" { $$ = RKI_VAR_IN_OUT; }
    | "VAR_TEMP" { $$ = RKI_VAR_TEMP; }
    | "VAR_GLOBAL" { $$ = RKI_VAR_GLOBAL; }
    | "VAR_EXTERNAL" { $$ = RKI_VAR_EXTERNAL; }
    ;
qualifiers: %empty { $$ = 0; }
    | qualifiers "CONSTANT" { $$ = $1 | RKI_CONSTANT; }
    | qualifiers "RETAIN" { $$ = $1 | RKI_RETAIN; }
    | qualifiers "NON_RETAIN" { $$ = $1; }
    ;
section_list: %empty { $$ = NULL; }
    | section_list variables ';' { $$ = rki_syntax_append($1, $2); }
    ;
variables: names ':' type_spec { MAKE($$, RKI_VARIABLES, @1, $1, $3); }
    | names ':' type_spec ":=" initial { MAKE($$, RKI_VARIABLES, @1, $1, $3); HANG($$, $5, NULL, NULL); }
    | located ':' type_spec { MAKE($$, RKI_VARIABLES, @1, $1, $3); }
    | located ':' type_spec ":=" initial { MAKE($$, RKI_VARIABLES, @1, $1, $3); HANG($$, $5, NULL, NULL); }
    ;
/* There is no hardware behind an address: it is a variable like any other. */
located: WORD "AT" ADDRESS { MAKE_WORD($$, RKI_WORD, @1, $1); }
    ;
names: WORD { MAKE_WORD($$, RKI_WORD, @1, $1); }
    | names ',' WORD {
        rki_syntax *name;

        MAKE_WORD(name, RKI_WORD, @3, $3);
        $$ = rki_syntax_append($1, name);
    }
    ;

function: "FUNCTION" WORD ':' type_name sections statements "END_FUNCTION" {
        MAKE($$, RKI_POU, @2, $5, $6);
        $$->word = $2;
        HANG($$, $4, NULL, NULL);
        $$->operation = RKI_FUNCTION;
    }
    ;
function_block: "FUNCTION_BLOCK" WORD sections statements "END_FUNCTION_BLOCK" {
        MAKE($$, RKI_POU, @2, $3, $4);
        $$->word = $2;
        $$->operation = RKI_FUNCTION_BLOCK;
    }
    ;
program: "PROGRAM" WORD sections statements "END_PROGRAM" {
        MAKE($$, RKI_POU, @2, $3, $4);
        $$->word = $2;
        $$->operation = RKI_PROGRAM;
    }
    ;

configuration: "CONFIGURATION" WORD resources "END_CONFIGURATION" {
        MAKE($$, RKI_CONFIGURATION, @2, $3, NULL);
        $$->word = $2;
    }
    ;
resources: %empty { $$ = NULL; }
    | resources section { $$ = rki_syntax_append($1, $2); }
    | resources resource { $$ = rki_syntax_append($1, $2); }
    | resources task ';' { $$ = rki_syntax_append($1, $2); }
    | resources program_here ';' { $$ = rki_syntax_append($1, $2); }
    ;
resource: "RESOURCE" WORD "ON" WORD resource_items "END_RESOURCE" {
        MAKE($$, RKI_CONFIGURATION, @2, $5, NULL);
        $$->word = $2;
    }
    ;
resource_items: %empty { $$ = NULL; }
    | resource_items section { $$ = rki_syntax_append($1, $2); }
    | resource_items task ';' { $$ = rki_syntax_append($1, $2); }
    | resource_items program_here ';' { $$ = rki_syntax_append($1, $2); }
    ;
task: "TASK" WORD '(' arguments ')' { MAKE($$, RKI_TASK, @2, $4, NULL); $$->word = $2; }
    ;
program_here: "PROGRAM" WORD task_name ':' WORD connections {
        rki_syntax *type;

        MAKE_WORD(type, RKI_TYPE_NAME, @5, $5);
        MAKE($$, RKI_PROGRAM_HERE, @2, type, $3);
        $$->word = $2;
        HANG($$, $6, NULL, NULL);
    }
    ;
task_name: %empty { $$ = NULL; }
    | "WITH" WORD { MAKE_WORD($$, RKI_WORD, @2, $2); }
    ;
connections: %empty { $$ = NULL; }
    | '(' arguments ')' { $$ = $2; }
    ;

statements: %empty { $$ = NULL; }
    | statements statement ';' { $$ = rki_syntax_append($1, $2); }
    | statements ';' { $$ = $1; }
    ;
statement: variable ":=" expression { MAKE($$, RKI_ASSIGN, @1, $1, $3); }
    | call
    | "IF" expression "THEN" statements else_part "END_IF" {
        MAKE($$, RKI_IF, @1, $2, $4);
        HANG($$, $5, NULL, NULL);
    }
    | "CASE" expression "OF" branches "END_CASE" { MAKE($$, RKI_CASE, @1, $2, $4); }
    | "CASE" expression "OF" branches "ELSE" statements "END_CASE" {
        MAKE($$, RKI_CASE, @1, $2, $4);
        HANG($$, $6, NULL, NULL);
    }
    | "FOR" variable ":=" expression "TO" expression by "DO" statements "END_FOR" {
        MAKE($$, RKI_FOR, @1, $2, $9);
        HANG($$, $4, $6, $7);
    }
    | "WHILE" expression "DO" statements "END_WHILE" { MAKE($$, RKI_WHILE, @1, $2, $4); }
    | "REPEAT" statements "UNTIL" expression "END_REPEAT" { MAKE($$, RKI_REPEAT, @1, $4, $2); }
    | "EXIT" { MAKE($$, RKI_EXIT, @1, NULL, NULL); }
    | "CONTINUE" { MAKE($$, RKI_CONTINUE, @1, NULL, NULL); }
    | "RETURN" { MAKE($$, RKI_RETURN, @1, NULL, NULL); }
    ;
else_part: %empty { $$ = NULL; }
    | "ELSE" statements { $$ = $2; }
    | elsif
    ;
elsif: "ELSIF" expression "THEN" statements else_part {
        MAKE($$, RKI_IF, @1, $2, $4);
        HANG($$, $5, NULL, NULL);
    }
    ;
by: %empty { $$ = NULL; }
    | "BY" expression { $$ = $2; }
    ;
/* Flat, since a name may start a label as well as a statement. */
branches: labels ':' { MAKE($$, RKI_BRANCH, @1, $1, NULL); }
    | branches labels ':' {
        rki_syntax *branch;

        MAKE(branch, RKI_BRANCH, @2, $2, NULL);
        $$ = rki_syntax_append($1, branch);
    }
    | branches statement ';' {
        $$ = $1;
        $1->last->b = rki_syntax_append($1->last->b, $2);
    }
    | branches ';' { $$ = $1; }
    ;
labels: label
    | labels ',' label { $$ = rki_syntax_append($1, $3); }
    ;
label: label_value
    | label_value ".." label_value { MAKE($$, RKI_RANGE, @1, $1, $3); }
    ;
label_value: LITERAL { MAKE_WORD($$, RKI_LITERAL, @1, $1); }
    | '-' LITERAL {
        rki_syntax *value;

        MAKE_WORD(value, RKI_LITERAL, @2, $2);
        MAKE($$, RKI_UNARY, @1, value, NULL);
        $$->operation = RKI_NEGATE;
    }
    | WORD { MAKE_WORD($$, RKI_WORD, @1, $1); }
    ;

variable: WORD { MAKE_WORD($$, RKI_WORD, @1, $1); }
    | variable '.' WORD { MAKE($$, RKI_FIELD, @3, $1, NULL); $$->word = $3; }
    | variable '[' expressions ']' { MAKE($$, RKI_INDEX, @2, $1, $3); }
    ;
call: variable '(' arguments ')' { MAKE($$, RKI_CALL, @1, $1, $3); }
    | variable '(' ')' { MAKE($$, RKI_CALL, @1, $1, NULL); }
    ;
arguments: argument
    | arguments ',' argument { $$ = rki_syntax_append($1, $3); }
    ;
argument: expression { MAKE($$, RKI_ARGUMENT, @1, $1, NULL); }
    | WORD ":=" expression {
        MAKE($$, RKI_ARGUMENT, @1, $3, NULL);
        $$->word = $1;
        $$->operation = RKI_IN;
    }
    | WORD "=>" variable {
        MAKE($$, RKI_ARGUMENT, @1, $3, NULL);
        $$->word = $1;
        $$->operation = RKI_OUT;
    }
    | "NOT" WORD "=>" variable {
        MAKE($$, RKI_ARGUMENT, @2, $4, NULL);
        $$->word = $2;
        $$->operation = RKI_OUT_NOT;
    }
    ;
expressions: expression
    | expressions ',' expression { $$ = rki_syntax_append($1, $3); }
    ;
expression: variable
    | call
    | LITERAL { MAKE_WORD($$, RKI_LITERAL, @1, $1); }
    | '(' expression ')' { $$ = $2; }
    | '-' expression %prec SIGN { MAKE($$, RKI_UNARY, @1, $2, NULL); $$->operation = RKI_NEGATE; }
    | '+' expression %prec SIGN { $$ = $2; }
    | "NOT" expression { MAKE($$, RKI_UNARY, @1, $2, NULL); $$->operation = RKI_NOT; }
    | expression "OR" expression { MAKE_BINARY($$, @2, $1, RKI_OR, $3); }
    | expression "XOR" expression { MAKE_BINARY($$, @2, $1, RKI_XOR, $3); }
    | expression "AND" expression { MAKE_BINARY($$, @2, $1, RKI_AND, $3); }
    | expression '=' expression { MAKE_BINARY($$, @2, $1, RKI_EQ, $3); }
    | expression "<>" expression { MAKE_BINARY($$, @2, $1, RKI_NE, $3); }
    | expression '<' expression { MAKE_BINARY($$, @2, $1, RKI_LT, $3); }
    | expression '>' expression { MAKE_BINARY($$, @2, $1, RKI_GT, $3); }
    | expression "<=" expression { MAKE_BINARY($$, @2, $1, RKI_LE, $3); }
    | expression ">=" expression { MAKE_BINARY($$, @2, $1, RKI_GE, $3); }
    | expression '+' expression { MAKE_BINARY($$, @2, $1, RKI_ADD, $3); }
    | expression '-' expression { MAKE_BINARY($$, @2, $1, RKI_SUB, $3); }
    | expression '*' expression { MAKE_BINARY($$, @2, $1, RKI_MUL, $3); }
    | expression '/' expression { MAKE_BINARY($$, @2, $1, RKI_DIV, $3); }
    | expression "MOD" expression { MAKE_BINARY($$, @2, $1, RKI_MOD, $3); }
    | expression "**" expression { MAKE_BINARY($$, @2, $1, RKI_POWER, $3); }
    ;
%%

/* What bison itself says: no memory, or nested too deep for its stack. */
static void rki_st_error(const YYLTYPE *at, void *scanner, rki_parse *p, const char *what)
{
    (void)scanner;
    (void)what;
    rki_complain(p, place(at), "too much to read: no memory, or nested too deep");
}

/* What would close what stands open: of a long list that is what is missing. */
static bool rki_closes(yysymbol_kind_t symbol)
{
    static const char *const closing[] = {"';'", "')'", "']'", "THEN", "DO", "OF", "UNTIL"};
    const char *name = yysymbol_name(symbol);
    size_t i;

    for (i = 0; i < sizeof closing / sizeof closing[0]; i++) {
        if (strcmp(name, closing[i]) == 0) return true;
    }
    return strncmp(name, "END_", 4) == 0;
}

static int yyreport_syntax_error(const yypcontext_t *context, void *scanner, rki_parse *p)
{
    enum { ALL = 160, NAMED = 4 };
    yysymbol_kind_t expected[ALL];
    const yysymbol_kind_t found = yypcontext_token(context);
    const int count = yypcontext_expected_tokens(context, expected, ALL);
    char list[128] = "";
    size_t used = 0;
    int i;

    (void)scanner;
    for (i = 0; i < count && used < sizeof list - 32; i++) {
        if (count > NAMED && !rki_closes(expected[i])) continue;
        used += (size_t)snprintf(list + used, sizeof list - used, "%s%s",
                                 used > 0 ? " or " : "", yysymbol_name(expected[i]));
    }
    rki_complain(p, place(yypcontext_location(context)), "%s %s%s%s",
                 found == YYSYMBOL_YYEOF ? "the end of the text" : yysymbol_name(found),
                 used > 0 ? "stands where " : "cannot stand here", list,
                 used > 0 ? " should" : "");
    return 0;
}
