/* Files of the output folder that no command makes: compilation databases, texts that are known beforehand,
 * and those that nothing makes any more. */
#ifndef OBB_BUILD_OUTPUTS_H
#define OBB_BUILD_OUTPUTS_H

#include "build/builder.h"

/* Writes the compilation database of each variant, and the texts of the plan; what is in place stays as it
 * is. 0, or an exit code with the messages told. */
int obb_write_outputs(obb_workspace *w);

/* After an edited description: the compiles of targets that were planned again take the place of the former
 * ones in the compilation databases. False: they could not be read or written, with the errors in `diags`. */
bool obb_renew_databases(obb_workspace *w);

/* Removes what nothing makes any more. That is done before the scan: neither it nor a compiler that it asks
 * may find such files. In a dry run they only count as gone. */
void obb_drop_stale(obb_builder *b);

/* Removes outputs that nothing makes any more. */
void obb_drop_outputs(obb_builder *b, const obb_file_list *files);

#endif
