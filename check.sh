#!/bin/sh
# Sets up what is missing, builds Obbligato by itself, and passes all tests.
# The last line is `N passed, N failed, N skipped`.
set -eu
cd "$(dirname "$0")"
. ./setup.sh
# Everything runs with the store on, as users have it; this one is empty at first.
OBBLIGATO_STORE=$(mktemp -d)
export LC_ALL=C OBBLIGATO_STORE
unset CC CXX AR NASM OBBLIGATO_OUT OBBLIGATO_JOBS OBBLIGATO_METADATA 2>/dev/null || true

# Tests make and remove thousands of small files. In memory, torture takes a tenth of the time when the disk is slow;
# it is used where there is a gigabyte of it, and programs may run there.
memory=/dev/shm
room=$(df -Pk $memory 2>/dev/null | awk 'NR == 2 { print $4 }')
if [ "${room:-0}" -gt 1000000 ] && probe=$(mktemp -p $memory 2>/dev/null); then
    printf '#!/bin/sh\nexit 0\n' > "$probe"
    chmod +x "$probe"
    if "$probe" 2> /dev/null; then export TMPDIR=$memory; fi
    rm -f "$probe"
fi

log=$(mktemp)
aside=$(mktemp -d)
passed=0
failed=0
skipped=0

# Runs one test program, shows what it says and how long it took, and adds its last line to the sum.
suite() {
    printf '\n== %s\n' "$*"
    code=0
    began=$(date +%s)
    "$@" > "$log" 2>&1 || code=$?
    count "$(($(date +%s) - began))"
}

# A test program that runs beside the others; `beside_ended` waits for all of these and counts them in.
beside() {
    name=$1
    shift
    (
        code=0
        began=$(date +%s)
        "$@" > "$aside/$name" 2>&1 || code=$?
        echo "$code $(($(date +%s) - began)) $*" > "$aside/$name.end"
    ) &
}

beside_ended() {
    wait
    for end in "$aside"/*.end; do
        read -r code took command < "$end"
        printf '\n== %s\n' "$command"
        cp "${end%.end}" "$log"
        count "$took"
    done
}

count() {
    cat "$log"
    last=$(tail -n 1 "$log")
    echo "($1 s)"
    case $last in
    *" passed, "*" failed, "*" skipped")
        p=${last%% passed,*}
        f=${last##*passed, }
        f=${f%% failed*}
        k=${last##*failed, }
        k=${k%% skipped}
        passed=$((passed + p))
        failed=$((failed + f))
        skipped=$((skipped + k))
        [ "$code" -eq 0 ] || [ "$f" -gt 0 ] || failed=$((failed + 1)) ;;
    *)
        echo "ended with status $code and without a last line"
        failed=$((failed + 1)) ;;
    esac
}

# One thing that must succeed, counted as a test.
must() {
    what=$1
    shift
    if "$@"; then
        passed=$((passed + 1))
    else
        failed=$((failed + 1))
        echo "FAILED  $what"
    fi
}

./bootstrap.sh
first=out/bootstrap/host.release/bin/obbligato
program=out/host.release/bin/obbligato
$first build -q obbligato obbligato-fetch obbligato-pack obbligato-transfer obbligato-worker practice-board -c release
$first build -q tests -c debug
$first build -q unit-tests obbligato obbligato-fetch obbligato-pack obbligato-transfer obbligato-worker practice-board -c checked
$first build -q obbligato obbligato-fetch obbligato-pack -c raced

printf '\n== built by itself\n'
cp $program out/itself
./out/itself clean -q -c release
./out/itself build -q obbligato obbligato-fetch obbligato-pack obbligato-transfer obbligato-worker practice-board -c release
must "it builds itself with identical bytes" cmp out/itself $program
must "bootstrap.sh makes the same program" cmp $first $program
./out/itself export shell-script obbligato -c release -o out/bootstrap > out/bootstrap.sh
must "bootstrap.sh is what export writes" cmp out/bootstrap.sh bootstrap.sh
rm -f out/itself out/bootstrap.sh
$program build -q
must "its descriptions are laid out" $program format --check -q
must "a second build has nothing to do" sh -c "$program build | grep -q '^nothing to do'"

printf '\n== the demo, for all its machines\n'
demo=$PWD/out/check-demo
obbligato=$PWD/$program
rm -rf "$demo"
cp -R examples/carillon "$demo"
must "a lineup of six variants builds with one command" "$obbligato" build -q -C "$demo" --lineup season
must "the second run does nothing" sh -c "'$obbligato' build -C '$demo' --lineup season | grep '^nothing to do.*6 variants'"
nano=striker-m3.release+libc=newlib-nano+telemetry=full
for variant in striker-m3.release $nano striker-rv.release+board=rev-a; do
    timeout 60 "$obbligato" run striker -C "$demo" --variant $variant > "$log" 2>/dev/null || echo "exit $?" >> "$log"
    must "the firmware plays its tune in the emulator ($variant)" grep '^done      4600   7    13' "$log"
    prefix=arm-none-eabi
    case $variant in striker-rv*) prefix=riscv64-unknown-elf ;; esac
    for form in bin:binary hex:ihex srec:srec; do
        (cd "$demo" && $prefix-objcopy -O ${form#*:} --gap-fill 0xff out/$variant/bin/striker striker-image.${form%:*})
        must "its image is the object copier's (${form%:*}, $variant)" \
            cmp "$demo/striker-image.${form%:*}" "$demo/out/$variant/img/striker-image.${form%:*}"
    done
done
"$obbligato" run tower-sim -C "$demo" -c release -- tunes/noon.tune > "$log"
must "the tower's computer plays as this machine does" sh -c "'$obbligato' run tower-sim -C '$demo' --variant tower-a64.release -- tunes/noon.tune | cmp - '$log'"
"$obbligato" test -C "$demo" --lineup season --tap "$log" > /dev/null 2>&1 || true
must "its tests pass on this machine, the tower's computer and both boards" sh -c "grep -q '^1..24' '$log' && ! grep -q '^not ok' '$log'"
"$obbligato" build -q -C "$demo" tune-table -p striker-m3 -p striker-rv -c debug -c release -c profile

# Scenarios that mostly wait, for servers and for compilers that sleep, are played beside the others.
waiting="tests/cli/far.scenario tests/cli/farm.scenario tests/cli/farm_faults.scenario tests/cli/fetch.scenario"
others=$(for f in tests/cli/*.scenario; do case " $waiting " in *" $f "*) ;; *) echo "$f" ;; esac; done)
beside waiting out/host.debug/bin/scenarios $program $waiting

# Thousands of edits with a compiler that takes a millisecond, while the rest is tested.
beside edits out/host.debug/bin/torture $program 20261123 "${TORTURE_QUICK_EDITS:-2000}" out/host.debug/bin/quick-compiler

suite tests/layers/check
suite out/host.debug/bin/unit-tests
suite out/host.debug/bin/scenarios $program $others
suite out/host.debug/bin/faults $program 37 out/host.debug/bin/quick-compiler
suite out/host.debug/bin/oracle tests/oracle "$demo" -c release .
CC=clang CXX=clang++ suite out/host.debug/bin/oracle "$demo" -c debug .
riddles=$(mktemp -d)
out/host.debug/bin/riddles "$riddles" 20261125 60
suite out/host.debug/bin/oracle -l 200 "$riddles"
rm -rf "$demo" "$riddles"

# All scenarios again under AddressSanitizer (with leaks) and UndefinedBehaviorSanitizer, while the rest is tested: in two
# halves, since they are what takes longest.
beside checked out/host.debug/bin/scenarios out/host.checked/bin/obbligato $(printf '%s\n' $others | sed -n 'p;n')
beside checked-too out/host.debug/bin/scenarios out/host.checked/bin/obbligato $(printf '%s\n' $others | sed -n 'n;p')
beside checked-waiting out/host.debug/bin/scenarios out/host.checked/bin/obbligato $waiting

store=$(mktemp -d)
TORTURE_STORE=$store suite out/host.debug/bin/torture $program 20261123 "${TORTURE_EDITS:-50}"
rm -rf "$store"

# With a farm: its server and its worker are killed, its entries spoilt.
TORTURE_FAR=$PWD/tests/servers/objects suite out/host.debug/bin/torture $program 31 30

# Under the same sanitizers.
suite out/host.checked/bin/unit-tests
suite out/host.debug/bin/torture out/host.checked/bin/obbligato 7 25
edited=$(mktemp -d)
printf 'project p { version 1 }\n' > "$edited/obbligato.score"
must "an editor's messages, changed at random, are answered" sh -c "cd '$edited' && '$PWD/out/host.debug/bin/frames' mutate 20261127 3000 \
    < '$PWD/tests/editor/messages' | '$PWD/out/host.checked/bin/obbligato' language-server > '$log'"
rm -rf "$edited"
hostile=$(mktemp -d)
out/host.debug/bin/hostile-archives "$hostile"
suite out/host.debug/bin/archive-mutants out/host.checked/bin/obbligato-fetch "$hostile" 20261126 200
rm -rf "$hostile"

# And under ThreadSanitizer: a part is taken while other threads look at the files.
suite out/host.debug/bin/torture out/host.raced/bin/obbligato 11 60 out/host.debug/bin/quick-compiler

# Both compilers, with warnings as errors.
printf '\n== warnings are errors\n'
for cc in gcc clang; do
    must "no warning from $cc" sh -c "find src -name '*.c' | xargs -P 2 -n 20 $cc -fsyntax-only -Werror -std=c11 \
        -Wall -Wextra -Wpedantic -Wshadow -Wconversion -D_POSIX_C_SOURCE=200809L -Isrc -Iout/host.release/gen"
done

beside_ended

rm -f "$log"
rm -rf "$aside"
rm -rf "$OBBLIGATO_STORE"
printf '\n%d passed, %d failed, %d skipped\n' "$passed" "$failed" "$skipped"
[ "$failed" -eq 0 ]
