/* Shared by C and assembly. */
#define FADE_KEEP   241      /* of 256, each step */
#define FADE_STEP   16       /* milliseconds */

#ifndef __ASSEMBLER__
/* What is left of a loudness after some steps. */
unsigned fade(unsigned loudness, unsigned steps);

/* The sum of `count` numbers. */
unsigned sum(const unsigned *numbers, unsigned count);
#endif
