/* SPDX-License-Identifier: MIT */
#include "encode.h"

#include <string.h>

void rki_base64_add(rk_text *text, const unsigned char *bytes, size_t length)
{
    static const char digits[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    size_t i;

    for (i = 0; i < length; i += 3) {
        const size_t left = length - i;
        const unsigned second = left > 1 ? bytes[i + 1] : 0U,
                       third = left > 2 ? bytes[i + 2] : 0U;
        const unsigned all = ((unsigned)bytes[i] << 16) | (second << 8) | third;
        char four[4] = {digits[all >> 18], digits[(all >> 12) & 63U], '=', '='};

        if (left > 1) {
            four[2] = digits[(all >> 6) & 63U];
        }
        if (left > 2) {
            four[3] = digits[all & 63U];
        }
        rk_text_add_bytes(text, four, sizeof four);
    }
}

static unsigned digit_of(char c)
{
    return c >= 'a' ? 10U + (unsigned)(c - 'a') : (unsigned)(c - '0');
}

void rki_sum_add(rk_text *text, const char *digits)
{
    enum { BYTES = 32 };
    unsigned char bytes[BYTES];
    int i;

    for (i = 0; i < BYTES; i++) {
        bytes[i] =
            (unsigned char)((digit_of(digits[2 * i]) << 4) | digit_of(digits[(2 * i) + 1]));
    }
    rk_text_add(text, "'sha256-");
    rki_base64_add(text, bytes, sizeof bytes);
    rk_text_add(text, "'");
}

void rki_svg_address_add(rk_text *text, const char *svg)
{
    static const char reserved[] = "%#<>\"&\n\t\r";

    rk_text_add(text, "data:image/svg+xml,");
    while (*svg != '\0') {
        const size_t plain = strcspn(svg, reserved);

        rk_text_add_bytes(text, svg, plain);
        svg += plain;
        if (*svg == '\0') break;
        rk_text_add(text, "%%%02X", (unsigned)(unsigned char)*svg);
        svg++;
    }
}
