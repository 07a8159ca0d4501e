#include "beside.h"
#ifdef FIRST
#include <t.h>
#endif
