/* The JSON Compilation Database (Clang's documentation): all commands of a variant. After an edited
 * description, entries of what was planned again replace the former ones, and the rest is kept as it is. */
#include <jansson.h>
#include <string.h>

#include "report/report.h"

static json_t *entry(const obb_plan *plan, const obb_action *a, const char *root)
{
    json_t *words = json_array();
    for (size_t i = 0; i < a->argv.count; i++)
        json_array_append_new(words, obb_report_text(a->argv.at[i]));
    json_t *object = json_object();
    json_object_set_new(object, "directory", obb_report_text(root));
    json_object_set_new(object, "file", obb_report_text(obb_files_path(plan->files, a->source)));
    json_object_set_new(object, "output", obb_report_text(obb_files_path(plan->files, a->output)));
    json_object_set_new(object, "arguments", words);
    return object;
}

static bool is_compile(const obb_action *a, const obb_variant *variant)
{
    return (a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE) && a->variant == variant && a->argv.count;
}

static void dump(json_t *all, obb_text *text)
{
    char *bytes = json_dumps(all, JSON_INDENT(1) | JSON_PRESERVE_ORDER);
    if (!bytes)
        obb_out_of_memory();
    obb_text_string(text, bytes);
    obb_text_char(text, '\n');
    free(bytes);
}

void obb_report_compilation_database(const obb_plan *plan, const obb_variant *variant,
                                     const char *root, obb_text *text)
{
    json_t *all = json_array();
    for (size_t i = 0; i < plan->actions.count; i++)
        if (is_compile(plan->actions.at[i], variant))
            json_array_append_new(all, entry(plan, plan->actions.at[i], root));
    dump(all, text);
    json_decref(all);
}

/* The line of an entry that names its object; released with free. */
static char *output_line(obb_files *files, obb_file object)
{
    json_t *output = obb_report_text(obb_files_path(files, object));
    obb_text line = {0};
    char *name = json_dumps(output, JSON_ENCODE_ANY);
    if (!name)
        obb_out_of_memory();
    obb_text_format(&line, "\n  \"output\": %s,\n", name);
    free(name);
    json_decref(output);
    return line.bytes;
}

/* The text of an entry as it stands in the list. */
static char *entry_text(const obb_plan *plan, const obb_action *a, const char *root)
{
    json_t *list = json_array();
    obb_text text = {0};
    json_array_append_new(list, entry(plan, a, root));
    dump(list, &text);
    text.bytes[text.length - 3] = 0; /* without the brackets around it */
    char *inside = obb_arena_string(plan->arena, text.bytes + 2);
    obb_text_free(&text);
    json_decref(list);
    return inside;
}

/* Where the entry of a line begins (its first bracket), not before `from`. */
static const char *entry_begin(const char *line, const char *from)
{
    while (line > from && strncmp(line, "\n {\n", 4) != 0)
        line--;
    return line;
}

void obb_report_drop_from_compilation_database(obb_files *files, const obb_file_list *made, obb_text *text)
{
    for (size_t i = 0; i < made->count; i++) {
        char *line = output_line(files, made->at[i]);
        const char *all = obb_text_bytes(text), *at = strstr(all, line);
        const char *begin = at ? entry_begin(at, all) : NULL, *end = at ? strstr(at, "\n }") : NULL;
        obb_text rest = {0};
        free(line);
        if (!end || begin == all)
            continue;
        end += strlen("\n }");
        bool last = *end != ',', only = last && begin[-1] != ',';
        obb_text_add(&rest, all, (size_t)(begin - all) - (last && !only));
        obb_text_string(&rest, only ? "]\n" : end + !last);
        obb_text_free(text);
        *text = rest;
    }
}

/* Strings hold no line ends, so the lines between entries are what they look like. */
typedef struct renewal {
    const obb_plan *part;
    const char *all, *next; /* the text before, and what of it is not copied yet */
    obb_text *text;
} renewal;

/* Where the entry of a compile stands in what is not copied yet: from its first bracket to its last. */
static bool find_entry(const renewal *r, const obb_action *a, const char **begin, const char **end)
{
    char *line = output_line(r->part->files, a->output);
    const char *at = strstr(r->next, line);
    free(line);
    *begin = at ? entry_begin(at, r->next) : NULL;
    *end = at ? strstr(at, "\n }") : NULL;
    if (!*end || *begin <= r->all)
        return false;
    *begin += strlen("\n");
    *end += strlen("\n }");
    return true;
}

static void copy_until(renewal *r, const char *end)
{
    obb_text_add(r->text, r->next, (size_t)(end - r->next));
    r->next = end;
}

bool obb_report_renew_compilation_database(const obb_plan *part, size_t planned, const bool *wanted,
                                           const obb_variant *variant, const char *root,
                                           const obb_text *before, obb_text *text)
{
    renewal r = {part, before->bytes, before->bytes,
                 text};               /* compiles are planned in the order of the list */
    const obb_action *pending = NULL; /* a new entry whose place is before the next one of its target */
    const obb_action *skipped = NULL; /* the last one that stays as it is, not copied yet */
    const obb_target *last = NULL;
    const char *begin, *end;
    for (size_t i = 0; i < planned; i++) {
        const obb_action *a = part->actions.at[i];
        if (!is_compile(a, variant))
            continue;
        if (!wanted[i] && !pending) {
            skipped = a;
            last = a->target;
            continue;
        }
        if (skipped && !find_entry(&r, skipped, &begin, &end))
            return false;
        if (skipped)
            copy_until(&r, end);
        skipped = NULL;
        bool there = find_entry(&r, a, &begin, &end);
        if (!there && last == a->target && !pending) {
            obb_text_format(text, ",\n%s", entry_text(part, a, root));
            continue;
        }
        if (!there && !pending) {
            pending = a;
            continue;
        }
        if (!there || (pending && pending->target != a->target))
            return false;
        copy_until(&r, begin);
        if (pending)
            obb_text_format(text, "%s,\n", entry_text(part, pending, root));
        pending = NULL;
        obb_text_string(text, wanted[i] ? entry_text(part, a, root)
                                        : obb_arena_copy(part->arena, begin, (size_t)(end - begin)));
        r.next = end;
        last = a->target;
    }
    if (pending)
        return false;
    obb_text_string(text, r.next);
    return true;
}
