#!/bin/sh
# The layer check must catch what it is there for: each trespass below in a copy of the sources.
# Usage: checks_catch.sh SOURCE
set -eu
source=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

mkdir "$work/tree"
(cd "$source" && cp -r include src ports cli examples "$work/tree")

trespass() { # FILE LINE: add the line to the file; the check must fail and name the file
    cp "$work/tree/$1" "$work/kept"
    printf '%s\n' "$2" >>"$work/tree/$1"
    if "$source/tools/check_layers.sh" "$work/tree" >"$work/log"; then
        echo "not caught: '$2' in $1"
        exit 1
    fi
    grep -q "$1" "$work/log" || { echo "'$2' is caught, but $1 is not named"; exit 1; }
    cp "$work/kept" "$work/tree/$1"
}

"$source/tools/check_layers.sh" "$work/tree"
trespass src/device/pid.c '#include <redkettle/design/loop/model.h>'
trespass src/device/pid.c '#include <math.h>'
trespass include/redkettle/device/pid.h '#include <stdio.h>'
trespass src/design/fit/fit.c '#include <redkettle/files/write.h>'
trespass src/emit/c99.c '#include <redkettle/draw/figure.h>'
trespass src/emit/c99.c '#include "design/margins/poly.h"'
trespass src/design/base/text.c '#include <redkettle/design/loop/model.h>'
trespass src/design/loop/model.c '#include "design/margins/poly.h"'
trespass src/design/record/record.c '#include <redkettle/design/margins/margins.h>'
trespass src/design/fit/fit.c '#include <redkettle/design/trial/trial.h>'
trespass include/redkettle/design/tune/tune.h '#include <redkettle/design/search/search.h>'
trespass src/design/search/search.c '#include <redkettle/design/check/check.h>'
trespass src/design/fit/fit.c '#include "../margins/poly.h"'
trespass src/live/live.c '#include <redkettle/emit/emit.h>'
trespass src/files/write.c '#include <redkettle/live/live.h>'
trespass src/softplc/run.c '#include <redkettle/device/pid.h>'
trespass src/files/write.c '#include <redkettle/emit/emit.h>'
trespass src/report/rows.c '#include <redkettle/live/live.h>'
trespass src/emit/c99.c '#include <redkettle/report/report.h>'
trespass src/report/rows.c '#include <redkettle/page/page.h>'
trespass src/workbench/workbench.c '#include <redkettle/draw/figure.h>'
trespass src/page/page.c '#include <redkettle/live/live.h>'
trespass ports/sim/sim.c '#include <redkettle/design/loop/model.h>'
trespass src/design/tune/tune.c 'void rki_shout(void) { printf("hello"); }'
trespass src/design/tune/tune.c 'static int calls;'
echo "checks: they catch"
