#!/bin/sh
# Instructions that a controller's scan with every feature and a plant's scan take, counted by
# valgrind. Usage: count_instructions.sh BENCH_PROGRAM
set -eu
bench=${1:?the bench program}
scans=20000

for block in pid plant; do
    count=$(valgrind --tool=callgrind --callgrind-out-file=/dev/null \
        --toggle-collect="rk_${block}_scan" "$bench" --scans $block $scans 2>&1 |
        awk '/Collected/ {print $4}')
    echo "  rk_${block}_scan: $((count / scans)) instructions a scan"
done
