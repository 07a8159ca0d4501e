#include "strike/strike.h"

#include "fade.h"

unsigned strike_loudness(const stroke *s, unsigned later)
{
    return fade(s->force * 111u, later / FADE_STEP);
}

unsigned strike_total(const unsigned *loudness, unsigned count)
{
    unsigned total = sum(loudness, count);
    return total > 9999 ? 9999 : total;
}
