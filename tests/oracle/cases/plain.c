#ifdef FORCED
#include <a.h>
#else
#include <b.h>
#endif
#include "beside.h"
int plain;
