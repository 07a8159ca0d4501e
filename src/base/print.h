/* Fingerprints: 128 bits of XXH3 (xxHash's specification, XXH3 128-bit variant, seed 0).
 *
 * They tell whether contents changed. They are not a defence against someone who makes two
 * different contents with one fingerprint on purpose.
 */
#ifndef OBB_BASE_PRINT_H
#define OBB_BASE_PRINT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef struct obb_print {
    uint64_t high, low;
} obb_print;

/* Of nothing; also the mark of "no fingerprint known". No content is expected to have it. */
#define OBB_NO_PRINT ((obb_print){0, 0})

obb_print obb_print_of(const void *bytes, size_t length);
bool obb_print_same(obb_print a, obb_print b);

/* A fingerprint over several parts, each fed with its length, so that no two different
 * sequences of parts run into the same bytes. */
typedef struct obb_printer obb_printer;

obb_printer *obb_printer_new(void);
void obb_printer_add(obb_printer *printer, const void *bytes, size_t length);
void obb_printer_string(obb_printer *printer, const char *string); /* NULL differs from "" */
obb_print obb_printer_end(obb_printer *printer);                   /* releases the printer */

/* Of what was read from a file, with the time of its last change (nanoseconds since 1970): a text in which that time
 * can be asked for counts as another one when it is touched. */
obb_print obb_print_of_text(const void *bytes, size_t length, int64_t modified);

/* The same of a file, which is read to its end. 0, or an errno value. */
int obb_print_file(const char *path, obb_print *print);

#endif
