/* The layout of an image (cli/image_picture.h): a row for each part and each gap, whose bar stands where it
 * lies in the whole. What is in the image is asked of src/image, by the recipe that makes it. */
#include "cli/image_picture.h"

#include <stdio.h>
#include <string.h>

#include "build/images.h"
#include "cli/terminal.h"
#include "report/report.h"

enum { BAR = 32 };

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

static const char *part_name(const obb_image_part *part)
{
    return part->name ? part->name : part->padding ? "(padding)" : "(gap)";
}

int image_picture_show(session *s, const obb_target *image, const obb_variant *v)
{
    obb_arena *arena = s->w->arena;
    const obb_image_layout *layout = obb_layout_of_image(s->w, image, v);
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
                  part_name(p));
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
    const obb_image_layout *layout = obb_layout_of_image(s->w, image, v);
    return layout ? obb_report_image(image->name, v->name, layout) : NULL;
}
