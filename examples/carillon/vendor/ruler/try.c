#include <ruler.h>
#include <stdio.h>
#include <stdlib.h>

int main(int argc, char **argv)
{
    char room[RULER_ROOM];
    for (int i = 1; i < argc; i++)
        puts(ruler_time(room, strtoul(argv[i], NULL, 10)));
    return 0;
}
