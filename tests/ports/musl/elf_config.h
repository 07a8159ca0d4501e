/* What elfutils' own script would find on musl on x86-64. */
#define HAVE_DECL_MEMPCPY 1
#define HAVE_DECL_MEMRCHR 1
#define HAVE_DECL_RAWMEMCHR 0
#define HAVE_DECL_POWEROF2 1
#define HAVE_DECL_REALLOCARRAY 1
#define HAVE_VISIBILITY 1
#define CHECK_UNDEFINED 0
#define PACKAGE "elfutils"
#define HAVE_ERR_H 1
#define HAVE_STRERROR_R 1
#include <eu-config.h>
