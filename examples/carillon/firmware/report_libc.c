#include "report.h"

#include <stdio.h>

#include "port.h"

void report(const char *what, unsigned a, unsigned b, unsigned c)
{
    char line[80];
    snprintf(line, sizeof line, "%-8s %5u %3u %5u\n", what, a, b, c);
    port_write(line);
}
