#!/bin/sh
# Is every C file laid out by .clang-format? With --fix, lay them out. The layout is that of
# clang-format 14; another version lays out a few lines otherwise and is not asked.
set -eu
cd "$(dirname "$0")/.."
files=$(find include src ports cli examples tests bench -name '*.[ch]' | sort)

tool=clang-format
command -v clang-format-14 >/dev/null 2>&1 && tool=clang-format-14
version=$($tool --version | sed -n 's/.*version \([0-9]*\).*/\1/p')
if [ "$version" != 14 ]; then
    echo "format: SKIPPED, clang-format is $version and the layout is that of 14"
    exit 77
fi
if [ "${1:-}" = --fix ]; then
    # shellcheck disable=SC2086
    exec $tool -i $files
fi
# shellcheck disable=SC2086
$tool --dry-run -Werror $files && echo "format: in order"
