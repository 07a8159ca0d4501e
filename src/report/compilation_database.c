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

void obb_report_compilation_database(const obb_plan *plan, const obb_variant *variant,
                                     const char *root, obb_text *text)
{
    json_t *all = json_array();
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        bool compile = a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
        if (compile && a->variant == variant && a->argv.count)
            json_array_append_new(all, entry(plan, a, root));
    }
    char *dump = json_dumps(all, JSON_INDENT(1) | JSON_PRESERVE_ORDER);
    if (!dump)
        obb_out_of_memory();
    obb_text_string(text, dump);
    obb_text_char(text, '\n');
    free(dump);
    json_decref(all);
}
