/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_COMPILE_H
#define RKI_PROVE_COMPILE_H

#include <signal.h>
#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>

enum { RKI_SOURCES_MAX = 12, RKI_REFUSED_CHARS = 256 };

/** A source file; those that end in .c are compiled. */
typedef struct rki_source {
    char name[160];
    const char *text;
} rki_source;

/** A program: built once, and run on numbers as often as is wanted. */
typedef struct rki_built {
    char dir[40];
    char file[RKI_SOURCES_MAX + 4][208]; /* all that is put into it */
    int files;
    char refused[RKI_REFUSED_CHARS]; /* why it is not built, or stopped; "": it is */
    bool excused;                    /* there is no compiler */
    sigset_t before;                 /* the signals that were held back before; see `holds` */
    bool holds;
} rki_built;

/**
 * Build sources by `cc` in a new directory, which rki_built_free removes; until then the signals
 * that end a program are held back. What is started is ended with this program, and has limits of
 * time and memory. A source that cannot be compiled is told in *made, and is no error.
 *
 * Errors  RK_ERR_IO if no temporary file can be written.
 */
rk_status rki_built_make(const rki_source *sources, size_t count, rki_built *made,
                         rk_diag *diag);
void rki_built_free(rki_built *b);

/** Run it on numbers: how many numbers it answered. */
size_t rki_built_run(rki_built *b, const double *in, size_t numbers_in, double *out,
                     size_t numbers_out);

#endif
