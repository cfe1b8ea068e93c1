/* SPDX-License-Identifier: MIT */
/* libFuzzer feeds the record reader: whatever the bytes are, it ends with a record whose times
   rise, or with an error that has a text. `make fuzz` runs it for a minute. */
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <unistd.h>

#include <redkettle/redkettle.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void check_record(const rk_record *record)
{
    const size_t rows = rk_record_rows(record);
    size_t i;

    for (i = 0; i < rows; i++) {
        const double *time = rk_record_time(record);

        if (!isfinite(time[i]) || (i > 0 && !(time[i] > time[i - 1]))) abort();
        if (!isfinite(rk_record_out(record)[i]) || !isfinite(rk_record_pv(record)[i])) abort();
    }
}

static void read_as(const char *path, const rk_columns *columns)
{
    rk_diag diag = {RK_OK, ""};
    rk_record *record = NULL;
    rk_import import;

    if (rk_record_read(path, columns, &record, &import, &diag) == RK_OK) {
        check_record(record);
    } else if (diag.text[0] == '\0') {
        abort();
    }
    rk_record_free(record);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const rk_columns numbered = {"1", "2", "3", "none", 0.001};
    const int file = memfd_create("record", 0);
    char path[64];

    if (file < 0 || write(file, data, size) != (ssize_t)size) return 0;
    (void)snprintf(path, sizeof path, "/proc/self/fd/%d", file);
    read_as(path, NULL);
    read_as(path, &numbered);
    (void)close(file);
    return 0;
}
