# .include "nowhere.inc"
#include "nowhere.h"
.include "part.inc"
lab: .incbin "data/table.bin", 1, 2
