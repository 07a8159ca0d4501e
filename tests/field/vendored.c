/* Uses both: packs a text, unpacks it, and counts the elements in it. */
#include <expat.h>
#include <string.h>
#include <zstd.h>

static int elements;

static void count(void *self, const char *name, const char **attributes)
{
    (void)self, (void)name, (void)attributes;
    elements++;
}

int main(void)
{
    static const char text[] = "<tower><bell note='d'/><bell note='a'/></tower>";
    char packed[200], back[200];
    size_t n = ZSTD_compress(packed, sizeof packed, text, sizeof text - 1, 19);
    size_t m = ZSTD_isError(n) ? 0 : ZSTD_decompress(back, sizeof back, packed, n);
    XML_Parser p = XML_ParserCreate(NULL);
    XML_SetStartElementHandler(p, count);
    return !(m == sizeof text - 1 && memcmp(text, back, m) == 0 && XML_Parse(p, back, (int)m, 1) == XML_STATUS_OK &&
             elements == 3);
}
