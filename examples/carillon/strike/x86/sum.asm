; unsigned sum(const unsigned *numbers, unsigned count)
%include "strike/x86/abi.inc"

section .text
global sum:function
sum:    xor     RESULT, RESULT
.next:  test    SECOND, SECOND
        jz      .done
        add     RESULT, [FIRST]
        add     FIRST, 4
        dec     SECOND
        jmp     .next
.done:  ret

section .note.GNU-stack noalloc noexec nowrite progbits
