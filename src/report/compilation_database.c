/* The JSON Compilation Database (Clang's documentation): all commands of a variant, in the order
 * of their objects, which hangs on nothing else. After an edit, entries of what was planned again replace the
 * former ones, and the rest is kept as it is. */
#include <jansson.h>
#include <stdlib.h>
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

/* A compile, and the line of its entry that names its object, in the arena of the plan. */
typedef struct listed {
    const obb_action *action;
    const char *line;
} listed;

typedef OBB_VEC(listed) listed_list;

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

static int by_line(const void *a, const void *b)
{
    return strcmp(((const listed *)a)->line, ((const listed *)b)->line);
}

/* The compiles among the first `count` actions; `wanted` NULL: all of them. */
static void list_compiles(const obb_plan *plan, size_t count, const bool *wanted, const obb_variant *variant,
                          listed_list *list)
{
    for (size_t i = 0; i < count; i++) {
        const obb_action *a = plan->actions.at[i];
        if (!is_compile(a, variant) || (wanted && !wanted[i]))
            continue;
        char *line = output_line(plan->files, a->output);
        obb_vec_push(list, ((listed){a, obb_arena_string(plan->arena, line)}));
        free(line);
    }
    if (list->count)
        qsort(list->at, list->count, sizeof *list->at, by_line);
}

void obb_report_compilation_database(const obb_plan *plan, const obb_variant *variant, const char *root,
                                     obb_text *text)
{
    json_t *all = json_array();
    listed_list list = {0};
    list_compiles(plan, plan->actions.count, NULL, variant, &list);
    for (size_t i = 0; i < list.count; i++)
        json_array_append_new(all, entry(plan, list.at[i].action, root));
    dump(all, text);
    json_decref(all);
    obb_vec_free(&list);
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
    const char *next; /* what of the text before is not copied yet */
    const char *end;  /* behind its last entry */
    obb_text *text;
} renewal;

static const char *end_of_entry(const char *begin)
{
    const char *bracket = strstr(begin, "\n }");
    return bracket ? bracket + strlen("\n }") : NULL;
}

static int compare_line(const char *begin, const char *line)
{
    const char *own = strstr(begin, "\n  \"output\": ");
    return own ? strncmp(own, line, strlen(line)) : 1;
}

/* Entries are in the order of their lines: the first one that does not stand before `line`, from an entry on;
 * `end`: there is none. NULL: this is no such list. */
static const char *find_place(const char *from, const char *end, const char *line)
{
    while (from < end) {
        const char *middle = entry_begin(from + (end - from) / 2, from);
        middle += middle > from; /* the line end before the bracket */
        if (compare_line(middle, line) >= 0) {
            if (middle == from)
                return from;
            end = middle;
            continue;
        }
        const char *behind = end_of_entry(middle);
        if (!behind)
            return NULL;
        from = *behind == ',' ? behind + strlen(",\n") : behind;
    }
    return from;
}

/* In the place of the entry of this object, or before the one that comes behind it. False: there is none. */
static bool renew_entry(renewal *r, const listed *one, const obb_plan *part, const char *root)
{
    const char *from = *r->next == ',' ? r->next + strlen(",\n") : r->next,
               *place = find_place(from < r->end ? from : r->end, r->end, one->line);
    if (!place)
        return false;
    bool last = place == r->end, there = !last && compare_line(place, one->line) == 0;
    obb_text_add(r->text, r->next, (size_t)(place - r->next));
    obb_text_format(r->text, "%s%s%s", last ? ",\n" : "", entry_text(part, one->action, root),
                    last || there ? "" : ",\n");
    r->next = there ? end_of_entry(place) : place;
    return r->next != NULL;
}

bool obb_report_renew_compilation_database(const obb_plan *part, size_t planned, const bool *wanted,
                                           const obb_variant *variant, const char *root,
                                           const obb_text *before, obb_text *text)
{
    static const char head[] = "[\n {\n", tail[] = "\n]\n";
    const char *all = obb_text_bytes(before);
    listed_list list = {0};
    list_compiles(part, planned, wanted, variant, &list);
    bool good = !list.count ||
                (before->length > strlen(head) + strlen(tail) && strncmp(all, head, strlen(head)) == 0 &&
                 strcmp(all + before->length - strlen(tail), tail) == 0);
    renewal r = {.next = all, .text = text};
    if (good && list.count) {
        r.next += strlen("[\n");
        r.end = all + before->length - strlen(tail);
        obb_text_string(text, "[\n");
    }
    for (size_t i = 0; i < list.count && good; i++)
        good = !strchr(list.at[i].line, '?') && /* several names may read like that */
               renew_entry(&r, &list.at[i], part, root);
    if (good)
        obb_text_string(text, r.next);
    obb_vec_free(&list);
    return good;
}
