#include "ruler.h"

#include <stdio.h>

char *ruler_time(char room[RULER_ROOM], unsigned long milliseconds)
{
    unsigned long tenths = milliseconds / 100, seconds = tenths / 10;
    snprintf(room, RULER_ROOM, "%lu:%02lu.%lu", seconds / RULER_MINUTES, seconds % RULER_MINUTES, tenths % 10);
    return room;
}
