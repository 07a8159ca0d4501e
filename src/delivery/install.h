/* Installing a delivery into a prefix, and taking it away again.
 *
 * Each file is written under another name and renamed; what is as it must be is not touched. What was there
 * before, and what somebody changed since, is not overwritten unless that is asked for. A process that ends
 * at any time leaves manifests (manifest.h) by which the next install finishes the work, or an uninstall
 * undoes it. One process at a time works on a prefix.
 *
 * Modes are 0755 and 0644, whatever the umask. */
#ifndef OBB_DELIVERY_INSTALL_H
#define OBB_DELIVERY_INSTALL_H

#include "delivery/entry.h"
#include "delivery/manifest.h"

typedef enum obb_install_event {
    OBB_INSTALLED, /* written */
    OBB_KEPT,      /* it was there, and as it must be */
    OBB_TAKEN_AWAY,
    OBB_LEFT       /* it was changed since it was installed, and stays */
} obb_install_event;

typedef struct obb_installing {
    obb_arena *arena;
    obb_diags *diags;
    const char *prefix;  /* where files are written: the prefix, below the folder that stands for the root */
    bool replace;        /* what is in the way is overwritten */
    bool dry_run;        /* nothing is written */
    void (*tell)(void *self, obb_install_event event, const char *path);
    void *self;
} obb_installing;

/* False with errors in `diags`; nothing was written then, or what is there is told by the manifests. `input`
 * is that of the entries. */
bool obb_install_delivery(const obb_installing *installing, const obb_contents_input *input,
                          const obb_delivery *delivery, const obb_entries *entries);

/* Takes away what was installed of a delivery. False with an error when it was not installed there, or
 * something could not be removed. */
bool obb_uninstall_delivery(const obb_installing *installing, const char *project, const char *delivery);

/* The deliveries of a project that are installed there, by name. 0, or an errno value. */
int obb_installed_deliveries(obb_arena *arena, const char *prefix, const char *project, obb_words *names);

#endif
