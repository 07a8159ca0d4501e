/* For both striker boards: where their memory lies is stated once, in boards.score. Preprocessed, so that the
 * boards differ by macros as their sources do. */
INCLUDE regions.ld
INCLUDE stack.ld

ENTRY(reset)

SECTIONS
{
    .text : { KEEP(*(.vectors)) *(.text .text.*) *(.rodata .rodata.* .srodata .srodata.*) . = ALIGN(8); } > flash
    .ARM.exidx : { *(.ARM.exidx*) } > flash
    .data : { data_start = .; *(.data .data.* .sdata .sdata.*) . = ALIGN(8); data_end = .; } > ram AT> flash
    data_load = LOADADDR(.data);
    .bss (NOLOAD) : { bss_start = .; *(.bss .bss.* .sbss .sbss.* COMMON) . = ALIGN(8); bss_end = .; end = .; } > ram
#ifdef TELEMETRY_FULL /* reports are put together on the stack */
    .stack (NOLOAD) : { . = ALIGN(8); . += stack_size + 1024; stack_top = .; } > ram
#else
    .stack (NOLOAD) : { . = ALIGN(8); . += stack_size; stack_top = .; } > ram
#endif
    /DISCARD/ : { *(.eh_frame) *(.comment) }
}
