/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REDKETTLE_H
#define REDKETTLE_REDKETTLE_H

#include <redkettle/version.h>

#include <redkettle/device/duty.h>
#include <redkettle/device/filter.h>
#include <redkettle/device/flaw.h>
#include <redkettle/device/loop.h>
#include <redkettle/device/noise.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/port.h>
#include <redkettle/device/predictor.h>
#include <redkettle/device/ramp.h>
#include <redkettle/device/relay.h>
#include <redkettle/device/valve.h>

#include <redkettle/design/bump.h>
#include <redkettle/design/check.h>
#include <redkettle/design/fit.h>
#include <redkettle/design/gain_limits.h>
#include <redkettle/design/inspect.h>
#include <redkettle/design/loop_design.h>
#include <redkettle/design/margins.h>
#include <redkettle/design/measure.h>
#include <redkettle/design/mend.h>
#include <redkettle/design/model.h>
#include <redkettle/design/open_step.h>
#include <redkettle/design/operating.h>
#include <redkettle/design/plant_design.h>
#include <redkettle/design/record.h>
#include <redkettle/design/reduce.h>
#include <redkettle/design/requirements.h>
#include <redkettle/design/resolution.h>
#include <redkettle/design/run.h>
#include <redkettle/design/sampled.h>
#include <redkettle/design/search.h>
#include <redkettle/design/settings.h>
#include <redkettle/design/signal.h>
#include <redkettle/design/spread.h>
#include <redkettle/design/sweep.h>
#include <redkettle/design/trial.h>
#include <redkettle/design/tune.h>
#include <redkettle/design/windup.h>
#include <redkettle/design/worst.h>

#include <redkettle/draw/figure.h>
#include <redkettle/emit/emit.h>
#include <redkettle/files/curves_file.h>
#include <redkettle/files/json.h>
#include <redkettle/files/loop_file.h>
#include <redkettle/files/number.h>
#include <redkettle/files/record_file.h>
#include <redkettle/files/record_log.h>
#include <redkettle/files/write.h>
#include <redkettle/prove/prove.h>
#include <redkettle/single/single.h>
#include <redkettle/softplc/softplc.h>

#endif
