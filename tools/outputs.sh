#!/bin/sh
# What the tool says and writes, command by command, on the demo plant: to be stored before a
# change that shall change nothing, and compared after it.
# Usage: outputs.sh TOOL DIRECTORY    then: diff -r BEFORE AFTER
set -eu
tool=$(realpath "${1:?the tool}")
data=$(realpath "$(dirname "$0")/../data")
mkdir -p "${2:?a directory for the outputs}"
into=$(realpath "$2")
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cp "$data"/*.loop "$data"/*.csv "$work"
cp -r "$data/records" "$work"
cd "$work"
step=0

# say ARGUMENTS: a command's two streams and its exit status.
say() {
    step=$((step + 1))
    name=$(printf '%02d-%s' $step "$1")
    status=0
    "$tool" "$@" >"$into/$name.out" 2>"$into/$name.err" </dev/null || status=$?
    { printf 'redkettle'; printf ' %s' "$@"; printf '\nexit status %d\n' $status; } >"$into/$name.what"
}

l=blend-brix.loop
say bump $l --move 5 --back --hold 5min --record test.csv
say bump $l --relay 3 --record relay.csv --json
say inspect $l --figure inspect.svg
say inspect $l --json
say inspect records/staircase.csv
say fit $l --json
say fit $l --by-move
say fit $l --figure fit.svg --save
for record in records/*.csv; do say fit "$record"; done
say fit $l --compare sopdt
say tune $l --mode PI --sort ms
say tune $l --json
say tune $l --speed --figure speed.svg
say tune $l --rule simc --save
say tune $l --forms
say tune --gain 0.5 --dead-time 8 --kind ipdt --mode PID --json
say search $l --mode PID --overshoot 5 --settling 100s --ms 1.4
say search $l --cost both-iae --weigh-effort 0.05 --over worst --json
say search $l --kc=-24:-1:1 --ti 15:100:5 --cost load-iae --figure sweep.svg --runs runs.csv
say search $l --settling 5s
say check $l --sp 14 --sp 18
say check $l --json
say check $l --delay-scans 1 --task 200ms --figure frequency.svg
say check --gain -0.118 --time-constant 46.5s --dead-time 17.4s --kc -11.3 --ti 0.77 --minutes
say trial $l --sp-step 0.5 --load-step 6 --case "calm: rule=lambda lambda=52s" --figure trial.svg --curves trial.csv
say trial $l --plant --case "on/off: on-off=0.1" --case "predictor: kc=-20 ti=46 predictor=yes" --json
say trial $l --sp-step 0.5 --case "continuous: scan=continuous" --case "forward: integral-by=forward"
say trial $l --open-step 5 --figure open.svg
say emit $l --dir plc
say emit $l --show
say emit $l --dir plc-single --real real --json
say emit $l --dir small --slim --real fixed
say prove $l --dir small
say prove $l --dir plc --curves twin.csv
say prove $l --dir plc-single --json
say run $l --for 30min --at '60s sp=12.3' --at '15min manual=40' --soft-start 5min --figure run.svg --record run.csv
say run $l --for 20min --at '60s sp=12.3' --at '5min load=3' --json
say demo --dir demo
for command in inspect bump fit tune search check trial emit prove run demo; do say $command --help; done
say --help
mkdir "$into/files"
for file in *; do case $file in records | *.png) ;; *) cp -r "$file" "$into/files" ;; esac; done
find "$into/files" -name '*.png' -delete
echo "outputs: $step commands in $into"
