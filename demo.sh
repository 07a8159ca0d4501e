#!/bin/sh
# Sets up what is missing, makes Obbligato by itself, and shows what it is for on the bell
# tower in examples/carillon.
set -eu
cd "$(dirname "$0")"
. ./setup.sh

say() { printf '\n\033[1m# %s\033[0m\n' "$*"; }
show() { printf '$ obbligato %s\n' "$*"; "$obbligato" "$@"; }

say "bootstrap: a C compiler makes a first obbligato, which builds the real one"
./bootstrap.sh
out/bootstrap/host.release/bin/obbligato build -q obbligato -c release
obbligato=$PWD/out/host.release/bin/obbligato

demo=$PWD/out/demo/carillon
rm -rf "$demo"
mkdir -p "$demo"
cp -R examples/carillon/. "$demo"
cd "$demo"

say "what the bell tower's description says"
show show targets
say "both configurations, side by side in one run"
show build -c debug -c release
say "again: there is nothing to do, and it is said at once"
show build -c debug -c release
say "a tune on the simulated tower"
show run tower-sim -- tunes/vespers.tune
say "who includes whom, known before anything is compiled"
show scan --tree strike/strike.c
say "a header is edited: what is made again, and why"
sed -i 's/FADE_KEEP   241/FADE_KEEP   230/' strike/include/strike/detail/fade.h
show build -c debug -c release
say "only its time stamp changes: nothing is made"
touch strike/include/strike/detail/fade.h
show build -c debug -c release
say "why was it made?"
show why strike
say "the bells fade sooner now"
show run tower-sim -c release -- tunes/vespers.tune
printf '\nThe demo is in %s\n' "$demo"
