/* SPDX-License-Identifier: MIT */
/* The loop's blocks as XML for exchange between PLC tools: the structure of PLCopen's TC6
   XML 2.01, from which IEC 61131-10 grew. */
#include <stdio.h>
#include <string.h>

#include <libxml/xmlwriter.h>

#include <redkettle/version.h>

#include "program.h"

#define NAMESPACE "http://www.plcopen.org/xml/tc6_0201"
#define XHTML "http://www.w3.org/1999/xhtml"
/* A date that stands still: the same loop gives the same bytes. */
#define CREATED "2026-01-01T00:00:00"

/* What is written, and whether all of it was. */
typedef struct xml {
    xmlTextWriterPtr writer;
    rk_number number;
    bool failed;
} xml;

static void open_element(xml *x, const char *name)
{
    x->failed |= xmlTextWriterStartElement(x->writer, BAD_CAST name) < 0;
}

static void attribute(xml *x, const char *name, const char *value)
{
    x->failed |= xmlTextWriterWriteAttribute(x->writer, BAD_CAST name, BAD_CAST value) < 0;
}

static void close_element(xml *x)
{
    x->failed |= xmlTextWriterEndElement(x->writer) < 0;
}

static void empty(xml *x, const char *name)
{
    open_element(x, name);
    close_element(x);
}

/* Bytes that XML cannot hold, of a name or a unit, become question marks. */
static void words(xml *x, const char *chars, size_t length)
{
    char *clean = NULL;
    rk_text *text = rk_text_create();
    size_t i;

    rk_text_add_bytes(text, chars, length);
    if (rk_text_check(text, NULL) != RK_OK) {
        x->failed = true;
        rk_text_free(text);
        return;
    }
    clean = (char *)xmlStrdup(BAD_CAST rk_text_chars(text));
    rk_text_free(text);
    if (clean == NULL) {
        x->failed = true;
        return;
    }
    for (i = 0; clean[i] != '\0'; i++) {
        const unsigned char c = (unsigned char)clean[i];

        if (c < 0x20 && c != '\n' && c != '\t') {
            clean[i] = '?';
        }
    }
    if (!xmlCheckUTF8(BAD_CAST clean)) {
        for (i = 0; clean[i] != '\0'; i++) {
            if ((unsigned char)clean[i] >= 0x80) {
                clean[i] = '?';
            }
        }
    }
    x->failed |= xmlTextWriterWriteString(x->writer, BAD_CAST clean) < 0;
    xmlFree(clean);
}

/* Text for a reader: XHTML, as the schema asks. */
static void paragraph(xml *x, const char *element, const char *chars)
{
    open_element(x, element);
    open_element(x, "p");
    attribute(x, "xmlns", XHTML);
    words(x, chars, strlen(chars));
    close_element(x);
    close_element(x);
}

static const char *own_type(const xml *x, const char *type)
{
    return x->number == RK_NUMBER_REAL && strcmp(type, "LREAL") == 0 ? "REAL" : type;
}

static bool is_elementary(const char *type)
{
    static const char *const known[] = {"BOOL", "INT", "DINT", "LREAL", "REAL"};
    size_t i;

    for (i = 0; i < sizeof known / sizeof known[0]; i++) {
        if (strcmp(known[i], type) == 0) return true;
    }
    return false;
}

static void type_element(xml *x, const char *type)
{
    int upper;

    open_element(x, "type");
    if (sscanf(type, "ARRAY[0..%d] OF LREAL", &upper) == 1) {
        char last[16];

        (void)snprintf(last, sizeof last, "%d", upper);
        open_element(x, "array");
        open_element(x, "dimension");
        attribute(x, "lower", "0");
        attribute(x, "upper", last);
        close_element(x);
        open_element(x, "baseType");
        empty(x, own_type(x, "LREAL"));
        close_element(x);
        close_element(x);
    } else if (is_elementary(type)) {
        empty(x, own_type(x, type));
    } else {
        open_element(x, "derived");
        attribute(x, "name", type);
        close_element(x);
    }
    close_element(x);
}

/* at NULL or "": it has no address. */
static void variable(xml *x, const char *name, const char *type, const char *initial,
                     const char *comment, const char *at)
{
    char trimmed[RKI_PIN_CHARS];

    (void)snprintf(trimmed, sizeof trimmed, "%.*s", (int)strcspn(name, " "), name);
    open_element(x, "variable");
    attribute(x, "name", trimmed);
    if (at != NULL && at[0] != '\0') {
        attribute(x, "address", at);
    }
    type_element(x, type);
    if (initial[0] != '\0') {
        /* LREAL#1.5 is REAL#1.5 where REAL is counted in. */
        const bool turn = x->number == RK_NUMBER_REAL && strncmp(initial, "LREAL#", 6) == 0;

        open_element(x, "initialValue");
        open_element(x, "simpleValue");
        attribute(x, "value", initial + (turn ? 1 : 0));
        close_element(x);
        close_element(x);
    }
    if (comment[0] != '\0') {
        paragraph(x, "documentation", comment);
    }
    close_element(x);
}

static void interface(xml *x, const rki_block *b)
{
    static const struct {
        const char *element;
        rki_section section;
        bool constant;
    } sections[] = {{"inputVars", RKI_INPUTS, false},   {"outputVars", RKI_OUTPUTS, false},
                    {"localVars", RKI_CONSTANTS, true}, {"localVars", RKI_LOCALS, false},
                    {"tempVars", RKI_TEMPS, false},     {"externalVars", RKI_EXTERNALS, false}};
    size_t s;
    int i;

    open_element(x, "interface");
    for (s = 0; s < sizeof sections / sizeof sections[0]; s++) {
        bool any = false;

        for (i = 0; i < b->pins; i++) {
            const rki_pin *p = &b->pin[i];

            if (p->section != sections[s].section) continue;
            if (!any) {
                open_element(x, sections[s].element);
                if (sections[s].constant) {
                    attribute(x, "constant", "true");
                }
            }
            any = true;
            variable(x, p->name, p->type, p->initial, p->comment, NULL);
        }
        if (any) {
            close_element(x);
        }
    }
    close_element(x);
}

static void pou(xml *x, const rki_block *b, const rk_text *comment)
{
    rk_text *body = rk_text_create();

    rki_add_st_code(body, b->body, x->number);
    open_element(x, "pou");
    attribute(x, "name", b->name);
    attribute(x, "pouType", b->program ? "program" : "functionBlock");
    interface(x, b);
    open_element(x, "body");
    if (rk_text_check(body, NULL) == RK_OK) {
        paragraph(x, "ST", rk_text_chars(body));
    } else {
        x->failed = true;
    }
    close_element(x);
    if (rk_text_check(comment, NULL) == RK_OK) {
        paragraph(x, "documentation", rk_text_chars(comment));
    } else {
        x->failed = true;
    }
    close_element(x);
    rk_text_free(body);
}

static void head(xml *x, const rki_project *p, const char *provenance)
{
    static const char *const languages[] = {"fbd", "ld", "sfc"};
    size_t i;

    open_element(x, "fileHeader");
    attribute(x, "companyName", "");
    attribute(x, "productName", "Red Kettle");
    attribute(x, "productVersion", RK_VERSION);
    attribute(x, "creationDateTime", CREATED);
    close_element(x);
    open_element(x, "contentHeader");
    attribute(x, "name", p->prefix);
    open_element(x, "Comment");
    words(x, provenance, strlen(provenance));
    close_element(x);
    open_element(x, "coordinateInfo");
    for (i = 0; i < sizeof languages / sizeof languages[0]; i++) {
        open_element(x, languages[i]);
        open_element(x, "scaling");
        attribute(x, "x", "1");
        attribute(x, "y", "1");
        close_element(x);
        close_element(x);
    }
    close_element(x);
    close_element(x);
}

static void globals(xml *x, const rki_project *p, bool retain)
{
    char initial[RK_REAL_CHARS + 8], comment[160];
    int i;

    open_element(x, "globalVars");
    if (retain) {
        attribute(x, "retain", "true");
    }
    for (i = 0; i < p->globals; i++) {
        const rk_variable *g = &p->global[i];

        if (g->retain != retain) continue;
        rki_global_initial(g, p->number, initial);
        (void)snprintf(comment, sizeof comment, "%s%s%s%s%s", g->meaning,
                       g->units[0] != '\0' ? ", " : "", g->units,
                       g->note[0] != '\0' ? "; map it to " : "", g->note);
        variable(x, g->name, g->type, initial, comment, g->at);
    }
    close_element(x);
}

static void resource(xml *x, const rki_project *p, const char *program)
{
    char name[RK_BLOCK_NAME_CHARS];

    open_element(x, "resource");
    rki_name(p->loop, "_RESOURCE", name);
    attribute(x, "name", name);
    open_element(x, "task");
    rki_name(p->loop, "_TASK", name);
    attribute(x, "name", name);
    attribute(x, "interval", p->interval);
    attribute(x, "priority", "1");
    if (rki_has_port(p->loop)) {
        open_element(x, "pouInstance");
        rki_name(p->loop, "_side", name);
        attribute(x, "name", name);
        rki_name(p->loop, "_PORT", name);
        attribute(x, "typeName", name);
        close_element(x);
    }
    open_element(x, "pouInstance");
    rki_name(p->loop, "_loop", name);
    attribute(x, "name", name);
    attribute(x, "typeName", program);
    close_element(x);
    close_element(x);
    close_element(x);
}

static void instances(xml *x, const rki_project *p, const char *program)
{
    char name[RK_BLOCK_NAME_CHARS];

    open_element(x, "instances");
    open_element(x, "configurations");
    open_element(x, "configuration");
    rki_name(p->loop, "_CONFIG", name);
    attribute(x, "name", name);
    if (p->loop->program.configuration == RK_YES) {
        resource(x, p, program);
    }
    globals(x, p, true);
    globals(x, p, false);
    close_element(x);
    close_element(x);
    close_element(x);
}

enum { UNITS_MOST = 5 };

/* A unit and what is to be read beside it. */
typedef struct documented {
    rki_block block;
    rk_text *comment;
} documented;

static void add_unit(documented *list, int *count, rki_block block)
{
    list[*count].block = block;
    list[(*count)++].comment = rk_text_create();
}

/* All units of the loop, the program last, or its port's side behind it; how many. */
static int make_units(const rki_project *p, documented list[UNITS_MOST], rk_diag *diag,
                      rk_status *status)
{
    int count = 0;

    add_unit(list, &count, rki_general_block(p->number));
    rki_general_head(list[0].comment, p->number);
    if (p->has_twin) {
        add_unit(list, &count, rki_twin_block(&p->twin));
        rki_add_twin_head(list[count - 1].comment, &p->twin, "");
    }
    if (p->controller.predictor) {
        add_unit(list, &count, rki_predictor_block(&p->controller));
        rki_predictor_head(list[count - 1].comment, &p->controller, "");
    }
    add_unit(list, &count, rki_program_block(p));
    *status = rki_add_program_head(list[count - 1].comment, p, "", diag);
    if (rki_has_port(p->loop)) {
        add_unit(list, &count, rki_port_block(p));
        rk_text_add(list[count - 1].comment, "The PLC's side of the loop's port.\n");
    }
    return count;
}

static rk_status project(xml *x, const rki_project *p, rk_diag *diag)
{
    documented units[UNITS_MOST];
    rk_status status;
    const int count = make_units(p, units, diag, &status);
    const documented *program = &units[count - (rki_has_port(p->loop) ? 2 : 1)];
    int i;

    x->failed |= xmlTextWriterStartDocument(x->writer, NULL, "UTF-8", NULL) < 0;
    open_element(x, "project");
    attribute(x, "xmlns", NAMESPACE);
    head(x, p, rk_text_chars(program->comment));
    open_element(x, "types");
    empty(x, "dataTypes");
    open_element(x, "pous");
    for (i = 0; i < count; i++) {
        pou(x, &units[i].block, units[i].comment);
    }
    close_element(x);
    close_element(x);
    instances(x, p, program->block.name);
    close_element(x);
    x->failed |= xmlTextWriterEndDocument(x->writer) < 0;
    for (i = 0; i < count; i++) {
        rki_block_free(&units[i].block);
        rk_text_free(units[i].comment);
    }
    return status;
}

rk_status rk_emit_xml(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    xmlBufferPtr buffer;
    xml x = {.number = number};
    rki_project p;
    rk_status status = rki_project_make(loop, number, &p, diag);

    if (status != RK_OK) return status;
    buffer = xmlBufferCreate();
    x.writer = buffer != NULL ? xmlNewTextWriterMemory(buffer, 0) : NULL;
    x.failed = x.writer == NULL;
    if (!x.failed) {
        x.failed |= xmlTextWriterSetIndent(x.writer, 1) < 0;
        status = project(&x, &p, diag);
        xmlFreeTextWriter(x.writer); /* flushes */
        if (status == RK_OK && !x.failed) {
            rk_text_add_bytes(text, (const char *)buffer->content, buffer->use);
        }
    }
    if (buffer != NULL) {
        xmlBufferFree(buffer);
    }
    if (status == RK_OK && x.failed) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the XML");
    }
    return status == RK_OK ? rk_text_check(text, diag) : status;
}
