#!/bin/sh
# Code and RAM of every block of the device tier on small machines, -Os. Says so and fails if a
# target is missed. Usage: size.sh [--check]: with it only the targets are looked at.
set -eu
cd "$(dirname "$0")/.."
check=${1:-}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
bad=0

arm=arm-none-eabi
riscv=riscv64-unknown-elf
m0='-mcpu=cortex-m0plus -mthumb'
m4f='-mcpu=cortex-m4 -mthumb -mfloat-abi=hard -mfpu=fpv4-sp-d16'
rv32='-march=rv32imac -mabi=ilp32'
strict='-std=c11 -Os -ffreestanding -ffp-contract=off -Wall -Wextra -Wpedantic -Wconversion
-Wdouble-promotion -Wshadow -Werror'

# build MACHINE COMPILER FLOAT OPTIONS: every block's object in $work/MACHINE-FLOAT
build() {
    into=$work/$1-$3
    mkdir -p "$into"
    for source in src/device/*.c; do
        # shellcheck disable=SC2086
        $2-gcc $4 $strict -DRK_CFG_FLOAT="$3" -Iinclude -c "$source" \
            -o "$into/$(basename "$source" .c).o"
    done
}

# A struct's size is that of an array in an object.
ram() {
    {
        for block in $blocks; do
            echo "#include <redkettle/device/$block.h>"
            echo "char size_of_$block[sizeof(rk_$block)];"
        done
    } >"$work/ram.c"
    # shellcheck disable=SC2086
    $arm-gcc $m4f -std=c11 -ffreestanding -DRK_CFG_FLOAT="$1" -Iinclude -c "$work/ram.c" \
        -o "$work/ram-$1.o"
    $arm-nm -S "$work/ram-$1.o" >"$work/ram-$1.txt"
}

ram_of() {
    printf '%d' "0x$(awk -v name="size_of_$2" '$4 == name {print $2}' "$work/ram-$1.txt")"
}

code_of() {
    $2-size "$work/$1/$3.o" | awk 'NR == 2 {print $1}'
}

# What emit writes as C for all loops, with what it has of rk_loop: alarms, failures, any settings.
emitted() {
    printf '[loop]\nscan = 1s\n[out]\nlow = 0\nhigh = 100\n[settings]\nkc = 1\nti = 10s\n' >"$work/x.loop"
    printf '%-10s' emitted
    for machine in "m0:$arm:$m0" "m4f:$arm:$m4f" "rv32:$riscv:$rv32"; do
        for real in real lreal; do
            name=loop_controller
            [ $real = lreal ] || name=loop_controller_real
            [ -e "$work/$real/$name.c" ] ||
                build/redkettle emit "$work/x.loop" --dir "$work/$real" --to c --real $real >/dev/null 2>&1
            compiler=${machine#*:}
            # shellcheck disable=SC2086
            ${compiler%%:*}-gcc ${compiler#*:} -std=c99 -Os -ffreestanding -ffp-contract=off -Wall -Werror \
                -c "$work/$real/$name.c" -o "$work/$name.o"
            printf ' %9s' "$(${compiler%%:*}-size "$work/$name.o" | awk 'NR == 2 {print $1}')"
        done
    done
    for place in real/loop_controller_real lreal/loop_controller; do
        name=${place#*/}
        printf '#include "%s.h"\nchar size_of[sizeof(%s)];\n' $name $name >"$work/y.c"
        # shellcheck disable=SC2086
        $arm-gcc $m4f -I"$work/${place%/*}" -c "$work/y.c" -o "$work/y.o"
        printf ' %9d' "0x$($arm-nm -S "$work/y.o" | awk '$4 == "size_of" {print $2}')"
    done
    printf '   (loop_controller.c, for all loops)\n'
}

blocks='pid plant predictor ramp filter relay on_off pwm valve noise loop'
build m4f $arm 1 "$m4f"
ram 1

if [ "$check" != --check ]; then
    build m4f $arm 0 "$m4f"
    ram 0
    for float in 0 1; do
        build m0 $arm $float "$m0"
        build rv32 $riscv $float "$rv32"
    done
    echo 'Code in bytes (-Os, constants included) and RAM in bytes for settings and state together:'
    printf '%-10s %18s %18s %18s %18s\n' '' 'Cortex-M0+' 'Cortex-M4F' 'RV32IMAC' 'RAM'
    printf '%-10s' block
    for i in 1 2 3 4; do printf ' %9s %8s' float double; done
    echo
    for block in $blocks; do
        printf '%-10s' "$block"
        for machine in m0:$arm m4f:$arm rv32:$riscv; do
            for float in 1 0; do
                printf ' %9s' "$(code_of "${machine%%:*}-$float" "${machine#*:}" "$block")"
            done
        done
        printf ' %9s %8s\n' "$(ram_of 1 "$block")" "$(ram_of 0 "$block")"
    done
    emitted
    printf '%-11s %8s   (the texts that say what is wrong; left out unless used)\n' param_error \
        "$(code_of m4f-1 $arm param_error)"
fi

# Without the schemes that few need, as a small target would build it.
# shellcheck disable=SC2086
$arm-gcc $m4f $strict -DRK_CFG_FLOAT=1 -DRK_CFG_PID_SCHEMES=0 -Iinclude -c src/device/pid.c \
    -o "$work/m4f-1/pid_plain.o"
code=$(code_of m4f-1 $arm pid_plain)
[ "$code" -lt 2347 ] || { echo "the controller takes $code bytes of code on a Cortex-M4F: 2347 are too many"; bad=1; }
held=$(ram_of 1 pid)
[ "$held" -lt 256 ] || { echo "the controller takes $held bytes of RAM in float: 256 are too many"; bad=1; }
helpers=$($arm-nm -u "$work"/m4f-1/*.o | awk 'NF == 2 {print $2}' | sort -u |
    grep -vE '^(rk_|mem(cpy|set|move|cmp)$)' || true)
[ -z "$helpers" ] || { echo "the float build on a Cortex-M4F needs" $helpers; bad=1; }

[ $bad -eq 0 ] && echo "size: the controller takes $code bytes of code ($(code_of m4f-1 $arm pid) with RK_CFG_PID_SCHEMES 1) and $held of RAM on a Cortex-M4F in float"
exit $bad
