/* What newlib wants from below: memory, and no files. */
#include <stddef.h>
#include <stdint.h>

extern char end[];

void *_sbrk(ptrdiff_t more);

void *_sbrk(ptrdiff_t more)
{
    static char *brk = end;
    char *before = brk;
    brk += more;
    return before;
}
