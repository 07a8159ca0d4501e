/* What a board's port gives to the firmware. */
#ifndef PORT_H
#define PORT_H

#include <stdint.h>

/* Milliseconds of the tune since the start, counted by the timer's interrupt. */
extern volatile uint32_t port_now;

void port_start_timer(void);
void port_wait(void); /* until the next interrupt */
void port_write(const char *text);
_Noreturn void port_end(int code);

#endif
