/* What a delivery consists of in one variant: every file, where it goes, and where it comes from.
 *
 * Places follow the directory variables of the GNU Coding Standards (7.2.5), below one prefix: bin, lib,
 * include, share/man, share/doc/DELIVERY. Products lie there as they lie below the folder of their variant,
 * so that a program finds its libraries in both. Where there is no operating system nothing is installed, and
 * images and programs lie in `firmware`, all else in `doc`.
 *
 * What a program needs at run time comes along: shared libraries and plug-ins of the project and of
 * third-party code, unless a delivery that this one needs brings them. So do the licences of third-party code
 * that is in it.
 */
#ifndef OBB_DELIVERY_CONTENTS_H
#define OBB_DELIVERY_CONTENTS_H

#include "delivery/entry.h"

/* All entries, sorted by path. Two for one place are an error in `diags`, and so is what cannot be found. */
obb_entries obb_delivery_contents(const obb_contents_input *input, const obb_delivery *delivery);

#endif
