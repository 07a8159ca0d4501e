/* Text for JSON: bytes that are no UTF-8 become U+FFFD, since JSON has no others (RFC 8259). */
#include <string.h>

#include "report/report.h"

json_t *obb_report_string(const char *bytes, size_t length)
{
    json_t *string = json_stringn(bytes, length);
    if (string)
        return string;
    char *copy = obb_alloc(length + 1);
    memcpy(copy, bytes, length);
    for (size_t i = 0; i < length; i++)
        if ((unsigned char)copy[i] >= 0x80)
            copy[i] = '?';
    string = json_stringn(copy, length);
    free(copy);
    if (!string)
        obb_out_of_memory();
    return string;
}

json_t *obb_report_text(const char *string)
{
    return obb_report_string(string, strlen(string));
}
