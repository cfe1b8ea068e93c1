#!/bin/sh
# Include direction: device <- design <- emit, files, draw <- live, cli; emit, softplc <- prove <- report <- workbench, page <- cli;
# within design from room to room; see the README, "Where things live".
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
    rig) echo 'device rig design/base/memory.h' ;;
    files) echo 'device design files' ;;
    emit) echo 'device design rig emit version.h' ;;
    draw) echo 'device design draw version.h' ;;
    live) echo 'device design files live' ;; # and the simulated port that it assembles
    report) echo 'device design rig emit prove report' ;;
    workbench) echo 'device design files report workbench' ;;
    page) echo 'device design rig emit files draw prove report version.h page' ;;
    prove) echo 'device design rig emit softplc prove' ;;
    softplc) echo 'softplc design/base/diag.h design/base/memory.h design/base/text.h' ;; # its own reading of the text
    esac
}

for layer in device design rig emit softplc prove files draw report live workbench page; do
    allowed=$(lower $layer | sed 's/\./\\./g; s/ /|/g')
    files=$(find src/$layer include/redkettle/$layer -name '*.[chly]')
    # shellcheck disable=SC2086
    strays=$(grep -Hn '^#include <redkettle/' $files | grep -vE "<redkettle/($allowed)[/>]" || true)
    [ -z "$strays" ] || complain "$strays: $layer must not include that"
    # shellcheck disable=SC2086
    strays=$(grep -Hn '#include ".*/' $files | grep -v "^src/design/.*\"design/[a-z]*/[a-z_]*\.h\"" || true)
    [ -z "$strays" ] || complain "$strays: an insiders' header of another layer"
done

# left ROOM: the rooms of design that a room may use, itself among them.
left() {
    case $1 in
    base) echo 'base' ;;
    loop) echo 'base loop' ;;
    margins | record) echo "base loop $1" ;;
    fit | trial | tune) echo "base loop margins record $1" ;;
    search) echo 'base loop margins record fit trial tune search' ;;
    check) echo 'base loop margins record fit trial tune search check' ;;
    esac
}

for room in base loop margins record fit trial tune search check; do
    allowed=$(left $room | sed 's/ /|/g')
    strays=$(grep -HnE '#include [<"](redkettle/)?design/' src/design/$room/*.[ch] include/redkettle/design/$room/*.h |
        grep -vE "design/($allowed)/[a-z_]+\.h[>\"]" || true)
    [ -z "$strays" ] || complain "$strays: the room $room must not include that"
done
strays=$(find src/design include/redkettle/design -maxdepth 1 -type f)
[ -z "$strays" ] || complain "$strays: in none of design's rooms"

strays=$(grep -Hn '^#include <' src/device/*.[ch] include/redkettle/device/*.h |
    grep -vE '<(redkettle/.*|stddef\.h|stdint\.h|stdbool\.h|limits\.h|float\.h)>' || true)
[ -z "$strays" ] || complain "$strays: the device tier must not include that"

strays=$(grep -Hn '^#include <redkettle/' ports/*/*.[ch] | grep -v '<redkettle/device/' || true)
[ -z "$strays" ] || complain "$strays: a port includes the device tier alone"
strays=$(grep -Hn '#include ".*src/' cli/*.[ch] examples/*.c || true)
[ -z "$strays" ] || complain "$strays: public headers only"

# Nothing below cli prints to a terminal, ends the program or keeps state.
strays=$(grep -HnE '\b(printf|puts|putchar|perror|exit|abort|assert|setlocale)\(' $(find src -name "*.c") |
    grep -vE '(sn|vsn|s)printf\(' || true)
[ -z "$strays" ] || complain "$strays: printing or ending is for cli/"
strays=$(grep -HnE '^static [a-z_ ]*[*]* ?[a-z_0-9]+(\[[^]]*\])?( = .*)?;' $(find src -name "*.c") |
    grep -v 'static const' || true)
[ -z "$strays" ] || complain "$strays: mutable static data"

[ $bad -eq 0 ] && echo "layers: in order"
exit $bad
