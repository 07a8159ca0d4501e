/* Macros in conditions and in names of headers. */
#define IF(a, b) a ## b
#define TEXT(x) #x
#define SPELT(x) TEXT(x)
#define NAME named.h
#define LETTER a
#define ANGLE(x) <x.h>
#define EMPTY
#define SELF SELF + 1
#define F(x) G(x)
#define G(x) F(x)
#define CHECKED defined STATED
#define ARGS(a, ...) (a + __VA_ARGS__)
#define COMMA ,
#define PAIR(a, b) a b
#include SPELT(NAME)
#include ANGLE(LETTER)
#include HEADER_OF(b)
#include QUOTED
#include EMPTY <c.h>
#if IF(STA, TED) == 3
#include <d.h>
#endif
#if SELF == 1
#include <e.h>
#endif
#if CHECKED
#include <f.h>
#endif
#if ARGS(1, 2) == 3 && ARGS((1), (2)) == 3
#include <g.h>
#endif
#define OPEN (
#define CALL(x) x
#if CALL
#include <h.h>
#endif
#if CALL(OPEN 1))
#include <i.h>
#endif
#undef STATED
#ifndef STATED
#include <j.h>
#endif
#define STATED 4
#pragma push_macro("STATED")
#undef STATED
#define STATED 5
#if STATED == 5
#include <k.h>
#endif
#pragma pop_macro("STATED")
#if STATED == 4
#include <l.h>
#endif
#if __LINE__ == 56 && __INCLUDE_LEVEL__ == 0
#include <m.h>
#endif
int macros;
