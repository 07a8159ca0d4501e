/* Its lines are its own. */
#line 3000
#if __LINE__ == 3000
#include <t.h>
#endif
