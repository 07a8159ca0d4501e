/* unsigned fade(unsigned loudness, unsigned steps), for the System V ABI of x86-64 */
#include "fade.h"

#ifdef __x86_64__
        .text
        .globl  fade
        .type   fade, @function
fade:   mov     %edi, %eax
1:      test    %esi, %esi
        jz      2f
        imul    $FADE_KEEP, %eax, %eax
        shr     $8, %eax
        dec     %esi
        jmp     1b
2:      ret
        .size   fade, . - fade
#endif
        .section .note.GNU-stack, "", @progbits
