/* Laying descriptions out (score/score.h) in their files. */
#ifndef OBB_BUILD_FORMAT_H
#define OBB_BUILD_FORMAT_H

#include "build/workspace.h"

typedef struct obb_laid_out {
    const char *file; /* as it was named, or from the project's folder */
    bool changed;     /* it was not laid out like this */
} obb_laid_out;

typedef OBB_VEC(obb_laid_out) obb_laid_out_list;

/* Lays out files, or, where none is named, those of the project itself (none that come with third-party
 * code); `only_look` writes nothing. A file that cannot be read is told of and stays as it is; the others are
 * laid out. 0, or an exit code. */
int obb_format_files(obb_workspace *w, const obb_words *names, bool only_look, obb_laid_out_list *list);

/* The same for a text that is called `name` in messages. */
int obb_format_text(obb_workspace *w, const char *name, const obb_text *text, obb_text *formatted);

#endif
