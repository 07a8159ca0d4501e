/* Axes by name, and assignments of values to them, as descriptions and command lines write them. */
#include "project/project.h"

#include <string.h>

obb_axis *obb_find_axis_in(const obb_project *p, const char *scope, const char *name)
{
    obb_axis *own = scope ? obb_find_axis(p, obb_arena_format(p->arena, "%s:%s", scope, name)) : NULL;
    return own ? own : obb_find_axis(p, name);
}

obb_axis *obb_find_axis(const obb_project *p, const char *name)
{
    for (size_t i = 0; i < p->axes.count; i++)
        if (strcmp(p->axes.at[i]->name, name) == 0)
            return p->axes.at[i];
    return NULL;
}

static const char *const *axis_names(const obb_project *p)
{
    const char **names = obb_arena_alloc(p->arena, (p->axes.count + 1) * sizeof *names);
    for (size_t i = 0; i < p->axes.count; i++)
        names[i] = p->axes.at[i]->name;
    return names;
}

void obb_no_such_axis(const obb_project *p, const char *name, obb_place place, obb_diags *diags)
{
    obb_diag *d = obb_error(diags, place.line ? OBB_FAULT_DESCRIPTION : OBB_FAULT_USAGE, place,
                            "there is no axis `%s`", name);
    obb_hint_nearest(diags, d, name, axis_names(p));
    if (!d->hint)
        obb_hint(diags, d, "`obbligato show axes` lists them; `axis %s { values ... }` makes one", name);
}

void obb_barred_value(const obb_axis *axis, const char *value, obb_place place, obb_arena *arena,
                         obb_diags *diags)
{
    obb_text list = {0};
    obb_words names = {0};
    for (size_t i = 0; i < axis->values.count; i++) {
        obb_text_format(&list, "%s%s", i ? ", " : "", axis->values.at[i]);
        obb_arena_push(arena, &names, axis->values.at[i]);
    }
    obb_arena_push(arena, &names, NULL);
    obb_diag *d = obb_error(diags, place.line ? OBB_FAULT_DESCRIPTION : OBB_FAULT_USAGE, place,
                            "`%s` is not a value of the axis `%s`", value, axis->name);
    const char *near = obb_nearest(value, names.at);
    obb_hint(diags, d, near ? "did you mean `%s`? Its values are: %s" : "%sits values are: %s",
             near ? near : "", obb_text_bytes(&list));
    obb_text_free(&list);
}

bool obb_read_assignment(obb_project *p, const char *word, obb_place place, obb_diags *diags,
                         obb_assignment *assignment)
{
    obb_fault fault = place.line ? OBB_FAULT_DESCRIPTION : OBB_FAULT_USAGE;
    const char *equals = strchr(word, '=');
    if (!equals || equals == word || !equals[1]) {
        obb_diag *d = obb_error(diags, fault, place, "`%s` sets no axis", word);
        obb_hint(diags, d, "write AXIS=VALUE, as in os=none");
        return false;
    }
    const char *name = obb_arena_copy(p->arena, word, (size_t)(equals - word));
    const obb_axis *axis = obb_find_axis(p, name);
    *assignment = (obb_assignment){axis, obb_arena_string(p->arena, equals + 1), place};
    if (!axis) {
        obb_no_such_axis(p, name, place, diags);
        return false;
    }
    if (axis->found_out) {
        obb_error(diags, fault, place, "the axis `%s` follows from the variant and cannot be set", name);
        return false;
    }
    if (!axis->open && !obb_value_among(assignment->value, &axis->values)) {
        obb_barred_value(axis, assignment->value, place, p->arena, diags);
        return false;
    }
    if (strpbrk(assignment->value, " /+\\*?[]{}\"'")) {
        obb_diag *d = obb_error(diags, fault, place, "`%s` cannot be a value of an axis", assignment->value);
        obb_hint(diags, d, "it becomes part of the names of variants and folders: letters, digits, . - _");
        return false;
    }
    return true;
}
