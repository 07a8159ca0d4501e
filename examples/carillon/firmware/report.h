#ifndef REPORT_H
#define REPORT_H

/* One line: what, and three numbers. */
void report(const char *what, unsigned a, unsigned b, unsigned c);

#endif
