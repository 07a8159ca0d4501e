/* Files that become part of a program as they are (`resources`): a generated assembly source includes them,
 * and a generated header declares them. Each is an array of bytes with a NUL behind it, and its size. The
 * scan finds the files in the source as in any other. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "plan/context.h"

static const char assembly_begin[] =
    "#define JOINED(a, b) a##b\n#define JOIN(a, b) JOINED(a, b)\n"
    "#define NAME(name) JOIN(__USER_LABEL_PREFIX__, name)\n"
    "#if defined __APPLE__\n    .const\n#elif defined _WIN32\n    .section .rdata\n#else\n    .section "
    ".rodata\n#endif\n"
    "#if __SIZEOF_SIZE_T__ == 8\n#define SIZE .quad\n#else\n#define SIZE .long\n#endif\n";

static const char assembly_end[] = "#if defined __ELF__ && defined __linux__\n"
                                   "    .section .note.GNU-stack,\"\",%progbits\n#endif\n";

/* `logo.png` is logo_png. */
static char *name_of(obb_arena *arena, const char *path)
{
    const char *name = obb_path_name(path);
    char *copy = obb_arena_format(arena, "%s%s", isdigit((unsigned char)*name) ? "_" : "", name);
    for (char *c = copy; *c; c++)
        *c = (char)(isalnum((unsigned char)*c) ? *c : '_');
    return copy;
}

static void find_files(obb_plan_context *j, obb_file_list *files)
{
    obb_patterns_expand(&j->target->resources, j->plan->files, j->plan->arena, j->diags, files, NULL);
    for (size_t i = 0; i < j->target->resources.count; i++)
        for (size_t k = 0; k < j->target->resources.at[i].names.count; k++) {
            const obb_word *w = &j->target->resources.at[i].names.at[k];
            obb_file made = obb_starts(w->text, "made:")
                                ? obb_context_made(j, w->text + strlen("made:"), w->place)
                                : OBB_NO_FILE;
            if (made != OBB_NO_FILE)
                obb_arena_push(j->plan->arena, files, made);
        }
}

static bool is_good(obb_plan_context *j, const char *path, const char *name, obb_map *names)
{
    const char *before = obb_map_put(names, name, (void *)(uintptr_t)path);
    obb_diag *d = NULL;
    if (strpbrk(path, "\"\\\n"))
        d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place, "`%s` cannot be a resource of `%s`",
                      path, j->target->name);
    else if (before)
        d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                      "the resources %s and %s of `%s` would both be called %s", before, path,
                      j->target->name, name);
    if (d)
        obb_hint(j->diags, d, "give the file another name: its letters and digits are the name in the code");
    return !d;
}

static void add_resource(obb_text *assembly, obb_text *header, const char *path, const char *name)
{
    obb_text_format(
        assembly,
        "    .balign 16\n    .globl NAME(%s)\nNAME(%s):\n    .incbin \"%s\"\nNAME(%s_end):\n    .byte 0\n"
        "    .balign 8\n    .globl NAME(%s_size)\nNAME(%s_size):\n    SIZE NAME(%s_end) - NAME(%s)\n",
        name, name, path, name, name, name, name, name);
    obb_text_format(header, "extern const unsigned char %s[];\nextern const size_t %s_size;\n", name, name);
}

obb_file obb_plan_resources(obb_plan_context *j, obb_file_list *included)
{
    obb_arena *arena = j->plan->arena;
    obb_text assembly = {0}, header = {0};
    obb_map names = {0};
    const char *scope = j->target->place.scope, *name = j->target->name + (scope ? strlen(scope) + 1 : 0);
    if (!j->target->resources.count)
        return OBB_NO_FILE;
    find_files(j, included);
    obb_text_format(&assembly, "/* The resources of %s; written by obbligato. */\n%s", j->target->name,
                    assembly_begin);
    obb_text_format(
        &header,
        "/* The resources of %s; written by obbligato. A NUL stands behind the bytes of each. */\n"
        "#pragma once\n#include <stddef.h>\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n",
        j->target->name);
    for (size_t i = 0; i < included->count; i++) {
        const char *path = obb_files_path(j->plan->files, included->at[i]), *symbol = name_of(arena, path);
        if (is_good(j, path, symbol, &names))
            add_resource(&assembly, &header, path, symbol);
    }
    obb_text_string(&assembly, assembly_end);
    obb_text_string(&header, "#ifdef __cplusplus\n}\n#endif\n");
    obb_map_free(&names);
    obb_plan_add_text(j->unfinished, j->in, scope, obb_arena_format(arena, "%s-resources.h", name), &header);
    return obb_plan_add_text(j->unfinished, j->in, scope, obb_arena_format(arena, "%s-resources.S", name),
                             &assembly);
}
