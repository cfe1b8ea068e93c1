/* SPDX-License-Identifier: MIT */
/* libFuzzer feeds the stand-in PLC: whatever the text is, it is taken, or refused with a text
   that says where; what is taken runs a few scans. `make fuzz` runs it for a minute. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/redkettle.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void must_say(rk_status status, const rk_diag *diag)
{
    if (status != RK_OK && diag->text[0] == '\0') abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    rk_diag diag = {RK_OK, ""};
    rk_plc *plc = rk_plc_create();
    rk_plc_instance *instance = NULL;
    rk_status status;
    int i;

    if (plc == NULL) return 0;
    status = rk_plc_load(plc, "text", (const char *)data, size, &diag);
    must_say(status, &diag);
    if (status == RK_OK && rk_plc_last_block(plc)[0] != '\0') {
        status = rk_plc_instance_create(plc, rk_plc_last_block(plc), &instance, &diag);
        must_say(status, &diag);
        for (i = 0; i < 3 && status == RK_OK; i++) {
            status = rk_plc_scan(plc, instance, &diag);
            must_say(status, &diag);
        }
        if (instance != NULL) {
            rk_plc_instance_restart(instance, true);
        }
    }
    rk_plc_free(plc);
    return 0;
}
