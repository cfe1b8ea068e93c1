#!/bin/sh
# clang-tidy, cppcheck and a build with clang. Run by make lint, which installs what is missing.
set -eu
cd "$(dirname "$0")/.."
cmake --preset clang >/dev/null
cmake --build build-clang
find src cli ports examples -name '*.c' ! -path ports/cortexm/start.c -print0 |
    xargs -0 -P 2 -n 4 clang-tidy -p build --quiet --warnings-as-errors='*' 2>/dev/null
cppcheck --quiet --std=c11 --enable=warning,performance,portability --error-exitcode=1 \
    --inline-suppr -I include src cli ports examples
echo "lint: in order"
