#!/bin/sh
# Every public header alone, and a program that uses all layers, from C++ by two compilers; and
# float against double does not link. Usage: cplusplus.sh SOURCE BUILD
set -eu
source=$1
build=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
strict='-std=c++11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -Wno-missing-field-initializers'

for compiler in g++ clang++; do
    (cd "$source/include" && find redkettle -name '*.h') | while read -r header; do
        echo "#include <$header>" >"$work/header.cpp"
        # shellcheck disable=SC2086
        $compiler $strict -I"$source/include" -fsyntax-only "$work/header.cpp" || exit 1
    done
    # shellcheck disable=SC2086
    $compiler $strict -I"$source/include" "$source/tests/checks/use.cpp" "$build/libredkettle.a" \
        "$build/libredkettle-device.a" -linih -ljansson -lxml2 -lcsv -lnlopt -lpthread -lm -o "$work/use"
    "$work/use"
done

# A user of the blocks in float: linked with the float library it runs, with the other it does
# not link.
cat >"$work/float.c" <<'END'
#include <redkettle/device/pid.h>
int main(void)
{
    rk_pid_params params = rk_pid_params_make();
    rk_pid pid;
    params.ts = 1.0f;
    params.kc = 2.0f;
    params.ti = 10.0f;
    return rk_pid_init(&pid, &params, 40.0f) != RK_OK || rk_pid_scan(&pid, 1.0f, 1.0f) != 40.0f;
}
END
cc -DRK_CFG_FLOAT=1 -I"$source/include" "$work/float.c" "$build/libredkettle-device-float.a" -o "$work/float"
"$work/float"
if cc -DRK_CFG_FLOAT=1 -I"$source/include" "$work/float.c" "$build/libredkettle-device.a" -o "$work/mixed" 2>"$work/log"; then
    echo "float linked with double: it must not link"
    exit 1
fi
grep -q rk_pid_init_in_float "$work/log"
if cc -I"$source/include" "$work/float.c" "$build/libredkettle-device-float.a" -o "$work/mixed" 2>"$work/log"; then
    echo "double linked with float: it must not link"
    exit 1
fi
echo "cplusplus: in order"
