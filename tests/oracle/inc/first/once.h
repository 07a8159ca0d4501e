#pragma once
#ifdef SEEN_ONCE
#include <a.h>
#endif
#define SEEN_ONCE
