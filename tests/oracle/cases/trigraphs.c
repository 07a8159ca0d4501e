/* Digraphs always, trigraphs under the old standards: c-strict reads other files than c-cases. */
??=include "named.h"
// a comment that goes on ??/
#include <a.h>
%:include <stdint.h>
#if '??(' == '['
#include <b.h>
#endif
int trigraphs;
