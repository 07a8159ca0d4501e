/* Without a C library. */
#include "report.h"

#include "port.h"

static void number(unsigned n)
{
    char digits[12] = "";
    int at = 11;
    do
        digits[--at] = (char)('0' + n % 10);
    while ((n /= 10) && at > 0);
    port_write(" ");
    port_write(digits + at);
}

void report(const char *what, unsigned a, unsigned b, unsigned c)
{
    port_write(what);
    number(a);
    number(b);
    number(c);
    port_write("\n");
}
