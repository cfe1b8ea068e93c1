/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/port_design.h>

#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/number.h>

#include "design/base/words.h"

static const char *const kind_words[] = {"sim", "modbus-tcp", "modbus-rtu", NULL};
static const char *const order_words[] = {"high-first", "low-first", NULL};
static const char *const table_words[] = {"coil", "discrete", "input", "holding", NULL};
static const char *const type_words[] = {"int16", "uint16", "int32", "uint32", "float32", NULL};

enum { ADDRESS_MOST = 65535, UNIT_MOST = 247, UNIT_ITSELF = 255, SERVICE_MOST = 65535 };

const char *rk_port_kind_to_text(rk_port_kind kind)
{
    return rki_word(kind_words, (int)kind);
}

rk_status rk_port_kind_from_text(const char *text, rk_port_kind *kind, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || kind == NULL) return RK_ERR_ARG;
    status = rki_word_find(kind_words, "kind of port", text, &found, diag);
    if (status == RK_OK) {
        *kind = (rk_port_kind)found;
    }
    return status;
}

const char *rk_word_order_to_text(rk_word_order order)
{
    return rki_word(order_words, (int)order);
}

rk_status rk_word_order_from_text(const char *text, rk_word_order *order, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || order == NULL) return RK_ERR_ARG;
    status = rki_word_find(order_words, "word order", text, &found, diag);
    if (status == RK_OK) {
        *order = (rk_word_order)found;
    }
    return status;
}

const char *rk_table_to_text(rk_table table)
{
    return rki_word(table_words, (int)table);
}

const char *rk_register_type_to_text(rk_register_type type)
{
    return rki_word(type_words, (int)type);
}

bool rk_register_type_range(rk_register_type type, double *low, double *high)
{
    static const double ranges[][2] = {[RK_REGISTER_INT16] = {-32768, 32767},
                                       [RK_REGISTER_UINT16] = {0, 65535},
                                       [RK_REGISTER_INT32] = {-2147483648.0, 2147483647.0},
                                       [RK_REGISTER_UINT32] = {0, 4294967295.0}};

    if (type == RK_REGISTER_FLOAT32) return false;
    *low = ranges[type][0];
    *high = ranges[type][1];
    return true;
}

int rk_register_type_width(rk_register_type type)
{
    return type == RK_REGISTER_INT16 || type == RK_REGISTER_UINT16 ? 1 : 2;
}

rk_port_design rk_port_design_make(void)
{
    rk_port_design made;

    memset(&made, 0, sizeof made);
    made.unit = 1;
    made.timeout = 0.2;
    return made;
}

/* The registers of a port by their keys. */
static const struct {
    const char *key;
    size_t offset;
    bool is_number, is_written;
} registers[] = {
    {"pv", offsetof(rk_port_design, pv), true, false},
    {"out", offsetof(rk_port_design, out), true, true},
    {"out-now", offsetof(rk_port_design, out_now), true, false},
    {"pv-good", offsetof(rk_port_design, pv_good), false, false},
    {"enable", offsetof(rk_port_design, enable), false, false},
    {"heartbeat", offsetof(rk_port_design, heartbeat), false, true},
};

enum { REGISTERS = sizeof registers / sizeof registers[0] };

static const rk_register *register_at(const rk_port_design *port, size_t place)
{
    return (const rk_register *)(const void *)((const char *)port + registers[place].offset);
}

static size_t place_of(const char *key)
{
    size_t i = 0;

    while (i < REGISTERS && strcmp(registers[i].key, key) != 0) {
        i++;
    }
    return i;
}

static bool is_bit(rk_table table)
{
    return table == RK_TABLE_COIL || table == RK_TABLE_DISCRETE;
}

static int width_of(const rk_register *r)
{
    return is_bit(r->table) ? 1 : rk_register_type_width(r->type);
}

static bool overlap(const rk_register *a, const rk_register *b)
{
    return a->given && b->given && a->table == b->table &&
           a->address < b->address + width_of(b) && b->address < a->address + width_of(a);
}

static bool same(double a, double b)
{
    return a == b || (isnan(a) && isnan(b));
}

/* OUT may be read back where it is written. */
static bool is_the_same(const rk_register *a, const rk_register *b)
{
    return a->address == b->address && a->type == b->type && same(a->raw[0], b->raw[0]) &&
           same(a->raw[1], b->raw[1]);
}

static rk_status wrong(const char *key, const char *value, const char *why, rk_diag *diag)
{
    return rk_diag_set(diag, RK_ERR_FORMAT, "%s '%.60s' %s", key, value, why);
}

static rk_status check_clash(const rk_port_design *port, size_t place, const rk_register *made,
                             rk_diag *diag)
{
    size_t i;

    for (i = 0; i < REGISTERS; i++) {
        const bool read_back = (strcmp(registers[i].key, "out") == 0 &&
                                strcmp(registers[place].key, "out-now") == 0) ||
                               (strcmp(registers[i].key, "out-now") == 0 &&
                                strcmp(registers[place].key, "out") == 0);

        if (i == place || !overlap(register_at(port, i), made)) continue;
        if (read_back && is_the_same(register_at(port, i), made)) continue;
        return rk_diag_set(diag, RK_ERR_FORMAT,
                           "%s: %s %d is used by %s already; a register has one use",
                           registers[place].key, rk_table_to_text(made->table), made->address,
                           registers[i].key);
    }
    return RK_OK;
}

/* "0..10000", "-100.5..100". */
static bool read_range(const char *text, double raw[2])
{
    const char *dots = strstr(text, "..");

    return dots != NULL && rk_number_parse(text, (size_t)(dots - text), &raw[0]) &&
           rk_number_parse(dots + 2, strlen(dots + 2), &raw[1]);
}

static rk_status check_raw(const char *key, const char *value, const rk_register *r,
                           rk_diag *diag)
{
    double low, high;
    int i;

    if (r->raw[0] == r->raw[1]) {
        return wrong(key, value, "has an empty raw range", diag);
    }
    if (!rk_register_type_range(r->type, &low, &high)) return RK_OK;
    for (i = 0; i < 2; i++) {
        if (r->raw[i] != floor(r->raw[i]) || r->raw[i] < low || r->raw[i] > high) {
            return rk_diag_set(diag, RK_ERR_FORMAT,
                               "%s '%.60s': a raw %s is a whole number from %.0f to %.0f", key,
                               value, rk_register_type_to_text(r->type), low, high);
        }
    }
    return RK_OK;
}

static bool read_address(const char *text, int *address)
{
    double number;

    if (!rk_number_parse(text, strlen(text), &number)) return false;
    if (number != floor(number) || !(number >= 0 && number <= ADDRESS_MOST)) return false;
    *address = (int)number;
    return true;
}

static const char *example(size_t place)
{
    if (!registers[place].is_number) {
        return registers[place].is_written
                   ? "is not 'TABLE ADDRESS', such as holding 10"
                   : "is not 'TABLE ADDRESS', such as coil 0 or input 3";
    }
    return registers[place].is_written
               ? "is not 'TABLE ADDRESS TYPE [LOW..HIGH]', such as holding 0 uint16 0..10000"
               : "is not 'TABLE ADDRESS TYPE [LOW..HIGH]', such as input 0 int16 0..10000";
}

static rk_status check_table(size_t place, const char *value, rk_table table, rk_diag *diag)
{
    const char *key = registers[place].key;

    if (registers[place].is_number && is_bit(table)) {
        return wrong(key, value, "is a bit, and this is a number: give input or holding", diag);
    }
    if (registers[place].is_written && table != RK_TABLE_HOLDING) {
        return wrong(key, value, "cannot be written: give a holding register", diag);
    }
    return RK_OK;
}

enum { WORDS = 5 };

static int split(char *text, char *word[WORDS])
{
    char *rest = NULL, *next = strtok_r(text, " \t", &rest);
    int count = 0;

    for (; next != NULL && count < WORDS; next = strtok_r(NULL, " \t", &rest)) {
        word[count++] = next;
    }
    return count;
}

/* The words of a register, as they stand. */
static rk_status read_register(size_t place, const char *value, rk_register *made,
                               rk_diag *diag)
{
    const char *key = registers[place].key;
    const int least = registers[place].is_number ? 3 : 2,
              most = registers[place].is_number ? 4 : 2;
    char copy[128], *word[WORDS] = {NULL};
    int count, found = 0;

    if (strlen(value) >= sizeof copy) return wrong(key, value, "is too long", diag);
    strcpy(copy, value);
    count = split(copy, word);
    if (count < least || count > most) return wrong(key, value, example(place), diag);
    if (rki_word_find(table_words, "table", word[0], &found, NULL) != RK_OK) {
        return wrong(key, value, "has none of the tables coil, discrete, input, holding", diag);
    }
    made->table = (rk_table)found;
    if (!read_address(word[1], &made->address)) {
        return wrong(key, value, "has no address from 0 to 65535", diag);
    }
    if (count == 2) return RK_OK;
    if (rki_word_find(type_words, "type", word[2], &found, NULL) != RK_OK) {
        return wrong(key, value, "has none of the types int16, uint16, int32, uint32, float32",
                     diag);
    }
    made->type = (rk_register_type)found;
    if (count == 3) return RK_OK;
    if (!read_range(word[3], made->raw)) {
        return wrong(key, value, "has no raw range: give LOW..HIGH, such as 0..10000", diag);
    }
    return check_raw(key, value, made, diag);
}

rk_status rk_port_register_set(rk_port_design *port, const char *key, const char *value,
                               rk_diag *diag)
{
    const size_t place = place_of(key);
    rk_register made = {.given = true, .type = RK_REGISTER_UINT16, .raw = {nan(""), nan("")}};
    rk_status status;

    rk_diag_clear(diag);
    if (place == REGISTERS) return RK_ERR_ARG;
    status = read_register(place, value, &made, diag);
    if (status != RK_OK) return status;
    status = check_table(place, value, made.table, diag);
    if (status == RK_OK && made.address + width_of(&made) - 1 > ADDRESS_MOST) {
        status = wrong(key, value, "ends behind address 65535", diag);
    }
    if (status == RK_OK) {
        status = check_clash(port, place, &made, diag);
    }
    if (status != RK_OK) return status;
    memcpy((char *)port + registers[place].offset, &made, sizeof made);
    return RK_OK;
}

void rk_port_register_get(const rk_port_design *port, const char *key, rk_text *text)
{
    const size_t place = place_of(key);
    const rk_register *r;
    char number[2][RK_REAL_CHARS];

    if (place == REGISTERS || !register_at(port, place)->given) return;
    r = register_at(port, place);
    rk_text_add(text, "%s %d", rk_table_to_text(r->table), r->address);
    if (!registers[place].is_number) return;
    rk_text_add(text, " %s", rk_register_type_to_text(r->type));
    if (isnan(r->raw[0])) return;
    rk_real_format_rounded(r->raw[0], 15, number[0]);
    rk_real_format_rounded(r->raw[1], 15, number[1]);
    rk_text_add(text, " %s..%s", number[0], number[1]);
}

bool rk_serial_line_parse(const char *address, rk_serial_line *line)
{
    rk_serial_line made = {.baud = 9600, .data_bits = 8, .stop_bits = 1, .parity = 'N'};
    char frame[8] = "8N1", more[2];
    int words;

    if (address[0] != '/' || strlen(address) >= sizeof made.device) return false;
    words = sscanf(address, "%127s %d %7s %1s", made.device, &made.baud, frame, more);
    if (words < 1 || words > 3 || !(made.baud >= 50 && made.baud <= 4000000)) return false;
    if (strlen(frame) != 3 || (frame[0] != '7' && frame[0] != '8') ||
        (frame[2] != '1' && frame[2] != '2')) {
        return false;
    }
    made.data_bits = frame[0] - '0';
    made.parity = (char)toupper((unsigned char)frame[1]);
    made.stop_bits = frame[2] - '0';
    if (strchr("NEO", made.parity) == NULL) return false;
    *line = made;
    return true;
}

/* Letters that a host's name, or a number of either kind of address, may have. */
static bool is_name(const char *text)
{
    const char *at = text;

    while (isalnum((unsigned char)*at) || (*at != '\0' && strchr(".-_:%", *at) != NULL)) {
        at++;
    }
    return at > text && *at == '\0';
}

bool rk_host_parse(const char *address, rk_host *host)
{
    rk_host made = {.service = "502"};
    const char *colon = strrchr(address, ':');
    const bool bracketed = address[0] == '[';
    const char *end = bracketed ? strchr(address, ']') : NULL;
    size_t width;
    double number;

    if (bracketed) {
        if (end == NULL || (end[1] != '\0' && end[1] != ':')) return false;
        colon = end[1] == ':' ? end + 1 : NULL;
        address++;
        width = (size_t)(end - address);
    } else {
        if (colon != NULL && strchr(address, ':') != colon) return false; /* [..] for these */
        width = colon != NULL ? (size_t)(colon - address) : strlen(address);
    }
    if (width >= sizeof made.name) return false;
    memcpy(made.name, address, width);
    if (!is_name(made.name)) return false;
    if (colon != NULL) {
        if (!rk_number_parse(colon + 1, strlen(colon + 1), &number) ||
            number != floor(number) || !(number >= 1 && number <= SERVICE_MOST)) {
            return false;
        }
        (void)snprintf(made.service, sizeof made.service, "%d", (int)number);
    }
    *host = made;
    return true;
}

static rk_status refuse(const char **where, const char *key, rk_diag *diag, const char *what)
{
    if (where != NULL) {
        *where = key;
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "[port] %s", what);
}

static rk_status check_address(const rk_port_design *p, const char **key, rk_diag *diag)
{
    rk_serial_line line;
    rk_host host;
    char what[RK_PORT_ADDRESS_CHARS + 160];

    if (p->address[0] == '\0') {
        return refuse(key, "", diag,
                      p->kind == RK_PORT_MODBUS_TCP
                          ? "has no address: give one such as 192.168.1.20:502"
                          : "has no address: give one such as /dev/ttyUSB0 9600 8N1");
    }
    if (p->kind == RK_PORT_MODBUS_TCP && !rk_host_parse(p->address, &host)) {
        (void)snprintf(what, sizeof what,
                       "address '%s' is not HOST:PORT, such as 192.168.1.20:502", p->address);
        return refuse(key, "address", diag, what);
    }
    if (p->kind == RK_PORT_MODBUS_RTU && !rk_serial_line_parse(p->address, &line)) {
        (void)snprintf(what, sizeof what,
                       "address '%s' is not DEVICE BAUD FRAME, such as /dev/ttyUSB0 9600 8N1",
                       p->address);
        return refuse(key, "address", diag, what);
    }
    return RK_OK;
}

/* Over TCP 0 and 255 both mean the device itself; on a serial line 0 is all of them. */
static bool is_unit(const rk_port_design *p)
{
    if (p->unit != floor(p->unit)) return false;
    if (p->kind != RK_PORT_MODBUS_RTU && (p->unit == 0 || p->unit == UNIT_ITSELF)) return true;
    return p->unit >= 1 && p->unit <= UNIT_MOST;
}

rk_status rk_port_design_check(const rk_port_design *p, bool pv_range, bool out_range,
                               const char **key, rk_diag *diag)
{
    rk_status status;

    rk_diag_clear(diag);
    if (p == NULL) return RK_ERR_ARG;
    if (!is_unit(p)) {
        return refuse(key, "unit", diag,
                      p->kind == RK_PORT_MODBUS_RTU
                          ? "unit: give a whole number from 1 to 247"
                          : "unit: give a whole number from 0 to 247, or 255");
    }
    if (!(p->timeout > 0) || !(p->timeout <= 3600)) {
        return refuse(key, "timeout", diag, "timeout: give a time above 0, an hour at most");
    }
    if (p->kind == RK_PORT_SIM) return RK_OK;
    status = check_address(p, key, diag);
    if (status != RK_OK) return status;
    if (!p->pv.given || !p->out.given) {
        return refuse(key, "", diag,
                      !p->pv.given ? "has no pv: give one such as input 0 int16 0..10000"
                                   : "has no out: give one such as holding 0 uint16 0..10000");
    }
    if (!isnan(p->pv.raw[0]) && !pv_range) {
        return refuse(key, "pv", diag, "pv: a raw range needs [pv] low and high");
    }
    if (!isnan(p->out.raw[0]) && !out_range) {
        return refuse(key, "out", diag, "out: a raw range needs [out] low and high");
    }
    if (p->out_now.given && !isnan(p->out_now.raw[0]) && !out_range) {
        return refuse(key, "out-now", diag, "out-now: a raw range needs [out] low and high");
    }
    return RK_OK;
}
