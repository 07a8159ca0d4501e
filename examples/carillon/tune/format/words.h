#ifndef WORDS_H
#define WORDS_H

/* Reads a number at *text and moves behind it; -1 when there is none. */
int words_number(const char **text);

#endif
