#!/bin/sh
# clang-tidy, cppcheck and a build with clang. Installs what is missing, as root.
set -eu
cd "$(dirname "$0")/.."
missing=''
for package in clang clang-tidy cppcheck; do
    command -v "$package" >/dev/null 2>&1 || missing="$missing $package"
done
if [ -n "$missing" ]; then
    if [ "$(id -u)" -ne 0 ]; then
        echo "lint: run this, then make lint again: sudo apt-get install -y$missing"
        exit 1
    fi
    echo "lint: installing$missing"
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
fi

cmake --preset clang >/dev/null
cmake --build build-clang
find src cli ports examples -name '*.c' ! -path ports/cortexm/start.c -print0 |
    xargs -0 -P 2 -n 4 clang-tidy -p build --quiet --warnings-as-errors='*' 2>/dev/null
cppcheck --quiet --std=c11 --enable=warning,performance,portability --error-exitcode=1 \
    --inline-suppr -I include src cli ports examples
echo "lint: in order"
