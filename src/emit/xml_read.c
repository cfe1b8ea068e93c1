/* SPDX-License-Identifier: MIT */
/* The XML for exchange, read back as the Structured Text that it stands for. */
#include <string.h>

#include <libxml/parser.h>
#include <libxml/tree.h>

#include <redkettle/emit/emit.h>

/* The text, and whether something that must be there was not. */
typedef struct reader {
    rk_text *text;
    const char *missing;
} reader;

static bool is(const xmlNode *node, const char *name)
{
    return node->type == XML_ELEMENT_NODE && strcmp((const char *)node->name, name) == 0;
}

static const xmlNode *child(const xmlNode *of, const char *name)
{
    const xmlNode *n = of != NULL ? of->children : NULL;

    while (n != NULL && !is(n, name)) {
        n = n->next;
    }
    return n;
}

static const xmlNode *first_element(const xmlNode *of)
{
    const xmlNode *n = of != NULL ? of->children : NULL;

    while (n != NULL && n->type != XML_ELEMENT_NODE) {
        n = n->next;
    }
    return n;
}

/* "lead, the attribute, tail"; needed: it must be there. */
static bool add_attribute(reader *r, const xmlNode *of, const char *name, const char *lead,
                          const char *tail, bool needed)
{
    xmlChar *value = of != NULL ? xmlGetProp(of, BAD_CAST name) : NULL;

    if (value == NULL) {
        r->missing = needed && r->missing == NULL ? name : r->missing;
        return false;
    }
    rk_text_add(r->text, "%s%s%s", lead, (const char *)value, tail);
    xmlFree(value);
    return true;
}

static bool says(const xmlNode *of, const char *name, const char *wanted)
{
    xmlChar *value = xmlGetProp(of, BAD_CAST name);
    const bool so = value != NULL && strcmp((const char *)value, wanted) == 0;

    xmlFree(value);
    return so;
}

static void add_type(reader *r, const xmlNode *type)
{
    const xmlNode *what = first_element(type);

    if (what == NULL) {
        r->missing = "type";
    } else if (is(what, "array")) {
        add_attribute(r, child(what, "dimension"), "lower", "ARRAY[", "..", true);
        add_attribute(r, child(what, "dimension"), "upper", "", "] OF ", true);
        add_type(r, child(what, "baseType"));
    } else if (is(what, "derived")) {
        add_attribute(r, what, "name", "", "", true);
    } else {
        rk_text_add(r->text, "%s", (const char *)what->name);
    }
}

static void add_variables(reader *r, const xmlNode *section, const char *head)
{
    const xmlNode *v;

    rk_text_add(r->text, "%s\n", head);
    for (v = section->children; v != NULL; v = v->next) {
        const xmlNode *value = child(child(v, "initialValue"), "simpleValue");

        if (!is(v, "variable")) continue;
        add_attribute(r, v, "name", "    ", "", true);
        add_attribute(r, v, "address", " AT ", "", false);
        rk_text_add(r->text, " : ");
        add_type(r, child(v, "type"));
        add_attribute(r, value, "value", " := ", "", value != NULL);
        rk_text_add(r->text, ";\n");
    }
    rk_text_add(r->text, "END_VAR\n");
}

static void add_interface(reader *r, const xmlNode *interface)
{
    static const struct {
        const char *element;
        bool constant;
        const char *head;
    } sections[] = {{"externalVars", false, "VAR_EXTERNAL"},
                    {"inputVars", false, "VAR_INPUT"},
                    {"outputVars", false, "VAR_OUTPUT"},
                    {"localVars", true, "VAR CONSTANT"},
                    {"localVars", false, "VAR"},
                    {"tempVars", false, "VAR_TEMP"}};
    const xmlNode *n;
    size_t i;

    for (i = 0; i < sizeof sections / sizeof sections[0]; i++) {
        for (n = interface != NULL ? interface->children : NULL; n != NULL; n = n->next) {
            if (is(n, sections[i].element) &&
                says(n, "constant", "true") == sections[i].constant) {
                add_variables(r, n, sections[i].head);
            }
        }
    }
}

static void add_unit(reader *r, const xmlNode *pou)
{
    const bool program = says(pou, "pouType", "program");
    xmlNode *body = (xmlNode *)child(child(child(pou, "body"), "ST"), "p");
    xmlChar *chars = body != NULL ? xmlNodeGetContent(body) : NULL;

    if (chars == NULL || (!program && !says(pou, "pouType", "functionBlock"))) {
        r->missing = chars == NULL ? "body" : "pouType";
    }
    add_attribute(r, pou, "name", program ? "PROGRAM " : "FUNCTION_BLOCK ", "\n", true);
    add_interface(r, child(pou, "interface"));
    rk_text_add(r->text, "\n%s\nEND_%s\n", chars != NULL ? (const char *)chars : "",
                program ? "PROGRAM" : "FUNCTION_BLOCK");
    xmlFree(chars);
}

static void add_resource(reader *r, const xmlNode *resource)
{
    const xmlNode *task = child(resource, "task"), *instance = child(task, "pouInstance");
    const xmlNode *n;

    add_attribute(r, resource, "name", "RESOURCE ", " ON PLC\n", true);
    add_attribute(r, task, "name", "    TASK ", "(", true);
    add_attribute(r, task, "interval", "INTERVAL := ", ", ", true);
    add_attribute(r, task, "priority", "PRIORITY := ", ");\n", true);
    if (instance == NULL) {
        r->missing = "pouInstance";
    }
    for (n = instance; n != NULL; n = n->next) {
        if (!is(n, "pouInstance")) continue;
        add_attribute(r, n, "name", "    PROGRAM ", "", true);
        add_attribute(r, task, "name", " WITH ", "", true);
        add_attribute(r, n, "typeName", " : ", ";\n", true);
    }
    rk_text_add(r->text, "END_RESOURCE\n");
}

static void add_configuration(reader *r, const xmlNode *configuration)
{
    const xmlNode *resource = child(configuration, "resource"), *n;

    if (configuration == NULL) {
        r->missing = "configuration";
        return;
    }
    if (resource != NULL) {
        add_attribute(r, configuration, "name", "CONFIGURATION ", "\n", true);
    }
    for (n = configuration->children; n != NULL; n = n->next) {
        if (is(n, "globalVars")) {
            add_variables(r, n, says(n, "retain", "true") ? "VAR_GLOBAL RETAIN" : "VAR_GLOBAL");
        }
    }
    if (resource != NULL) {
        add_resource(r, resource);
        rk_text_add(r->text, "END_CONFIGURATION\n");
    }
}

rk_status rk_emit_xml_read(const char *xml, size_t length, rk_text *text, rk_diag *diag)
{
    reader r = {.text = text};
    const xmlNode *root, *n;
    xmlDoc *doc;

    rk_diag_clear(diag);
    if (xml == NULL || text == NULL) return RK_ERR_ARG;
    doc = length < INT32_MAX
              ? xmlReadMemory(xml, (int)length, "xml", NULL,
                              XML_PARSE_NONET | XML_PARSE_NOERROR | XML_PARSE_NOWARNING)
              : NULL;
    root = doc != NULL ? xmlDocGetRootElement(doc) : NULL;
    if (root == NULL || !is(root, "project")) {
        xmlFreeDoc(doc);
        return rk_diag_set(diag, RK_ERR_FORMAT, "no XML of a project");
    }
    n = child(child(root, "types"), "pous");
    for (n = n != NULL ? n->children : NULL; n != NULL; n = n->next) {
        if (is(n, "pou")) {
            add_unit(&r, n);
        }
    }
    add_configuration(
        &r, child(child(child(root, "instances"), "configurations"), "configuration"));
    xmlFreeDoc(doc);
    if (r.missing != NULL) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "the XML lacks a '%s'", r.missing);
    }
    return rk_text_check(text, diag);
}
