/* The JSON Compilation Database (Clang's documentation): all commands of a variant, in the order
 * of their objects, which hangs on nothing else. So entries of a target stand together, and after an edit
 * those of the targets that were planned again are replaced in the text; the rest is copied. */
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
    size_t number; /* of the action */
} listed;

typedef OBB_VEC(listed) listed_list;

/* The line of an entry that names its object; released with free. */
static char *output_line(const char *path)
{
    json_t *output = obb_report_text(path);
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

/* The compiles among the first `count` actions. */
static void list_compiles(const obb_plan *plan, size_t count, const obb_variant *variant, listed_list *list)
{
    for (size_t i = 0; i < count; i++) {
        const obb_action *a = plan->actions.at[i];
        if (!is_compile(a, variant))
            continue;
        char *line = output_line(obb_files_path(plan->files, a->output));
        obb_vec_push(list, ((listed){a, obb_arena_string(plan->arena, line), i}));
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
    list_compiles(plan, plan->actions.count, variant, &list);
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

/* --- renewing it -------------------------------------------------------------------- */

/* Strings hold no line ends, so the lines between entries are what they look like. */
typedef struct renewal {
    const obb_plan *part;
    const char *root;
    const bool *settled;
    const char *next; /* the first entry that is not copied yet */
    const char *end;  /* behind the last one */
    obb_text *text;
    bool any; /* something is in it */
} renewal;

static void add_entries(renewal *r, const char *begin, size_t length)
{
    obb_text_string(r->text, r->any ? ",\n" : "[\n");
    obb_text_add(r->text, begin, length);
    r->any = true;
}

/* Where the entry of a place in it begins (with its bracket), not before `from`, which is one. */
static const char *entry_begin(const char *at, const char *from)
{
    while (at > from && strncmp(at, "\n {\n", 4) != 0)
        at--;
    return at > from ? at + 1 : from;
}

static const char *entry_end(const renewal *r, const char *begin)
{
    const char *bracket = strstr(begin, "\n }");
    return bracket && bracket < r->end ? bracket + strlen("\n }") : r->end;
}

static const char *next_entry(const renewal *r, const char *begin)
{
    const char *behind = entry_end(r, begin);
    return *behind == ',' ? behind + strlen(",\n") : r->end;
}

/* Of an entry's line of its object, as far as `line` goes. */
static int compare_line(const char *begin, const char *line)
{
    const char *own = strstr(begin, "\n  \"output\": ");
    return own ? strncmp(own, line, strlen(line)) : 1;
}

/* The first entry from `next` on whose line does not stand before `line`; `end`: there is none. */
static const char *find_place(const renewal *r, const char *line)
{
    const char *from = r->next, *end = r->end;
    while (from < end) {
        const char *middle = entry_begin(from + (end - from) / 2, from);
        if (compare_line(middle, line) < 0)
            from = next_entry(r, middle);
        else if (middle == from)
            return from;
        else
            end = middle;
    }
    return from;
}

static void copy_until(renewal *r, const char *place)
{
    if (place > r->next)
        add_entries(r, r->next, (size_t)(place - r->next) - (place < r->end ? strlen(",\n") : 0));
    r->next = place;
}

/* Entries whose lines begin with `prefix` are replaced by those of `list`, from number `i` on; the number
 * behind these. What is settled stays as it is. */
static size_t renew_target(renewal *r, const char *prefix, const listed_list *list, size_t i)
{
    copy_until(r, find_place(r, prefix));
    for (; i < list->count && strncmp(list->at[i].line, prefix, strlen(prefix)) == 0; i++) {
        const listed *one = &list->at[i];
        int order = -1;
        while (r->next < r->end && (order = compare_line(r->next, one->line)) < 0)
            r->next = next_entry(r, r->next); /* it is no more */
        if (r->next < r->end && order == 0 && r->settled[one->number]) {
            add_entries(r, r->next, (size_t)(entry_end(r, r->next) - r->next));
        } else {
            const char *text = entry_text(r->part, one->action, r->root);
            add_entries(r, text, strlen(text));
        }
        if (r->next < r->end && order == 0)
            r->next = next_entry(r, r->next);
    }
    while (r->next < r->end && compare_line(r->next, prefix) == 0)
        r->next = next_entry(r, r->next);
    return i;
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

/* What the lines of each target that was planned again begin with, in their order. False: some have others.
 */
static bool list_prefixes(const obb_plan *part, const obb_plan_variant *in, const bool *targets,
                          obb_words *all)
{
    for (size_t i = 0; i < part->project->targets.count; i++) {
        const obb_target *t = part->project->targets.at[i];
        if (!targets[i])
            continue;
        if (t->from_source) /* the object is the product */
            return false;
        char *line = output_line(obb_plan_objects_folder(part->arena, in->folder, t));
        obb_arena_push(part->arena, all, obb_arena_copy(part->arena, line, strlen(line) - strlen("\",\n")));
        free(line);
    }
    if (all->count)
        qsort(all->at, all->count, sizeof *all->at, by_text);
    return true;
}

/* False: it is no such text. */
static bool begin(renewal *r, const obb_text *before)
{
    static const char tail[] = "\n]\n", empty[] = "[]\n";
    const char *all = obb_text_bytes(before);
    if (strcmp(all, empty) == 0) {
        r->next = r->end = all + strlen(all);
        return true;
    }
    if (strncmp(all, "[\n {\n", 5) != 0 || strlen(all) != before->length ||
        strcmp(all + before->length - strlen(tail), tail) != 0)
        return false;
    r->next = all + strlen("[\n");
    r->end = all + before->length - strlen(tail);
    return true;
}

bool obb_report_renew_compilation_database(const obb_plan *part, const obb_report_replanned *replanned,
                                           const obb_plan_variant *in, const char *root,
                                           const obb_text *before, obb_text *text)
{
    renewal r = {.part = part, .root = root, .settled = replanned->settled, .text = text};
    listed_list list = {0};
    obb_words prefixes = {0};
    size_t done = 0;
    bool good = begin(&r, before) && list_prefixes(part, in, replanned->targets, &prefixes);
    list_compiles(part, replanned->count, in->variant, &list);
    for (size_t i = 0; i < list.count; i++)
        good = good && !strchr(list.at[i].line, '?'); /* several names may read like that */
    for (size_t i = 0; i < prefixes.count && good; i++)
        done = renew_target(&r, prefixes.at[i], &list, done);
    good = good && done == list.count;
    if (good) {
        copy_until(&r, r.end);
        obb_text_string(text, r.any ? "\n]\n" : "[]\n");
    }
    obb_vec_free(&list);
    return good;
}
