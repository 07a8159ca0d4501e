/* What the library has no function for: there are no directories to rename in. */
int rename(const char *from, const char *to);

int rename(const char *from, const char *to)
{
    (void)from, (void)to;
    return -1;
}
