/* What jansson's own script would find on musl. */
#define HAVE_ENDIAN_H 1
#define HAVE_FCNTL_H 1
#define HAVE_LOCALECONV 1
#define HAVE_LOCALE_H 1
#define HAVE_SCHED_H 1
#define HAVE_STDINT_H 1
#define HAVE_STRTOLL 1
#define HAVE_SYS_TIME_H 1
#define HAVE_SYS_TYPES_H 1
#define HAVE_UNISTD_H 1
#define INITIAL_HASHTABLE_ORDER 3
