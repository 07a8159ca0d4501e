/* Which deliveries belong together, and what must be built for them. */
#ifndef OBB_DELIVERY_CHAIN_H
#define OBB_DELIVERY_CHAIN_H

#include "plan/plan.h"

typedef OBB_VEC(const obb_delivery *) obb_delivery_list;

/* The delivery and those that it needs, each once, needed ones first. */
void obb_delivery_chain(const obb_variant *variant, const obb_delivery *delivery, obb_arena *arena,
                        obb_delivery_list *list);

/* The targets that must be built for a delivery, besides those that they use. */
void obb_delivery_targets(const obb_variant *variant, const obb_delivery *delivery, obb_arena *arena,
                          obb_target_list *targets);

/* Why a delivery is not there in a variant; NULL: it is. */
const char *obb_delivery_left_out(const obb_variant *variant, const obb_delivery *delivery);

/* Whether a line of a delivery counts in a variant. */
bool obb_delivery_has(const obb_variant *variant, const obb_delivery_item *item);

/* The step that makes what is named (made:NAME), as it is in the variant, with the whole path; or NULL. */
const obb_target *obb_delivery_maker(const obb_variant *variant, const char *name, const char **path);

#endif
