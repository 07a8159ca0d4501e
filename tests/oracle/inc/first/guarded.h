#if !defined(GUARDED_H)
#define GUARDED_H
#else
#include <b.h>
#endif
