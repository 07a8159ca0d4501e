/* Integer expressions: signs, widths, order, what is not evaluated. */
#if -1 > 0u
#include <a.h>
#endif
#if (2 || 1 / 0) && !(0 && 1 / 0) && (1 ? 2 : 1 / 0) == 2
#include <b.h>
#endif
#if 0x7fffffffffffffff + 1u == 0x8000000000000000u && 1 << 3 == 010 && -7 / 2 == -3 && -7 % 2 == -1
#include <c.h>
#endif
#if 'A' == 65 && '\n' == 10 && '\x41' == 65 && '\101' == 'A' && '\\' == 92
#include <d.h>
#endif
#if 1 + 2 * 3 == 7 && (1 | 2 ^ 3 & 1) == 3 && ~0 == -1 && 10 - 2 - 3 == 5 && 1 < 2 == 1
#include <e.h>
#endif
#if -8 >> 1 == -4 && 18446744073709551615u == -1
#endif
#if STATED == 3 && UNKNOWN == 0 && defined STATED && defined(STATED) && !defined UNKNOWN
#include <f.h>
#elif 1 / 0
#include <g.h>
#endif
#if 0
#elif 2 > 1
#include <h.h>
#elif 1 / 0
#else
#include <i.h>
#endif
#if (-1)/2u > 5
#include <j.h>
#endif
int arithmetic;
#if '\377' < 0
#include <a.h>
#endif
#if 'A' == '\301' || '\x80' == 128 || 'ab' == 'a' * 256 + 'b'
#include <b.h>
#endif
#if L'\377' == 255
#include <c.h>
#endif
