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

/* How what is left of the longer one makes it compare with the shorter one, which has ended. */
static int compare_rest(const char *rest)
{
    bool before = (*rest == '-' || *rest == '~') && isalpha((unsigned char)rest[1]);
    return before ? -1 : 1;
}

int obb_version_order(const char *a, const char *b)
{
    while (*a && *b) {
        int order = 0;
        if (is_digit(*a) && is_digit(*b))
            order = compare_numbers(&a, &b);
        else if (*a != *b)
            return *a == '.' || *b == '.' ? (*a == '.' ? -compare_rest(b) : compare_rest(a))
                                          : (unsigned char)*a - (unsigned char)*b;
        else
            a++, b++;
        if (order)
            return order;
    }
    return *a ? compare_rest(a) : *b ? -compare_rest(b) : 0;
}

bool obb_version_ok(const char *text)
{
    return *text && !strpbrk(text, "/\\: \t{}") && *text != '.' && *text != '-';
}
