/* What nettle's own script would find on musl on x86-64. */
#define HAVE_UNISTD_H 1
#define HAVE_ALLOCA_H 1
#define SIZEOF_LONG 8
#define SIZEOF_SIZE_T 8
#define SIZEOF_CHAR_P 8
#define HAVE_NATIVE_64_BIT 1
