#ifndef RULER_H
#define RULER_H

/* Room for any of these texts. */
enum { RULER_ROOM = 24 };

/* Minutes, seconds and tenths: 65.43 s is 1:05.4. Gives `room`. */
char *ruler_time(char room[RULER_ROOM], unsigned long milliseconds);

#endif
