/* SPDX-License-Identifier: MIT */
#ifndef RKI_SOFTPLC_PARTS_H
#define RKI_SOFTPLC_PARTS_H

#include <redkettle/softplc/softplc.h>

/* ---- memory: all that is read from a text lives as long as its PLC ---- */

typedef struct rki_arena {
    struct rki_block *blocks;
} rki_arena;

/** Room set to zero, or NULL. */
void *rki_arena_room(rki_arena *arena, size_t count, size_t size);
void rki_arena_free(rki_arena *arena);

/* ---- the text as a tree, as the grammar sees it ---- */

typedef struct rki_place {
    int line, column;
} rki_place;

typedef enum rki_syntax_kind {
    /* expressions: word, a, b */
    RKI_WORD,     /* an identifier */
    RKI_FIELD,    /* a.word */
    RKI_INDEX,    /* a[b, ..] */
    RKI_LITERAL,  /* word as it stands */
    RKI_UNARY,    /* operation a */
    RKI_BINARY,   /* a operation b */
    RKI_CALL,     /* a(b, ..); b: arguments; also a statement */
    RKI_ARGUMENT, /* [word :=] a, or word => a; operation: how */
    /* statements */
    RKI_ASSIGN, /* a := b */
    RKI_IF,     /* IF a THEN b ELSE c */
    RKI_CASE,   /* CASE a OF b, .. ELSE c */
    RKI_BRANCH, /* a, ..: b */
    RKI_RANGE,  /* a..b, of labels, and of an array's indices */
    RKI_FOR,    /* FOR a := b TO c BY d DO e */
    RKI_WHILE,  /* WHILE a DO b */
    RKI_REPEAT, /* REPEAT b UNTIL a */
    RKI_EXIT,
    RKI_CONTINUE,
    RKI_RETURN,
    /* declarations */
    RKI_TYPE_NAME,   /* word */
    RKI_TYPE_ARRAY,  /* ARRAY[a, ..] OF b */
    RKI_TYPE_STRUCT, /* STRUCT a END_STRUCT */
    RKI_INIT_LIST,   /* [a, ..]: of an array */
    RKI_INIT_TIMES,  /* a(b), in such a list */
    RKI_INIT_FIELDS, /* (a, ..): of a structure; each an RKI_ARGUMENT */
    RKI_VARIABLES,   /* a, .. : b := c */
    RKI_SECTION,     /* VAR.. a END_VAR; operation: which; flags */
    RKI_TYPE,        /* word : a := b */
    RKI_POU,         /* word, operation: which; a sections, b statements, c the result's type */
    RKI_CONFIGURATION, /* word, a: sections, resources, tasks, programs */
    RKI_TASK,          /* word, a: settings, each an RKI_ARGUMENT */
    RKI_PROGRAM_HERE,  /* word : a, WITH b; c: connections */
} rki_syntax_kind;

/** How an argument stands: a, word := a, word => a, NOT word => a. */
enum { RKI_POSITIONAL, RKI_IN, RKI_OUT, RKI_OUT_NOT };

/** Which section; the ways of `flags`. */
enum {
    RKI_VAR,
    RKI_VAR_INPUT,
    RKI_VAR_OUTPUT,
    RKI_VAR_IN_OUT,
    RKI_VAR_TEMP,
    RKI_VAR_GLOBAL,
    RKI_VAR_EXTERNAL
};
enum { RKI_CONSTANT = 1, RKI_RETAIN = 2 };

/** Which kind of program organisation unit. */
enum { RKI_FUNCTION, RKI_FUNCTION_BLOCK, RKI_PROGRAM };

/** The operators. */
typedef enum rki_operation {
    RKI_OR,
    RKI_XOR,
    RKI_AND,
    RKI_EQ,
    RKI_NE,
    RKI_LT,
    RKI_GT,
    RKI_LE,
    RKI_GE,
    RKI_ADD,
    RKI_SUB,
    RKI_MUL,
    RKI_DIV,
    RKI_MOD,
    RKI_POWER,
    RKI_NEGATE,
    RKI_NOT
} rki_operation;

typedef struct rki_syntax {
    rki_syntax_kind kind;
    int operation, flags;
    int depth; /* of the tree below it */
    rki_place at;
    const char *word;
    struct rki_syntax *a, *b, *c, *d, *e;
    struct rki_syntax *next, *last; /* of a list; last: at its head */
} rki_syntax;

/** What the grammar works on. */
typedef struct rki_parse {
    rki_arena *arena;
    const char *name; /* of the text, for messages */
    rk_diag *diag;
    rk_status status;
    rki_syntax *items;
    bool own;   /* the PLC's own text, which may use ?words */
    char *pool; /* the scanner's memory */
    size_t pool_room, pool_used;
} rki_parse;

/** What the scanner needs beside the text, and how its memory is aligned. */
enum { RKI_POOL_BYTES = 4096, RKI_POOL_UNIT = 16 };

/** Deeper nesting than this is refused, so that no stack overflows. */
enum { RKI_DEPTH_MOST = 400 };

/** NULL and p->status if there is no memory or the nesting is too deep. */
rki_syntax *rki_syntax_make(rki_parse *p, rki_syntax_kind kind, rki_place at, rki_syntax *a,
                            rki_syntax *b);

/** More of the same node; false as above. */
bool rki_syntax_hang(rki_parse *p, rki_syntax *node, rki_syntax *c, rki_syntax *d,
                     rki_syntax *e);

/** An item behind a list's last; either may be NULL. */
rki_syntax *rki_syntax_append(rki_syntax *list, rki_syntax *item);

/** A word of the text, kept. */
const char *rki_word_keep(rki_arena *arena, const char *chars, size_t length);

/** An error at a place; the first wins. Returns RK_ERR_FORMAT. */
rk_status rki_complain(rki_parse *p, rki_place at, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/** Parse a text into p->items. */
rk_status rki_parse_text(rki_parse *p, const char *text, size_t length);

/** Names are the same whatever the case. */
bool rki_same_word(const char *a, const char *b);

/* ---- types ---- */

/** The elementary ones are those of rk_plc_kind, by the same numbers. */
typedef enum rki_base {
    RKI_ELEMENTARY = RK_PLC_LREAL, /* the last of them */
    RKI_LITERAL_INT,               /* a literal without a type: what its place asks for */
    RKI_LITERAL_REAL,
    RKI_ARRAY,
    RKI_STRUCT,
    RKI_BLOCK, /* a function block's instance */
} rki_base;

typedef struct rki_type {
    int base; /* rk_plc_kind or rki_base */
    const char *name;
    size_t cells;
    int64_t low, high;         /* of an array's index; of a whole number's range */
    const struct rki_type *of; /* an array's */
    struct rki_variable *fields;
    const rk_plc_value
        *image; /* initial values, `cells` of them; NULL: all 0, or its elements' */
    const struct rki_pou *pou; /* of a block */
} rki_type;

typedef struct rki_variable {
    const char *name;
    const rki_type *type;
    int section, flags;
    size_t offset;               /* in its instance, structure or frame */
    const rk_plc_value *initial; /* its type's cells */
    rk_plc_value *cell;          /* of a global; NULL: only asked for so far */
    struct rki_variable *global; /* what an external stands for */
    struct rki_variable *next;
} rki_variable;

/** The elementary types and the two of literals; read-only. */
const rki_type *rki_type_elementary(int base);
const rki_type *rki_type_by_name(const char *name);
bool rki_type_is_whole(const rki_type *type); /* an integer; not BOOL, not TIME */
bool rki_type_is_real(const rki_type *type);
bool rki_type_is_number(const rki_type *type);

/** The standard's implicit conversions: from holds nothing that `to` cannot. */
bool rki_type_widens(const rki_type *from, const rki_type *to);

/** A whole number that the type holds. */
bool rki_type_holds(const rki_type *type, int64_t whole);

/* ---- code ---- */

typedef enum rki_op {
    RKI_OP_CONSTANT,
    RKI_OP_LOAD,    /* of the instance at `offset` */
    RKI_OP_GLOBAL,  /* `external` */
    RKI_OP_FETCH,   /* at the address a */
    RKI_OP_HERE,    /* addresses: of the instance at `offset` */
    RKI_OP_THERE,   /* `external` */
    RKI_OP_REFER,   /* what the instance's cell at `offset` points at */
    RKI_OP_WITHIN,  /* a's address and `offset` more */
    RKI_OP_ELEMENT, /* a's address, element b from value to high, each `offset` cells */
    RKI_OP_OR,
    RKI_OP_XOR,
    RKI_OP_AND,
    RKI_OP_NOT,
    RKI_OP_COMPARE_WHOLE, /* by `operation` */
    RKI_OP_COMPARE_REAL,
    RKI_OP_IS_FINITE, /* of the instance at `offset` */
    RKI_OP_ADD_WHOLE,
    RKI_OP_SUB_WHOLE,
    RKI_OP_MUL_WHOLE,
    RKI_OP_DIV_WHOLE,
    RKI_OP_MOD_WHOLE,
    RKI_OP_NEGATE_WHOLE,
    RKI_OP_ABS_WHOLE,
    RKI_OP_ADD_LREAL,
    RKI_OP_SUB_LREAL,
    RKI_OP_MUL_LREAL,
    RKI_OP_DIV_LREAL,
    RKI_OP_ADD_REAL,
    RKI_OP_SUB_REAL,
    RKI_OP_MUL_REAL,
    RKI_OP_DIV_REAL,
    RKI_OP_NEGATE_REAL,   /* of either */
    RKI_OP_TIME_SCALED,   /* TIME a by a number b: operation * or / */
    RKI_OP_FUNCTION_REAL, /* `real` of a and b */
    RKI_OP_WHOLE_TO_REAL, /* REAL or LREAL, by type */
    RKI_OP_REAL_TO_REAL,
    RKI_OP_REAL_TO_WHOLE, /* to the nearest, halves to even */
    RKI_OP_TRUNCATE,
    RKI_OP_TO_BOOL_WHOLE,
    RKI_OP_TO_BOOL_REAL,
    RKI_OP_TO_WHOLE,  /* another range */
    RKI_OP_SELECT,    /* a ? the list b's second : its first */
    RKI_OP_MULTIPLEX, /* a'th of the list b */
    RKI_OP_MAX,       /* of the list a */
    RKI_OP_MIN,
    RKI_OP_LIMIT, /* the list a: low, in, high */
    RKI_OP_CALL_FUNCTION,
    /* statements */
    RKI_OP_STORE,      /* a into the instance at `offset` */
    RKI_OP_STORE_AT,   /* b at the address a */
    RKI_OP_COPY,       /* `offset` cells from the address b to a */
    RKI_OP_CALL_BLOCK, /* the instance at a; b: what goes in; c: what comes out */
    RKI_OP_EVALUATE,   /* a, for nothing */
    RKI_OP_IF,         /* a, b, c */
    RKI_OP_CASE,       /* a, branches b, else c */
    RKI_OP_BRANCH,     /* labels a, statements b */
    RKI_OP_LABEL,      /* low..high */
    RKI_OP_FOR,        /* a: address; b, c, d: from, to, by; e: statements */
    RKI_OP_WHILE,
    RKI_OP_REPEAT,
    RKI_OP_EXIT,
    RKI_OP_CONTINUE,
    RKI_OP_RETURN
} rki_op;

typedef double rki_real_function(double a, double b);

typedef struct rki_code {
    /* What nearly every operation needs, in one line of a processor's cache. */
    rki_op op;
    int operation;
    size_t offset;
    rk_plc_value value; /* a constant; low of a label */
    struct rki_code *a, *b, *c, *next;
    /* The rest. */
    struct rki_code *d, *e;
    const rki_type *type; /* of the result */
    rki_place at;
    int64_t high;
    const struct rki_pou *pou;
    rki_real_function *real;
    const rki_variable *external; /* a global, whose cell is known when it runs */
} rki_code;

/** A function, function block or program. */
typedef struct rki_pou {
    const char *name, *source;
    int what;
    rki_type type;  /* its instance: fields, cells, image */
    size_t temp_at; /* from here on a call starts with the image: a function's all but inputs */
    rki_variable *result; /* a function's */
    rki_code *body;
    struct rki_pou *next;
} rki_pou;

/** A type that a text declares. */
typedef struct rki_named_type {
    rki_type type;
    struct rki_named_type *next;
} rki_named_type;

typedef struct rki_task {
    const char *name;
    int64_t interval, due; /* ns */
    int64_t priority;
    struct rki_task *next;
} rki_task;

struct rk_plc_instance {
    const rki_pou *pou;
    rk_plc_value *cells;
    rk_plc_instance *next;
};

/** A program of the configuration. */
typedef struct rki_running {
    const char *name;
    rk_plc_instance *instance;
    rki_task *task; /* NULL: whenever there is time */
    struct rki_running *next;
} rki_running;

struct rk_plc {
    rki_arena arena;
    rki_named_type *types;
    rki_pou *pous;         /* the last loaded first */
    rki_variable *globals; /* with cells; section RKI_VAR_EXTERNAL: wanted, not declared yet */
    rk_plc_instance *instances;
    rki_task *tasks;
    rki_running *running, *running_last;
    rk_plc_value *clock;     /* of the text's clock, ns */
    int64_t now;             /* ns, of the tasks */
    rk_plc_value *stack;     /* of functions */
    const rki_pou *standard; /* the last of the standard's own */
    size_t cells;            /* of all that stands */
};

/* ---- from tree to code ---- */

typedef struct rki_compiler {
    rk_plc *plc;
    rki_parse *parse; /* where errors go */
    rki_pou *pou;     /* whose body it is; NULL: constants alone */
    int loops;        /* that stand around */
} rki_compiler;

/** Room for one thing that lives as long as the PLC; NULL: an error stands in c->parse. */
void *rki_compiler_room(rki_compiler *c, size_t size);

/** All declarations and bodies of a parsed text. */
bool rki_compile_items(rki_compiler *c, const rki_syntax *items);

/** NULL: an error stands in c->parse. */
const rki_type *rki_compile_type(rki_compiler *c, const rki_syntax *spec);
rki_code *rki_compile_expression(rki_compiler *c, const rki_syntax *s);
rki_code *rki_compile_call(rki_compiler *c, const rki_syntax *s);
rki_code *rki_compile_block_call(rki_compiler *c, const rki_syntax *s);
bool rki_compile_statements(rki_compiler *c, const rki_syntax *list, rki_code **made);

/** The same type, by name or, of arrays, by build. */
bool rki_type_same(const rki_type *a, const rki_type *b);

/** A variable's value, from its address. */
rki_code *rki_code_load(rki_compiler *c, rki_code *address);

/** A standard function's call; `known` tells whether the name is one. */
rki_code *rki_compile_standard(rki_compiler *c, const rki_syntax *call, bool *known);

/** The address of a variable; written: it is about to be changed, and must allow that. */
rki_code *rki_compile_address(rki_compiler *c, const rki_syntax *s, bool written);

/** A value as this type: a literal takes it on, a narrower type is widened; else an error. */
rki_code *rki_convert(rki_compiler *c, rki_code *value, const rki_type *to);

/** A literal that nothing asked for a type: DINT, LINT or LREAL. */
rki_code *rki_settle(rki_compiler *c, rki_code *value);

/** Both of one type; false: an error stands. */
bool rki_unify(rki_compiler *c, rki_code **a, rki_code **b);

rki_code *rki_code_make(rki_compiler *c, rki_op op, rki_place at, const rki_type *type,
                        rki_code *a, rki_code *b);

/** An operation on constants is done here and now. */
rki_code *rki_fold(rki_compiler *c, rki_code *code);

/** An expression that must be constant, as this type; NULL: an error. */
rki_code *rki_compile_constant(rki_compiler *c, const rki_syntax *s, const rki_type *as);

/** One of the operators, on values that are compiled. */
rki_code *rki_compile_operation(rki_compiler *c, rki_place at, int operation, rki_code *a,
                                rki_code *b);

/** A literal as it stands in the text. */
rki_code *rki_compile_literal(rki_compiler *c, const rki_syntax *s);

rki_variable *rki_variable_find(rki_variable *list, const char *name);
rki_pou *rki_pou_find(const rk_plc *plc, const char *name);

/** The global of this name; if it is not there, one that waits for its declaration. NULL: it is
 * of another type, or no memory. */
rki_variable *rki_global(rki_compiler *c, const rki_syntax *name, const rki_type *type);

/** Initial values into a variable's cells: its type's, then what `init` (NULL: nothing) says.
 */
bool rki_compile_initial(rki_compiler *c, const rki_syntax *init, const rki_type *type,
                         rk_plc_value *cells);
void rki_put_default(const rki_type *type, rk_plc_value *cells);

/** Room for a variable's cells, within what a PLC may have; NULL: an error. */
rk_plc_value *rki_cells_make(rki_compiler *c, rki_place at, size_t count);

/** The variables of one declaration into a list, each with its initial values. */
bool rki_declare_variables(rki_compiler *c, const rki_syntax *section, rki_variable **list);

/** Initial values again, but for what is RETAIN if warm. */
void rki_restart(const rki_type *type, rk_plc_value *cells, bool warm);

/** Read VAR_GLOBAL, RESOURCE, TASK and PROGRAM. */
bool rki_compile_configuration(rki_compiler *c, const rki_syntax *s);

/** An instance with its initial values; NULL: no memory. */
rk_plc_instance *rki_instance_make(rki_compiler *c, rki_place at, const rki_pou *pou);

/* ---- to run ---- */

typedef struct rki_machine {
    const rki_pou *pou;  /* what runs */
    rk_plc_value *cells; /* its instance */
    rk_plc_value *stack; /* free from `top` on */
    size_t top;
    long turns; /* that its loops may still take */
    bool failed;
    rki_place at;      /* .. here */
    const char *why;   /* .. and of this text: */
    const char *where; /* the source's name */
} rki_machine;

enum { RKI_STACK_CELLS = 65536 };

rk_plc_value rki_run_value(rki_machine *m, const rki_code *code);
void rki_run_body(rki_machine *m, const rki_pou *pou, rk_plc_value *cells);

/** The standard function blocks' text. */
const char *rki_standard_blocks(void);

#endif
