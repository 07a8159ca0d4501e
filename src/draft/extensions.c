/* Sources that need more of the processor than the compiler assumes (draft/work.h), since the program asks at
 * run time what there is: a flag of their own says what they may use. */
#include <string.h>

#include "draft/work.h"

/* As gcc says it, or clang. */
static bool lacks_extension(const draft_file *f)
{
    static const char *const signs[] = {"target specific option mismatch", "requires target feature",
                                        "needs isa option", "but would be inlined into function"};
    bool lacks = false;
    for (size_t i = 0; i < sizeof signs / sizeof *signs && f->wrong && !f->compiled; i++)
        lacks = lacks || strstr(f->wrong, signs[i]);
    return lacks;
}

/* The least that helps; a source may need several. */
bool draft_add_extensions(draft *d, draft_file *f)
{
    static const char *const flags[] = {"-msse2",   "-msse3",    "-mssse3",    "-msse4.1",   "-msse4.2",
                                        "-mpopcnt", "-maes",     "-mpclmul",   "-msha",      "-mbmi",
                                        "-mbmi2",   "-mlzcnt",   "-mf16c",     "-mfma",      "-mavx",
                                        "-mavx2",   "-mavx512f", "-mavx512bw", "-mavx512vl", "-mavx512dq",
                                        "-mgfni"};
    obb_words open = {0};
    for (size_t i = 0; i < sizeof flags / sizeof *flags && lacks_extension(f); i++)
        if (!obb_has_word(&f->flags, flags[i]))
            obb_arena_push(d->arena, &open, flags[i]);
    bool compiles;
    size_t found = open.count ? draft_try(d, f, &open, &compiles) : 0;
    if (found == open.count)
        return false;
    f->extended = true;
    obb_arena_push(d->arena, &f->flags, open.at[found]);
    return true;
}

void draft_tell_extensions(draft *d)
{
    size_t extended = 0;
    for (size_t i = 0; i < d->files.count; i++)
        extended += d->files.at[i]->extended && d->files.at[i]->compiled;
    if (extended)
        draft_note(d,
                   "sources that use extensions of the processor, and have flags for these: %zu; callers "
                   "must ask what the processor has",
                   extended);
}
