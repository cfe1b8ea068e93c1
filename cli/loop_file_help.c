/* SPDX-License-Identifier: MIT */
#include "loop_file_help.h"

#include <stdio.h>
#include <string.h>

#include <redkettle/redkettle.h>

enum { NAME_WIDTH = 19 };

static void print_key(const rk_key *key)
{
    rk_text *text = rk_text_create();

    rk_key_describe(key, text);
    (void)printf("  %-*s%s\n", NAME_WIDTH, key->name, key->help);
    if (rk_text_check(text, NULL) == RK_OK) {
        (void)printf(
            "  %-*s%s; %s%s\n", NAME_WIDTH, "", rk_text_chars(text),
            strncmp(key->otherwise, "needed", 6) == 0 ? "" : "default: ", key->otherwise);
    }
    rk_text_free(text);
}

void print_loop_file_help(void)
{
    const rk_section *section;
    size_t i, k;

    (void)printf(
        "A loop file holds everything about one control loop, a key a line:\n\n"
        "  [loop]\n  name = Blend Brix   ; a comment\n  scan = 1s\n\n"
        "A number has a decimal point. A time has a unit, ms, s, min or h; without one "
        "it is in\nseconds. Words are read whatever their case. PV units and OUT units "
        "are those of [pv]\nand [out].\n");
    for (i = 0; (section = rk_section_at(i)) != NULL; i++) {
        (void)printf("\n[%s]  %s\n", section->name, section->help);
        for (k = 0; k < rk_key_count(); k++) {
            if (strcmp(rk_key_at(k)->section, section->name) == 0) {
                print_key(rk_key_at(k));
            }
        }
    }
}
