/* The layout of an image (cli/image_picture.h): a row for each part and each gap, whose bar stands where it
 * lies in the whole. What is in the image is asked of src/image, by the recipe that makes it. */
#include "cli/image_picture.h"

#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "cli/terminal.h"
#include "report/report.h"

enum { BAR = 32 };

static const obb_image_layout *layout_of(session *s, const obb_target *image, const obb_variant *v)
{
    obb_workspace *w = s->w;
    const obb_action *a = obb_plan_product(w->plan, image, v);
    obb_image_layout *layout = obb_arena_alloc(w->arena, sizeof *layout);
    if (!a || !a->image) {
        obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                "nothing is known of the parts of `%s` in %s", image->name, v->name);
        obb_hint(w->diags, d, "an image that an assembler makes has none");
        return NULL;
    }
    const char *wrong = obb_image_lay_out(a->image, w->arena, layout);
    if (wrong)
        obb_error(w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s", wrong);
    return wrong ? NULL : layout;
}

/* Where something lies in the whole: at least one mark, so that nothing is hidden. */
static char *bar(obb_arena *arena, const obb_image_layout *layout, const obb_image_part *part)
{
    char text[BAR + 1];
    double scale = BAR / (double)(layout->length ? layout->length : 1);
    size_t from = (size_t)((double)(part->address - layout->start) * scale),
           to = (size_t)((double)(part->address + part->length - layout->start) * scale + 0.5);
    if (from >= BAR)
        from = BAR - 1;
    if (to <= from)
        to = from + 1;
    for (size_t i = 0; i < BAR; i++)
        text[i] = i < from || i >= to ? ' ' : part->name ? '#' : '.';
    text[BAR] = 0;
    return obb_arena_format(arena, "|%s|", text);
}

/* Parts by the names that people know: below the folder of the variant. */
static const char *part_name(const session *s, const obb_variant *v, const obb_image_part *part)
{
    const char *folder = obb_variant_folder(s->w->arena, s->w->out, v);
    if (!part->name)
        return part->padding ? "(padding)" : "(gap)";
    return obb_path_within(part->name, folder) ? part->name + strlen(folder) + 1 : part->name;
}

int image_picture_show(session *s, const obb_target *image, const obb_variant *v)
{
    obb_arena *arena = s->w->arena;
    const obb_image_layout *layout = layout_of(s, image, v);
    uint64_t filled = 0;
    table t = {.name = "size-image"};
    if (!layout)
        return obb_workspace_tell(s->w);
    terminal_ink(stdout, INK_STRONG, "%s", image->name);
    terminal_say(stdout, "  %s; sizes in bytes%s\n\n", v->name,
                 layout->addressed ? "" : "; it has no address of its own");
    table_row(&t, layout->addressed ? ">address" : ">offset", ">bytes", "where in the image", "part");
    for (size_t i = 0; i < layout->parts.count; i++) {
        const obb_image_part *p = &layout->parts.at[i];
        filled += p->name ? p->length : 0;
        table_row(&t, obb_arena_format(arena, "0x%08llx", (unsigned long long)p->address),
                  obb_arena_format(arena, "%llu", (unsigned long long)p->length), bar(arena, layout, p),
                  part_name(s, v, p));
    }
    table_row(&t, obb_arena_format(arena, "0x%08llx", (unsigned long long)(layout->start + layout->length)),
              obb_arena_format(arena, "%llu", (unsigned long long)layout->length),
              obb_arena_format(arena, "%.1f %% are parts, the rest is gaps",
                               layout->length ? 100.0 * (double)filled / (double)layout->length : 0.0),
              "end");
    table_print(&t, false);
    return 0;
}

json_t *image_picture_json(session *s, const obb_target *image, const obb_variant *v)
{
    const obb_image_layout *layout = layout_of(s, image, v);
    json_t *o = layout ? json_object() : NULL, *parts = layout ? json_array() : NULL;
    for (size_t i = 0; layout && i < layout->parts.count; i++) {
        const obb_image_part *p = &layout->parts.at[i];
        json_t *part = json_object();
        json_object_set_new(part, "part", p->name ? obb_report_text(part_name(s, v, p)) : json_null());
        json_object_set_new(part, "address", json_integer((json_int_t)p->address));
        json_object_set_new(part, "bytes", json_integer((json_int_t)p->length));
        json_array_append_new(parts, part);
    }
    if (!layout)
        return NULL;
    json_object_set_new(o, "image", obb_report_text(image->name));
    json_object_set_new(o, "variant", obb_report_text(v->name));
    json_object_set_new(o, "address",
                        layout->addressed ? json_integer((json_int_t)layout->start) : json_null());
    json_object_set_new(o, "bytes", json_integer((json_int_t)layout->length));
    json_object_set_new(o, "parts", parts);
    return o;
}
