/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REDKETTLE_H
#define REDKETTLE_REDKETTLE_H

#include <redkettle/version.h>

#include <redkettle/device/filter.h>
#include <redkettle/device/loop.h>
#include <redkettle/device/noise.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/param_error.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/port.h>
#include <redkettle/device/predictor.h>
#include <redkettle/device/pwm.h>
#include <redkettle/device/ramp.h>
#include <redkettle/device/relay.h>
#include <redkettle/device/valve.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/base/finding.h>
#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/number.h>
#include <redkettle/design/base/text.h>
#include <redkettle/design/base/yes_no.h>
#include <redkettle/design/check/check.h>
#include <redkettle/design/fit/bump.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/fit/inspect.h>
#include <redkettle/design/fit/relay_point.h>
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/loop/keys.h>
#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/model_set.h>
#include <redkettle/design/loop/port_design.h>
#include <redkettle/design/loop/requirements.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/design/margins/margins.h>
#include <redkettle/design/record/record.h>
#include <redkettle/design/search/search.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/trial/sweep.h>
#include <redkettle/design/trial/trial.h>
#include <redkettle/design/tune/tune.h>

#include <redkettle/design/base/number.h>
#include <redkettle/draw/figure.h>
#include <redkettle/emit/emit.h>
#include <redkettle/emit/program_files.h>
#include <redkettle/files/curves_file.h>
#include <redkettle/files/loop_file.h>
#include <redkettle/files/record_file.h>
#include <redkettle/files/record_log.h>
#include <redkettle/files/trial_case.h>
#include <redkettle/files/write.h>
#include <redkettle/live/clock.h>
#include <redkettle/live/enough.h>
#include <redkettle/live/live.h>
#include <redkettle/live/live_port.h>
#include <redkettle/live/pace.h>
#include <redkettle/live/relay_test.h>
#include <redkettle/live/run_rows.h>
#include <redkettle/live/sim_plant.h>
#include <redkettle/prove/prove.h>
#include <redkettle/report/program_sheet.h>
#include <redkettle/report/report.h>
#include <redkettle/report/results.h>
#include <redkettle/rig/rig.h>
#include <redkettle/softplc/softplc.h>

#endif
