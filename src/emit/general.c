/* SPDX-License-Identifier: MIT */
/* The function block that is the same for all loops: loop_controller.st, in either number
   type. */
#include "general.h"

#include <stdio.h>
#include <string.h>

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
