/* For processors that have no routine of their own. */
#include "fade.h"

unsigned fade(unsigned loudness, unsigned steps)
{
    for (; steps && loudness; steps--)
        loudness = loudness * FADE_KEEP >> 8;
    return loudness;
}

unsigned sum(const unsigned *numbers, unsigned count)
{
    unsigned total = 0;
    for (unsigned i = 0; i < count; i++)
        total += numbers[i];
    return total;
}
