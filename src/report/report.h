/* Writers of open formats. Each produces a text; nothing is printed here. */
#ifndef OBB_REPORT_REPORT_H
#define OBB_REPORT_REPORT_H

#include <jansson.h>

#include "image/account.h"
#include "image/image.h"
#include "plan/dependencies.h"
#include "plan/includes.h"
#include "state/state.h"
#include "run/event.h"
#include "run/test_runs.h"

/* A JSON string of any bytes: those that are no UTF-8 (names of files may hold them) become
 * question marks. */
json_t *obb_report_string(const char *bytes, size_t length);
json_t *obb_report_text(const char *string);

/* The compilation database (the JSON Compilation Database Format that clang's tools
 * document): an array of objects with `directory`, `file`, `output` and `arguments`, for all
 * compiles of one variant, in the order of `output`. `root` is the absolute folder of the project. */
void obb_report_compilation_database(const obb_plan *plan, const obb_variant *variant,
                                     const char *root, obb_text *text);

/* What of a plan was planned again: these targets (by number), by its first `count` actions. `settled`: those
 * of them that are as they were before. */
typedef struct obb_report_replanned {
    const bool *targets;
    const bool *settled;
    size_t count;
} obb_report_replanned;

/* The same text (`before`, as it was written) with the compiles of these targets as they are now; others
 * stay. False: it is no such text, or one of the targets has compiles elsewhere than others. */
bool obb_report_renew_compilation_database(const obb_plan *part, const obb_report_replanned *replanned,
                                           const obb_plan_variant *in, const char *root,
                                           const obb_text *before, obb_text *text);

/* A POSIX shell script that carries the plan's wanted actions out, one after the other; `behind` stands
 * behind them (NULL: nothing), and knows in `started` where the script was started. */
void obb_report_shell_script(const obb_dependency_table *table, const bool *wanted, const char *behind,
                             obb_text *text);

/* The wanted actions as a JSON document (docs/commands.md, obbligato.plan), and what they cost the last time.
 */
void obb_report_plan(const obb_dependency_table *table, obb_state *state, const bool *wanted, obb_text *text);

/* What third-party code is in the wanted programs, shared libraries and images, as SPDX 2.3 in JSON; all is
 * scanned. It says that it was made at SOURCE_DATE_EPOCH, else `when` (seconds since 1970). */
void obb_report_sbom(const obb_dependency_table *table, const bool *wanted, int64_t when, obb_text *text);

/* What a run did, as a JSON object: each action with its begin, slot and cause. `started`: nanoseconds since
 * 1970. */
json_t *obb_report_build(const obb_plan *plan, const obb_run_result *result, const obb_words *variants,
                         int64_t started);

/* Graphs in DOT. Targets of one variant (by number; what a target keeps to itself is a dashed
 * line); headers of what was scanned (those of the system only with `system_too`); actions. */
void obb_report_target_graph(const obb_variant *variant, const bool *wanted, obb_text *text);
void obb_report_header_graph(const obb_includes *includes, const char *name, bool system_too, obb_text *text);
void obb_report_action_graph(const obb_dependency_table *table, const bool *wanted, obb_text *text);

/* An account as a JSON object; and one read from the document that holds it among its
 * `programs` (of the same variant, else of any), or NULL. */
json_t *obb_report_account(const char *program, const char *variant, const obb_account *account);
obb_account *obb_report_read_account(const json_t *document, const char *program, const char *variant,
                                     obb_arena *arena);

/* The sections of a program that take memory, and a program that has them alone (obb_account_of_sections). */
json_t *obb_report_sections(const obb_elf *program);
const obb_elf *obb_report_read_sections(const json_t *sections, obb_arena *arena);

/* The sums of an account: what it takes of regions, and by what the bytes are. */
json_t *obb_report_account_sums(const char *program, const char *variant, const obb_account *account);

/* The layout of an image. */
json_t *obb_report_image(const char *image, const char *variant, const obb_image_layout *layout);

/* Results of tests: TAP version 14, JUnit XML, and JSON objects. */
void obb_report_tap(const obb_test_run *trials, size_t count, obb_text *text);
void obb_report_junit(const char *project, const obb_test_run *trials, size_t count, uint64_t milliseconds,
                      obb_text *text);
json_t *obb_report_test_runs(const obb_test_run *trials, size_t count);

/* The same in short: test, case, variant, outcome, because, milliseconds. */
json_t *obb_report_test_times(const obb_test_run *trials, size_t count);

#endif
