#!/bin/sh
# Builds obbligato 0.2.0 without obbligato; written by obbligato export shell-script.
set -e
cd "$(dirname "$0")"
CC=${CC:-cc}
AR=${AR:-ar}
mkdir -p out/bootstrap/host.release/obj/core/src/base
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/arena.c -o out/bootstrap/host.release/obj/core/src/base/arena.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/diag.c -o out/bootstrap/host.release/obj/core/src/base/diag.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/files.c -o out/bootstrap/host.release/obj/core/src/base/files.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/map.c -o out/bootstrap/host.release/obj/core/src/base/map.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/path.c -o out/bootstrap/host.release/obj/core/src/base/path.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/print.c -o out/bootstrap/host.release/obj/core/src/base/print.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/process.c -o out/bootstrap/host.release/obj/core/src/base/process.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/text.c -o out/bootstrap/host.release/obj/core/src/base/text.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/base/vec.c -o out/bootstrap/host.release/obj/core/src/base/vec.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/image
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/account.c -o out/bootstrap/host.release/obj/core/src/image/account.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/elf.c -o out/bootstrap/host.release/obj/core/src/image/elf.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/image/image.c -o out/bootstrap/host.release/obj/core/src/image/image.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/plan
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/compiles.c -o out/bootstrap/host.release/obj/core/src/plan/compiles.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/differences.c -o out/bootstrap/host.release/obj/core/src/plan/differences.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/images.c -o out/bootstrap/host.release/obj/core/src/plan/images.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/includes.c -o out/bootstrap/host.release/obj/core/src/plan/includes.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/links.c -o out/bootstrap/host.release/obj/core/src/plan/links.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/plan.c -o out/bootstrap/host.release/obj/core/src/plan/plan.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/scanning.c -o out/bootstrap/host.release/obj/core/src/plan/scanning.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/plan/texts.c -o out/bootstrap/host.release/obj/core/src/plan/texts.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/project
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/axes.c -o out/bootstrap/host.release/obj/core/src/project/axes.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/check.c -o out/bootstrap/host.release/obj/core/src/project/check.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/condition.c -o out/bootstrap/host.release/obj/core/src/project/condition.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/parts.c -o out/bootstrap/host.release/obj/core/src/project/parts.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/patterns.c -o out/bootstrap/host.release/obj/core/src/project/patterns.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/project.c -o out/bootstrap/host.release/obj/core/src/project/project.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/reader.c -o out/bootstrap/host.release/obj/core/src/project/reader.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/resolve.c -o out/bootstrap/host.release/obj/core/src/project/resolve.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/setting.c -o out/bootstrap/host.release/obj/core/src/project/setting.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/targets.c -o out/bootstrap/host.release/obj/core/src/project/targets.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/variant.c -o out/bootstrap/host.release/obj/core/src/project/variant.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/project/vocabulary.c -o out/bootstrap/host.release/obj/core/src/project/vocabulary.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/report
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/account.c -o out/bootstrap/host.release/obj/core/src/report/account.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/compilation_database.c -o out/bootstrap/host.release/obj/core/src/report/compilation_database.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/graph.c -o out/bootstrap/host.release/obj/core/src/report/graph.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/json.c -o out/bootstrap/host.release/obj/core/src/report/json.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/report/shell_script.c -o out/bootstrap/host.release/obj/core/src/report/shell_script.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/run
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/judge.c -o out/bootstrap/host.release/obj/core/src/run/judge.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/remove.c -o out/bootstrap/host.release/obj/core/src/run/remove.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/run/run.c -o out/bootstrap/host.release/obj/core/src/run/run.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/scan
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/condition.c -o out/bootstrap/host.release/obj/core/src/scan/condition.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/digest.c -o out/bootstrap/host.release/obj/core/src/scan/digest.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/inline.c -o out/bootstrap/host.release/obj/core/src/scan/inline.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/intel.c -o out/bootstrap/host.release/obj/core/src/scan/intel.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/linker_script.c -o out/bootstrap/host.release/obj/core/src/scan/linker_script.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/macro.c -o out/bootstrap/host.release/obj/core/src/scan/macro.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/scan.c -o out/bootstrap/host.release/obj/core/src/scan/scan.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/scan/tokens.c -o out/bootstrap/host.release/obj/core/src/scan/tokens.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/score
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/lexer.c -o out/bootstrap/host.release/obj/core/src/score/lexer.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/parser.c -o out/bootstrap/host.release/obj/core/src/score/parser.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/score/printer.c -o out/bootstrap/host.release/obj/core/src/score/printer.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/state
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/ready.c -o out/bootstrap/host.release/obj/core/src/state/ready.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/state/state.c -o out/bootstrap/host.release/obj/core/src/state/state.c.o
mkdir -p out/bootstrap/host.release/obj/core/src/toolchain
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/dialect.c -o out/bootstrap/host.release/obj/core/src/toolchain/dialect.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/spell.c -o out/bootstrap/host.release/obj/core/src/toolchain/spell.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/system.c -o out/bootstrap/host.release/obj/core/src/toolchain/system.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/toolchain/toolchain.c -o out/bootstrap/host.release/obj/core/src/toolchain/toolchain.c.o
mkdir -p out/bootstrap/host.release/lib
rm -f out/bootstrap/host.release/lib/libobbligato.a
$AR rcsD out/bootstrap/host.release/lib/libobbligato.a out/bootstrap/host.release/obj/core/src/base/arena.c.o out/bootstrap/host.release/obj/core/src/base/diag.c.o out/bootstrap/host.release/obj/core/src/base/files.c.o out/bootstrap/host.release/obj/core/src/base/map.c.o out/bootstrap/host.release/obj/core/src/base/path.c.o out/bootstrap/host.release/obj/core/src/base/print.c.o out/bootstrap/host.release/obj/core/src/base/process.c.o out/bootstrap/host.release/obj/core/src/base/text.c.o out/bootstrap/host.release/obj/core/src/base/vec.c.o out/bootstrap/host.release/obj/core/src/image/account.c.o out/bootstrap/host.release/obj/core/src/image/elf.c.o out/bootstrap/host.release/obj/core/src/image/image.c.o out/bootstrap/host.release/obj/core/src/plan/compiles.c.o out/bootstrap/host.release/obj/core/src/plan/differences.c.o out/bootstrap/host.release/obj/core/src/plan/images.c.o out/bootstrap/host.release/obj/core/src/plan/includes.c.o out/bootstrap/host.release/obj/core/src/plan/links.c.o out/bootstrap/host.release/obj/core/src/plan/plan.c.o out/bootstrap/host.release/obj/core/src/plan/scanning.c.o out/bootstrap/host.release/obj/core/src/plan/texts.c.o out/bootstrap/host.release/obj/core/src/project/axes.c.o out/bootstrap/host.release/obj/core/src/project/check.c.o out/bootstrap/host.release/obj/core/src/project/condition.c.o out/bootstrap/host.release/obj/core/src/project/parts.c.o out/bootstrap/host.release/obj/core/src/project/patterns.c.o out/bootstrap/host.release/obj/core/src/project/project.c.o out/bootstrap/host.release/obj/core/src/project/reader.c.o out/bootstrap/host.release/obj/core/src/project/resolve.c.o out/bootstrap/host.release/obj/core/src/project/setting.c.o out/bootstrap/host.release/obj/core/src/project/targets.c.o out/bootstrap/host.release/obj/core/src/project/variant.c.o out/bootstrap/host.release/obj/core/src/project/vocabulary.c.o out/bootstrap/host.release/obj/core/src/report/account.c.o out/bootstrap/host.release/obj/core/src/report/compilation_database.c.o out/bootstrap/host.release/obj/core/src/report/graph.c.o out/bootstrap/host.release/obj/core/src/report/json.c.o out/bootstrap/host.release/obj/core/src/report/shell_script.c.o out/bootstrap/host.release/obj/core/src/run/judge.c.o out/bootstrap/host.release/obj/core/src/run/remove.c.o out/bootstrap/host.release/obj/core/src/run/run.c.o out/bootstrap/host.release/obj/core/src/scan/condition.c.o out/bootstrap/host.release/obj/core/src/scan/digest.c.o out/bootstrap/host.release/obj/core/src/scan/inline.c.o out/bootstrap/host.release/obj/core/src/scan/intel.c.o out/bootstrap/host.release/obj/core/src/scan/linker_script.c.o out/bootstrap/host.release/obj/core/src/scan/macro.c.o out/bootstrap/host.release/obj/core/src/scan/scan.c.o out/bootstrap/host.release/obj/core/src/scan/tokens.c.o out/bootstrap/host.release/obj/core/src/score/lexer.c.o out/bootstrap/host.release/obj/core/src/score/parser.c.o out/bootstrap/host.release/obj/core/src/score/printer.c.o out/bootstrap/host.release/obj/core/src/state/ready.c.o out/bootstrap/host.release/obj/core/src/state/state.c.o out/bootstrap/host.release/obj/core/src/toolchain/dialect.c.o out/bootstrap/host.release/obj/core/src/toolchain/spell.c.o out/bootstrap/host.release/obj/core/src/toolchain/system.c.o out/bootstrap/host.release/obj/core/src/toolchain/toolchain.c.o
mkdir -p out/bootstrap/host.release/obj/obbligato/src/cli
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/account.c -o out/bootstrap/host.release/obj/obbligato/src/cli/account.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/ask.c -o out/bootstrap/host.release/obj/obbligato/src/cli/ask.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/build.c -o out/bootstrap/host.release/obj/obbligato/src/cli/build.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/commands.c -o out/bootstrap/host.release/obj/obbligato/src/cli/commands.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/compare.c -o out/bootstrap/host.release/obj/obbligato/src/cli/compare.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/export.c -o out/bootstrap/host.release/obj/obbligato/src/cli/export.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/main.c -o out/bootstrap/host.release/obj/obbligato/src/cli/main.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/options.c -o out/bootstrap/host.release/obj/obbligato/src/cli/options.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/questions.c -o out/bootstrap/host.release/obj/obbligato/src/cli/questions.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/session.c -o out/bootstrap/host.release/obj/obbligato/src/cli/session.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/show.c -o out/bootstrap/host.release/obj/obbligato/src/cli/show.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/size.c -o out/bootstrap/host.release/obj/obbligato/src/cli/size.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/terminal.c -o out/bootstrap/host.release/obj/obbligato/src/cli/terminal.c.o
$CC -DNDEBUG -D_POSIX_C_SOURCE=200809L -Isrc -O2 -std=c11 -Wall -Wextra -Wpedantic -Wshadow -Wconversion -c src/cli/work.c -o out/bootstrap/host.release/obj/obbligato/src/cli/work.c.o
mkdir -p out/bootstrap/host.release/bin
$CC -Wshadow -Wconversion -o out/bootstrap/host.release/bin/obbligato out/bootstrap/host.release/obj/obbligato/src/cli/account.c.o out/bootstrap/host.release/obj/obbligato/src/cli/ask.c.o out/bootstrap/host.release/obj/obbligato/src/cli/build.c.o out/bootstrap/host.release/obj/obbligato/src/cli/commands.c.o out/bootstrap/host.release/obj/obbligato/src/cli/compare.c.o out/bootstrap/host.release/obj/obbligato/src/cli/export.c.o out/bootstrap/host.release/obj/obbligato/src/cli/main.c.o out/bootstrap/host.release/obj/obbligato/src/cli/options.c.o out/bootstrap/host.release/obj/obbligato/src/cli/questions.c.o out/bootstrap/host.release/obj/obbligato/src/cli/session.c.o out/bootstrap/host.release/obj/obbligato/src/cli/show.c.o out/bootstrap/host.release/obj/obbligato/src/cli/size.c.o out/bootstrap/host.release/obj/obbligato/src/cli/terminal.c.o out/bootstrap/host.release/obj/obbligato/src/cli/work.c.o out/bootstrap/host.release/lib/libobbligato.a -lpopt -luv -lsqlite3 -lxxhash -ljansson -lelf
