/* Cortex-M3: the table of vectors, and what comes before main. */
    .syntax unified
    .cpu cortex-m3
    .thumb

    .section .vectors, "a"
    .word stack_top
    .word reset
    .word fault                 /* NMI */
    .word fault                 /* hard fault */
    .word fault, fault, fault   /* memory, bus, usage */
    .word 0, 0, 0, 0
    .word fault                 /* supervisor call */
    .word fault, 0
    .word fault                 /* PendSV */
    .word timer_interrupt       /* SysTick */

    .section .text.reset, "ax"
    .global reset
    .thumb_func
    .type reset, %function
reset:
    ldr r0, =data_start
    ldr r1, =data_end
    ldr r2, =data_load
1:  cmp r0, r1
    ittt lo
    ldrlo r3, [r2], #4
    strlo r3, [r0], #4
    blo 1b
    ldr r0, =bss_start
    ldr r1, =bss_end
    movs r3, #0
2:  cmp r0, r1
    itt lo
    strlo r3, [r0], #4
    blo 2b
    bl main
    bl port_end
    .size reset, . - reset

    .global fault
    .thumb_func
    .type fault, %function
fault:
    movs r0, #99
    b port_end
    .size fault, . - fault
