/* What is in an image, as a picture in the terminal. */
#ifndef OBB_CLI_IMAGE_PICTURE_H
#define OBB_CLI_IMAGE_PICTURE_H

#include "cli/session.h"

/* Shows the parts of an image in order of address, each where it lies in the whole, the gaps, and sums. 0, or
 * an exit code with the message shown. */
int image_picture_show(session *s, const obb_target *image, const obb_variant *variant);

/* The same as an object: start, length, parts. NULL with an error in `diags`. */
json_t *image_picture_json(session *s, const obb_target *image, const obb_variant *variant);

#endif
