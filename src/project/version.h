/* Versions of third-party code and of obbligato itself, as they are ordered. */
#ifndef OBB_PROJECT_VERSION_H
#define OBB_PROJECT_VERSION_H

#include <stdbool.h>

/* Less than, equal to or greater than 0. Numbers are compared as numbers and letters as letters, part by
 * part; of two that begin alike the longer one is later (1.1.1w after 1.1.1), unless it goes on with a hyphen
 * or tilde and a letter (2.0-rc1 before 2.0; Semantic Versioning 2.0.0, 11). */
int obb_version_order(const char *a, const char *b);

/* Whether a text can be a version: it becomes part of file names and URLs. */
bool obb_version_ok(const char *text);

#endif
