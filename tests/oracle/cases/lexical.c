// A comment that goes on \
#include <a.h>
/* #include <b.h> */ #include <c.h>
# /* between */ include /* and */ <d.h> // after
const char *text = "a string with /* in it"; /* and "a comment" */
const char *joined = "goes on \
#include <e.h>
";
#if 0
it's not a string, and this is no comment's end: "
#include <f.h>
#endif
#inc\
lude <g.h>
%: include <h.h>
char quote = '"'; /*
#include <i.h>
*/
#include <j.h> /* a comment
#include <k.h>
*/
#	include	"named.h"
  #  if 1 /* one */ && /* two
  */ 1
#include <l.h>
#  endif
int lexical; /* */ // */ /*
#include <m.h>
#define A "/*"
#include <n.h>
#define B '/*'
