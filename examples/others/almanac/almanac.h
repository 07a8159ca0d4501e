/* When a tower rings. */
#ifndef ALMANAC_H
#define ALMANAC_H

/* How many strokes the hour has, `minutes` after (or, negative, before) midnight. */
int almanac_strokes(long minutes);

#endif
