#include "board.h"

unsigned board_volume = 90;

#if defined BOARD_REV_A
const char *board_name(void) { return "rev-a"; }

unsigned board_line(unsigned bell) { return bell; }
#elif defined BOARD_REV_B
const char *board_name(void) { return "rev-b"; }

/* The second row of drivers was turned round, for shorter traces. */
unsigned board_line(unsigned bell) { return bell < 12 ? bell : 35 - bell; }
#else
#error "no such board"
#endif
