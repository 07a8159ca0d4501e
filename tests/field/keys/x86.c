int f(void) { int a; __asm__("cpuid" : "=a"(a) : "a"(0) : "ebx", "ecx", "edx"); return a; }
