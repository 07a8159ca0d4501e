# Installs what is missing (Debian packages, when allowed to); read by demo.sh and check.sh.
# Elsewhere it says what to install.
# What builds obbligato itself; then the compilers and emulators of the demo and the tests.
packages="gcc g++ clang nasm libpopt-dev libuv1-dev libsqlite3-dev libxxhash-dev libjansson-dev libelf-dev nettle-dev
libcurl4-openssl-dev libarchive-dev libhiredis-dev libsodium-dev redis-server bubblewrap git nginx-light openssl
gcc-arm-none-eabi libnewlib-arm-none-eabi gcc-riscv64-unknown-elf picolibc-riscv64-unknown-elf
gcc-aarch64-linux-gnu g++-aarch64-linux-gnu gcc-mingw-w64-x86-64 gcc-avr avr-libc sdcc
qemu-system-arm qemu-system-misc qemu-user gdb gdb-multiarch busybox
node-d3 chromium chromium-driver
lintian zsh fish neovim man-db groff-base bsdextrautils"

missing_packages() {
    for p in $packages; do
        dpkg-query -W -f '${Status}\n' "$p" 2>/dev/null | grep -q 'ok installed' || printf '%s ' "$p"
    done
}

if command -v dpkg-query >/dev/null 2>&1; then
    missing=$(missing_packages)
    if [ -n "$missing" ]; then
        as_root=
        [ "$(id -u)" -eq 0 ] || as_root="sudo -n"
        echo "installing: $missing"
        $as_root apt-get update -q >/dev/null 2>&1 || true
        DEBIAN_FRONTEND=noninteractive $as_root apt-get install -q -y --no-install-recommends $missing >/dev/null || {
            echo "cannot install these Debian packages: $missing" >&2
            echo "install them, then run this again" >&2
            exit 4
        }
    fi
else
    for tool in cc c++ clang nasm arm-none-eabi-gcc riscv64-unknown-elf-gcc aarch64-linux-gnu-g++ \
        x86_64-w64-mingw32-gcc avr-gcc sdcc qemu-system-arm qemu-system-riscv32 qemu-aarch64 gdb gdb-multiarch git nginx openssl redis-server bwrap; do
        command -v $tool >/dev/null 2>&1 || { echo "install $tool, then run this again" >&2; exit 4; }
    done
    for header in popt.h uv.h sqlite3.h xxhash.h jansson.h libelf.h nettle/sha2.h curl/curl.h archive.h hiredis/hiredis.h sodium.h; do
        printf '#include <%s>\n' $header | cc -E -x c - >/dev/null 2>&1 || {
            echo "install the library that has $header (popt, libuv, SQLite 3, xxHash, Jansson, elfutils, Nettle, libcurl, libarchive, hiredis, libsodium), then run this again" >&2
            exit 4
        }
    done
    sh packaging/charts /dev/null /dev/null || exit 4
fi
