/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_COLUMNS_H
#define RKI_FILES_COLUMNS_H

#include <redkettle/files/record_file.h>

#include "rows.h"

typedef enum rki_column { RKI_TIME, RKI_OUT, RKI_PV, RKI_QUALITY, RKI_COLUMNS } rki_column;

/** Where the columns stand. */
typedef struct rki_places {
    bool found[RKI_COLUMNS];
    size_t place[RKI_COLUMNS]; /* from 0 */
} rki_places;

/**
 * Find the columns in the first row: by the name or number asked for, or else by the usual
 * names. `names` says whether the row holds names at all. The names taken, units and the time
 * unit go into *import.
 *
 * Errors  RK_ERR_FORMAT: none or several; diag lists what is there.
 */
rk_status rki_columns_find(const rki_rows *rows, bool names, const rk_columns *asked,
                           rki_places *places, rk_import *import, rk_diag *diag);

/** A unit from a cell of the units row. */
void rki_columns_unit(rki_cell cell, rki_column column, rk_import *import);

/** s that a number counts in a time column of this name: 60 for time_min; 1 if it says nothing.
 */
double rki_columns_time_unit(const char *name);

#endif
