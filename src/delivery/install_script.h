/* Installing in the words of a POSIX shell, for the script that builds where there is no obbligato. */
#ifndef OBB_DELIVERY_INSTALL_SCRIPT_H
#define OBB_DELIVERY_INSTALL_SCRIPT_H

#include "delivery/entry.h"

/* Adds what puts the entries below "$prefix". Programs whose run path would have to change are left as they
 * are built: such a script changes no bytes. */
void obb_install_script(const obb_contents_input *input, const obb_entries *entries, obb_text *text);

/* The functions that these lines use, and the words around all of them: `begin` is written first. */
extern const char obb_install_script_begin[], obb_install_script_end[];

#endif
