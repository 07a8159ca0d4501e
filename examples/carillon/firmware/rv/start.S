# RISC-V: what comes before main, and the trap that the timer takes.
    .option arch, +zicsr
    .section .vectors, "ax"
    .global reset
    .type reset, @function
reset:
    la sp, stack_top
    la t0, trap
    csrw mtvec, t0
    la a0, data_start
    la a1, data_end
    la a2, data_load
1:  bgeu a0, a1, 2f
    lw t0, 0(a2)
    sw t0, 0(a0)
    addi a0, a0, 4
    addi a2, a2, 4
    j 1b
2:  la a0, bss_start
    la a1, bss_end
3:  bgeu a0, a1, 4f
    sw zero, 0(a0)
    addi a0, a0, 4
    j 3b
4:  call main
    call port_end
    .size reset, . - reset

    .align 4
    .type trap, @function
trap:
    addi sp, sp, -80
    sw ra, 0(sp)
    sw t0, 4(sp)
    sw t1, 8(sp)
    sw t2, 12(sp)
    sw t3, 16(sp)
    sw t4, 20(sp)
    sw t5, 24(sp)
    sw t6, 28(sp)
    sw a0, 32(sp)
    sw a1, 36(sp)
    sw a2, 40(sp)
    sw a3, 44(sp)
    sw a4, 48(sp)
    sw a5, 52(sp)
    sw a6, 56(sp)
    sw a7, 60(sp)
    csrr a0, mcause
    call timer_interrupt
    lw ra, 0(sp)
    lw t0, 4(sp)
    lw t1, 8(sp)
    lw t2, 12(sp)
    lw t3, 16(sp)
    lw t4, 20(sp)
    lw t5, 24(sp)
    lw t6, 28(sp)
    lw a0, 32(sp)
    lw a1, 36(sp)
    lw a2, 40(sp)
    lw a3, 44(sp)
    lw a4, 48(sp)
    lw a5, 52(sp)
    lw a6, 56(sp)
    lw a7, 60(sp)
    addi sp, sp, 80
    mret
    .size trap, . - trap

    .global enable_timer
    .type enable_timer, @function
enable_timer:
    li t0, 0x80
    csrs mie, t0
    csrsi mstatus, 8
    ret
    .size enable_timer, . - enable_timer
