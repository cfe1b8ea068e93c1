/* SPDX-License-Identifier: MIT */
/*
 * How good the fit is: over many seeded records of each regime how often the 95 % intervals hold,
 * how often the kind is right and what is claimed falsely, and the scatter of each number against
 * the bound of Cramer and Rao. Usage: redkettle-statistics [RECORDS [PART OF A NAME]]
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../tests/support/regimes.h"

static double percent(int of, int all)
{
    return 100.0 * of / all;
}

int main(int argc, char **argv)
{
    const int records = argc > 1 ? atoi(argv[1]) : 200;
    int i, k;

    printf(
        "Over %d seeded records of each regime, all kinds tried.\n"
        "  holds: the 95 %% interval of gain, time constant(s), dead time, %%\n"
        "  wrong kind, false extra, missed extra; GOOD, and GOOD though an interval fails, %%\n"
        "  scatter over the bound of Cramer and Rao, every move's instant known\n"
        "  wide: the dead time's interval in rows\n\n"
        "%-32s %17s %6s %6s %6s %6s %6s %20s %6s %6s\n",
        records, "", "holds, %", "kind", "false", "missed", "GOOD", "sure", "scatter", "wide",
        "ms");
    for (i = 0; i < regime_count; i++) {
        const regime *r = &regimes[i];
        regime_score s;
        double bound[3];

        if (argc > 2 && strstr(r->name, argv[2]) == NULL) continue;
        s = regime_run(r, records);
        regime_bound(r, bound);
        printf("%-32s %5.1f %5.1f %5.1f %6.1f %6.1f %6.1f %6.1f %6.1f", r->name,
               percent(s.gain, records), percent(s.tau, records), percent(s.theta, records),
               percent(records - s.kind, records), percent(s.extras, records),
               percent(s.missed, records), percent(s.good, records), percent(s.sure, records));
        for (k = 0; k < 3; k++) {
            if (k == 1 && rk_model_kind_times(r->m.kind) == 0) {
                printf("      -");
            } else {
                printf(" %6.2f", s.error[k] / bound[k]);
            }
        }
        printf(" %6.2f %6.2f\n", s.width / r->interval, 1e3 * s.fitted);
        (void)fflush(stdout);
    }
    return 0;
}
