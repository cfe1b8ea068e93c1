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
    allowed=$(lower $layer | sed 's/\./\\./g; s/ /|/g')
    files=$(ls src/$layer/*.[chly] include/redkettle/$layer/*.h 2>/dev/null)
    # shellcheck disable=SC2086
    strays=$(grep -Hn '^#include <redkettle/' $files | grep -vE "<redkettle/($allowed)[/>]" || true)
    [ -z "$strays" ] || complain "$strays: $layer must not include that"
    # shellcheck disable=SC2086
    strays=$(grep -Hn '#include ".*/' $files || true)
    [ -z "$strays" ] || complain "$strays: an insiders' header of another layer"
done

strays=$(grep -Hn '^#include <' src/device/*.[ch] include/redkettle/device/*.h |
    grep -vE '<(redkettle/.*|stddef\.h|stdint\.h|stdbool\.h|limits\.h|float\.h)>' || true)
[ -z "$strays" ] || complain "$strays: the device tier must not include that"

strays=$(grep -Hn '^#include <redkettle/' ports/*/*.[ch] | grep -v '<redkettle/device/' || true)
[ -z "$strays" ] || complain "$strays: a port includes the device tier alone"
strays=$(grep -Hn '#include ".*src/' cli/*.[ch] examples/*.c || true)
[ -z "$strays" ] || complain "$strays: public headers only"

# Nothing below cli prints to a terminal, ends the program or keeps state.
strays=$(grep -HnE '\b(printf|puts|putchar|perror|exit|abort|assert|setlocale)\(' src/*/*.c |
    grep -vE '(sn|vsn|s)printf\(' || true)
[ -z "$strays" ] || complain "$strays: printing or ending is for cli/"
strays=$(grep -HnE '^static [a-z_ ]*[*]* ?[a-z_0-9]+(\[[^]]*\])?( = .*)?;' src/*/*.c |
    grep -v 'static const' || true)
[ -z "$strays" ] || complain "$strays: mutable static data"

[ $bad -eq 0 ] && echo "layers: in order"
exit $bad
