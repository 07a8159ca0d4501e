.set WIDTH, 4
.equ DOUBLE, WIDTH * 2
DEPTH = DOUBLE - 1
.if WIDTH == 4
.include "inc/first/part.inc"
.else
.include "nowhere.inc"
.endif
.ifdef UNSEEN
.incbin "data/never.bin"
.elseif (DEPTH & 1) && !(WIDTH > DOUBLE)
.incbin "data/other.bin"
.endif
.ifndef WIDTH
.incbin "data/never.bin"
.else
.ifeq DOUBLE - 8
.incbin "data/table.bin"
.endif
.endif
.if 0
.if 1
.incbin "data/never.bin"
.else
.incbin "data/never.bin"
.endif
.endif
here:
.ifdef here
.set SEEN, 0x10
.endif
.if SEEN != 16
.incbin "data/never.bin"
.endif
