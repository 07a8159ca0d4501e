#!/bin/sh
# Builds obbligato 0.4.0 without obbligato; written by obbligato export shell-script.
set -e
CDPATH= cd -- "$(dirname -- "$0")"
if [ -n "${CC:-}" ]; then run_CC() { $CC "$@"; }
else run_CC() { cc "$@"; }
fi
if [ -n "${AR:-}" ]; then run_AR() { $AR "$@"; }
else run_AR() { ar "$@"; }
fi
mkdir -p out/bootstrap/host.release/gen
printf %s '/* The resources of obbligato; written by obbligato. A NUL stands behind the bytes of each. */
#pragma once
#include <stddef.h>
#ifdef __cplusplus
extern "C" {
#endif
extern const unsigned char language_md[];
extern const size_t language_md_size;
extern const unsigned char builds_js[];
extern const size_t builds_js_size;
extern const unsigned char images_js[];
extern const size_t images_js_size;
extern const unsigned char lists_js[];
extern const size_t lists_js_size;
extern const unsigned char memory_js[];
extern const size_t memory_js_size;
extern const unsigned char model_js[];
extern const size_t model_js_size;
extern const unsigned char page_js[];
extern const size_t page_js_size;
extern const unsigned char report_css[];
extern const size_t report_css_size;
extern const unsigned char report_html[];
extern const size_t report_html_size;
extern const unsigned char time_js[];
extern const size_t time_js_size;
extern const unsigned char d3_min_js[];
extern const size_t d3_min_js_size;
#ifdef __cplusplus
}
#endif
' > out/bootstrap/host.release/gen/obbligato-resources.h
printf %s '/* The resources of obbligato; written by obbligato. */
#define JOINED(a, b) a##b
#define JOIN(a, b) JOINED(a, b)
#define NAME(name) JOIN(__USER_LABEL_PREFIX__, name)
#if defined __APPLE__
    .const
#elif defined _WIN32
    .section .rdata
#else
    .section .rodata
#endif
#if __SIZEOF_SIZE_T__ == 8
#define SIZE .quad
#else
#define SIZE .long
#endif
    .balign 16
    .globl NAME(language_md)
NAME(language_md):
    .incbin "docs/language.md"
NAME(language_md_end):
    .byte 0
    .balign 8
    .globl NAME(language_md_size)
NAME(language_md_size):
    SIZE NAME(language_md_end) - NAME(language_md)
    .balign 16
    .globl NAME(builds_js)
NAME(builds_js):
    .incbin "src/page/builds.js"
NAME(builds_js_end):
    .byte 0
    .balign 8
    .globl NAME(builds_js_size)
NAME(builds_js_size):
    SIZE NAME(builds_js_end) - NAME(builds_js)
    .balign 16
    .globl NAME(images_js)
NAME(images_js):
    .incbin "src/page/images.js"
NAME(images_js_end):
    .byte 0
    .balign 8
    .globl NAME(images_js_size)
NAME(images_js_size):
    SIZE NAME(images_js_end) - NAME(images_js)
    .balign 16
    .globl NAME(lists_js)
NAME(lists_js):
    .incbin "src/page/lists.js"
NAME(lists_js_end):
    .byte 0
    .balign 8
    .globl NAME(lists_js_size)
NAME(lists_js_size):
    SIZE NAME(lists_js_end) - NAME(lists_js)
    .balign 16
    .globl NAME(memory_js)
NAME(memory_js):
    .incbin "src/page/memory.js"
NAME(memory_js_end):
    .byte 0
    .balign 8
    .globl NAME(memory_js_size)
NAME(memory_js_size):
    SIZE NAME(memory_js_end) - NAME(memory_js)
    .balign 16
    .globl NAME(model_js)
NAME(model_js):
    .incbin "src/page/model.js"
NAME(model_js_end):
    .byte 0
    .balign 8
    .globl NAME(model_js_size)
NAME(model_js_size):
    SIZE NAME(model_js_end) - NAME(model_js)
    .balign 16
    .globl NAME(page_js)
NAME(page_js):
    .incbin "src/page/page.js"
NAME(page_js_end):
    .byte 0
    .balign 8
    .globl NAME(page_js_size)
NAME(page_js_size):
    SIZE NAME(page_js_end) - NAME(page_js)
    .balign 16
    .globl NAME(report_css)
NAME(report_css):
    .incbin "src/page/report.css"
NAME(report_css_end):
    .byte 0
    .balign 8
    .globl NAME(report_css_size)
NAME(report_css_size):
    SIZE NAME(report_css_end) - NAME(report_css)
    .balign 16
    .globl NAME(report_html)
NAME(report_html):
    .incbin "src/page/report.html"
NAME(report_html_end):
    .byte 0
    .balign 8
    .globl NAME(report_html_size)
NAME(report_html_size):
    SIZE NAME(report_html_end) - NAME(report_html)
    .balign 16
    .globl NAME(time_js)
NAME(time_js):
    .incbin "src/page/time.js"
NAME(time_js_end):
    .byte 0
    .balign 8
    .globl NAME(time_js_size)
NAME(time_js_size):
    SIZE NAME(time_js_end) - NAME(time_js)
    .balign 16
    .globl NAME(d3_min_js)
NAME(d3_min_js):
    .incbin "out/bootstrap/host.release/d3.min.js"
NAME(d3_min_js_end):
    .byte 0
    .balign 8
    .globl NAME(d3_min_js_size)
NAME(d3_min_js_size):
    SIZE NAME(d3_min_js_end) - NAME(d3_min_js)
#if defined __ELF__ && defined __linux__
    .section .note.GNU-stack,"",%progbits
#endif
' > out/bootstrap/host.release/gen/obbligato-resources.S
mkdir -p out/bootstrap/host.release
(env -i ${PATH+"PATH=$PATH"} ${HOME+"HOME=$HOME"} ${TMPDIR+"TMPDIR=$TMPDIR"} LC_ALL=C sh packaging/charts out/bootstrap/host.release/d3.min.js out/bootstrap/host.release/charts.d)
mkdir -p out/bootstrap/host.release/obj/core/src/base
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/arena.c -o out/bootstrap/host.release/obj/core/src/base/arena.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/below.c -o out/bootstrap/host.release/obj/core/src/base/below.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/bounded.c -o out/bootstrap/host.release/obj/core/src/base/bounded.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/commands.c -o out/bootstrap/host.release/obj/core/src/base/commands.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/diag.c -o out/bootstrap/host.release/obj/core/src/base/diag.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/files.c -o out/bootstrap/host.release/obj/core/src/base/files.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/fill.c -o out/bootstrap/host.release/obj/core/src/base/fill.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/fingerprint.c -o out/bootstrap/host.release/obj/core/src/base/fingerprint.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/json.c -o out/bootstrap/host.release/obj/core/src/base/json.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/map.c -o out/bootstrap/host.release/obj/core/src/base/map.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/memo.c -o out/bootstrap/host.release/obj/core/src/base/memo.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/own.c -o out/bootstrap/host.release/obj/core/src/base/own.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/path.c -o out/bootstrap/host.release/obj/core/src/base/path.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/process.c -o out/bootstrap/host.release/obj/core/src/base/process.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/real_path.c -o out/bootstrap/host.release/obj/core/src/base/real_path.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/regular.c -o out/bootstrap/host.release/obj/core/src/base/regular.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/sha256.c -o out/bootstrap/host.release/obj/core/src/base/sha256.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/system.c -o out/bootstrap/host.release/obj/core/src/base/system.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/template.c -o out/bootstrap/host.release/obj/core/src/base/template.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/text.c -o out/bootstrap/host.release/obj/core/src/base/text.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/trace.c -o out/bootstrap/host.release/obj/core/src/base/trace.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/vec.c -o out/bootstrap/host.release/obj/core/src/base/vec.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/build
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/accounts.c -o out/bootstrap/host.release/obj/core/src/build/accounts.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/budgets.c -o out/bootstrap/host.release/obj/core/src/build/budgets.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/build.c -o out/bootstrap/host.release/obj/core/src/build/build.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/builder.c -o out/bootstrap/host.release/obj/core/src/build/builder.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/cache.c -o out/bootstrap/host.release/obj/core/src/build/cache.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/causes.c -o out/bootstrap/host.release/obj/core/src/build/causes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/clean.c -o out/bootstrap/host.release/obj/core/src/build/clean.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/delivering.c -o out/bootstrap/host.release/obj/core/src/build/delivering.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/draft.c -o out/bootstrap/host.release/obj/core/src/build/draft.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/farm.c -o out/bootstrap/host.release/obj/core/src/build/farm.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/format.c -o out/bootstrap/host.release/obj/core/src/build/format.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/full.c -o out/bootstrap/host.release/obj/core/src/build/full.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/history.c -o out/bootstrap/host.release/obj/core/src/build/history.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/images.c -o out/bootstrap/host.release/obj/core/src/build/images.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/impact.c -o out/bootstrap/host.release/obj/core/src/build/impact.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/incremental.c -o out/bootstrap/host.release/obj/core/src/build/incremental.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/keys.c -o out/bootstrap/host.release/obj/core/src/build/keys.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/launch.c -o out/bootstrap/host.release/obj/core/src/build/launch.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/loading.c -o out/bootstrap/host.release/obj/core/src/build/loading.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/outputs.c -o out/bootstrap/host.release/obj/core/src/build/outputs.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/planning.c -o out/bootstrap/host.release/obj/core/src/build/planning.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/report_data.c -o out/bootstrap/host.release/obj/core/src/build/report_data.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/reproduce.c -o out/bootstrap/host.release/obj/core/src/build/reproduce.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/selection.c -o out/bootstrap/host.release/obj/core/src/build/selection.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/tests.c -o out/bootstrap/host.release/obj/core/src/build/tests.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/watch.c -o out/bootstrap/host.release/obj/core/src/build/watch.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/build/workspace.c -o out/bootstrap/host.release/obj/core/src/build/workspace.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/delivery
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/chain.c -o out/bootstrap/host.release/obj/core/src/delivery/chain.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/collector.c -o out/bootstrap/host.release/obj/core/src/delivery/collector.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/contents.c -o out/bootstrap/host.release/obj/core/src/delivery/contents.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/debian.c -o out/bootstrap/host.release/obj/core/src/delivery/debian.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/debian_needs.c -o out/bootstrap/host.release/obj/core/src/delivery/debian_needs.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/developer_files.c -o out/bootstrap/host.release/obj/core/src/delivery/developer_files.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/entry.c -o out/bootstrap/host.release/obj/core/src/delivery/entry.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/install.c -o out/bootstrap/host.release/obj/core/src/delivery/install.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/install_script.c -o out/bootstrap/host.release/obj/core/src/delivery/install_script.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/manifest.c -o out/bootstrap/host.release/obj/core/src/delivery/manifest.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/pack.c -o out/bootstrap/host.release/obj/core/src/delivery/pack.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/run_file.c -o out/bootstrap/host.release/obj/core/src/delivery/run_file.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/delivery/run_path.c -o out/bootstrap/host.release/obj/core/src/delivery/run_path.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/draft
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/choices.c -o out/bootstrap/host.release/obj/core/src/draft/choices.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/configuration.c -o out/bootstrap/host.release/obj/core/src/draft/configuration.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/database.c -o out/bootstrap/host.release/obj/core/src/draft/database.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/drafting.c -o out/bootstrap/host.release/obj/core/src/draft/drafting.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/extensions.c -o out/bootstrap/host.release/obj/core/src/draft/extensions.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/guesses.c -o out/bootstrap/host.release/obj/core/src/draft/guesses.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/headers.c -o out/bootstrap/host.release/obj/core/src/draft/headers.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/includes.c -o out/bootstrap/host.release/obj/core/src/draft/includes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/packages.c -o out/bootstrap/host.release/obj/core/src/draft/packages.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/processors.c -o out/bootstrap/host.release/obj/core/src/draft/processors.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/questions.c -o out/bootstrap/host.release/obj/core/src/draft/questions.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/systems.c -o out/bootstrap/host.release/obj/core/src/draft/systems.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/targets.c -o out/bootstrap/host.release/obj/core/src/draft/targets.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/tree.c -o out/bootstrap/host.release/obj/core/src/draft/tree.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/trial.c -o out/bootstrap/host.release/obj/core/src/draft/trial.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/draft/writing.c -o out/bootstrap/host.release/obj/core/src/draft/writing.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/editor
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/documents.c -o out/bootstrap/host.release/obj/core/src/editor/documents.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/explaining.c -o out/bootstrap/host.release/obj/core/src/editor/explaining.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/meaning.c -o out/bootstrap/host.release/obj/core/src/editor/meaning.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/names.c -o out/bootstrap/host.release/obj/core/src/editor/names.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/offers.c -o out/bootstrap/host.release/obj/core/src/editor/offers.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/places.c -o out/bootstrap/host.release/obj/core/src/editor/places.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/editor/protocol.c -o out/bootstrap/host.release/obj/core/src/editor/protocol.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/image
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/account.c -o out/bootstrap/host.release/obj/core/src/image/account.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/elf.c -o out/bootstrap/host.release/obj/core/src/image/elf.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/image.c -o out/bootstrap/host.release/obj/core/src/image/image.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/link_map.c -o out/bootstrap/host.release/obj/core/src/image/link_map.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/outside
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/archives.c -o out/bootstrap/host.release/obj/core/src/outside/archives.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/bringing.c -o out/bootstrap/host.release/obj/core/src/outside/bringing.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/edits.c -o out/bootstrap/host.release/obj/core/src/outside/edits.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/entries.c -o out/bootstrap/host.release/obj/core/src/outside/entries.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/fetcher.c -o out/bootstrap/host.release/obj/core/src/outside/fetcher.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/git.c -o out/bootstrap/host.release/obj/core/src/outside/git.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/judging.c -o out/bootstrap/host.release/obj/core/src/outside/judging.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/tree.c -o out/bootstrap/host.release/obj/core/src/outside/tree.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/outside/unpacking.c -o out/bootstrap/host.release/obj/core/src/outside/unpacking.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/plan
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/check_compiles.c -o out/bootstrap/host.release/obj/core/src/plan/check_compiles.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/checks.c -o out/bootstrap/host.release/obj/core/src/plan/checks.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/compiles.c -o out/bootstrap/host.release/obj/core/src/plan/compiles.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/context.c -o out/bootstrap/host.release/obj/core/src/plan/context.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/dependencies.c -o out/bootstrap/host.release/obj/core/src/plan/dependencies.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/differences.c -o out/bootstrap/host.release/obj/core/src/plan/differences.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/images.c -o out/bootstrap/host.release/obj/core/src/plan/images.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/includes.c -o out/bootstrap/host.release/obj/core/src/plan/includes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/links.c -o out/bootstrap/host.release/obj/core/src/plan/links.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/on_system.c -o out/bootstrap/host.release/obj/core/src/plan/on_system.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/plan.c -o out/bootstrap/host.release/obj/core/src/plan/plan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/planner.c -o out/bootstrap/host.release/obj/core/src/plan/planner.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/presence.c -o out/bootstrap/host.release/obj/core/src/plan/presence.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/profile.c -o out/bootstrap/host.release/obj/core/src/plan/profile.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/replan.c -o out/bootstrap/host.release/obj/core/src/plan/replan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/resources.c -o out/bootstrap/host.release/obj/core/src/plan/resources.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/savings.c -o out/bootstrap/host.release/obj/core/src/plan/savings.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/scanning.c -o out/bootstrap/host.release/obj/core/src/plan/scanning.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/serialized_read.c -o out/bootstrap/host.release/obj/core/src/plan/serialized_read.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/serialized_write.c -o out/bootstrap/host.release/obj/core/src/plan/serialized_write.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/steps.c -o out/bootstrap/host.release/obj/core/src/plan/steps.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/texts.c -o out/bootstrap/host.release/obj/core/src/plan/texts.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/words.c -o out/bootstrap/host.release/obj/core/src/plan/words.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/project
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/assignments.c -o out/bootstrap/host.release/obj/core/src/project/assignments.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/language.c -o out/bootstrap/host.release/obj/core/src/project/language.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/lock_file.c -o out/bootstrap/host.release/obj/core/src/project/lock_file.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/patterns.c -o out/bootstrap/host.release/obj/core/src/project/patterns.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/project.c -o out/bootstrap/host.release/obj/core/src/project/project.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/setting.c -o out/bootstrap/host.release/obj/core/src/project/setting.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/version.c -o out/bootstrap/host.release/obj/core/src/project/version.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/vocabulary.c -o out/bootstrap/host.release/obj/core/src/project/vocabulary.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/project/read
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/axes.c -o out/bootstrap/host.release/obj/core/src/project/read/axes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/build.c -o out/bootstrap/host.release/obj/core/src/project/read/build.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/check.c -o out/bootstrap/host.release/obj/core/src/project/read/check.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/checks.c -o out/bootstrap/host.release/obj/core/src/project/read/checks.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/condition.c -o out/bootstrap/host.release/obj/core/src/project/read/condition.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/definitions.c -o out/bootstrap/host.release/obj/core/src/project/read/definitions.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/deliveries.c -o out/bootstrap/host.release/obj/core/src/project/read/deliveries.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/each.c -o out/bootstrap/host.release/obj/core/src/project/read/each.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/indexes.c -o out/bootstrap/host.release/obj/core/src/project/read/indexes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/only.c -o out/bootstrap/host.release/obj/core/src/project/read/only.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/project.c -o out/bootstrap/host.release/obj/core/src/project/read/project.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/reader.c -o out/bootstrap/host.release/obj/core/src/project/read/reader.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/running.c -o out/bootstrap/host.release/obj/core/src/project/read/running.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/sources.c -o out/bootstrap/host.release/obj/core/src/project/read/sources.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/statements.c -o out/bootstrap/host.release/obj/core/src/project/read/statements.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/steps.c -o out/bootstrap/host.release/obj/core/src/project/read/steps.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/targets.c -o out/bootstrap/host.release/obj/core/src/project/read/targets.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/read/thirdparty.c -o out/bootstrap/host.release/obj/core/src/project/read/thirdparty.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/project/resolve
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/resolve/facts.c -o out/bootstrap/host.release/obj/core/src/project/resolve/facts.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/resolve/settings.c -o out/bootstrap/host.release/obj/core/src/project/resolve/settings.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/resolve/variant.c -o out/bootstrap/host.release/obj/core/src/project/resolve/variant.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/report
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/account.c -o out/bootstrap/host.release/obj/core/src/report/account.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/build_log.c -o out/bootstrap/host.release/obj/core/src/report/build_log.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/compilation_database.c -o out/bootstrap/host.release/obj/core/src/report/compilation_database.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/coverage.c -o out/bootstrap/host.release/obj/core/src/report/coverage.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/graph.c -o out/bootstrap/host.release/obj/core/src/report/graph.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/json.c -o out/bootstrap/host.release/obj/core/src/report/json.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/page.c -o out/bootstrap/host.release/obj/core/src/report/page.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/page_data.c -o out/bootstrap/host.release/obj/core/src/report/page_data.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/plan.c -o out/bootstrap/host.release/obj/core/src/report/plan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/sbom.c -o out/bootstrap/host.release/obj/core/src/report/sbom.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/shell_script.c -o out/bootstrap/host.release/obj/core/src/report/shell_script.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/trials.c -o out/bootstrap/host.release/obj/core/src/report/trials.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/run
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/acceptance.c -o out/bootstrap/host.release/obj/core/src/run/acceptance.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/caching.c -o out/bootstrap/host.release/obj/core/src/run/caching.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/cases.c -o out/bootstrap/host.release/obj/core/src/run/cases.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/causes.c -o out/bootstrap/host.release/obj/core/src/run/causes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/expected.c -o out/bootstrap/host.release/obj/core/src/run/expected.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/far.c -o out/bootstrap/host.release/obj/core/src/run/far.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/invocation.c -o out/bootstrap/host.release/obj/core/src/run/invocation.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/order.c -o out/bootstrap/host.release/obj/core/src/run/order.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/recall.c -o out/bootstrap/host.release/obj/core/src/run/recall.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/remove.c -o out/bootstrap/host.release/obj/core/src/run/remove.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/scheduler.c -o out/bootstrap/host.release/obj/core/src/run/scheduler.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/steps.c -o out/bootstrap/host.release/obj/core/src/run/steps.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/test_runs.c -o out/bootstrap/host.release/obj/core/src/run/test_runs.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/text_changes.c -o out/bootstrap/host.release/obj/core/src/run/text_changes.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/up_to_date.c -o out/bootstrap/host.release/obj/core/src/run/up_to_date.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/scan
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/condition.c -o out/bootstrap/host.release/obj/core/src/scan/condition.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/directive_fingerprint.c -o out/bootstrap/host.release/obj/core/src/scan/directive_fingerprint.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/directives.c -o out/bootstrap/host.release/obj/core/src/scan/directives.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/gas.c -o out/bootstrap/host.release/obj/core/src/scan/gas.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/include_memo.c -o out/bootstrap/host.release/obj/core/src/scan/include_memo.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/inline.c -o out/bootstrap/host.release/obj/core/src/scan/inline.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/intel.c -o out/bootstrap/host.release/obj/core/src/scan/intel.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/link_scan.c -o out/bootstrap/host.release/obj/core/src/scan/link_scan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/linker_script.c -o out/bootstrap/host.release/obj/core/src/scan/linker_script.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/macro.c -o out/bootstrap/host.release/obj/core/src/scan/macro.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/questions.c -o out/bootstrap/host.release/obj/core/src/scan/questions.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/scan.c -o out/bootstrap/host.release/obj/core/src/scan/scan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/token_fingerprint.c -o out/bootstrap/host.release/obj/core/src/scan/token_fingerprint.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/tokens.c -o out/bootstrap/host.release/obj/core/src/scan/tokens.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/score
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/format.c -o out/bootstrap/host.release/obj/core/src/score/format.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/lexer.c -o out/bootstrap/host.release/obj/core/src/score/lexer.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/parser.c -o out/bootstrap/host.release/obj/core/src/score/parser.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/printer.c -o out/bootstrap/host.release/obj/core/src/score/printer.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/state
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/asked_names.c -o out/bootstrap/host.release/obj/core/src/state/asked_names.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/far_place.c -o out/bootstrap/host.release/obj/core/src/state/far_place.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/file_cache.c -o out/bootstrap/host.release/obj/core/src/state/file_cache.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/lock.c -o out/bootstrap/host.release/obj/core/src/state/lock.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/object_cache.c -o out/bootstrap/host.release/obj/core/src/state/object_cache.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/open.c -o out/bootstrap/host.release/obj/core/src/state/open.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/outputs.c -o out/bootstrap/host.release/obj/core/src/state/outputs.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/packed.c -o out/bootstrap/host.release/obj/core/src/state/packed.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/records.c -o out/bootstrap/host.release/obj/core/src/state/records.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/snapshot_compare.c -o out/bootstrap/host.release/obj/core/src/state/snapshot_compare.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/snapshot_read.c -o out/bootstrap/host.release/obj/core/src/state/snapshot_read.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/snapshot_write.c -o out/bootstrap/host.release/obj/core/src/state/snapshot_write.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/store.c -o out/bootstrap/host.release/obj/core/src/state/store.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/toolchain
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/dialect.c -o out/bootstrap/host.release/obj/core/src/toolchain/dialect.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/environment.c -o out/bootstrap/host.release/obj/core/src/toolchain/environment.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/find.c -o out/bootstrap/host.release/obj/core/src/toolchain/find.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/identity.c -o out/bootstrap/host.release/obj/core/src/toolchain/identity.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/libraries.c -o out/bootstrap/host.release/obj/core/src/toolchain/libraries.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/linking.c -o out/bootstrap/host.release/obj/core/src/toolchain/linking.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/options.c -o out/bootstrap/host.release/obj/core/src/toolchain/options.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/packages.c -o out/bootstrap/host.release/obj/core/src/toolchain/packages.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/spell.c -o out/bootstrap/host.release/obj/core/src/toolchain/spell.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/system.c -o out/bootstrap/host.release/obj/core/src/toolchain/system.c.o
mkdir -p out/bootstrap/host.release/lib
rm -f out/bootstrap/host.release/lib/libobbligato.a
run_AR rcsD out/bootstrap/host.release/lib/libobbligato.a out/bootstrap/host.release/obj/core/src/base/arena.c.o out/bootstrap/host.release/obj/core/src/base/below.c.o out/bootstrap/host.release/obj/core/src/base/bounded.c.o out/bootstrap/host.release/obj/core/src/base/commands.c.o out/bootstrap/host.release/obj/core/src/base/diag.c.o out/bootstrap/host.release/obj/core/src/base/files.c.o out/bootstrap/host.release/obj/core/src/base/fill.c.o out/bootstrap/host.release/obj/core/src/base/fingerprint.c.o out/bootstrap/host.release/obj/core/src/base/json.c.o out/bootstrap/host.release/obj/core/src/base/map.c.o out/bootstrap/host.release/obj/core/src/base/memo.c.o out/bootstrap/host.release/obj/core/src/base/own.c.o out/bootstrap/host.release/obj/core/src/base/path.c.o out/bootstrap/host.release/obj/core/src/base/process.c.o out/bootstrap/host.release/obj/core/src/base/real_path.c.o out/bootstrap/host.release/obj/core/src/base/regular.c.o out/bootstrap/host.release/obj/core/src/base/sha256.c.o out/bootstrap/host.release/obj/core/src/base/system.c.o out/bootstrap/host.release/obj/core/src/base/template.c.o out/bootstrap/host.release/obj/core/src/base/text.c.o out/bootstrap/host.release/obj/core/src/base/trace.c.o out/bootstrap/host.release/obj/core/src/base/vec.c.o out/bootstrap/host.release/obj/core/src/build/accounts.c.o out/bootstrap/host.release/obj/core/src/build/budgets.c.o out/bootstrap/host.release/obj/core/src/build/build.c.o out/bootstrap/host.release/obj/core/src/build/builder.c.o out/bootstrap/host.release/obj/core/src/build/cache.c.o out/bootstrap/host.release/obj/core/src/build/causes.c.o out/bootstrap/host.release/obj/core/src/build/clean.c.o out/bootstrap/host.release/obj/core/src/build/delivering.c.o out/bootstrap/host.release/obj/core/src/build/draft.c.o out/bootstrap/host.release/obj/core/src/build/farm.c.o out/bootstrap/host.release/obj/core/src/build/format.c.o out/bootstrap/host.release/obj/core/src/build/full.c.o out/bootstrap/host.release/obj/core/src/build/history.c.o out/bootstrap/host.release/obj/core/src/build/images.c.o out/bootstrap/host.release/obj/core/src/build/impact.c.o out/bootstrap/host.release/obj/core/src/build/incremental.c.o out/bootstrap/host.release/obj/core/src/build/keys.c.o out/bootstrap/host.release/obj/core/src/build/launch.c.o out/bootstrap/host.release/obj/core/src/build/loading.c.o out/bootstrap/host.release/obj/core/src/build/outputs.c.o out/bootstrap/host.release/obj/core/src/build/planning.c.o out/bootstrap/host.release/obj/core/src/build/report_data.c.o out/bootstrap/host.release/obj/core/src/build/reproduce.c.o out/bootstrap/host.release/obj/core/src/build/selection.c.o out/bootstrap/host.release/obj/core/src/build/tests.c.o out/bootstrap/host.release/obj/core/src/build/watch.c.o out/bootstrap/host.release/obj/core/src/build/workspace.c.o out/bootstrap/host.release/obj/core/src/delivery/chain.c.o out/bootstrap/host.release/obj/core/src/delivery/collector.c.o out/bootstrap/host.release/obj/core/src/delivery/contents.c.o out/bootstrap/host.release/obj/core/src/delivery/debian.c.o out/bootstrap/host.release/obj/core/src/delivery/debian_needs.c.o out/bootstrap/host.release/obj/core/src/delivery/developer_files.c.o out/bootstrap/host.release/obj/core/src/delivery/entry.c.o out/bootstrap/host.release/obj/core/src/delivery/install.c.o out/bootstrap/host.release/obj/core/src/delivery/install_script.c.o out/bootstrap/host.release/obj/core/src/delivery/manifest.c.o out/bootstrap/host.release/obj/core/src/delivery/pack.c.o out/bootstrap/host.release/obj/core/src/delivery/run_file.c.o out/bootstrap/host.release/obj/core/src/delivery/run_path.c.o out/bootstrap/host.release/obj/core/src/draft/choices.c.o out/bootstrap/host.release/obj/core/src/draft/configuration.c.o out/bootstrap/host.release/obj/core/src/draft/database.c.o out/bootstrap/host.release/obj/core/src/draft/drafting.c.o out/bootstrap/host.release/obj/core/src/draft/extensions.c.o out/bootstrap/host.release/obj/core/src/draft/guesses.c.o out/bootstrap/host.release/obj/core/src/draft/headers.c.o out/bootstrap/host.release/obj/core/src/draft/includes.c.o out/bootstrap/host.release/obj/core/src/draft/packages.c.o out/bootstrap/host.release/obj/core/src/draft/processors.c.o out/bootstrap/host.release/obj/core/src/draft/questions.c.o out/bootstrap/host.release/obj/core/src/draft/systems.c.o out/bootstrap/host.release/obj/core/src/draft/targets.c.o out/bootstrap/host.release/obj/core/src/draft/tree.c.o out/bootstrap/host.release/obj/core/src/draft/trial.c.o out/bootstrap/host.release/obj/core/src/draft/writing.c.o out/bootstrap/host.release/obj/core/src/editor/documents.c.o out/bootstrap/host.release/obj/core/src/editor/explaining.c.o out/bootstrap/host.release/obj/core/src/editor/meaning.c.o out/bootstrap/host.release/obj/core/src/editor/names.c.o out/bootstrap/host.release/obj/core/src/editor/offers.c.o out/bootstrap/host.release/obj/core/src/editor/places.c.o out/bootstrap/host.release/obj/core/src/editor/protocol.c.o out/bootstrap/host.release/obj/core/src/image/account.c.o out/bootstrap/host.release/obj/core/src/image/elf.c.o out/bootstrap/host.release/obj/core/src/image/image.c.o out/bootstrap/host.release/obj/core/src/image/link_map.c.o out/bootstrap/host.release/obj/core/src/outside/archives.c.o out/bootstrap/host.release/obj/core/src/outside/bringing.c.o out/bootstrap/host.release/obj/core/src/outside/edits.c.o out/bootstrap/host.release/obj/core/src/outside/entries.c.o out/bootstrap/host.release/obj/core/src/outside/fetcher.c.o out/bootstrap/host.release/obj/core/src/outside/git.c.o out/bootstrap/host.release/obj/core/src/outside/judging.c.o out/bootstrap/host.release/obj/core/src/outside/tree.c.o out/bootstrap/host.release/obj/core/src/outside/unpacking.c.o out/bootstrap/host.release/obj/core/src/plan/check_compiles.c.o out/bootstrap/host.release/obj/core/src/plan/checks.c.o out/bootstrap/host.release/obj/core/src/plan/compiles.c.o out/bootstrap/host.release/obj/core/src/plan/context.c.o out/bootstrap/host.release/obj/core/src/plan/dependencies.c.o out/bootstrap/host.release/obj/core/src/plan/differences.c.o out/bootstrap/host.release/obj/core/src/plan/images.c.o out/bootstrap/host.release/obj/core/src/plan/includes.c.o out/bootstrap/host.release/obj/core/src/plan/links.c.o out/bootstrap/host.release/obj/core/src/plan/on_system.c.o out/bootstrap/host.release/obj/core/src/plan/plan.c.o out/bootstrap/host.release/obj/core/src/plan/planner.c.o out/bootstrap/host.release/obj/core/src/plan/presence.c.o out/bootstrap/host.release/obj/core/src/plan/profile.c.o out/bootstrap/host.release/obj/core/src/plan/replan.c.o out/bootstrap/host.release/obj/core/src/plan/resources.c.o out/bootstrap/host.release/obj/core/src/plan/savings.c.o out/bootstrap/host.release/obj/core/src/plan/scanning.c.o out/bootstrap/host.release/obj/core/src/plan/serialized_read.c.o out/bootstrap/host.release/obj/core/src/plan/serialized_write.c.o out/bootstrap/host.release/obj/core/src/plan/steps.c.o out/bootstrap/host.release/obj/core/src/plan/texts.c.o out/bootstrap/host.release/obj/core/src/plan/words.c.o out/bootstrap/host.release/obj/core/src/project/assignments.c.o out/bootstrap/host.release/obj/core/src/project/language.c.o out/bootstrap/host.release/obj/core/src/project/lock_file.c.o out/bootstrap/host.release/obj/core/src/project/patterns.c.o out/bootstrap/host.release/obj/core/src/project/project.c.o out/bootstrap/host.release/obj/core/src/project/setting.c.o out/bootstrap/host.release/obj/core/src/project/version.c.o out/bootstrap/host.release/obj/core/src/project/vocabulary.c.o out/bootstrap/host.release/obj/core/src/project/read/axes.c.o out/bootstrap/host.release/obj/core/src/project/read/build.c.o out/bootstrap/host.release/obj/core/src/project/read/check.c.o out/bootstrap/host.release/obj/core/src/project/read/checks.c.o out/bootstrap/host.release/obj/core/src/project/read/condition.c.o out/bootstrap/host.release/obj/core/src/project/read/definitions.c.o out/bootstrap/host.release/obj/core/src/project/read/deliveries.c.o out/bootstrap/host.release/obj/core/src/project/read/each.c.o out/bootstrap/host.release/obj/core/src/project/read/indexes.c.o out/bootstrap/host.release/obj/core/src/project/read/only.c.o out/bootstrap/host.release/obj/core/src/project/read/project.c.o out/bootstrap/host.release/obj/core/src/project/read/reader.c.o out/bootstrap/host.release/obj/core/src/project/read/running.c.o out/bootstrap/host.release/obj/core/src/project/read/sources.c.o out/bootstrap/host.release/obj/core/src/project/read/statements.c.o out/bootstrap/host.release/obj/core/src/project/read/steps.c.o out/bootstrap/host.release/obj/core/src/project/read/targets.c.o out/bootstrap/host.release/obj/core/src/project/read/thirdparty.c.o out/bootstrap/host.release/obj/core/src/project/resolve/facts.c.o out/bootstrap/host.release/obj/core/src/project/resolve/settings.c.o out/bootstrap/host.release/obj/core/src/project/resolve/variant.c.o out/bootstrap/host.release/obj/core/src/report/account.c.o out/bootstrap/host.release/obj/core/src/report/build_log.c.o out/bootstrap/host.release/obj/core/src/report/compilation_database.c.o out/bootstrap/host.release/obj/core/src/report/coverage.c.o out/bootstrap/host.release/obj/core/src/report/graph.c.o out/bootstrap/host.release/obj/core/src/report/json.c.o out/bootstrap/host.release/obj/core/src/report/page.c.o out/bootstrap/host.release/obj/core/src/report/page_data.c.o out/bootstrap/host.release/obj/core/src/report/plan.c.o out/bootstrap/host.release/obj/core/src/report/sbom.c.o out/bootstrap/host.release/obj/core/src/report/shell_script.c.o out/bootstrap/host.release/obj/core/src/report/trials.c.o out/bootstrap/host.release/obj/core/src/run/acceptance.c.o out/bootstrap/host.release/obj/core/src/run/caching.c.o out/bootstrap/host.release/obj/core/src/run/cases.c.o out/bootstrap/host.release/obj/core/src/run/causes.c.o out/bootstrap/host.release/obj/core/src/run/expected.c.o out/bootstrap/host.release/obj/core/src/run/far.c.o out/bootstrap/host.release/obj/core/src/run/invocation.c.o out/bootstrap/host.release/obj/core/src/run/order.c.o out/bootstrap/host.release/obj/core/src/run/recall.c.o out/bootstrap/host.release/obj/core/src/run/remove.c.o out/bootstrap/host.release/obj/core/src/run/scheduler.c.o out/bootstrap/host.release/obj/core/src/run/steps.c.o out/bootstrap/host.release/obj/core/src/run/test_runs.c.o out/bootstrap/host.release/obj/core/src/run/text_changes.c.o out/bootstrap/host.release/obj/core/src/run/up_to_date.c.o out/bootstrap/host.release/obj/core/src/scan/condition.c.o out/bootstrap/host.release/obj/core/src/scan/directive_fingerprint.c.o out/bootstrap/host.release/obj/core/src/scan/directives.c.o out/bootstrap/host.release/obj/core/src/scan/gas.c.o out/bootstrap/host.release/obj/core/src/scan/include_memo.c.o out/bootstrap/host.release/obj/core/src/scan/inline.c.o out/bootstrap/host.release/obj/core/src/scan/intel.c.o out/bootstrap/host.release/obj/core/src/scan/link_scan.c.o out/bootstrap/host.release/obj/core/src/scan/linker_script.c.o out/bootstrap/host.release/obj/core/src/scan/macro.c.o out/bootstrap/host.release/obj/core/src/scan/questions.c.o out/bootstrap/host.release/obj/core/src/scan/scan.c.o out/bootstrap/host.release/obj/core/src/scan/token_fingerprint.c.o out/bootstrap/host.release/obj/core/src/scan/tokens.c.o out/bootstrap/host.release/obj/core/src/score/format.c.o out/bootstrap/host.release/obj/core/src/score/lexer.c.o out/bootstrap/host.release/obj/core/src/score/parser.c.o out/bootstrap/host.release/obj/core/src/score/printer.c.o out/bootstrap/host.release/obj/core/src/state/asked_names.c.o out/bootstrap/host.release/obj/core/src/state/far_place.c.o out/bootstrap/host.release/obj/core/src/state/file_cache.c.o out/bootstrap/host.release/obj/core/src/state/lock.c.o out/bootstrap/host.release/obj/core/src/state/object_cache.c.o out/bootstrap/host.release/obj/core/src/state/open.c.o out/bootstrap/host.release/obj/core/src/state/outputs.c.o out/bootstrap/host.release/obj/core/src/state/packed.c.o out/bootstrap/host.release/obj/core/src/state/records.c.o out/bootstrap/host.release/obj/core/src/state/snapshot_compare.c.o out/bootstrap/host.release/obj/core/src/state/snapshot_read.c.o out/bootstrap/host.release/obj/core/src/state/snapshot_write.c.o out/bootstrap/host.release/obj/core/src/state/store.c.o out/bootstrap/host.release/obj/core/src/toolchain/dialect.c.o out/bootstrap/host.release/obj/core/src/toolchain/environment.c.o out/bootstrap/host.release/obj/core/src/toolchain/find.c.o out/bootstrap/host.release/obj/core/src/toolchain/identity.c.o out/bootstrap/host.release/obj/core/src/toolchain/libraries.c.o out/bootstrap/host.release/obj/core/src/toolchain/linking.c.o out/bootstrap/host.release/obj/core/src/toolchain/options.c.o out/bootstrap/host.release/obj/core/src/toolchain/packages.c.o out/bootstrap/host.release/obj/core/src/toolchain/spell.c.o out/bootstrap/host.release/obj/core/src/toolchain/system.c.o
mkdir -p out/bootstrap/host.release/obj/obbligato/src/cli
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/build_view.c -o out/bootstrap/host.release/obj/obbligato/src/cli/build_view.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_build.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_build.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_clean.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_clean.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_compare.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_compare.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_debug.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_debug.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_deliver.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_deliver.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_draft.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_draft.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_export.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_export.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_fetch.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_fetch.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_format.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_format.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_impact.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_impact.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_keys.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_keys.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_language_server.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_language_server.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_load.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_load.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_report.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_report.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_reproduce.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_reproduce.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_run.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_run.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_scan.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_scan.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_show.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_show.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_show_running.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_show_running.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_size.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_size.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_test.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_test.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_watch.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_watch.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/cmd_worker.c -o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_worker.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/commands.c -o out/bootstrap/host.release/obj/obbligato/src/cli/commands.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/completion.c -o out/bootstrap/host.release/obj/obbligato/src/cli/completion.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/image_picture.c -o out/bootstrap/host.release/obj/obbligato/src/cli/image_picture.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/main.c -o out/bootstrap/host.release/obj/obbligato/src/cli/main.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/manuals.c -o out/bootstrap/host.release/obj/obbligato/src/cli/manuals.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/options.c -o out/bootstrap/host.release/obj/obbligato/src/cli/options.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/scan_questions.c -o out/bootstrap/host.release/obj/obbligato/src/cli/scan_questions.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/session.c -o out/bootstrap/host.release/obj/obbligato/src/cli/session.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/terminal.c -o out/bootstrap/host.release/obj/obbligato/src/cli/terminal.c.o
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/test_matrix.c -o out/bootstrap/host.release/obj/obbligato/src/cli/test_matrix.c.o
mkdir -p out/bootstrap/host.release/obj/obbligato/made/gen
run_CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -D_FILE_OFFSET_BITS=64 -Isrc -Iout/bootstrap/host.release/gen -O2 -Wshadow -Wconversion -c out/bootstrap/host.release/gen/obbligato-resources.S -o out/bootstrap/host.release/obj/obbligato/made/gen/obbligato-resources.S.o
mkdir -p out/bootstrap/host.release/bin
run_CC -Wshadow -Wconversion -o out/bootstrap/host.release/bin/obbligato out/bootstrap/host.release/obj/obbligato/src/cli/build_view.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_build.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_clean.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_compare.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_debug.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_deliver.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_draft.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_export.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_fetch.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_format.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_impact.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_keys.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_language_server.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_load.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_report.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_reproduce.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_run.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_scan.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_show.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_show_running.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_size.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_test.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_watch.c.o out/bootstrap/host.release/obj/obbligato/src/cli/cmd_worker.c.o out/bootstrap/host.release/obj/obbligato/src/cli/commands.c.o out/bootstrap/host.release/obj/obbligato/src/cli/completion.c.o out/bootstrap/host.release/obj/obbligato/src/cli/image_picture.c.o out/bootstrap/host.release/obj/obbligato/src/cli/main.c.o out/bootstrap/host.release/obj/obbligato/src/cli/manuals.c.o out/bootstrap/host.release/obj/obbligato/src/cli/options.c.o out/bootstrap/host.release/obj/obbligato/src/cli/scan_questions.c.o out/bootstrap/host.release/obj/obbligato/src/cli/session.c.o out/bootstrap/host.release/obj/obbligato/src/cli/terminal.c.o out/bootstrap/host.release/obj/obbligato/src/cli/test_matrix.c.o out/bootstrap/host.release/obj/obbligato/made/gen/obbligato-resources.S.o out/bootstrap/host.release/lib/libobbligato.a -lpopt -lsqlite3 -lxxhash -ljansson -lelf -lnettle -luv
