#!/bin/sh
# What set-up says and does: with what is missing, without root, without packages to be had. Its
# helpers are stand-ins on PATH. And a changed set-up is seen. Usage: setup.sh SOURCE
set -eu
source=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/bin"
export PATH="$work/bin:$PATH" FAKE="$work"

stand_in() { # NAME BODY
    printf '#!/bin/sh\n%s\n' "$2" >"$work/bin/$1"
    chmod +x "$work/bin/$1"
}
# All that is asked about is installed but what stands in missing.
stand_in dpkg-query 'shift 2
for package in "$@"; do grep -qx "$package" "$FAKE/missing" || echo "installed $package"; done'
stand_in id 'cat "$FAKE/user"'
stand_in apt-get 'echo "$*" >>"$FAKE/asked"
case "$*" in
*"$(cat "$FAKE/fails")"*) echo "E: no such luck" >&2; exit 100 ;;
*--print-uris*) echo "'\''http://x/gcc.deb'\'' gcc.deb 2500000 SHA256:0"; echo "'\''http://x/flex.deb'\'' flex.deb 500000 SHA256:0" ;;
*Status-Fd=3*) for i in 0 50 99; do echo "dlstatus:1:$i.5:Retrieving" >&3; echo "pmstatus:gcc:$i.5:Unpacking" >&3; done ;;
esac'

run() { # STATUS ARGUMENTS: set-up ends so
    wanted=$1
    shift
    : >"$work/asked"
    got=0
    "$source/tools/setup.sh" "$@" >"$work/said" 2>&1 || got=$?
    [ "$got" -eq "$wanted" ] || { cat "$work/said"; echo "setup.sh $*: ends with $got, not $wanted"; exit 1; }
}
says() { # TEXT
    grep -qF -- "$1" "$work/said" || { cat "$work/said"; echo "it does not say '$1'"; exit 1; }
}

echo never >"$work/fails"
echo 0 >"$work/user"
: >"$work/missing"
run 0 tool tests gawk
[ ! -s "$work/said" ] && [ ! -s "$work/asked" ] || { echo "nothing is missing, and yet it works"; exit 1; }

printf 'gcc\nflex\nvalgrind\n' >"$work/missing"
run 0 tool
says 'setup: fetching 2 packages, 3 MB'
says 'setup: fetching, 50 %'
says 'setup: installing, 99 %'
says 'setup: installed gcc flex'
! grep -q valgrind "$work/asked" || { echo "the tool does not need valgrind"; exit 1; }
run 0 tool tests
says 'setup: installed gcc flex valgrind'

for step in update --print-uris Status-Fd; do
    echo "$step" >"$work/fails"
    run 1 tool
    says 'E: no such luck'
done
echo 1000 >"$work/user"
run 1 tests
says 'sudo apt-get update && sudo apt-get install -y --no-install-recommends valgrind'
[ ! -s "$work/asked" ] || { echo "without root it must not call apt-get"; exit 1; }

# A change of what decides on a fresh machine is seen.
mkdir "$work/tree"
(cd "$source" && cp -r Makefile CMakeLists.txt CMakePresets.json tools "$work/tree" &&
    mkdir "$work/tree/tests" && cp tests/CMakeLists.txt "$work/tree/tests")
"$work/tree/tools/fresh.sh" --sum >"$work/tree/tools/fresh.sum"
"$work/tree/tools/fresh.sh" --check >"$work/said"
for file in tools/setup.sh tools/redkettle.pc.in CMakeLists.txt; do
    cp "$work/tree/$file" "$work/kept"
    echo '# changed' >>"$work/tree/$file"
    if "$work/tree/tools/fresh.sh" --check >"$work/said"; then
        echo "a changed $file is not seen"
        exit 1
    fi
    says 'run make fresh'
    cp "$work/kept" "$work/tree/$file"
done
if "$work/tree/tools/fresh.sh" >"$work/said"; then
    echo "fresh.sh must not go on without root"
    exit 1
fi
says 'sudo make fresh'
echo "setup: in order"
