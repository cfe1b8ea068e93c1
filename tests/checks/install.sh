#!/bin/sh
# Install into a scratch prefix, then build an example against what was installed, by pkg-config
# and by the CMake package. Usage: install.sh SOURCE BUILD
set -eu
source=$1
build=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

cmake --install "$build" --prefix "$work/prefix" >/dev/null
"$work/prefix/bin/redkettle" --version >/dev/null

library=$(dirname "$(find "$work/prefix" -name redkettle.pc)")
export PKG_CONFIG_PATH="$library"
for static in '' --static; do
    # Its flags are words of a shell: a blank in a path comes with a backslash.
    eval "cc -std=c11 -Wall -Werror '$source/examples/fit_and_tune.c' \
        $(pkg-config $static --cflags --libs redkettle) -o '$work/by_pkg_config$static'"
done
# The device library alone needs nothing else.
printf '#include <redkettle/device/pid.h>\nint main(void) { rk_pid p; return rk_pid_init(&p, 0, 0.0) != RK_ERR_ARG; }\n' >"$work/device.c"
eval "cc -std=c11 '$work/device.c' $(pkg-config --cflags --libs redkettle-device) -o '$work/device'"
"$work/device"

mkdir "$work/user"
cp "$source/examples/fit_and_tune.c" "$work/user/main.c"
cat >"$work/user/CMakeLists.txt" <<'END'
cmake_minimum_required(VERSION 3.20)
project(user LANGUAGES C)
find_package(redkettle REQUIRED)
add_executable(by_cmake main.c)
target_link_libraries(by_cmake PRIVATE redkettle::redkettle)
END
cmake -S "$work/user" -B "$work/user/build" -DCMAKE_PREFIX_PATH="$work/prefix" >"$work/log" 2>&1 ||
    { cat "$work/log"; exit 1; }
cmake --build "$work/user/build" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }

for program in "$work/by_pkg_config" "$work/by_pkg_config--static" "$work/user/build/by_cmake"; do
    "$program" "$source/data/blend-brix.csv" timestamp FV210.OUT_pct AT210.PV_degBx | grep -q 'gain margin 3.14'
done
echo "install: in order"
