#ifndef BOARD_H
#define BOARD_H

/* The driver line of a bell. */
unsigned board_line(unsigned bell);
const char *board_name(void);

/* In percent; the tower's keeper may change it while it plays. */
extern unsigned board_volume;

#endif
