/* Names of profiles (profile.h). The counts of an object: without a folder they stand beside it. In a folder,
 * they have the object's path in their name, with `#` for `/` and `^` for `..` (GCC manual 12, 10.2,
 * --preserve-paths; since GCC 9), from the folder that -fprofile-prefix-path names; the path of an absolute
 * object, and that of any before GCC 9, is appended as it is. */
#include "plan/profile.h"

#include <string.h>

#include "base/path.h"

typedef struct profile {
    bool counts;                 /* of its own object */
    const char *folder, *prefix; /* of these; NULL: none is named */
    const char *whole;           /* one for the whole program: its default name, or NULL */
    const char *whole_folder;    /* where that lies, or the file itself */
} profile;

static const char *value_of(const char *flag, const char *name)
{
    return obb_starts(flag, name) ? flag + strlen(name) : NULL;
}

/* GCC: the counts of each object; a sampled profile, `fbdata.afdo` if none is named. */
static void take_gcc(profile *p, const char *flag)
{
    const char *folder = value_of(flag, "-fprofile-use="), *other = value_of(flag, "-fprofile-dir="),
               *prefix = value_of(flag, "-fprofile-prefix-path=");
    if (strcmp(flag, "-fno-profile-use") == 0)
        p->counts = false;
    else if (folder || strcmp(flag, "-fprofile-use") == 0 || strcmp(flag, "-fbranch-probabilities") == 0)
        p->counts = true;
    else if (strcmp(flag, "-fauto-profile") == 0)
        p->whole = "fbdata.afdo";
    p->folder = folder ? folder : other ? other : p->folder;
    p->prefix = prefix ? prefix : p->prefix;
}

/* Clang: one profile, which has a default name in a folder (Clang Compiler User's Manual, Profile Guided
 * Optimization). */
static void take_clang(profile *p, const char *flag)
{
    const char *folder = value_of(flag, "-fprofile-use="), *other = value_of(flag, "-fprofile-instr-use=");
    folder = folder ? folder : other;
    if (folder || strcmp(flag, "-fprofile-use") == 0 || strcmp(flag, "-fprofile-instr-use") == 0)
        p->whole = "default.profdata";
    else if (strcmp(flag, "-fno-profile-use") == 0 || strcmp(flag, "-fno-profile-instr-use") == 0)
        p->whole = NULL;
    p->whole_folder = folder ? folder : p->whole_folder;
}

/* The last words win. */
static profile profile_of(const obb_compile_options *options)
{
    profile p = {.whole_folder = "."};
    const obb_family family = options->tool ? options->tool->family : OBB_FAMILY_UNKNOWN;
    for (size_t i = 0; i < options->flags.count; i++) {
        const char *flag = options->flags.at[i];
        bool may_tell = obb_starts(flag, "-f") && (strstr(flag, "profile") || strstr(flag, "branch"));
        if (may_tell && family == OBB_FAMILY_GCC)
            take_gcc(&p, flag);
        else if (may_tell && family == OBB_FAMILY_CLANG)
            take_clang(&p, flag);
    }
    return p;
}

bool obb_reads_profile(const obb_compile_options *options)
{
    return profile_of(options).counts;
}

static char *mangled(obb_arena *arena, const char *path)
{
    obb_text text = {0};
    while (*path) {
        size_t n = strcspn(path, "/");
        if (n == 2 && path[0] == '.' && path[1] == '.')
            obb_text_format(&text, "^");
        else
            obb_text_add(&text, path, n);
        path += n;
        if (*path == '/') {
            obb_text_format(&text, "#");
            path++;
        }
    }
    char *name = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return name;
}

static void add(const obb_plan *plan, obb_file_list *places, const char *folder, const char *name)
{
    const char *path = obb_arena_format(plan->arena, "%s/%s", folder, name);
    obb_arena_push(plan->arena, places,
                   obb_files_number(plan->files, obb_files_resolve(plan->files, plan->arena, ".", path)));
}

static void add_counts(const obb_plan *plan, const profile *p, const char *object, obb_file_list *places)
{
    const char *suffix = obb_path_suffix(object);
    const char *name = obb_arena_format(plan->arena, "%.*s.gcda", (int)(strlen(object) - strlen(suffix)),
                                        object);
    if (!p->folder) {
        add(plan, places, name[0] == '/' ? "" : ".", name + (name[0] == '/'));
        return;
    }
    add(plan, places, p->folder, name);
    if (name[0] == '/')
        return;
    name = obb_arena_format(plan->arena, "%s/%s", plan->root, name);
    if (p->prefix && obb_starts(name, p->prefix))
        for (name += strlen(p->prefix); *name == '/';)
            name++;
    add(plan, places, p->folder, mangled(plan->arena, name));
}

void obb_profile_places(const obb_plan *plan, const obb_action *a, obb_file_list *places)
{
    const profile p = profile_of(a->options);
    if (p.counts)
        add_counts(plan, &p, obb_files_path(plan->files, a->output), places);
    if (p.whole)
        add(plan, places, p.whole_folder, p.whole);
}

bool obb_is_profile(const char *path)
{
    static const char *const suffixes[] = {".gcda", ".profdata", ".afdo"};
    for (size_t i = 0; i < sizeof suffixes / sizeof *suffixes; i++)
        if (strcmp(obb_path_suffix(path), suffixes[i]) == 0)
            return true;
    return false;
}
