/* Headers of libraries that lie in folders of their own (draft/work.h): which .pc file tells of the folder,
 * and which targets need it. */
#include <string.h>

#include "base/memo.h"
#include "base/path.h"
#include "draft/work.h"
#include "toolchain/system.h"

/* This machine's compilers, which know where the files are. */
typedef struct finder {
    obb_files *files;
    obb_toolchain *toolchain;
    obb_diags *ignored; /* a draft does without what is not there */
    obb_words names;    /* of all .pc files */
} finder;

static void begin(draft *d, finder *f)
{
    f->files = obb_files_new();
    f->ignored = obb_diags_new();
    f->toolchain = obb_toolchain_host(d->arena, f->files, obb_no_memo);
    if (!obb_toolchain_need(f->toolchain, OBB_TOOL_C, "draft", OBB_NOWHERE, f->ignored))
        obb_toolchain_need(f->toolchain, OBB_TOOL_CXX, "draft", OBB_NOWHERE, f->ignored);
    obb_system_metadata_names(f->toolchain, &f->names);
}

static void end(finder *f)
{
    if (!f->files)
        return;
    obb_toolchain_free(f->toolchain);
    obb_files_free(f->files);
    obb_diags_free(f->ignored);
}

/* Whether one of the folders among the words has the header. */
static bool has_header(draft *d, const obb_words *words, const char *header)
{
    obb_stamp stamp;
    for (size_t i = 0; i < words->count; i++)
        if (strncmp(words->at[i], "-I/", 3) == 0 &&
            obb_stamp_of(obb_path_join(d->arena, words->at[i] + 2, header), &stamp))
            return true;
    return false;
}

/* The package that itself names a folder with the header; of several, the one with the shortest name. */
static const char *package_with(draft *d, const finder *f, const char *header)
{
    const char *best = NULL;
    for (size_t i = 0; i < f->names.count; i++) {
        obb_words words = {0};
        if ((!best || strlen(f->names.at[i]) < strlen(best)) &&
            obb_system_metadata_itself(f->toolchain, f->names.at[i], &words) && has_header(d, &words, header))
            best = f->names.at[i];
    }
    return best;
}

static draft_package *add_package(draft *d, const finder *f, const char *name)
{
    obb_metadata words = {{0}, {0}};
    for (size_t i = 0; i < d->packages.count; i++)
        if (strcmp(d->packages.at[i]->name, name) == 0)
            return d->packages.at[i];
    if (!obb_system_metadata(f->toolchain, name, OBB_NOWHERE, "draft", f->ignored, &words))
        return NULL;
    draft_package *p = obb_arena_alloc(d->arena, sizeof *p);
    *p = (draft_package){.name = name, .words = words.compile};
    obb_arena_push(d->arena, &d->packages, p);
    return p;
}

/* Includes of which the tree has no file. What is quoted is meant to be one of the tree, or is made. */
static void list_outside(draft *d, obb_words *outside)
{
    obb_map seen = {0};
    for (size_t i = 0; i < d->files.count; i++)
        obb_map_put(&seen, obb_path_name(d->files.at[i]->path), d);
    for (size_t i = 0; i < d->files.count; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count; k++) {
            const char *name = d->files.at[i]->includes.at[k].name;
            if (!d->files.at[i]->includes.at[k].quoted && !draft_is_configuration(name) && *name != '/' &&
                !obb_map_get(&seen, obb_path_name(name)) && !obb_map_put(&seen, name, d) &&
                !draft_template_of(d, name))
                obb_arena_push(d->arena, outside, name);
        }
    obb_map_free(&seen);
}

void draft_find_packages(draft *d)
{
    obb_words outside = {0};
    obb_map has = {0};
    finder f = {.files = NULL};
    list_outside(d, &outside);
    draft_ask_headers(d, &outside, &has);
    for (size_t i = 0; i < outside.count; i++) {
        if (obb_map_get(&has, outside.at[i]))
            continue;
        if (!f.files)
            begin(d, &f);
        const char *name = package_with(d, &f, outside.at[i]);
        draft_package *p = name ? add_package(d, &f, name) : NULL;
        if (p)
            obb_arena_push(d->arena, &p->headers, outside.at[i]);
    }
    end(&f);
    obb_map_free(&has);
}

/* Marks the files that include a header of a package, or a marked one, by their names. */
static void mark(const draft *d, const draft_package *p, obb_map *marked)
{
    for (bool more = true; more;) {
        more = false;
        for (size_t i = 0; i < d->files.count; i++) {
            const draft_file *f = d->files.at[i];
            bool is = obb_map_get(marked, f->path) != NULL;
            for (size_t k = 0; k < f->includes.count && !is; k++) {
                const char *name = f->includes.at[k].name;
                is = obb_has_word(&p->headers, name) || obb_map_get(marked, obb_path_name(name));
                if (!is)
                    continue;
                more = true;
                obb_map_put(marked, f->path, (void *)(uintptr_t)f);
                if (f->header)
                    obb_map_put(marked, obb_path_name(f->path), (void *)(uintptr_t)f);
            }
        }
    }
}

void draft_use_packages(draft *d)
{
    for (size_t i = 0; i < d->packages.count; i++) {
        const draft_package *p = d->packages.at[i];
        obb_map marked = {0};
        mark(d, p, &marked);
        for (size_t t = 0; t < d->targets.count; t++) {
            draft_target *target = d->targets.at[t];
            bool needs = false;
            for (size_t k = 0; k < target->files.count && !needs; k++)
                needs = obb_map_get(&marked, target->files.at[k]->path) != NULL;
            if (needs && !obb_has_word(&target->packages, p->name))
                obb_arena_push(d->arena, &target->packages, p->name);
        }
        obb_map_free(&marked);
    }
}
