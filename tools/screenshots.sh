#!/bin/sh
# Refreshes docs/screenshots from the demo plant: the demo's figures, and each command's output in a
# terminal window. Needs xvfb, xterm and imagemagick.
set -eu
cd "$(dirname "$0")/.."
tool=$PWD/build/redkettle
shots=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

mkdir -p "$shots"
cd "$work"
"$tool" demo --dir demo >/dev/null
cp demo/inspect.png demo/fit.png demo/trial-rules.png demo/open.png "$shots"

# shot NAME COMMAND [FONT [GEOMETRY]]: what a terminal window shows after the command, as typed in
# the demo's folder.
shot() {
    printf '#!/bin/sh\ncd demo\nPATH="%s:$PATH"\nprintf "\\$ %s\\n\\n"\n%s\ntouch ../done\nsleep 20\n' \
        "$(dirname "$tool")" "$(echo "$2" | sed 's/%/%%/g; s/"/\\"/g')" "$2" >run.sh
    chmod +x run.sh
    rm -f done
    xvfb-run -a -s '-screen 0 1280x800x24' sh -c '
        xterm -geometry '"${4:-116x40}"'+0+0 -fa "DejaVu Sans Mono" -fs '"${3:-13}"' -bg "#fdfdf8" -fg "#202020" -b 12 -e ./run.sh &
        while [ ! -e done ]; do sleep 0.1; done
        sleep 1
        import -window root "'"$shots/$1"'.png"
        kill $!' 2>/dev/null
    convert "$shots/$1.png" -define png:exclude-chunks=date,time "$shots/$1.png"
}

# live COMMAND: its live view, some seconds after the start.
live() {
    printf '#!/bin/sh\ncd demo\nPATH="%s:$PATH"\n%s\n' "$(dirname "$tool")" "$1" >run.sh
    chmod +x run.sh
    xvfb-run -a -s '-screen 0 1280x800x24' sh -c '
        xterm -geometry 112x34+0+0 -fa "DejaVu Sans Mono" -fs 13 -bg "#fdfdf8" -fg "#202020" -b 12 -e ./run.sh &
        sleep 5.5
        import -window root "'"$shots"'/terminal-live.png"
        kill $!' 2>/dev/null
    convert "$shots/terminal-live.png" -define png:exclude-chunks=date,time "$shots/terminal-live.png"
}

shot terminal-bump 'redkettle bump blend-brix.loop --move 5 --back --hold 5min --record test.csv'
shot terminal-fit 'redkettle fit blend-brix.loop'
shot terminal-tune 'redkettle tune blend-brix.loop --mode PI'
shot terminal-search 'redkettle search blend-brix.loop --mode PID --overshoot 5 --settling 100s --ms 1.4'
shot terminal-check 'redkettle check blend-brix.loop --sp 14 --sp 18' 8 180x62
shot terminal-emit 'redkettle emit blend-brix.loop --dir plc; redkettle prove blend-brix.loop --dir plc'
shot terminal-run 'redkettle run blend-brix.loop --for 30min --at 60s sp=12.3 --at 15min manual=40 --soft-start 5min --figure run.png'
shot network 'redkettle demo --network --dir acid' 12 124x39
(cd demo && "$tool" check blend-brix.loop --figure "$shots/frequency.png" >/dev/null &&
    "$tool" tune blend-brix.loop --speed --figure "$shots/speed.png" >/dev/null &&
    "$tool" search blend-brix.loop --kc=-24:-1:0.5 --ti 15:100:2.5 --cost load-iae --figure "$shots/sweep.png" >/dev/null &&
    "$tool" search blend-brix.loop --cost load-iae --effort energy --weigh-effort 0,0.01,0.1,1,10 --figure "$shots/weights.png" >/dev/null)
live 'redkettle run blend-brix.loop --for 10min --at 30s sp=12.2 --at 5min load=-6 --times 100'
# The report, and its workbench with two curves kept.
"$(dirname "$tool")/redkettle-page" --shots "$shots"
ls "$shots"
