/* What tests of kept plans share. */
#ifndef OBB_TESTS_SAME_H
#define OBB_TESTS_SAME_H

#include "plan/kept.h"

/* A kept plan and the one at hand have the same files, with the same numbers. */
extern const obb_kept_files same_files;

bool same_words(const obb_words *a, const obb_words *b);

#endif
