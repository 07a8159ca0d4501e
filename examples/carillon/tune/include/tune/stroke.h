#ifndef TUNE_STROKE_H
#define TUNE_STROKE_H

#include <stdint.h>

/* One bell is struck: when (in milliseconds since the tune began), which, how hard (1..9). */
typedef struct stroke {
    uint32_t at;
    uint8_t bell, force;
} stroke;

#endif
