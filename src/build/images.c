/* Layouts of images (build/images.h): what is in one is asked of src/image, by the recipe that makes it. */
#include "build/images.h"

#include <string.h>

#include "base/path.h"

const obb_image_layout *obb_layout_of_image(obb_workspace *w, const obb_target *image, const obb_variant *v)
{
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
    const char *folder = obb_variant_folder(w->arena, w->out, v);
    for (size_t i = 0; i < layout->parts.count; i++) {
        obb_image_part *p = &layout->parts.at[i];
        if (p->name && obb_path_within(p->name, folder))
            p->name += strlen(folder) + 1;
    }
    return wrong ? NULL : layout;
}
