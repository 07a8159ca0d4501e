#ifndef STRIKE_STRIKE_H
#define STRIKE_STRIKE_H

#include <tune/stroke.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Loudness 0..1000 of a bell `later` milliseconds after the stroke. */
unsigned strike_loudness(const stroke *s, unsigned later);

/* The sum of loudness over all bells, at most 9999. */
unsigned strike_total(const unsigned *loudness, unsigned count);

#ifdef __cplusplus
}
#endif

#endif
