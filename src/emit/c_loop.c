/* SPDX-License-Identifier: MIT */
/* A loop as C99: the block that is the same for all loops with this loop's settings in it, and the
   predictor before it where it has one. */
#include <stdio.h>
#include <string.h>

#include "program.h"

static rk_status add_block(rk_text *text, rki_block *b, const rk_text *head, bool header,
                           rk_diag *diag)
{
    const char *line = rk_text_chars(head);

    rk_text_add(text, "/*\n");
    while (*line != '\0') {
        const size_t length = strcspn(line, "\n");
        char chars[160];

        (void)snprintf(chars, sizeof chars, "%.*s", (int)length, line);
        rki_add_line(text, " * ", strncmp(chars, "  ", 2) == 0 ? chars + 2 : chars);
        line += length + (line[length] == '\n');
    }
    rk_text_add(text, " */\n");
    (header ? rki_block_add_c_header : rki_block_add_c_source)(text, b);
    rki_block_free(b);
    return rk_text_check(text, diag);
}

static rk_status add_general(rk_number number, bool header, rk_text *text, rk_diag *diag)
{
    rk_text *head;
    rki_block b;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    head = rk_text_create();
    rki_general_head(head, number);
    b = rki_general_block(number);
    status = add_block(text, &b, head, header, diag);
    rk_text_free(head);
    return status;
}

rk_status rk_emit_general_c_header(rk_number number, rk_text *text, rk_diag *diag)
{
    return add_general(number, true, text, diag);
}

rk_status rk_emit_general_c_source(rk_number number, rk_text *text, rk_diag *diag)
{
    return add_general(number, false, text, diag);
}

static rk_status add_predictor(const rk_design *loop, rk_number number, bool header,
                               rk_text *text, rk_diag *diag)
{
    rki_controller c;
    rk_text *head;
    rki_block b;
    rk_status status;

    rk_diag_clear(diag);
    status = rki_controller_make(loop, number, &c, diag);
    if (status != RK_OK) return status;
    if (!c.predictor) return rk_diag_set(diag, RK_ERR_RANGE, "the loop has no predictor");
    head = rk_text_create();
    rki_predictor_head(head, &c, "");
    b = rki_predictor_block(&c);
    rki_block_name(loop, "_predictor", b.name); /* as its file is called */
    rki_upper(b.name, b.name);
    status = add_block(text, &b, head, header, diag);
    rk_text_free(head);
    return status;
}

rk_status rk_emit_predictor_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                     rk_diag *diag)
{
    return add_predictor(loop, number, true, text, diag);
}

rk_status rk_emit_predictor_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                     rk_diag *diag)
{
    return add_predictor(loop, number, false, text, diag);
}

/* Names in C: of the loop's own structure, of the block, of its predictor. */
typedef struct names {
    char loop[RK_BLOCK_NAME_CHARS], upper[RK_BLOCK_NAME_CHARS], predictor[RK_BLOCK_NAME_CHARS];
    const char *general;
} names;

static names names_of(const rki_project *p)
{
    names n;

    rki_block_name(p->loop, "_loop", n.loop);
    rki_upper(n.loop, n.upper);
    rki_block_name(p->loop, "_predictor", n.predictor);
    n.general = p->number == RK_NUMBER_REAL ? "loop_controller_real" : "loop_controller";
    return n;
}

/* The project, its names, and the comment at the head of its text. */
static rk_status begin(const rk_design *loop, rk_number number, rk_text *text, rki_project *p,
                       names *n, rk_diag *diag)
{
    rk_status status = rki_project_make(loop, number, p, diag);

    if (status != RK_OK) return status;
    *n = names_of(p);
    rk_text_add(text, "/*\n");
    status = rki_add_provenance(text, &p->controller, " * ", diag);
    rk_text_add(text, " */\n");
    return status;
}

rk_status rk_emit_loop_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag)
{
    rki_project p;
    names n;
    const rk_status status = begin(loop, number, text, &p, &n, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "#ifndef %s_H\n#define %s_H\n\n#include \"%s.h\"\n", n.upper, n.upper,
                n.general);
    if (p.controller.predictor) {
        rk_text_add(text, "#include \"%s.h\"\n", n.predictor);
    }
    rk_text_add(
        text, "\ntypedef struct %s {\n    %s controller; /* set its inputs before a scan */\n",
        n.loop, n.general);
    if (p.controller.predictor) {
        rk_text_add(text, "    %s predictor; /* of the dead time */\n", n.predictor);
    }
    rk_text_add(text,
                "} %s;\n\n"
                "/* The loop's settings; in manual, before the first scan. */\n"
                "void %s_init(%s *l);\n\n"
                "/* One scan; the output is l->controller.out. */\n"
                "void %s_scan(%s *l);\n\n#endif\n",
                n.loop, n.loop, n.loop, n.loop, n.loop);
    return rk_text_check(text, diag);
}

static void add_settings(rk_text *text, const rki_project *p)
{
    const rk_rig_pin *pin;

    for (pin = rk_rig_setting_pins; pin->name != NULL; pin++) {
        const double value = rk_rig_pin_get(pin, &p->settings);
        char chars[RK_REAL_CHARS];

        if (value == rk_rig_pin_get(pin, &p->defaults)) continue;
        if (pin->kind == RK_RIG_REAL) {
            rki_format(value, p->number, chars);
        } else {
            (void)snprintf(chars, sizeof chars, "%.0f", value);
        }
        rk_text_add(text, "    l->controller.%s = %s%s;\n", pin->name, chars,
                    pin->kind == RK_RIG_REAL && p->number == RK_NUMBER_REAL ? "f" : "");
    }
}

/* Where OUT stands: at a start where the valve does, or at the safe output. */
static void add_predictor_scan(rk_text *text, const rki_project *p, const names *n)
{
    const char *type = p->number == RK_NUMBER_REAL ? "float" : "double";

    rk_text_add(text,
                "    %s *c = &l->controller;\n"
                "    const int begins = c->restart || !c->started;\n"
                "    const int known = c->valve_known && (c->valve_out - c->valve_out) == %s;\n"
                "    %s stands = known ? c->valve_out : begins ? c->out_safe : c->out;\n\n",
                n->general, p->number == RK_NUMBER_REAL ? "0.0f" : "0.0", type);
    rk_text_add(text,
                "    if (begins && c->out_low < c->out_high) {\n"
                "        if (stands < c->out_low) stands = c->out_low;\n"
                "        if (stands > c->out_high) stands = c->out_high;\n"
                "    }\n"
                "    l->predictor.out = stands;\n"
                "    l->predictor.restart = begins;\n"
                "    %s_scan(&l->predictor);\n"
                "    c->predicting = 1;\n"
                "    c->pv_undelayed = l->predictor.pv_undelayed;\n"
                "    c->pv_delayed = l->predictor.pv_delayed;\n"
                "    %s_scan(c);\n",
                n->predictor, n->general);
}

rk_status rk_emit_loop_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag)
{
    rki_project p;
    names n;
    const rk_status status = begin(loop, number, text, &p, &n, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "#include \"%s.h\"\n\n", n.loop);
    rki_add_c_guard(text);
    rk_text_add(text, "void %s_init(%s *l)\n{\n    %s_init(&l->controller);\n", n.loop, n.loop,
                n.general);
    if (p.controller.predictor) {
        rk_text_add(text, "    %s_init(&l->predictor);\n", n.predictor);
    }
    add_settings(text, &p);
    rk_text_add(text, "}\n\nvoid %s_scan(%s *l)\n{\n", n.loop, n.loop);
    if (p.controller.predictor) {
        add_predictor_scan(text, &p, &n);
    } else {
        rk_text_add(text, "    %s_scan(&l->controller);\n", n.general);
    }
    rk_text_add(text, "}\n");
    return rk_text_check(text, diag);
}
