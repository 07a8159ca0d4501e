#!/bin/sh
# Sets up what is missing, makes Obbligato by itself, and shows what it is for on the bell
# tower in examples/carillon.
set -eu
cd "$(dirname "$0")"
. ./setup.sh

say() { printf '\n\033[1m# %s\033[0m\n' "$*"; }
show() { printf '$ obbligato %s\n' "$*"; "$obbligato" "$@"; }

# A store and downloads of the demo's own, so that it shows the same every time.
OBBLIGATO_STORE=$PWD/out/demo/store
XDG_CACHE_HOME=$PWD/out/demo/cache
export OBBLIGATO_STORE XDG_CACHE_HOME
rm -rf out/demo

say "bootstrap: a C compiler makes a first obbligato, which builds the real one"
./bootstrap.sh
out/bootstrap/host.release/bin/obbligato build -q obbligato obbligato-fetch obbligato-pack obbligato-transfer obbligato-worker practice-board -c release
obbligato=$PWD/out/host.release/bin/obbligato

demo=$PWD/out/demo/carillon
mkdir -p "$demo"
cp -R examples/carillon/. "$demo"
cd "$demo"

say "what the bell tower's description says"
show show targets
say "the machines it is for, and what this one has to build for them"
show show platforms
say "a whole season in one run: two configurations for this machine, three boards, the tower's computer"
show build --lineup season
say "again: there is nothing to do, and it is said at once"
show build --lineup season
say "a tune on the simulated tower; then on the tower's own computer, in an emulator"
show run tower-sim -- tunes/vespers.tune
show run tower-sim --variant tower-a64.release -- tunes/vespers.tune
say "the same by a plug-in, which is found beside the program: leather on the clappers"
show run tower-sim -- --manner muffled tunes/noon.tune
say "the striker firmware on both boards, in emulators: start code, interrupts, telemetry"
show run striker -p striker-m3 -c release
show run striker --variant striker-rv.release+board=rev-a
say "tests: on this machine, on the tower's computer and on both boards, in emulators"
show test --lineup season
say "loading a board: a simulated one, with its flash memory in a file"
../../host.release/bin/practice-board bench.socket bench.flash &
board=$!
trap 'kill $board 2>/dev/null' EXIT
sleep 0.3
show probe bench
show load striker-image --variant striker-m3.release
show probe bench
out/host.release/bin/link read 0 "$(wc -c < out/striker-m3.release/img/striker-image.bin)" back.bin
cmp back.bin out/striker-m3.release/img/striker-image.bin && echo "what is read back is the image, byte for byte"
say "a debugger on the firmware, which waits for it in the emulator"
show debug striker --variant striker-m3.debug --order 'break strike_bell' --order continue --order backtrace --batch
say "how full the board is, and of what"
show size striker --variant striker-m3.release
say "the whole memory of a new board: firmware and tunes, at the addresses of its regions"
show build board-kit --variant striker-m3.release
show size board-kit --variant striker-m3.release
say "the firmware on every board, a row each"
show size striker --lineup season
say "the same with the small C library: what it saves"
show size striker --variant striker-m3.release+libc=newlib-nano+telemetry=full --against striker-m3.release
say "two boards side by side"
show compare striker-m3.release striker-rv.release striker
say "who includes whom, known before anything is compiled"
show scan --tree strike/strike.c
say "a header is edited: what is made again, for every machine, and why"
sed -i 's/FADE_KEEP   241/FADE_KEEP   230/' strike/include/strike/detail/fade.h
show build --lineup season
say "only its time stamp changes: nothing is made"
touch strike/include/strike/detail/fade.h
show build --lineup season
say "why was it made?"
show why strike
say "the bells fade sooner now"
show run tower-sim -c release -- tunes/vespers.tune
say "code of others is part of the graph: built for each machine like all else, and an edit inside is seen"
show show thirdparty
sed -i 's/%lu:%02lu/%lu min %02lu/' vendor/ruler/ruler.c
show build --lineup season
show run tune-list -- tunes/vespers.tune tunes/noon.tune
say "an archive and a repository of others, which an index offers: fetched, patched, and built for every machine"
sh ../../../examples/others/make ../others
cp -R ../../../examples/others/tower/. . && echo 'read others.score' >> obbligato.score
show build sexton almanac --lineup season
show show thirdparty
show show thirdparty --why reckon
cat obbligato.lock
show run sexton -- -30 0 760
show run sexton --variant tower-a64.release -- -30 0 760
say "fetched code is edited in place: the edit is seen, and becomes a patch"
sed -i 's/: 12;/: 1;/' out/thirdparty/almanac-2.0/src/almanac.c
show build sexton almanac --lineup season
show show thirdparty
show patch almanac
say "what of others is in a program, for whoever must know"
show export sbom sexton -c release > sexton.spdx.json
grep -e '"name"' -e relationshipType -e licenseDeclared sexton.spdx.json
say "what goes out: for the tower's computer, for developers, for whoever has a board"
show show deliveries -c release
say "installed into a folder: the programs run there, and find their library and their plug-in"
show install -c release --prefix "$PWD/../installed" -q
../installed/bin/tower-sim --manner muffled ../installed/share/carillon/tunes/noon.tune
../installed/bin/tune-list ../installed/share/carillon/tunes/noon.tune
say "what another build needs of it is in its metadata; then all of it goes, and nothing stays"
cat ../installed/lib/*/strike.pc
show uninstall --prefix "$PWD/../installed"
if test -e ../installed; then echo "something stayed in ../installed"; exit 1; fi
say "a Debian package for this machine and for the tower's computer, and the kit for both boards, in one run"
show pack tower --variant host.release --variant tower-a64.release --as deb --as run
show pack striker-kit --variant striker-m3.release --variant striker-rv.release+board=rev-a --as tar.gz
dpkg-deb -f out/packages/tower_1.3.0_arm64.deb Package Architecture Depends 2> /dev/null || true
tar tzf out/packages/striker-kit-1.3.0-striker-m3.tar.gz
say "another checkout of the same: what was compiled before is taken from the store"
cp -R . ../again && rm -rf ../again/out
show fetch -C ../again --offline --locked
show build -C ../again --lineup season -q
show show store

say "a tree without a description: one is drafted from the sources, and says what it could not know"
cp -R . ../plain && rm -rf ../plain/out && find ../plain -name '*.score' -delete
show draft ../plain
cat ../plain/obbligato.score
show build -k -C ../plain || echo "(what is left are boards that only the description knew)"

say "what the builds did, what headers cost, what takes memory, how tests ended: a page for a browser"
show report

# A farm: two machines in network namespaces of their own, with no compiler in sight, where namespaces may be made.
farm=$PWD/../farm
mark=$$
mkdir -p "$farm"
machine() {
    ip netns add "obb-$mark-$1" && ip link add "obb$1-$mark" type veth peer name "obb$1p$mark" netns "obb-$mark-$1" &&
        ip addr add "10.213.$1.1/24" dev "obb$1-$mark" && ip link set "obb$1-$mark" up &&
        ip netns exec "obb-$mark-$1" sh -c "ip addr add 10.213.$1.2/24 dev obb$1p$mark && ip link set obb$1p$mark up && ip link set lo up" &&
        ip netns exec "obb-$mark-$1" bwrap --unshare-all --dev-bind / / true
}
leave() {
    kill $board $(cat "$farm"/*.pid 2> /dev/null) 2> /dev/null
    for n in 1 2; do ip netns del "obb-$mark-$n" 2> /dev/null; done
    return 0
}
trap leave EXIT
say "more than one machine: two that lend a hand, without a compiler, behind a password, with keys on both sides"
if machine 1 2> /dev/null && machine 2 2> /dev/null; then
    port=$((20000 + mark % 12000))
    redis-server --port $port --bind 127.0.0.1 10.213.1.1 10.213.2.1 --requirepass bells --save '' --daemonize yes \
        --dir "$farm" --pidfile "$farm/server.pid" > /dev/null
    asked() { redis-cli -p "$port" -a bells --no-auth-warning --raw "$@" 2> /dev/null; }
    for wait in $(seq 100); do [ "$(asked ping)" = PONG ] && break; sleep 0.1; done
    export XDG_CONFIG_HOME
    for who in helper builder; do
        XDG_CONFIG_HOME=$farm/$who
        show keys $who
    done
    for n in 1 2; do
        OBBLIGATO_FARM=redis://:bells@10.213.$n.1:$port OBBLIGATO_TRUST=$(cat "$farm/builder/obbligato/keys/builder.public") \
            XDG_CONFIG_HOME=$farm/helper XDG_CACHE_HOME=$farm/cache-$n ip netns exec "obb-$mark-$n" \
            bwrap --die-with-parent --dev-bind / / --tmpfs /usr/lib/gcc --tmpfs /usr/include "$obbligato" worker -q -j 2 &
        echo $! > "$farm/worker-$n.pid"
    done
    for wait in $(seq 100); do [ "$(asked keys '*:worker:*' | wc -l)" -ge 2 ] && break; sleep 0.1; done
    OBBLIGATO_FARM=redis://:bells@127.0.0.1:$port
    OBBLIGATO_TRUST="$(cat "$farm/helper/obbligato/keys/helper.public") $(cat "$farm/builder/obbligato/keys/builder.public")"
    OBBLIGATO_STORE=$farm/store
    export OBBLIGATO_FARM OBBLIGATO_TRUST
    show show farm
    show build -C ../again --lineup season -o "$farm/out" -j 1
    say "another machine of the same house builds the same: everything is there, or is made by the others"
    OBBLIGATO_STORE=$farm/other
    show build -C ../again --lineup season -o "$farm/out-2" -q
    show show farm
    OBBLIGATO_FARM=
    OBBLIGATO_STORE=off
    mv "$farm/out" "$farm/made"
    show build -C ../again --lineup season -q -o "$farm/out"
    (cd "$farm/out" && find . -name .obbligato -prune -o -name thirdparty -prune -o -type f -print) | while read -r f; do
        cmp "$farm/out/$f" "$farm/made/$f" || exit 1
    done
    echo "the farm has made the same bytes as this machine, for all six variants"
else
    echo "(network namespaces cannot be made here: docs/farm.md shows how it is set up)"
fi
printf '\nThe demo is in %s\n' "$demo"
