#!/bin/sh
# Installs the Debian packages that are missing. Usage: setup.sh tool|report|tests|PACKAGE ...
#   tool    what the tool is built with, and gnuplot, which draws its figures
#   report  what the workbench of a report is built with: a compiler for browsers, and what draws there
#   tests   what the tests need beside those, a browser among it
set -eu

# The compiler's own library for browsers goes by its version; 14 is Debian 12's, where no list of packages is there yet.
browser_library() {
    version=$(apt-cache depends clang 2>/dev/null | sed -n 's/^ *Depends: clang-\([0-9]*\)$/\1/p' | head -n 1)
    echo "libclang-rt-${version:-14}-dev-wasm32"
}

packages=''
for wanted in "$@"; do
    case $wanted in
    tool) packages="$packages gcc libc6-dev cmake ninja-build pkg-config flex bison libcsv-dev
libinih-dev libjansson-dev libnlopt-dev libncurses-dev libxml2-dev libmodbus-dev gnuplot-nox" ;;
    report) packages="$packages clang lld wasi-libc $(browser_library) libjs-chart.js" ;;
    tests) packages="$packages check valgrind g++ clang clang-format gcc-arm-none-eabi qemu-system-arm
libcminpack-dev mbpoll python3-pymodbus python3-serial python3-serial-asyncio socat
openssl libcurl4-openssl-dev chromium chromium-driver" ;;
    *) packages="$packages $wanted" ;;
    esac
done

command -v dpkg-query >/dev/null 2>&1 || {
    # shellcheck disable=SC2086
    echo "setup: not a Debian system; install the counterparts of:" $packages
    exit 0
}

# shellcheck disable=SC2086
installed=$(dpkg-query -W -f='${db:Status-Status} ${Package}\n' $packages 2>/dev/null |
    sed -n 's/^installed //p' || true)
missing=''
for package in $packages; do
    echo "$installed" | grep -qx "$package" || missing="$missing $package"
done
[ -n "$missing" ] || exit 0

if [ "$(id -u)" -ne 0 ]; then
    echo "setup: some packages are missing and only root can install them. Run this, then make again:"
    echo "  sudo apt-get update && sudo apt-get install -y --no-install-recommends$missing"
    exit 1
fi

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

fail() {
    echo "setup: $1; apt-get says:"
    tail -n 20 "$work/log"
    exit 1
}

# apt-get's own account of how far it is, as one line that moves on a terminal, or as a line
# for each quarter of the way.
progress() {
    last=-1
    while IFS=: read -r kind _ percent _; do
        case $kind in
        dlstatus) doing='fetching' ;;
        pmstatus) doing='installing' ;;
        *) continue ;;
        esac
        percent=${percent%%[.,]*}
        if [ -t 1 ]; then
            printf '\r\033[Ksetup: %s, %s %%' "$doing" "$percent"
        elif [ "$doing $((percent / 25))" != "$last" ]; then
            last="$doing $((percent / 25))"
            echo "setup: $doing, $percent %"
        fi
    done
    [ ! -t 1 ] || printf '\r\033[K'
}

export DEBIAN_FRONTEND=noninteractive
echo "setup: reading the lists of packages"
apt-get update -qq -o Acquire::Languages=none >"$work/log" 2>&1 || fail 'no lists of packages'
# shellcheck disable=SC2086
apt-get install -y -qq --no-install-recommends --print-uris $missing >"$work/uris" 2>"$work/log" ||
    fail 'these packages cannot be had'
awk 'NF >= 3 {n++; bytes += $3} END {printf "setup: fetching %d packages, %.0f MB\n", n, bytes / 1e6}' "$work/uris"
{
    # shellcheck disable=SC2086
    apt-get install -y -qq --no-install-recommends -o APT::Status-Fd=3 -o Dpkg::Use-Pty=0 $missing \
        3>&1 >"$work/log" 2>&1 || touch "$work/failed"
} | progress
[ ! -e "$work/failed" ] || fail 'the packages could not be installed'
echo "setup: installed$missing"
