const char *raw = R"delimiter(
#include <a.h>
)" )delimiter"; /* after a raw string
#include <b.h>
*/
#include <c.h>
int notR = sizeof("x"); const char *w = u8R"(
#include <d.h>
)";
