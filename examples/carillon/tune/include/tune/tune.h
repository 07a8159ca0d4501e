#ifndef TUNE_TUNE_H
#define TUNE_TUNE_H

#include "stroke.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Reads a tune from a file. The number of strokes, or -1 with the line in *line. */
int tune_read(const char *path, stroke *strokes, int room, int *line);

/* The most strokes that a tune may have. */
int tune_room(void);

#ifdef __cplusplus
}
#endif

#endif
