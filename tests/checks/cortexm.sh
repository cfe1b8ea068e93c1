#!/bin/sh
# The device tier on an emulated Cortex-M4F gives the bits that it gives here, in double and in
# float, and keeps its targets of size. Usage: cortexm.sh SOURCE_DIR BUILD_DIR
set -eu
source=${1:?the source directory}
build=${2:?the build directory}
for tool in arm-none-eabi-gcc qemu-system-arm; do
    command -v $tool >/dev/null 2>&1 || { echo "$tool is missing: skipped"; exit 77; }
done
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

for float in 0 1; do
    arm-none-eabi-gcc -mcpu=cortex-m4 -mthumb -mfloat-abi=hard -mfpu=fpv4-sp-d16 -std=c11 -Os \
        -ffreestanding -ffp-contract=off -fno-tree-loop-distribute-patterns -Wall -Wextra \
        -Wpedantic -Wconversion -Wdouble-promotion -Wshadow -Werror -DRK_CFG_FLOAT=$float \
        -I"$source/include" -nostdlib -T "$source/ports/cortexm/cortexm.ld" \
        "$source"/ports/cortexm/*.c "$source"/src/device/*.c -lgcc -o "$work/image"
    timeout 60 qemu-system-arm -M mps2-an386 -nographic -monitor none -serial none \
        -semihosting-config enable=on,target=native -kernel "$work/image" \
        </dev/null >"$work/target" 2>&1
    "$build/tests/exercise-$float" >"$work/host"
    [ "$(wc -l <"$work/host")" -eq 9 ] || { echo "the host tells $(wc -l <"$work/host") blocks, not 9"; exit 1; }
    diff "$work/host" "$work/target" || { echo "host and target differ (float: $float)"; exit 1; }
done
echo "cortexm: 9 blocks, 10,000 scans each, the same bits in double and float"
cd "$source"
tools/size.sh --check
