#define FIRST 1
#include_next <both.h>
