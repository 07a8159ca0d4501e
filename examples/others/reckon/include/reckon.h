/* Whole numbers, divided and rounded, for machines without a floating-point unit. */
#ifndef RECKON_H
#define RECKON_H

/* a / b, rounded down. */
long reckon_share(long a, long b);

/* a modulo b, never negative. */
long reckon_rest(long a, long b);

#endif
