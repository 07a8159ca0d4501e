#include <almanac.h>
#include <reckon.h>

int almanac_strokes(long minutes)
{
    long hour = reckon_rest(reckon_share(minutes, 60), 12);
    return hour ? (int)hour : 12;
}
