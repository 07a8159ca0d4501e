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

/* The text of an entry as it stands in the list, and of the line that names its object. */
static char *entry_text(const obb_plan *plan, const obb_action *a, const char *root, char **line)
{
    json_t *list = json_array(), *output = obb_report_text(obb_files_path(plan->files, a->output));
    obb_text text = {0}, mark = {0};
    json_array_append_new(list, entry(plan, a, root));
    dump(list, &text);
    text.bytes[text.length - 3] = 0; /* without the brackets around it */
    char *name = json_dumps(output, JSON_ENCODE_ANY);
    if (!name)
        obb_out_of_memory();
    obb_text_format(&mark, "\n  \"output\": %s,\n", name);
    *line = mark.bytes;
    char *inside = obb_arena_string(plan->arena, text.bytes + 2);
    obb_text_free(&text);
    free(name);
    json_decref(list);
    json_decref(output);
    return inside;
}

/* In place: strings hold no line ends, so the lines between entries are what they look like. */
bool obb_report_renew_compilation_database(const obb_plan *part, size_t planned, const obb_variant *variant,
                                           const char *root, const obb_text *before, obb_text *text)
{
    const char *from = before->bytes, *next = from; /* compiles are planned in the order of the list */
    const char *pending = NULL; /* a new entry whose place is before the next one of its target */
    const obb_target *last = NULL, *pending_target = NULL;
    for (size_t i = 0; i < planned; i++) {
        const obb_action *a = part->actions.at[i];
        char *line;
        if (!is_compile(a, variant))
            continue;
        char *now = entry_text(part, a, root, &line);
        const char *at = strstr(next, line), *begin = at;
        free(line);
        if (!at && last == a->target && !pending) {
            obb_text_format(text, ",\n%s", now);
            continue;
        }
        if (!at && !pending) {
            pending = now;
            pending_target = a->target;
            continue;
        }
        while (begin && begin > next && strncmp(begin, "\n {\n", 4) != 0)
            begin--;
        const char *end = at ? strstr(at, "\n }") : NULL;
        if (!end || begin <= from || (pending && pending_target != a->target))
            return false;
        obb_text_add(text, next, (size_t)(begin + 1 - next));
        if (pending)
            obb_text_format(text, "%s,\n", pending);
        pending = NULL;
        obb_text_string(text, now);
        next = end + 3;
        last = a->target;
    }
    if (pending)
        return false;
    obb_text_string(text, next);
    return true;
}
