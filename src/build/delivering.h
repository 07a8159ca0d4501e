/* Deliveries of a workspace: which ones are meant, what must be built for them, and what they consist of
 * then. */
#ifndef OBB_BUILD_DELIVERING_H
#define OBB_BUILD_DELIVERING_H

#include "build/workspace.h"
#include "delivery/install.h"

/* A delivery in one variant. */
typedef struct obb_delivered {
    const obb_delivery *delivery;
    const obb_plan_variant *in;
    obb_contents_input input;
    obb_entries entries;
} obb_delivered;

typedef OBB_VEC(obb_delivered) obb_delivered_list;

/* What a request for deliveries comes to. */
typedef struct obb_delivery_choice {
    bool chain;           /* those that the chosen ones need stand before them */
    obb_words deliveries; /* names */
    obb_words targets;    /* names of what must be built */
    size_t variants;      /* how many are chosen */
} obb_delivery_choice;

/* Chooses by names; none: all. A delivery that is named and left out of every chosen variant is an error. The
 * workspace is then as new, to be built. */
int obb_choose_deliveries(obb_workspace *w, const obb_words *names, obb_delivery_choice *choice);

/* What they consist of in the chosen variants: of a workspace with a plan of all targets; when they are built
 * and scanned (`built`), with their bills of materials. */
int obb_list_deliveries(obb_workspace *w, const obb_words *deliveries, bool built, obb_delivered_list *list);

/* Installs one, or takes one away (delivery/install.h): `how` says where, and whom to tell. */
int obb_install(obb_workspace *w, obb_installing *how, obb_delivered *delivered);
int obb_uninstall(obb_workspace *w, obb_installing *how, const char *delivery);

/* The lines of a shell script that installs what the wanted actions of the plan make, of the one chosen
 * variant; in the arena of the workspace. NULL: no delivery is made by them as a whole. */
const char *obb_delivery_script(obb_workspace *w);

/* Which deliveries of the project are installed in a prefix. */
int obb_find_installed(obb_workspace *w, const char *prefix, obb_words *names);

/* As what something is packed. */
typedef struct obb_pack_request {
    const char *format;       /* one of obb_pack_formats */
    const char *to;           /* a folder; NULL: the usual one, OUT/packages */
    bool strip, debug_files;  /* see obb_strip_deliveries; a package of a system is stripped in any case */
} obb_pack_request;

/* Packs one; in several variants of one platform the name tells which it is. The file is added to `packed`.
 */
int obb_pack_delivered(obb_workspace *w, const obb_delivered *delivered, const obb_pack_request *request,
                       obb_words *packed);

/* The symbols that only debuggers need are taken out of programs and libraries; with `apart` they are kept in
 * files that debuggers find by the build identifier (lib/debug/.build-id), entries of their own. */
int obb_strip_deliveries(obb_workspace *w, bool apart, obb_delivered_list *list);

/* Removes what stripping has made. */
void obb_drop_stripped(const obb_workspace *w);

#endif
