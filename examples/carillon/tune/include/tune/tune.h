#ifndef TUNE_TUNE_H
#define TUNE_TUNE_H

#include "stroke.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Reads a tune from a text. The number of strokes, or -1 with the line in *line. */
int tune_parse(const char *text, stroke *strokes, int room, int *line);

/* The same from a file, where there are files. */
int tune_read(const char *path, stroke *strokes, int room, int *line);

/* The most strokes that a tune may have. */
int tune_room(void);

#ifdef __cplusplus
}
#endif

#endif
