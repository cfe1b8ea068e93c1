/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>

#include <redkettle/emit/emit.h>

size_t rk_emit_notes(const rk_design *d, bool slim,
                     char notes[RK_EMIT_NOTES_MAX][RK_EMIT_NOTE_CHARS])
{
    const rk_alarm_limits *a = &d->alarms;
    const bool alarms = !isnan(a->low) || !isnan(a->high) || !isnan(a->deviation) ||
                        !isnan(a->stale) || !isnan(a->hold);
    const bool raw = !isnan(d->program.pv_raw[0]) || !isnan(d->program.out_raw[0]);
    const struct {
        bool is_so;
        const char *words;
    } all[] = {
        {slim && alarms, "[alarm] is not in it: a slim controller has no alarms."},
        {slim && !isnan(d->out_safe),
         "[out] safe is not in it: a slim controller holds OUT without a PV."},
        {slim && !isnan(d->pv_low),
         "[pv] low and high are not in it: it follows a PV that is out of range."},
        {slim && raw, "[program] pv-raw and out-raw are not in it: they are of the program."},
        {!slim && isnan(d->out_safe),
         "[out] safe is not given: a cold start without a read-back is at the low limit."},
        {!slim && isnan(a->hold),
         "[alarm] hold is not given: without a good PV OUT is held for ever."},
        {!slim && isnan(d->pv_low),
         "[pv] low and high are not given: a PV that is out of range is not noticed."},
        {d->delay_scans > 0,
         "[loop] delay-scans is not in it: that is what the PLC and its network take."},
    };
    size_t count = 0, i;

    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (all[i].is_so) {
            (void)snprintf(notes[count++], RK_EMIT_NOTE_CHARS, "%s", all[i].words);
        }
    }
    return count;
}
