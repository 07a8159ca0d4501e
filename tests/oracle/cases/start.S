#include "named.h"
#ifdef __ASSEMBLER__
# it's a comment of the assembler, not a directive
#include <a.h>
#endif
    .include "inc/first/part.inc"
table: .incbin "data/table.bin"
    .string "no .include \"x\" here"
#if 0
    .incbin "data/other.bin"
#endif
// .incbin "data/other.bin"
