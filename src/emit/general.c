/* SPDX-License-Identifier: MIT */
/* The function block that is the same for all loops: loop_controller.st, in either number
   type. */
#include "general.h"

#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/number.h>

#include "block.h"

static const char name[] = "LOOP_CONTROLLER";

const char *rki_general_name(rk_number number)
{
    return number == RK_NUMBER_REAL ? "LOOP_CONTROLLER_REAL" : name;
}

/* The text with its end, and in the number type. */
static rk_text *text_of(rk_number number)
{
    rk_text *code = rk_text_create(), *made = rk_text_create();

    rk_text_add_bytes(code, (const char *)rki_loop_controller_text,
                      rki_loop_controller_text_length);
    rki_add_st_code(made, code, number);
    rk_text_free(code);
    return made;
}

rk_status rk_emit_general_st(rk_number number, rk_text *text, rk_diag *diag)
{
    rk_text *code;
    const char *chars, *at;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    code = text_of(number);
    if (rk_text_check(code, diag) != RK_OK) {
        rk_text_free(code);
        return RK_ERR_MEMORY;
    }
    chars = rk_text_chars(code);
    at = strstr(chars, name);
    rk_text_add_bytes(text, chars, (size_t)(at - chars));
    rk_text_add(text, "%s%s", rki_general_name(number), at + strlen(name));
    rk_text_free(code);
    return rk_text_check(text, diag);
}

rki_block rki_general_block(rk_number number)
{
    rk_text *text = text_of(RK_NUMBER_LREAL); /* blocks are written for LREAL */
    rki_block b;

    if (rk_text_check(text, NULL) == RK_OK) {
        (void)rki_block_read(rk_text_chars(text), &b);
    } else {
        b = rki_block_make("", false, number);
        rk_text_fail(b.body);
    }
    b.number = number;
    (void)snprintf(b.name, sizeof b.name, "%s", rki_general_name(number));
    rk_text_free(text);
    return b;
}

void rki_general_head(rk_text *text, rk_number number)
{
    rk_text *code = text_of(number);
    const char *chars = rk_text_chars(code), *start, *end;

    start = strchr(chars, '\n');
    end = strstr(chars, "\n*)");
    if (rk_text_check(code, NULL) == RK_OK && start != NULL && end != NULL) {
        rk_text_add_bytes(text, start + 1, (size_t)(end - start));
    } else {
        rk_text_fail(text);
    }
    rk_text_free(code);
}

const char *rk_emit_pin_of(const char *word)
{
    static const char *const longer[][2] = {{"track_time", "tracking_time"},
                                            {"alarm_far", "alarm_deviation"},
                                            {"applied_on", "applied_known"}};
    size_t i;

    for (i = 0; i < sizeof longer / sizeof longer[0]; i++) {
        if (strcmp(word, longer[i][0]) == 0) return longer[i][1];
    }
    return word;
}

/* LREAL#1.5, 2, TRUE. */
static double value_of(const char *initial)
{
    const char *digits = strchr(initial, '#');

    double value = 0.0;

    if (strcmp(initial, "TRUE") == 0) return 1.0;
    digits = digits != NULL ? digits + 1 : initial;
    (void)rk_number_parse(digits, strlen(digits), &value);
    return value;
}

rk_status rki_general_defaults(rk_rig_settings *defaults, rk_diag *diag)
{
    rki_block b = rki_general_block(RK_NUMBER_LREAL);
    const rk_status status = rk_text_check(b.body, diag);
    const rk_rig_pin *pin;
    int i;

    memset(defaults, 0, sizeof *defaults);
    for (pin = rk_rig_setting_pins; pin->name != NULL && status == RK_OK; pin++) {
        for (i = 0; i < b.pins; i++) {
            if (strcmp(b.pin[i].name, pin->name) == 0) {
                rk_rig_pin_set(pin, defaults, value_of(b.pin[i].initial));
            }
        }
    }
    rki_block_free(&b);
    return status;
}
