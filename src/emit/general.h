/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_GENERAL_H
#define RKI_EMIT_GENERAL_H

#include <stddef.h>

/** loop_controller.st, as it stands in the source. */
extern const unsigned char rki_loop_controller_text[];
extern const size_t rki_loop_controller_text_length;

#endif
