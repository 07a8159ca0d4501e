/* Asking one tool of a toolchain. Only src/toolchain uses this header. */
#ifndef OBB_TOOLCHAIN_ASKING_H
#define OBB_TOOLCHAIN_ASKING_H

#include "toolchain/toolchain.h"

/* Runs a tool with these words (ends with NULL) behind its own. The answer is released with obb_answer_free.
 */
obb_answer obb_tool_ask(obb_toolchain *tc, const obb_tool *tool, const char *const *words, const char *input);

/* Where a driver finds a program that it runs: in the folders that it told of (with `:` between), then on
 * PATH (GCC manual 3.16, Directory Options). "" when it is nowhere. */
const char *obb_find_behind(obb_toolchain *tc, const char *folders, const char *name);

/* The rest of the line that holds a mark, from the mark on; "" without one. */
const char *obb_line_with(obb_arena *arena, const char *text, const char *mark);

/* Takes the folders of a list, divided by colons, as those that the linker searches (libraries.c). */
void obb_take_library_folders(obb_toolchain *tc, const char *list);

#endif
