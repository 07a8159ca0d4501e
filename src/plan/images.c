/* Images: an operation of our own for each format.
 *
 * An image reads the program or the parts that it consists of, all of them products or files known to the
 * plan, and has a recipe in place of a command; its argv describes the operation. Flat images of the
 * Intel-syntax assembler are ordinary commands. */
#include <string.h>

#include "base/path.h"
#include "plan/context.h"

static const char *const format_names[] = {"bin", "hex", "srec"};

const char *obb_plan_image_path(const obb_plan_context *j, const obb_target *image, const char *format)
{
    return obb_arena_format(j->plan->arena, "%s/img/%s.%s", j->in->folder, image->output, format);
}

static bool has_format(const obb_target *image, const char *format)
{
    for (size_t i = 0; i < image->formats.count; i++)
        if (strcmp(image->formats.at[i].text, format) == 0)
            return true;
    return !image->formats.count && strcmp(format, "bin") == 0;
}

/* What the operation does, in words: for users, and for the record of the action. */
static void describe(obb_plan_context *j, obb_action *a, const obb_image_recipe *image)
{
    obb_arena *arena = j->plan->arena;
    obb_context_word(j, a, "image");
    obb_context_word(j, a, format_names[image->format]);
    if (image->fill_stated)
        obb_context_word(j, a, obb_arena_format(arena, "fill=0x%02x", (unsigned)image->fill));
    if (image->pad_to)
        obb_context_word(j, a, obb_arena_format(arena, "pad-to=%llu", (unsigned long long)image->pad_to));
    if (image->program)
        obb_context_word(j, a, obb_arena_format(arena, "from=%s", image->program));
    if (image->addressed)
        obb_context_word(j, a, obb_arena_format(arena, "address=0x%llx", (unsigned long long)image->address));
    for (size_t i = 0; i < image->segments.count; i++)
        obb_context_word(j, a, obb_arena_format(arena, "%s@0x%llx", image->segments.at[i].path,
                                            (unsigned long long)image->segments.at[i].offset));
    obb_context_output_word(j, a);
}

/* The address of a region, and its room; the first of these is that of the image. */
static bool place_in_region(obb_plan_context *j, obb_image_recipe *image, const obb_placed *placed,
                            obb_image_segment *segment)
{
    const obb_variant *v = j->in->variant;
    const obb_region *region = NULL;
    for (size_t i = 0; i < v->memory.count && !region; i++)
        if (strcmp(v->memory.at[i].name, placed->region) == 0)
            region = &v->memory.at[i];
    if (!region) {
        obb_report_no_fact(v, obb_arena_format(j->plan->arena, "region:%s", placed->region), placed->place,
                           j->diags);
        return false;
    }
    segment->offset = region->origin;
    segment->room = region->length;
    image->address = image->addressed && image->address < region->origin ? image->address : region->origin;
    image->addressed = true;
    return true;
}

/* Parts lie at addresses or at offsets. */
static bool check_places(obb_plan_context *j)
{
    const obb_target *t = j->target;
    for (size_t i = 1; i < t->placed.count; i++) {
        if (!t->placed.at[i].region == !t->placed.at[0].region)
            continue;
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, t->placed.at[i].place,
                                "image `%s` has parts at offsets and parts in regions", t->name);
        obb_also(j->diags, d, t->placed.at[0].place, "the first one");
        obb_hint(j->diags, d,
                 "the address of a region is {region:NAME}, its offset depends on where the image "
                 "begins: place all parts in regions, or all at offsets");
        return false;
    }
    return true;
}

static bool add_part(obb_plan_context *j, obb_action *a, obb_image_recipe *image, const obb_placed *placed)
{
    const obb_plan *plan = j->plan;
    const obb_target *part = placed->target ? obb_in(j->in->variant, placed->target) : NULL;
    const char *path = placed->name;
    if (part && part->kind == OBB_PROGRAM) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, placed->place,
                                "`%s` is a program, not an image", part->name);
        obb_hint(j->diags, d, "make an image of it: image %s-image { from %s }", part->name, part->name);
        return false;
    }
    if (part && !has_format(part, "bin")) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, placed->place,
                                "image `%s` has no raw form to place", part->name);
        obb_hint(j->diags, d, "add it there: formats bin");
        return false;
    }
    if (part)
        path = obb_plan_image_path(j, part, "bin");
    else if (obb_starts(path, "made:"))
        path = obb_files_path(plan->files, obb_context_made(j, path + 5, placed->place));
    else if (!obb_files_is_file(plan->files, obb_files_number(plan->files, path)) &&
             !obb_plan_maker(plan, obb_files_number(plan->files, path))) {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, placed->place, "there is no file `%s`", path);
        return false;
    }
    obb_image_segment segment = {path, placed->offset, 0};
    if (placed->region && !place_in_region(j, image, placed, &segment))
        return false;
    obb_arena_push(plan->arena, &image->segments, segment);
    obb_context_input(j, a, obb_files_number(plan->files, path));
    return true;
}

static void add_image(obb_plan_context *j, obb_product *product, obb_image_format format)
{
    const obb_plan *plan = j->plan;
    const obb_target *t = j->target;
    obb_image_recipe *image = obb_arena_alloc(plan->arena, sizeof *image);
    obb_action *a = obb_context_action(j, OBB_MAKE_IMAGE, obb_plan_image_path(j, t, format_names[format]));
    *image = (obb_image_recipe){.format = format,
                                .fill = t->fill < 0 ? 0 : t->fill,
                                .fill_stated = t->fill >= 0,
                                .pad_to = t->pad_to};
    a->image = image;
    for (size_t i = 0; i < t->uses.count; i++) {
        const obb_target *used = obb_in(j->in->variant, t->uses.at[i].target);
        if (used->kind != OBB_PROGRAM || t->placed.count)
            continue;
        image->program = obb_context_product_path(j, used, false);
        obb_context_input(j, a, obb_files_number(plan->files, image->program));
    }
    a->stated.broken = !check_places(j);
    for (size_t i = 0; i < t->placed.count; i++)
        if (!add_part(j, a, image, &t->placed.at[i]))
            a->stated.broken = true;
    describe(j, a, image);
    obb_context_finish(j, a, NULL, NULL);
    obb_arena_push(plan->arena, &product->actions, a->number);
}

/* A source that the Intel-syntax assembler makes an image of by itself. */
static void assemble_flat(obb_plan_context *j, obb_product *product)
{
    const obb_plan *plan = j->plan;
    obb_file source = obb_files_number(plan->files, j->target->from_source);
    if (!obb_files_is_file(plan->files, source)) {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place, "image `%s`: there is no file `%s`",
                  j->target->name, j->target->from_source);
        return;
    }
    obb_plan_compile(j, source, OBB_ASM_INTEL, obb_plan_image_path(j, j->target, "bin"));
    obb_arena_push(plan->arena, &product->actions, j->compiles.at[0]->number);
}

void obb_plan_image(obb_plan_context *j, obb_product *product)
{
    if (j->target->from_source) {
        assemble_flat(j, product);
        return;
    }
    for (int f = 0; f < 3; f++)
        if (has_format(j->target, format_names[f]))
            add_image(j, product, (obb_image_format)f);
}
