#if __cplusplus > 201703L and not defined UNKNOWN and true
#include <a.h>
#endif
#if __has_cpp_attribute(nodiscard) >= 201603L
#include <b.h>
#endif
int n = 1'000'000; char c = 'x'; // it's a comment
const char *raw = R"(/*)"; auto more = LR"x(
#include <c.h>
)x";
#include <d.h>
#if 1'0 == 10
#include <e.h>
#endif
#if __has_include(<version>) && __has_include(<optional>)
#include <version>
#endif
#ifdef __cpp_lib_ranges
#include <ranges>
#endif
#ifdef __EXCEPTIONS
#include <f.h>
#endif
