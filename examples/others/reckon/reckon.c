#include "reckon.h"

long reckon_share(long a, long b)
{
    return a / b;
}

long reckon_rest(long a, long b)
{
    return a - b * reckon_share(a, b);
}
