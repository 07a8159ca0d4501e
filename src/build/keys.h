/* The key pairs with which objects for a far store are signed (state/far_place.h). */
#ifndef OBB_BUILD_KEYS_H
#define OBB_BUILD_KEYS_H

#include "build/workspace.h"

typedef struct obb_key_pair {
    const char *name, *public_key; /* ed25519:... */
} obb_key_pair;

typedef OBB_VEC(obb_key_pair) obb_key_pairs;

/* Those of this person, in the workspace's arena, by name. 0 with the folder that they are in, or an exit
 * code with the message told. */
int obb_list_key_pairs(obb_workspace *w, obb_key_pairs *pairs, const char **folder);

/* Makes one, by obbligato-transfer, which signs with it. */
int obb_make_key_pair(obb_workspace *w, const char *name, obb_key_pair *made);

#endif
