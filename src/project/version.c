/* The order of versions (version.h). */
#include "project/version.h"

#include <ctype.h>
#include <stdbool.h>
#include <stddef.h>
#include <string.h>

static bool is_digit(char c)
{
    return c >= '0' && c <= '9';
}

/* Numbers of any length, without their zeros. */
static int compare_numbers(const char **a, const char **b)
{
    *a += strspn(*a, "0");
    *b += strspn(*b, "0");
    size_t n = strspn(*a, "0123456789"), m = strspn(*b, "0123456789");
    int order = n != m ? (n < m ? -1 : 1) : strncmp(*a, *b, n);
    *a += n;
    *b += m;
    return order;
}

/* What stands at one place, from what makes a version earlier to what makes it later: the mark of what comes
 * before a version, its end, a letter, anything else, a number. */
static int rank_of(const char *at)
{
    if ((*at == '-' || *at == '~') && isalpha((unsigned char)at[1]))
        return 0;
    return !*at ? 1 : isalpha((unsigned char)*at) ? 2 : is_digit(*at) ? 4 : 3;
}

int obb_version_order(const char *a, const char *b)
{
    for (;;) {
        int rank = rank_of(a), order = rank - rank_of(b);
        if (!order && rank == 4)
            order = compare_numbers(&a, &b);
        else if (!order)
            order = (unsigned char)*a - (unsigned char)*b;
        if (order || rank == 1)
            return order;
        if (rank != 4)
            a++, b++;
    }
}

bool obb_version_ok(const char *text)
{
    return *text && !strpbrk(text, "/\\: \t{}") && *text != '.' && *text != '-';
}
