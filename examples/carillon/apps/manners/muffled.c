/* Bells with leather on their clappers. */
#include <manner.h>

unsigned manner(unsigned force)
{
    return force > 3 ? force / 3 : 1;
}
