#!/bin/sh
# Installs the Debian packages that the build and the tests need, and those named as arguments,
# if they are missing.
set -eu

packages='build-essential cmake ninja-build pkg-config libcsv-dev libinih-dev
libjansson-dev libncurses-dev libxml2-dev flex bison gnuplot-nox check valgrind clang-format gcc-arm-none-eabi
gcc-riscv64-unknown-elf qemu-system-arm'
packages="$packages $*"

command -v dpkg-query >/dev/null 2>&1 || {
    echo "setup: not a Debian system; install the counterparts of: $packages" | tr '\n' ' '
    echo
    exit 0
}

missing=''
for package in $packages; do
    state=$(dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null || true)
    [ "$state" = installed ] || missing="$missing $package"
done
[ -n "$missing" ] || exit 0

if [ "$(id -u)" -ne 0 ]; then
    echo "setup: some packages are missing and only root can install them. Run this, then make again:"
    echo "  sudo apt-get update && sudo apt-get install -y$missing"
    exit 1
fi
echo "setup: installing$missing"
apt-get update -qq
# shellcheck disable=SC2086
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
