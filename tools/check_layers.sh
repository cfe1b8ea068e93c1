#!/bin/sh
# Include direction: device <- design <- emit, files, draw <- cli; emit, softplc <- prove <- cli; see the README, "Where things live".
# Usage: check_layers.sh [ROOT]
set -eu
cd "${1:-$(dirname "$0")/..}"
bad=0

complain() {
    echo "$1"
    bad=1
}

# lower LAYER: the layers whose public headers LAYER may include.
lower() {
    case $1 in
    device) echo 'device' ;;
    design) echo 'device design' ;;
    single) echo 'device single design/memory.h' ;;
    files) echo 'device design files prove' ;; # it writes a proof as JSON
    emit) echo 'device design single emit version.h' ;;
    draw) echo 'device design draw version.h' ;;
    prove) echo 'device design single emit softplc prove' ;;
    softplc) echo 'softplc design/diag.h design/memory.h design/text.h' ;; # its own reading of the text
    esac
}

for layer in device design single emit softplc prove files draw; do
    for file in src/$layer/*.[ch] include/redkettle/$layer/*.h; do
        [ -e "$file" ] || continue
        for header in $(sed -n 's/^#include <redkettle\/\([^>]*\)>.*/\1/p' "$file"); do
            allowed=no
            for below in $(lower $layer); do
                [ "${header%%/*}" = "$below" ] || [ "$header" = "$below" ] && allowed=yes
            done
            [ $allowed = yes ] || complain "$file: $layer must not include <redkettle/$header>"
        done
        grep -Hn '#include ".*/' "$file" && complain "$file: an insiders' header of another layer"
    done
done

for file in src/device/*.[ch] include/redkettle/device/*.h; do
    for header in $(sed -n 's/^#include <\([^>]*\)>.*/\1/p' "$file"); do
        case $header in
        redkettle/* | stddef.h | stdint.h | stdbool.h | limits.h | float.h) ;;
        *) complain "$file: the device tier must not include <$header>" ;;
        esac
    done
done

for file in ports/*/*.[ch]; do
    for header in $(sed -n 's/^#include <redkettle\/\([^>]*\)>.*/\1/p' "$file"); do
        [ "${header%%/*}" = device ] || complain "$file: a port must not include <redkettle/$header>"
    done
done

for file in cli/*.[ch] examples/*.c; do
    grep -Hn '#include ".*src/' "$file" && complain "$file: public headers only"
done

# Nothing below cli prints to a terminal, ends the program or keeps state.
for file in src/*/*.c; do
    grep -HnE '\b(printf|puts|putchar|perror|exit|abort|assert|setlocale)\(' "$file" |
        grep -vE '(sn|vsn|s)printf\(' && complain "$file: printing or ending is for cli/"
    grep -HnE '^static [a-z_ ]*[*]* ?[a-z_0-9]+(\[[^]]*\])?( = .*)?;' "$file" |
        grep -v 'static const' && complain "$file: mutable static data"
done

[ $bad -eq 0 ] && echo "layers: in order"
exit $bad
