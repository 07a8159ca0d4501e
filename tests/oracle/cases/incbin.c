/* Inline assembly that includes files: directly, by macros, and in branches. */
#define STRING(x) #x
#define PLACE ".section .rodata\n"
#define INCBIN(name, file) \
    __asm__(PLACE #name ": .incbin \"" file "\"\n.text\n")

__asm__(PLACE "direct: .incbin \"data/table.bin\"\n.text\n");
INCBIN(by_macro, "data/other.bin");
#ifdef NEVER
__asm__(".incbin \"data/never.bin\"");
#endif
const char *not_assembly = "a text about .incbin without a name";
// __asm__(".incbin \"data/never.bin\"");
_Pragma("GCC diagnostic push")
int incbin;
