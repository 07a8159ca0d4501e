/* What __LINE__ is after #line, and after the form of it that preprocessors write. */
#line 100
#if __LINE__ == 100
#include <a.h>
#endif
#line 010 "other.c"
#if __LINE__ == 10
#include <b.h>
#endif
#define AT 500
#line AT "again.c"
#if __LINE__ == 500
#include <c.h>
#endif
#line \
    700
#if __LINE__ == 700
#include <d.h>
#endif
#include <renumbered.h>
#if __LINE__ == 704
#include <f.h>
#endif
# 900 "marked.c" 3
#if __LINE__ == 900
#include <n.h>
#endif
#if 0
#line 3
#endif
#if __LINE__ == 906
#include <h.h>
#endif
int lines;
