/* What tests of kept plans share. */
#ifndef OBB_TESTS_SAME_H
#define OBB_TESTS_SAME_H

#include "plan/serialized.h"

/* A kept plan and the current one have the same files, with the same numbers. */
extern const obb_file_mapping same_files;

bool same_words(const obb_words *a, const obb_words *b);

#endif
