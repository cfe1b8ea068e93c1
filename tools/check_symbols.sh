#!/bin/sh
# Exports start with rk_ or rki_; the device tier and the sim port need nothing but mem* helpers:
# no heap, no C library, no libm in the scan path.
# Usage: check_symbols.sh BUILD_DIR
set -eu
cd "${1:?the build directory}"
bad=0

for library in redkettle-device redkettle; do
    strays=$(nm -g --defined-only "lib$library.a" 2>/dev/null | awk 'NF == 3 {print $3}' |
        grep -vE '^(rk_|rki_)' || true)
    if [ -n "$strays" ]; then
        echo "lib$library.a exports names that start with neither rk_ nor rki_:" $strays
        bad=1
    fi
done

own=$(nm -g --defined-only libredkettle-device.a libredkettle-sim.a | awk 'NF == 3 {print $3}')
[ -n "$own" ] || { echo "libredkettle-device.a exports nothing"; exit 1; }
for symbol in $(nm -u libredkettle-device.a libredkettle-sim.a | awk '$1 == "U" {print $2}' | sort -u); do
    case $symbol in
    memcpy | memset | memmove | memcmp) continue ;;
    _GLOBAL_OFFSET_TABLE_ | __stack_chk_fail) continue ;;
    esac
    if ! echo "$own" | grep -qx "$symbol"; then
        echo "the device tier needs $symbol, which a bare machine does not have"
        bad=1
    fi
done

[ $bad -eq 0 ] && echo "symbols: in order"
exit $bad
