/* SPDX-License-Identifier: MIT */
#ifndef PAGE_ENCODE_H
#define PAGE_ENCODE_H

#include <redkettle/design/base/text.h>

/** Append bytes in base64. Source  RFC 4648, section 4. */
void rki_base64_add(rk_text *text, const unsigned char *bytes, size_t length);

/** Append a sum of hexadecimal digits as a source of a content security policy: 'sha256-...'. */
void rki_sum_add(rk_text *text, const char *digits);

/** Append a text as the address of a picture within a page, between double quotes. Source  RFC 2397, RFC 3986
 * section 2. */
void rki_svg_address_add(rk_text *text, const char *svg);

#endif
