#include <both.h>
#include "once.h"
#include "once.h"
#include "guarded.h"
#include "guarded.h"
#if __has_include(<c.h>) && !__has_include("nowhere.h") && __has_include("../inc/first/d.h")
#include <c.h>
#endif
#ifdef __has_include
#if __has_include(QUOTED)
#include <e.h>
#endif
#endif
#include "../inc/first/../second/named.h"
#if defined __has_attribute
#if __has_attribute(noreturn) && __has_attribute(no_such_attribute_at_all) == 0
#include <f.h>
#endif
#endif
#if defined(__has_builtin) && defined __STDC__
#if __has_builtin(__builtin_expect)
#include <g.h>
#endif
#endif
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <stdint.h>
#include <math.h>
#include <errno.h>
#include <signal.h>
#include <sys/types.h>
#include <sys/stat.h>
#include <limits.h>
#include <inttypes.h>
int search;
