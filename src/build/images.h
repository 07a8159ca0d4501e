/* What is in the images of a workspace, where. */
#ifndef OBB_BUILD_IMAGES_H
#define OBB_BUILD_IMAGES_H

#include "build/workspace.h"
#include "image/image.h"

/* The layout of an image, as its recipe and what is in the output folder say; its parts are named as people
 * know them: below the folder of the variant. NULL with an error in `diags`. The plan must have the variant.
 */
const obb_image_layout *obb_layout_of_image(obb_workspace *w, const obb_target *image,
                                            const obb_variant *variant);

#endif
