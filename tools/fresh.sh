#!/bin/sh
# What a newcomer meets: a minimal Debian with git and make alone, from this machine's own package
# sources; a clone of this repository's last commit in a path with spaces; README's two commands
# as root; then its lines on the library's use, as an ordinary user. Prints times and megabytes.
# Usage: fresh.sh           all that, as root; where it passes, tools/fresh.sum is written
#        fresh.sh --check   has anything that decides on it changed since it passed?
#        fresh.sh --sum     the sum of what decides on it, as it is now
set -eu
cd "$(dirname "$0")/.."
here=$PWD

# Of the files that decide what is installed and linked.
sum() {
    cat Makefile CMakeLists.txt CMakePresets.json tests/CMakeLists.txt tools/*.in tools/*.cmake tools/setup.sh \
        tools/fresh.sh | sha256sum | cut -d ' ' -f 1
}

if [ "${1:-}" = --sum ]; then
    sum
    exit 0
fi
if [ "${1:-}" = --check ]; then
    [ "$(sum)" = "$(cat tools/fresh.sum)" ] || {
        echo "What decides on a fresh machine's set-up has changed since it was last tried:"
        echo "run make fresh, as root, and commit tools/fresh.sum."
        exit 1
    }
    echo "fresh: as it was tried"
    exit 0
fi
[ "$(id -u)" -eq 0 ] || { echo "fresh: only root can make a Debian within this one: sudo make fresh"; exit 1; }
tools/setup.sh mmdebstrap

# The mounts below are seen from here on only, and are gone when this ends.
if [ "${RK_FRESH_APART:-}" != yes ]; then
    exec env RK_FRESH_APART=yes unshare --mount --pid --fork --kill-child "$0"
fi
[ -z "$(git status --porcelain)" ] || echo "fresh: note: what is not committed takes no part"

work=$(mktemp -d /var/tmp/redkettle-fresh.XXXXXX)
root=$work/debian
clone='/root/a red kettle'
leave() {
    umount -R "$root/proc" "$root/dev" 2>/dev/null || true
    rm -rf --one-file-system "$work"
}
trap leave EXIT
trap 'exit 1' INT TERM

# This machine's Debian sources and how it reaches them.
keys=/usr/share/keyrings/debian-archive-keyring.gpg
signed=''
[ ! -e "$keys" ] || signed="[signed-by=$keys] "
sources=$(apt-get indextargets --format '$(ORIGIN) $(REPO_URI) $(RELEASE) $(COMPONENT)' 'Created-By: Packages' |
    sed -n "s,^Debian ,deb $signed,p" | sort -u)
suite=$(. /etc/os-release && echo "$VERSION_CODENAME")
[ -n "$sources" ] || { echo "fresh: apt-get knows no Debian source; run apt-get update"; exit 1; }
apt-config dump | grep -E '^Acquire::(Check-|.*[Pp]roxy)' >"$work/apt.conf" || true

seconds() { # COMMAND...: run it; $took says how long
    began=$(date +%s.%N)
    "$@"
    took=$(awk -v a="$began" -v b="$(date +%s.%N)" 'BEGIN {printf "%.0f", b - a}')
}

make_debian() {
    echo "$sources" | mmdebstrap --quiet --variant=minbase --include=git,make --aptopt="$work/apt.conf" \
        "$suite" "$root" -
    mount -t proc proc "$root/proc"
    mount --rbind /dev "$root/dev"
    mount --make-rslave "$root/dev"
    cp /etc/resolv.conf /etc/hosts "$root/etc/"
}

inside() { # COMMAND: in the fresh Debian
    env -i PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin HOME=/root TERM=dumb \
        chroot "$root" sh -euc "$1"
}

fetched() { # MB of packages fetched so far
    find "$root/var/cache/apt/archives" -name '*.deb' -printf '%s\n' |
        awk '{bytes += $1} END {printf "%.0f", bytes / 1e6}'
}

# Every line as it comes, and when the demo's own first line came.
watch_demo() {
    began=$(date +%s.%N)
    while IFS= read -r line; do
        printf '%s\n' "$line"
        case $line in
        'Red Kettle on the blend'*)
            [ -e "$work/first" ] || awk -v a="$began" -v b="$(date +%s.%N)" 'BEGIN {printf "%.0f", b - a}' >"$work/first" ;;
        esac
    done
}

demo() {
    { inside "cd '$clone' && make demo" 2>&1 || touch "$work/failed"; } | watch_demo >"$work/log"
}

tests() {
    inside "cd '$clone' && make test" >"$work/log" 2>&1 || touch "$work/failed"
}

passed() { # WHAT: or say why not and end
    [ ! -e "$work/failed" ] || {
        awk '/\*\*\*/ {left = 12} left-- > 0' "$work/log"
        tail -n 20 "$work/log"
        echo "fresh: $1 FAILED"
        exit 1
    }
}

echo "fresh: a minimal Debian $suite with git and make"
make_debian
git bundle create --quiet "$root/root/repository" HEAD
inside "git -c advice.detachedHead=false clone --quiet /root/repository '$clone' && cd '$clone' && rm tools/fresh.sum"
# What is tried is the clone, so its files make the sum, and its own test of it passes.
"$root$clone/tools/fresh.sh" --sum >"$work/sum"
cp "$work/sum" "$root$clone/tools/fresh.sum"

rm -f "$root"/var/cache/apt/archives/*.deb
seconds demo
passed 'make demo'
[ -e "$work/first" ] || { cat "$work/log"; echo "fresh: make demo never came to its first line"; exit 1; }
grep '^setup: ' "$work/log"
demo_mb=$(fetched)
echo "fresh: make demo: first output of the demo after $(cat "$work/first") s, done after $took s; $demo_mb MB of packages"

seconds tests
passed 'make test'
grep -E 'tests passed|Total Test time' "$work/log"
echo "fresh: make test: $took s; $(($(fetched) - demo_mb)) MB of packages"

# The library, as README says, by somebody who has no rights here.
inside "cd '$clone' && make install >/dev/null && useradd --create-home plant &&
    cp examples/fit_and_tune.c /home/plant/main.c && cp data/blend-brix.csv /home/plant"
cat >"$root/home/plant/CMakeLists.txt" <<'END'
cmake_minimum_required(VERSION 3.20)
project(user LANGUAGES C)
find_package(redkettle REQUIRED)
add_executable(by_cmake main.c)
target_link_libraries(by_cmake PRIVATE redkettle::redkettle)
END
as_user() { # WHAT COMMAND
    inside "su - plant -c '$2'" >"$work/log" 2>&1 || touch "$work/failed"
    passed "$1"
}
# shellcheck disable=SC2016
for line in 'cc main.c $(pkg-config --cflags --libs redkettle)' \
    'cc main.c $(pkg-config --static --cflags --libs redkettle)' \
    'cmake -S . -B by && cmake --build by && cp by/by_cmake a.out'; do
    as_user "$line" "rm -f a.out && $line && ./a.out blend-brix.csv timestamp FV210.OUT_pct AT210.PV_degBx"
    grep -q 'gain margin 3.14' "$work/log" || { cat "$work/log"; echo "fresh: '$line' gives another result"; exit 1; }
    echo "fresh: as an ordinary user: $line"
done
grep -qF 'cc main.c $(pkg-config --cflags --libs redkettle)' "$root$clone/README.md" ||
    { echo "fresh: README shows another line for pkg-config"; exit 1; }

cp "$work/sum" "$here/tools/fresh.sum"
echo "fresh: passed; commit tools/fresh.sum if it changed"
